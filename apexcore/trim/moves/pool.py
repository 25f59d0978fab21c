"""A few lines of a car on a day, and what a step does when each sheet drives the best of them.

A lap time read on one line mistakes a step: the line suits the sheet that it was made for. The difference of two sheets that each take
the best of a few lines lies between the readings on either's own. Source: definition of this product; the lines and the spread by a
study of 88 steps on ten pairs of car and circuit (docs/model.md, "Steps and lines").
"""

import math
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from ...circuit.line import Floats, Line, corners, half_room_m, offset_line
from ...circuit.track import CentreLine, Circuit, centre_line
from ...errors import SolverError
from ...lap.quickest import STAGES, Quickest, Stage, line_case, quickest_line
from ...lap.solver import Lap, LapCase
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from .effects import begin_lap, step_effects, time_s

#: How far a second search begins from the first one's line [m], and over which way that changes [m].
_SHAKEN_M, _OVER_M = 0.4, 30.0
#: Programmes on the first search's line again, from the shaken one, and for a stepped sheet from either: most, trust region [m].
Lots = Sequence[tuple[int, float]]
AGAIN: Lots = ((4, 0.2),)
FROM_SHAKEN: Lots = ((8, 0.5), (5, 0.2))
STEP_FROM_FIRST: Lots = ((2, 0.25), (3, 0.15))
STEP_FROM_SECOND: Lots = ((4, 0.25),)
STEP_FROM_BEST: Lots = ((3, 0.15),)
#: What moves the balance most, else the first of these; and what else is made a line for.
_BALANCE = ("front.bar_n_per_mm", "rear.bar_n_per_mm")
_PARTNERS = ("aero.wing_position", "powertrain.final_drive")

Told = Callable[[float], bool]


@dataclass(frozen=True)
class Pool:
    """Lines that the sheets of a car drive the best of.

    :param lines: offsets left of the centre line at the circuit's even stations, that of the base sheet's best first [m]
    :param time_s: of the base sheet's lap on the first, the tyres settled [s]
    :param before_s: on the line of least curvature, likewise [s]
    :param laps: laps solved on the way
    """

    lines: tuple[Floats, ...]
    time_s: float
    before_s: float
    laps: int


def shaken(centre: CentreLine, half_m: float, offset: Floats, seed: int = 1) -> Floats:
    """A line moved about at random but smoothly, within the road; a course keeps where it begins and ends [m]."""
    rng = np.random.default_rng(seed)
    noise = rng.normal(size=len(offset))
    reach = max(round(_OVER_M / centre.ds), 1)
    window = np.exp(-0.5 * (np.arange(-3 * reach, 3 * reach + 1) / reach) ** 2)
    window /= math.sqrt(float((window**2).sum()))
    smooth = np.convolve(np.pad(noise, 3 * reach, mode="wrap" if centre.closed else "reflect"), window, mode="valid")
    if not centre.closed:
        way = centre.ds * np.minimum(np.arange(len(offset)), np.arange(len(offset))[::-1])
        smooth = smooth * np.clip(way / (2.0 * _OVER_M), 0.0, 1.0)
    return np.asarray(np.clip(offset + _SHAKEN_M * smooth, -half_m, half_m))


@dataclass
class Lines:
    """Lines of one car on one day, and the laps of sheets on them: each solved once."""

    circuit: Circuit
    lap_case: LapCase

    def __post_init__(self) -> None:
        self.centre = centre_line(self.circuit)
        self.half = half_room_m(self.circuit.width_m, self.lap_case.car.width_m)
        self.laps = 0
        self._line: list[Line] = []
        self.offsets: list[Floats] = []

    def stages(self, programmes: Lots) -> tuple[Stage, ...]:
        """Programmes at the stations that a lap is read at: coarser ones find other signs."""
        return tuple(Stage(self.centre.ds, count, step) for count, step in programmes)

    def better(self, sheet: Sheet, begin: Floats, programmes: Lots, told: Told | None = None) -> list[Quickest]:
        """The line after each of these lots of programmes, each from the one before; fewer where the car cannot take it."""
        found: list[Quickest] = []
        for lot in programmes:
            try:
                one = quickest_line(self.circuit, self.lap_case, sheet, begin=begin, stages=self.stages([lot]), told=told)
            except SolverError:
                break
            self.laps += one.laps
            found.append(one)
            begin = one.offset
        return found

    def add(self, offsets: Iterable[Floats]) -> None:
        """Takes lines in."""
        for offset in offsets:
            self.offsets.append(offset)
            self._line.append(offset_line(self.centre, offset))

    def case(self, number: int) -> LapCase:
        """The lap case on a line."""
        return line_case(self.lap_case, self._line[number])

    def begin(self, number: int, sheet: Sheet) -> Lap | None:
        """The lap of a sheet on a line that its neighbours begin from; None where the car cannot take it."""
        self.laps += 1
        return begin_lap(self.case(number), sheet)

    def times(self, numbers: Sequence[int], base: Sheet, sheets: Sequence[Sheet]) -> Floats:
        """Lap times of sheets on lines, all on a line from the same lap of the base sheet; infinite where the car cannot take it [s].

        Two threads: the kernel lets go of the interpreter while it runs.
        """

        def row(number: int) -> list[float]:
            begin = self.begin(number, base)
            return [self.time(number, sheet, begin) for sheet in sheets]

        with ThreadPoolExecutor(2) as two:
            return np.array(list(two.map(row, numbers))).reshape(len(numbers), len(sheets))

    def time(self, number: int, sheet: Sheet, begin: Lap | None) -> float:
        """`effects.time_s` on a line."""
        self.laps += 1
        return time_s(self.case(number), sheet, begin)


def found_pool(
    circuit: Circuit, lap_case: LapCase, sheet: Sheet, told: Told | None = None, begin: Floats | None = None, seed: int = 1
) -> Pool:
    """The pool of a base sheet: two searches from apart, lines from both for what moves the balance most, more wing and a shorter final
    drive, and of all those the ones that are best for any of these sheets.

    :param told: is told the share done, and answers whether to stop; what is known by then comes back
    :param begin: offsets that the first search begins with; those of least curvature if none [m]
    :param seed: of the shaking
    :raises SolverError: if the car cannot take the circuit
    """
    lines = Lines(circuit, lap_case)
    stopped, far = False, 0.0

    def part(low: float, high: float) -> Told:
        def share(done: float) -> bool:
            nonlocal stopped, far
            far = max(far, low + (high - low) * min(done, 1.0))  # each lot of programmes begins at none done
            stopped = stopped or (told(far) if told else False)
            return stopped

        return share

    first = quickest_line(circuit, lap_case, sheet, begin=begin, stages=None if begin is None else STAGES, told=part(0.0, 0.35))
    lines.laps += first.laps
    base = (lines.better(sheet, first.offset, AGAIN, part(0.35, 0.4)) or [first])[-1]
    lines.add([base.offset])
    if stopped:
        return Pool((base.offset,), base.time_s, first.before_s, lines.laps)
    lines.add(
        one.offset for one in lines.better(sheet, shaken(lines.centre, lines.half, base.offset, seed), FROM_SHAKEN, part(0.4, 0.55))[-1:]
    )
    partners = _partners(circuit, line_case(lap_case, base.line), sheet)
    for number, partner in enumerate(partners):
        way = [0.55 + 0.4 * (number + share) / len(partners) for share in (0.0, 0.6, 1.0)]
        lines.add(one.offset for one in lines.better(partner, lines.offsets[0], STEP_FROM_FIRST, part(way[0], way[1])))
        if len(lines.offsets) > 1:
            lines.add(one.offset for one in lines.better(partner, lines.offsets[1], STEP_FROM_SECOND, part(way[1], way[2])))
        if stopped:
            break
    times = lines.times(range(len(lines.offsets)), sheet, [sheet, *partners])
    best = list(dict.fromkeys(int(number) for number in times.argmin(axis=0) if np.isfinite(times[number]).any()))
    part(0.95, 1.0)(1.0)
    return Pool(tuple(lines.offsets[number] for number in best), float(times[best[0], 0]), first.before_s, lines.laps)


def best_first(lap_case: LapCase, base: Sheet, sheet: Sheet, lines: Sequence[Line]) -> tuple[int, ...]:
    """Which of a few lines is the best for a sheet, then the others as they are.

    :param base: the sheet whose laps all laps begin from, so that no answer depends on what was asked before
    """
    on_them = [line_case(lap_case, line) for line in lines]
    times = [time_s(on_it, sheet, begin_lap(on_it, base)) for on_it in on_them]
    first = min(range(len(times)), key=times.__getitem__)
    return (first, *(number for number in range(len(times)) if number != first))


def _partners(circuit: Circuit, lap_case: LapCase, sheet: Sheet) -> list[Sheet]:
    """The sheets beside the base for which lines are made."""
    items = [item for item in lap_case.car.items if item.tunes_lap]
    ends = [item for item in items if item.sets in _BALANCE]
    if not ends:
        ends = [_moves_balance(circuit, lap_case, sheet, items)] if items else []
    moves = [(ends[0], steps) for steps in (1, -1)] if ends else []
    moves += [(item, 1) for sets in _PARTNERS for item in items if item.sets == sets]
    stepped = [sheet.stepped(item, steps) for item, steps in moves]
    return [moved for moved in stepped if moved is not None and is_drivable(lap_case.car, moved)]


def _moves_balance(circuit: Circuit, lap_case: LapCase, sheet: Sheet, items: Sequence[Item]) -> Item:
    """The item whose steps move the balance in mid-corner most."""
    effects = step_effects(lap_case, sheet, items, spans=corners(circuit, lap_case.line))

    def moved(item: Item) -> float:
        found = [abs(value) for effect in effects if effect.item is item for _, value, _ in effect.corners if value is not None]
        return float(np.mean(found)) if found else 0.0

    return max(items, key=moved)
