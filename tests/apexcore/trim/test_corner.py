"""A corner to decide on: its technique against a lap read by hand, its choices against whole laps with the same orders."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import corners, racing_line
from apexcore.errors import InputError
from apexcore.lap.driver import LEVELS
from apexcore.lap.orders import Order
from apexcore.lap.solver import LapCase, also_told, ready, run_at, solve_lap
from apexcore.trim.corner import CornerDesk, Told, summary
from apexcore.trim.reading.balance import corner_balances
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from tests.conftest import demo_circuit, demo_lap_case

PLACES = [("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow"), ("drummock_stallard", "hollin_bowl")]


def desk(car_key: str, circuit_key: str, number: int, case: LapCase | None = None, sheet: Sheet | None = None) -> CornerDesk:
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    lap_case, sheet = case or lap_case, sheet or base_sheet(lap_case.car)
    return CornerDesk(lap_case, sheet, solve_lap(lap_case, sheet), spans, number, 0.5 * demo_circuit(circuit_key).width_m)


@pytest.mark.parametrize("place", PLACES)
def test_a_choice_is_the_lap_with_that_order_and_no_other(place: tuple[str, str]) -> None:
    one = desk(*place, 1)
    lap_case, lap = one.lap_case, one.lap
    s = lap_case.line.s
    before, apex, last = float(s[one.begin]), float(s[one.apex]), float(s[one.span.last % len(s)])
    for told, order in (
        (Told(braking=0.8), Order(before, apex, braking=0.8)),
        (Told(coast_m=25.0), Order(before, apex, coast_m=25.0)),
        (Told(opening=0.7), Order(apex, last, opening=0.7)),
    ):
        prepared = ready(lap_case, adjusted(lap_case.car, base_sheet(lap_case.car)))
        usual, other = (run_at(case, prepared, lap.tyres, lap_case.line, lap.ripple) for case in (lap_case, also_told(lap_case, [order])))
        found = one.choice(told)
        assert found.lap_s == pytest.approx(other.time_s - usual.time_s, abs=1e-12) and not found.problem
        assert found.fuel_l == pytest.approx(other.fuel_l - usual.fuel_l, abs=1e-12)
        # what is driven otherwise here is over where the next corner is braked for
        assert found.here_s == pytest.approx(found.lap_s, abs=0.02 + 0.3 * abs(found.lap_s))
    nothing = one.choice(Told())
    assert (nothing.here_s, nothing.lap_s, nothing.work, nothing.fuel_l) == (0.0, 0.0, (0.0,) * 4, 0.0)


def test_before_the_brakes_a_corner_alone_tells_as_much_as_the_lap() -> None:
    """Lifting or braking softer ends at the corner's own slowest place: within three milliseconds of the whole lap, in every corner."""
    for number in range(1, 9):
        one = desk("wisp_125", "quernlow", number)
        for told in (Told(braking=0.85), Told(coast_m=15.0)):
            found = one.choice(told)
            assert found.here_s == pytest.approx(found.lap_s, abs=3e-3) and found.lap_s > -1e-6


def test_braking_softer_costs_more_the_softer_it_is() -> None:
    one = desk("brackendale_gt", "sallowmere_fen", 3)
    costs = [one.choice(Told(braking=share)).lap_s for share in (1.0, 0.95, 0.9, 0.8, 0.6, 0.3, 0.0)]
    assert costs[0] == pytest.approx(0.0, abs=1e-9) and (np.diff(costs) > 0.0).all()


@pytest.mark.parametrize("place", PLACES)
def test_the_technique_is_what_the_lap_does(place: tuple[str, str]) -> None:
    one = desk(*place, 1)
    lap, found = one.lap, one.technique()
    assert found.way == "brake" and found.brake_share == pytest.approx(lap.column("brake")[: one.apex + 1].max(), abs=0.2)
    assert found.entry_ms > found.read.apex_ms < found.exit_ms
    assert found.turn_in_m < found.apex_m <= found.read.full_m
    assert 0.0 < found.inside_m < one.half_m * 2.0
    use = {end: lap.column(f"{end}_utilisation") for end in ("front", "rear")}
    middle = next(phase for phase in found.phases if phase.words == "mid")
    assert middle.left_pct == pytest.approx(100.0 * (1.0 - use[middle.axle][one.apex]), abs=0.1)
    assert middle.left_pct <= middle.other_pct
    assert f"{3.6 * found.read.apex_ms:.0f} km/h" in summary(found) and summary(found).startswith("Brake at")


def test_a_driver_who_keeps_some_back_is_at_the_limit_that_he_uses() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    careful = desk("brackendale_gt", "sallowmere_fen", 3, replace(lap_case, driver=LEVELS["newcomer"]))
    entry = next(phase for phase in careful.technique().phases if phase.words == "mid")
    assert entry.pinned and entry.kept_pct == pytest.approx(10.0) and 9.0 < entry.left_pct < 10.6


def test_a_weak_engine_leaves_less_to_brake_for() -> None:
    lap_case, spans = demo_lap_case("wisp_125", "quernlow")
    slow = replace(
        lap_case, car=lap_case.car.model_copy(update={"powertrain": lap_case.car.powertrain.model_copy(update={"restrictor": 0.25})})
    )
    sheet = base_sheet(slow.car)
    lap = solve_lap(slow, sheet)
    ways = [CornerDesk(slow, sheet, lap, spans, span.number, 4.0).technique().way for span in spans]
    full = [CornerDesk(lap_case, sheet, solve_lap(lap_case, sheet), spans, span.number, 4.0).technique().way for span in spans]
    assert full.count("brake") > ways.count("brake")


def test_a_heavy_and_a_light_kart_differ_where_their_laps_do() -> None:
    light_case, spans = demo_lap_case("wisp_125", "quernlow")
    heavy_car = light_case.car.model_copy(update={"mass": light_case.car.mass.model_copy(update={"driver_kg": 105.0})})
    sheet = base_sheet(light_case.car)
    differ = 0
    for span in spans:
        found = []
        for case in (light_case, replace(light_case, car=heavy_car)):
            moved = Sheet(sheet.car_key, {**sheet.values, "driver": 105.0 if case.car is heavy_car else 60.0})
            lap = solve_lap(case, moved)
            one = CornerDesk(case, moved, lap, spans, span.number, 4.0)
            lift = one.choice(Told(braking=0.0))
            prepared = ready(case, adjusted(case.car, moved))
            s = case.line.s
            by_hand = run_at(
                also_told(case, [Order(float(s[one.begin]), float(s[one.apex]), braking=0.0)]), prepared, lap.tyres, case.line, lap.ripple
            )
            assert lift.lap_s == pytest.approx(by_hand.time_s - one.lap.time_s, abs=1e-12)
            found.append((one.technique().way, lift.lap_s))
        differ += abs(found[0][1] - found[1][1]) > 1e-3
    assert differ >= 6


def test_what_cannot_be_is_said() -> None:
    one = desk("brackendale_gt", "sallowmere_fen", 1)
    assert "gears 1 to" in one.choice(Told(gear=9)).problem
    assert Told().empty and not Told(gear=2).empty and Told(braking=0.0, gear=2).words == "lift, do not brake, hold gear 2"
    with pytest.raises(InputError, match="1 to 9"):
        desk("brackendale_gt", "sallowmere_fen", 10)


@pytest.mark.parametrize("place", PLACES)
def test_usual_choices_stand_quickest_first_and_differ_from_the_lap(place: tuple[str, str]) -> None:
    found = desk(*place, 1).usual_choices()
    assert [one.lap_s for one in found] == sorted(one.lap_s for one in found)
    assert len(found) >= 5 and all(abs(one.lap_s) > 5e-4 or abs(one.end_ms) > 0.01 for one in found)
    assert any(one.told.braking == 0.0 for one in found)


def test_an_open_course_has_corners_with_ends() -> None:
    """The first and the last corner of a course that is no lap: nothing is counted over the start."""
    circuit = demo_circuit("sallowmere_fen").model_copy(update={"closed": False})
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    case = replace(lap_case, line=racing_line(circuit, car_width_m=lap_case.car.width_m))
    spans, sheet = corners(circuit, case.line), base_sheet(case.car)
    lap = solve_lap(case, sheet)
    for number in (spans[0].number, spans[-1].number):
        one = CornerDesk(case, sheet, lap, spans, number, 6.0)
        assert 0 <= one.begin < one.until <= len(lap.data) - 1
        assert one.choice(Told(braking=0.7)).lap_s > 0.0 or one.technique().way != "brake"


def test_no_gear_beside_the_laps_own_is_quicker_through_a_corner() -> None:
    """Each corner is left in the quicker gear: holding one higher or lower through it gains nothing."""
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    lap = solve_lap(lap_case, sheet)
    for span in spans:
        one = CornerDesk(lap_case, sheet, lap, spans, span.number, 6.0)
        gear = one.technique().read.gear
        for other in (gear - 1, gear + 1):
            if 1 <= other <= len(lap_case.car.powertrain.gears):
                assert one.choice(Told(gear=other)).lap_s > -2e-3, (span.number, other)


def test_a_phase_has_the_balance_of_the_sheet_bench_and_its_hardest_moment_beside_it() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap = solve_lap(lap_case, base_sheet(lap_case.car))
    known = {corner.number: corner.balance for corner in corner_balances(lap, spans)}
    for span in spans:
        desk = CornerDesk(lap_case, base_sheet(lap_case.car), lap, spans, span.number, 5.0)
        for phase in desk.technique().phases:
            place = ("entry", "mid", "exit").index(phase.words)
            assert phase.balance_pct == pytest.approx(known[span.number][place], abs=1e-9)
            assert 0.0 <= phase.at_m < 300.0 and (phase.at_m > 0.0 or phase.words != "exit")
