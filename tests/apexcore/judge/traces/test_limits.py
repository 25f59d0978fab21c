"""Driver against car, corner by corner, with cars whose grip and drivers whose share are known."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import corners
from apexcore.judge.calibration import CalibrationRun, calibrate
from apexcore.judge.laps import DrivenLap
from apexcore.judge.traces.corner import windows
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.limits import CornerUse, corner_uses, grip_floor
from apexcore.lap.driver import Driver
from apexcore.lap.solver import LapCase
from apexcore.vehicle.sheet import base_sheet
from tests.amounts import THOROUGH, many
from tests.conftest import demo_circuit, demo_lap_case

from .test_measured import PLACES, laps_of, on_road


def uses_of(case: LapCase, circuit: str, laps: list[RecordedLap]) -> list[CornerUse]:
    limit = on_road(case, circuit, laps_of(case, {}, count=1, driver=Driver()))[0]
    found = windows(case.line, corners(demo_circuit(circuit), case.line))
    return corner_uses(on_road(case, circuit, laps), limit, found, case.line.length_m)


@pytest.mark.parametrize("place", PLACES)
def test_the_share_of_the_car_that_a_driver_asks_for_is_read_in_every_corner(place: tuple[str, str]) -> None:
    case, _ = demo_lap_case(*place)
    for ability in (0.985, 0.92, 0.86):
        uses = uses_of(case, place[1], laps_of(case, {}, driver=Driver(ability, 0.9)))
        shares = [one.across.middle for one in uses if one.across is not None]
        assert len(shares) >= 4  # who is slower has less downforce too, so that a winged car's share lies below the driver's
        assert ability - 0.02 - 0.2 * (1.0 - ability) < float(np.median(shares)) < ability + 0.025
        assert grip_floor(uses) is None  # a car as entered has no more grip than entered
        assert not any(one.beyond for one in uses)
    assert sum(one.unasked for one in uses) > 0.5 * len(shares)  # 86 % is plain to see
    braking = [one.braking.middle for one in uses if one.braking is not None]
    if place[0] != "wisp_125":
        assert braking and 0.6 < float(np.median(braking)) < 1.0


def test_a_corner_that_the_model_takes_flat_tells_nothing_of_grip() -> None:
    case, _ = demo_lap_case(*PLACES[0])
    uses = uses_of(case, PLACES[0][1], laps_of(case, {}, driver=Driver(0.97, 0.9)))
    flat = [one for one in uses if one.across is None]
    assert all(one.limit_ms > 30.0 for one in flat) and len(flat) < len(uses)


@pytest.mark.thorough
def test_the_grip_that_a_car_has_at_least_is_never_more_than_it_has() -> None:
    rng = np.random.default_rng(5)
    told, above = 0, 0
    for k in range(many(9, 24)):
        place = PLACES[k % 3]
        case, _ = demo_lap_case(*place)
        grip, ability = float(rng.uniform(0.94, 1.14)), float(rng.uniform(0.88, 0.99))
        uses = uses_of(case, place[1], laps_of(case, {"grip": grip}, seed=k, driver=Driver(ability, float(rng.uniform(0.8, 0.97)))))
        floor = grip_floor(uses)
        if floor is not None:
            told += 1
            above += floor.value - 1.645 * floor.sd > grip
        else:
            assert grip * ability < 1.06  # where the driver plainly has more than the book, it is said
    assert told >= many(2, 5) and above == 0


@pytest.mark.thorough_only
def test_what_was_cornered_on_lifts_a_calibration_that_took_grip_for_a_driver() -> None:
    case, _ = demo_lap_case(*PLACES[0])
    laps = laps_of(case, {"grip": 1.10}, count=6, driver=Driver(0.97, 0.94))
    floor = grip_floor(uses_of(case, PLACES[0][1], laps))
    assert floor is not None and 1.0 < floor.value < 1.11
    run = CalibrationRun(replace(case, driver=Driver(0.97, 0.94)), base_sheet(case.car), 30.0, 0.0,
                         tuple(DrivenLap(lap.number, round(lap.time_s, 3)) for lap in laps))  # fmt: skip
    alone, helped = calibrate([run]), calibrate([run], floors=[("grip", floor.value, floor.sd)])
    assert abs(helped.scales["grip"] - 1.10) < abs(alone.scales["grip"] - 1.10)
    assert helped.spread["grip"] <= alone.spread["grip"]
    if THOROUGH:
        lower = calibrate([run], floors=[("grip", 0.9, 0.01)])
        assert lower.scales == alone.scales  # a floor below what the laps say says nothing
