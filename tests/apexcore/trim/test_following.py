"""Save behind another car, then spend: lifts that the tow hides against their laps, runs against stints by hand."""

from dataclasses import replace

import pytest

from apexcore.errors import InputError
from apexcore.lap.driver import LEVELS
from apexcore.lap.saving import told_lifts
from apexcore.lap.solver import LapCase, also_told, ready, run_at, solve_lap
from apexcore.lap.stint import Stint, solve_stint
from apexcore.trim.following import following, tow_at
from apexcore.vehicle.sheet import adjusted, base_sheet
from tests.amounts import many
from tests.conftest import demo_circuit, demo_lap_case

PLACES = [("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow"), ("drummock_stallard", "hollin_bowl")]


def case_of(place: tuple[str, str]) -> LapCase:
    return replace(demo_lap_case(*place)[0], driver=LEVELS["front runner"])


def test_the_tow_halves_in_twenty_metres_and_never_turns() -> None:
    assert tow_at(0.0) == 1.0 and tow_at(20.0) == pytest.approx(0.5) and tow_at(-3.0) == 1.0
    assert all(tow_at(gap) > tow_at(gap + 5.0) > 0.0 for gap in range(0, 200, 5))


@pytest.mark.thorough
@pytest.mark.parametrize("place", many(PLACES[1:2], PLACES))
def test_what_the_tow_hides_is_a_lap_no_slower_than_alone(place: tuple[str, str]) -> None:
    case, spans, circuit = case_of(place), demo_lap_case(*place)[1], demo_circuit(place[1])
    sheet = base_sheet(case.car)
    lap = solve_lap(case, sheet)
    near, far = (following(circuit, case, sheet, lap, spans, gap, 3) for gap in (8.0, 40.0))
    for found in (near, far):
        assert found.towed_s <= found.held_s <= found.alone_s + 1e-9 and found.hidden.saved >= 0.0
        # its laps by hand
        towed = replace(case, tow=found.tow)
        told = also_told(towed, told_lifts(case.line.s, spans, found.hidden.metres))
        by_hand = run_at(told, ready(towed, adjusted(case.car, sheet)), lap.tyres, case.line, lap.ripple)
        assert by_hand.time_s == pytest.approx(found.held_s, abs=1e-9)
        alone, behind, lifting = found.runs[:3]
        assert lifting.fuel_l < behind.fuel_l < alone.fuel_l  # less drag, then less throttle
        stint = solve_stint(case, sheet, min(case.car.tank_l, 4.4 * lap.fuel_l), 4)
        assert alone.last_s == pytest.approx(stint[2].lap.time_s, abs=1e-9) and alone.go_s == pytest.approx(stint[3].lap.time_s, abs=1e-9)
        assert sum(lifting.worn) < sum(alone.worn)
        assert len(found.runs) == (4 if circuit.lanes > 1 else 3)
    assert near.towed_s < far.towed_s and near.tow > far.tow
    with pytest.raises(InputError, match="laps"):
        following(circuit, case, sheet, lap, spans, 10.0, 1)


def test_a_car_that_only_loses_downforce_in_the_wake_hides_nothing() -> None:
    case, spans = case_of(PLACES[0]), demo_lap_case(*PLACES[0])[1]
    aero = case.car.aero.model_copy(update={"tow_drag": 0.0, "tow_lift_front": 0.6, "tow_lift_rear": 0.6})
    case = replace(case, car=case.car.model_copy(update={"aero": aero}))
    sheet = base_sheet(case.car)
    lap = solve_lap(case, sheet)
    found = following(demo_circuit(PLACES[0][1]), case, sheet, lap, spans, 5.0, 3)
    assert found.towed_s > found.alone_s and found.hidden.metres == {} and found.hidden.saved == 0.0


def test_tyres_in_a_wake_meet_slower_air_and_run_hotter() -> None:
    """The same laps with and without the wake's slower air at the tyres, all else alike: no downforce and no drag that it could move."""
    case = case_of(PLACES[1])
    aero = case.car.aero.model_copy(
        update={"drag_area_m2": 0.001, "lift_area_m2": 0.0, "tow_drag": 0.5, "tow_lift_front": 0.0, "tow_lift_rear": 0.0}
    )
    case = replace(case, car=case.car.model_copy(update={"aero": aero}))
    sheet = base_sheet(case.car)
    alone, behind = (solve_stint(replace(case, tow=tow), sheet, 4.0, 6)[-1].lap.tyres.temperature_c for tow in (0.0, 1.0))
    assert all(b > a + 0.3 for a, b in zip(alone, behind, strict=True))


def test_a_stint_goes_on_in_two_ways_from_one_place() -> None:
    case = case_of(PLACES[1])
    sheet = base_sheet(case.car)
    run = Stint(case, sheet, 4.0)
    first = [run.lap(case) for _ in range(3)]
    other = run.copy()
    here, there = run.lap(case), other.lap(replace(case, tow=0.5))
    assert here.fuel_l == there.fuel_l and here.lap.time_s != there.lap.time_s and run.fuel_l != other.fuel_l
    known = solve_stint(case, sheet, 4.0, 4)
    assert [lap.lap.time_s for lap in (*first, here)] == [lap.lap.time_s for lap in known]
