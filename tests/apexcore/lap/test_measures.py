"""What the driver does with the car: throttle cap, coasting, early shifts, a wet surface."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.lap.driver import Driver
from apexcore.lap.solver import Lap, solve_lap
from apexcore.vehicle.sheet import base_sheet
from tests.conftest import demo_lap_case

EVENTS = [("brackendale_gt", "sallowmere_fen"), ("ferrow_lark", "quernlow"), ("wisp_125", "quernlow")]


def driven(car_key: str, circuit_key: str, driver: Driver | None = None, **conditions: float) -> Lap:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    lap_case = replace(lap_case, driver=driver or Driver(), conditions=Conditions(**conditions))
    return solve_lap(lap_case, base_sheet(lap_case.car))


@pytest.mark.parametrize(("car_key", "circuit_key"), EVENTS)
def test_coasting_costs_time_and_saves_fuel(car_key: str, circuit_key: str) -> None:
    laps = [driven(car_key, circuit_key, Driver(coast_m=metres)) for metres in (0.0, 20.0, 60.0)]
    assert laps[0].time_s < laps[1].time_s < laps[2].time_s
    assert laps[0].fuel_l > laps[1].fuel_l > laps[2].fuel_l


def test_the_car_rolls_for_as_long_as_asked_before_each_braking() -> None:
    plain, rolling = (driven("brackendale_gt", "sallowmere_fen", Driver(coast_m=metres)) for metres in (0.0, 40.0))
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")

    def rolled(lap: Lap) -> float:
        free = (lap.column("throttle") < 0.02) & (lap.column("brake") < 0.02)
        return float(lap_case.line.ds[free].sum())

    brakings = int((np.diff((plain.column("brake") > 0.3).astype(int)) > 0).sum())
    assert rolled(rolling) - rolled(plain) == pytest.approx(40.0 * brakings, rel=0.35)
    assert rolling.top_speed_ms < plain.top_speed_ms
    use = np.maximum(rolling.column("front_utilisation"), rolling.column("rear_utilisation"))
    assert use.max() < 1.05


@pytest.mark.parametrize(("car_key", "circuit_key"), EVENTS)
def test_a_throttle_cap_is_never_passed(car_key: str, circuit_key: str) -> None:
    full, capped = driven(car_key, circuit_key), driven(car_key, circuit_key, Driver(throttle=0.7))
    assert capped.time_s > full.time_s and capped.fuel_l < full.fuel_l
    assert capped.column("engine_w").max() < 0.75 * full.column("engine_w").max()


def test_early_shifts_keep_the_revs_down_but_not_the_top_speed() -> None:
    late, early = driven("brackendale_gt", "sallowmere_fen"), driven("brackendale_gt", "sallowmere_fen", Driver(shift_rpm=6200.0))
    assert early.time_s > late.time_s
    for gear in (2, 3, 4):
        there = early.column("gear") == gear
        assert early.column("speed")[there].max() < late.column("speed")[late.column("gear") == gear].max()
    assert early.top_speed_ms == pytest.approx(late.top_speed_ms, rel=0.03)


@pytest.mark.parametrize(("car_key", "circuit_key"), EVENTS)
def test_the_wet_takes_grip_and_hides_the_rubber(car_key: str, circuit_key: str) -> None:
    times = [driven(car_key, circuit_key, wet_pct=wet).time_s for wet in (0.0, 40.0, 100.0)]
    assert times[0] < times[1] < times[2]
    assert Conditions(wet_pct=100, rubber_pct=0).surface_grip == Conditions(wet_pct=100, rubber_pct=100).surface_grip == 1.0


@pytest.mark.parametrize(
    ("measure", "words"),
    [
        ({"throttle": 0.1}, "throttle"),
        ({"throttle": 1.2}, "throttle"),
        ({"coast_m": -1.0}, "coasts"),
        ({"shift_rpm": 200.0}, "gears"),
        ({"ability": 2.0}, "envelope"),
    ],
)
def test_impossible_measures_are_refused(measure: dict[str, float], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        Driver(**measure)
