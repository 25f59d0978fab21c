"""The rest of a race, planned exactly from where it stands: on the day, and for what to do if a safety car comes."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..vehicle.pair import axles_of
from .course import course
from .exact import Best, Planner
from .options import Option, at_level, options_of, problem_of, saved_laps, stocks_of
from .plans import Plan, as_plan
from .problem import Limited, Needed, Problem
from .rules import Laps, Pace, RaceRules
from .within import track_s, within_limits


@dataclass(frozen=True)
class Standing:
    """Where a race stands as a lap ends.

    :param laps_done: race laps driven
    :param fuel_l: fuel on board [l]
    :param compound: tyres that are on: a compound, or a pair
    :param age: laps that they have been driven
    :param since_stop: laps since the last stop
    :param stops: stops made
    :param driven: laps driven on each compound, on either axle, those of the tyres that are on among them
    :param fitted: compound and age of every set that was fitted, the one that is on among them
    :param wheel_s: time at the wheel since the last change of driver [s]
    :param burnt_l: fuel burnt on the race's laps so far [l]
    :param since_l: of it, since the last stop [l]
    :param clock_s: the race's clock as that lap ended; told where rules ask for it, else 0 [s]
    :param late_s: what the clock will have lost behind a safety car by the next stop [s]
    :param slower_s: how much slower than the pace a lap is driven today, for the clock alone [s]
    """

    laps_done: int
    fuel_l: float
    compound: str
    age: int
    since_stop: int
    stops: int
    driven: tuple[tuple[str, int], ...]
    fitted: tuple[tuple[str, int], ...]
    wheel_s: float = 0.0
    burnt_l: float = 0.0
    since_l: float = 0.0
    clock_s: float = 0.0
    late_s: float = 0.0
    slower_s: float = 0.0


def margin_left_l(rules: RaceRules, pace: Pace, standing: Standing) -> float:
    """What is held in reserve for the rest [l]: what is unsure of it goes with the root of the laps that are left, readings included."""
    return pace.margin_l * math.sqrt(max(rules.laps - standing.laps_done, 0) / rules.laps)


@dataclass(frozen=True)
class _Rest:
    """The rest of a race as numbers."""

    rules: RaceRules
    pace: Pace
    problem: Problem
    options: list[Option]


def _rest(rules: RaceRules, pace: Pace, standing: Standing) -> _Rest:
    laps = rules.laps - standing.laps_done
    done = standing.laps_done
    pace = replace(pace, margin_l=margin_left_l(rules, pace, standing))
    last = max(rules.last_stop_lap - done, 0) if rules.last_stop_lap else 0
    left = rules.model_copy(
        update={
            "laps": laps, "formation_laps": 0.0, "least_stops": max(rules.least_stops - standing.stops, 0),
            "most_stops": max(rules.most_stops - standing.stops, 0), "first_stop_lap": max(rules.first_stop_lap - done, 0),
            "last_stop_lap": last, "no_stops": tuple(shifted_laps(rules.no_stops, done)), "compulsory": (),
            "rain_from": _shifted(rules.rain_from, done),
            "rain_until": _shifted(rules.rain_until, done),
        }
    )  # fmt: skip
    fresh = options_of(left, pace)
    tyre = next(one for one in pace.tyres if one.key == standing.compound)
    on = [Option(at_level(replace(tyre, warm_s=0.0), level), standing.age, level) for level in pace.levels]
    options = [*fresh, *on]
    problem = problem_of(left, pace, options=options)
    if rules.longest_stint:
        problem = replace(problem, first_leg_laps=max(rules.longest_stint - standing.since_stop, 0))
    if rules.stint_l:
        problem = replace(problem, first_leg_l=rules.stint_l - standing.since_l)
    if rules.wheel_minutes:
        problem = replace(problem, first_leg_s=problem.leg_s - standing.wheel_s)
    if rules.last_stop_lap and done >= rules.last_stop_lap:
        problem.stop_laps[:] = False
    at_start = np.arange(len(options)) >= len(fresh)
    known = dict(standing.driven)
    needs = tuple(
        Needed(np.array([key in option.tyre.axles for option in options], dtype=bool), lacking)
        for key in sorted(set(rules.compulsory))
        if (lacking := rules.compulsory_laps - known.get(key, 0)) > 0
    )
    saving = saved_laps(rules, pace, options, laps, standing.burnt_l)
    limited = []
    for stock in stocks_of(rules):
        taken = sum(_takes(stock.compound, stock.age, stock.axle, one) for one in standing.fitted)
        takes = np.array([stock.takes(option) and not on_it for option, on_it in zip(options, at_start, strict=True)], dtype=bool)
        if stock.count - taken <= problem.most_stops:
            limited.append(Limited(takes, max(stock.count - taken, 0)))
    problem = replace(
        problem, needs=(*([saving] if saving else ()), *needs), limited=tuple(limited), begins=at_start, later=~at_start,
        start_l=standing.fuel_l, start_least_l=standing.fuel_l, behind=done,
    )  # fmt: skip
    return _Rest(left, pace, problem, options)


def shifted_laps(stretches: Sequence[Laps], done: int) -> Iterator[Laps]:
    """Stretches of laps as what is left of a race counts them."""
    for one in stretches:
        if one.last > done:
            yield Laps(first=max(one.first - done, 1), last=one.last - done)


def _shifted(lap: float, done: int) -> float:
    """A lap of the forecast as the rest counts it; 0 stays what it says."""
    return lap if lap == 0.0 else (lap - done or -1e-3)


def count_driven(driven: dict[str, int], tyres: str, laps: int) -> None:
    """Adds laps to the compounds that tyres are of, once where both axles have the same."""
    for key in dict.fromkeys(axles_of(tyres)):
        driven[key] = driven.get(key, 0) + laps


def after_laps(at: Standing, laps: int, use_l: float, driving_s: float) -> Standing:
    """Where a race stands some laps on, without a stop.

    :param use_l: fuel of a lap [l]
    :param driving_s: time of these laps [s]
    """
    driven = dict(at.driven)
    count_driven(driven, at.compound, laps)
    return replace(
        at, laps_done=at.laps_done + laps, fuel_l=max(at.fuel_l - use_l * laps, 0.0), age=at.age + laps, since_stop=at.since_stop + laps,
        driven=tuple(driven.items()), wheel_s=at.wheel_s + driving_s, burnt_l=at.burnt_l + use_l * laps, since_l=at.since_l + use_l * laps,
        clock_s=at.clock_s + driving_s + at.slower_s * laps,
    )  # fmt: skip


def _takes(compound: str, age: int, axle: int, fitted: tuple[str, int]) -> bool:
    """Whether a set that was fitted is one of these."""
    return fitted[1] == age and axles_of(fitted[0])[axle] == compound


def _told(rest: _Rest, best: Best, standing: Standing, on_them: bool) -> Plan:
    """A plan of the rest.

    :param on_them: whether it begins on the tyres that are on
    """
    plan = as_plan(rest.rules, rest.pace, rest.options, rest.problem, best, standing.laps_done)
    if not on_them:
        return plan
    first = replace(plan.stints[0], fitted=False)
    return replace(plan, stints=(first, *plan.stints[1:]))


def replanned(rules: RaceRules, pace: Pace, standing: Standing, most: int = 3) -> list[Plan]:
    """The best plans of the rest, one for each number of stops, quickest first; none where no plan is legal.

    :param most: plans that are returned
    """
    if standing.laps_done >= rules.laps:
        return []
    rest = _rest(rules, pace, standing)
    if rest.problem.least_stops > rest.problem.most_stops:
        return []

    def bests(problem: Problem) -> list[Best]:
        planner = Planner(problem, nearest=most)
        found = (planner.best(stops) for stops in range(problem.least_stops, problem.most_stops + 1))
        return [best for best in found if best is not None]

    problem, found = within_limits(
        rest.rules, rest.pace, rest.options, rest.problem, bests, lambda _: standing.clock_s + standing.late_s, standing.slower_s
    )
    plans = [_told(replace(rest, problem=problem), best, standing, on_them=True) for best in found]
    return sorted(plans, key=lambda plan: plan.time_s)[:most]


def stopping_now(rules: RaceRules, pace: Pace, standing: Standing, pit_share: float = 1.0) -> Plan | None:
    """The best plan of the rest when one stops as this lap ends; its time has that stop in it. None where that is not legal.

    :param pit_share: part of the usual loss in the pit lane that the stop costs now
    """
    done = standing.laps_done
    if done >= rules.laps or standing.stops >= rules.most_stops or not rules.stop_allowed(done):
        return None
    if rules.closed_at(standing.clock_s) is not None:
        return None
    rest = _rest(rules, pace, standing)
    problem = replace(
        rest.problem, begins=rest.problem.later, start_l=rest.problem.tank_l, start_least_l=standing.fuel_l,
        most_stops=min(max(rest.problem.most_stops - 1, 0), rest.problem.laps - 1), least_stops=max(rest.problem.least_stops - 1, 0),
        first_leg_laps=None, first_leg_l=None, first_leg_s=None,
    )  # fmt: skip
    if problem.rate <= 0.0:
        problem = replace(problem, start_l=standing.fuel_l)
    if problem.least_stops > problem.most_stops or not problem.begins.any():  # type: ignore[union-attr]
        return None

    # what is filled now costs as at any stop, which the planner's own start does not: at most a tank's filling lies between both
    def bests(problem: Problem) -> list[Best]:
        planner = Planner(problem, within_s=problem.tank_l / problem.rate if problem.rate > 0.0 else 0.0, nearest=1)
        found = (
            planner.after_stop(stops, standing.fuel_l, problem.pit_s * pit_share)
            for stops in range(problem.least_stops, problem.most_stops + 1)
        )
        return [min(some, key=lambda one: one.time_s)] if (some := [one for one in found if one is not None]) else []

    def begins_s(best: Best) -> float:
        stop = problem.stop_s(best.legs[0].leaves_l - standing.fuel_l) - problem.pit_s * (1.0 - pit_share)
        return standing.clock_s + standing.late_s + stop

    _, found = within_limits(rest.rules, rest.pace, rest.options, problem, bests, begins_s, standing.slower_s)
    if not found:
        return None
    best = found[0]
    plan = _told(replace(rest, problem=problem), best, standing, on_them=False)
    return replace(plan, time_s=best.time_s + track_s(rules, done + 1, rules.laps - done))


@dataclass(frozen=True)
class SafetyCall:
    """What to do if a safety car comes as a lap ends.

    :param lap: that lap
    :param gain_s: gained by stopping under it, against staying out; None where stopping is not legal [s]
    :param places: gained by it, where races were driven for it
    """

    lap: int
    gain_s: float | None
    stop: Plan | None
    stay: Plan | None
    places: float | None = None


def safety_calls(rules: RaceRules, pace: Pace, plan: Plan, pit_share: float, laps: Sequence[int]) -> list[SafetyCall]:
    """What to do under a safety car, lap by lap of a plan.

    The laps behind it cost all plans the same; fuel saved there is left in the tank.

    :param pit_share: part of the usual loss in the pit lane that a stop costs under it
    """
    found = []
    for lap in laps:
        at = standing_of(rules, pace, plan, lap)
        if any(stint.last_lap == lap for stint in plan.stints[:-1]):  # the plan stops here anyway
            found.append(SafetyCall(lap, rules.pit_loss_s * (1.0 - pit_share), plan, plan))
            continue
        stay = next(iter(replanned(rules, pace, at, 1)), None)
        stop = stopping_now(rules, pace, at, pit_share)
        gain = None if stop is None or stay is None else stay.time_s - stop.time_s
        found.append(SafetyCall(lap, gain, stop, stay))
    return found


def standing_of(rules: RaceRules, pace: Pace, plan: Plan, lap: int) -> Standing:
    """Where a plan stands as a lap ends, before any stop behind it."""
    driven: dict[str, int] = {}
    fitted: list[tuple[str, int]] = []
    burnt = 0.0
    for index, stint in enumerate(plan.stints):
        laps = min(stint.last_lap, lap) - stint.first_lap + 1
        if stint.fitted or not index:
            fitted.append((stint.compound, stint.age))
        count_driven(driven, stint.compound, laps)
        use = pace.fuel_l_per_lap * stint.level.fuel_share
        if stint.last_lap >= lap:
            leaves = stint.fuel_l - (rules.formation_laps * pace.fuel_l_per_lap if not index and stint.first_lap == 1 else 0.0)
            clock = float(course(rules, pace, plan).passed_s[lap - 1]) if lap and rules.no_stop_minutes else 0.0
            return Standing(
                lap, leaves - use * laps, stint.compound, stint.age + laps, laps, index, tuple(driven.items()), tuple(fitted),
                burnt_l=burnt + use * laps, since_l=use * laps, clock_s=clock,
            )  # fmt: skip
        burnt += use * laps
    raise AssertionError("a lap beyond the plan")  # pragma: no cover
