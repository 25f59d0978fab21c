"""What a step does to a car that then drives its own quickest line."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ...circuit.track import Circuit
from ...errors import SolverError
from ...lap.quickest import Quickest, quickest_line
from ...lap.solver import LapCase
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
) -> None:
    """Tells the effect of each step, one after the other, with the line made anew for the stepped car.

    All lines begin from the same one, that of the sheet, until near searches gain no more on it, so that only the step differs.

    :param moves: items and signed steps
    :param found: is told each one
    :param stopped: whether to leave it at those
    :raises SolverError: if the car cannot take the circuit
    """
    base = stands(circuit, lap_case, sheet)
    for item, steps in moves:
        if stopped():
            return
        moved = sheet.stepped(item, steps)
        if moved is None or not is_drivable(lap_case.car, moved):
            continue
        try:
            there = quickest_line(circuit, lap_case, moved, begin=base.offset)
        except SolverError:
            continue
        found(OnOwnLine(item, steps, there.time_s - base.time_s))
