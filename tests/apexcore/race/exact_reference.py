"""Two ways to the exact plan that share nothing with the product's: every shape with a linear programme for its fuel, and one mixed-integer
programme over everything, both by HiGHS."""

import itertools
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.optimize import LinearConstraint, linprog, milp
from scipy.sparse import coo_array

from apexcore.race.problem import NEVER, Limited, Needed, Problem


def random_problem(seed: int, most_laps: int = 9) -> Problem:
    """A race of any kind of rule that the planner knows."""
    rng = np.random.default_rng([seed, 77])
    laps, options = int(rng.integers(2, most_laps + 1)), int(rng.integers(1, 5))
    use, rate = float(rng.uniform(0.8, 3.0)), float(rng.uniform(0.4, 4.0)) if rng.random() < 0.8 else 0.0
    age = np.arange(laps + 1)
    cost = np.full((options, laps + 1), NEVER)
    for o in range(options):
        per_lap = 60 + rng.uniform(0, 2) + rng.uniform(0, 0.8) * age + np.where(age > rng.uniform(1, 8), rng.uniform(0, 3), 0.0) * age
        cost[o, 1:] = np.cumsum(per_lap)[:-1] + rng.uniform(0, 1)
        if rng.random() < 0.3:
            cost[o, int(rng.integers(2, laps + 2)) :] = NEVER  # a longest stint
    wanted = int(rng.integers(0, 4))
    tank = float(rng.uniform(1.2, 1.0 + laps * 1.1)) * use
    if rng.random() < 0.2:
        tank = float(round(tank / use)) * use + 0.3  # a whole number of laps to the drop
    least = float(rng.choice([0.0, 0.3, 1.1]))
    formation = float(rng.choice([0.0, 1.0])) * use
    standing = float(rng.uniform(0, 6))
    free = float(rng.choice([0.0, rng.uniform(0, 8), standing * rate]))
    stops = rng.random(laps + 1) < (1.0 if rng.random() < 0.6 else 0.6)
    least_stops, more = int(rng.integers(0, 2)), int(rng.integers(0, 4))
    weight = float(rng.choice([0.0, rng.uniform(0, 0.08), rng.uniform(0.2, 1.0)]))
    return Problem(
        cost=cost, adds=rng.integers(0, 4, options), wanted=wanted, use_l=use, weight_s=weight, least_l=least, tank_l=tank,
        start_l=tank - formation, pit_s=float(rng.uniform(0, 25)), standing_s=standing, free_l=free, rate=rate, stop_laps=stops,
        least_stops=least_stops, most_stops=least_stops + more,
    )  # fmt: skip


def with_every_rule(seed: int, most_laps: int = 8) -> Problem:
    """The same, and of every further kind: ways of driving that burn less, stops at which tyres stay on, laps that are needed on some
    options, sets of which there are few, costs that depend on the lap, options that are on at the start alone, and fuel that is there."""
    rng = np.random.default_rng([seed, 78])
    problem = random_problem(seed, most_laps)
    options, laps = len(problem.adds), problem.laps
    changes: dict[str, Any] = {}
    if rng.random() < 0.6:
        changes["use_shares"] = rng.choice([1.0, 0.9, 0.75], options)
    if rng.random() < 0.75:
        changes["stay_s"] = float(rng.choice([0.0, rng.uniform(0, 3)]))
        changes["cost"] = problem.cost + np.where(problem.cost < NEVER / 10, rng.choice([0.0, 4.0]), 0.0)
    if rng.random() < 0.4:
        changes["needs"] = (Needed(rng.random(options) < 0.6, int(rng.integers(1, max(2, laps // 2)))),)
    if rng.random() < 0.5:
        changes["limited"] = tuple(Limited(rng.random(options) < 0.6, int(rng.integers(0, 3))) for _ in range(int(rng.integers(1, 3))))
    if rng.random() < 0.3:
        later = rng.uniform(0, 3, (options, laps))
        grown = np.stack([replace(problem, **changes).cost + later[:, d : d + 1] * np.arange(laps + 1) for d in range(laps)], axis=1)
        changes["cost"] = np.minimum(grown, NEVER)
    if rng.random() < 0.3:
        begins = np.zeros(options, dtype=bool)
        begins[int(rng.integers(options))] = True
        changes |= {"begins": begins, "later": rng.random(options) < 0.8}
    if rng.random() < 0.3:
        changes["start_least_l"] = float(rng.uniform(0.3, 1.0)) * problem.start_l
    return replace(problem, **changes)


def fuel_s(problem: Problem, lengths: tuple[int, ...], shares: tuple[float, ...] = (), fitted: tuple[bool, ...] = ()) -> float:
    """Least time of stops and weight for given stints: a linear programme in what leaves, what is filled and what is filled beyond q.

    :param shares: fuel that each stint burns over the usual
    :param fitted: whether tyres are changed before each
    """
    p, n = problem, len(lengths)
    use = [p.use_l * share for share in shares or (1.0,) * n]
    changed = fitted or (True,) * n
    standing = [p.standing_s if new else float(p.stay_s or 0.0) for new in changed]
    free = [p.free_l if new else p.rate * float(p.stay_s or 0.0) for new in changed]
    burnt = [u * laps for u, laps in zip(use, lengths, strict=True)]
    # variables: y_0..y_{n-1}, z_1..z_{n-1} (seconds of filling beyond what is free)
    c = [p.weight_s * laps for laps in lengths] + [1.0] * (n - 1)
    above, limit = list[list[float]](), list[float]()
    for i in range(1, n):
        row = [0.0] * (2 * n - 1)
        row[i], row[i - 1] = -1.0, 1.0  # nothing is taken out: y_{i-1} - burnt <= y_i
        above.append(row)
        limit.append(burnt[i - 1])
        row = [0.0] * (2 * n - 1)
        if p.rate > 0.0:
            row[i], row[i - 1], row[n + i - 1] = 1.0 / p.rate, -1.0 / p.rate, -1.0
            limit.append((free[i] - burnt[i - 1]) / p.rate)
        else:
            row[i], row[i - 1] = 1.0, -1.0
            limit.append(-burnt[i - 1])
        above.append(row)
    most = min(p.tank_l, p.start_l)
    bounds: list[tuple[float, float | None]] = [
        (max(p.least_l + b, p.start_least_l if not i else 0.0), most if not i else p.tank_l) for i, b in enumerate(burnt)
    ] + [(0, None)] * (n - 1)
    if any(low > high + 1e-9 for low, high in bounds[:n] if high is not None):
        return np.inf
    # a stint that takes the whole tank, but for rounding
    bounds = [(low, None if high is None else max(low, high)) for low, high in bounds]
    found = linprog(c, A_ub=above or None, b_ub=limit or None, bounds=bounds, method="highs")
    if found.status != 0:
        return np.inf
    constant = -sum(p.weight_s * u * laps * (laps - 1) / 2 for u, laps in zip(use, lengths, strict=True))
    assert found.fun is not None
    return float(found.fun) + constant + sum(p.pit_s + standing[i] for i in range(1, n))


def tyres_s(problem: Problem, options: tuple[int, ...], lengths: tuple[int, ...]) -> float:
    """Time of tyre sets without fuel, read off the rules one by one; `NEVER` where one of them is broken."""
    p, lap, total, used = problem, 0, 0.0, 0
    for index, (option, laps) in enumerate(zip(options, lengths, strict=True)):
        allowed = p.later if index else p.begins
        if allowed is not None and not allowed[option]:
            return NEVER
        total += float(p.cost[option, laps] if p.cost.ndim == 2 else p.cost[option, lap, laps])
        used |= int(p.adds[option])
        lap += laps
    if used & p.wanted != p.wanted:
        return NEVER
    for need in p.needs:
        if sum(laps for option, laps in zip(options, lengths, strict=True) if need.options[option]) < need.laps:
            return NEVER
    for limit in p.limited:
        if sum(bool(limit.options[option]) for option in options) > limit.most:
            return NEVER
    return total


def brute_force(problem: Problem) -> dict[int, float]:
    """Least time of each number of stops, over every shape there is: where one stops, at which stops tyres are changed, and to what."""
    p, best, kept = problem, dict[int, float](), dict[tuple[object, ...], float]()
    shares = p.use_shares if p.use_shares is not None else np.ones(len(p.adds))
    for stops in range(p.least_stops, p.most_stops + 1):
        for cuts in itertools.combinations(range(1, p.laps), stops):
            if not all(p.stop_laps[cut] for cut in cuts):
                continue
            lengths = tuple(int(n) for n in np.diff([0, *cuts, p.laps]))
            for changes in itertools.product((True, False) if p.stay_s is not None else (True,), repeat=stops):
                fitted = (True, *changes)
                sets = [0] * sum(fitted)
                of = [sum(fitted[: k + 1]) - 1 for k in range(stops + 1)]
                for k, laps in enumerate(lengths):
                    sets[of[k]] += laps
                for options in itertools.product(range(len(p.adds)), repeat=len(sets)):
                    time = tyres_s(p, options, tuple(sets))
                    if time >= NEVER / 10:
                        continue
                    burns = tuple(float(shares[options[of[k]]]) for k in range(stops + 1))
                    key = (lengths, burns, fitted)
                    if key not in kept:
                        kept[key] = fuel_s(p, lengths, burns, fitted)
                    if np.isfinite(kept[key]):
                        best[stops] = min(time + kept[key], best.get(stops, np.inf))
    return best


def by_milp(problem: Problem, stops: int) -> float | None:
    """Least time with so many stops by one mixed-integer programme: which option drives from which lap to which, and the fuel."""
    p = problem
    arcs = [(o, d, d + n) for o in range(len(p.adds)) for d in range(p.laps) for n in range(1, p.laps - d + 1) if p.cost[o, n] < NEVER / 10]
    arcs = [(o, d, e) for o, d, e in arcs if (d == 0 or p.stop_laps[d]) and (e == p.laps or p.stop_laps[e])]
    assert p.leg_s >= NEVER and p.first_leg_s is None  # this programme knows no limit in seconds
    longest = p.leg_laps or p.laps
    arcs = [(o, d, e) for o, d, e in arcs if e - d <= (longest if d or p.first_leg_laps is None else p.first_leg_laps)]
    a, laps = len(arcs), p.laps
    fill0 = a  # filled at the stop behind lap d, for d in 1..laps-1; slot 0 is the start
    late0 = fill0 + laps  # seconds of filling beyond q there
    board0 = late0 + laps  # fuel on board at the start of lap d
    size = board0 + laps
    cost = np.zeros(size)
    for i, (o, d, e) in enumerate(arcs):
        cost[i] = p.cost[o, e - d] + (p.pit_s + p.standing_s if d else 0.0)
    cost[late0 : late0 + laps] = 1.0
    cost[board0:] = p.weight_s
    rows, columns, values, low, high = list[int](), list[int](), list[float](), list[float](), list[float]()

    def row(entries: list[tuple[int, float]], least: float, most: float) -> None:
        for column, value in entries:
            rows.append(len(low))
            columns.append(column)
            values.append(value)
        low.append(least)
        high.append(most)

    for d in range(laps + 1):
        into = [(i, 1.0) for i, (_, _, e) in enumerate(arcs) if e == d]
        out = [(i, -1.0) for i, (_, s, _) in enumerate(arcs) if s == d]
        row(into + out, -1.0 if d == 0 else 1.0 if d == laps else 0.0, -1.0 if d == 0 else 1.0 if d == laps else 0.0)
    row([(i, 1.0) for i, (_, d, _) in enumerate(arcs) if d > 0], stops, stops)
    for bit in range(8):
        if p.wanted >> bit & 1:
            row([(i, 1.0) for i, (o, _, _) in enumerate(arcs) if p.adds[o] >> bit & 1], 1.0, np.inf)
    most = min(p.start_l, p.tank_l)
    for d in range(laps):
        starts = [(i, 1.0) for i, (_, s, _) in enumerate(arcs) if s == d]
        if d:
            row([(fill0 + d, 1.0)] + [(i, -p.tank_l) for i, _ in starts], -np.inf, 0.0)  # filled only at a stop
            row([(board0 + d, 1.0), (board0 + d - 1, -1.0), (fill0 + d, -1.0)], -p.use_l, -p.use_l)
            if p.rate > 0.0:
                row([(late0 + d, 1.0), (fill0 + d, -1.0 / p.rate)] + [(i, p.free_l / p.rate) for i, _ in starts], 0.0, np.inf)
            else:
                row([(fill0 + d, 1.0)], 0.0, 0.0)
            arrive = [(i, -p.least_l) for i, (_, _, e) in enumerate(arcs) if e == d]
            row([(board0 + d - 1, 1.0), *arrive], p.use_l, np.inf)
        else:
            row([(board0, 1.0)], 0.0, most)
        row([(board0 + d, 1.0)], p.use_l, p.tank_l)
    row([(board0 + laps - 1, 1.0)], p.use_l + p.least_l, np.inf)
    matrix = coo_array((values, (rows, columns)), shape=(len(low), size)).tocsr()
    bounds_high = np.concatenate([np.ones(a), np.full(size - a, np.inf)])
    from scipy.optimize import Bounds

    found = milp(
        cost, constraints=LinearConstraint(matrix, low, high), integrality=np.concatenate([np.ones(a), np.zeros(size - a)]),
        bounds=Bounds(np.zeros(size), bounds_high), options={"mip_rel_gap": 0.0},
    )  # fmt: skip
    return float(found.fun) if found.status == 0 else None


def with_stops(problem: Problem, least: int, most: int) -> Problem:
    """The same race with other bounds on its stops."""
    return replace(problem, least_stops=least, most_stops=most)
