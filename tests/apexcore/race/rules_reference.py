"""The least time of a race, written from the text of the rules: no table, search or sum of the product is used.

Every way to drive it is gone through: where one stops, whether tyres stay on, which set is fitted, how each set is driven. A way's laps are
added up one by one; what is filled is a linear programme of its own.
"""

import itertools
from collections import Counter
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linprog
from scipy.special import ndtr

from apexcore.race.replan import Standing
from apexcore.race.rules import Pace, RaceRules, TyrePace

_PIECES = 1e-7


@dataclass(frozen=True)
class Begin:
    """What a way goes on from: the start of the race, or where it stands.

    :param fuel_l: most on board at the first lap [l]; `least_l` of it is there already
    """

    done: int
    fuel_l: float
    least_l: float
    on: tuple[str, int] | None = None
    since: int = 0
    burnt_l: float = 0.0
    since_l: float = 0.0
    stops: int = 0
    wheel_s: float = 0.0
    fitted: tuple[tuple[str, int], ...] = ()
    driven: tuple[tuple[str, int], ...] = ()
    clock_s: float = 0.0


def at_start(rules: RaceRules, pace: Pace) -> Begin:
    return Begin(0, rules.tank_l - rules.formation_laps * pace.fuel_l_per_lap, 0.0)


def from_standing(at: Standing) -> Begin:
    return Begin(
        at.laps_done, at.fuel_l, at.fuel_l, (at.compound, at.age), at.since_stop, at.burnt_l, at.since_l, at.stops, at.wheel_s, at.fitted,
        at.driven, at.clock_s,
    )  # fmt: skip


def _axles(key: str) -> tuple[str, str]:
    front, _, rear = key.partition("/")
    return front, rear or front


def _wet(rules: RaceRules, lap: int) -> float:
    """How wet a race lap (from 1) is on average."""
    if not rules.rain_from:
        return 0.0
    spread = max(rules.rain_spread, 0.05)
    begun = ndtr((lap - 0.5 - rules.rain_from) / spread)
    over = ndtr((lap - 0.5 - rules.rain_until) / spread) if rules.rain_until else 0.0
    return float(min(max(begun - over, 0.0), 1.0))


def _between(rows: tuple[tuple[float, float, float], ...], wet: float, column: int) -> float:
    """A value of a table at a wetness, straight between its rows."""
    for low, high in itertools.pairwise(rows):
        if low[0] <= wet <= high[0]:
            share = (wet - low[0]) / (high[0] - low[0])
            return low[column] + share * (high[column] - low[column])
    raise AssertionError(wet)


def lap_without_fuel_s(rules: RaceRules, pace: Pace, tyre: TyrePace, lap: int, work: float, level: int, cold: bool) -> float:
    """A race lap (from 1) on tyres that have done this much work, in laps driven all out."""
    way = pace.levels[level]
    time = pace.lap_s + tyre.offset_s + way.cost_s + tyre.fade_s * work + tyre.cliff_s * max(work - tyre.cliff_age, 0.0)
    time += tyre.warm_s if cold else 0.0
    wet = _wet(rules, lap)
    if rules.wet_losses:
        time += _between(rules.wet_losses, wet, 2 if tyre.key == "wet" else 1) if rules.rain_from else 0.0
    else:
        time += wet * rules.wet_lap_s
        time += (1.0 - wet) * rules.wet_on_dry_s if tyre.key == "wet" and rules.rain_from else wet * rules.dry_on_wet_s
    return time + rules.track_s * (lap - 1)


def _by_formula(rules: RaceRules, tyres: float, rate: float) -> tuple[float, float]:
    """The formula as it is written, worked out for no fuel, and for so long a filling that nothing else matters."""
    driver, long = rules.driver_change_s if rules.wheel_minutes or rules.drivers > 1 else 0.0, 1e6
    least = max(rules.least_standing_s, rules.least_lane_s - rules.lane_s)

    def stands(fuel: float) -> float:
        return float(eval(rules.crew_work, {"max": max, "tyres": tyres, "driver": driver, "fuel": fuel}))

    nothing = max(stands(0.0), least)
    return nothing, rate * (nothing - (stands(long) - long))


def _stands(rules: RaceRules, fitted: bool) -> tuple[float, float]:
    """Standing time of a stop without fuel, and litres that go in meanwhile."""
    least = rules.least_standing_s
    if rules.wheel_minutes or rules.drivers > 1:
        least = max(least, rules.driver_change_s)
    if rules.least_lane_s > rules.lane_s:
        least = max(least, rules.least_lane_s - rules.lane_s)
    tyres = rules.tyre_change_s if fitted else 0.0
    rate = rules.refuel_l_per_s if rules.refuelling else 0.0
    if rules.crew_work:
        return _by_formula(rules, tyres, rate)
    if rules.in_parallel or not fitted:
        return max(tyres, least), rate * max(tyres, least)
    return max(tyres, least), rate * max(least - tyres, 0.0)


def _fuel_s(
    rules: RaceRules, pace: Pace, begin: Begin, margin_l: float, legs: list[tuple[int, float, float, bool]], driving: list[float],
    most_s: float,
) -> float:  # fmt: skip
    """Least time of stops and weight, by a linear programme in what is on board and seconds of filling beyond what is free.

    Where the pit is closed by the clock each stop comes in before a closed stretch or after it: every choice is a programme of its own.

    :param legs: laps, litres a lap, seconds that may be lost to weight, whether tyres were fitted before
    :param driving: what the laps of each take without fuel [s]
    :param most_s: what is no less is not asked for any further [s]
    """
    n = len(legs)
    cost = [pace.fuel_s_per_l * laps for laps, *_ in legs] + [1.0] * (n - 1)
    above, limit = list[list[float]](), list[float]()
    rate = rules.refuel_l_per_s if rules.refuelling else 0.0
    bounds = list[tuple[float, float | None]]()
    fixed = 0.0
    for i, (laps, use, room_s, fitted) in enumerate(legs):
        most = begin.fuel_l if not i else rules.tank_l
        fixed -= pace.fuel_s_per_l * use * laps * (laps - 1) / 2
        if pace.fuel_s_per_l > 0.0 and np.isfinite(room_s):
            most = min(most, (room_s / pace.fuel_s_per_l + use * laps * (laps - 1) / 2) / laps)
        elif room_s < -_PIECES:
            return np.inf
        low = max(margin_l + use * laps, begin.least_l if not i else 0.0)
        if low > most + 1e-7:
            return np.inf
        bounds.append((low, max(low, most)))
        if not i:
            continue
        before = legs[i - 1]
        row = [0.0] * (2 * n - 1)
        row[i - 1], row[i] = 1.0, -1.0
        above.append(row)
        limit.append(before[0] * before[1])
        standing, free = _stands(rules, fitted)
        fixed += rules.pit_loss_s + standing
        row = [0.0] * (2 * n - 1)
        if rate > 0.0:
            row[i - 1], row[i], row[n + i - 1] = -1.0 / rate, 1.0 / rate, -1.0
            limit.append((free - before[0] * before[1]) / rate)
        else:
            row[i - 1], row[i] = -1.0, 1.0
            limit.append(-before[0] * before[1])
        above.append(row)
    row, known, ends = [0.0] * (2 * n - 1), begin.clock_s, list[tuple[list[float], float]]()
    for i, (laps, use, _, fitted) in enumerate(legs[:-1]):  # the clock as each stop comes in: a row of the programme, and what is fixed
        row[i] += pace.fuel_s_per_l * laps
        known += driving[i] - pace.fuel_s_per_l * use * laps * (laps - 1) / 2
        if i:
            known += rules.pit_loss_s + _stands(rules, fitted)[0]
            row[n + i - 1] += 1.0
        ends.append((list(row), known))
    alone = linprog(cost, A_ub=above or None, b_ub=limit or None, bounds=bounds + [(0, None)] * (n - 1), method="highs")
    if alone.status != 0 or float(alone.fun or 0.0) + fixed >= most_s:
        return np.inf
    clocks = [float(np.dot(row, np.asarray(alone.x))) + known for row, known in ends]
    if not any(60.0 * one.first <= clock < 60.0 * one.last for clock in clocks for one in rules.no_stop_minutes):
        return float(alone.fun or 0.0) + fixed
    edges = [0.0, *(60.0 * edge for one in rules.no_stop_minutes for edge in (one.first, one.last)), np.inf]
    open_s = [(low, high - 1e-6) for low, high in zip(edges[::2], edges[1::2], strict=True) if high > low]
    best = np.inf
    for sides in itertools.product(open_s, repeat=n - 1):
        rows, top = list(above), list(limit)
        for (row, known), (low_s, high_s) in zip(ends, sides, strict=True):
            rows.append([-one for one in row])
            top.append(known - low_s)
            if np.isfinite(high_s):
                rows.append(row)
                top.append(high_s - known)
        found = linprog(cost, A_ub=rows, b_ub=top, bounds=bounds + [(0, None)] * (n - 1), method="highs")
        best = min(best, float(found.fun or 0.0) + fixed) if found.status == 0 else best
    return best


def _sets(rules: RaceRules, pace: Pace) -> list[tuple[TyrePace, int]]:
    """What may be fitted: tyres, and laps that their set has been driven."""
    found = list[tuple[TyrePace, int]]()
    for tyre in pace.tyres:
        front, rear = _axles(tyre.key)
        if (front != rear and not rules.mixed) or {front, rear, tyre.key} & set(rules.barred):
            continue
        have = [
            {one.age for one in rules.sets if one.compound == key and one.count} if any(one.compound == key for one in rules.sets) else {0}
            for key in (front, rear)
        ]
        found += [(tyre, age) for age in sorted(have[0] & have[1])]
    return found


def _too_many(rules: RaceRules, fitted: list[tuple[str, int]]) -> bool:
    named = {one.compound for one in rules.sets}
    for axle in (0, 1) if rules.mixed else (0,):
        used = Counter((_axles(key)[axle], age) for key, age in fitted)
        have = {(one.compound, one.age): one.count for one in rules.sets}
        if any(key in named and count > have.get((key, age), 0) for (key, age), count in used.items()):
            return True
    return False


def least_times(rules: RaceRules, pace: Pace, begin: Begin, margin_l: float) -> dict[int, float]:
    """Least time of the rest for each number of stops still to come."""
    total, best = rules.laps - begin.done, dict[int, float]()
    tyres = {tyre.key: tyre for tyre in pace.tyres}
    for stops in range(max(rules.least_stops - begin.stops, 0), min(rules.most_stops - begin.stops, total - 1) + 1):
        for cuts in itertools.combinations(range(1, total), stops):
            laps_of = [begin.done + cut for cut in cuts]
            if any(lap < rules.first_stop_lap or (rules.last_stop_lap and lap > rules.last_stop_lap) for lap in laps_of):
                continue
            if any(lap in range(one.first, one.last + 1) for lap in laps_of for one in rules.no_stops):
                continue
            lengths = [int(n) for n in np.diff([0, *cuts, total])]
            if rules.longest_stint and any(
                n + (begin.since if not i else 0) > rules.longest_stint for i, n in enumerate(lengths)
            ):  # fmt: skip
                continue
            for changes in itertools.product((True, False) if rules.tyres_may_stay else (True,), repeat=stops):
                first = [(tyres[begin.on[0]], begin.on[1])] if begin.on else _sets(rules, pace)
                for sets in itertools.product(first, *[_sets(rules, pace)] * sum(changes)):
                    new = [(tyre.key, age) for tyre, age in (sets[1:] if begin.on else sets)]
                    if _too_many(rules, [*begin.fitted, *new]):
                        continue
                    for ways in itertools.product(range(len(pace.levels)), repeat=len(sets)):
                        time = _way_s(rules, pace, begin, margin_l, lengths, changes, sets, ways, best.get(stops, np.inf))
                        if time < best.get(stops, np.inf):
                            best[stops] = time
    return best


def _way_s(
    rules: RaceRules, pace: Pace, begin: Begin, margin_l: float, lengths: list[int], changes: tuple[bool, ...],
    sets: tuple[tuple[TyrePace, int], ...], ways: tuple[int, ...], most_s: float,
) -> float:  # fmt: skip
    """One way: its laps one by one, the compounds that it uses, its time at the wheel and its fuel."""
    lap, which, time, legs = begin.done, 0, 0.0, list[tuple[int, float, float, bool]]()
    used, burnt, each = Counter(dict(begin.driven)), begin.burnt_l, list[float]()
    work = float(sets[0][1])
    for index, laps in enumerate(lengths):
        fitted = index > 0 and changes[index - 1]
        if fitted:
            which += 1
            work = float(sets[which][1])
        tyre, level = sets[which][0], pace.levels[ways[which]]
        driving = 0.0
        for k in range(laps):
            lap += 1
            cold = k == 0 and (fitted or (index == 0 and begin.on is None))
            driving += lap_without_fuel_s(rules, pace, tyre, lap, work, ways[which], cold)
            driving += rules.joker_s if lap > rules.laps - rules.jokers else 0.0
            work += level.tyre_share
            used.update(dict.fromkeys(_axles(tyre.key), 1))
        time += driving
        each.append(driving)
        burns = laps * pace.fuel_l_per_lap * level.fuel_share
        burnt += burns
        if rules.stint_l and burns + (begin.since_l if not index else 0.0) > rules.stint_l + 1e-7:
            return np.inf
        room = 60.0 * rules.wheel_minutes - driving - (begin.wheel_s if not index else 0.0) if rules.wheel_minutes else np.inf
        legs.append((laps, pace.fuel_l_per_lap * level.fuel_share, room, fitted))
    if rules.race_l and burnt > rules.race_l + 1e-7:
        return np.inf
    if any(used[key] < rules.compulsory_laps for key in rules.compulsory):
        return np.inf
    return time + _fuel_s(rules, pace, begin, margin_l, legs, each, most_s - time)
