"""High and low lanes over a run on an oval: what each does to the pace and to every tyre, and what alternating does."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ..circuit.line import Line
from ..circuit.lines import groove_words, lane_line
from ..circuit.track import Circuit
from ..errors import InputError
from ..lap.solver import LapCase
from ..lap.stint import Stint, StintLap
from ..vehicle.sheet import Sheet
from ..vehicle.tyres import Four, four


@dataclass(frozen=True)
class Rotation:
    """A run in lanes.

    :param words: which lanes
    :param times_s: of its laps, the first from the pit [s]
    :param front_work: share of the sliding work of its last lap that the front tyres do [-]
    :param hot_c: temperature of each tyre's surface on the last lap [degC]
    :param worn: worn share of each tread after it [-]
    """

    words: str
    times_s: tuple[float, ...]
    front_work: float
    hot_c: Four
    worn: Four

    @property
    def total_s(self) -> float:
        """Time of the run [s]."""
        return sum(self.times_s)

    @property
    def last_s(self) -> float:
        """Its last lap [s]."""
        return self.times_s[-1]

    def lap_s(self, number: int) -> float | None:
        """One of its laps, from 1 [s]; None beyond its end."""
        return self.times_s[number - 1] if number <= len(self.times_s) else None

    @property
    def wheels(self) -> list[tuple[float, float]]:
        """Temperature [degC] and worn share [-], wheel by wheel."""
        return list(zip(self.hot_c, self.worn, strict=True))


@dataclass(frozen=True)
class _Driven:
    """A run so far: where it goes on from, its times [s], and the last laps."""

    stint: Stint
    times_s: tuple[float, ...] = ()
    last: tuple[StintLap, ...] = ()


class _Runs:
    """Runs of one car in grooves; what two of them begin with is driven once."""

    def __init__(self, lap_case: LapCase, sheet: Sheet, fuel_l: float, lines: Sequence[Line]) -> None:
        self.cases = [replace(lap_case, line=line) for line in lines]
        self._begun = [Stint(case, sheet, fuel_l) for case in self.cases]
        self._driven: dict[tuple[int, ...], _Driven] = {}

    def run(self, words: str, grooves: Sequence[int]) -> Rotation:
        """A run, lap by lap in these grooves."""
        after = self._after(tuple(grooves))
        last = after.last[-1]
        worn = four(before + (before - then) for before, then in zip(last.wear, after.last[-2].wear, strict=True))
        work = last.lap.slip_energy_j
        return Rotation(words, after.times_s, sum(work[:2]) / max(sum(work), 1e-9), last.lap.tyres.temperature_c, worn)

    def _after(self, grooves: tuple[int, ...]) -> _Driven:
        known = next((k for k in range(len(grooves), 0, -1) if grooves[:k] in self._driven), 0)
        there = self._driven[grooves[:known]] if known else _Driven(self._begun[grooves[0]])
        for k in range(known, len(grooves)):
            stint = there.stint.copy()
            lap = stint.lap(self.cases[grooves[k]])
            there = _Driven(stint, (*there.times_s, lap.lap.time_s), (*there.last[-1:], lap))
            self._driven[grooves[: k + 1]] = there
        return there


def rotations(circuit: Circuit, lap_case: LapCase, sheet: Sheet, fuel_l: float, laps: int) -> list[Rotation]:
    """The run in each groove, low and high in turn, and the quickest with one change from a groove to another.

    A groove is held about the middle of the turns.

    :param laps: at least 2
    :raises InputError: if the circuit has one lane, or the fuel does not last
    :raises SolverError: if the car cannot take a lane
    """
    lanes = circuit.lanes
    if lanes < 2:
        raise InputError("lanes", lanes, "a circuit with two lanes or more")
    if laps < 2:
        raise InputError("laps", laps, "at least 2")
    lines = [lane_line(circuit, lane, lanes, car_width_m=lap_case.car.width_m) for lane in range(1, lanes + 1)]
    names = [groove_words(lane, lanes) for lane in range(1, lanes + 1)]
    runs = _Runs(lap_case, sheet, fuel_l, lines)
    found = [runs.run(f"{name} all the way", [lane] * laps) for lane, name in enumerate(names)]
    found.append(runs.run(f"{names[0]} and {names[-1]} in turn", [0 if lap % 2 == 0 else lanes - 1 for lap in range(laps)]))

    def changed(way: tuple[int, int], after: int) -> Rotation:
        first, second = way
        words = f"{names[first]} until lap {after}, then {names[second]}"
        return runs.run(words, [first] * after + [second] * (laps - after))

    return [*found, _best_change(changed, lanes, laps)]


def _best_change(changed: Callable[[tuple[int, int], int], Rotation], lanes: int, laps: int) -> Rotation:
    """The quickest run with one change: every pair of grooves in the middle, then the best of them sooner and later, halving the way."""
    ways = [(first, second) for first in range(lanes) for second in range(lanes) if first != second]
    after = max(laps // 2, 1)
    best, way = min(((changed(way, after), way) for way in ways), key=lambda one: one[0].total_s)
    step = max(laps // 4, 1)
    while True:
        nearer = [(changed(way, other), other) for other in (after - step, after + step) if 1 <= other < laps]
        quickest = min(nearer, key=lambda one: one[0].total_s, default=(best, after))
        if quickest[0].total_s < best.total_s - 1e-9:
            best, after = quickest
        elif step == 1:
            return best
        else:
            step = max(step // 2, 1)
