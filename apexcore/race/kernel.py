"""Compiled functions of the exact plan: piecewise linear functions of the fuel on board, the bound from below, and the search.

All of them are in this file, since a compiled function does not notice when one of another file changes. What they mean stands in
`exact`; here functions of fuel are three arrays (where a piece begins, its value there, its slope), with `1e14` for what cannot be.
Arrays are copied in loops: a slice that is assigned to a slice costs the compiler five seconds.
"""

# mypy: allow-untyped-defs

import numpy as np

from ..compiled import compiled


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
def _stopped(ux, uv, us, un, pit, standing, free, rate, low, top, ox, ov, osl, px, pv, ps, qx, qv, qs):
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
def relaxed(grouped, nxt, done, klass, extra, inner, longest, first_longest, at_start, later, stop, stop_laps, most):
    """Bounds from below with every stint carrying its own need alone and a price on every litre.

    Returned are the time to come until leaving and the time to go from leaving, by (lap, state, stops made or left), so that what is
    looped over lies together; and the way, length and fuel-only stops behind each of the latter.

    :param grouped: least cost of each way by lap it begins at (or one for all) and laps
    :param nxt: state after each way and laps, -1 where that is forbidden
    :param extra: fuel's cost by use, lap (or one for all) and laps
    :param inner: the same by use, fuel-only stops and laps
    :param stop: of a stop, less what its free litres are worth [s]
    """
    ways, starts, laps = grouped.shape[0], grouped.shape[1], grouped.shape[2] - 1
    sets, cap, most_inner, loads = nxt.shape[0], nxt.shape[2] - 1, inner.shape[1] - 1, extra.shape[1]
    come, go = np.full((laps + 1, sets, most + 1), 1e14), np.full((laps + 1, sets, most + 1), 1e14)
    way_of, long = np.full((laps + 1, sets, most + 1), -1), np.zeros((laps + 1, sets, most + 1), dtype=np.int64)
    within = np.zeros((laps + 1, sets, most + 1), dtype=np.int64)
    most_laps = 0
    for reach in longest:
        most_laps = max(most_laps, reach)
    tank = (1 + most_inner) * most_laps
    most_laps = max(most_laps, 1)
    reached = np.zeros((laps + 1, sets), dtype=np.bool_)  # where nothing comes nothing goes on
    reached[0, 0] = True
    for d in range(laps):
        for b in range(sets):
            if reached[d, b]:
                for n in range(1, min(laps - d - 1, tank) + 1):
                    if stop_laps[d + n]:
                        for way in range(ways):
                            after = nxt[b, way, min(n, cap)]
                            if after >= 0 and (at_start[way] if d == 0 else later[way]):
                                reached[d + n, after] = True
    for d in range(laps - 1, -1, -1):
        for b in range(sets):
            if not reached[d, b]:
                continue
            for n in range(1, min(laps - d, tank) + 1):
                to = d + n
                if to < laps and not stop_laps[to]:
                    continue
                left = -(-(laps - to) // most_laps)  # stints that the rest takes at least
                for way in range(ways):
                    cost = grouped[way, d if starts > 1 else 0, n]
                    after = nxt[b, way, min(n, cap)]
                    if cost >= 1e13 or after < 0 or not (at_start[way] if d == 0 else later[way]):
                        continue
                    u = klass[way]
                    if longest[u] <= 0:
                        continue
                    fewest = max(0, -(((first_longest[u] if d == 0 else longest[u]) - n) // longest[u]))
                    for j in range(fewest, min(most - left, most_inner) + 1):
                        fixed = cost + (inner[u, j, n] if j > 0 else extra[u, d if loads > 1 else 0, n])
                        if fixed >= 1e13:
                            continue
                        if to == laps:
                            if done[after] and fixed < go[d, b, j]:
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
            for n in range(1, min(laps - d - 1, tank) + 1):
                to = d + n
                if not stop_laps[to]:
                    continue
                left = -(-(laps - to) // most_laps)
                for way in range(ways):
                    cost = grouped[way, d if starts > 1 else 0, n]
                    after = nxt[b, way, min(n, cap)]
                    if cost >= 1e13 or after < 0 or not (at_start[way] if d == 0 else later[way]):
                        continue
                    u = klass[way]
                    if longest[u] <= 0:
                        continue
                    fewest = max(0, -(((first_longest[u] if d == 0 else longest[u]) - n) // longest[u]))
                    for j in range(fewest, min(most - k_low - left, most_inner) + 1):
                        fixed = cost + (inner[u, j, n] if j > 0 else extra[u, d if loads > 1 else 0, n]) + stop
                        if fixed >= 1e13:
                            continue
                        for k in range(k_low, min(k_high, most - j - left) + 1):
                            time = come[d, b, k] + fixed
                            if time < come[to, after, k + j + 1]:
                                come[to, after, k + j + 1] = time
    return come, go, way_of, long, within


@compiled()
def _slack(come, limits, k, d, b, most):
    """Time that may be left from a state on if a plan through it is asked for [s]."""
    slack = -1e14
    for j in range(most + 1 - k):
        if come[j, d, b] < 1e13:
            slack = max(slack, limits[j + k] - come[j, d, b])
    return slack


@compiled()
def _wanted_inside(grouped, nxt, done, klass, inner, at_start, later, stop, stop_laps, most, come, go, limits):
    """For every (stops left, lap, state) at which tyres come off and every use: from which lap on, and with how many fuel-only stops at
    most, a plan that is asked for may come there on one set of tyres."""
    ways, starts, laps = grouped.shape[0], grouped.shape[1], grouped.shape[2] - 1
    sets, cap, most_inner = nxt.shape[0], nxt.shape[2] - 1, inner.shape[1] - 1
    classes = inner.shape[0]
    first = np.full((most + 1, laps + 1, sets, classes), laps)
    stops = np.zeros((most + 1, laps + 1, sets, classes), dtype=np.int64)
    for k in range(most + 1):
        for d in range(laps):
            for b in range(sets):
                slack = _slack(come, limits, k, d, b, most)
                if go[k, d, b] > slack:
                    continue
                for n in range(2, laps - d + 1):
                    to = d + n
                    if to < laps and not stop_laps[to]:
                        continue
                    for way in range(ways):
                        cost = grouped[way, d if starts > 1 else 0, n]
                        if cost >= 1e13 or not (at_start[way] if d == 0 else later[way]):
                            continue
                        after = nxt[b, way, min(n, cap)]
                        if after < 0 or (to == laps and not done[after]):
                            continue
                        u = klass[way]
                        for j in range(1, min(k, most_inner) + 1):
                            if (to == laps) != (k == j):
                                continue
                            rest = 0.0 if to == laps else stop + go[k - j - 1, to, after]
                            if cost + inner[u, j, n] + rest <= slack:
                                first[k - j, to, after, u] = min(first[k - j, to, after, u], d)
                                stops[k - j, to, after, u] = max(stops[k - j, to, after, u], j)
    return first, stops


@compiled()
def _marked(
    grouped, nxt, done, klass, inner, at_start, later, stop, stay, stop_laps, most, come, go, limits, first, stops,
):  # fmt: skip
    """Rows for the functions on tyres that come off, by (stops left, lap, state, use): where they begin, -1 for none; and which of them a
    plan that is asked for may use: each one's last column.

    :param stay: of a fuel-only stop, less what its free litres are worth [s]
    """
    ways, starts, laps = grouped.shape[0], grouped.shape[1], grouped.shape[2] - 1
    sets, cap, most_inner, classes = nxt.shape[0], nxt.shape[2] - 1, inner.shape[1] - 1, inner.shape[0]
    slots, taken = np.full((most + 1, laps + 1, sets, classes), -1), 0
    for k in range(most + 1):
        for end in range(laps + 1):
            for b in range(sets):
                for u in range(classes):
                    if stops[k, end, b, u] > 0:
                        slots[k, end, b, u] = taken
                        taken += (stops[k, end, b, u] + 1) * (end - first[k, end, b, u])
    rows = np.zeros((max(taken, 1), 5), dtype=np.int64)
    for k in range(most + 1):
        for d in range(laps):
            for b in range(sets):
                slack = _slack(come, limits, k, d, b, most)
                if go[k, d, b] > slack:
                    continue
                for n in range(2, laps - d + 1):
                    to = d + n
                    if to < laps and not stop_laps[to]:
                        continue
                    for way in range(ways):
                        cost = grouped[way, d if starts > 1 else 0, n]
                        if cost >= 1e13 or not (at_start[way] if d == 0 else later[way]):
                            continue
                        after = nxt[b, way, min(n, cap)]
                        if after < 0 or (to == laps and not done[after]):
                            continue
                        u = klass[way]
                        for j in range(1, min(k, most_inner) + 1):
                            if (to == laps) != (k == j):
                                continue
                            rest = 0.0 if to == laps else stop + go[k - j - 1, to, after]
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
    xs, vs, ss, used, rows, base, begin, count, from_lap, end, most_inner, use, weight, low, top, terms, stop_laps, legs, bx, bv, bs,
):  # fmt: skip
    """Functions of leaving with fuel on tyres that come off at `end`, by fuel-only stops until then and lap; and of coming in for one.

    :param begin: with `count` V where the tyres come off
    :param rows: (begin, count) of each function of leaving, then (begin, count) of coming in, then whether it is wanted; from `base` on
    :param terms: of a fuel-only stop: pit lane, standing [s], free litres [l], rate [l/s]
    """
    laps = end - from_lap
    for j in range(most_inner + 1):
        for x in range(end - 1, from_lap - 1, -1):
            row = base + j * laps + x - from_lap
            if rows[row, 4] == 0:
                continue
            if j == 0:
                if end - x > legs[x]:
                    continue
                part = slice(begin, begin + count)
                n = _driven(xs[part], vs[part], ss[part], count, end - x, 0.0, use, weight, low, top, top, bx[0], bv[0], bs[0])
                if n == 0:
                    continue
            else:
                n = 1
                bx[0, 0], bv[0, 0], bs[0, 0] = low, 1e14, 0.0
                for to in range(x + 1, end):
                    if to - x > legs[x] or low + use * (to - x) > top + 1e-9:
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
                    bx[0], bv[0], bs[0], n, terms[0], terms[1], terms[2], terms[3], low, top, bx[1], bv[1], bs[1], bx[2], bv[2], bs[2],
                    bx[3], bv[3], bs[3],
                )  # fmt: skip
                rows[row, 2], rows[row, 3] = used, m
                xs, vs, ss, used = _stored(xs, vs, ss, used, bx[1], bv[1], bs[1], m)
    return xs, vs, ss, used


@compiled()
def solve(
    grouped, nxt, done, klass, uses, weight, low, top, pit, standing, free, rate, stay, stop_laps, most, come, go, extra, inner, at_start,
    later, stop, limits, legs, leg_s, track,
):  # fmt: skip
    """All U and V as flat pieces, with where each state's begin and how many they are; states and stints that no plan within the limits
    can use are left out.

    :param come: with `go`, `extra`, `inner` and `stop` of `_relaxed`
    :param limits: time of the slowest plan that is asked for, less the bound's constant, by its number of stops [s]
    :param stay: terms of a fuel-only stop, its rate, and it less what its free litres are worth
    :param legs: most laps from leaving the pit behind each lap to coming in
    :param leg_s: longest time of these laps, which holds where tyres come off at their end [s]
    :param track: what the track adds up to each lap [s]
    """
    ways, starts, laps = grouped.shape[0], grouped.shape[1], grouped.shape[2] - 1
    sets, cap, most_inner, loads = nxt.shape[0], nxt.shape[2] - 1, inner.shape[1] - 1, extra.shape[1]
    wide, classes = 4096, len(uses)
    bx, bv, bs = np.empty((4, wide)), np.empty((4, wide)), np.empty((4, wide))
    room = 1 << 14
    xs, vs, ss = np.empty(room), np.empty(room), np.empty(room)
    # index 0: U, 1: V; by stops left, lap, state
    begins = np.zeros((2, most + 1, laps + 1, sets), dtype=np.int64)
    counts = np.zeros((2, most + 1, laps + 1, sets), dtype=np.int64)
    xs[0], vs[0], ss[0] = low, 0.0, 0.0  # nothing is left to drive
    used = 1
    if most_inner > 0:
        from_lap, inner_stops = _wanted_inside(
            grouped, nxt, done, klass, inner, at_start, later, stop, stop_laps, most, come, go, limits
        )  # fmt: skip
        slots, rows = _marked(
            grouped, nxt, done, klass, inner, at_start, later, stop, stay[4], stop_laps, most, come, go, limits, from_lap, inner_stops
        )  # fmt: skip
    else:
        from_lap, inner_stops = np.zeros((1, 1, 1, 1), dtype=np.int64), np.zeros((1, 1, 1, 1), dtype=np.int64)
        slots, rows = np.full((1, 1, 1, 1), -1), np.zeros((1, 5), dtype=np.int64)
    if most_inner > 0:
        for b in range(sets):
            for u in range(classes):
                if done[b] and inner_stops[0, laps, b, u] > 0:
                    xs, vs, ss, used = _inside(
                        xs, vs, ss, used, rows, slots[0, laps, b, u], 0, 1, from_lap[0, laps, b, u], laps, inner_stops[0, laps, b, u],
                        uses[u], weight, low, top, stay, stop_laps, legs, bx, bv, bs,
                    )  # fmt: skip
    for k in range(most + 1):
        for d in range(laps - 1, -1, -1):
            for b in range(sets):
                slack = _slack(come, limits, k, d, b, most)
                if go[k, d, b] > slack:
                    continue
                n = 1
                bx[0, 0], bv[0, 0], bs[0, 0] = low, 1e14, 0.0
                for length in range(1, laps - d + 1):
                    to = d + length
                    if to < laps and not stop_laps[to]:
                        continue
                    for way in range(ways):
                        cost = grouped[way, d if starts > 1 else 0, length]
                        if cost >= 1e13 or not (at_start[way] if d == 0 else later[way]):
                            continue
                        after = nxt[b, way, min(length, cap)]
                        if after < 0 or (to == laps and not done[after]):
                            continue
                        u = klass[way]
                        for j in range(min(k, most_inner) + 1):
                            if (to == laps) != (k == j):
                                continue
                            if j == 0 and length > legs[d]:
                                continue
                            fuel = inner[u, j, length] if j > 0 else extra[u, d if loads > 1 else 0, length]
                            if cost + fuel + (0.0 if to == laps else stop + go[k - j - 1, to, after]) > slack:
                                continue
                            if j > 0:
                                slot = slots[k - j, to, after, u]
                                if slot < 0 or from_lap[k - j, to, after, u] > d or inner_stops[k - j, to, after, u] < j:
                                    continue
                                row = slot + j * (to - from_lap[k - j, to, after, u]) + d - from_lap[k - j, to, after, u]
                                begin, count, driven = rows[row, 0], rows[row, 1], 0
                            elif to == laps:
                                begin, count, driven = 0, 1, length
                            else:
                                begin, count, driven = begins[1, k, to, after], counts[1, k, to, after], length
                            if count == 0:
                                continue
                            part = slice(begin, begin + count)
                            board = top
                            if j == 0:
                                board = _most_on_board(length, cost + track[to] - track[d], uses[u], weight, leg_s[d], top)
                            m = _driven(
                                xs[part], vs[part], ss[part], count, driven, cost, uses[u], weight, low, top, board, bx[1], bv[1], bs[1]
                            )  # fmt: skip
                            if m == 0:
                                continue
                            n = _least(bx[0], bv[0], bs[0], n, bx[1], bv[1], bs[1], m, bx[2], bv[2], bs[2], top)
                            for i in range(n):
                                bx[0, i], bv[0, i], bs[0, i] = bx[2, i], bv[2, i], bs[2, i]
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
                    if most_inner > 0:
                        for u in range(classes):
                            if inner_stops[k + 1, d, b, u] > 0:
                                xs, vs, ss, used = _inside(
                                    xs, vs, ss, used, rows, slots[k + 1, d, b, u], begins[1, k + 1, d, b], m, from_lap[k + 1, d, b, u], d,
                                    inner_stops[k + 1, d, b, u], uses[u], weight, low, top, stay, stop_laps, legs, bx, bv, bs,
                                )  # fmt: skip
    return xs[:used], vs[:used], ss[:used], begins, counts, rows, slots, from_lap, inner_stops


@compiled()
def _row(slots, from_lap, inner_stops, k, end, b, u, j, lap):
    """The row of leaving at a lap on tyres that come off at `end`, with so many fuel-only stops on the way; -1 where it was left out."""
    slot = slots[k, end, b, u]
    first = from_lap[k, end, b, u]
    if slot < 0 or lap < first or j > inner_stops[k, end, b, u]:
        return -1
    return slot + j * (end - first) + lap - first


@compiled()
def arc(
    xs, vs, ss, begins, counts, rows, slots, from_lap, inner_stops, grouped, nxt, done, klass, uses, weight, low, allowed, stop_laps,
    most_inner, legs, leg_s, track, k, d, b, leaves, time,
):  # fmt: skip
    """The first stint (way, laps, fuel-only stops) behind a value of U; a way of -1 where there is none.

    :param allowed: whether each way may be fitted here
    """
    ways, starts, laps = grouped.shape[0], grouped.shape[1], grouped.shape[2] - 1
    cap, within = nxt.shape[2] - 1, max(1e-10 * abs(time), 1e-7)
    for n in range(1, laps - d + 1):
        to = d + n
        if to < laps and not stop_laps[to]:
            continue
        for way in range(ways):
            cost = grouped[way, d if starts > 1 else 0, n]
            after = nxt[b, way, min(n, cap)]
            if cost >= 1e13 or not allowed[way] or after < 0 or (to == laps and not done[after]):
                continue
            u = klass[way]
            for j in range(min(k, most_inner) + 1):
                if (to == laps) != (k == j):
                    continue
                if j == 0 and (
                    n > legs[d] or leaves > _most_on_board(n, cost + track[to] - track[d], uses[u], weight, leg_s[d], 1e9) + 1e-8
                ):
                    continue
                rest, driven = 0 if to == laps else k - j, n
                if j > 0:
                    row, driven = _row(slots, from_lap, inner_stops, rest, to, after, u, j, d), 0
                    if row < 0:
                        continue
                    begin, count = rows[row, 0], rows[row, 1]
                elif to == laps:
                    begin, count = 0, 1
                else:
                    begin, count = begins[1, rest, to, after], counts[1, rest, to, after]
                arrives = leaves - uses[u] * driven
                if count == 0 or arrives < low - 1e-9:
                    continue
                part = slice(begin, begin + count)
                mine = cost + weight * (driven * leaves - uses[u] * driven * (driven - 1) / 2.0)
                mine += value(xs[part], vs[part], ss[part], count, max(arrives, low))
                if mine <= time + within:
                    return way, n, j
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
def begun(
    xs, vs, ss, begins, counts, rows, slots, from_lap, inner_stops, costs, after_of, done, use, u, weight, low, start_low, high, stop_laps,
    most_inner, legs, leg_s, track, stops,
):  # fmt: skip
    """The least time of a plan that begins with an option: it, laps and fuel-only stops of its first tyres, and the fuel to start with.

    :param costs: of the option from the start, by laps [s]
    :param after_of: state after it, by laps that count
    """
    laps, cap = len(costs) - 1, len(after_of) - 1
    best, of_laps, of_inner, leaves = 1e14, 0, 0, 0.0
    for n in range(1, laps + 1):
        after = after_of[min(n, cap)]
        if costs[n] >= 1e13 or after < 0 or (n < laps and not stop_laps[n]) or (n == laps and not done[after]):
            continue
        for j in range(min(stops, most_inner) + 1):
            if (n == laps) != (stops == j):
                continue
            k, driven, board = 0 if n == laps else stops - j, n, high
            if j == 0:
                if n > legs[0]:
                    continue
                board = _most_on_board(n, costs[n] + track[n] - track[0], use, weight, leg_s[0], high)
            if j > 0:
                row, driven = _row(slots, from_lap, inner_stops, k, n, after, u, j, 0), 0
                if row < 0:
                    continue
                begin, count = rows[row, 0], rows[row, 1]
            elif n == laps:
                begin, count = 0, 1
            else:
                begin, count = begins[1, k, n, after], counts[1, k, n, after]
            if count == 0:
                continue
            time, at = _arrived(
                xs, vs, ss, begin, count, use * driven, costs[n], weight * driven, weight * use * driven * (driven - 1) / 2.0, low,
                start_low, board,
            )  # fmt: skip
            if time < best:
                best, of_laps, of_inner, leaves = time, n, j, at
    return best, of_laps, of_inner, leaves


@compiled()
def chain_s(lengths, costs, uses, fitted, weight, low, top, start_low, start, tyres, stay, rate, most_s):
    """Least time of given stints over what is filled; 1e14 where the tank does not hold them.

    :param fitted: whether tyres are changed before each stint
    :param tyres: pit lane, standing [s] and free litres [l] of a stop for tyres, `stay` of one for fuel only
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
        terms = tyres if fitted[i] else stay
        n = _stopped(
            bx[1], bv[1], bs[1], m, terms[0], terms[1], terms[2], rate, low, top, bx[0], bv[0], bs[0], bx[2], bv[2], bs[2], bx[3], bv[3],
            bs[3],
        )  # fmt: skip
    return 1e14
