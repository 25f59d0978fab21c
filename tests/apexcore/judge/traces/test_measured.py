"""What traces say of the car, against cars whose truth is known."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.judge.calibration import CalibrationRun, calibrate, scaled
from apexcore.judge.laps import DrivenLap
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.cut import RecordedLap, cut
from apexcore.judge.traces.frame import base_of
from apexcore.judge.traces.measured import Scale, asked_of_tyres, burnt_l, shift_points, straight_scales
from apexcore.judge.traces.place import Placed, placed
from apexcore.lap.driver import Driver
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.vehicle.sheet import adjusted, base_sheet
from apexcore.virtual.recorder import Hand, Sensors, driven_course, recorded
from tests.conftest import demo_circuit, demo_lap_case

USUAL = Driver(0.97, 0.94)
PLACES = (("brackendale_gt", "sallowmere_fen"), ("ferrow_lark", "sallowmere_fen"), ("wisp_125", "quernlow"))


def laps_of(case: LapCase, scales: dict[str, float], count: int = 5, seed: int = 1, driver: Driver = USUAL) -> list[RecordedLap]:
    """Recorded laps of a car that is not as it was entered."""
    car = scaled(case.car, scales)
    pair = (car.tyres.compound(case.compounds[0].key), car.tyres.compound(case.compounds[1].key))
    true = replace(case, car=car, compounds=pair, driver=driver)
    lap = solve_lap(true, base_sheet(car))
    rng, found = np.random.default_rng(seed), []
    for number in range(1, count + 1):
        course = driven_course(case.line, lap, lap.time_s * (1.0 + 0.001 * rng.normal()), rng, Hand())
        t, columns = recorded(case.line, car, lap, course, 50.0, rng, Sensors(speed_kmh=0.3), fuel_l=30.0, beyond=1)
        whole = cut(cleaned(t, columns), (0.0, float(course.clock[-1]))).laps[0]
        found.append(RecordedLap(number, whole.t, whole.columns))
    return found


def on_road(case: LapCase, circuit: str, laps: list[RecordedLap]) -> list[Placed]:
    return placed(laps, base_of(case.line, demo_circuit(circuit).width_m), [None] * len(laps))


def measured(case: LapCase, circuit: str, laps: list[RecordedLap]) -> dict[str, Scale]:
    car = adjusted(case.car, base_sheet(case.car))
    fuel = [base_sheet(case.car).values.get("fuel", case.car.fuel_l)] * len(laps)
    return {one.name: one for one in straight_scales(on_road(case, circuit, laps), car, case.compounds, Conditions(), case.line, fuel)}


@pytest.mark.parametrize("place", PLACES[:2])
@pytest.mark.parametrize(("power", "drag"), [(1.0, 1.0), (0.96, 1.0), (1.0, 1.08), (1.03, 0.93)])
def test_power_and_drag_are_told_apart(place: tuple[str, str], power: float, drag: float) -> None:
    case, _ = demo_lap_case(*place)
    found = measured(case, place[1], laps_of(case, {"power": power, "drag": drag}))
    assert abs(found["power"].value - power) < 2.5 * found["power"].sd and found["power"].sd < 0.03
    assert abs(found["drag"].value - drag) < 2.5 * found["drag"].sd and found["drag"].sd < 0.08
    assert found["power"].laps == 5


def test_a_slow_driver_is_not_taken_for_a_weak_engine() -> None:
    case, _ = demo_lap_case(*PLACES[0])
    quick, slow = (measured(case, PLACES[0][1], laps_of(case, {}, driver=Driver(level, 0.9))) for level in (0.98, 0.86))
    assert abs(quick["power"].value - slow["power"].value) < 0.02
    line = case.line
    asked = [
        asked_of_tyres(on_road(case, PLACES[0][1], laps_of(case, {}, driver=Driver(level, 0.9))), line, [(20, 35)])[0]
        for level in (0.98, 0.86)
    ]
    assert asked[0].lateral_ms2 and asked[1].lateral_ms2 and asked[0].lateral_ms2.middle > 1.05 * asked[1].lateral_ms2.middle


def test_shift_points_and_fuel_are_read() -> None:
    case, _ = demo_lap_case(*PLACES[0])
    laps = laps_of(case, {})
    points = shift_points(on_road(case, PLACES[0][1], laps))
    assert len(points) >= 3 and all(
        0.7 * case.car.powertrain.limit_rpm < one.rpm.middle <= 1.02 * case.car.powertrain.limit_rpm for one in points
    )
    burnt = burnt_l(laps[0].columns)
    assert burnt == pytest.approx(solve_lap(case, base_sheet(case.car)).fuel_l, rel=0.1)
    assert burnt_l({}) is None and burnt_l({"fuel_l": np.full(10, 3.0)}) is None and burnt_l({"fuel_l": np.linspace(3, 9, 500)}) is None
    bare = [RecordedLap(1, lap.t, {key: lap.columns[key] for key in ("speed_kmh", "distance_m")}) for lap in laps]
    assert (
        straight_scales(on_road(case, PLACES[0][1], bare), case.car, case.compounds, Conditions(), case.line, [20.0] * 5) == []
        and shift_points(on_road(case, PLACES[0][1], bare)) == []
    )


@pytest.mark.thorough_only
def test_what_is_measured_parts_the_driver_from_the_car() -> None:
    case, _ = demo_lap_case(*PLACES[0])
    true = {"power": 0.95, "drag": 1.06}
    laps = laps_of(case, true, count=6, driver=Driver(0.95, 0.92))
    scales = list(measured(case, PLACES[0][1], laps).values())
    times = tuple(DrivenLap(lap.number, round(lap.time_s, 3)) for lap in laps)
    run = CalibrationRun(replace(case, driver=Driver(0.97, 0.94)), base_sheet(case.car), 30.0, 0.0, times)
    alone, helped = calibrate([run]), calibrate([run], measured=[(one.name, one.value, one.sd) for one in scales])
    for name in ("power", "drag"):
        assert abs(helped.scales[name] - true[name]) < abs(alone.scales[name] - true[name])
        assert abs(helped.scales[name] - true[name]) <= 1.3 * helped.spread[name] < alone.spread[name]
