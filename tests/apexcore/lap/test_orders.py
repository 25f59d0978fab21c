"""A driver who is told what to do: orders against the lap's own physics, savings against a grid, misses against what is missed."""

import itertools
import math
from dataclasses import replace
from functools import cache
from types import SimpleNamespace

import numpy as np
import pytest

from apexcore.circuit.conditions import GRAVITY, Conditions
from apexcore.circuit.line import CornerSpan, corners, racing_line
from apexcore.circuit.places import places
from apexcore.circuit.track import Circuit, Corner, Straight
from apexcore.errors import InputError
from apexcore.lap import kernel
from apexcore.lap.assembly import engine_drag_n
from apexcore.lap.misses import Miss, braked_sooner, misses, over_run_s
from apexcore.lap.orders import Order, inside
from apexcore.lap.record import BRAKING, COLUMNS, OPENING, ORDERS
from apexcore.lap.saving import AIMS, METRES, curve, least_cost, lifts, told_lifts, ways
from apexcore.lap.solver import COLUMN, Lap, LapCase, ready, run_at, solve_lap
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.weights import weights
from tests.amounts import many
from tests.apexcore.lap.test_proof import record
from tests.conftest import demo_car, demo_circuit, demo_lap_case

FOUR = Circuit(
    key="four", name="Four", layout="lap", width_m=11.0,
    segments=(
        Straight(length_m=320), Corner(angle_deg=110, radius_m=30, transition_m=15), Straight(length_m=260),
        Corner(angle_deg=60, radius_m=60, transition_m=20), Straight(length_m=300), Corner(angle_deg=100, radius_m=40, transition_m=15),
        Straight(length_m=240), Corner(angle_deg=90, radius_m=30, transition_m=12),
    ),
)  # fmt: skip


@cache
def four() -> tuple[LapCase, Sheet, Lap, tuple[CornerSpan, ...]]:
    car = demo_car("brackendale_gt")
    line, marl = racing_line(FOUR, car_width_m=car.width_m), car.tyres.compound("marl")
    case, sheet = LapCase(car, line, Conditions(), (marl, marl)), base_sheet(car)
    return case, sheet, solve_lap(case, sheet), tuple(corners(FOUR, line))


def told(*orders: Order) -> Lap:
    case, sheet, lap, _ = four()
    return run_at(replace(case, told=orders), ready(case, adjusted(case.car, sheet)), lap.tyres, case.line, lap.ripple)


def first_braking(lap: Lap) -> np.ndarray:
    """Stations of the braking for the first corner."""
    apex = four()[3][0].apex
    return np.flatnonzero(lap.column("brake")[:apex] > 0.1)


def test_without_orders_nothing_changes() -> None:
    assert told().time_s == pytest.approx(told(Order(0.0, 300.0)).time_s, abs=1e-12)


def test_softer_braking_begins_earlier_and_costs_time() -> None:
    case, _, _, spans = four()
    to = float(case.line.s[spans[0].apex])
    full, soft, softer = told(), told(Order(0.0, to, braking=0.6)), told(Order(0.0, to, braking=0.3))
    begins = [first_braking(lap)[0] for lap in (full, soft, softer)]
    assert begins[0] > begins[1] > begins[2]
    assert full.time_s < soft.time_s < softer.time_s
    assert soft.column("brake").max() == pytest.approx(full.column("brake").max(), rel=0.3)  # elsewhere it brakes as ever
    assert soft.column("brake")[first_braking(soft)].max() < 0.75 * full.column("brake")[first_braking(full)].max()


def test_a_lift_slows_the_car_by_drag_rolling_and_the_closed_engine(plain_car: Car) -> None:
    """On a straight, off the throttle: m a = drag + rolling + engine, station by station."""
    drive = plain_car.powertrain.model_copy(update={"engine_braking": 0.7})
    car = plain_car.model_copy(update={"powertrain": drive})
    c, n = record(car), 120
    rows, orders, out = places(np.zeros((n, 5))), np.zeros((n, ORDERS)), np.zeros((n, len(COLUMNS)))
    orders[:, BRAKING] = 1.0
    orders[:, OPENING] = 0.0
    assert kernel.solve(c, rows, rows, np.full(n, 1.0), False, 50.0, 90.0, orders, out) == -1
    for i in (0, 40, 100):
        expected = engine_drag_n(car, float(out[i, COLUMN["speed"]]), int(kernel.gear_at(c, out[i, COLUMN["speed"]])) + 1)
        assert -out[i, COLUMN["accel"]] * weights(car).mass_kg == pytest.approx(expected, rel=0.02)
    assert max(out[:, COLUMN["throttle"]].max(), out[:, COLUMN["brake"]].max()) < 1e-3
    assert out[0, COLUMN["speed"]] > out[-1, COLUMN["speed"]] > 40.0


def test_the_throttle_opens_no_further_than_told() -> None:
    case, _, _, spans = four()
    s = case.line.s
    begin, end = float(s[spans[0].last]), float(s[spans[0].last]) + 120.0
    lap = told(Order(begin, end, opening=0.5))
    there = inside(case.line, begin + 4.0, end - 4.0)
    full = told()
    assert lap.column("engine_w")[there].max() < 0.62 * full.column("engine_w")[there].max()
    assert lap.time_s > full.time_s + 0.1


def test_a_gear_is_held_and_the_limit_holds_the_car_back() -> None:
    case, _, _, spans = four()
    s = case.line.s
    begin, end = float(s[spans[0].apex]), float(s[spans[0].last]) + 60.0
    full = told()
    there = inside(case.line, begin, end)
    usual = int(full.column("gear")[there][0])
    lap = told(Order(begin, end, gear=usual))
    assert set(lap.column("gear")[there][8:-2]) == {float(usual)} and lap.time_s > full.time_s
    high = told(Order(begin, end, gear=6))
    assert set(high.column("gear")[there][8:-2]) == {6.0} and high.time_s > full.time_s


def test_a_speed_that_is_kept_to_is_never_passed_and_a_lift_rolls_before_the_brakes() -> None:
    case, _, _, spans = four()
    slow = told(Order(100.0, 200.0, most_ms=35.0))
    assert slow.column("speed")[inside(case.line, 102.0, 198.0)].max() <= 35.0 + 1e-9
    to = float(case.line.s[spans[0].apex])
    rolled = told(Order(0.0, to, coast_m=80.0))
    before = np.arange(first_braking(rolled)[0] - 30, first_braking(rolled)[0])
    assert rolled.column("throttle")[before].max() == 0.0 and (rolled.column("accel")[before] < 0.0).all()


def test_orders_that_mean_nothing_are_refused() -> None:
    for wrong in ({"braking": 1.2}, {"opening": -0.1}, {"gear": 0}, {"coast_m": -1.0}, {"most_ms": 0.1}):
        with pytest.raises(ValueError, match=r"from|m/s|0 m"):
            Order(0.0, 10.0, **wrong)


# saving


@pytest.mark.thorough
def test_the_least_cost_saving_is_that_of_an_exhaustive_grid() -> None:
    """Every combination of lifts before four corners, each lap solved together; no cheaper way to as much by half a per cent of time."""
    case, sheet, lap, spans = four()
    base = told()
    tried = []
    for metres in itertools.product(many((0.0, 60.0, 120.0), (0.0, 30.0, 60.0, 90.0, 120.0)), repeat=4):
        lifted = told(*told_lifts(case.line.s, spans, dict(zip((1, 2, 3, 4), metres, strict=True))))
        tried.append((base.fuel_l - lifted.fuel_l, lifted.time_s - base.time_s))
    for part in (0.15, 0.3, 0.5):
        wanted = part * max(saved for saved, _ in tried)
        way = least_cost(case, sheet, lap, spans, wanted)
        cheapest = min(cost for saved, cost in tried if saved >= wanted - 1e-9)
        real = told(*told_lifts(case.line.s, spans, way.metres))
        assert (base.fuel_l - real.fuel_l, real.time_s - base.time_s) == pytest.approx((way.saved, way.cost_s), abs=1e-9)
        assert way.saved >= wanted * 0.995 and way.cost_s <= 1.005 * cheapest


def test_a_curve_of_savings_rises_ever_steeper_and_holds_for_a_tyre_as_well() -> None:
    case, sheet, lap, spans = four()
    for aim in AIMS[:2]:
        found = lifts(case, sheet, lap, spans, aim)
        points = curve(found, 9)
        cost, saved = np.array([way.cost_s for way in points]), np.array([way.saved for way in points])
        assert saved[0] == cost[0] == 0.0 and (np.diff(saved) > 0).all()
        slope = np.diff(cost) / np.diff(saved)
        assert (np.diff(slope) > -1e-9 * slope.max()).all()
        assert points[-1].saved == pytest.approx(found.most, rel=1e-3) and max(points[-1].metres.values()) <= METRES[-1]
    (more,) = ways(lifts(case, sheet, lap, spans), [1e6])
    assert more.saved == pytest.approx(lifts(case, sheet, lap, spans).most, rel=1e-3)  # as far as lifting goes
    with pytest.raises(InputError, match="saving"):
        lifts(case, sheet, lap, spans, "paint")


# misses


def test_a_miss_costs_and_a_larger_one_costs_more() -> None:
    case, sheet, lap, spans = four()
    usual = misses(FOUR, case, sheet, lap, spans)
    twice = misses(FOUR, case, sheet, lap, spans, {"early": 10.0, "apex": 1.0, "throttle": 0.4})
    by = {(miss.corner, miss.kind): miss for miss in usual}
    for one, two in zip(usual, twice, strict=True):
        assert (one.corner, one.kind) == (two.corner, two.kind)
        if one.kind in ("early", "throttle"):
            assert one.cost_s is not None and two.cost_s is not None and 0.0 < one.cost_s < two.cost_s
    early = by[1, "early"]
    assert early.cost_s is not None
    # the way from its end on is driven at the corner's speed instead of under brakes: less than the metres at that speed
    least = float(lap.column("speed")[spans[0].first : spans[0].last].min())
    assert early.cost_s < early.size / least
    assert over_run_s(early, 20) == pytest.approx(20 * early.cost_s)
    assert by[1, "strip"].cost_s is None  # there is none to miss


def test_a_car_carried_off_the_road_says_by_how_much() -> None:
    case, sheet, lap, spans = four()
    late = [miss for miss in misses(FOUR, case, sheet, lap, spans, {"late": 15.0}) if miss.kind == "late"]
    assert any(miss.off_m > 0.5 for miss in late)
    assert all(miss.cost_s is None or miss.cost_s > 0.0 for miss in late)


def test_a_corner_that_is_taken_flat_has_no_braking_to_miss() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    lap = solve_lap(lap_case, sheet)
    found = misses(demo_circuit("sallowmere_fen"), lap_case, sheet, lap, spans)
    assert {miss.corner for miss in found if miss.kind == "early" and miss.cost_s is None} <= {4}
    assert any(miss.kind == "strip" and miss.cost_s is not None for miss in found)
    assert isinstance(found[0], Miss) and math.isfinite(sum(miss.cost_s or 0.0 for miss in found)) and GRAVITY > 9


def test_a_bump_is_not_crossed_with_steering_on() -> None:
    """Leaning on a share of the grip: on the flat the car turns with that share of its lateral acceleration, v = sqrt(share) v."""
    case, _, lap, spans = four()
    apex = float(case.line.s[spans[1].apex])
    eased = told(Order(apex - 20.0, apex + 20.0, leaning=0.6))
    there = inside(case.line, apex - 18.0, apex + 18.0)
    leaned = np.abs(eased.column("lateral"))[there].max() / np.abs(lap.column("lateral"))[there].max()
    assert leaned == pytest.approx(0.6, abs=0.03)
    at = spans[1].apex
    ratio = float(eased.column("speed")[at] / lap.column("speed")[at])
    assert ratio == pytest.approx(math.sqrt(0.6), abs=0.03)
    assert eased.time_s > lap.time_s + 0.3
    with pytest.raises(ValueError, match="leaning"):
        Order(0.0, 10.0, leaning=0.0)


def test_who_brakes_sooner_keeps_the_speed_of_the_end_until_its_place() -> None:
    s = np.arange(100) * 10.0
    speed = np.where(s < 400, 60.0, np.where(s < 600, 60.0 - 0.2 * (s - 400), 20.0 + 0.1 * (s - 600)))
    speed[60:70] = 15.0  # the corner itself goes on slowing
    line = SimpleNamespace(s=s, length_m=1000.0, ds=np.full(100, 10.0), closed=True)
    lap = SimpleNamespace(column=lambda name: speed)
    orders = braked_sooner(line, lap, 40, 58, 30.0)  # type: ignore[arg-type]
    told = {order.from_m: order.most_ms for order in orders}
    assert min(v for v in told.values() if v is not None) == speed[58] > 15.0
    assert told[450.0] == speed[48] and told[370.0] == speed[40]  # as the lap is thirty metres on
