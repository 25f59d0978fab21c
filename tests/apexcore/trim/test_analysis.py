"""What the bench reads from a lap: corners, balance, tyres, warnings, and each item's expected direction."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import CornerSpan
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.trim.figures.bias import ideal_front_share
from apexcore.trim.reading.analysis import analyse
from apexcore.trim.reading.balance import PHASES, SPEEDS, balance_changes, balance_grid, read_corner
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, adjusted


def changed(sheet: Sheet, **values: float) -> Sheet:
    return Sheet(sheet.car_key, {**sheet.values, **values})


@pytest.fixture(scope="module")
def lap(lap_case: LapCase, sheet: Sheet) -> Lap:
    return solve_lap(lap_case, sheet)


def test_a_corner_is_read_where_the_car_is_slowest(lap: Lap, lap_case: LapCase, spans: list[CornerSpan]) -> None:
    speed = lap.column("speed")
    for span in spans:
        one = read_corner(lap, span, lap_case.line.s)
        assert one.apex_ms == pytest.approx(float(speed[span.first : span.last + 1].min()))
        assert one.speed == ("slow" if one.apex_ms < 28 else "medium" if one.apex_ms < 40 else "fast")
        assert 0.85 < one.use <= 1.02 or one.speed == "fast"


def test_braking_ends_before_the_throttle_begins(lap: Lap, lap_case: LapCase, spans: list[CornerSpan]) -> None:
    for span in spans:
        one = read_corner(lap, span, lap_case.line.s)
        if one.brake_start_m is not None:
            assert one.brake_start_m + one.brake_length_m <= one.throttle_m + lap_case.line.ds[0] + 1e-6
        assert one.throttle_m <= one.full_m or one.full_m < 300  # the last corner's exit lies beyond the line


def test_brake_and_throttle_never_together(lap: Lap) -> None:
    assert not np.any((lap.column("brake") > 0) & (lap.column("throttle") > 0))
    assert lap.column("throttle").max() <= 1.0 and lap.column("brake").max() <= 1.0


def test_the_envelope_is_used_up_but_never_exceeded(lap_case: LapCase, sheet: Sheet) -> None:
    """Either axle, anywhere on the lap; two thousandths remain for forces taken midway between two stations."""
    for values in ({}, {"wing": 1}, {"brake_bias": 62.0}, {"bar_front": 1, "bar_rear": 9}, {"fuel": 62}):
        lap = solve_lap(lap_case, changed(sheet, **values))
        use = np.maximum(lap.column("front_utilisation"), lap.column("rear_utilisation"))
        assert 0.99 < use.max() < 1.002


def test_the_grid_is_the_mean_of_its_corners(lap: Lap, lap_case: LapCase, spans: list[CornerSpan]) -> None:
    results = [read_corner(lap, span, lap_case.line.s) for span in spans]
    grid = balance_grid(results)
    assert set(grid) == {(speed, phase) for speed in SPEEDS for phase in PHASES}
    slow = [result.balance[1] for result in results if result.speed == "slow" and result.balance[1] is not None]
    assert grid["slow", "mid"] == pytest.approx(np.mean(slow))
    only_fast = balance_grid([result for result in results if result.speed == "fast"])
    assert only_fast["slow", "mid"] is None and only_fast["fast", "mid"] is not None


def test_changes_of_balance_are_taken_corner_by_corner(lap: Lap, lap_case: LapCase, spans: list[CornerSpan]) -> None:
    results = [read_corner(lap, span, lap_case.line.s) for span in spans]
    assert all(change == 0 for change in balance_changes(results, results).values() if change is not None)
    moved = [replace(result, balance=(None, (result.balance[1] or 0.0) + 2.0, result.balance[2])) for result in results]
    renamed = [replace(result, speed="fast") for result in moved]  # every corner now counts as fast: still the same change
    changes = balance_changes(renamed, results)
    assert changes["fast", "mid"] == pytest.approx(2.0) and changes["fast", "exit"] == 0.0
    assert changes["fast", "entry"] is None and changes["slow", "mid"] is None


def test_the_four_tyres_share_the_load_and_the_outer_ones_work_hardest(lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet) -> None:
    tyres = {tyre.wheel: tyre for tyre in analyse(lap_case, spans, sheet).tyres}
    assert sum(tyre.load_share for tyre in tyres.values()) == pytest.approx(1.0)
    # more right-hand corners than left: the left side carries and heats
    assert tyres["fl"].work_kj > tyres["fr"].work_kj and tyres["rl"].temperature_c > tyres["rr"].temperature_c
    for tyre in tyres.values():
        assert tyre.hot_kpa > sheet.values[f"pressure_{tyre.wheel}"]


@pytest.mark.parametrize("wheel", ["fl", "fr", "rl", "rr"])
def test_a_higher_cold_pressure_is_a_higher_hot_one_at_that_wheel_only(
    lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet, wheel: str
) -> None:
    before = {tyre.wheel: tyre.hot_kpa for tyre in analyse(lap_case, spans, sheet).tyres}
    after = {
        tyre.wheel: tyre.hot_kpa
        for tyre in analyse(lap_case, spans, changed(sheet, **{f"pressure_{wheel}": sheet.values[f"pressure_{wheel}"] + 10})).tyres
    }
    for one, hot in after.items():
        assert (hot - before[one] > 9) == (one == wheel)
        assert one == wheel or abs(hot - before[one]) < 3


def test_pressure_has_an_optimum_between_low_and_high(lap_case: LapCase, sheet: Sheet) -> None:
    def lap_s(kpa: float) -> float:
        return solve_lap(lap_case, changed(sheet, pressure_rl=kpa)).time_s

    low, best, high = lap_s(110), min(lap_s(kpa) for kpa in range(116, 142, 4)), lap_s(170)
    assert best < low and best < high


def test_camber_has_an_optimum_and_costs_braking_beyond(lap_case: LapCase, sheet: Sheet) -> None:
    def lap_s(degrees: float) -> float:
        return solve_lap(lap_case, changed(sheet, camber_fl=degrees, camber_fr=degrees)).time_s

    assert lap_s(-5.0) > min(lap_s(-2.5), lap_s(-3.0), lap_s(-3.5)) < lap_s(0.0)
    upright, leaning = (solve_lap(lap_case, changed(sheet, camber_fl=c, camber_fr=c)) for c in (-1.0, -5.0))
    assert upright.column("accel").min() < leaning.column("accel").min()


def test_lower_is_more_downforce_and_rake_moves_it_forward(lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet) -> None:
    tall, low = (analyse(lap_case, spans, changed(sheet, ride_front=60 + d, ride_rear=68 + d)) for d in (8, -8))
    fastest = [max(corner.apex_ms for corner in result.corners) for result in (tall, low)]
    assert fastest[1] > fastest[0]
    flat, raked = (analyse(lap_case, spans, changed(sheet, ride_rear=value)) for value in (60, 80))
    before, after = flat.grid["fast", "mid"], raked.grid["fast", "mid"]
    assert before is not None and after is not None and after < before


def test_a_short_final_drive_ends_on_the_limiter_and_a_long_one_leaves_a_gear(
    lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet
) -> None:
    short = analyse(lap_case, spans, changed(sheet, final_drive=4.6))
    assert any("On the rev limit in the last gear" in text for text in short.warnings)
    long = analyse(lap_case, spans, changed(sheet, final_drive=3.2))
    assert any("Gear 6 is not used" in text for text in long.warnings)
    assert short.shifts[0].speed_ms < long.shifts[0].speed_ms


def test_a_nearly_empty_tank_is_warned_of(lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet) -> None:
    thirsty = lap_case.car.model_copy(update={"powertrain": lap_case.car.powertrain.model_copy(update={"fuel_g_per_kwh": 950.0})})
    found = analyse(replace(lap_case, car=thirsty), spans, changed(sheet, fuel=5.0))
    assert any("Fuel does not last one lap" in text for text in found.warnings)


def test_hot_pressures_far_off_are_warned_of_by_wheel_and_side(lap_case: LapCase, spans: list[CornerSpan], sheet: Sheet) -> None:
    texts = analyse(lap_case, spans, changed(sheet, pressure_fl=200.0, pressure_rr=110.0)).warnings
    assert any(text.startswith("Front left hot pressure is") and "above target" in text for text in texts)
    assert any(text.startswith("Rear right hot pressure is") and "below target" in text for text in texts)


def test_the_ideal_bias_follows_the_tyres(car: Car, sheet: Sheet) -> None:
    even, front = ideal_front_share(car, 10.0), ideal_front_share(car, 10.0, front_over_rear=1.1)
    assert front > even
    full, empty = (adjusted(car, changed(sheet, fuel=litres)) for litres in (62, 5))
    assert ideal_front_share(full, 10.0) < ideal_front_share(empty, 10.0)  # the tank sits behind the middle
