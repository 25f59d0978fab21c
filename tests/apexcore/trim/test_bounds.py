"""What search, effects and advice recommend can be driven: held against measures written here, on random cars."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import CornerSpan
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.trim.moves.advice import HandlingReport, advise
from apexcore.trim.moves.class_search import class_search
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.moves.search import Limits, search
from apexcore.trim.reading.bounds import BOUNDS, broken_words, measured, past
from apexcore.trim.reading.ride import clearances
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet, is_drivable
from tests.amounts import many
from tests.conftest import demo_circuit, demo_lap_case

PLACES = [
    ("brackendale_gt", "sallowmere_fen"), ("pentlow_hare", "sallowmere_fen"), ("ferrow_lark", "quernlow"), ("wisp_125", "quernlow"),
    ("drummock_stallard", "hollin_bowl"),
]  # fmt: skip
BUMPS = {key: [(mark.at_m, mark.height_mm) for mark in demo_circuit(key).markers if mark.kind == "bump"] for _, key in PLACES}


def random_sheet(lap_case: LapCase, seed: int) -> Sheet:
    """A sheet with every item moved by some steps, that the car stands on."""
    rng = np.random.default_rng(seed)
    base = base_sheet(lap_case.car)
    while True:
        values = dict(base.values)
        for item in lap_case.car.items:
            if item.tunes_lap:
                values[item.key] = item.nearest_allowed(values[item.key] + item.step * int(rng.integers(-3, 4)))
        sheet = Sheet(base.car_key, values)
        if is_drivable(lap_case.car, sheet):
            return sheet


def told(lap: Lap, spans: tuple[CornerSpan, ...]) -> dict[str, float]:
    """The bounds' measures in other words: from loads and uses of the lap alone, place by place."""
    dt = lap.column("time")
    loads = {wheel: lap.column(f"load_{wheel}") for wheel in ("fl", "fr", "rl", "rr")}
    found = {"lift": sum(float(dt @ (load < 50.0)) for load in loads.values()) / float(dt.sum())}
    braked = lap.column("brake") > 0.5 * float(lap.column("brake").max())
    slowing = -lap.column("accel")
    hard = braked & (slowing > 0.9 * float(np.quantile(slowing[braked], 0.9))) if braked.any() else braked
    front, rear = lap.column("front_utilisation"), lap.column("rear_utilisation")
    found["rear ahead"] = float(np.mean(rear[hard] - front[hard])) if hard.any() else 0.0
    entries = []
    for span in spans:
        inside = np.arange(span.first, span.last + 1) % len(lap.data)
        apex = int(np.argmin(lap.column("speed")[inside]))
        before = inside[:apex]
        turning = before[np.abs(lap.column("lateral")[before]) > 0.3 * float(np.abs(lap.column("lateral")[inside]).max())]
        if len(turning) > 3:
            entries.append(float(np.average(rear[turning] - front[turning], weights=dt[turning])))
    found["entry"] = 100.0 * float(np.mean(entries)) if entries else 0.0
    return found


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(many(2, 20)))
def test_what_a_search_finds_can_be_driven(seed: int) -> None:
    place = PLACES[seed % len(PLACES)]
    lap_case, spans = demo_lap_case(*place)
    sheet, rng = random_sheet(lap_case, seed), np.random.default_rng(seed)
    free = [item for item in lap_case.car.items if item.tunes_lap]
    items = [free[int(k)] for k in rng.choice(len(free), size=many(4, 7), replace=False)]
    found = search(lap_case, spans, sheet, items, bumps=BUMPS[place[1]])
    assert found.after.excess <= 1e-6 and not found.after.past
    begin = solve_lap(lap_case, sheet)
    was, now, made = (
        told(solve_lap(lap_case, one, initial_guess=begin), tuple(spans)) for one in (sheet, found.sheet, base_sheet(lap_case.car))
    )
    assert now["lift"] <= 1.1 * max(was["lift"], made["lift"]) + 0.004
    assert now["rear ahead"] <= max(was["rear ahead"], made["rear ahead"], 0.0) + 0.05, (was, now)
    assert now["entry"] <= max(was["entry"], made["entry"]) + 4.0, (was, now)


def test_a_bound_that_holds_the_result_back_has_its_price() -> None:
    """A bias that may go as far as it likes gives away braking; the price is what a search without that bound finds more."""
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    items = [lap_case.car.item(key) for key in ("brake_bias", "bar_rear")]
    held = search(lap_case, spans, sheet, items)
    eased = search(lap_case, spans, sheet, items, limits=Limits(eased=frozenset(BOUNDS)))
    assert set(held.after.past) == set() and set(eased.after.past) >= {"bias"}
    prices = dict(held.prices)
    assert prices["bias"] == pytest.approx(held.after.cost_s - eased.after.cost_s, abs=2e-3) and prices["bias"] > 0.005
    car = adjusted(lap_case.car, held.sheet)
    assert measured(lap_case, car, solve_lap(lap_case, held.sheet), spans)["bias"] <= BOUNDS["bias"].most + 1e-3


def test_steps_and_advice_name_what_cannot_be_driven_or_leave_it_out() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    edge = Sheet(base.car_key, {**base.values, "brake_bias": 80.0})
    effects = {(one.item.key, one.steps): one for one in step_effects(lap_case, edge, [lap_case.car.item("brake_bias")], spans=spans)}
    begun = measured(lap_case, adjusted(lap_case.car, edge), solve_lap(lap_case, edge), spans)
    further = replace(edge, values={**edge.values, "brake_bias": 82.0})
    over = past(measured(lap_case, adjusted(lap_case.car, further), solve_lap(lap_case, further), spans), begun)
    assert set(over) == {"bias"} and broken_words(over) == ("the brakes stand too far forward",)
    assert not past(begun, begun) and not past(
        measured(lap_case, adjusted(lap_case.car, further), solve_lap(lap_case, further), spans), begun, {"bias"}
    )
    assert all(not one.past or one.is_clear for one in effects.values())
    report = HandlingReport("braking", "rear", "badly")
    items = [lap_case.car.item("brake_bias")]
    kept = advise(lap_case, spans, edge, report, items)
    free = advise(lap_case, spans, edge, report, items, eased=tuple(BOUNDS))
    assert len(free) >= len(kept) and all(one.moves[0][2] > 80.0 for one in free)
    for one in kept:
        moved = Sheet(edge.car_key, {**edge.values, one.moves[0][0].key: one.moves[0][2]})
        assert not past(measured(lap_case, adjusted(lap_case.car, moved), solve_lap(lap_case, moved), spans), begun)
    assert free and not kept  # braking that is badly loose on the way in asks for more than the pedal can use


def test_a_lower_car_is_worth_nothing_where_it_strikes() -> None:
    """Without its bound the lowest height wins; with a bump that the maker's car just clears there is no way down, and it says what that
    costs."""
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    car, lap = adjusted(lap_case.car, sheet), solve_lap(lap_case, sheet)
    high = next(mm for mm in range(90, 0, -1) if not any(low.touches for low in clearances(car, lap, lap_case.line, [(845.0, float(mm))])))
    bump = [(845.0, float(high))]
    items = [lap_case.car.item(key) for key in ("ride_front", "ride_rear")]
    held = search(lap_case, spans, sheet, items, bumps=bump)
    loose = search(lap_case, spans, sheet, items, limits=Limits(eased=frozenset({"floor"})), bumps=bump)
    assert not held.after.past and loose.after.past["floor"] > 0.5 and loose.after.cost_s < held.after.cost_s
    lowered = adjusted(lap_case.car, held.sheet)
    struck = max(low.struck_mm for low in clearances(lowered, solve_lap(lap_case, held.sheet), lap_case.line, bump))
    assert struck <= 0.31 and dict(held.prices)["floor"] == pytest.approx(held.after.cost_s - loose.after.cost_s, abs=2e-3)


def test_ballast_under_class_limits_keeps_the_car_drivable_where_a_legal_sheet_does() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    found = class_search(lap_case, sheet, ClassLimits(least_kg=1360), spans=spans)
    assert not found.best.undriven and found.best.stands.weight_kg >= 1360
    without = class_search(lap_case, sheet, ClassLimits(least_kg=1360))
    assert without.best.cost_s <= found.best.cost_s + 1e-6
