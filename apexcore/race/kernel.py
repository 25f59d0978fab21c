"""Compiled functions of the exact plan: piecewise linear functions of the fuel on board, the bound from below, and the search.

All of them are in this file, since a compiled function does not notice when one of another file changes. What they mean stands in
`exact`; here functions of fuel are three arrays (where a piece begins, its value there, its slope), with `1e14` for what cannot be.
Arrays are copied in loops: a slice that is assigned to a slice costs the compiler five seconds.
"""

# mypy: allow-untyped-defs

from typing import Any, NamedTuple

import numpy as np

from ..compiled import compiled


class Race(NamedTuple):
    """What a stint may be, and what it burns: the rules of a race as the search walks them.

    :param cost: least cost of each way (tyres and how they are driven) by lap it begins at, or one for all, and laps [s]
    :param nxt: state of what was used after each way and laps, -1 where that is forbidden; by state, way and laps that count
    :param done: whether nothing is lacking in a state
    :param klass: number of each way's use
    :param at_start: ways that may be on at the start
    :param later: ways that may be fitted at a stop
    :param stop_laps: whether one may stop behind each lap
    :param legs: most laps from leaving the pit to coming in, by use and the lap behind which one leaves
    :param staying: the same on tyres that stay on at one end of them at least
    :param leg_s: longest time of these laps, which holds where tyres come off at their end [s]
    :param track: what the track adds up to each lap [s]
    :param uses: fuel burnt on a lap, by its number [l]
    :param weight: what a litre on board costs on a lap [s]
    :param low: fuel that must be left [l]
    :param top: most on board [l]
    :param most: stops at most
    :param most_inner: of them, those at which tyres stay on
    """

    cost: Any
    nxt: Any
    done: Any
    klass: Any
    at_start: Any
    later: Any
    stop_laps: Any
    legs: Any
    staying: Any
    leg_s: Any
    track: Any
    uses: Any
    weight: float
    low: float
    top: float
    most: int
    most_inner: int


class Stops(NamedTuple):
    """A kind of stop.

    :param pit: pit lane [s]
    :param standing: t0 [s]
    :param free: q [l]
    :param rate: r [l/s]; 0 where nothing can be filled
    """

    pit: float
    standing: float
    free: float
    rate: float


class Bound(NamedTuple):
    """What a plan takes at least.

    :param come: time until leaving, by stops made, lap and state [s]
    :param go: time from leaving on, by stops left, lap and state [s]
    :param extra: what fuel costs a stint, by use, lap (or one for all) and laps [s]
    :param inner: the same by use, fuel-only stops and laps [s]
    :param stop: of a stop, less what its free litres are worth [s]
    :param stay: of one at which tyres stay on [s]
    """

    come: Any
    go: Any
    extra: Any
    inner: Any
    stop: float
    stay: float


class Found(NamedTuple):
    """All U and V as flat pieces, and where each one's begin and how many they are.

    :param begins: of U (0) and V (1), by stops left, lap and state
    :param rows: of the functions on tyres that stay on: begin and count of leaving, of coming in, and whether one is wanted
    :param slots: where their rows begin, by stops left, lap and state in which the tyres come off, and use; -1 for none
    :param from_lap: the first lap of each of them
    :param inner_stops: fuel-only stops of each of them at most
    """

    xs: Any
    vs: Any
    ss: Any
    begins: Any
    counts: Any
    rows: Any
    slots: Any
    from_lap: Any
    inner_stops: Any


@compiled()
def _put(xs, vs, ss, count, x, v, s):
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


@compiled()
def _least(ax, av, asl, an, bx, bv, bsl, bn, ox, ov, osl, top):
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


@compiled()
def _most_on_board(laps, cost, use, weight, most_s, top):
    """With how much a stint may leave so that its laps take no longer than allowed; below 0 where it may not be driven at all."""
    room = most_s - cost
    if most_s >= 1e13:
        return top
    if weight * laps <= 1e-12:
        return top if room >= -1e-9 else -1.0
    return min(top, room / (weight * laps) + use * (laps - 1) / 2.0 + 1e-9)


@compiled()
def _driven(vx, vv, vs, vn, laps, cost, use, weight, low, top, most, ox, ov, osl):
    """U of one stint: V moved by what it burns, with its cost. Returns the number of pieces; 0 where the tank does not hold it.

    :param most: with how much it may leave at most
    """
    burnt = use * laps
    if low + burnt > min(top, most) + 1e-9:
        return 0
    base = cost - weight * use * laps * (laps - 1) / 2.0
    count = 0
    if burnt > 1e-12:
        count = _put(ox, ov, osl, count, low, 1e14, 0.0)
    for k in range(vn):
        x = min(vx[k] + burnt, top)
        if k > 0 and vx[k] + burnt > top:
            break
        if most < top and x > most:
            break
        if vv[k] >= 1e13:
            count = _put(ox, ov, osl, count, x, 1e14, 0.0)
        else:
            count = _put(ox, ov, osl, count, x, vv[k] + base + weight * laps * x, vs[k] + weight * laps)
    if most < top - 1e-9:
        count = _put(ox, ov, osl, count, max(most, ox[count - 1] + 2e-12), 1e14, 0.0)
    return count


@compiled()
def _stopped(ux, uv, us, un, stop, low, top, ox, ov, osl, px, pv, ps, qx, qv, qs):
    """V of a stop before U: the least over what is filled. Returns the number of pieces."""
    fixed, free, rate = stop.pit + stop.standing, stop.free, stop.rate
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


@compiled()
def value(xs, vs, ss, count, x):
    """A function's value at a place, the lesser side where it jumps there."""
    k = 0
    while k + 1 < count and xs[k + 1] <= x + 1e-9:
        k += 1
    here = vs[k] + ss[k] * (max(x, xs[k]) - xs[k])
    if k > 0 and x - xs[k] <= 1e-9:
        here = min(here, vs[k - 1] + ss[k - 1] * (x - xs[k - 1]))
    return here


@compiled()
def _longer(array, size):
    found = np.empty(size)
    for i in range(len(array)):
        found[i] = array[i]
    return found


@compiled()
def _stored(xs, vs, ss, used, fx, fv, fs, count):
    """Puts a function behind those that are stored, in longer arrays where these are full. Returns them, and how much is used."""
    if used + count > len(xs):
        more = 2 * len(xs) + count
        xs, vs, ss = _longer(xs, more), _longer(vs, more), _longer(ss, more)
    for i in range(count):
        xs[used + i], vs[used + i], ss[used + i] = fx[i], fv[i], fs[i]
    return xs, vs, ss, used + count


@compiled()
def carried(uses, weight, low, priced, longest, most_inner, laps, stop):
    """What fuel costs at least over so many laps on one set of tyres, by use, fuel-only stops on the way and laps; and the first part's
    laps."""
    classes = len(uses)
    cost = np.full((classes, most_inner + 1, laps + 1), 1e14)
    part = np.zeros((classes, most_inner + 1, laps + 1), dtype=np.int64)
    for u in range(classes):
        for n in range(1, min(laps, longest[u]) + 1):
            cost[u, 0, n] = weight * (n * low + uses[u] * n * (n + 1) / 2.0) + priced * uses[u] * n
            part[u, 0, n] = n
        for j in range(1, most_inner + 1):
            for n in range(j + 1, laps + 1):
                for x in range(1, min(longest[u], n - 1) + 1):
                    time = cost[u, 0, x] + stop + cost[u, j - 1, n - x]
                    if time < cost[u, j, n]:
                        cost[u, j, n], part[u, j, n] = time, x
    return cost, part


@compiled()
def all_on_board(uses, weight, low, laps):
    """The same where all fuel is on board from the start, by use, lap and laps: the rest of the race at the least use there is."""
    least = uses[0]
    for use in uses:
        least = min(least, use)
    cost = np.zeros((len(uses), laps, laps + 1))
    for u in range(len(uses)):
        for d in range(laps):
            for n in range(1, laps - d + 1):
                rest = (laps - d - n) * least + low
                cost[u, d, n] = weight * (n * rest + uses[u] * n * (n + 1) / 2.0)
    return cost


@compiled()
def _legal(race, d, b, reach, ways, lengths, afters, costs):
    """All that may be driven from a state on tyres that are fitted there: which way, how many laps, the state behind them and their cost.

    Every rule of a set of tyres stands here and nowhere else; those of what lies between two stops stand in `_leg`.

    :param reach: laps at most
    :returns: how many there are; they are written to the four arrays
    """
    table, nxt, done, stop_laps = race.cost, race.nxt, race.done, race.stop_laps  # a field that is asked for again and again takes longer
    fitted = race.at_start if d == 0 else race.later
    laps, begins, cap, count = table.shape[2] - 1, d if table.shape[1] > 1 else 0, nxt.shape[2] - 1, 0
    for n in range(1, min(laps - d, reach) + 1):
        to = d + n
        if to < laps and not stop_laps[to]:
            continue
        for way in range(table.shape[0]):
            cost = table[way, begins, n]
            after = nxt[b, way, min(n, cap)]
            if cost >= 1e13 or after < 0 or not fitted[way]:
                continue
            if to < laps or done[after]:
                ways[count], lengths[count], afters[count], costs[count] = way, n, after, cost
                count += 1
    return count


@compiled()
def _lists(race):
    """Room for what `_legal` writes."""
    most = max(race.cost.shape[0] * (race.cost.shape[2] - 1), 1)
    kinds = np.empty((3, most), dtype=np.int64)
    return kinds[0], kinds[1], kinds[2], np.empty(most)


@compiled()
def _leg(legs, leg_s, track, d, n, u, use, weight, cost, top):
    """With how much a stint on one set of tyres may leave, by the rules of what lies between two stops; below 0 where it is too long."""
    if n > legs[u, d]:
        return -1.0
    return _most_on_board(n, cost + track[d + n] - track[d], use, weight, leg_s[d], top)


@compiled()
def _inner_stops(k, most_inner, last):
    """The first and the last number of fuel-only stops that a set may have with so many stops left: the last set takes all of them."""
    if last:
        return k, min(k, most_inner)
    return 0, min(k - 1, most_inner)


@compiled()
def relaxed(race, extra, inner, longest, first_longest, stop):
    """Bounds from below with every stint carrying its own need alone and a price on every litre.

    Returned are the time to come until leaving and the time to go from leaving, by (lap, state, stops made or left), so that what is
    looped over lies together; and the way, length and fuel-only stops behind each of the latter.

    :param extra: with `inner` and `stop` those of `Bound`
    :param longest: laps that the tank holds, by use; `first_longest` those from the start
    """
    laps, sets, most, most_inner, loads = race.cost.shape[2] - 1, race.nxt.shape[0], race.most, race.most_inner, extra.shape[1]
    klass = race.klass
    come, go = np.full((laps + 1, sets, most + 1), 1e14), np.full((laps + 1, sets, most + 1), 1e14)
    way_of, long = np.full((laps + 1, sets, most + 1), -1), np.zeros((laps + 1, sets, most + 1), dtype=np.int64)
    within = np.zeros((laps + 1, sets, most + 1), dtype=np.int64)
    most_laps = 0
    for reach in longest:
        most_laps = max(most_laps, reach)
    tank = (1 + most_inner) * most_laps
    most_laps = max(most_laps, 1)
    ways, lengths, afters, costs = _lists(race)
    reached = np.zeros((laps + 1, sets), dtype=np.bool_)  # where nothing comes nothing goes on
    reached[0, 0] = True
    for d in range(laps):
        for b in range(sets):
            if reached[d, b]:
                for i in range(_legal(race, d, b, tank, ways, lengths, afters, costs)):
                    reached[d + lengths[i], afters[i]] = True
    for d in range(laps - 1, -1, -1):
        for b in range(sets):
            if not reached[d, b]:
                continue
            for i in range(_legal(race, d, b, tank, ways, lengths, afters, costs)):
                way, n, after, to = ways[i], lengths[i], afters[i], d + lengths[i]
                u = klass[way]
                if longest[u] <= 0:
                    continue
                left = -(-(laps - to) // most_laps)  # stints that the rest takes at least
                fewest = max(0, -(((first_longest[u] if d == 0 else longest[u]) - n) // longest[u]))
                for j in range(fewest, min(most - left, most_inner) + 1):
                    fixed = costs[i] + (inner[u, j, n] if j > 0 else extra[u, d if loads > 1 else 0, n])
                    if fixed >= 1e13:
                        continue
                    if to == laps:
                        if fixed < go[d, b, j]:
                            go[d, b, j] = fixed
                            way_of[d, b, j], long[d, b, j], within[d, b, j] = way, n, j
                        continue
                    fixed += stop
                    for k in range(j + left, most + 1):
                        time = fixed + go[to, after, k - j - 1]
                        if time < go[d, b, k]:
                            go[d, b, k] = time
                            way_of[d, b, k], long[d, b, k], within[d, b, k] = way, n, j
    come[0, 0, 0] = 0.0
    for d in range(laps):
        for b in range(sets):
            k_low, k_high = most + 1, -1
            for k in range(most):
                if come[d, b, k] < 1e13:
                    k_low, k_high = min(k_low, k), k
            if k_high < 0:
                continue
            for i in range(_legal(race, d, b, tank, ways, lengths, afters, costs)):
                n, after, to = lengths[i], afters[i], d + lengths[i]
                u = klass[ways[i]]
                if to == laps or longest[u] <= 0:
                    continue
                left = -(-(laps - to) // most_laps)
                fewest = max(0, -(((first_longest[u] if d == 0 else longest[u]) - n) // longest[u]))
                for j in range(fewest, min(most - k_low - left, most_inner) + 1):
                    fixed = costs[i] + (inner[u, j, n] if j > 0 else extra[u, d if loads > 1 else 0, n]) + stop
                    if fixed >= 1e13:
                        continue
                    for k in range(k_low, min(k_high, most - j - left) + 1):
                        time = come[d, b, k] + fixed
                        if time < come[to, after, k + j + 1]:
                            come[to, after, k + j + 1] = time
    return come, go, way_of, long, within


@compiled()
def _slack(bound, limits, k, d, b, most):
    """Time that may be left from a state on if a plan through it is asked for [s]; below every time where none is."""
    slack, come = -1e14, bound.come
    for j in range(most + 1 - k):
        if come[j, d, b] < 1e13:
            slack = max(slack, limits[j + k] - come[j, d, b])
    return slack if bound.go[k, d, b] <= slack else -1e14


@compiled()
def _wanted_inside(race, bound, limits):
    """For every (stops left, lap, state) at which tyres come off and every use: from which lap on, and with how many fuel-only stops at
    most, a plan that is asked for may come there on one set of tyres."""
    laps, sets, most, classes = race.cost.shape[2] - 1, race.nxt.shape[0], race.most, len(race.uses)
    klass, most_inner, inner, go = race.klass, race.most_inner, bound.inner, bound.go
    first = np.full((most + 1, laps + 1, sets, classes), laps)
    stops = np.zeros((most + 1, laps + 1, sets, classes), dtype=np.int64)
    ways, lengths, afters, costs = _lists(race)
    for d in range(laps):
        for b in range(sets):
            listed = -1
            for k in range(most + 1):
                slack = _slack(bound, limits, k, d, b, most)
                if slack <= -1e14:
                    continue
                if listed < 0:
                    listed = _legal(race, d, b, laps, ways, lengths, afters, costs)
                for i in range(listed):
                    n, after, to, u = lengths[i], afters[i], d + lengths[i], klass[ways[i]]
                    fewest, many = _inner_stops(k, most_inner, to == laps)
                    for j in range(max(fewest, 1), many + 1):
                        rest = 0.0 if to == laps else bound.stop + go[k - j - 1, to, after]
                        if costs[i] + inner[u, j, n] + rest <= slack:
                            first[k - j, to, after, u] = min(first[k - j, to, after, u], d)
                            stops[k - j, to, after, u] = max(stops[k - j, to, after, u], j)
    return first, stops


@compiled()
def _marked(race, bound, limits, first, stops):
    """Rows for the functions on tyres that come off, by (stops left, lap, state, use): where they begin, -1 for none; and which of them a
    plan that is asked for may use: each one's last column."""
    laps, sets, most, classes = race.cost.shape[2] - 1, race.nxt.shape[0], race.most, len(race.uses)
    klass, most_inner, inner, go, stay = race.klass, race.most_inner, bound.inner, bound.go, bound.stay
    slots, taken = np.full((most + 1, laps + 1, sets, classes), -1), 0
    for k in range(most + 1):
        for end in range(laps + 1):
            for b in range(sets):
                for u in range(classes):
                    if stops[k, end, b, u] > 0:
                        slots[k, end, b, u] = taken
                        taken += (stops[k, end, b, u] + 1) * (end - first[k, end, b, u])
    rows = np.zeros((max(taken, 1), 5), dtype=np.int64)
    ways, lengths, afters, costs = _lists(race)
    for d in range(laps):
        for b in range(sets):
            listed = -1
            for k in range(most + 1):
                slack = _slack(bound, limits, k, d, b, most)
                if slack <= -1e14:
                    continue
                if listed < 0:
                    listed = _legal(race, d, b, laps, ways, lengths, afters, costs)
                for m in range(listed):
                    n, after, to, u, cost = lengths[m], afters[m], d + lengths[m], klass[ways[m]], costs[m]
                    fewest, many = _inner_stops(k, most_inner, to == laps)
                    for j in range(max(fewest, 1), many + 1):
                        rest = 0.0 if to == laps else bound.stop + go[k - j - 1, to, after]
                        if cost + inner[u, j, n] + rest > slack:
                            continue
                        begin = slots[k - j, to, after, u]
                        from_lap = first[k - j, to, after, u]
                        rows[begin + j * (to - from_lap) + d - from_lap, 4] = 1
                        for i in range(j):
                            for x in range(d + 1, to):
                                if cost + inner[u, j - i - 1, x - d] + stay + inner[u, i, to - x] + rest <= slack:
                                    rows[begin + i * (to - from_lap) + x - from_lap, 4] = 1
    return slots, rows


@compiled()
def _inside(
    xs, vs, ss, used, rows, base, begin, count, from_lap, end, most_inner, race, u, stay, bx, bv, bs,
):  # fmt: skip
    """Functions of leaving with fuel on tyres that come off at `end`, by fuel-only stops until then and lap; and of coming in for one.

    :param begin: with `count` V where the tyres come off
    :param rows: (begin, count) of each function of leaving, then (begin, count) of coming in, then whether it is wanted; from `base` on
    :param stay: a fuel-only stop
    """
    laps, use, weight, low, top = end - from_lap, race.uses[u], race.weight, race.low, race.top
    stop_laps, staying = race.stop_laps, race.staying
    for j in range(most_inner + 1):
        for x in range(end - 1, from_lap - 1, -1):
            row = base + j * laps + x - from_lap
            if rows[row, 4] == 0:
                continue
            if j == 0:
                if end - x > staying[u, x]:
                    continue
                part = slice(begin, begin + count)
                n = _driven(xs[part], vs[part], ss[part], count, end - x, 0.0, use, weight, low, top, top, bx[0], bv[0], bs[0])
                if n == 0:
                    continue
            else:
                n = 1
                bx[0, 0], bv[0, 0], bs[0, 0] = low, 1e14, 0.0
                for to in range(x + 1, end):
                    if to - x > staying[u, x] or low + use * (to - x) > top + 1e-9:
                        break
                    before = base + (j - 1) * laps + to - from_lap
                    if rows[before, 3] == 0 or not stop_laps[to]:
                        continue
                    part = slice(rows[before, 2], rows[before, 2] + rows[before, 3])
                    m = _driven(xs[part], vs[part], ss[part], rows[before, 3], to - x, 0.0, use, weight, low, top, top, bx[1], bv[1], bs[1])
                    if m == 0:
                        continue
                    n = _least(bx[0], bv[0], bs[0], n, bx[1], bv[1], bs[1], m, bx[2], bv[2], bs[2], top)
                    for i in range(n):
                        bx[0, i], bv[0, i], bs[0, i] = bx[2, i], bv[2, i], bs[2, i]
                if n == 1 and bv[0, 0] >= 1e13:
                    continue
            rows[row, 0], rows[row, 1] = used, n
            xs, vs, ss, used = _stored(xs, vs, ss, used, bx[0], bv[0], bs[0], n)
            if x > from_lap and stop_laps[x] and j < most_inner:
                m = _stopped(
                    bx[0], bv[0], bs[0], n, stay, low, top, bx[1], bv[1], bs[1], bx[2], bv[2], bs[2], bx[3], bv[3], bs[3]
                )  # fmt: skip
                rows[row, 2], rows[row, 3] = used, m
                xs, vs, ss, used = _stored(xs, vs, ss, used, bx[1], bv[1], bs[1], m)
    return xs, vs, ss, used


@compiled()
def row_of(slots, from_lap, inner_stops, k, end, b, u, j, lap):
    """The row of leaving at a lap on tyres that come off at `end`, with so many fuel-only stops on the way; -1 where it was left out."""
    slot, first = slots[k, end, b, u], from_lap[k, end, b, u]
    if slot < 0 or lap < first or j > inner_stops[k, end, b, u]:
        return -1
    return slot + j * (end - first) + lap - first


@compiled()
def _behind(begins, counts, rows, slots, from_lap, inner_stops, laps, k, d, n, after, u, j):
    """The function that follows a stint, that of coming in or, where tyres stay on, of leaving: where its pieces begin, how many they are,
    and laps that it does not hold yet."""
    to = d + n
    if j > 0:
        row = row_of(slots, from_lap, inner_stops, 0 if to == laps else k - j, to, after, u, j, d)
        return (rows[row, 0], rows[row, 1], 0) if row >= 0 else (0, 0, 0)
    if to == laps:
        return 0, 1, n
    return begins[1, k, to, after], counts[1, k, to, after], n


@compiled()
def solve(race, tyres, stay, bound, limits):
    """All U and V; states and stints that no plan within the limits can use are left out.

    :param tyres: stops at which tyres are changed; `stay` those at which they stay on
    :param limits: time of the slowest plan that is asked for, less the bound's constant, by its number of stops [s]
    """
    laps, sets, most, loads = race.cost.shape[2] - 1, race.nxt.shape[0], race.most, bound.extra.shape[1]
    wide, classes, low, top, uses, weight = 4096, len(race.uses), race.low, race.top, race.uses, race.weight
    legs, leg_s, track = race.legs, race.leg_s, race.track
    bx, bv, bs = np.empty((4, wide)), np.empty((4, wide)), np.empty((4, wide))
    room = 1 << 14
    xs, vs, ss = np.empty(room), np.empty(room), np.empty(room)
    begins = np.zeros((2, most + 1, laps + 1, sets), dtype=np.int64)
    counts = np.zeros((2, most + 1, laps + 1, sets), dtype=np.int64)
    xs[0], vs[0], ss[0] = low, 0.0, 0.0  # nothing is left to drive
    used = 1
    if race.most_inner > 0:
        from_lap, inner_stops = _wanted_inside(race, bound, limits)
        slots, rows = _marked(race, bound, limits, from_lap, inner_stops)
        for b in range(sets):
            for u in range(classes):
                if race.done[b] and inner_stops[0, laps, b, u] > 0:
                    xs, vs, ss, used = _inside(
                        xs, vs, ss, used, rows, slots[0, laps, b, u], 0, 1, from_lap[0, laps, b, u], laps, inner_stops[0, laps, b, u],
                        race, u, stay, bx, bv, bs,
                    )  # fmt: skip
    else:
        from_lap, inner_stops = np.zeros((1, 1, 1, 1), dtype=np.int64), np.zeros((1, 1, 1, 1), dtype=np.int64)
        slots, rows = np.full((1, 1, 1, 1), -1), np.zeros((1, 5), dtype=np.int64)
    klass, most_inner, inner, extra, go, stop = race.klass, race.most_inner, bound.inner, bound.extra, bound.go, bound.stop
    ways, lengths, afters, costs = _lists(race)
    for d in range(laps - 1, -1, -1):
        for b in range(sets):
            listed = -1
            for k in range(most + 1):
                slack = _slack(bound, limits, k, d, b, most)
                if slack <= -1e14:
                    continue
                if listed < 0:
                    listed = _legal(race, d, b, laps, ways, lengths, afters, costs)
                n = 1
                bx[0, 0], bv[0, 0], bs[0, 0] = low, 1e14, 0.0
                for m in range(listed):
                    length, after, to, u, cost = lengths[m], afters[m], d + lengths[m], klass[ways[m]], costs[m]
                    fewest, many = _inner_stops(k, most_inner, to == laps)
                    for j in range(fewest, many + 1):
                        fuel = inner[u, j, length] if j > 0 else extra[u, d if loads > 1 else 0, length]
                        if cost + fuel + (0.0 if to == laps else stop + go[k - j - 1, to, after]) > slack:
                            continue
                        begin, count, driven = _behind(
                            begins, counts, rows, slots, from_lap, inner_stops, laps, k, d, length, after, u, j
                        )  # fmt: skip
                        board = _leg(legs, leg_s, track, d, length, u, uses[u], weight, cost, top) if j == 0 else top
                        if count == 0 or board < 0.0:
                            continue
                        part = slice(begin, begin + count)
                        many_pieces = _driven(
                            xs[part], vs[part], ss[part], count, driven, cost, uses[u], weight, low, top, board, bx[1], bv[1], bs[1]
                        )  # fmt: skip
                        if many_pieces == 0:
                            continue
                        n = _least(bx[0], bv[0], bs[0], n, bx[1], bv[1], bs[1], many_pieces, bx[2], bv[2], bs[2], top)
                        for i in range(n):
                            bx[0, i], bv[0, i], bs[0, i] = bx[2, i], bv[2, i], bs[2, i]
                if n == 1 and bv[0, 0] >= 1e13:
                    continue
                begins[0, k, d, b], counts[0, k, d, b] = used, n
                xs, vs, ss, used = _stored(xs, vs, ss, used, bx[0], bv[0], bs[0], n)
                if d > 0 and race.stop_laps[d] and k < most:
                    n = _stopped(
                        bx[0], bv[0], bs[0], n, tyres, low, top, bx[1], bv[1], bs[1], bx[2], bv[2], bs[2], bx[3], bv[3], bs[3]
                    )  # fmt: skip
                    begins[1, k + 1, d, b], counts[1, k + 1, d, b] = used, n
                    xs, vs, ss, used = _stored(xs, vs, ss, used, bx[1], bv[1], bs[1], n)
                    if race.most_inner > 0:
                        for u in range(classes):
                            if inner_stops[k + 1, d, b, u] > 0:
                                xs, vs, ss, used = _inside(
                                    xs, vs, ss, used, rows, slots[k + 1, d, b, u], begins[1, k + 1, d, b], n, from_lap[k + 1, d, b, u], d,
                                    inner_stops[k + 1, d, b, u], race, u, stay, bx, bv, bs,
                                )  # fmt: skip
    return Found(xs[:used], vs[:used], ss[:used], begins, counts, rows, slots, from_lap, inner_stops)


@compiled()
def arc(race, found, k, d, b, leaves, time):
    """The first stint (way, laps, fuel-only stops) behind a value of U; a way of -1 where there is none."""
    laps, low, within = race.cost.shape[2] - 1, race.low, max(1e-10 * abs(time), 1e-7)
    begins, counts, rows, uses, weight = found.begins, found.counts, found.rows, race.uses, race.weight
    ways, lengths, afters, costs = _lists(race)
    for m in range(_legal(race, d, b, laps, ways, lengths, afters, costs)):
        n, after, u, cost = lengths[m], afters[m], race.klass[ways[m]], costs[m]
        fewest, many = _inner_stops(k, race.most_inner, d + n == laps)
        for j in range(fewest, many + 1):
            if j == 0 and leaves > _leg(race.legs, race.leg_s, race.track, d, n, u, uses[u], weight, cost, 1e9) + 1e-8:
                continue
            begin, count, driven = _behind(
                begins, counts, rows, found.slots, found.from_lap, found.inner_stops, laps, k, d, n, after, u, j
            )  # fmt: skip
            arrives = leaves - uses[u] * driven
            if count == 0 or arrives < low - 1e-9:
                continue
            part = slice(begin, begin + count)
            mine = cost + weight * (driven * leaves - uses[u] * driven * (driven - 1) / 2.0)
            mine += value(found.xs[part], found.vs[part], found.ss[part], count, max(arrives, low))
            if mine <= time + within:
                return ways[m], n, j
    return -1, 0, 0


@compiled()
def _arrived(xs, vs, ss, begin, count, burnt, cost, weight_laps, carried, low, start_low, high):
    """The least of a stint's cost and what follows, over the fuel that it leaves with. Returns it and that fuel."""
    best, at = 1e14, 0.0
    for k in range(-2, count):
        if k == -2:
            y = max(low + burnt, start_low)
        elif k == -1:
            y = high
        else:
            y = xs[begin + k] + burnt
        if y > high + 1e-9 or y < start_low - 1e-9 or y < low + burnt - 1e-9:
            continue
        part = slice(begin, begin + count)
        go = value(xs[part], vs[part], ss[part], count, max(y - burnt, low))
        time = cost + weight_laps * y - carried + go
        if go < 1e13 and time < best:
            best, at = time, y
    return best, at


@compiled()
def begun(race, found, start_low, high, stops):
    """The least time of a plan with so many stops that begins in one of the ways: it, the way, laps and fuel-only stops of its first tyres,
    and the fuel to start with.

    :param race: of the options alone that may be first
    :param start_low: fuel at the start of the first lap at least, `high` at most [l]
    """
    laps, uses, weight = race.cost.shape[2] - 1, race.uses, race.weight
    best, of_way, of_laps, of_inner, leaves = 1e14, -1, 0, 0, 0.0
    ways, lengths, afters, costs = _lists(race)
    for m in range(_legal(race, 0, 0, laps, ways, lengths, afters, costs)):
        n, after, u, cost = lengths[m], afters[m], race.klass[ways[m]], costs[m]
        fewest, many = _inner_stops(stops, race.most_inner, n == laps)
        for j in range(fewest, many + 1):
            use = uses[u]
            board = _leg(race.legs, race.leg_s, race.track, 0, n, u, use, weight, cost, high) if j == 0 else high
            begin, count, driven = _behind(
                found.begins, found.counts, found.rows, found.slots, found.from_lap, found.inner_stops, laps, stops, 0, n, after, u, j
            )  # fmt: skip
            if count == 0 or board < 0.0:
                continue
            time, at = _arrived(
                found.xs, found.vs, found.ss, begin, count, use * driven, cost, weight * driven,
                weight * use * driven * (driven - 1) / 2.0, race.low, start_low, board,
            )  # fmt: skip
            if time < best:
                best, of_way, of_laps, of_inner, leaves = time, ways[m], n, j, at
    return best, of_way, of_laps, of_inner, leaves


@compiled()
def chain_s(lengths, costs, uses, fitted, weight, low, top, start_low, start, tyres, stay, most_s):
    """Least time of given stints over what is filled; 1e14 where the tank does not hold them.

    :param fitted: whether tyres are changed before each stint
    :param tyres: a stop for tyres, `stay` one for fuel only
    :param most_s: longest time of each stint's laps, beside what is not in its costs [s]
    """
    wide = 8 * len(lengths) + 64
    bx, bv, bs = np.empty((4, wide)), np.empty((4, wide)), np.empty((4, wide))
    bx[0, 0], bv[0, 0], bs[0, 0] = low, 0.0, 0.0
    n = 1
    for i in range(len(lengths) - 1, -1, -1):
        board = _most_on_board(lengths[i], costs[i], uses[i], weight, most_s[i], top)
        m = _driven(bx[0], bv[0], bs[0], n, lengths[i], costs[i], uses[i], weight, low, top, board, bx[1], bv[1], bs[1])
        if m == 0:
            return 1e14
        if i == 0:
            best = 1e14
            for k in range(m):
                a = max(bx[1, k], start_low)
                b = min(bx[1, k + 1] if k + 1 < m else top, start)
                if a <= start + 1e-9 and (a <= b + 1e-9) and bv[1, k] < 1e13:
                    va = bv[1, k] + bs[1, k] * (a - bx[1, k])
                    best = min(best, va, va + bs[1, k] * (max(b, a) - a))
            return best
        stop = tyres if fitted[i] else stay
        n = _stopped(bx[1], bv[1], bs[1], m, stop, low, top, bx[0], bv[0], bs[0], bx[2], bv[2], bs[2], bx[3], bv[3], bs[3])
    return 1e14
