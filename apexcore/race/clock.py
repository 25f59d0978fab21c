"""How many laps a race still has, from what has passed, the pace of green laps, and the leader."""

import math
from dataclasses import replace

import numpy as np

from .course import course
from .happened import Happened, RaceLap, Setup
from .options import tyre_time_s
from .plans import Plan, Stint, stop_s
from .replan import Standing
from .rules import MOST_LAPS, Laps, Pace, RaceRules
from .weather import WET, with_wet
from .within import weather_s

#: A lap slower than the median by more than this share is not one of pace.
_SLOW = 0.04
#: Green laps from which the day's pace is read, and laps that the pace known before counts as beside them.
_PACE_LAPS, _KNOWN_LAPS = 12, 2.0
#: Least scatter of a lap, and what a stop is off by [s].
_LEAST_SCATTER_S, _STOP_S = 0.1, 1.5
#: Laps of the road home on a flat tyre over a usual one [-].
FLAT = 1.5


def pace_now(setup: Setup, now: Happened) -> Pace:
    """The pace with what the day has told."""
    tyres = tuple(replace(tyre, fade_s=tyre.fade_s * now.fade, cliff_age=tyre.cliff_age / now.fade**0.5) for tyre in setup.pace.tyres)
    share = now.use_l / setup.pace.fuel_l_per_lap
    tyres = with_wet(_weather_now(setup.rules, now), replace(setup.pace, tyres=tyres)).tyres
    return replace(setup.pace, tyres=tyres, fuel_l_per_lap=now.use_l, margin_l=setup.pace.margin_l * share)


def told_rules(setup: Setup, now: Happened) -> RaceRules:
    """The rules with what has been told since: another distance, other minutes, the weather, a pit box that is taken, joker laps driven."""
    rules = _weather_now(setup.rules, now)
    if now.jokers:
        rules = rules.model_copy(update={"jokers": max(rules.jokers - now.jokers, 0)})
    if now.mate is not None and now.mate <= MOST_LAPS:
        rules = rules.model_copy(update={"no_stops": (*rules.no_stops, Laps(first=now.mate, last=now.mate))})
    if now.distance is not None:
        return rules.model_copy(update={"laps": max(now.distance, 1), "minutes": 0.0, "laps_after": 0})
    return rules if now.minutes is None else rules.model_copy(update={"minutes": now.minutes})


def lap_known_s(pace: Pace, rules: RaceRules, lap: RaceLap, number: int) -> float:
    """What a lap should have taken, as it was begun, the stop before it included [s].

    :param number: of the race lap, from 1
    """
    tyre = next((one for one in with_wet(rules, pace).tyres if one.key == lap.compound), pace.tyres[0])
    fresh = lap.fitted or number == 1
    time = pace.lap_s + tyre_time_s(tyre, 1, lap.age) - (0.0 if fresh else tyre.warm_s) + pace.fuel_s_per_l * lap.fuel_l
    time += weather_s(rules, lap.compound, number, 1) + rules.track_s * (number - 1)
    return time + (stop_s(rules, lap.stop_l, lap.fitted) if lap.stop_l is not None else 0.0)


def pace_told_s(setup: Setup, now: Happened) -> float:
    """How much slower a green lap is today than was known [s]: the median of the last ones, drawn to 0 while they are few.

    Laps behind a safety car, under yellow, on a flat tyre, with a stop, spoiled ones and keys pressed too early say nothing; wet ones only
    while it is wet.
    """
    rules, pace = told_rules(setup, now), pace_now(setup, now)
    told = [
        (lap.wet, lap.pace_s - lap_known_s(pace, rules, lap, number))
        for number, lap in enumerate(now.driven, start=1)
        if lap.pace_s is not None
    ]
    gaps = [gap for wet, gap in told if wet == now.wet] or [gap for _, gap in told]
    if not gaps:
        return 0.0
    middle = float(np.median(gaps))
    clean = [gap for gap in gaps if abs(gap - middle) < _SLOW * pace.lap_s][-_PACE_LAPS:]
    if not clean:  # two laps that have nothing in common say nothing
        return 0.0
    return float(np.median(clean)) * len(clean) / (len(clean) + _KNOWN_LAPS)


def ahead_s(setup: Setup, now: Happened, plan: Plan, laps: int, due: bool = False) -> list[float]:
    """Time of each of the next laps by a plan's rest [s], at the pace that the day has told, behind a safety car for as long as one is
    expected.

    :param laps: how many are asked for
    :param due: whether the plan is one of the rest that begins with a stop
    """
    rules, pace, last = told_rules(setup, now), pace_now(setup, now), now.standing.laps_done + laps
    if due:
        stints = [one for one in plan.stints if one.first_lap <= last]
        stints[-1] = replace(stints[-1], laps=last - stints[-1].first_lap + 1)
    else:
        stints = rest_of(plan, now.standing, last)
    if not stints:
        return [pace.lap_s] * laps
    known = {tyre.key for tyre in pace.tyres}  # a plan may be for rain that has been taken back since
    stints = [one if one.compound in known else replace(one, compound=pace.tyres[0].key) for one in stints]
    own = pace_told_s(setup, now)
    times = [float(time) + own for time in course(rules, pace, Plan(tuple(stints), 0.0, 0.0, 0.0, 0.0)).lap_s]
    if due:
        times[0] += stop_s(rules, max(stints[0].fuel_l - now.standing.fuel_l, 0.0), stints[0].fitted)
    if now.safety or now.yellow:
        behind, each = slow_ahead(rules, pace, now)
        times[:behind] = [each] * len(times[:behind])
    elif now.flat and times:
        times[0] *= FLAT
    return times


def slow_ahead(rules: RaceRules, pace: Pace, now: Happened) -> tuple[int, float]:
    """Laps that are still expected behind a safety car, or under yellow, and the time of each [s]."""
    slow = [lap.time_s for lap in now.driven[-now.slow_laps :] if lap.time_s is not None] if now.slow_laps > 1 else []
    behind = max(rules.around.safety_laps - now.slow_laps, 1)
    # the lap on which it came out was driven in part at full pace, so that the first tells less than what is known
    return behind, float(np.median(slow[1:])) if len(slow) > 1 else rules.around.safety_slow * pace.lap_s


def standing_now(setup: Setup, now: Happened, rules: RaceRules) -> Standing:
    """Where the race stands, with its clock where rules ask for it."""
    if not rules.no_stop_minutes:
        return now.standing
    pace, passed, late = pace_now(setup, now), _passed_s(setup, now, rules), 0.0
    if now.safety or now.yellow:
        behind, each = slow_ahead(rules, pace, now)
        late = behind * max(each - pace.lap_s, 0.0)
    return replace(now.standing, clock_s=float(passed[-1]) if len(passed) else 0.0, late_s=late, slower_s=pace_told_s(setup, now))


def rules_now(setup: Setup, now: Happened, plan: Plan | None = None, due: bool = False) -> RaceRules:
    """The rules with the laps that the race comes to: told, or of a race over time from what has passed and the pace of green laps; fewer
    where the leader ends it before.

    :param plan: the plan that is followed; the first one where not given
    :param due: whether it begins with a stop
    """
    rules, done = told_rules(setup, now), len(now.times_s)
    if not rules.minutes and now.leader is None:
        return rules
    passed = _passed_s(setup, now, rules)
    clock = float(passed[-1]) if done else 0.0
    fastest = max(0.9 * setup.pace.lap_s, 1.0)  # less than any lap of the race takes
    most = max(rules.laps - done, 1) if not rules.minutes else int(max(60.0 * rules.minutes - clock, 0.0) / fastest) + 4
    ends = _ends_s(setup, now, passed, plan, min(most, MOST_LAPS), due)
    laps = int(np.searchsorted(ends, _flag_s(rules, now, ends, done) - 1e-9)) + 1
    if rules.minutes and now.leader is None:
        laps += rules.laps_after
    elif not rules.minutes:
        laps = min(laps, rules.laps)
    return rules.model_copy(update={"laps": min(max(laps, 1), MOST_LAPS)})


def lap_more(setup: Setup, now: Happened, plan: Plan | None = None, due: bool = False) -> float:
    """How likely a race over time comes to a lap more than is told [-]: as its own pace and scatter leave open, and the leader's.

    Source: the clock at the last lap but those behind it is normal; its spread is that of a lap over the root of the laps, and of the mean.
    """
    rules, done = told_rules(setup, now), len(now.times_s)
    if not rules.minutes:
        return 0.0
    told = rules_now(setup, now, plan, due).laps - (rules.laps_after if now.leader is None else 0)
    ahead = told - done
    if ahead < 1:
        return 0.0
    ends = _ends_s(setup, now, _passed_s(setup, now, rules), plan, ahead, due)
    flag = _flag_s(rules, now, ends, done)
    if done and ends[done - 1] >= flag:
        return 0.0
    over = float(ends[told - 1]) - flag  # by which the line is crossed too late for another lap
    green = sum(lap.pace_s is not None for lap in now.driven)
    scatter = max(setup.scatter_s, _LEAST_SCATTER_S)
    seen = done - now.leader.behind + ahead if now.leader is not None else 0  # laps of his that nobody has told of
    spread = math.sqrt(
        (ahead + seen) * scatter**2 + (ahead * scatter) ** 2 / (green + _KNOWN_LAPS) + _STOP_S**2 * (plan.stops if plan else 1)
    )
    return 0.5 * math.erfc(over / spread / math.sqrt(2.0))


def _ends_s(setup: Setup, now: Happened, passed: "np.ndarray", plan: Plan | None, laps: int, due: bool) -> "np.ndarray":
    """The race's clock as each lap ends, those that are driven and so many ahead [s]."""
    ahead = np.cumsum(ahead_s(setup, now, plan or setup.plan, laps, due))
    return np.concatenate([passed, (passed[-1] if len(passed) else 0.0) + ahead])


def _passed_s(setup: Setup, now: Happened, rules: RaceRules) -> "np.ndarray":
    """The race's clock as each driven lap ended [s]; a lap whose time is not known counts as it should have been."""
    pace = pace_now(setup, now)
    times = [
        lap.time_s if lap.time_s is not None else lap_known_s(pace, rules, lap, number) for number, lap in enumerate(now.driven, start=1)
    ]
    ends = np.cumsum(np.array(times, dtype=float))
    return ends - now.stood_s if now.stood_s and len(ends) else ends


def _flag_s(rules: RaceRules, now: Happened, ends: "np.ndarray", done: int) -> float:
    """When the flag falls, by the race's clock [s]: as the time is up, or as the leader ends his last lap."""
    over, leader = 60.0 * rules.minutes, now.leader
    if leader is None:
        return over
    behind = min(leader.behind, len(ends))  # laps that were counted twice may have been taken away since he was told of
    at = (float(ends[behind - 1]) if behind else 0.0) - leader.ahead_s
    own = np.diff(ends[max(done - 1, 0) :][:20], prepend=0.0 if not done else ends[done - 1])
    lap = leader.lap_s or max(float(np.median(own)), 1.0)
    crossed = at + lap * np.arange(2 * MOST_LAPS)  # as he was told of, and each lap after
    if over:
        return float(crossed[min(int(np.searchsorted(crossed, over - 1e-9)) + rules.laps_after, len(crossed) - 1)])
    left = rules.laps - leader.behind - leader.laps
    return at + lap * max(left, 0)


def _weather_now(rules: RaceRules, now: Happened) -> RaceRules:
    """The forecast with what the road has told: wet until it is said to be dry, and dry until it is said to be wet where it was; and wet
    from where wet tyres were fitted, if nobody said so before."""
    began, ended = now.weather
    if began is None:
        began = next((lap for lap, driven in enumerate(now.driven) if driven.compound == WET), None)
        if began is None and now.standing.compound == WET:
            began = len(now.driven)
        ended = None if began is None or (ended is not None and ended < began) else ended
    if began is None:
        return rules
    return rules.model_copy(
        update={"rain_from": float(began) or -1e-3, "rain_until": 0.0 if ended is None else float(ended) or -1e-3, "rain_spread": 0.1}
    )


def rest_of(plan: Plan, standing: Standing, laps: int) -> list[Stint]:
    """What is left of a plan's stints: the one that is on as it stands, and those behind it, up to the race's end.

    A plan that was made of a later rest, as laps were taken away again, is driven from here on with its first stint.
    """
    done, rest = standing.laps_done, list[Stint]()
    for index, stint in enumerate(plan.stints):
        end = laps if index == len(plan.stints) - 1 else min(stint.last_lap, laps)
        begin = max(stint.first_lap, done + 1) if rest else done + 1
        if end < begin:
            continue
        if not rest:
            stint = replace(stint, compound=standing.compound, age=standing.age, fuel_l=standing.fuel_l, fitted=False)
        rest.append(replace(stint, first_lap=begin, laps=end - begin + 1))
    return rest
