"""A race over time: how many laps it has follows from the plan, and is as unsure as its pace."""

from collections import Counter
from collections.abc import Sequence

import numpy as np

from ..errors import InputError
from .course import course
from .plans import Plan, check, plan_time_s, ranked_plans, search
from .rules import MOST_LAPS, Pace, RaceRules

#: Distances that are tried before one is taken for good.
_TRIED = 12


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
    found: dict[int, tuple[RaceRules, list[Plan]] | None] = {}

    def holds(laps: int) -> bool:
        """Whether the quickest plan over so many laps begins the last of them in time."""
        if laps <= rules.laps_after + 1:
            found[laps] = _over(rules, pace, laps)
            return True
        found[laps] = _over(rules, pace, laps)
        return found[laps] is not None and _begins_in_time(rules, pace, found[laps])

    guess = 60.0 * rules.minutes / max(pace.lap_s, 1.0) + 1 + rules.laps_after
    if guess > MOST_LAPS:
        raise InputError("race time", f"{rules.minutes:g} min", f"at most {MOST_LAPS} laps, which is {MOST_LAPS * pace.lap_s / 60:.0f} min")
    laps = _shortened(rules, pace, int(guess))
    for _ in range(_TRIED):
        if holds(laps):
            break
        laps = max(laps - 1, 1 + rules.laps_after)
    while laps < int(guess) and holds(laps + 1):
        laps += 1
    known = found[laps]
    if known is None:
        over = rules.model_copy(update={"laps": laps})
        return over, ranked_plans(over, pace)  # which says why there is none
    return known


def _shortened(rules: RaceRules, pace: Pace, laps: int) -> int:
    """Laps at the average of a plan over about as many: stops and worn tyres take their share of the time."""
    known = _over(rules, pace, laps)
    if known is None:
        return laps
    return max(1 + rules.laps_after, min(laps, int(60.0 * rules.minutes / (known[1][0].time_s / laps)) + 1 + rules.laps_after))


def _over(rules: RaceRules, pace: Pace, laps: int) -> tuple[RaceRules, list[Plan]] | None:
    over = rules.model_copy(update={"laps": laps})
    plans = search(over, pace)
    return (over, plans) if plans else None


def _begins_in_time(rules: RaceRules, pace: Pace, known: "tuple[RaceRules, list[Plan]] | None") -> bool:
    if known is None:
        return False
    over, plans = known
    passed = course(over, pace, plans[0]).passed_s
    return bool(passed[over.laps - rules.laps_after - 2] < 60.0 * rules.minutes)


def laps_of(rules: RaceRules, pace: Pace, plan: Plan) -> int:
    """Laps that a plan comes to in the race's time: those it was made for, fewer, or more of its last stint.

    :param rules: with a time, and the laps that the plan was made for
    """
    passed = course(rules, pace, plan).passed_s
    end = crossed_in_time(passed, rules.minutes, rules.laps_after)
    if end is not None:
        return end
    last = float(passed[-1] - passed[-2]) if len(passed) > 1 else float(passed[-1])
    late = 60.0 * rules.minutes - float(passed[-1 - rules.laps_after]) if len(passed) > rules.laps_after else 0.0
    return rules.laps + int(max(late, 0.0) // last) + 1


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
