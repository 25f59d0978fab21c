"""What a step does to a car that then drives its own quickest line."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ...circuit.track import Circuit
from ...errors import SolverError
from ...lap.quickest import Quickest, line_case, quickest_line
from ...lap.solver import LapCase, solve_lap
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable

#: Passes over the line that the steps begin from, and the gain below which one more is not worth it [s].
_MOST_PASSES, _STANDS_S = 4, 1e-3

Move = tuple[Item, int]


@dataclass(frozen=True)
class OnOwnLine:
    """:param lap_s: change of lap time, both sheets on lines of their own [s]"""

    item: Item
    steps: int
    lap_s: float


def stands(circuit: Circuit, lap_case: LapCase, sheet: Sheet) -> Quickest:
    """The quickest line of a sheet near the line of a case, from which near searches find no more.

    :raises SolverError: if the car cannot take the circuit
    """
    found = quickest_line(circuit, lap_case, sheet, begin=lap_case.line.offset)
    for _ in range(_MOST_PASSES - 1):
        if found.before_s - found.time_s < _STANDS_S:
            break
        found = quickest_line(circuit, lap_case, sheet, begin=found.offset)
    return found


def effects_on_own_lines(
    circuit: Circuit,
    lap_case: LapCase,
    sheet: Sheet,
    moves: Sequence[Move],
    found: Callable[[OnOwnLine], None],
    stopped: Callable[[], bool],
) -> Quickest:
    """Tells the effect of each step, one after the other, with the line made anew for the stepped car.

    All lines begin from the same one, that of the sheet, until near searches gain no more on it, so that only the step differs. Where
    the line of a stepped car is quicker for the sheet as well, that one is begun from instead, and the steps are told anew.

    :param moves: items and signed steps
    :param found: is told each one; what it is told last of a step holds
    :param stopped: whether to leave it at those
    :returns: the line that all began from
    :raises SolverError: if the car cannot take the circuit
    """
    base = stands(circuit, lap_case, sheet)
    left, begun = list(moves), 1
    while left and not stopped():
        item, steps = left.pop(0)
        moved = sheet.stepped(item, steps)
        if moved is None or not is_drivable(lap_case.car, moved):
            continue
        try:
            there = quickest_line(circuit, lap_case, moved, begin=base.offset)
            back = solve_lap(line_case(lap_case, there.line), sheet).time_s
        except SolverError:
            continue
        if back < base.time_s - _STANDS_S and begun < _MOST_PASSES:
            base = stands(circuit, line_case(lap_case, there.line), sheet)
            left, begun = list(moves), begun + 1
            continue
        found(OnOwnLine(item, steps, there.time_s - base.time_s))
    return base
