"""Ballast and restrictor chosen together: how much ballast, where, and which step, for the best time that the class allows."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from itertools import combinations, product

import numpy as np

from ...circuit.line import CornerSpan
from ...errors import InputError, NoLegalSheet
from ...lap.solver import Lap, LapCase, solve_lap
from ...vehicle.car import Car
from ...vehicle.class_limits import SLACK, ClassLimits, Standing, against, breaches, standing
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from ..reading.bounds import Drivable, broken_words
from .placement import ballast_items
from .search import AimKey, aim_cost

#: A better sheet is worth telling from here on [s].
_GAIN_S = 2e-4
#: What a breach of a bound of what can be driven of the usual size costs: more than any gain [s].
_PAST_S = 20.0
#: Ballast moved at once, from coarse to single steps [kg].
_AMOUNTS_KG = (16.0, 4.0, 0.0)
#: Steps of the restrictor that are all looked at; of more, so many spread over them, then as many that promise most by a lap each.
_ALL, _SPREAD, _PROMISING = 24, 9, 12
#: Ways to share the ballast that are counted through, and steps of the restrictor, where no simple one is legal.
_MOST_WAYS, _MOST_STEPS = 4000, 400
#: Ways that look best and are solved, where steps of two places do not divide one another.
_LOOKED_AT = 12


@dataclass(frozen=True)
class AtStep:
    """The best sheet with one step of the restrictor.

    :param value: of the restrictor, in its unit; None for a car without one that is free
    :param sheet: with the ballast in its best places
    :param stands: as the class sees it
    :param cost_s: what the aim makes of it [s]
    :param lap_s: lap time [s]
    :param undriven: what it does that breaks a bound of what can be driven, since no legal ballast keeps it, in words
    """

    value: float | None
    sheet: Sheet
    stands: Standing
    cost_s: float
    lap_s: float
    undriven: tuple[str, ...] = ()


@dataclass(frozen=True)
class ClassFound:
    """The result.

    :param best: the quickest legal sheet
    :param steps: the best of each restrictor step that was looked at and can be legal, by value
    :param refused: restrictor steps that no ballast makes legal, in its unit
    :param before_s: what the aim makes of the sheet it began with [s]
    :param broken: what that sheet breaks, a sentence each
    :param tried: sheets solved
    :param finished: false if it was stopped early; the best so far then stands here
    """

    best: AtStep
    steps: tuple[AtStep, ...]
    refused: tuple[float, ...]
    before_s: float
    broken: tuple[str, ...]
    tried: int
    finished: bool


def restrictor_of(car: Car) -> Item | None:
    """The free item that sets the restrictor, None where there is none."""
    return car.free_item("powertrain.restrictor")


def movable(car: Car) -> list[Item]:
    """The free items that a search under class limits may move: the restrictor first, then ballast."""
    restrictor = restrictor_of(car)
    ballast = [item for item in ballast_items(car) if item.scale > 0.0]
    return [*([restrictor] if restrictor is not None else []), *ballast]


@dataclass
class _Desk:
    lap_case: LapCase
    begin: Sheet
    limits: ClassLimits
    aim: AimKey
    laps: int
    stopped: Callable[[], bool]
    anchor: Lap
    ballast: list[Item]
    drivable: Drivable | None
    known: dict[tuple[float, ...], tuple[float, float]] = field(default_factory=dict)
    over: dict[tuple[float, ...], dict[str, float]] = field(default_factory=dict)

    def solved(self, sheet: Sheet) -> tuple[float, float]:
        """Cost and lap of a sheet [s]; each is solved once."""
        key = tuple(sheet.values.values())
        if key not in self.known:
            self.known[key] = self._solve(sheet)
        return self.known[key]

    def lap_s(self, sheet: Sheet) -> float:
        """Lap time of a sheet, whatever the aim [s]."""
        key = tuple(sheet.values.values())
        if key in self.known:
            return self.known[key][1]
        return solve_lap(self.lap_case, sheet, initial_guess=self.anchor).time_s if is_drivable(self.lap_case.car, sheet) else np.inf

    def _solve(self, sheet: Sheet) -> tuple[float, float]:
        if not is_drivable(self.lap_case.car, sheet):
            return np.inf, np.inf
        lap = solve_lap(self.lap_case, sheet, initial_guess=self.anchor)
        over = {} if self.drivable is None else self.drivable.past(sheet, lap)
        self.over[tuple(sheet.values.values())] = over
        return aim_cost(self.lap_case, sheet, self.aim, self.laps, lap, self.anchor) + _PAST_S * sum(over.values()), lap.time_s

    @property
    def steps_divide(self) -> bool:
        """Whether each place's step goes into every coarser one, so that single steps reach every total."""
        sizes = sorted(item.step * item.scale for item in self.ballast)
        return all(abs(b / a - round(b / a)) < 1e-6 for a, b in combinations(sizes, 2))

    def stands(self, sheet: Sheet) -> Standing:
        return standing(self.lap_case.car, sheet, self.limits)

    def legal(self, sheet: Sheet) -> bool:
        return all(one.ok for one in against(self.limits, self.stands(sheet)))

    def set(self, sheet: Sheet, item: Item, value: float) -> Sheet:
        return Sheet(sheet.car_key, {**sheet.values, item.key: item.nearest_allowed(value)})

    def missing_kg(self, sheet: Sheet) -> float:
        """Ballast that a sheet lacks [kg]; negative is more than is needed."""
        stands = self.stands(sheet)
        return self.limits.needed_kg(stands.power_kw) - stands.weight_kg


def class_search(
    lap_case: LapCase,
    sheet: Sheet,
    limits: ClassLimits,
    aim: AimKey = "lap",
    laps: int = 12,
    progress: Callable[[float], None] = lambda share: None,
    stopped: Callable[[], bool] = lambda: False,
    spans: Sequence[CornerSpan] | None = None,
    bumps: Sequence[tuple[float, float]] = (),
) -> ClassFound:
    """The quickest sheet that the class allows, of all that differ from this one in ballast and restrictor only.

    With corners given, a sheet that goes past a bound of what can be driven (`bounds.BOUNDS`) is taken only where no legal one keeps it.

    For each step of the restrictor the ballast begins with the least that is legal there and where it lay best before, and
    moves by exchanges, additions and removals, coarse to fine, for as long as that is quicker; a test holds the result
    against every possible sheet.

    :param laps: length of the stint, for that aim
    :param progress: told the share done, 0 to 1
    :param stopped: asked between steps; true ends the search with the best so far
    :param spans: corners of the circuit; what can be driven is not asked where there are none given
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    :raises InputError: if nothing limits, or no item may move
    :raises NoLegalSheet: if no sheet keeps all limits
    :raises SolverError: if the car cannot take the circuit
    """
    if not limits.any:
        raise InputError("class limits", "none", "at least one limit: weight, power, weight to power or ballast")
    item = restrictor_of(lap_case.car)
    ballast = [one for one in movable(lap_case.car) if one is not item]
    if item is None and not ballast:
        raise InputError("ballast and restrictor", "no free item", "at least one item of the car that sets ballast or the restrictor")
    first = solve_lap(lap_case, sheet)
    anchor = solve_lap(lap_case, sheet, initial_guess=first)
    drivable = None if spans is None else Drivable(lap_case, sheet, anchor, spans, bumps)
    desk = _Desk(lap_case, sheet, limits, aim, laps, stopped, anchor, ballast, drivable)
    before_s, _ = desk.solved(sheet)
    found: dict[float | None, AtStep] = {}
    refused: list[float] = []
    finished = True
    waiting: list[float | None] = [None] if item is None else list(_spread(item))
    here, asked, screened = sheet, set[float | None](), item is None or len(waiting) > _SPREAD
    planned = len(waiting) + (0 if screened else _PROMISING)
    with ThreadPoolExecutor(2) as pool:
        while waiting and finished:
            value = waiting.pop(0)
            asked.add(value)
            begun = here if item is None or value is None else desk.set(here, item, value)
            at = _at_step(desk, begun, value, pool)
            if at is not None:
                found[value], here = at, at.sheet
            elif value is not None:
                refused.append(value)
            progress(min(len(asked) / max(planned, len(asked) + len(waiting), 1), 1.0))
            if not waiting and item is not None and not found:
                waiting = list(_unasked(item, asked))
            elif not waiting and item is not None and not screened and not stopped():
                waiting, screened = list(_promising(desk, pool, item, found, asked)), True
            finished = not stopped() or (not waiting and screened)
    if not found and not finished:
        raise NoLegalSheet("Stopped before a sheet was found that keeps all class limits.")
    if not found:
        raise NoLegalSheet(f"No step of ballast and restrictor keeps all class limits. The nearest breaks: {_why_none(desk, item)}.")
    best = min(found.values(), key=lambda one: (len(one.undriven), one.cost_s))
    steps = tuple(found[value] for value in sorted(found, key=lambda one: one or 0.0))
    broken = tuple(breaches(lap_case.car, sheet, limits))
    return ClassFound(best, steps, tuple(sorted(refused)), before_s, broken, len(desk.known), finished)


def _spread(item: Item) -> Sequence[float]:
    """Steps to look at first, from the highest down: all of them, or some that are spread evenly."""
    count = int((item.high - item.low) / item.step + 1e-6)
    places = range(count + 1) if count < _ALL else {round(count * k / (_SPREAD - 1)) for k in range(_SPREAD)}
    return [item.nearest_allowed(item.low + place * item.step) for place in sorted(places, reverse=True)]


def _promising(
    desk: _Desk, pool: ThreadPoolExecutor, item: Item, found: dict[float | None, AtStep], asked: set[float | None]
) -> Sequence[float]:
    """Of the steps not yet looked at, those that are quickest with the least ballast that is legal, laid as in the best so far.

    A lap for each: the time goes up and down in teeth, as ballast comes in whole steps, so that nothing between can be left out.
    """
    best = min(found.values(), key=lambda one: one.cost_s).sheet
    begun = [(value, _least(desk, desk.set(best, item, value), every_way=False)) for value in _unasked(item, asked)]
    legal = [(value, sheet) for value, sheet in begun if sheet is not None]
    times = list(pool.map(lambda one: desk.lap_s(one[1]), legal))
    return [value for _, (value, _) in sorted(zip(times, legal, strict=True), key=lambda pair: pair[0])[:_PROMISING]]


def _unasked(item: Item, asked: set[float | None]) -> Sequence[float]:
    """The steps not yet looked at, from the highest down; of very many, some."""
    count = int((item.high - item.low) / item.step + 1e-6)
    every = (item.nearest_allowed(item.low + place * item.step) for place in range(count, -1, -max(count // _MOST_STEPS, 1)))
    return [value for value in every if value not in asked]


def _at_step(desk: _Desk, sheet: Sheet, value: float | None, pool: ThreadPoolExecutor) -> AtStep | None:
    """The best ballast for one step of the restrictor; None where none is legal."""
    here = _least(desk, sheet)
    if here is None:
        return None
    tries: list[Callable[[Sheet], list[Sheet]]] = [partial(_moves, desk, kg) for kg in _AMOUNTS_KG]
    if not desk.steps_divide:
        tries.append(partial(_foreseen, desk, pool))
    for further in tries:
        while not desk.stopped():
            moved = further(here)
            costs = [cost for cost, _ in pool.map(desk.solved, moved)]
            if not costs or min(costs) > desk.solved(here)[0] - _GAIN_S:
                break
            here = moved[costs.index(min(costs))]
    cost, lap = desk.solved(here)
    if not np.isfinite(cost):
        return None
    over = desk.over[tuple(here.values.values())]
    return AtStep(value, here, desk.stands(here), cost - _PAST_S * sum(over.values()), lap, broken_words(over))


def _least(desk: _Desk, sheet: Sheet, every_way: bool = True) -> Sheet | None:
    """The sheet with as little ballast as is legal, shared about as it was; None where none is.

    :param every_way: whether all ways to share it are counted through where the simple ones are not legal
    """
    here = sheet
    for item in desk.ballast:  # off with what is too much
        over = -desk.missing_kg(here)
        if over > 0.0:
            here = desk.set(here, item, item.at_least(here.values[item.key] - over / item.scale))
    coarse_first = sorted(desk.ballast, key=lambda one: -one.step * one.scale)
    for item in coarse_first:  # whole steps that fit into what lacks, then the finest place that has room for the rest
        steps = int(max(desk.missing_kg(here), 0.0) / item.scale / item.step + 1e-6)
        here = desk.set(here, item, min(here.values[item.key] + steps * item.step, item.high))
    for item in reversed(coarse_first):
        lacks = desk.missing_kg(here)
        if lacks > SLACK:
            here = desk.set(here, item, item.at_least(here.values[item.key] + lacks / item.scale))
    if desk.legal(here):
        return here
    return _any_legal(desk, here) if every_way else None


def _any_legal(desk: _Desk, sheet: Sheet) -> Sheet | None:
    """The first legal sheet of all ways to share the ballast, where they can be counted through; else None.

    Only steps that do not divide one another come here: 3 and 5 kg make 8 and 9, not 7.
    """
    if not desk.ballast:
        return None
    finest, *others = sorted(desk.ballast, key=lambda one: one.step * one.scale)
    counts = [int((one.high - one.low) / one.step + 1e-6) + 1 for one in others]
    if np.prod([float(count) for count in counts]) > _MOST_WAYS:
        return None
    for places in product(*(range(count) for count in counts)):
        here = desk.set(sheet, finest, finest.low)
        for one, place in zip(others, places, strict=True):
            here = desk.set(here, one, one.low + place * one.step)
        here = desk.set(here, finest, finest.at_least(finest.low + max(desk.missing_kg(here), 0.0) / finest.scale))
        if desk.legal(here):
            return here
    return None


def _foreseen(desk: _Desk, pool: ThreadPoolExecutor, sheet: Sheet) -> list[Sheet]:
    """The legal sheets that look best by what a step of each place costs, of all ways to share the ballast.

    For places whose steps do not divide one another: 5 and 3 kg make 16 only in the right numbers of each, which no move
    between two places need reach.
    """
    bent = [_cost_of_steps(desk, pool, sheet, item) for item in desk.ballast]
    finest, *others = sorted(range(len(desk.ballast)), key=lambda n: desk.ballast[n].step * desk.ballast[n].scale)
    ranges = [desk.ballast[n].steps_from(sheet.values[desk.ballast[n].key]) for n in others]
    if np.prod([float(len(one)) for one in ranges]) > _MOST_WAYS:
        return []
    lacks, fine = desk.missing_kg(sheet), desk.ballast[finest]
    room = fine.steps_from(sheet.values[fine.key])
    ways = []
    for counts in product(*ranges):
        there = sum(count * desk.ballast[n].step * desk.ballast[n].scale for n, count in zip(others, counts, strict=True))
        last = max(int(np.ceil((lacks - there) / (fine.step * fine.scale) - 1e-6)), room[0])
        if last <= room[-1]:
            cost = sum(bent[n](count) for n, count in zip(others, counts, strict=True)) + bent[finest](last)
            ways.append((cost, counts, last))
    found = []
    for _, counts, last in sorted(ways)[:_LOOKED_AT]:
        one = desk.set(sheet, fine, sheet.values[fine.key] + last * fine.step)
        for n, count in zip(others, counts, strict=True):
            one = desk.set(one, desk.ballast[n], sheet.values[desk.ballast[n].key] + count * desk.ballast[n].step)
        if one.values != sheet.values and desk.legal(one):
            found.append(one)
    return found


def _cost_of_steps(desk: _Desk, pool: ThreadPoolExecutor, sheet: Sheet, item: Item) -> Callable[[int], float]:
    """What so many steps of one place cost, from the parabola through two sheets beside this one [s]."""
    room = item.steps_from(sheet.values[item.key])
    inside = [count for count in (-1, 1, -2, 2) if count in room][:2]
    if len(inside) < 2:
        return lambda count: 0.0
    here, *costs = pool.map(lambda count: desk.solved(desk.set(sheet, item, sheet.values[item.key] + count * item.step))[0], (0, *inside))
    (a, b), (u, v) = inside, (costs[0] - here, costs[1] - here)
    bend = (u / a - v / b) / (a - b)
    slope = u / a - bend * a
    return lambda count: slope * count + bend * count * count


def _moves(desk: _Desk, kg: float, sheet: Sheet) -> list[Sheet]:
    """Legal sheets with about that much ballast, one step at least, taken away, added, or moved from one place to another."""
    found: dict[tuple[float, ...], Sheet] = {}

    def keep(one: Sheet) -> None:
        if one.values != sheet.values and desk.legal(one):
            found.setdefault(tuple(one.values.values()), one)

    for source in desk.ballast:
        amount = max(round(kg / source.scale / source.step), 1) * source.step
        for changed in (sheet.values[source.key] - amount, sheet.values[source.key] + amount):
            if source.low - 1e-9 <= changed <= source.high + 1e-9:
                one = desk.set(sheet, source, changed)
                keep(one)
                for target in desk.ballast:
                    if target is not source:
                        lacks = desk.missing_kg(one)
                        keep(desk.set(one, target, target.at_least(one.values[target.key] + lacks / target.scale)))
    return list(found.values())


def _why_none(desk: _Desk, item: Item | None) -> str:
    """What the nearest sheet still breaks: all the ballast that there is, and the restrictor at either end."""
    full = desk.begin
    for place in desk.ballast:
        full = desk.set(full, place, place.high)
    tries = [full, desk.begin]
    if item is not None:
        tries = [desk.set(one, item, end) for one in tries for end in (item.low, item.high)]
    wrongs = [breaches(desk.lap_case.car, one, desk.limits) for one in tries]
    fewest = min((wrong for wrong in wrongs if wrong), key=len, default=[])
    return "; ".join(fewest) if fewest else "no step meets them all"
