"""Advice: it finds what was put wrong, keeps to what is free, and tells its price."""

from dataclasses import replace

import pytest

from apexcore.errors import InputError
from apexcore.lap.solver import solve_lap
from apexcore.trim.moves.acts import acts_on
from apexcore.trim.moves.advice import HandlingReport, advise, advise_if_free, read, reported_balance
from apexcore.trim.moves.aims import AIMS, ranked
from apexcore.trim.moves.causes import allowed, grouped
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.reading.past import brakes_both_ends, locks_first, past_limits
from apexcore.vehicle.sheet import Sheet, base_sheet
from scripts.advice_trial import PLACES, said_wrong, trials
from tests.amounts import many
from tests.conftest import demo_car, demo_lap_case


@pytest.mark.thorough_only
def test_advice_finds_what_was_put_wrong() -> None:
    """One item or an axle's pair, on a racer's own sheet and a true car that the book does not know: 60 of them."""
    found = trials(range(24))
    assert len(found) >= 45
    assert sum(trial.named for trial in found) >= 0.8 * len(found)


@pytest.mark.thorough
def test_where_nothing_is_wrong_advice_says_so() -> None:
    cases = [(car, circuit, seed) for seed in range(many(1, 12)) for car, circuit in PLACES]
    assert sum(said_wrong(*case) for case in cases) <= many(1, 0.1 * len(cases))


def test_hot_pressures_far_off_are_read_first_and_both_tyres_go_back_as_far_as_they_are_off() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    hard = Sheet(
        base.car_key, {**base.values, "pressure_fl": base.values["pressure_fl"] + 60, "pressure_fr": base.values["pressure_fr"] + 60}
    )
    was, now = solve_lap(lap_case, base), solve_lap(lap_case, hard)
    first = advise(lap_case, spans, hard, HandlingReport("mid", "front"), lap_case.car.items)[0]
    assert {item.key for item, _, _ in first.moves} == {"pressure_fl", "pressure_fr"} and first.mends and "kPa above" in first.reason
    assert first.lap_s == pytest.approx(was.time_s - now.time_s, abs=0.15 * (now.time_s - was.time_s)) and first.next is None
    for item, _, value in first.moves:
        assert abs(value - base.values[item.key]) < 25.0


def test_a_change_that_no_reading_asks_for_is_small_and_says_what_one_step_more_does() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base, report = base_sheet(lap_case.car), HandlingReport("mid", "front", "badly")
    items = [lap_case.car.item(key) for key in ("bar_front", "bar_rear", "camber_fl", "camber_fr")]
    found = advise(lap_case, spans, base, report, items)
    begin = solve_lap(lap_case, base)
    before = reported_balance(read(begin, spans), report)
    assert found and before is not None
    for one in found:
        assert one.reason or all(1 <= abs(steps) <= 3 for _, steps, _ in one.moves)
        assert one.next is not None
        further: Sheet | None = base
        for item, steps, _ in one.moves:
            further = further.stepped(item, steps + (1 if steps > 0 else -1)) if further is not None else None
        assert further is not None
        lap = solve_lap(lap_case, further, initial_guess=begin)
        after = reported_balance(read(lap, spans), report)
        assert after is not None and before - after == pytest.approx(one.change + one.next[0], abs=0.05)
        assert lap.time_s - begin.time_s == pytest.approx(one.lap_s + one.next[1], abs=2e-3)
    keys = [frozenset(item.key for item, _, _ in one.moves) for one in found]
    assert frozenset({"camber_fl", "camber_fr"}) in keys or not any("camber_fl" in one for one in keys)


def test_what_is_moved_at_once() -> None:
    items = demo_car("brackendale_gt").items
    groups = [{item.key for item in group} for group in grouped([item for item in items if item.tunes_lap])]
    assert {"pressure_fl", "pressure_fr"} in groups and {"camber_rl", "camber_rr"} in groups and {"wing"} in groups
    assert {"pressure_fl", "pressure_fr", "pressure_rl", "pressure_rr"} in groups and {"pressure_fr", "pressure_rl"} not in groups
    base = base_sheet(demo_car("brackendale_gt"))
    item = demo_car("brackendale_gt").item("wing")
    assert allowed(item, base, 99) == round((item.high - base.values["wing"]) / item.step)
    assert allowed(item, base, -99) == -round((base.values["wing"] - item.low) / item.step) and allowed(item, base, 1) == 1


@pytest.mark.parametrize(("slides", "sign"), [("front", -1), ("rear", 1)])
@pytest.mark.thorough
@pytest.mark.parametrize("phase", ["mid", "braking", "entry", "exit"][:: many(4, 1)])
def test_every_change_moves_the_felt_balance_the_right_way(phase: str, slides: str, sign: int) -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    report = HandlingReport(phase, slides, "a little")  # type: ignore[arg-type]
    before = reported_balance(read(solve_lap(lap_case, base), spans), report)
    found = advise(lap_case, spans, base, report, lap_case.car.items)
    assert found and before is not None
    for candidate in found[:3]:
        values = {**base.values, **{item.key: value for item, _, value in candidate.moves}}
        after = reported_balance(read(solve_lap(lap_case, Sheet(base.car_key, values)), spans), report)
        assert after is not None
        assert sign * (after - before) == pytest.approx(candidate.change, abs=0.1)
        assert candidate.change > 0


def test_locked_items_and_limits_are_respected() -> None:
    lap_case, spans = demo_lap_case("pentlow_hare", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    found = advise(lap_case, spans, base, HandlingReport("mid", "front", "badly"), lap_case.car.items)
    for one in found:
        for item, steps, value in one.moves:
            assert not item.locked and not item.damper_only
            assert item.low - 1e-9 <= value <= item.high + 1e-9 and steps != 0
    only = advise(lap_case, spans, base, HandlingReport("mid", "front"), [lap_case.car.item("bar_front")])
    assert [item.key for candidate in only for item, _, _ in candidate.moves] == ["bar_front"]


@pytest.mark.thorough_only
def test_the_bars_are_what_a_mid_corner_feeling_asks_for_first() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    first = advise(lap_case, spans, base_sheet(lap_case.car), HandlingReport("mid", "front"), lap_case.car.items)[0]
    # the differential's preload is what else holds a nose straight without drive or brakes
    assert {"bar_front", "bar_rear"} & {item.key for item, _, _ in first.moves}
    assert {item.key for item, _, _ in first.moves} <= {"bar_front", "bar_rear", "diff_preload"}
    brake = advise(lap_case, spans, base_sheet(lap_case.car), HandlingReport("braking", "rear", "a little"), lap_case.car.items)[:4]
    assert {candidate.moves[0][0].key: candidate.moves[0][1] for candidate in brake if len(candidate.moves) == 1}["brake_bias"] == 1


def test_a_corner_without_that_phase_is_named() -> None:
    lap_case, spans = demo_lap_case("drummock_stallard", "hollin_bowl")
    with pytest.raises(InputError, match="slow"):
        advise(lap_case, spans, base_sheet(lap_case.car), HandlingReport("mid", "front", speed="slow"), lap_case.car.items)


def test_the_table_stands_in_the_order_that_was_asked_for() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    items = [lap_case.car.item(key) for key in ("bar_front", "wing", "toe_rear", "bump_slow_front")]
    effects = step_effects(lap_case, base_sheet(lap_case.car), items, spans=spans)
    for key, aim in AIMS.items():
        rows = ranked(effects, key)
        assert rows[-1].item.damper_only
        scores = [aim.score(row) for row in rows if not row.item.damper_only]
        assert scores == sorted(scores) or key == "lap"  # which has an order of its own
    assert ranked(effects, "calm-mid")[0].item.key == "wing" and ranked(effects, "calm-mid")[0].steps == 1
    worn = ranked(effects, "spare-rl")[0]
    assert worn.work[2] == min(effect.work[2] for effect in effects)


@pytest.mark.parametrize(
    ("sets", "phases"),
    [
        ("brakes.front_share", ("braking", "entry")), ("powertrain.differential.coast", ("braking", "entry")),
        ("powertrain.differential.power", ("exit",)), ("fuel_l", ()), ("ballast.1.kg", ()), ("powertrain.final_drive", ()),
        ("front.bar_n_per_mm", ("braking", "entry", "mid", "exit")),
    ],
)  # fmt: skip
def test_an_item_is_offered_where_it_acts(sets: str, phases: tuple[str, ...]) -> None:
    items = [item for key in ("brackendale_gt", "wisp_125") for item in demo_car(key).items]
    one = items[0].model_copy(update={"sets": sets})
    assert acts_on(one) == phases


@pytest.mark.parametrize(("phase", "slides"), [("exit", "rear"), ("mid", "front"), ("mid", "rear"), ("exit", "front")])
@pytest.mark.thorough_only
def test_no_balance_is_bought_with_brakes_fuel_or_ballast_away_from_the_brakes(phase: str, slides: str) -> None:
    for car, circuit in (("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow")):
        lap_case, spans = demo_lap_case(car, circuit)
        report = HandlingReport(phase, slides, "badly")  # type: ignore[arg-type]
        for candidate in advise(lap_case, spans, base_sheet(lap_case.car), report, lap_case.car.items):
            assert not any(item.sets.startswith(("brakes", "fuel", "ballast", "mass.driver")) for item, _, _ in candidate.moves)
            assert candidate.change > candidate.change_spread


def test_what_goes_past_a_limit_says_so_and_comes_last() -> None:
    """A bias set badly forward is asked for more front braking only at the price of a front that locks."""
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    found = advise(lap_case, spans, base, HandlingReport("braking", "rear", "badly"), lap_case.car.items)
    marked = [bool(candidate.past) for candidate in found]
    assert marked == sorted(marked)
    moved = {item.key: value for candidate in found if candidate.past for item, _, value in candidate.moves}
    if "brake_bias" in moved:
        assert any("front locks first" in words for candidate in found for words in candidate.past)


def test_where_nothing_helps_that_is_free_what_would_is_said() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    items = tuple(item.model_copy(update={"locked": item.key != "fuel"}) for item in lap_case.car.items)
    spec = replace(lap_case, car=lap_case.car.model_copy(update={"items": items}))
    base, report = base_sheet(spec.car), HandlingReport("mid", "front")
    assert advise(spec, spans, base, report, items) == []
    free = advise_if_free(spec, spans, base, report, items)
    assert free and all(item.key != "fuel" for candidate in free for item, _, _ in candidate.moves)


def test_a_lap_past_its_limits_says_which() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    car = lap_case.car
    base = solve_lap(lap_case, base_sheet(car))
    assert "lock front" not in past_limits(lap_case, car, base)
    forward = car.model_copy(update={"brakes": car.brakes.model_copy(update={"front_share": 0.9})})
    assert past_limits(lap_case, forward, base)["lock front"].startswith("the front locks first")
    rear_only = car.model_copy(update={"brakes": car.brakes.model_copy(update={"front_share": 0.0})})
    assert locks_first(rear_only, base) == "" and not brakes_both_ends(rear_only)
    cold = car.tyres.compounds[0].model_copy(update={"temperature_opt_c": 30.0, "temperature_width_c": 10.0})
    hot = replace(base, tyres=replace(base.tyres, compounds=(cold, cold)))
    assert sum(name.startswith("hot") for name in past_limits(lap_case, car, hot)) == 4
