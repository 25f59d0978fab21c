"""What would turn the order of two plans: at which pit lane, fade, cliff or refuelling rate the better number of stops is another."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

from .plans import quickest, times_by_stops
from .rules import Pace, RaceRules

#: Factors between which a turning point is looked for, and how many places are tried in between.
_LOW, _HIGH, _TRIED = 0.25, 4.0, 8
_FINE = 1e-3
#: Laps times stops above which only what needs no search is told.
_LONG = 4000


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

    The pit lane's turning point needs no search: every plan of k stops gains k times what the lane takes. In a very long race it is the
    only one that is told.

    :param better: stops of the plan that is quicker today
    :param other: of the other
    """
    gap = _gap_s(rules, pace, better, other)
    if gap is None:
        return []
    lane = rules.pit_loss_s - gap / (other - better)
    found = [Reverse("pit", rules.pit_loss_s, lane if lane >= 0.0 else None)]
    if rules.laps * rules.most_stops > _LONG:
        return found
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
    from scipy.optimize import brentq

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


@dataclass(frozen=True)
class Price:
    """What a rule costs: the best plan without it against the best plan with it.

    :param what: `mixed`, `stay`, `compulsory`, `stops` or `drop`
    :param key: the compound that is dropped; empty for the others
    :param gain_s: gained without the rule; lost where negative, None where no plan is left [s]
    """

    what: str
    key: str
    gain_s: float | None


def prices(rules: RaceRules, pace: Pace) -> list[Price]:
    """What rules cost or give, each changed alone and planned anew, exactly."""
    now = _best_s(rules, pace)
    if now is None:
        return []
    changes: list[tuple[str, str, dict[str, object]]] = []
    if rules.mixed:
        changes.append(("mixed", "", {"mixed": False}))
    if rules.tyres_may_stay or rules.refuelling:
        changes.append(("stay", "", {"tyres_may_stay": not rules.tyres_may_stay}))
    if rules.compulsory:
        changes.append(("compulsory", "", {"compulsory": ()}))
    if rules.least_stops:
        changes.append(("stops", "", {"least_stops": 0}))
    keys = sorted({key for tyre in pace.tyres for key in tyre.axles} - set(rules.compulsory) - set(rules.barred))
    if len(keys) + len(rules.compulsory) > 1:
        changes += [("drop", key, {"barred": (*rules.barred, key)}) for key in keys]
    found = []
    for what, key, change in changes:
        other = _best_s(rules.model_copy(update=change), pace)
        found.append(Price(what, key, None if other is None else now - other))
    return found


def _best_s(rules: RaceRules, pace: Pace) -> float | None:
    plan = quickest(rules, pace)
    return None if plan is None else plan.time_s


@dataclass(frozen=True)
class Decisive:
    """The tyre of which a run would tell most about which of two numbers of stops is quicker.

    :param key: the compound or pair
    :param swing_s: by how much their gap moves from one standard error of its fade below to one above [s]
    :param gap_s: the gap today [s]
    """

    key: str
    swing_s: float
    gap_s: float


def decisive(rules: RaceRules, pace: Pace, fade_sd: tuple[float, ...], better: int, other: int) -> Decisive | None:
    """Which tyre's fade, as unsure as it is, moves the gap of two numbers of stops most; None where none moves it.

    :param fade_sd: standard error of each tyre's fade, in the order of the pace's tyres [s/lap]
    """
    today = _gap_s(rules, pace, better, other)
    if today is None:
        return None
    swings = list[tuple[float, str]]()
    for index, (tyre, sd) in enumerate(zip(pace.tyres, fade_sd, strict=False)):
        ends = []
        for way in (-1.0, 1.0):
            changed = replace(tyre, fade_s=max(tyre.fade_s + way * sd, 0.0))
            moved = replace(pace, tyres=tuple(changed if k == index else one for k, one in enumerate(pace.tyres)))
            ends.append(_gap_s(rules, moved, better, other))
        low, high = ends
        if low is not None and high is not None:
            swings.append((abs(high - low), tyre.key))
    swing, key = max(swings, default=(0.0, ""))
    return Decisive(key, swing, today) if swing > 0.05 else None
