"""Flat, lift or brake: what flat needs against drivers who have it or not, scrub against the laps' own work, part throttle by hand."""

import math
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import corners, racing_line
from apexcore.lap.driver import LEVELS
from apexcore.lap.orders import Order
from apexcore.lap.solver import LapCase, also_told, run_at, solve_lap
from apexcore.trim.corner import CornerDesk, Told
from apexcore.trim.ways import driven, flat_grip, part_throttle, scrub, ways
from apexcore.vehicle.quick import quick_car
from apexcore.vehicle.sheet import adjusted, base_sheet
from apexcore.vehicle.weights import weights
from tests.amounts import many
from tests.apexcore.circuit.test_averaged import random_circuit
from tests.apexcore.vehicle.test_quick import KART
from tests.conftest import demo_circuit, demo_lap_case


def slow_kart(power_kw: float = 7.0, mass_kg: float = 250.0) -> LapCase:
    """A heavy kart of little power on the kart circuit."""
    car, _ = quick_car(replace(KART, power_kw=power_kw, mass_kg=mass_kg, top_kmh=95), "slow")
    circuit = demo_circuit("quernlow")
    line = racing_line(circuit, car_width_m=car.width_m)
    return LapCase(car, line, Conditions(), (car.tyres.compounds[0],) * 2, driver=LEVELS["solid midfielder"])


def desks(case: LapCase, circuit_key: str) -> list[CornerDesk]:
    circuit, sheet = demo_circuit(circuit_key), base_sheet(case.car)
    spans, lap = corners(circuit, case.line), solve_lap(case, sheet)
    return [CornerDesk(case, sheet, lap, spans, span.number, 0.5 * circuit.width_m) for span in spans]


def test_flat_needs_the_grip_at_which_an_axle_is_used_as_far_as_the_driver_goes() -> None:
    """The share is found with other grip under the line; where a lap is just flat, an axle uses all that the driver does."""
    seen = set()
    for desk in desks(slow_kart(), "quernlow"):
        needed, used = flat_grip(desk), desk.lap_case.driver.ability
        seen.add(desk.technique().way)
        if needed is None or needed > 1.2:
            continue
        # on as much more or less grip as it says here the lap is just flat: it uses all that the driver uses
        grip = np.ones(desk.n)
        grip[desk.stations(desk.begin, desk.until)] = needed / used
        lap = desk.lap_on(replace(desk.lap_case.line, grip=grip))
        there = desk.stations(desk.begin, int(desk.inside[-1]))
        use = max(float(lap.column(f"{axle}_utilisation")[there].max()) for axle in ("front", "rear"))
        assert use == pytest.approx(used, abs=0.02), desk.span.number
    assert {"flat", "lift"} <= seen  # the slow kart has both


def test_more_power_or_less_grip_needs_more_for_flat_and_a_flat_corner_stays_so() -> None:
    def needs(case: LapCase) -> list[float]:
        return [flat_grip(desk) or math.inf for desk in desks(case, "quernlow")]

    slow, quick = needs(slow_kart()), needs(slow_kart(11.0))
    assert all(a <= b + 0.004 for a, b in zip(slow, quick, strict=True)) and min(slow) < 0.9
    for desk in desks(slow_kart(), "quernlow"):
        found = ways(desk)
        assert (found.driven.way == "flat") == (found.driven.flat_grip is not None and found.driven.flat_grip <= found.driven.used_grip)
        assert (found.lift is None) == (found.driven.way == "lift")
        if found.driven.way == "flat":
            assert found.lift is not None and found.lift.told.lift_m and found.lift.here_s > 0.0
            assert found.part.here_s >= 0.0  # what is never opened further cannot help a corner that is flat without margin


def test_a_gear_change_is_no_lift() -> None:
    """Long Acre is flat with a change of gear in it; a driver who closes the throttle for longer lifts."""
    case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    desk = desks(replace(case, driver=LEVELS["solid midfielder"]), "sallowmere_fen")[3]
    gears = desk.lap.column("gear")[desk.inside]
    assert len(set(gears)) > 1 and float(desk.lap.column("throttle")[desk.inside].min()) < 0.5
    assert desk.technique().way == "flat" and not len(desk.lifted(desk.lap, desk.inside))
    at = float(desk.s[desk.inside[10]])
    told = also_told(desk.lap_case, [Order(at, at + 60.0, opening=0.0)])
    lap = run_at(told, desk.ready, desk.lap.tyres, told.line, desk.lap.ripple)
    assert CornerDesk(told, desk.sheet, lap, desk.spans, 4, desk.half_m).technique().way == "lift"
    # shorter than a change of gear, where no gear is changed
    steady = next(k for k in range(6, len(gears) - 6) if len(set(gears[k - 6 : k + 6])) == 1)
    at = float(desk.s[desk.inside[steady]])
    told = also_told(desk.lap_case, [Order(at, at + 5.0, opening=0.0)])
    lap = run_at(told, desk.ready, desk.lap.tyres, told.line, desk.lap.ripple)
    assert CornerDesk(told, desk.sheet, lap, desk.spans, 4, desk.half_m).technique().way == "lift"


@pytest.mark.parametrize("place", [("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow"), ("drummock_stallard", "hollin_bowl")])
def test_scrub_is_the_sliding_of_the_corner_and_grows_with_what_is_used(place: tuple[str, str]) -> None:
    case, _ = demo_lap_case(*place)
    there, lap = desks(case, place[1]), None
    for desk in there:
        lap, found = desk.lap, scrub(desk, desk.lap)
        free = [k for k in desk.inside if lap.column("brake")[k] <= 0.02]
        by_hand = sum(lap.column(f"slide_{wheel}")[k] * lap.column("time")[k] for wheel in ("fl", "fr", "rl", "rr") for k in free)
        assert found.work_j == pytest.approx(by_hand, rel=1e-12) and found.work_j > 0.0
        end, mass = float(lap.column("speed")[desk.inside[-1]]), weights(adjusted(case.car, desk.sheet)).mass_kg
        assert 0.5 * mass * ((end + found.lost_ms) ** 2 - end**2) == pytest.approx(found.work_j, rel=1e-9)
    assert lap is not None and sum(scrub(desk, lap).work_j for desk in there) < sum(lap.slip_energy_j)
    gentle = desks(replace(case, driver=LEVELS["newcomer"]), place[1])
    assert sum(scrub(desk, desk.lap).work_j for desk in gentle) < sum(scrub(desk, desk.lap).work_j for desk in there)


def test_part_throttle_is_the_best_of_what_is_tried_and_drives_as_told() -> None:
    for desk in desks(slow_kart(), "quernlow")[:3]:
        best = part_throttle(desk)
        share = best.told.through
        assert share is not None
        assert all(best.here_s <= desk.choice(Told(through=other)).here_s + 1e-12 for other in (0.9, 0.7, 0.5, 0.3, share - 0.05))
        lap = desk.lap_by(best.told)
        inside = desk.stations(desk.turned_in(), int(desk.inside[-2]))
        assert float(lap.column("throttle")[inside].max()) <= share + 0.02


@pytest.mark.thorough
def test_random_cars_on_random_circuits_have_ways_that_agree_with_themselves() -> None:
    rng = np.random.default_rng(29)
    for seed in range(many(1, 25)):
        circuit = random_circuit(4000 + seed)
        car, _ = quick_car(replace(KART, power_kw=float(rng.uniform(4, 30)), mass_kg=float(rng.uniform(140, 320))), "any")
        line = racing_line(circuit, car_width_m=car.width_m)
        case = LapCase(car, line, Conditions(), (car.tyres.compounds[0],) * 2, driver=LEVELS["newcomer"])
        sheet, spans = base_sheet(car), corners(circuit, line)
        lap = solve_lap(case, sheet)
        for span in spans:
            found = driven(CornerDesk(case, sheet, lap, spans, span.number, 0.5 * circuit.width_m))
            assert found.scrub.work_j >= 0.0 and found.scrub.lost_ms >= 0.0
            assert (found.way == "flat") == (found.flat_grip is not None and found.flat_grip <= found.used_grip + 1e-9)
