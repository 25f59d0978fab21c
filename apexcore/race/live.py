"""A race as it is driven: the rest planned anew from what has happened, and never a rule broken without a word."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .clock import FLAT, lap_more, pace_now, rest_of, rules_now, slow_ahead, standing_now
from .course import course
from .happened import Happened, Setup
from .legal import Breach, breaches
from .options import filling_of
from .plans import Plan, Stint, stints_time_s
from .problem import NEVER_FROM
from .replan import Standing, after_laps, margin_left_l, replanned, stopping_now
from .rules import MOST_STOPS, Pace, RaceRules
from .simulation import Driver, Rest, stop_worth

#: From which chance on the fuel of another lap is carried.
_LIKELY = 0.02
#: How often the laps of a race over time and its plan are asked to agree.
_AGREEING = 3


def followed_s(
    rules: RaceRules, pace: Pace, standing: Standing, plan: Plan, unavoidable: Sequence[Breach] = ()
) -> float | None:  # fmt: skip
    """Time of the rest by a plan that was made before, filled at least cost [s]; None where it can no longer be driven, or not legally.

    :param unavoidable: rules that every way on breaks
    """
    rest = rest_of(plan, standing, rules.laps)
    if not rest or any(stint.compound not in {tyre.key for tyre in pace.tyres} for stint in rest):
        return None
    held, given = replace(pace, margin_l=margin_left_l(rules, pace, standing)), {one.rule for one in unavoidable}
    if any(one.rule not in ("tank_l", "refuelling", *given) for one in breaches(rules, held, standing, rest)):
        return None  # what is on board is filled anew below
    filling = replace(filling_of(rules, held), start_l=standing.fuel_l, start_least_l=standing.fuel_l)
    found = stints_time_s(rules, pace, rest, filling, exactly=True)
    return None if found >= NEVER_FROM else found


@dataclass(frozen=True)
class Advice:
    """What to do from here.

    :param plan: of the rest; None where none can be driven
    :param changed: whether it is another than the one that was followed
    :param gain_s: what the change is worth; None where the one before could not be driven on [s]
    :param short_l: what lacks to drive on at all, reserve left out; 0 where nothing does [l]
    :param due: whether the stop is now, as the lap has just ended
    :param broken: rules that the plan breaks, as none keeps them all
    :param laps: laps that the race comes to
    :param lap_more: chance that it comes to one more [-]
    """

    plan: Plan | None
    changed: bool
    gain_s: float | None
    short_l: float = 0.0
    due: bool = False
    broken: tuple[Breach, ...] = ()
    laps: int = 0
    lap_more: float = 0.0


def advise(setup: Setup, now: Happened, following: Plan, threshold_s: float) -> Advice:
    """The rest of the race, by the plan that was followed unless another is worth more than the threshold.

    How many laps a race over time has depends on the plan a little: it is asked until both agree.
    """
    rules, more = rules_now(setup, now, following), lap_more(setup, now, following)
    advice, asked = _advised(setup, rules, now, following, threshold_s, more), {rules.laps}
    for _ in range(_AGREEING):
        told = rules_now(setup, now, advice.plan or following, advice.due)
        if told.laps == rules.laps or (told.laps in asked and told.laps < rules.laps):
            break  # where a stop costs the lap that it is for, the longer race is planned: without it fuel would lack
        asked.add(told.laps)
        rules, advice = told, _advised(setup, told, now, following, threshold_s, more)
    return replace(advice, laps=rules.laps, lap_more=lap_more(setup, now, advice.plan or following, advice.due))


def _advised(setup: Setup, rules: RaceRules, now: Happened, following: Plan, threshold_s: float, more: float) -> Advice:
    """The same for a race of so many laps.

    :param more: chance of one lap more
    """
    pace, at = pace_now(setup, now), standing_now(setup, now, rules)
    if at.laps_done >= rules.laps:
        return Advice(None, False, 0.0)
    if more > _LIKELY:  # a lap's fuel more than the reserve, which shrinks with the laps that are left
        pace = replace(pace, margin_l=pace.margin_l + now.use_l / math.sqrt((rules.laps - at.laps_done) / rules.laps))
    if now.flat:
        return _home_on_a_flat(rules, pace, now, at)
    may_stop = not now.closed and not now.red
    bare = replace(pace, margin_l=0.0)
    plans = replanned(rules, pace, at, 1)
    planned = bool(at.since_stop) and any(stint.last_lap == at.laps_done for stint in following.stints[:-1])
    if planned and may_stop:
        stop = stopping_now(rules, pace, at) or stopping_now(rules, bare, at)
        if stop is not None and (not plans or stop.time_s <= plans[0].time_s + threshold_s):
            return Advice(stop, False, 0.0, due=True, broken=breaches(rules, bare, at, stop.stints, True))
    if not plans:  # drive on into the reserve before nothing is said
        plans = replanned(rules, bare, at, 1)
        if not plans:
            return _no_legal_way(rules, bare, now, at, following, may_stop)
    best = plans[0]
    broken = breaches(rules, bare, at, best.stints)  # by what was done before: a plan of the rest breaks none itself
    before = followed_s(rules, pace, at, following, broken)
    if before is not None and before - best.time_s <= threshold_s:
        rest = rest_of(following, at, rules.laps)
        return Advice(replace(best, stints=tuple(rest), time_s=before), False, before - best.time_s, broken=broken)
    return Advice(best, True, None if before is None else before - best.time_s, broken=broken)


def _home_on_a_flat(rules: RaceRules, pace: Pace, now: Happened, at: Standing) -> Advice:
    """A tyre is flat: the stop is at the end of this lap, whatever it breaks."""
    then = after_laps(at, 1, now.use_l, pace.lap_s)
    bare, lifted = replace(pace, margin_l=0.0), rules
    for change in ({}, *_GIVEN_UP):
        lifted = lifted.model_copy(update=change)
        stop = stopping_now(lifted, pace, then) or stopping_now(lifted, bare, then)
        if stop is not None:
            home = Stint(at.compound, at.laps_done + 1, 1, at.fuel_l, at.age, fitted=False)
            stints = (home, *(replace(stint, fitted=True) if not k else stint for k, stint in enumerate(stop.stints)))
            plan = replace(stop, stints=stints, time_s=stop.time_s + FLAT * pace.lap_s)
            return Advice(plan, True, None, broken=breaches(rules, pace, at, stints))
    return Advice(None, False, None)


#: What is given up where no way on keeps all rules, in the order in which one would: a window before a limit, a limit before what is owed.
_GIVEN_UP: tuple[dict[str, Any], ...] = (
    {"last_stop_lap": 0}, {"first_stop_lap": 0}, {"no_stops": ()}, {"no_stop_minutes": ()}, {"longest_stint": 0}, {"stint_l": 0.0},
    {"wheel_minutes": 0.0}, {"race_l": 0.0},
    {"sets": ()}, {"most_stops": MOST_STOPS},
    {"compulsory": ()}, {"least_stops": 0},
)  # fmt: skip


def _no_legal_way(rules: RaceRules, pace: Pace, now: Happened, at: Standing, following: Plan, may_stop: bool) -> Advice:
    """What to do where no way on by the lap keeps all rules: stop at once if that does, else the least bad and what it breaks."""
    short = max(now.use_l * (rules.laps - at.laps_done) - at.fuel_l, 0.0)
    if may_stop and (stop := stopping_now(rules, pace, at)) is not None:
        return Advice(stop, True, None, short, True, breaches(rules, pace, at, stop.stints, True))
    found = least_bad(rules, pace, at, may_stop)
    if found is None:
        return Advice(None, False, None, short)
    plan, broken, due = found
    same = [stint.last_lap for stint in rest_of(following, at, rules.laps)] == [stint.last_lap for stint in plan.stints] and not due
    lacking = short if not rules.refuelling else 0.0
    return Advice(plan, not same, None, lacking, due, broken)


def least_bad(rules: RaceRules, pace: Pace, at: Standing, may_stop: bool = True) -> tuple[Plan, tuple[Breach, ...], bool] | None:
    """The rest that breaks the fewest rules, the first of `_GIVEN_UP` before the later ones; with what it breaks, and whether its stop is
    now. None where even without them nothing can be driven.

    :param may_stop: whether one may stop as this lap ends
    """
    changes = [change for change in _GIVEN_UP if rules.model_copy(update=change) != rules]
    pairs = [one | other for k, one in enumerate(changes) for other in changes[k + 1 :]]
    everything: dict[str, Any] = {}
    for change in changes:
        everything |= change
    for given_up in (changes, pairs, [everything]):
        for change in given_up:
            lifted = rules.model_copy(update=change)
            ways = [(plan, False) for plan in replanned(lifted, pace, at, 1)]
            stop = stopping_now(lifted, pace, at) if may_stop else None
            ways += [] if stop is None else [(stop, True)]
            if ways:
                judged = [(breaches(rules, pace, at, plan.stints, due), plan, due) for plan, due in ways]
                broken, plan, due = min(judged, key=lambda one: (len(one[0]), one[2], one[1].time_s))
                return plan, broken, due
    return None


@dataclass(frozen=True)
class SafetyAdvice:
    """Whether to stop at the end of the lap that is being driven behind a safety car.

    :param gain_s: gained by it, lost where negative [s]; None where it is not legal
    :param places: gained by it
    """

    lap: int
    gain_s: float | None
    stop: Plan | None
    places: float = 0.0


def under_safety_car(setup: Setup, now: Happened) -> SafetyAdvice | None:
    """What to do as the lap that is being driven ends; None on the last one."""
    rules, pace = rules_now(setup, now), pace_now(setup, now)
    at = standing_now(setup, now, rules)
    lap = at.laps_done + 1
    if lap >= rules.laps or now.closed:
        return None
    then = after_laps(at, 1, now.use_l, pace.lap_s)
    behind, each = slow_ahead(rules, pace, now)
    then = replace(then, clock_s=at.clock_s + each, late_s=(behind - 1) * max(each - pace.lap_s, 0.0))
    stay = next(iter(replanned(rules, pace, then, 1)), None)
    stop = stopping_now(rules, pace, then, setup.safety_pit)
    if stop is None or stay is None:
        return SafetyAdvice(lap, None, stop)
    around = rules.around.model_copy(update={"safety_laps": max(rules.around.safety_laps - now.slow_laps, 1)})
    if not around.cars or lap < 1:
        return SafetyAdvice(lap, stay.time_s - stop.time_s, stop)
    gain, places = stop_worth(
        rules, _whole(setup, pace, rules, lap, stay), _whole(setup, pace, rules, lap, stop, setup.safety_pit), lap, around,
        Driver(setup.scatter_s, 0.0),
    )  # fmt: skip
    return SafetyAdvice(lap, gain, stop, places)


def _whole(setup: Setup, pace: Pace, rules: RaceRules, done: int, rest: Plan, pit_share: float | None = None) -> Rest:
    """The laps of the whole race: those that are driven by the plan that it began with, which places it in the field, and a way on.

    :param pit_share: part of the usual loss in the pit lane that the way on counts for the stop it begins with; None where it begins with
        none
    """
    before, then = course(setup.rules, setup.pace, setup.plan), course(rules, pace, rest)
    driven = min(done, len(before.lap_s))
    clean, stops = (before.lap_s - before.stop_s)[:driven], before.stop_s[:driven].copy()
    clean = np.concatenate([clean, np.full(done - driven, setup.pace.lap_s), then.lap_s - then.stop_s])
    stops = np.concatenate([stops, np.zeros(done - driven), then.stop_s])
    if pit_share is not None:  # the races take off what a safety car saves of any stop
        stops[done] = rest.time_s - float(then.lap_s.sum()) + rules.pit_loss_s * (1.0 - pit_share)
    return Rest(clean, stops)
