"""The exact plan where fuel is free: how much goes in at the start and at every stop, together with stints, options and laps of the stops.

Backwards over (stops left, lap, what was used), with the time to go as a piecewise linear function of the fuel on board: U on leaving the
pit, V on coming in. A stint shifts and tilts V; a stop takes the least over what is filled. Both keep functions piecewise linear, so that
no grid of fuel is needed (Bellman, Dynamic Programming, ch. 3; the operations are those of min-plus algebra). Fuel ignores which tyre is
on, so that options count only by what they add to the compulsory ones.

Time of a stint of n laps that leaves with y: A[option, n] + w (n y - c n (n - 1)/2); of a stop that fills x: pit lane + t0 +
max(0, x - q)/r, in which tyres and fuel in parallel, one after the other and a least standing time are three choices of t0 and q.
"""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

#: Time of what cannot be done [s]: finite, so that it can be added to.
NEVER = 1e14
_NEVER_FROM = 1e13
#: What a tank holds beyond itself [l], so that a stint that takes all of it is more than a point.
_POINT_L = 1e-6
#: Values that are the same [s], and places [l].
_SAME_S, _SAME_L = 1e-10, 1e-9


@dataclass(frozen=True, kw_only=True)
class Filling:
    """What fuel costs and how it is filled.

    :param use_l: fuel burnt on a lap [l]
    :param weight_s: what a litre on board costs on a lap [s]
    :param least_l: fuel that must be left where a stint ends [l]
    :param tank_l: most on board [l]
    :param start_l: most on board at the start of the first lap [l]
    :param pit_s: pit lane of a stop [s]
    :param standing_s: t0 [s]
    :param free_l: q [l]
    :param rate: r [l/s]; 0 where nothing can be filled
    """

    use_l: float
    weight_s: float
    least_l: float
    tank_l: float
    start_l: float
    pit_s: float
    standing_s: float
    free_l: float
    rate: float

    def stop_s(self, litres: float) -> float:
        """Time of a stop that fills so much [s]."""
        return self.pit_s + self.standing_s + (max(0.0, litres - self.free_l) / self.rate if self.rate > 0.0 else 0.0)

    def carried_s(self, laps: int, leaves_l: float) -> float:
        """What the weight of fuel costs over a stint that leaves with so much [s]."""
        return self.weight_s * (laps * leaves_l - self.use_l * laps * (laps - 1) / 2)


@dataclass(frozen=True, kw_only=True)
class Problem(Filling):
    """A race as numbers.

    :param cost: A, shape [options, laps + 1] [s]; `NEVER` where an option cannot be driven so long
    :param adds: for each option the bits of compulsory things that it uses
    :param wanted: bits that must all be used
    :param stop_laps: whether one may stop behind each lap, shape [laps + 1]
    :param least_stops: fewest stops
    :param most_stops: most
    """

    cost: Floats
    adds: Ints
    wanted: int
    stop_laps: NDArray[np.bool_]
    least_stops: int
    most_stops: int

    @property
    def laps(self) -> int:
        """Race distance."""
        return int(self.cost.shape[1]) - 1


@dataclass(frozen=True)
class Leg:
    """A stint of an exact plan.

    :param option: its number
    :param leaves_l: fuel on board at its first lap [l]
    :param arrives_l: at its end [l]
    """

    option: int
    laps: int
    leaves_l: float
    arrives_l: float


@dataclass(frozen=True)
class Best:
    """:param time_s: race time [s]"""

    legs: tuple[Leg, ...]
    time_s: float


@njit(cache=True, nogil=True, error_model="numpy")
def _put(xs, vs, ss, count, x, v, s):  # type: ignore[no-untyped-def]
    """Adds a piece; one that goes on as the last does is joined, one on the same place replaces it. Returns the count."""
    if v >= 1e13:
        v, s = 1e14, 0.0
    if count > 0:
        if x - xs[count - 1] <= 1e-12:
            count -= 1
        if count > 0:
            expected = vs[count - 1] + ss[count - 1] * (x - xs[count - 1])
            if abs(ss[count - 1] - s) <= 1e-13 and (abs(expected - v) <= 1e-11 or (v >= 1e13 and vs[count - 1] >= 1e13)):
                return count
    xs[count], vs[count], ss[count] = x, v, s
    return count + 1


@njit(cache=True, nogil=True, error_model="numpy")
def _least(ax, av, asl, an, bx, bv, bsl, bn, ox, ov, osl, top):  # type: ignore[no-untyped-def]
    """The lesser of two functions on one domain. Returns the number of pieces."""
    i = j = count = 0
    x = ax[0]
    while True:
        a_end = ax[i + 1] if i + 1 < an else top
        b_end = bx[j + 1] if j + 1 < bn else top
        end = min(a_end, b_end)
        a0, b0 = av[i] + asl[i] * (x - ax[i]), bv[j] + bsl[j] * (x - bx[j])
        gap0 = a0 - b0
        slope = asl[i] - bsl[j]
        gap1 = gap0 + slope * (end - x)
        if gap0 <= 0.0 and gap1 <= 0.0:
            count = _put(ox, ov, osl, count, x, a0, asl[i])
        elif gap0 >= 0.0 and gap1 >= 0.0:
            count = _put(ox, ov, osl, count, x, b0, bsl[j])
        else:
            cross = x - gap0 / slope
            if gap0 < 0.0:
                count = _put(ox, ov, osl, count, x, a0, asl[i])
                count = _put(ox, ov, osl, count, cross, b0 + bsl[j] * (cross - x), bsl[j])
            else:
                count = _put(ox, ov, osl, count, x, b0, bsl[j])
                count = _put(ox, ov, osl, count, cross, a0 + asl[i] * (cross - x), asl[i])
        if end >= top:
            return count
        if a_end <= end:
            i += 1
        if b_end <= end:
            j += 1
        x = end


@njit(cache=True, nogil=True, error_model="numpy")
def _driven(vx, vv, vs, vn, laps, cost, use, weight, low, top, ox, ov, osl):  # type: ignore[no-untyped-def]
    """U of one stint: V moved by what it burns, with its cost. Returns the number of pieces; 0 where the tank does not hold it."""
    burnt = use * laps
    if low + burnt > top + 1e-9:
        return 0
    base = cost - weight * use * laps * (laps - 1) / 2.0
    count = 0
    if burnt > 1e-12:
        count = _put(ox, ov, osl, count, low, 1e14, 0.0)
    for k in range(vn):
        x = min(vx[k] + burnt, top)
        if k > 0 and vx[k] + burnt > top:
            break
        if vv[k] >= 1e13:
            count = _put(ox, ov, osl, count, x, 1e14, 0.0)
        else:
            count = _put(ox, ov, osl, count, x, vv[k] + base + weight * laps * x, vs[k] + weight * laps)
    return count


@njit(cache=True, nogil=True, error_model="numpy")
def _stopped(ux, uv, us, un, pit, standing, free, rate, low, top, ox, ov, osl, px, pv, ps, qx, qv, qs):  # type: ignore[no-untyped-def]
    """V of a stop before U: the least over what is filled. Returns the number of pieces."""
    fixed = pit + standing
    if rate <= 0.0:
        count = 0
        for k in range(un):
            count = _put(ox, ov, osl, count, ux[k], uv[k] + fixed, us[k])
        return count
    n = 1
    px[0], pv[0], ps[0] = low, 1e14, 0.0
    for k in range(un):
        if uv[k] >= 1e13:
            continue
        a, b = ux[k], ux[k + 1] if k + 1 < un else top
        s, va = us[k], uv[k]
        vb = va + s * (b - a)
        # where what is filled changes its kind: slope -1/rate, then 0 (or the other way round its own), then its own
        if s >= 0.0:
            first, second, third = a - free, a, b
            v1, s1 = va, -1.0 / rate  # value at `first`, seen from the left
            v2, s2, v3, s3 = va, 0.0, va, s
        elif s <= -1.0 / rate:
            first, second, third = b - free, b, b
            v1, s1, v2, s2, v3, s3 = vb, -1.0 / rate, vb, 0.0, vb, 0.0
        else:
            first, second, third = a - free, b - free, b
            v1, s1, v2, s2, v3, s3 = va, -1.0 / rate, va, s, vb, 0.0
        m = 0
        if first > low:
            m = _put(qx, qv, qs, m, low, v1 + s1 * (low - first) + fixed, s1)
        if second > low and second > first:
            at = max(first, low)
            m = _put(qx, qv, qs, m, at, v2 + s2 * (at - first) + fixed, s2)
        if third > second and third > low:
            at = max(second, low)
            m = _put(qx, qv, qs, m, at, v3 + s3 * (at - second) + fixed, s3)
        if m == 0:  # the piece is a point at the lower end
            m = _put(qx, qv, qs, m, low, vb + fixed, 0.0)
        if b < top - 1e-12:
            m = _put(qx, qv, qs, m, max(b, low + 1e-12), 1e14, 0.0)
        count = _least(px, pv, ps, n, qx, qv, qs, m, ox, ov, osl, top)
        n = count
        for i in range(n):
            px[i], pv[i], ps[i] = ox[i], ov[i], osl[i]
    for i in range(n):
        ox[i], ov[i], osl[i] = px[i], pv[i], ps[i]
    return n


@njit(cache=True, nogil=True, error_model="numpy")
def _value(xs, vs, ss, count, x):  # type: ignore[no-untyped-def]
    """A function's value at a place, the lesser side where it jumps there."""
    k = 0
    while k + 1 < count and xs[k + 1] <= x + 1e-9:
        k += 1
    here = vs[k] + ss[k] * (max(x, xs[k]) - xs[k])
    if k > 0 and x - xs[k] <= 1e-9:
        here = min(here, vs[k - 1] + ss[k - 1] * (x - xs[k - 1]))
    return here


@njit(cache=True, nogil=True, error_model="numpy")
def _relaxed(grouped, masks, wanted, use, weight, low, longest, first_longest, stop, priced, no_filling, stop_laps, most):  # type: ignore[no-untyped-def]
    """Bounds from below with every stint carrying its own need alone and a price on every litre.

    Returned are the time to come until leaving and the time to go from leaving, by (stops made or left, lap, set); the way and length
    behind each of the latter; and the cost of each stint beyond its table.

    :param stop: of a stop, less what its free litres are worth [s]
    :param priced: what a litre burnt costs [s]
    :param no_filling: whether all fuel is on board from the start
    """
    ways, laps = grouped.shape[0], grouped.shape[1] - 1
    sets = wanted + 1
    come, go = np.full((most + 1, laps + 1, sets), 1e14), np.full((most + 1, laps + 1, sets), 1e14)
    way_of, long = np.full((most + 1, laps + 1, sets), -1), np.zeros((most + 1, laps + 1, sets), dtype=np.int64)
    extra = np.zeros((laps + 1, laps + 1))
    for d in range(laps):
        for n in range(1, laps - d + 1):
            if no_filling:
                extra[d, n] = weight * (n * ((laps - d) * use + low) - use * n * (n - 1) / 2.0)
            else:
                extra[d, n] = weight * (n * low + use * n * (n + 1) / 2.0) + priced * use * n
    for k in range(most + 1):
        for d in range(laps - 1, -1, -1):
            most_n = min(laps - d, first_longest if d == 0 else longest)
            for b in range(sets):
                if b & ~wanted:
                    continue
                for n in range(1, most_n + 1):
                    to = d + n
                    if (to == laps) != (k == 0) or (to < laps and not stop_laps[to]):
                        continue
                    for way in range(ways):
                        if grouped[way, n] >= 1e13:
                            continue
                        after = (b | masks[way]) & wanted
                        rest = 0.0 if after == wanted else 1e14
                        if to < laps:
                            rest = stop + go[k - 1, to, after]
                        time = grouped[way, n] + extra[d, n] + rest
                        if time < go[k, d, b]:
                            go[k, d, b] = time
                            way_of[k, d, b], long[k, d, b] = way, n
    come[0, 0, 0] = 0.0
    for d in range(laps):
        most_n = min(laps - d - 1, first_longest if d == 0 else longest)
        for j in range(most):
            for b in range(sets):
                if come[j, d, b] >= 1e13:
                    continue
                for n in range(1, most_n + 1):
                    to = d + n
                    if not stop_laps[to]:
                        continue
                    for way in range(ways):
                        after = (b | masks[way]) & wanted
                        time = come[j, d, b] + grouped[way, n] + extra[d, n] + stop
                        if time < come[j + 1, to, after]:
                            come[j + 1, to, after] = time
    return come, go, way_of, long, extra


@njit(cache=True, nogil=True, error_model="numpy")
def _longer(array, size):  # type: ignore[no-untyped-def]
    found = np.empty(size)
    found[: len(array)] = array
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _stored(xs, vs, ss, used, fx, fv, fs, count):  # type: ignore[no-untyped-def]
    """Puts a function behind those that are stored, in longer arrays where these are full. Returns them, and how much is used."""
    if used + count > len(xs):
        more = 2 * len(xs) + count
        xs, vs, ss = _longer(xs, more), _longer(vs, more), _longer(ss, more)
    xs[used : used + count], vs[used : used + count], ss[used : used + count] = fx[:count], fv[:count], fs[:count]
    return xs, vs, ss, used + count


@njit(cache=True, nogil=True, error_model="numpy")
def _solve(grouped, masks, wanted, use, weight, low, top, pit, standing, free, rate, stop_laps, most, come, go, extra, stop, limits):  # type: ignore[no-untyped-def]
    """All U and V as flat pieces, with where each state's begin and how many they are; states and stints that no plan within the limits can
    use are left out.

    :param come: with `go`, `extra` and `stop` of `_relaxed`
    :param limits: time of the slowest plan that is asked for, less the bound's constant, by its number of stops [s]
    :param grouped: least cost of each way of adding to what is used, by laps, shape [masks, laps + 1]
    """
    ways, laps = grouped.shape[0], grouped.shape[1] - 1
    sets = wanted + 1
    wide = 4096
    bx, bv, bs = np.empty((4, wide)), np.empty((4, wide)), np.empty((4, wide))
    room = 1 << 14
    xs, vs, ss = np.empty(room), np.empty(room), np.empty(room)
    # index 0: U, 1: V; by stops left, lap, set
    begins = np.zeros((2, most + 1, laps + 1, sets), dtype=np.int64)
    counts = np.zeros((2, most + 1, laps + 1, sets), dtype=np.int64)
    xs[0], vs[0], ss[0] = low, 0.0, 0.0  # nothing is left to drive
    used = 1
    for k in range(most + 1):
        for d in range(laps - 1, -1, -1):
            for b in range(sets):
                if b & ~wanted:
                    continue
                slack = -1e14
                for j in range(most + 1 - k):
                    if come[j, d, b] < 1e13:
                        slack = max(slack, limits[j + k] - come[j, d, b])
                if go[k, d, b] > slack:
                    continue
                n = 1
                bx[0, 0], bv[0, 0], bs[0, 0] = low, 1e14, 0.0
                for length in range(1, laps - d + 1):
                    to = d + length
                    if (to == laps) != (k == 0):
                        continue
                    for way in range(ways):
                        cost = grouped[way, length]
                        if cost >= 1e13:
                            continue
                        after = (b | masks[way]) & wanted
                        if cost + extra[d, length] + (0.0 if to == laps else stop + go[k - 1, to, after]) > slack:
                            continue
                        if to == laps:
                            if after != wanted:
                                continue
                            begin, count = 0, 1
                        else:
                            begin, count = begins[1, k, to, after], counts[1, k, to, after]
                            if count == 0:
                                continue
                        part = slice(begin, begin + count)
                        m = _driven(
                            xs[part], vs[part], ss[part], count, length, cost, use, weight, low, top, bx[1], bv[1], bs[1]
                        )  # fmt: skip
                        if m == 0:
                            continue
                        n = _least(bx[0], bv[0], bs[0], n, bx[1], bv[1], bs[1], m, bx[2], bv[2], bs[2], top)
                        bx[0, :n], bv[0, :n], bs[0, :n] = bx[2, :n], bv[2, :n], bs[2, :n]
                if n == 1 and bv[0, 0] >= 1e13:
                    continue
                begins[0, k, d, b], counts[0, k, d, b] = used, n
                xs, vs, ss, used = _stored(xs, vs, ss, used, bx[0], bv[0], bs[0], n)
                if d > 0 and stop_laps[d] and k < most:
                    m = _stopped(
                        bx[0], bv[0], bs[0], n, pit, standing, free, rate, low, top, bx[1], bv[1], bs[1], bx[2], bv[2], bs[2], bx[3], bv[3],
                        bs[3],
                    )  # fmt: skip
                    begins[1, k + 1, d, b], counts[1, k + 1, d, b] = used, m
                    xs, vs, ss, used = _stored(xs, vs, ss, used, bx[1], bv[1], bs[1], m)
    return xs[:used], vs[:used], ss[:used], begins, counts


class Planner:
    """All times to go of a race, kept: the plan from any state is read from them."""

    def __init__(self, problem: Problem, within_s: float = 0.0) -> None:
        """:param within_s: plans this much slower than the quickest are exact too, whatever they begin with [s]"""
        self.problem = problem
        masks = np.unique(problem.adds & problem.wanted)
        members = [np.flatnonzero((problem.adds & problem.wanted) == mask) for mask in masks]
        self.masks = masks.astype(np.int64)
        self.grouped = np.array([problem.cost[rows].min(axis=0) for rows in members])
        self.option = np.array([rows[np.argmin(problem.cost[rows], axis=0)] for rows in members])
        p = problem
        self.grouped = np.minimum(self.grouped, NEVER)
        bound, stop, constant = self._bound()
        limits = self._limits()
        within = float(limits.min()) + within_s
        #: By the number of stops: times up to which plans are exact [s].
        self.limits = np.where(limits < NEVER, np.maximum(limits, within), within) + self._room_s()
        self.xs, self.vs, self.ss, self.begins, self.counts = _solve(
            self.grouped, self.masks, p.wanted, p.use_l, p.weight_s, p.least_l, p.tank_l + _POINT_L, p.pit_s,
            p.standing_s, p.free_l, p.rate, p.stop_laps, p.most_stops, bound[0], bound[1],
            bound[4], stop, self.limits - constant,
        )  # fmt: skip

    def _room_s(self) -> float:
        """What the bound and the plans that limit it may differ by where both are the same: rounding, and the point of fuel more [s]."""
        p = self.problem
        return 1e-5 + (p.most_stops + 2) * _POINT_L * (1.0 / p.rate if p.rate > 0.0 else 0.0) + p.laps * p.weight_s * _POINT_L

    def _relaxed(self, share: float) -> tuple[tuple[Floats, Floats, Ints, Ints, Floats], float, float]:
        """The bound with a litre priced at a share of what filling one takes; with the price of a stop in it, and its constant [s]."""
        p = self.problem
        priced = share / p.rate if p.rate > 0.0 else 0.0
        stop = p.pit_s + p.standing_s - priced * p.free_l
        longest, first = (longest_laps(p.use_l, p.least_l, most) for most in (p.tank_l, min(p.start_l, p.tank_l)))
        if p.rate <= 0.0 and first < p.laps:
            longest = first = 0  # what is on board at the start does not last
        found = _relaxed(
            self.grouped, self.masks, p.wanted, p.use_l, p.weight_s, p.least_l, longest, first, stop, priced, p.rate <= 0.0, p.stop_laps,
            p.most_stops,
        )  # fmt: skip
        return found, stop, -priced * (min(p.start_l, p.tank_l) - p.least_l)

    def _bound(self) -> tuple[tuple[Floats, Floats, Ints, Ints, Floats], float, float]:
        """The tightest of the bounds."""
        self.bounds = [self._relaxed(share) for share in ((0.0, 0.5, 1.0) if self.problem.rate > 0.0 else (0.0,))]
        return max(self.bounds, key=lambda one: float(one[0][1][:, 0, 0].min()) + one[2])

    def _limits(self) -> Floats:
        """A plan's time for each number of stops: the bounds' own shapes, filled at least cost [s]; `NEVER` where there is none."""
        p, found = self.problem, np.full(self.problem.most_stops + 1, NEVER)
        for (_, go, way_of, long, _), _, _ in self.bounds:
            for stops in range(p.least_stops, p.most_stops + 1):
                if go[stops, 0, 0] >= _NEVER_FROM:
                    continue
                lengths, costs = list[int](), list[float]()
                d = b = 0
                for k in range(stops, -1, -1):
                    way, n = int(way_of[k, d, b]), int(long[k, d, b])
                    lengths.append(n)
                    costs.append(float(self.grouped[way, n]))
                    d, b = d + n, int((b | self.masks[way]) & p.wanted)
                found[stops] = min(found[stops], chain_s(p, np.array(lengths), np.array(costs)))
        return found

    def _pieces(self, which: int, k: int, d: int, b: int) -> tuple[Floats, Floats, Floats]:
        begin, count = self.begins[which, k, d, b], self.counts[which, k, d, b]
        part = slice(begin, begin + count)
        return self.xs[part], self.vs[part], self.ss[part]

    def _at(self, which: int, k: int, d: int, b: int, x: float) -> float:
        """U (0) or V (1) of a state at this much fuel [s]."""
        if which and d == self.problem.laps:
            return 0.0 if k == 0 and b == self.problem.wanted else NEVER
        xs, vs, ss = self._pieces(which, k, d, b)
        if not len(xs) or not self.problem.least_l - _SAME_L <= x <= self.problem.tank_l + _SAME_L:
            return NEVER
        return float(_value(xs, vs, ss, len(xs), x))

    def _places(self, k: int, d: int, b: int, low: float, high: float) -> list[float]:
        """Where U may be least between two places: its breakpoints, and both ends."""
        xs = self._pieces(0, k, d, b)[0]
        return [low, high, *(float(x) for x in xs if low < x < high)]

    def best(self, stops: int, first: int | None = None) -> Best | None:
        """The plan of least time with so many stops; None where there is none.

        :param first: option of the first stint, any if not given; then None also where it is slower than what was asked to be exact
        """
        p = self.problem
        high = min(p.start_l, p.tank_l)
        if first is None:
            if not self.counts[0, stops, 0, 0]:
                return None
            places = self._places(stops, 0, 0, p.least_l, high) if high >= p.least_l else []
            fuel, time = min(((y, self._at(0, stops, 0, 0, y)) for y in places), key=lambda one: one[1], default=(0.0, NEVER))
            return None if time >= _NEVER_FROM else self._traced(stops, 0, 0, fuel, time)
        found = self._begun_with(stops, first, high)
        return None if found is None or found.time_s > self.limits[stops] else found

    def _begun_with(self, stops: int, first: int, high: float) -> Best | None:
        p, best = self.problem, (NEVER, 0, 0.0)
        b = int(p.adds[first] & p.wanted)
        for laps in range(1, p.laps + 1):
            cost, burnt = float(p.cost[first, laps]), p.use_l * laps
            if cost >= _NEVER_FROM or p.least_l + burnt > high + _SAME_L or (laps == p.laps) != (stops == 0):
                continue
            xs = np.array([p.least_l]) if laps == p.laps else self._pieces(1, stops, laps, b)[0]
            for arrives in [p.least_l, high - burnt, *(float(x) for x in xs if p.least_l < x < high - burnt)]:
                go = self._at(1, stops, laps, b, arrives)
                time = cost + p.carried_s(laps, arrives + burnt) + go
                best = min(best, (time, laps, arrives))
        time, laps, arrives = best
        if time >= _NEVER_FROM:
            return None
        leg = Leg(first, laps, arrives + p.use_l * laps, arrives)
        if laps == p.laps:
            return Best((leg,), time)
        rest = self._resumed(stops, laps, b, arrives)
        return Best((leg, *rest.legs), time)

    def _traced(self, k: int, d: int, b: int, leaves: float, time: float) -> Best:
        """The plan behind a value of U."""
        p = self.problem
        for laps in range(1, p.laps - d + 1):
            if (d + laps == p.laps) != (k == 0):
                continue
            arrives = leaves - p.use_l * laps
            if arrives < p.least_l - _SAME_L:
                break
            for way, mask in enumerate(self.masks):
                after = int((b | mask) & p.wanted)
                go = self._at(1, k, d + laps, after, max(arrives, p.least_l))
                mine = self.grouped[way, laps] + p.carried_s(laps, leaves) + go
                if mine <= time + max(_SAME_S * abs(time), 1e-7):
                    leg = Leg(int(self.option[way, laps]), laps, leaves, arrives)
                    rest = () if d + laps == p.laps else self._resumed(k, d + laps, after, max(arrives, p.least_l)).legs
                    return Best((leg, *rest), time)
        raise AssertionError("a value without a plan")  # pragma: no cover

    def _resumed(self, k: int, d: int, b: int, arrives: float) -> Best:
        """The plan from coming in with this much."""
        p = self.problem
        if p.rate <= 0.0:
            return self._traced(k - 1, d, b, arrives, self._at(0, k - 1, d, b, arrives))
        places = self._places(k - 1, d, b, arrives, p.tank_l)
        if arrives + p.free_l < p.tank_l:
            places.append(arrives + p.free_l)
        options = [(p.stop_s(y - arrives) + self._at(0, k - 1, d, b, y), y) for y in places]
        _, leaves = min(options)
        return self._traced(k - 1, d, b, leaves, self._at(0, k - 1, d, b, leaves))


@njit(cache=True, nogil=True, error_model="numpy")
def _chain_s(lengths, costs, use, weight, low, top, start, pit, standing, free, rate):  # type: ignore[no-untyped-def]
    """Least time of given stints over what is filled; `NEVER` where the tank does not hold them."""
    wide = 8 * len(lengths) + 64
    bx, bv, bs = np.empty((4, wide)), np.empty((4, wide)), np.empty((4, wide))
    bx[0, 0], bv[0, 0], bs[0, 0] = low, 0.0, 0.0
    n = 1
    for i in range(len(lengths) - 1, -1, -1):
        m = _driven(bx[0], bv[0], bs[0], n, lengths[i], costs[i], use, weight, low, top, bx[1], bv[1], bs[1])
        if m == 0:
            return 1e14
        if i == 0:
            best = 1e14
            for k in range(m):
                a = bx[1, k]
                b = min(bx[1, k + 1] if k + 1 < m else top, start)
                if a <= start + 1e-9 and bv[1, k] < 1e13:
                    best = min(best, bv[1, k], bv[1, k] + bs[1, k] * (max(b, a) - a))
            return best
        n = _stopped(
            bx[1], bv[1], bs[1], m, pit, standing, free, rate, low, top, bx[0], bv[0], bs[0], bx[2], bv[2], bs[2], bx[3], bv[3], bs[3]
        )
    return 1e14


def chain_s(filling: Filling, lengths: Ints, costs: Floats) -> float:
    """Least time of given stints over what is filled [s]; as if the tank just held the longest where it does not."""
    p = filling
    need = lengths.astype(np.float64) * p.use_l if p.rate > 0.0 else np.full(len(lengths), float(lengths.sum()) * p.use_l)
    top, start = max(p.tank_l, float(need.max()) + p.least_l) + _POINT_L, max(p.start_l, float(need[0]) + p.least_l) + _POINT_L
    return float(_chain_s(lengths, costs, p.use_l, p.weight_s, p.least_l, top, start, p.pit_s, p.standing_s, p.free_l, p.rate))


def stop_terms(tyres_s: float, least_s: float, rate: float, in_parallel: bool) -> tuple[float, float]:
    """t0 [s] and q [l] of a stop.

    :param tyres_s: change of tyres [s]
    :param least_s: least standing time [s]
    :param rate: of refuelling [l/s]; 0 where there is none
    """
    standing = max(tyres_s, least_s)
    if rate <= 0.0:
        return standing, 0.0
    return standing, rate * standing if in_parallel else rate * max(0.0, least_s - tyres_s)


def longest_laps(use_l: float, least_l: float, most_l: float) -> int:
    """Laps that so much fuel lasts."""
    return max(math.floor((most_l - least_l) / use_l + _SAME_L), 0)
