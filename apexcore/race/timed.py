"""A race over time: how many laps it has follows from the plan, and is as unsure as its pace."""

from collections import Counter
from collections.abc import Sequence

import numpy as np

from ..errors import InputError
from .course import course
from .plans import Plan, check, plan_time_s, quickest, ranked_plans
from .rules import MOST_LAPS, Pace, RaceRules


def crossed_in_time(passed_s: "np.ndarray", minutes: float, laps_after: int) -> int | None:
    """Laps of a race whose laps end at these times; None where they end before it does.

    The lap on which the time is up is driven to its end, and so many more.
    """
    over = int(np.searchsorted(passed_s, 60.0 * minutes - 1e-9)) + 1 + laps_after
    return over if over <= len(passed_s) else None


def plans_in_time(rules: RaceRules, pace: Pace) -> tuple[RaceRules, list[Plan]]:
    """The rules with the distance that the time comes to, and the plans over it; the rules as they are where they tell laps.

    The distance is the longest at which the quickest plan still begins its last laps in time: fewer laps would be driven by that plan as
    well, and more by none.

    :raises NoLegalPlan: as `ranked_plans`
    :raises InputError: as `ranked_plans`, and where the time is more than the laps that a plan may have
    """
    if not rules.minutes:
        return rules, ranked_plans(rules, pace)
    check(rules, pace)
    guess = int(60.0 * rules.minutes / max(pace.lap_s, 1.0)) + 1 + rules.laps_after
    if guess > MOST_LAPS:
        raise InputError("race time", f"{rules.minutes:g} min", f"at most {MOST_LAPS} laps, which is {MOST_LAPS * pace.lap_s / 60:.0f} min")
    laps = _longest(rules, pace, guess)
    over = rules.model_copy(update={"laps": laps or guess})
    return over, ranked_plans(over, pace)  # which says why, where there is none


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
