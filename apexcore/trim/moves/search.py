"""Search over the free items of a sheet for one aim, within limits; the result as a list of changes to try one by one."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from copy import copy
from dataclasses import dataclass, field, replace
from itertools import combinations, product
from typing import Literal

import numpy as np

from ...circuit.line import CornerSpan
from ...errors import InputError
from ...lap.solver import Lap, LapCase, solve_lap
from ...lap.stint import solve_stint
from ...vehicle.class_limits import ClassLimits, against, standing
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, adjusted, is_drivable
from ..reading.balance import corner_balances
from ..reading.bounds import BOUNDS, Drivable
from .effects import sheets_spread_s

AimKey = Literal["lap", "stint", "forgiving", "top"]

#: What a search can be for, in words.
AIM_WORDS: dict[str, str] = {
    "lap": "single-lap time", "stint": "average over a stint", "forgiving": "a forgiving lap", "top": "top speed",
}  # fmt: skip

#: How far off grip, driver and wind usually are for the forgiving lap: share of grip, share of the envelope, wind [m/s].
#: Source: an assumption of this product (docs/model.md).
OFF_GRIP, OFF_DRIVER, OFF_WIND_MS = 0.03, 0.02, 5.0

#: Improvements smaller than this do not count [s].
_GAIN_S = 5e-4
#: Most steps that an item moves in one round, and rounds of moving all together.
_REACH, _ROUNDS = 6, 6
#: Changes compared at each place of the result's order, of those that are worth most alone.
_NEXT = 3
#: What is tried at every value before the search ends.
_RATIOS = ("powertrain.final_drive", "powertrain.gears")
#: Items whose steps are tried two at once.
_STRONG = 6


@dataclass(frozen=True)
class Limits:
    """What must not get worse.

    :param top_ms: top speed that may be lost [m/s]; None for any
    :param entry_pct: balance on entry that may move towards stepping out [%]; None for any
    :param work: growth of the hardest tyre's work that is allowed [-]; None for any
    :param of_class: what the class allows of the car
    :param eased: names of `bounds.BOUNDS` that need not be kept
    """

    top_ms: float | None = None
    entry_pct: float | None = None
    work: float | None = None
    of_class: ClassLimits = ClassLimits()
    eased: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Tried:
    """One sheet tried.

    :param cost_s: what the aim makes of it [s]; less is better
    :param lap_s: lap time [s]
    :param top_ms: top speed of the lap [m/s]
    :param excess: by how much limits are passed, 0 where none is
    :param past: by how much each bound of what can be driven is passed, eased or not, by name
    """

    cost_s: float
    lap_s: float
    top_ms: float
    excess: float
    past: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Change:
    """One change of the result, in order of worth.

    :param steps: signed steps from the sheet it began with
    :param gain_s: what it gains on top of those before it [s]
    """

    item: Item
    steps: int
    value: float
    gain_s: float

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `gain_s` [s]."""
        return sheets_spread_s(self.gain_s)


@dataclass(frozen=True)
class Found:
    """The result of a search.

    :param sheet: the best sheet found
    :param changes: from the sheet it began with, most worth first
    :param before: that sheet
    :param after: the best one
    :param trade: (lap time [s], top speed [m/s]) of the sheets tried that no other beats in both
    :param tried: number of sheets solved
    :param finished: false if it was stopped early; the best so far then stands here
    :param prices: bounds of what can be driven that hold the result back, and what easing each would gain on top [s]
    """

    sheet: Sheet
    changes: tuple[Change, ...]
    before: Tried
    after: Tried
    trade: tuple[tuple[float, float], ...]
    tried: int
    finished: bool
    prices: tuple[tuple[str, float], ...] = ()


@dataclass
class _Search:
    lap_case: LapCase
    spans: Sequence[CornerSpan]
    items: list[Item]
    begin: Sheet
    aim: AimKey
    limits: Limits
    laps: int
    stopped: Callable[[], bool]
    bumps: Sequence[tuple[float, float]] = ()
    anchor: Lap = field(init=False)
    entry: float = field(init=False)
    drivable: Drivable = field(init=False)
    known: dict[tuple[float, ...], Tried] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.anchor = solve_lap(self.lap_case, self.begin)
        self.anchor = solve_lap(self.lap_case, self.begin, initial_guess=self.anchor)
        self.entry = self._entry(self.anchor)
        self.drivable = Drivable(self.lap_case, self.begin, self.anchor, self.spans, self.bumps)

    def _entry(self, lap: Lap) -> float:
        cells = [corner.balance[0] for corner in corner_balances(lap, self.spans)]
        found = [cell for cell in cells if cell is not None]
        return float(np.mean(found)) if found else 0.0

    def key(self, sheet: Sheet) -> tuple[float, ...]:
        return tuple(sheet.values[item.key] for item in self.items)

    def sheet(self, key: Iterable[float]) -> Sheet:
        return Sheet(self.begin.car_key, {**self.begin.values, **{i.key: v for i, v in zip(self.items, key, strict=True)}})

    def tried(self, sheet: Sheet) -> Tried:
        """What a sheet is worth; each is solved once."""
        key = self.key(sheet)
        if key not in self.known:
            self.known[key] = self._solve(sheet)
        return self.known[key]

    def _solve(self, sheet: Sheet) -> Tried:
        if not is_drivable(self.lap_case.car, sheet):
            return Tried(np.inf, np.inf, 0.0, np.inf)
        lap = solve_lap(self.lap_case, sheet, initial_guess=self.anchor)
        cost = aim_cost(self.lap_case, sheet, self.aim, self.laps, lap, self.anchor)
        over = self.drivable.past(sheet, lap)
        return Tried(cost, lap.time_s, lap.top_speed_ms, self._excess(lap, sheet) + self._past(over), over)

    def _past(self, over: Mapping[str, float]) -> float:
        return sum(size for key, size in over.items() if key not in self.limits.eased)

    def easing(self, key: str) -> "_Search":
        """The same search with one bound fewer; what is solved already is not solved again."""
        other = copy(self)
        other.limits = replace(self.limits, eased=self.limits.eased | {key})
        rest = {sheet: one.excess - self._past(one.past) for sheet, one in self.known.items()}
        other.known = {sheet: replace(one, excess=rest[sheet] + other._past(one.past)) for sheet, one in self.known.items()}
        return other

    def _excess(self, lap: Lap, sheet: Sheet) -> float:
        """How far past its limits a lap is, each in shares of a usual size."""
        over = 0.0
        if self.limits.top_ms is not None:
            over += max(self.anchor.top_speed_ms - self.limits.top_ms - lap.top_speed_ms - 1e-9, 0.0)
        if self.limits.entry_pct is not None:
            over += max(self.entry - self.limits.entry_pct - self._entry(lap) - 1e-9, 0.0)
        if self.limits.work is not None:
            over += max(max(lap.slip_energy_j) / max(self.anchor.slip_energy_j) - 1.0 - self.limits.work - 1e-9, 0.0) * 20.0
        if self.limits.of_class.any:
            kept = against(self.limits.of_class, standing(self.lap_case.car, sheet, self.limits.of_class))
            over += sum(-one.room / max(one.limit, 1.0) * 20.0 for one in kept if not one.ok)
        return over

    def better(self, one: Tried, other: Tried) -> bool:
        """Whether one is better: within the limits first, then by the aim."""
        if abs(one.excess - other.excess) > 1e-6:
            return one.excess < other.excess
        return one.cost_s < other.cost_s - _GAIN_S

    def neighbours(self, sheet: Sheet) -> list[tuple[Item, int, Sheet]]:
        moves = [(item, steps, sheet.stepped(item, steps)) for item in self.items for steps in (-1, 1)]
        return [(item, steps, moved) for item, steps, moved in moves if moved is not None]


def aim_cost(lap_case: LapCase, sheet: Sheet, aim: AimKey, laps: int, lap: Lap, initial_guess: Lap) -> float:
    """What an aim makes of a sheet [s]; less is better.

    :param laps: length of the stint, for that aim
    :param lap: the sheet's lap
    :param initial_guess: a lap near it, to start others from
    :raises InputError: if the fuel does not last the stint
    """
    if aim == "lap":
        return lap.time_s
    if aim == "top":
        return -lap.top_speed_ms + 0.02 * lap.time_s  # of equal top speeds the quicker lap
    if aim == "stint":
        stint = solve_stint(lap_case, sheet, adjusted(lap_case.car, sheet).fuel_l, laps)
        return float(np.mean([stint_lap.lap.time_s for stint_lap in stint[1:]]))
    return float(np.mean([solve_lap(off, sheet, initial_guess=initial_guess).time_s for off in _off(lap_case)]))


def _off(lap_case: LapCase) -> list[LapCase]:
    """The case with grip, driver and wind varied by their usual amounts, either way."""
    found = []
    for sign in (-1.0, 1.0):
        slick = tuple(compound.model_copy(update={"mu": compound.mu * (1.0 + sign * OFF_GRIP)}) for compound in lap_case.compounds)
        found.append(replace(lap_case, compounds=(slick[0], slick[1])))
        share = min(max(lap_case.driver.ability * (1.0 + sign * OFF_DRIVER), 0.3), 1.0)
        found.append(replace(lap_case, driver=replace(lap_case.driver, ability=share)))
        wind = lap_case.conditions.model_copy(update={"wind_ms": OFF_WIND_MS, "wind_from_deg": 90.0 + 90.0 * sign})
        found.append(replace(lap_case, conditions=wind))
    return found


def search(
    lap_case: LapCase,
    spans: Sequence[CornerSpan],
    sheet: Sheet,
    items: Iterable[Item],
    aim: AimKey = "lap",
    limits: Limits | None = None,
    laps: int = 12,
    progress: Callable[[float], None] = lambda share: None,
    stopped: Callable[[], bool] = lambda: False,
    bumps: Sequence[tuple[float, float]] = (),
) -> Found:
    """The best sheet for an aim that can be driven: the bounds of `bounds.BOUNDS` are kept but for those that are eased.

    Rounds of a separable parabola through each item's two neighbours, all items moved towards their lowest points at once
    and less far until that helps; then single steps until no neighbour within the limits is better (a pattern search,
    Nocedal & Wright, Numerical Optimization, ch. 9).

    :param items: the free items; locked ones and those that never enter the lap are passed over
    :param laps: length of the stint, for that aim
    :param progress: told the share done, 0 to 1
    :param stopped: asked between rounds; true ends the search with the best so far
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    :raises InputError: if no item is free, or the fuel does not last the stint
    :raises SolverError: if the car cannot take the circuit
    """
    free = [item for item in items if item.tunes_lap]
    if not free:
        raise InputError("free items", "none", "at least one item that may move")
    work = _Search(lap_case, spans, free, sheet, aim, limits or Limits(), laps, stopped, bumps)
    best = sheet
    with ThreadPoolExecutor(2) as pool:
        for number in range(_ROUNDS):
            progress(0.05 + 0.55 * number / _ROUNDS)
            moved = None if stopped() else _together(work, best, pool)
            if moved is None:
                break
            best = moved
        best, finished = _single_steps(work, best, pool, progress)
        progress(0.95)
        changes = _in_order(work, sheet, best, pool)
        prices, tried = _prices(work, best, pool)
    progress(1.0)
    return Found(best, changes, work.tried(sheet), work.tried(best), _trade(work.known), len(work.known) + tried, finished, prices)


def _prices(work: _Search, best: Sheet, pool: ThreadPoolExecutor) -> tuple[tuple[tuple[str, float], ...], int]:
    """What easing each bound that holds the best sheet back would gain on top of it, dearest first; and how many more sheets were tried.

    A bound holds back where a sheet next to the best is better but for it.
    """
    found: list[tuple[str, float]] = []
    own, more = work.tried(best), 0
    near = _all(work, [moved for _, _, moved in work.neighbours(best)], pool)
    for key in BOUNDS:
        if key in work.limits.eased or work.stopped():
            continue
        other = work.easing(key)
        before = other.known[work.key(best)]
        if not any(
            set(one.past) - work.limits.eased == {key} and other.better(replace(one, excess=one.excess - one.past[key]), before)
            for one in near
        ):
            continue
        further, _ = _single_steps(other, best, pool, lambda share: None)
        gain = own.cost_s - other.tried(further).cost_s
        more += len(other.known) - len(work.known)
        if gain > _GAIN_S:
            found.append((key, gain))
    return tuple(sorted(found, key=lambda one: -one[1])), more


def _all(work: _Search, sheets: Sequence[Sheet], pool: ThreadPoolExecutor) -> list[Tried]:
    return list(pool.map(work.tried, sheets))


def _together(work: _Search, here: Sheet, pool: ThreadPoolExecutor) -> Sheet | None:
    """All items towards the lowest point of their parabolas; None where that is no better."""
    neighbours = work.neighbours(here)
    around = {
        (item.key, steps): solved for (item, steps, _), solved in zip(neighbours, _all(work, [n[2] for n in neighbours], pool), strict=True)
    }
    centre = work.tried(here)
    wish: dict[str, float] = {}
    for item in work.items:
        down, up = around.get((item.key, -1)), around.get((item.key, 1))
        low = down.cost_s if down and down.excess <= centre.excess else np.inf
        high = up.cost_s if up and up.excess <= centre.excess else np.inf
        wish[item.key] = _lowest(low - centre.cost_s, high - centre.cost_s)
    share = 1.0
    while share > 0.1:
        moved = _moved(work, here, wish, share)
        if work.key(moved) != work.key(here) and work.better(work.tried(moved), centre):
            return moved
        share *= 0.5
    return None


def _lowest(down: float, up: float) -> float:
    """Steps to the lowest point of the parabola through (-1, down), (0, 0) and (1, up), no further than `_REACH`."""
    if not np.isfinite(down) or not np.isfinite(up):  # an end of the range: the one step there is, if it helps
        return -1.0 if down < 0.0 else float(up < 0.0)
    bend, slope = 0.5 * (up + down), 0.5 * (up - down)
    if bend <= 1e-7:
        return float(-np.sign(slope) * _REACH) if abs(slope) > 0.5 * _GAIN_S else 0.0
    return float(np.clip(-slope / (2.0 * bend), -_REACH, _REACH))


def _moved(work: _Search, here: Sheet, wish: Mapping[str, float], share: float) -> Sheet:
    values = dict(here.values)
    for item in work.items:
        steps = round(wish[item.key] * share)
        values[item.key] = item.nearest_allowed(values[item.key] + steps * item.step)
    return Sheet(here.car_key, values)


def _single_steps(work: _Search, here: Sheet, pool: ThreadPoolExecutor, progress: Callable[[float], None]) -> tuple[Sheet, bool]:
    """Single steps, the best one first, until no neighbour is better; then steps of two items at once, which lead along a
    valley that single steps cannot follow (two wings, two bars)."""
    for number in range(400):
        if work.stopped():
            return here, False
        progress(0.6 + 0.35 * (1.0 - 0.9**number))
        neighbours = work.neighbours(here)
        found = _all(work, [moved for _, _, moved in neighbours], pool)
        best = here
        for (_, _, moved), one in zip(neighbours, found, strict=True):
            if work.better(one, work.tried(best)):
                best = moved
        if best is here:
            further = _pairs(work, here, neighbours, found, pool) or _scanned(work, here, pool)
            if further is None:
                return here, True
            here = further
            continue
        # what helped alone may help together: all steps that gain, if they gain more than the best one
        gains = [moved for (_, _, moved), trial in zip(neighbours, found, strict=True) if work.better(trial, work.tried(here))]
        values = dict(here.values)
        for moved in gains:
            values.update({k: v for k, v in moved.values.items() if v != here.values[k]})
        joint = Sheet(here.car_key, values)
        there = joint if work.better(work.tried(joint), work.tried(best)) else best
        here = _onwards(work, here, there)
    return here, True


def _pairs(
    work: _Search, here: Sheet, neighbours: Sequence[tuple[Item, int, Sheet]], found: Sequence[Tried], pool: ThreadPoolExecutor
) -> Sheet | None:
    """The best step of two items at once, of those whose single steps change most; None where none is better."""
    centre = work.tried(here).cost_s
    size: dict[str, float] = {}
    for (item, _, _), trial in zip(neighbours, found, strict=True):
        size[item.key] = max(size.get(item.key, 0.0), abs(trial.cost_s - centre) if np.isfinite(trial.cost_s) else 0.0)
    strong = sorted(work.items, key=lambda item: -size.get(item.key, 0.0))[:_STRONG]
    moves = []
    for first, second in combinations(strong, 2):
        for a, b in product((-1, 1), repeat=2):
            half = here.stepped(first, a)
            both = half.stepped(second, b) if half is not None else None
            if both is not None:
                moves.append(both)
    best = here
    for moved, tried in zip(moves, _all(work, moves, pool), strict=True):
        if work.better(tried, work.tried(best)):
            best = moved
    return None if best is here else _onwards(work, here, best)


def _scanned(work: _Search, here: Sheet, pool: ThreadPoolExecutor) -> Sheet | None:
    """The best value of each ratio by itself: where shifts fall makes the lap go up and down between two good ratios."""
    best = here
    for item in work.items:
        if not item.sets.startswith(_RATIOS):
            continue
        count = round((item.high - item.low) / item.step)
        values = [item.nearest_allowed(item.low + n * item.step) for n in range(count + 1)]
        sheets = [Sheet(here.car_key, {**best.values, item.key: value}) for value in values]
        for moved, tried in zip(sheets, _all(work, sheets, pool), strict=True):
            if work.better(tried, work.tried(best)):
                best = moved
    return None if best is here else best


def _onwards(work: _Search, here: Sheet, there: Sheet) -> Sheet:
    """The same move once more, and again, for as long as that is better (the pattern move of Hooke and Jeeves)."""
    for _ in range(20):
        values = dict(there.values)
        for item in work.items:
            aim = 2.0 * there.values[item.key] - here.values[item.key]
            values[item.key] = item.nearest_allowed(aim)
        further = Sheet(there.car_key, values)
        if work.key(further) == work.key(there) or not work.better(work.tried(further), work.tried(there)):
            return there
        here, there = there, further
    return there


def _in_order(work: _Search, begin: Sheet, end: Sheet, pool: ThreadPoolExecutor) -> tuple[Change, ...]:
    """The changes from begin to end, at each place the one that gains most next."""
    left = [item for item in work.items if abs(begin.values[item.key] - end.values[item.key]) > 1e-9]
    alone = [Sheet(begin.car_key, {**begin.values, item.key: end.values[item.key]}) for item in left]
    worth = {item.key: solved.cost_s for item, solved in zip(left, _all(work, alone, pool), strict=True)}
    left.sort(key=lambda item: worth[item.key])
    here, changes = begin, []
    while left:
        options = [Sheet(here.car_key, {**here.values, item.key: end.values[item.key]}) for item in left[:_NEXT]]
        costs = [solved.cost_s for solved in _all(work, options, pool)]
        place = int(np.argmin(costs))
        item = left.pop(place)
        value = end.values[item.key]
        steps = round((value - begin.values[item.key]) / item.step)
        changes.append(Change(item, steps, value, costs[place] - work.tried(here).cost_s))
        here = options[place]
    return tuple(changes)


def _trade(known: Mapping[tuple[float, ...], Tried]) -> tuple[tuple[float, float], ...]:
    """Of all sheets tried within the limits, those that no other beats in lap time and top speed."""
    spots = sorted((trial.lap_s, -trial.top_ms) for trial in known.values() if trial.excess <= 1e-6 and np.isfinite(trial.lap_s))
    front: list[tuple[float, float]] = []
    for lap, minus_top in spots:
        if not front or -minus_top > front[-1][1] + 0.01:
            front.append((lap, -minus_top))
    return tuple(front)
