"""Advice: it finds what was put wrong, keeps to what is free, and tells its price."""

import pytest

from apexcore.errors import InputError
from apexcore.lap.solver import solve_lap
from apexcore.trim.moves.advice import HandlingReport, advise, read, reported_balance
from apexcore.trim.moves.aims import AIMS, ranked
from apexcore.trim.moves.effects import step_effects
from apexcore.vehicle.sheet import Sheet, base_sheet
from scripts.advice_trial import trials
from tests.conftest import demo_lap_case


@pytest.mark.slow
def test_advice_finds_what_was_put_wrong_or_as_good_a_change() -> None:
    found = trials(range(6))
    assert len(found) >= 10
    assert sum(trial.named or trial.equal for trial in found) >= 0.8 * len(found)


@pytest.mark.parametrize(("slides", "sign"), [("front", -1), ("rear", 1)])
@pytest.mark.parametrize("phase", ["braking", "entry", "mid", "exit"])
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


@pytest.mark.slow
def test_the_bars_are_what_a_mid_corner_feeling_asks_for_first() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    first = advise(lap_case, spans, base_sheet(lap_case.car), HandlingReport("mid", "front"), lap_case.car.items)[0]
    assert {item.key for item, _, _ in first.moves} <= {"bar_front", "bar_rear"}
    brake = advise(lap_case, spans, base_sheet(lap_case.car), HandlingReport("braking", "rear", "a little"), lap_case.car.items)[0]
    assert brake.moves[0][0].key == "brake_bias" and brake.moves[0][1] > 0


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
        assert scores == sorted(scores)
    assert ranked(effects, "calm-mid")[0].item.key == "wing" and ranked(effects, "calm-mid")[0].steps == 1
    worn = ranked(effects, "spare-rl")[0]
    assert worn.work[2] == min(effect.work[2] for effect in effects)
