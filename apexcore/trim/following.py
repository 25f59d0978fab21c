"""Save behind another car, then spend: how much lifting the tow hides, what a run of it spares, and the lap alone that it leaves."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ..circuit.line import CornerSpan, Line
from ..circuit.lines import lane_line
from ..circuit.track import Circuit
from ..errors import InputError
from ..lap.saving import Way, lifts, told_lifts, ways
from ..lap.solver import Lap, LapCase, also_told, ready, run_at, spending_as
from ..lap.stint import Stint
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four

#: Distance at which a tow is half of that right behind another car [m]. Source: an assumption of this product (docs/model.md, following).
_HALF_M = 20.0
#: Savings that are looked at for the one that costs as much as the tow gains.
_POINTS = 121


@dataclass(frozen=True)
class Run:
    """A run, and a lap alone after it.

    :param words: how it is driven
    :param last_s: its last lap [s]
    :param fuel_l: taken by it [l]
    :param hot_c: each tread on its last lap [degC]
    :param worn: worn share of each tread after it [-]
    :param go_s: the lap alone and all out behind it [s]
    """

    words: str
    last_s: float
    fuel_l: float
    hot_c: Four
    worn: Four
    go_s: float

    @property
    def wheels(self) -> list[tuple[float, float]]:
        """Temperature [degC] and worn share [-], wheel by wheel."""
        return list(zip(self.hot_c, self.worn, strict=True))


@dataclass(frozen=True)
class Following:
    """What following a car of the same pace at a distance comes to.

    :param tow: share of the tow right behind it [-]
    :param alone_s: the lap alone [s]
    :param towed_s: the lap in the tow, nothing spared [s]
    :param hidden: the lifts that the tow hides: with them the lap takes as long as alone, or no time is won where the tow gives none
    :param held_s: that lap [s]
    :param runs: all out alone first
    """

    tow: float
    alone_s: float
    towed_s: float
    hidden: Way
    held_s: float
    runs: tuple[Run, ...]

    @property
    def gain_s(self) -> float:
        """By which the lap in the tow is longer than alone; a tow that helps is negative [s]."""
        return self.towed_s - self.alone_s


def tow_at(gap_m: float) -> float:
    """Share of the tow right behind another car at a distance [-]: half of it at 20 m."""
    return _HALF_M / (_HALF_M + max(gap_m, 0.0))


def following(
    circuit: Circuit, lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], gap_m: float, laps: int
) -> Following:
    """Laps behind a car of the same pace, and what they leave for one alone.

    :param lap: of the sheet in this case, alone
    :param gap_m: to the car ahead [m]
    :param laps: of the run, before the lap alone
    :raises InputError: if the circuit has no corners, or the tank does not hold the run
    :raises SolverError: if the car cannot take the circuit
    """
    if laps < 2:
        raise InputError("laps", laps, "at least 2")
    towed = spending_as(replace(lap_case, tow=tow_at(gap_m)), lap)
    prepared = ready(towed, adjusted(towed.car, sheet))

    def driven(metres: dict[int, float]) -> Lap:
        told = also_told(towed, told_lifts(towed.line.s, spans, metres))
        return run_at(told, prepared, lap.tyres, towed.line, lap.ripple)

    free = driven({})
    hidden, held = _hidden(driven, towed, sheet, free, lap.time_s, spans)
    lifted = also_told(towed, told_lifts(towed.line.s, spans, hidden.metres))
    fuel = min(lap_case.car.tank_l, 1.1 * (laps + 1) * lap.fuel_l)
    kinds: list[tuple[str, list[LapCase]]] = [
        ("alone, all out", [lap_case] * laps), ("following, all out", [towed] * laps),
        ("following, lifting for the same lap time", [lifted] * laps),
    ]  # fmt: skip
    if circuit.lanes > 1:
        low, high = (lane_line(circuit, lane, circuit.lanes, car_width_m=lap_case.car.width_m) for lane in (1, circuit.lanes))
        in_turn = [replace(towed, line=_of(low if number % 2 == 0 else high, lap_case.line)) for number in range(laps)]
        kinds.append(("following, low and high in turn", in_turn))
    runs = tuple(_run(words, cases, lap_case, sheet, fuel) for words, cases in kinds)
    return Following(towed.tow, lap.time_s, free.time_s, hidden, held.time_s, runs)


def _of(line: Line, like: Line) -> Line:
    """A line at as many stations as another."""
    if len(line.s) != len(like.s):
        raise InputError("lanes", f"{len(line.s)} stations", f"{len(like.s)} as the line driven has")
    return line


def _hidden(
    driven: Callable[[dict[int, float]], Lap], towed: LapCase, sheet: Sheet, free: Lap, alone_s: float, spans: Sequence[CornerSpan]
) -> tuple[Way, Lap]:
    """The most that can be saved with the lap no slower than alone, and that lap."""
    gained = alone_s - free.time_s
    none = Way(0.0, 0.0, {})
    if gained <= 0.0:
        return none, free
    found = lifts(towed, sheet, free, spans)
    offered = ways(found, [found.most * k / (_POINTS - 1) for k in range(_POINTS)])
    best, lap = none, free
    low, high = 0, len(offered) - 1
    while low < high:  # what lifting costs grows with what it saves
        middle = (low + high + 1) // 2
        there = driven(offered[middle].metres)
        if there.time_s <= alone_s + 1e-9:
            low, best, lap = middle, offered[middle], there
        else:
            high = middle - 1
    return Way(free.fuel_l - lap.fuel_l, lap.time_s - free.time_s, best.metres), lap


def _run(words: str, cases: Sequence[LapCase], alone: LapCase, sheet: Sheet, fuel_l: float) -> Run:
    stint = Stint(cases[0], sheet, fuel_l, planned=len(cases) + 1)
    last, go = [stint.lap(case) for case in (*cases, alone)][-2:]
    return Run(words, last.lap.time_s, fuel_l - go.fuel_l, last.lap.tyres.temperature_c, go.wear, go.lap.time_s)
