"""Steps on lines of their own: no slower than on the sheet's line, and no further from it than was said."""

from dataclasses import replace

import pytest

from apexcore.lap.quickest import line_case, quickest_line
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.moves.effects import difference_spread_s
from apexcore.trim.moves.own_lines import Move, OnOwnLine, effects_on_own_lines, stands
from apexcore.vehicle.sheet import Sheet, base_sheet
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


@pytest.mark.parametrize("place", many(list(PLACES)[2:], list(PLACES)))
@pytest.mark.thorough_only
def test_a_step_gains_by_a_line_of_its_own_and_by_no_more_than_its_spread(place: tuple[str, str]) -> None:
    lap_case, sheet, moves = prepared(place)
    circuit, told = demo_circuit(place[1]), dict[tuple[str, int], OnOwnLine]()

    def keep(one: OnOwnLine) -> None:
        told[one.item.key, one.steps] = one

    base = effects_on_own_lines(circuit, lap_case, sheet, moves, keep, lambda: False)
    assert set(told) == {(item.key, steps) for item, steps in moves}
    found = list(told.values())
    on_it = line_case(lap_case, base.line)
    begin = solve_lap(on_it, sheet)
    moved = False
    for one in found:
        stepped = sheet.stepped(one.item, one.steps)
        assert stepped is not None
        fixed = solve_lap(on_it, stepped, initial_guess=begin).time_s - begin.time_s
        assert one.lap_s <= fixed + 2e-3, one.item.key
        assert abs(one.lap_s - fixed) <= difference_spread_s(fixed), one.item.key
        moved = moved or abs(one.lap_s - fixed) > 5e-4
    assert moved


@pytest.mark.thorough_only
def test_near_searches_leave_a_line_that_stands_as_it_is() -> None:
    lap_case, sheet, moves = prepared(("wisp_125", "quernlow"))
    circuit = demo_circuit("quernlow")
    base = stands(circuit, lap_case, sheet)
    again = quickest_line(circuit, lap_case, sheet, begin=base.offset)
    assert base.time_s - again.time_s < 1e-3
    told: list[OnOwnLine] = []
    effects_on_own_lines(circuit, lap_case, sheet, moves, told.append, lambda: len(told) == 2)
    assert len(told) == 2  # stopped after the second


@pytest.mark.thorough_only
def test_a_step_that_cannot_be_taken_is_left_out() -> None:
    lap_case, sheet, _ = prepared(("wisp_125", "quernlow"))
    item = lap_case.car.item("sprocket")
    top = replace(sheet, values={**sheet.values, "sprocket": item.high})
    told: list[OnOwnLine] = []
    effects_on_own_lines(demo_circuit("quernlow"), lap_case, top, [(item, 1), (item, -1)], told.append, lambda: False)
    assert [(one.item.key, one.steps) for one in told] == [("sprocket", -1)]
