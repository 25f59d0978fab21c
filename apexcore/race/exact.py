"""The exact plan where fuel is free: how much goes in at the start and at every stop, together with stints, options and laps of the stops.

Backwards over (stops left, lap, what was used), with the time to go as a piecewise linear function of the fuel on board: U on leaving the
pit, V on coming in. A stint shifts and tilts V; a stop takes the least over what is filled. Both keep functions piecewise linear, so that
no grid of fuel is needed (Bellman, Dynamic Programming, ch. 3; the operations are those of min-plus algebra; `kernel` has them). Fuel
ignores which tyre is on, so that options count only by what they add to what must be used, and by how much they burn.

Time of a stint of n laps that leaves with y: A[option, lap, n] + w (n y - c n (n - 1)/2); of a stop that fills x: pit lane + t0 +
max(0, x - q)/r, in which tyres and fuel in parallel, one after the other and a least standing time are three choices of t0 and q. Where
tyres may stay on, a stint's cost is paid as they are fitted, and stops that only fill lie within it.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from . import kernel
from .problem import NEVER, NEVER_FROM, Filling, Problem, longest_laps

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

#: What a tank holds beyond itself [l], so that a stint that takes all of it is more than a point.
_POINT_L = 1e-6
#: Values that are the same [s], and places [l].
_SAME_S, _SAME_L = 1e-10, 1e-9
#: Stops times laps from which on tyres that may stay on leave time for one bound alone.
_LARGE = 10_000
#: States times ways, laps squared and stops, fuel-only ones again, from which on one bound has to do.
_MUCH = 1e8
#: States times ways, laps squared and stops that are searched at most: some seconds.
_MOST_WORK = 2e10
#: The same from which on, where tyres may stay on, each number of stops is searched by itself, under the bound that is best for it.
_ONE_BY_ONE = 2e5
#: How far above the bound a number of stops is looked for of which no plan is known [s].
_GUESSES_S = (5.0, 50.0, 1e3, 1e9)


@dataclass(frozen=True)
class Leg:
    """A stint of an exact plan: from leaving the pit to coming in.

    :param option: its number
    :param leaves_l: fuel on board at its first lap [l]
    :param arrives_l: at its end [l]
    :param fitted: whether tyres were changed before it; so at the start
    """

    option: int
    laps: int
    leaves_l: float
    arrives_l: float
    fitted: bool = True


@dataclass(frozen=True)
class Best:
    """:param time_s: race time [s]"""

    legs: tuple[Leg, ...]
    time_s: float


@dataclass(frozen=True)
class _Bound:
    """A bound from below: `kernel.relaxed`'s arrays, what it was made with, and its constant [s]."""

    come: Floats
    go: Floats
    way_of: Ints
    long: Ints
    within: Ints
    extra: Floats
    inner: Floats
    part: Ints
    stop: float
    stay: float
    constant: float


class Planner:
    """All times to go of a race, kept: the plan from any state is read from them."""

    def __init__(self, problem: Problem, within_s: float = 0.0, nearest: int = 1000, far_s: float = NEVER) -> None:
        """:param within_s: plans this much slower than the quickest are exact too, whatever they begin with [s]
        :param nearest: numbers of stops of which the best is asked for, those that the bound has as the quickest
        :param far_s: in a large search, numbers of stops whose bound is so much slower than a known plan are left out [s]

        :raises InputError: where the rules tell more kinds of what was used apart than are searched
        """
        self.problem = p = problem
        self.costs = np.minimum(p.cost if p.cost.ndim == 3 else p.cost[:, None, :], NEVER)
        self.uses, self.class_of = np.unique(p.uses_l, return_inverse=True)
        self.after, self.done = p.counted()
        everywhere = np.ones(len(p.adds), dtype=bool)
        begins, later = p.begins if p.begins is not None else everywhere, p.later if p.later is not None else everywhere
        members: dict[tuple[bytes, int, bool, bool], list[int]] = {}
        for option in range(len(p.adds)):
            key = (self.after[:, option].tobytes(), int(self.class_of[option]), bool(begins[option]), bool(later[option]))
            members.setdefault(key, []).append(option)
        rows = list(members.values())
        self.grouped = np.array([self.costs[some].min(axis=0) for some in rows])
        self.option = np.array([np.array(some)[np.argmin(self.costs[some], axis=0)] for some in rows])
        heads = [some[0] for some in rows]
        self.nxt, self.klass = np.ascontiguousarray(self.after[:, heads]), self.class_of[heads].astype(np.int64)
        self.at_start, self.later, self.begins = begins[heads], later[heads], begins
        self.legs, self.leg_s, self.track = p.legs()
        #: All times to go.
        self.kept: Any = None
        self.inner_stops = min(p.most_stops, p.laps - 1) if p.stay_s is not None else 0
        self.staying = np.minimum(self.legs, np.array(p.staying_laps, dtype=np.int64)) if p.staying_laps else self.legs
        self.race = self._race(self.grouped, self.nxt, self.klass, self.at_start, self.later)
        work = float(len(self.done)) * len(rows) * p.laps * p.laps * (p.most_stops + 1)
        if len(self.done) > 1 and work > _MOST_WORK:
            raise InputError("rules", f"{len(self.done)} kinds of what was used in {p.laps} laps", "fewer compulsory laps, sets or stops")
        shares = (0.0, 0.5, 1.0) if p.rate > 0.0 else (0.0,)
        if self.inner_stops * p.laps > _LARGE or work * (1 + self.inner_stops) > _MUCH:
            shares = shares[-1:]
        self.bounds = [self._relaxed(share) for share in shares]
        self.bound = max(self.bounds, key=lambda one: float(one.go[:, 0, 0].min()) + one.constant)
        self.tables: dict[int, Any] | None = {} if self.inner_stops and work > _ONE_BY_ONE else None
        if self.tables is None:
            self._solve(within_s, nearest)
        else:
            self._solve_each(within_s, nearest, far_s)

    def _race(self, costs: Floats, after: Ints, classes: Ints, at_start: Bools, later: Bools) -> Any:
        """The rules as the search walks them, of some ways to drive a stint."""
        p = self.problem
        return kernel.Race(
            costs, after, self.done, classes, at_start, later, p.stop_laps, self.legs, self.staying, self.leg_s, self.track, self.uses,
            float(p.weight_s), float(p.least_l), float(p.tank_l + _POINT_L), int(p.most_stops), int(self.inner_stops),
        )  # fmt: skip

    def _solve_each(self, within_s: float, nearest: int, far_s: float) -> None:
        """Solves each number of stops by itself, the one with the least bound first; what is found limits those behind it."""
        known, floors = self._limits(), np.array([one.go[:, 0, 0] + one.constant for one in self.bounds])
        floor = floors.max(axis=0)
        allowed = np.arange(len(known)) >= self.problem.least_stops
        asked = np.zeros(len(known), dtype=bool)
        asked[np.argsort(np.where(allowed, np.minimum(known, floor), np.inf), kind="stable")[:nearest]] = True
        self.limits = np.full(len(known), -NEVER)
        best = float(np.where(allowed, known, NEVER).min())
        for k in (int(k) for k in np.argsort(floor, kind="stable")):
            if not allowed[k] or floor[k] >= NEVER_FROM:
                continue
            self.bound = self.bounds[int(np.argmax(floors[:, k]))]
            wanted = bool(asked[k]) and floor[k] <= best + far_s
            for room in _GUESSES_S if wanted and known[k] >= NEVER_FROM else (0.0,):
                limit = float(known[k]) if wanted and known[k] < NEVER_FROM else floor[k] + room if wanted else -NEVER
                limit = max(limit, best + within_s) if best < NEVER_FROM else limit
                if floor[k] > limit + self._room_s():
                    break
                self.limits[:] = np.where(np.arange(len(known)) == k, limit + self._room_s(), -NEVER)
                self._solve_up_to_limits()
                self.tables[k] = self.kept, float(self.limits[k])  # type: ignore[index]
                found = self._start(k)[1]
                best = min(best, found)
                if found <= limit or not wanted:
                    break
        self.limits = np.array([self.tables[k][1] if k in self.tables else -NEVER for k in range(len(known))])  # type: ignore[index, operator]

    def _open(self, stops: int) -> bool:
        """Opens the tables in which plans with so many stops stand; false where they were left out."""
        if self.tables is not None:
            if stops not in self.tables:
                return False
            self.kept = self.tables[stops][0]
        return True

    def _solve(self, within_s: float, nearest: int) -> None:
        """Solves up to a known plan's time for each number of stops; where none is known, up to a guess that grows until it holds one."""
        known = self._limits()
        lowest = self.bound.go[:, 0, 0] + self.bound.constant
        asked = np.zeros(len(known), dtype=bool)
        allowed = np.arange(len(known)) >= self.problem.least_stops
        asked[np.argsort(np.where(allowed, np.minimum(known, lowest), np.inf), kind="stable")[:nearest]] = True
        asked &= allowed
        known = np.where(asked, known, NEVER)
        unknown = asked & (known >= NEVER) & (self.bound.go[:, 0, 0] < NEVER_FROM)
        for room in _GUESSES_S:
            limits = np.where(unknown, lowest + room, known)
            within = float(limits.min()) + within_s
            #: By the number of stops: times up to which plans are exact [s].
            self.limits = np.where(limits < NEVER_FROM, np.maximum(limits, within), within) + self._room_s()
            self._solve_up_to_limits()
            times = [self._start(int(k))[1] for k in np.flatnonzero(unknown)]
            if all(time <= limit for time, limit in zip(times, self.limits[unknown], strict=True)):
                return

    def _solve_up_to_limits(self) -> None:
        p, bound = self.problem, self.bound
        told = kernel.Bound(bound.come, bound.go, bound.extra, bound.inner, float(bound.stop), float(bound.stay))
        self.kept = kernel.solve(self.race, stops_of(p, True), stops_of(p, False), told, self.limits - bound.constant)

    def _room_s(self) -> float:
        """What the bound and the plans that limit it may differ by where both are the same: rounding, and the point of fuel more [s]."""
        p = self.problem
        return 1e-5 + (p.most_stops + 2) * _POINT_L * (1.0 / p.rate if p.rate > 0.0 else 0.0) + p.laps * p.weight_s * _POINT_L

    def _relaxed(self, share: float) -> _Bound:
        """The bound with a litre priced at a share of what filling one takes."""
        p = self.problem
        priced = share / p.rate if p.rate > 0.0 else 0.0
        stop, stay = (pit + standing - priced * free for pit, standing, free in (p.terms(True), p.terms(False)))
        longest, first = (
            np.array([longest_laps(use, p.least_l, most) for use in self.uses]) for most in (p.tank_l, min(p.start_l, p.tank_l))
        )
        if p.rate <= 0.0 and int(first.max()) < p.laps:
            longest, first = 0 * longest, 0 * first  # what is on board at the start does not last
        longest, first = np.minimum(longest, self.legs.max(axis=1)), np.minimum(first, self.legs[:, 0])
        inner, part = kernel.carried(self.uses, p.weight_s, p.least_l, priced, longest, self.inner_stops, p.laps, stay)
        if p.rate <= 0.0:
            extra = kernel.all_on_board(self.uses, p.weight_s, p.least_l, p.laps)
        else:
            extra = np.ascontiguousarray(inner[:, :1])
        found = kernel.relaxed(self.race, extra, inner, longest, first, float(stop))
        come, go, way_of, long, within = (np.ascontiguousarray(table.transpose(2, 0, 1)) for table in found)  # by stops, lap, state
        constant = -priced * (min(p.start_l, p.tank_l) - p.least_l)
        return _Bound(come, go, way_of, long, within, extra, inner, part, stop, stay, constant)

    def _limits(self) -> Floats:
        """A plan's time for each number of stops: the bounds' own shapes, filled at least cost [s]; `NEVER` where there is none."""
        p, found = self.problem, np.full(self.problem.most_stops + 1, NEVER)
        for bound in self.bounds:
            for stops in range(p.least_stops, p.most_stops + 1):
                if bound.go[stops, 0, 0] < NEVER_FROM:
                    found[stops] = min(found[stops], self._shape_s(bound, stops))
        return found

    def _shape_s(self, bound: _Bound, stops: int) -> float:
        """Time of a bound's own shape, filled at least cost [s]; `NEVER` where a rule that the bound leaves out forbids it."""
        p, lengths, costs, uses, fitted, limits = self.problem, list[int](), list[float](), list[float](), list[bool](), list[float]()
        d, b, k = 0, 0, stops
        while d < p.laps:
            way, laps, inside = int(bound.way_of[k, d, b]), int(bound.long[k, d, b]), int(bound.within[k, d, b])
            u, left, lap = int(self.klass[way]), laps, d
            for j in range(inside, -1, -1):
                one = int(bound.part[u, j, left]) if inside else laps
                if one > (self.staying if inside else self.legs)[u, lap]:
                    return NEVER
                limits.append(NEVER if inside else float(self.leg_s[lap] - self.track[lap + one] + self.track[lap]))
                lengths.append(one)
                costs.append(self._cost_s(way, d, laps) if j == inside else 0.0)
                uses.append(float(self.uses[u]))
                fitted.append(j == inside)
                left, lap = left - one, lap + one
                if lap < p.laps and not p.stop_laps[lap]:
                    return NEVER
            b, d, k = int(self.nxt[b, way, min(laps, self.nxt.shape[2] - 1)]), d + laps, k - inside - 1
        return chain_s(p, np.array(lengths), np.array(costs), np.array(uses), np.array(fitted), exactly=True, most_s=np.array(limits))

    def _cost_s(self, way: int, behind: int, laps: int) -> float:
        return float(self.grouped[way, behind if self.grouped.shape[1] > 1 else 0, laps])

    def _pieces(self, which: int, k: int, d: int, b: int) -> tuple[int, int]:
        """Where U (0) or V (1) of a state begins, and how many pieces it has."""
        if which and d == self.problem.laps:
            return 0, int(k == 0 and self.done[b])
        return int(self.kept.begins[which, k, d, b]), int(self.kept.counts[which, k, d, b])

    def _value(self, piece: tuple[int, int], x: float) -> float:
        """A function at this much fuel [s]."""
        begin, count = piece
        if not count or not self.problem.least_l - _SAME_L <= x <= self.problem.tank_l + 2.0 * _POINT_L:
            return NEVER
        part = slice(begin, begin + count)
        kept = self.kept
        return float(kernel.value(kept.xs[part], kept.vs[part], kept.ss[part], count, max(x, self.problem.least_l)))

    def _inside(self, k: int, end: int, b: int, u: int, j: int, lap: int, coming: bool = False) -> tuple[int, int]:
        """The function of leaving at a lap, or of coming in behind it, on tyres that come off at `end`, with so many fuel-only stops on
        the way."""
        kept = self.kept
        at = kernel.row_of(kept.slots, kept.from_lap, kept.inner_stops, k, end, b, u, j, lap)
        if at < 0:
            return 0, 0
        row = kept.rows[at]
        return (int(row[2]), int(row[3])) if coming else (int(row[0]), int(row[1]))

    def _start(self, stops: int) -> tuple[float, float]:
        """The fuel to start with for least time with so many stops [l], and that time [s]; `NEVER` where there is no plan."""
        p = self.problem
        if not self._open(stops):
            return 0.0, NEVER
        high, low = min(p.start_l, p.tank_l), max(p.start_least_l, p.least_l)
        piece = self._pieces(0, stops, 0, 0)
        if not piece[1] or high < low - _SAME_L:
            return 0.0, NEVER
        return min(((y, self._value(piece, y)) for y in self._places(piece, low, high)), key=lambda one: one[1])

    def time_s(self, stops: int) -> float | None:
        """Least time with so many stops [s]; None where there is no plan."""
        time = self._start(stops)[1]
        return None if time >= NEVER_FROM else time

    def best(self, stops: int, first: int | None = None) -> Best | None:
        """The plan of least time with so many stops; None where there is none.

        :param first: option of the first stint, any if not given; then None also where it is slower than what was asked to be exact
        """
        if first is not None:
            return self.best_of(stops, [first])
        fuel, time = self._start(stops)
        return None if time >= NEVER_FROM else Best(self._traced(stops, 0, 0, fuel, time), time)

    def after_stop(self, stops: int, arrives_l: float, pit_s: float) -> Best | None:
        """The plan of least time from a stop before the first lap on, with so many stops after it; its time has that stop in it.

        :param arrives_l: fuel on board as one comes in [l]
        :param pit_s: pit lane of that stop [s]
        """
        if not self._open(stops):
            return None
        p, piece = self.problem, self._pieces(0, stops, 0, 0)
        if not piece[1]:
            return None
        leaves = self._filled(piece, arrives_l, fitted=True)
        time = self._value(piece, leaves)
        if time >= NEVER_FROM:
            return None
        total = time + p.stop_s(leaves - arrives_l) - p.pit_s + pit_s
        return Best(self._traced(stops, 0, 0, leaves, time), total)

    def best_of(self, stops: int, firsts: Sequence[int]) -> Best | None:
        """The plan of least time that begins with one of some options; None also where it is slower than what was asked to be exact."""
        p = self.problem
        if not self._open(stops):
            return None
        high, low = min(p.start_l, p.tank_l), max(p.start_least_l, p.least_l)
        some = np.array(firsts, dtype=np.int64)
        race = self._race(
            np.ascontiguousarray(self.costs[some]), np.ascontiguousarray(self.after[:, some]), self.class_of[some].astype(np.int64),
            self.begins[some], self.begins[some],
        )  # fmt: skip
        best, way, laps, j, leaves = kernel.begun(race, self.kept, float(low), float(high), stops)
        if best >= NEVER_FROM or best > self.limits[stops]:
            return None
        option = int(some[way])
        after = int(self.after[0, option, min(laps, self.after.shape[2] - 1)])
        return Best(self._stint(option, 0, laps, j, stops - j, after, leaves), best)

    def _stint(self, option: int, d: int, laps: int, j: int, k: int, after: int, leaves: float) -> tuple[Leg, ...]:
        """Legs of a stint with `j` fuel-only stops on the way, and of what follows."""
        p, legs, lap = self.problem, list[Leg](), d
        u = int(self.class_of[option])
        use, end = float(self.uses[u]), d + laps
        k = 0 if end == p.laps else k
        fitted = True
        while j:
            time, found = self._value(self._inside(k, end, after, u, j, lap), leaves), None
            for to in range(lap + 1, min(end, lap + int(self.staying[u, lap]) + 1)):
                arrives = leaves - use * (to - lap)
                if arrives < p.least_l - _SAME_L or not p.stop_laps[to]:
                    continue
                go = self._value(self._inside(k, end, after, u, j - 1, to, True), max(arrives, p.least_l))
                if p.carried_s(to - lap, leaves, use) + go <= time + max(_SAME_S * abs(time), 1e-7):
                    found = to, max(arrives, p.least_l)
                    break
            assert found is not None, "a value without a plan"
            legs.append(Leg(option, found[0] - lap, leaves, found[1], fitted))
            leaves = self._filled(self._inside(k, end, after, u, j - 1, found[0]), found[1], fitted=False)
            lap, j, fitted = found[0], j - 1, False
        arrives = max(leaves - use * (end - lap), p.least_l)
        legs.append(Leg(option, end - lap, leaves, arrives, fitted))
        if end == p.laps:
            return tuple(legs)
        piece = self._pieces(0, k - 1, end, after)
        leaves = self._filled(piece, arrives, fitted=True)
        return (*legs, *self._traced(k - 1, end, after, leaves, self._value(piece, leaves)))

    def _places(self, piece: tuple[int, int], low: float, high: float) -> list[float]:
        """Where a function may be least between two places: its breakpoints, and both ends."""
        xs = self.kept.xs[piece[0] : piece[0] + piece[1]]
        return [low, high, *(float(x) for x in xs if low < x < high)]

    def _filled(self, piece: tuple[int, int], arrives: float, fitted: bool) -> float:
        """With how much one leaves a stop at least cost."""
        p = self.problem
        if p.rate <= 0.0:
            return arrives
        places = self._places(piece, arrives, p.tank_l)
        free = p.terms(fitted)[2]
        if arrives + free < p.tank_l:
            places.append(arrives + free)
        return min((p.stop_s(y - arrives, fitted) + self._value(piece, y), y) for y in places)[1]

    def _traced(self, k: int, d: int, b: int, leaves: float, time: float) -> tuple[Leg, ...]:
        """The plan behind a value of U."""
        way, laps, j = kernel.arc(self.race, self.kept, k, d, b, leaves, time)
        if way < 0:  # pragma: no cover
            raise AssertionError("a value without a plan")
        after = int(self.nxt[b, way, min(laps, self.nxt.shape[2] - 1)])
        option = self.option[way, d if self.option.shape[1] > 1 else 0, laps]
        return self._stint(int(option), d, laps, j, k - j, after, leaves)


def stops_of(filling: Filling, fitted: bool) -> Any:
    """The stops at which tyres are changed, or at which they stay on, as the kernel takes them."""
    return kernel.Stops(*(float(one) for one in (*filling.terms(fitted), filling.rate)))


def chain_s(
    filling: Filling, lengths: Ints, costs: Floats, uses: Floats | None = None, fitted: Bools | None = None, exactly: bool = False,
    most_s: Floats | None = None,
) -> float:  # fmt: skip
    """Least time of given stints over what is filled [s].

    :param costs: of each stint without fuel [s]
    :param uses: fuel that each burns on a lap [l]
    :param fitted: whether tyres are changed before each
    :param exactly: `NEVER` where the tank does not hold a stint; else as if it just held the longest
    :param most_s: longest time of each stint's laps; any where not given [s]
    """
    p = filling
    burns = np.full(len(lengths), p.use_l) if uses is None else uses
    changed = np.ones(len(lengths), dtype=bool) if fitted is None else fitted
    need = lengths.astype(np.float64) * burns
    if p.rate <= 0.0:
        need = np.full(len(lengths), float(need.sum()))
    top, start = p.tank_l, min(p.start_l, p.tank_l)
    if not exactly:
        top, start = max(top, float(need.max()) + p.least_l), max(start, float(need[0]) + p.least_l)
    found = kernel.chain_s(
        lengths, costs, burns, changed, p.weight_s, p.least_l, top + _POINT_L, p.start_least_l, start + _POINT_L, stops_of(p, True),
        stops_of(p, False), np.full(len(lengths), NEVER) if most_s is None else most_s,
    )  # fmt: skip
    return float(found)
