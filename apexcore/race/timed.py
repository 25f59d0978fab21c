"""A race over time: how many laps it has follows from the plan, and is as unsure as its pace."""

import math
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from ..errors import InputError, NoLegalPlan
from .course import course
from .options import options_of
from .plans import Plan, Stint, check, plan_time_s, quickest, ranked_plans
from .rules import MOST_LAPS, MOST_STOPS, Pace, RaceRules


def crossed_in_time(passed_s: "np.ndarray", minutes: float, laps_after: int) -> int | None:
    """Laps of a race whose laps end at these times; None where they end before it does.

    The lap on which the time is up is driven to its end, and so many more.
    """
    over = int(np.searchsorted(passed_s, 60.0 * minutes - 1e-9)) + 1 + laps_after
    return over if over <= len(passed_s) else None


def plans_in_time(rules: RaceRules, pace: Pace) -> tuple[RaceRules, list[Plan]]:
    """The rules with the distance that the time comes to, and the plans over it; the rules as they are where they tell laps.

    The distance is the longest at which the quickest plan still begins its last laps in time: fewer laps would be driven by that plan as
    well. More are driven only by putting a stop off until the time is up (`late_stop`).

    :raises NoLegalPlan: as `ranked_plans`, and where no legal plan is still on the road as the time is up
    :raises InputError: as `ranked_plans`, and where the time is more than the laps that a plan may have
    """
    if not rules.minutes:
        return rules, ranked_plans(rules, pace)
    check(rules, pace)
    passed, guess = 0.0, 1 + rules.laps_after
    while passed < 60.0 * rules.minutes and guess <= MOST_LAPS:  # no lap is quicker than this, whatever the track does
        passed += max(pace.lap_s + min(rules.track_s, 0.0) * (guess - 1), 1.0)
        guess += 1
    if guess > MOST_LAPS:
        raise InputError("race time", f"{rules.minutes:g} min", f"at most {MOST_LAPS} laps, which is {MOST_LAPS * pace.lap_s / 60:.0f} min")
    if rules.no_stop_minutes:  # without them the race comes to no fewer laps, and that is soon known
        guess = _longest(rules.model_copy(update={"no_stop_minutes": ()}), pace, guess) or guess
    laps = _longest(rules, pace, guess)
    over = rules.model_copy(update={"laps": laps or guess})
    plans = ranked_plans(over, pace)  # which says why, where there is none
    comes_to = _own_laps(course(over, pace, plans[0]).passed_s, over)
    if comes_to > over.laps:
        raise NoLegalPlan([_short_of_the_flag(over, pace, comes_to)])
    return over, plans


#: What may be saved at most to reach the flag [-], and the largest tank that is asked for [l].
_MOST_SAVED, _LARGEST_L = 0.4, 500.0


def _short_of_the_flag(rules: RaceRules, pace: Pace, laps: int) -> str:
    """That no plan reaches the flag, and what would.

    :param rules: with the laps of the longest plan
    :param laps: that the race comes to
    """
    over = rules.model_copy(update={"laps": laps})

    def drives(changed: RaceRules, at: Pace = pace) -> bool:
        return quickest(changed, at) is not None

    ways = list[str]()
    if not rules.refuelling and drives(over.model_copy(update={"refuelling": True})):
        ways.append("refuelling")
    stops = _first(range(rules.most_stops + 1, MOST_STOPS + 1), lambda most: drives(over.model_copy(update={"most_stops": most})))
    if stops is not None:
        ways.append(f"{stops} stop{'s' if stops != 1 else ''}")
    litres = range(math.floor(rules.tank_l) + 1, int(_LARGEST_L) + 1)
    tank = _first(litres, lambda held: drives(over.model_copy(update={"tank_l": float(held)})))
    if tank is not None:
        ways.append(f"a tank of {tank} l")
    saved = _first(
        range(1, int(100 * _MOST_SAVED) + 1),
        lambda share: drives(over, replace(pace, fuel_l_per_lap=pace.fuel_l_per_lap * (1.0 - share / 100.0))),
    )
    if saved is not None:
        ways.append(f"{saved} % less fuel a lap")
    for words, change in (
        (f"stints of more than {rules.longest_stint} laps", {"longest_stint": 0}),
        (f"more than {rules.wheel_minutes:g} min at the wheel", {"wheel_minutes": 0.0}), ("more tyre sets", {"sets": ()}),
        (f"a stop after lap {rules.last_stop_lap}", {"last_stop_lap": 0}), (f"stops {rules.closed_words}", {"no_stops": ()}),
        (f"stops {rules.closed_minutes_words}", {"no_stop_minutes": ()}),
    ):  # fmt: skip
        changed = over.model_copy(update=change)
        if changed != over and drives(changed):
            ways.append(words)
    what = f" What would reach it, each alone: {', '.join(ways)}." if ways else ""
    return (
        f"No plan reaches the flag: {rules.minutes:g} min come to about {laps} laps, and under these rules no plan drives more than "
        f"{rules.laps}.{what}"
    )


def _first(values: range, holds: Callable[[int], bool]) -> int | None:
    """The least value from which on something holds; None where it never does. It is looked for among the first ones first."""
    low, high, step = 0, 0, 1
    while high < len(values) and not holds(values[high]):
        low, step = high + 1, 2 * step
        high = len(values) - 1 if high < len(values) - 1 < high + step else high + step
    if high >= len(values):
        return None
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if holds(values[middle]) else (middle + 1, high)
    return values[low]


def late_stop(rules: RaceRules, pace: Pace) -> Plan | None:
    """A plan that drives a lap more than the quickest one, by making a stop only as the time is up; None where there is none.

    A stop that is owed anyway then costs nothing before the lap on which the race would have ended.

    :param rules: with the laps that the race comes to
    """
    behind, stint = rules.laps - rules.laps_after, 1 + rules.laps_after
    if not rules.minutes or behind < 1 or not rules.stop_allowed(behind) or (rules.longest_stint and stint > rules.longest_stint):
        return None
    best: Plan | None = None
    for option in options_of(rules, pace):
        keys = option.tyre.axles
        enough = rules.compulsory_laps <= stint
        sets = tuple(one.model_copy(update={"count": one.count - (one.compound in keys and one.age == option.age)}) for one in rules.sets)
        before = rules.model_copy(
            update={
                "laps": behind, "least_stops": max(rules.least_stops - 1, 0), "most_stops": max(rules.most_stops - 1, 0), "sets": sets,
                "compulsory": tuple(key for key in rules.compulsory if not (enough and key in keys)),
            }
        )  # fmt: skip
        if rules.most_stops < 1 or any(one.count < 0 for one in sets):
            continue
        first = quickest(before, pace)
        if first is None or (known := course(before, pace, first)).passed_s[-1] >= 60.0 * rules.minutes:
            continue
        if rules.closed_at(float(known.passed_s[-1])) is not None:
            continue
        need = pace.fuel_l_per_lap * option.level.fuel_share * stint + pace.margin_l
        left = float(known.left_l[-1])
        if need > left and not rules.refuelling:
            continue
        stints = (*first.stints, Stint(option.tyre.key, behind + 1, stint, max(need, left), option.age, True, option.level))
        told = course(rules, pace, replace(first, stints=stints))
        plan = Plan(
            stints, float(told.lap_s.sum()), float(told.stop_s.sum()),
            float((told.offset_s + told.fade_s + told.cliff_s + told.warm_s + told.saving_s + told.weather_s).sum()),
            float(told.fuel_s.sum()),
        )  # fmt: skip
        if best is None or plan.time_s < best.time_s:
            best = plan
    return best


def _longest(rules: RaceRules, pace: Pace, guess: int) -> int | None:
    """The longest distance at which the quickest plan begins its last laps in time; None where no distance has a plan.

    A plan tells how many laps its own pace comes to, which is where one looks next; what holds and what does not close in on it.

    :param guess: laps that no plan comes to more than
    """
    least, low, high, legal = 1 + rules.laps_after, 0, guess + 1, 0
    laps = guess
    while high - low > 1 and high > least:
        plan = quickest(rules.model_copy(update={"laps": laps}), pace)
        if plan is None:
            high, wanted = laps, (low + laps) // 2
        else:
            legal = laps
            passed = course(rules.model_copy(update={"laps": laps}), pace, plan).passed_s
            comes_to = _own_laps(passed, rules)
            if laps <= least or comes_to >= laps:
                low, wanted = laps, max(comes_to, laps + 1)
            else:
                high, wanted = laps, comes_to
        laps = min(max(wanted, low + 1, least), high - 1)
        if laps <= low:
            break
    return low or (least if legal or quickest(rules.model_copy(update={"laps": least}), pace) is not None else None)


def _own_laps(passed: "np.ndarray", rules: RaceRules) -> int:
    """Laps that a plan comes to at its own pace: as many as it is made for, fewer, or more at the pace of its last."""
    end = crossed_in_time(passed, rules.minutes, rules.laps_after)
    if end is not None:
        return end
    last = float(passed[-1] - passed[-2]) if len(passed) > 1 else float(passed[-1])
    more = np.concatenate([passed, passed[-1] + last * np.arange(1, 2000)])
    return crossed_in_time(more, rules.minutes, rules.laps_after) or len(passed)


def laps_of(rules: RaceRules, pace: Pace, plan: Plan) -> int:
    """Laps that a plan comes to in the race's time: those it was made for, fewer, or more of its last stint.

    :param rules: with a time, and the laps that the plan was made for
    """
    return _own_laps(course(rules, pace, plan).passed_s, rules)


def lap_chances(rules: RaceRules, draws: Sequence[Pace], plan: Plan, scatter_s: float = 0.0) -> dict[int, float]:
    """How likely each number of laps is, with a pace as unsure as the laps leave it [-].

    :param draws: of the pace
    :param scatter_s: standard deviation of a lap [s]
    """
    rng = np.random.default_rng(20_261)
    passed = course(rules, draws[0], plan).passed_s
    counts: Counter[int] = Counter()
    base = plan_time_s(rules, draws[0], plan)
    for draw in draws:
        later = (plan_time_s(rules, draw, plan) - base) / rules.laps + scatter_s * rng.standard_normal() / np.sqrt(rules.laps)
        moved = passed + later * np.arange(1, rules.laps + 1)
        lap = float(moved[-1] - moved[-2]) if rules.laps > 1 else float(moved[-1])
        more = moved[-1] + lap * np.arange(1, 4 + rules.laps_after)
        end = crossed_in_time(np.concatenate([moved, more]), rules.minutes, rules.laps_after)
        counts[end if end is not None else rules.laps + 3] += 1
    return {laps: count / len(draws) for laps, count in sorted(counts.items())}
