"""What a step does to a car that then drives its own quickest line."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from ...circuit.line import Floats, Line
from ...circuit.track import Circuit
from ...errors import SolverError
from ...lap.quickest import Quickest
from ...lap.solver import Lap, LapCase
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from .pool import AGAIN, FROM_SHAKEN, STEP_FROM_BEST, STEP_FROM_FIRST, STEP_FROM_SECOND, Lines, Lots, shaken

#: A line this much slower for the sheet than its best is tried on no other step [s]; and lines that a new step is tried on at most.
_CLOSE_S, _MOST_LIVE = 0.03, 12
#: A change of an effect that is told again [s].
_NEWS_S = 5e-4

Move = tuple[Item, int]


@dataclass(frozen=True)
class OnOwnLine:
    """:param lap_s: change of lap time, both sheets on the best of all lines found [s]
    :param disagree_s: how differently two lines that were searched for apart read it [s]; None where there is one alone
    """

    item: Item
    steps: int
    lap_s: float
    disagree_s: float | None = None


@dataclass
class _Step:
    """One step under way.

    :param best_s: its lap on the best line so far [s]
    :param best: that line's number
    :param by: its lap on each line that it was tried on [s]
    :param told_s: the effect told last [s]
    """

    item: Item
    steps: int
    sheet: Sheet
    by: dict[int, float]
    told_s: float = math.inf

    @property
    def best(self) -> int:
        return min(self.by, key=lambda number: self.by[number])

    @property
    def best_s(self) -> float:
        return self.by[self.best]


class _Refined:
    """Lines of a sheet and its steps: every one is tried on every sheet."""

    def __init__(self, lines: Lines, sheet: Sheet) -> None:
        self.lines, self.sheet = lines, sheet
        self.base: dict[int, float] = {}
        self.begin: dict[int, Lap] = {}
        self.steps: list[_Step] = []

    @property
    def best_s(self) -> float:
        """The sheet's own lap on its best line [s]."""
        return min(self.base.values())

    @property
    def best(self) -> int:
        """Number of that line."""
        return min(self.base, key=lambda number: self.base[number])

    def take(self, offset: Floats, by: _Step | None = None) -> int | None:
        """Takes a line in and tries it on the sheet, on the step that it was made for and, where it comes near, on all others."""
        number = len(self.lines.offsets)
        self.lines.add([offset])
        begin = self.lines.begin(number, self.sheet)
        if begin is None:
            return None
        self.begin[number] = begin
        self.base[number] = self.lines.time(number, self.sheet, begin)
        if by is not None:
            by.by[number] = self.lines.time(number, by.sheet, begin)
        if self.base[number] < self.best_s + _CLOSE_S:
            for one in self.steps:
                if one is not by:
                    one.by[number] = self.lines.time(number, one.sheet, begin)
        return number

    def live(self) -> list[int]:
        """The lines that a new step is tried on: both first ones, those that are best for a sheet, and the best for the sheet itself."""
        near = sorted(self.base, key=lambda number: self.base[number])[:_MOST_LIVE]
        return list(dict.fromkeys([*list(self.base)[:2], *(one.best for one in self.steps), *near]))

    def enter(self, item: Item, steps: int, sheet: Sheet) -> _Step:
        """A new step on the lines so far."""
        one = _Step(item, steps, sheet, {})
        for number in self.live():
            one.by[number] = self.lines.time(number, sheet, self.begin[number])
        self.steps.append(one)
        return one

    def told(self, one: _Step, apart: tuple[int, int] | None) -> OnOwnLine:
        """The effect of a step as it is known now.

        :param apart: numbers of two lines that were searched for apart
        """
        disagree = None
        if apart is not None:
            first, second = (one.by[number] - self.base[number] for number in apart)
            disagree = abs(first - second) if math.isfinite(first) and math.isfinite(second) else None
        return OnOwnLine(one.item, one.steps, one.best_s - self.best_s, disagree)


def effects_on_own_lines(
    circuit: Circuit,
    lap_case: LapCase,
    sheet: Sheet,
    moves: Sequence[Move],
    found: Callable[[OnOwnLine], None],
    stopped: Callable[[], bool],
    others: Sequence[Line] = (),
) -> Quickest:
    """Tells the effect of each step, one after the other, each sheet on the best of all lines made for any of them.

    A line is searched for from two that were found apart, and from the step's best so far; where it is quicker for the sheet itself or
    for another step, that one takes it, and the effects that change are told again: so no step collects what the sheet's own line has
    left. Source: definition of this product, after a study of methods (docs/model.md, "Steps and lines").

    :param lap_case: on the line of the sheet
    :param moves: items and signed steps
    :param found: is told each one; what it is told last of a step holds
    :param stopped: whether to leave it at those
    :param others: further lines to begin with
    :returns: the best line of the sheet
    :raises SolverError: if the car cannot take the circuit
    """
    lines = Lines(circuit, lap_case)
    refined = _Refined(lines, sheet)

    def ends(_: float) -> bool:
        return stopped()

    before = lines.better(sheet, lap_case.line.offset, AGAIN, ends)
    first = refined.take(before[-1].offset if before else lap_case.line.offset)
    if first is None:
        raise SolverError("The car cannot take this line.")
    apart = lines.better(sheet, shaken(lines.centre, lines.half, lines.offsets[first]), FROM_SHAKEN, ends)
    second = refined.take(apart[-1].offset) if apart else None
    for line in others:
        refined.take(line.offset)
    both = (first, second) if second is not None else None

    def tell() -> None:
        for one in refined.steps:
            effect = refined.told(one, both)
            if math.isfinite(effect.lap_s) and abs(effect.lap_s - one.told_s) > _NEWS_S:
                one.told_s = effect.lap_s
                found(effect)

    for item, steps in moves:
        if stopped():
            break
        moved = sheet.stepped(item, steps)
        if moved is None or not is_drivable(lap_case.car, moved):
            continue
        one = refined.enter(item, steps, moved)

        def further(begin: int, programmes: Lots, one: _Step = one) -> None:
            for new in lines.better(one.sheet, lines.offsets[begin], programmes, ends)[-1:]:
                refined.take(new.offset, one)

        further(first, STEP_FROM_FIRST)
        if second is not None:
            further(second, STEP_FROM_SECOND)
        further(one.best, STEP_FROM_BEST)
        tell()
    best = refined.best
    return Quickest(lines.offsets[best], lines.case(best).line, refined.best_s, refined.base[first], lines.laps)
