"""What would turn the order of two plans: at which pit lane, fade, cliff or refuelling rate the better number of stops is another."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from scipy.optimize import brentq

from .plans import times_by_stops
from .rules import Pace, RaceRules

#: Factors between which a turning point is looked for, and how many places are tried in between.
_LOW, _HIGH, _TRIED = 0.25, 4.0, 8
_FINE = 1e-3


@dataclass(frozen=True)
class Reverse:
    """Where the order of two numbers of stops turns.

    :param what: `pit`, `fade`, `cliff` or `rate`
    :param today: the value it has now [s for `pit`, l/s for `rate`; 1 for a factor]
    :param turns: the value at which both take as long, the nearest to today's; None where there is none between a quarter and four times
    """

    what: str
    today: float
    turns: float | None


def reverses(rules: RaceRules, pace: Pace, better: int, other: int) -> list[Reverse]:
    """Where another number of stops becomes as quick as the better one, each value changed alone and both planned anew, exactly.

    The pit lane's turning point needs no search: every plan of k stops gains k times what the lane takes.

    :param better: stops of the plan that is quicker today
    :param other: of the other
    """
    gap = _gap_s(rules, pace, better, other)
    if gap is None:
        return []
    lane = rules.pit_loss_s - gap / (other - better)
    found = [Reverse("pit", rules.pit_loss_s, lane if lane >= 0.0 else None)]
    for what, change in _CHANGES.items():
        factor = _turning(partial(_gap_with, change, rules, pace, better, other))
        found.append(Reverse(what, 1.0, factor))
    if rules.refuelling:
        factor = _turning(lambda f: _gap_s(rules.model_copy(update={"refuel_l_per_s": rules.refuel_l_per_s * f}), pace, better, other))
        found.append(Reverse("rate", rules.refuel_l_per_s, None if factor is None else rules.refuel_l_per_s * factor))
    return found


def _gap_s(rules: RaceRules, pace: Pace, better: int, other: int) -> float | None:
    """Time of the best plan of one number of stops over that of another [s]; None where one of them has none."""
    times = times_by_stops(rules, pace, (better, other))
    return None if len(times) < 2 else times[other] - times[better]


def _gap_with(change: "Change", rules: RaceRules, pace: Pace, better: int, other: int, factor: float) -> float | None:
    """The gap with something changed by a factor."""
    changed, moved = change(rules, pace, factor)
    return _gap_s(changed, moved, better, other)


def _turning(gap: Callable[[float], float | None]) -> float | None:
    """The factor nearest to 1 at which a gap is none."""
    found: list[float] = []
    for end in (_LOW, _HIGH):
        before, last = 1.0, gap(1.0)
        for k in range(1, _TRIED + 1):
            here = end ** (k / _TRIED)
            value = gap(here)
            if value is None or last is None:
                break
            if value == 0.0 or (value < 0.0) != (last < 0.0):
                root = brentq(lambda f: gap(f) or 0.0, before, here, xtol=_FINE)
                found.append(float(root))
                break
            before, last = here, value
    return min(found, key=lambda factor: abs(math.log(factor)), default=None)


def _with_fade(rules: RaceRules, pace: Pace, factor: float) -> tuple[RaceRules, Pace]:
    return rules, replace(pace, tyres=tuple(replace(tyre, fade_s=tyre.fade_s * factor) for tyre in pace.tyres))


def _with_cliff(rules: RaceRules, pace: Pace, factor: float) -> tuple[RaceRules, Pace]:
    return rules, replace(pace, tyres=tuple(replace(tyre, cliff_age=tyre.cliff_age * factor) for tyre in pace.tyres))


Change = Callable[[RaceRules, Pace, float], tuple[RaceRules, Pace]]
_CHANGES: dict[str, Change] = {"fade": _with_fade, "cliff": _with_cliff}
