"""Properties a race engineer would expect of every item; one number never, a direction always."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import CornerSpan
from apexcore.errors import SolverError
from apexcore.lap.driver import LEVELS, Driver
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.lap.stint import solve_stint
from apexcore.trim.figures.bias import ideal_front_share
from apexcore.trim.figures.gearing import limit_speed_ms
from apexcore.trim.reading.analysis import SheetAnalysis, analyse
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, adjusted

Bench = tuple[LapCase, list[CornerSpan], Sheet]


@pytest.fixture(scope="module")
def bench(lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet) -> Bench:
    return lap_case, spans, sheet


def moved(bench: Bench, key: str, steps: int) -> SheetAnalysis:
    lap_case, spans, sheet = bench
    changed = sheet.stepped(lap_case.car.item(key), steps)
    assert changed is not None
    return analyse(lap_case, spans, changed)


@pytest.mark.parametrize(("key", "sign"), [("bar_front", 1), ("bar_rear", -1), ("spring_front", 1), ("spring_rear", -1)])
def test_stiffer_end_slides_first_in_mid_corner(bench: Bench, key: str, sign: int) -> None:
    soft, stiff = moved(bench, key, -2), moved(bench, key, 2)
    for speed in ("slow", "medium", "fast"):
        before, after = soft.grid[speed, "mid"], stiff.grid[speed, "mid"]
        assert before is not None and after is not None and sign * (after - before) > 0


def test_more_wing_calms_fast_corners_and_costs_top_speed(bench: Bench) -> None:
    low, high = moved(bench, "wing", -2), moved(bench, "wing", 2)
    before, after = low.grid["fast", "mid"], high.grid["fast", "mid"]
    assert before is not None and after is not None and after > before
    assert high.lap.top_speed_ms < low.lap.top_speed_ms


def test_fuel_costs_time(bench: Bench) -> None:
    assert moved(bench, "fuel", -10).lap.time_s < moved(bench, "fuel", 10).lap.time_s


def test_hotter_air_takes_power_and_downforce(bench: Bench) -> None:
    lap_case, _, sheet = bench
    hot = replace(lap_case, conditions=lap_case.conditions.model_copy(update={"air_c": 36.0}))
    assert hot.conditions.air_density < lap_case.conditions.air_density
    assert hot.conditions.power_factor < lap_case.conditions.power_factor
    assert solve_lap(hot, sheet).time_s > solve_lap(lap_case, sheet).time_s


def test_forward_bias_loads_the_front_under_braking(bench: Bench) -> None:
    back, forward = moved(bench, "brake_bias", -4), moved(bench, "brake_bias", 4)
    before, after = back.grid["slow", "entry"], forward.grid["slow", "entry"]
    assert before is not None and after is not None and after > before


def test_warnings_name_the_axle_that_locks(bench: Bench) -> None:
    assert any("Rear locks first" in text for text in moved(bench, "brake_bias", -14).warnings)
    assert any("Front locks first" in text for text in moved(bench, "brake_bias", 14).warnings)


def test_longer_final_drive_is_faster_at_the_limiter(car: Car, sheet: Sheet) -> None:
    item = car.item("final_drive")
    longer, shorter = sheet.stepped(item, -3), sheet.stepped(item, 3)
    assert longer and shorter
    assert limit_speed_ms(adjusted(car, longer), 6) > limit_speed_ms(adjusted(car, shorter), 6)


def test_wider_line_has_higher_apex_speeds(bench: Bench, lap_case: LapCase, circuit) -> None:  # type: ignore[no-untyped-def]
    from apexcore.circuit.line import racing_line

    narrow = replace(lap_case, line=racing_line(circuit.model_copy(update={"width_m": 8.0})))
    assert solve_lap(narrow, bench[2]).column("speed").min() < solve_lap(lap_case, bench[2]).column("speed").min()


def test_better_drivers_are_quicker_in_order(lap_case: LapCase, sheet: Sheet) -> None:
    times = [solve_lap(replace(lap_case, driver=driver), sheet).time_s for driver in LEVELS.values()]
    assert times == sorted(times, reverse=True)
    with pytest.raises(ValueError, match="between 30 % and 100 %"):
        Driver(ability=0.1)


def test_a_stint_warms_up_then_fades(lap_case: LapCase, sheet: Sheet) -> None:
    stint = solve_stint(lap_case, sheet, 40.0, 18)
    times = [lap.lap.time_s for lap in stint]
    heat = [lap.lap.tyres.temperature_c[2] for lap in stint]
    assert heat[0] < heat[1] < heat[2]
    assert min(times[1:4]) < times[0] - 0.1
    assert times[-1] > times[4]
    assert [lap.fuel_l for lap in stint] == sorted((lap.fuel_l for lap in stint), reverse=True)
    assert solve_lap(replace(lap_case, wear=(0.5,) * 4), sheet).time_s > solve_lap(lap_case, sheet).time_s


def test_every_corner_is_read_in_order(bench: Bench, lap_case: LapCase) -> None:
    found = analyse(*bench)
    speeds, gears = found.lap.column("speed"), found.lap.column("gear")
    powertrain = lap_case.car.powertrain
    assert [read.corner.number for read in found.corners] == list(range(1, len(found.corners) + 1))
    for read in found.corners:
        stations = np.arange(read.corner.first, read.corner.last + 1) % len(speeds)
        slowest = stations[speeds[stations].argmin()]
        assert read.apex_ms == pytest.approx(speeds[slowest])
        assert read.gear == round(gears[slowest])
        ratio = powertrain.gears[read.gear - 1] * powertrain.final_drive / lap_case.car.tyres.radius_m[1]
        assert read.apex_ms * ratio * 60 / (2 * np.pi) <= powertrain.limit_rpm
        assert 0 <= read.brake_length_m < lap_case.line.ds.sum() / 2
        assert read.limits in ("front", "rear")


def test_ideal_bias_moves_forward_with_deceleration(car: Car) -> None:
    assert ideal_front_share(car, 12.0) > ideal_front_share(car, 6.0)


def test_an_impossible_corner_is_named(lap_case: LapCase, sheet: Sheet) -> None:
    line = lap_case.line
    road = line.road.copy()
    tightest = int(abs(road[:, 0]).argmax())
    road[tightest, 1] = -1.3 * (1 if road[tightest, 0] > 0 else -1)  # leans out so far that the car slides off at rest
    with pytest.raises(SolverError, match="m after the start line"):
        solve_lap(replace(lap_case, line=replace(line, road=road)), sheet)
