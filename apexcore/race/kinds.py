"""The two ways to be rid of the compound that nobody wants but the rules ask for: in the first stint, or in the last."""

from dataclasses import dataclass, replace

import numpy as np

from .exact import Planner
from .options import options_of, problem_of, stocks_of
from .plans import Plan, as_plan
from .problem import NEVER
from .rules import Pace, RaceRules


@dataclass(frozen=True)
class Rid:
    """The best plan that drives a compound in one stint alone.

    :param early: whether in the first; else in the last
    """

    key: str
    early: bool
    plan: Plan


def unwanted(rules: RaceRules, pace: Pace) -> str | None:
    """The compulsory compound that is slowest on its own when new; None where the rules ask for none, or there is one alone."""
    plain = {tyre.key: tyre for tyre in pace.tyres if tyre.axles[0] == tyre.axles[1]}
    asked = [plain[key] for key in rules.compulsory if key in plain]
    return max(asked, key=lambda tyre: tyre.offset_s).key if asked and len(plain) > 1 else None


def early_and_late(rules: RaceRules, pace: Pace) -> list[Rid]:
    """The best plan that is rid of the unwanted compound at once, and the best that leaves it for the end, quickest first."""
    key = unwanted(rules, pace)
    if key is None or rules.least_stops > rules.most_stops:
        return []
    options = options_of(rules, pace)
    problem = problem_of(rules, pace, stocks_of(rules) if rules.sets else ())
    if problem.most_stops < max(problem.least_stops, 1) or not options:
        return []
    has = np.array([key in option.tyre.axles for option in options], dtype=bool)
    cost = problem.cost if problem.cost.ndim == 3 else np.repeat(problem.cost[:, None, :], rules.laps, axis=1)
    last = np.arange(rules.laps)[:, None] + np.arange(rules.laps + 1)[None, :] == rules.laps
    late = np.where(last[None] == has[:, None, None], cost, NEVER)
    found = []
    for early, changed in (
        (True, replace(problem, begins=has, later=~has, least_stops=max(problem.least_stops, 1))),
        (False, replace(problem, cost=late, least_stops=max(problem.least_stops, 1))),
    ):
        planner = Planner(changed, nearest=1)
        bests = [planner.best(stops) for stops in range(changed.least_stops, changed.most_stops + 1)]
        best = min((one for one in bests if one is not None), key=lambda one: one.time_s, default=None)
        if best is not None:
            found.append(Rid(key, early, as_plan(rules, pace, options, changed, best)))
    return sorted(found, key=lambda one: one.plan.time_s)
