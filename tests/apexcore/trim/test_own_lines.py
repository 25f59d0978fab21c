"""Steps on the best of a few lines, and on lines of their own: what one line reads bounds them, and two searches apart agree."""

import math
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import half_room_m, offset_line
from apexcore.circuit.track import centre_line
from apexcore.lap.quickest import line_case
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.moves.aims import ranked
from apexcore.trim.moves.effects import StepEffect, line_spread_s, sheets_spread_s, step_effects
from apexcore.trim.moves.own_lines import Move, OnOwnLine, effects_on_own_lines
from apexcore.trim.moves.pool import best_first, found_pool, shaken
from apexcore.vehicle.sheet import Sheet, base_sheet
from scripts.steps_trial import PLACES as PLACES_TWICE
from scripts.steps_trial import read_twice, rms_s
from tests.amounts import many
from tests.conftest import demo_circuit, demo_lap_case
from tests.lines import quickest

#: Items of each car whose best line moves most with them, and some that hardly move it.
PLACES = {
    ("brackendale_gt", "sallowmere_fen"): ("final_drive", "wing", "bar_rear"),
    ("ferrow_lark", "sallowmere_fen"): ("wing", "wing_front", "final_drive"),
    ("wisp_125", "quernlow"): ("sprocket", "axle_rear", "pressure_fl"),
}


def prepared(place: tuple[str, str]) -> tuple[LapCase, Sheet, list[Move]]:
    lap_case, _ = demo_lap_case(*place)
    sheet = base_sheet(lap_case.car)
    begin = quickest(demo_circuit(place[1]), lap_case, sheet)
    moves = [(lap_case.car.item(key), steps) for key in PLACES[place] for steps in (-1, 1)]
    return line_case(lap_case, begin.line), sheet, moves


def told_by(place: tuple[str, str], most: int = 99) -> tuple[LapCase, Sheet, dict[tuple[str, int], OnOwnLine]]:
    """Steps on lines of their own, and the case on the best line of the sheet."""
    lap_case, sheet, moves = prepared(place)
    told: dict[tuple[str, int], OnOwnLine] = {}

    def keep(one: OnOwnLine) -> None:
        told[one.item.key, one.steps] = one

    base = effects_on_own_lines(demo_circuit(place[1]), lap_case, sheet, moves[:most], keep, lambda: False)
    return line_case(lap_case, base.line), sheet, told


@pytest.mark.parametrize("place", many(list(PLACES)[2:], list(PLACES)))
@pytest.mark.thorough_only
def test_a_step_is_no_slower_than_on_the_sheets_best_line_and_hardly_further_from_it_than_was_said(place: tuple[str, str]) -> None:
    """What is said is an interval of 95 %: a step whose line is another altogether may leave it, none by far."""
    beyond = []
    on_it, sheet, told = told_by(place)
    assert set(told) == {(key, steps) for key in PLACES[place] for steps in (-1, 1)}
    begin = solve_lap(on_it, sheet)
    own_s = solve_lap(on_it, sheet, initial_guess=begin).time_s
    for one in told.values():
        stepped = sheet.stepped(one.item, one.steps)
        assert stepped is not None and one.disagree_s is not None
        fixed = solve_lap(on_it, stepped, initial_guess=begin).time_s - own_s
        assert one.lap_s <= fixed + 5e-4, one.item.key
        beyond.append(abs(one.lap_s - fixed) / line_spread_s(one.lap_s, one.disagree_s))
    assert sum(share > 1.0 for share in beyond) <= 1 and max(beyond) < 1.5, beyond


@pytest.mark.thorough_only
def test_a_stop_and_a_step_that_cannot_be_taken() -> None:
    lap_case, sheet, moves = prepared(("wisp_125", "quernlow"))
    told: list[OnOwnLine] = []
    effects_on_own_lines(demo_circuit("quernlow"), lap_case, sheet, moves, told.append, lambda: len(told) >= 2)
    assert len({(one.item.key, one.steps) for one in told}) == 2
    item = lap_case.car.item("sprocket")
    top = replace(sheet, values={**sheet.values, "sprocket": item.high})
    told.clear()
    effects_on_own_lines(demo_circuit("quernlow"), lap_case, top, [(item, 1), (item, -1)], told.append, lambda: False)
    assert {(one.item.key, one.steps) for one in told} == {("sprocket", -1)}


@pytest.mark.thorough_only
def test_a_pool_holds_what_is_best_for_its_sheets_and_the_base_sheets_line_is_no_slower_than_one_search() -> None:
    lap_case, _ = demo_lap_case("wisp_125", "quernlow")
    sheet, circuit = base_sheet(lap_case.car), demo_circuit("quernlow")
    shares: list[float] = []

    def told(share: float) -> bool:
        shares.append(share)
        return False

    pool = found_pool(circuit, lap_case, sheet, told)
    assert shares == sorted(shares) and shares[-1] == 1.0
    assert 1 <= len(pool.lines) <= 4 and pool.before_s - pool.time_s > 0.5
    assert pool.time_s <= quickest(circuit, lap_case, sheet).time_s + 1e-3
    centre = centre_line(circuit)
    half = half_room_m(circuit.width_m, lap_case.car.width_m)
    assert all(len(one) == len(centre.x) and np.abs(one).max() <= half + 1e-9 for one in pool.lines)
    stopped = found_pool(circuit, lap_case, sheet, lambda share: share > 0.1)
    assert len(stopped.lines) == 1 and stopped.time_s <= pool.before_s


def test_the_effect_of_a_step_is_that_of_each_sheet_on_the_best_of_the_lines() -> None:
    """Against every lap of every line, one after the other; a line that the car cannot take is none."""
    lap_case, _ = demo_lap_case("wisp_125", "quernlow")
    sheet, centre = base_sheet(lap_case.car), centre_line(demo_circuit("quernlow"))
    offsets = [lap_case.line.offset, 0.9 * lap_case.line.offset, 0.0 * lap_case.line.offset]
    lines = [offset_line(centre, one) for one in offsets]
    items = [lap_case.car.item(key) for key in ("sprocket", "toe_front", "stays")]
    found = step_effects(lap_case, sheet, items, others=lines[1:])
    times: dict[tuple[str, int], list[float]] = {}
    own = []
    for line in lines:
        on_it = line_case(lap_case, line)
        begin = solve_lap(on_it, sheet)
        own.append(solve_lap(on_it, sheet, initial_guess=begin).time_s)
        for effect in found:
            moved = sheet.stepped(effect.item, effect.steps)
            if moved is not None:
                lap = solve_lap(on_it, moved, initial_guess=begin)
                times.setdefault((effect.item.key, effect.steps), []).append(lap.time_s)
    for effect in found:
        if effect.value is not None:
            laps = times[effect.item.key, effect.steps]
            assert effect.lap_s == pytest.approx(min(laps) - min(own), abs=1e-9)
            assert effect.lap_s <= laps[int(np.argmin(own))] - min(own) + 1e-9
    order = best_first(lap_case, sheet, sheet, lines)
    assert order[0] == int(np.argmin(own)) and sorted(order) == [0, 1, 2]
    zigzag = offset_line(centre, np.where(np.arange(len(centre.x)) % 2, 2.0, -2.0))
    alone, beside = (step_effects(lap_case, sheet, items[:1], others=others) for others in ([], [zigzag]))
    assert [one.lap_s for one in alone] == pytest.approx([one.lap_s for one in beside], abs=1e-12)


@pytest.mark.parametrize("key", ["sallowmere_fen", "longreach"])
def test_a_shaken_line_stays_on_the_road_and_a_course_begins_and_ends_where_it_did(key: str) -> None:
    centre = centre_line(demo_circuit(key))
    moved = shaken(centre, 4.0, np.zeros(len(centre.x)))
    assert np.abs(moved).max() <= 4.0 and 0.25 < moved.std() < 0.6
    assert np.abs(np.diff(moved)).max() < 0.25 * centre.ds
    if centre.closed:
        assert abs(moved[0] - moved[-1]) < 0.25 * centre.ds
    else:
        assert moved[0] == moved[-1] == 0.0


def effect(key: str, lap_s: float, disagree_s: float | None = None) -> StepEffect:
    item = demo_lap_case("wisp_125", "quernlow")[0].car.item(key)
    still = (0.0, 0.0, 0.0, 0.0)
    return StepEffect(item, 1, 1.0, lap_s, 0.0, {}, still, still, 0.0, (), disagree_s)


def test_a_ranking_is_no_finer_than_what_is_read() -> None:
    said = [
        effect("stays", 0.004),
        effect("toe_front", -0.005),
        effect("sprocket", 0.2),
        effect("axle_rear", -0.3),
        effect("seat_up", -0.08),
    ]
    assert [one.item.key for one in ranked(said, "lap")] == ["axle_rear", "seat_up", "stays", "toe_front", "sprocket"]
    assert [one.is_clear for one in said] == [False, False, True, True, True]
    assert sheets_spread_s(0.0) == pytest.approx(1.959964 * math.hypot(0.003, 0.008), rel=1e-6)
    assert line_spread_s(0.1, 0.02) == pytest.approx(1.959964 * math.hypot(0.01, 0.02, 0.006), rel=1e-6)
    assert effect("stays", 0.1, 0.4).spread_s > effect("stays", 0.1, 0.0).spread_s and not effect("stays", 0.1, 0.4).is_clear


@pytest.mark.thorough_only
@pytest.mark.parametrize("place", list(PLACES_TWICE)[:3])
def test_two_searches_that_share_nothing_read_the_same(place: tuple[str, str]) -> None:
    """From least curvature and from the middle of the road, shaken otherwise: within what was said, and no step the other way round."""
    found = read_twice(*place)
    assert len(found) >= 8 and rms_s(found) <= 0.012
    assert sum(one.holds for one in found) >= 0.93 * len(found)
    assert not any(one.flips for one in found)
