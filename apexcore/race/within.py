"""Limits that are known of a whole plan alone: it is searched for without them, what breaks them is cut away, and it is searched again."""

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import replace

from .exact import Best, Planner
from .options import Option, tyre_time_s
from .problem import Problem
from .rules import Pace, RaceRules
from .weather import lost_s, rains

#: Time at the wheel that rounding may take [s]; and rounds in which single legs are cut.
_WHEEL_S = 1e-6
_TURNS = 12
#: Numbers of stops from which on those are left out that the clock puts so far behind [s].
_FEW, _NEAR_S = 4, 10.0


def track_s(rules: RaceRules, first_lap: int, laps: int) -> float:
    """What a track that changes from lap to lap adds over some laps [s]: the same for every plan.

    :param first_lap: of the race, from 1
    """
    return rules.track_s * laps * (first_lap - 1 + 0.5 * (laps - 1))


def jokers_s(rules: RaceRules, done: int, laps: int, of: int) -> float:
    """What joker laps that are left to the last add over some laps [s]: the same for every plan.

    :param done: laps before these
    :param of: laps to the flag, these and those before
    """
    late = min(rules.jokers, of)
    return rules.joker_s * (max(done + laps - of + late, 0) - max(done - of + late, 0))


def weather_s(rules: RaceRules, tyre: str, first_lap: int, laps: int) -> float:
    """What the weather costs over a stint [s].

    :param first_lap: of the laps that the rules tell of, from 1
    """
    return float(lost_s(rules, tyre, rules.laps)[first_lap - 1 : first_lap - 1 + laps].sum()) if rains(rules) else 0.0


def within_wheel(
    rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem, bests: Callable[[Problem], list[Best]]
) -> tuple[Problem, list[Best]]:
    """Plans of which no leg is longer at the wheel than allowed.

    Where every stop changes tyres the search itself keeps to the time. Where they may stay, how long a leg takes depends on how old its
    tyres are by then, which the search does not tell apart. It is asked with legs that new tyres could do in the time; where a leg of a
    plan takes longer, those from its lap on tyres that stay are cut to what it could have done, and it is asked again. After some rounds
    all such legs are cut alike, so that it ends.
    """
    if not rules.wheel_minutes or problem.stay_s is None:
        return problem, bests(problem)
    most = _longest_at_wheel(rules, pace, options, problem)
    if most < 1:
        return problem, []
    rule = problem.laps if problem.leg_laps is None else problem.leg_laps
    problem = replace(
        problem, leg_laps=min(most, rule),
        first_leg_laps=None if problem.first_leg_laps is None else min(most, problem.first_leg_laps),
        staying_laps=(most,) * problem.laps,
    )  # fmt: skip
    for turn in itertools.count():
        found, caps = bests(problem), list(problem.staying_laps)
        for best in found:
            lap = 0
            for index, (leg, seconds) in enumerate(zip(best.legs, legs_s(rules, pace, options, problem, best), strict=True)):
                limit = problem.leg_s if index or problem.first_leg_s is None else problem.first_leg_s
                if seconds > limit + _WHEEL_S:
                    # what falls away are its last laps, on the oldest tyres; where that is too little yet, it is cut again
                    caps[lap] = min(caps[lap], leg.laps - 1, math.ceil(leg.laps * limit / seconds))
                    if turn >= _TURNS:
                        caps = [min(cap, max(leg.laps - 1, 0)) for cap in caps]
                lap += leg.laps
        if caps == list(problem.staying_laps):
            return problem, found
        problem = replace(problem, staying_laps=tuple(caps))
    raise AssertionError("legs are cut until they fit")


def _longest_at_wheel(rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem) -> int:
    """Laps of the longest leg that may be done in the time at the wheel: on new tyres, with no more fuel than it burns, where the track is
    quickest."""
    limit, found = max(problem.leg_s, problem.first_leg_s or 0.0), 0
    if any(option.tyre.fade_s < 0.0 for option in options):  # the oldest are the quickest: nothing is known beforehand
        return problem.laps
    for option in options:
        use = problem.use_l * option.level.fuel_share
        for laps in range(found + 1, problem.laps + 1):
            time = laps * pace.lap_s + tyre_time_s(option.tyre, laps) - max(option.tyre.warm_s, 0.0)
            time += problem.carried_s(laps, problem.least_l + use * laps, use)
            time += min(track_s(rules, problem.behind + 1, laps), track_s(rules, problem.behind + problem.laps - laps + 1, laps))
            if time > limit + _WHEEL_S:
                break
            found = laps
    return found


def legs_s(rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem, best: Best) -> list[float]:
    """Time of the laps of each leg of an exact plan [s]: all that they take, the stops left out."""
    found, lap, work = list[float](), 0, 0.0
    for leg in best.legs:
        option = options[leg.option]
        work = float(option.wear) if leg.fitted else work
        time = leg.laps * pace.lap_s + tyre_time_s(option.tyre, leg.laps, work) - (0.0 if leg.fitted else option.tyre.warm_s)
        time += weather_s(rules, option.tyre.key, lap + 1, leg.laps) + track_s(rules, problem.behind + lap + 1, leg.laps)
        time += jokers_s(rules, lap, leg.laps, problem.laps)
        found.append(time + problem.carried_s(leg.laps, leg.leaves_l, problem.use_l * option.level.fuel_share))
        work, lap = work + leg.laps, lap + leg.laps
    return found


def within_limits(
    rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem, bests: Callable[[Problem], list[Best]],
    begins_s: Callable[[Best], float] = lambda _: 0.0, slower_s: float = 0.0,
) -> tuple[Problem, list[Best]]:  # fmt: skip
    """Plans that keep to the time at the wheel, and come in by no closed stretch of the clock.

    When a lap ends depends on all that was before it, which the search does not tell apart. It is asked without the clock first; each
    number of stops whose plan comes in while the pit is closed is then asked by itself, without that lap and those that lie deep within
    the stretch, until none does, or until it is far behind a plan that is known. So a plan that is told is legal. A lap at the edge of a
    stretch, which the quickest plan ends within it, is taken by no slower one of as many stops that would end it just outside.

    :param bests: the plans asked for, of the numbers of stops that a problem allows
    :param begins_s: the race's clock as a plan begins [s]
    :param slower_s: how much slower than the pace the laps are driven, for the clock alone [s]
    """
    problem, found = within_wheel(rules, pace, options, problem, bests)
    if not rules.no_stop_minutes or not found:
        return problem, found

    def shut(best: Best) -> tuple[set[int], set[int]]:
        return _shut_laps(rules, pace, options, problem, best, begins_s(best), slower_s)

    def without(one: Problem, laps: set[int]) -> Problem:
        may_stop = one.stop_laps.copy()
        may_stop[sorted(laps)] = False
        return replace(one, stop_laps=may_stop)

    def opened(stops: int, most_s: float) -> list[Best]:
        one = replace(problem, least_stops=stops, most_stops=stops)
        while True:
            one, some = within_wheel(rules, pace, options, one, bests)
            if min((best.time_s for best in some), default=math.inf) > most_s:
                return []
            laps = set[int]().union(*(each for best in some for each in shut(best)))
            if not laps:
                return some
            one = without(one, laps)

    every = set.intersection(*(shut(best)[1] for best in found))
    if every:  # what no number of stops may use is left out at once
        problem, found = within_wheel(rules, pace, options, without(problem, every), bests)
        if not found:
            return problem, []
    broken = {len(best.legs) - 1: best.time_s for best in reversed(found) if shut(best)[0]}
    legal = [best for best in found if len(best.legs) - 1 not in broken]
    quickest = min((best.time_s for best in legal), default=math.inf)
    near_s = math.inf if len(broken) < _FEW else _NEAR_S
    for stops in sorted(broken, key=lambda stops: broken[stops]):
        legal += opened(stops, quickest + near_s)
        quickest = min((best.time_s for best in legal), default=math.inf)
    if quickest > min(best.time_s for best in found):  # numbers of stops that were far behind may not be any more
        asked = {len(best.legs) - 1 for best in found}
        planner, floors = Planner(problem), dict[int, float]()
        for stops in range(problem.least_stops, problem.most_stops + 1):
            if stops not in asked and (floor := planner.time_s(stops)) is not None:
                floors[stops] = floor
        for stops in sorted(floors, key=lambda stops: floors[stops]):
            if floors[stops] >= quickest:
                break
            legal += opened(stops, quickest)
            quickest = min((best.time_s for best in legal), default=math.inf)
    return problem, sorted(legal, key=lambda best: best.time_s)


def _shut_laps(
    rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem, best: Best, begins_s: float, slower_s: float
) -> tuple[set[int], set[int]]:  # fmt: skip
    """Laps behind which a plan stops while the pit is closed; and, where there are any, those that it ends so deep within the stretch that
    two stops more or fewer before them do not lead out of it."""
    shut, deep, ends, clock, lap = set[int](), set[int](), list[float](), begins_s, 0
    for leg, after, seconds in zip(best.legs, (*best.legs[1:], None), legs_s(rules, pace, options, problem, best), strict=True):
        seconds += slower_s * leg.laps
        ends += [clock + seconds * k / leg.laps for k in range(1, leg.laps + 1)]
        clock, lap = clock + seconds, lap + leg.laps
        if after is not None:
            shut |= {lap} if rules.closed_at(clock) is not None else set()
            clock += problem.stop_s(after.leaves_l - leg.arrives_l, after.fitted)
    if not shut:
        return shut, deep
    room = min(len(best.legs) - 2, 2) * max(problem.stop_s(problem.tank_l, fitted) for fitted in (True, False)) + pace.lap_s
    for one in rules.no_stop_minutes:
        deep |= {lap for lap, end in enumerate(ends[:-1], start=1) if 60.0 * one.first + room <= end < 60.0 * one.last - room}
    return shut, deep
