"""The exact best plan: of every number of stops, and of every compound to begin with that comes near the best.

Stints, tyres, ways of driving, laps of the stops and what is filled at each are found together (`exact`); here rules and pace become its
numbers (`options`), and its plans those of the product.
"""

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError, NoLegalPlan
from ..quantities.words import counted
from ..vehicle.pair import axles_of
from .drivers import crew_of, seats
from .exact import Best, Leg, Planner, chain_s
from .options import Option, Stock, at_level, filling_of, options_of, problem_of, stocks_of, tyre_time_s, usable
from .problem import NEVER_FROM, Filling, Problem, longest_laps
from .rules import ALL_OUT, MOST_STOPS, Level, Pace, RaceRules, TyrePace, contradictions
from .within import jokers_s, legs_s, track_s, weather_s, within_limits

Floats = NDArray[np.float64]

#: Compounds and pairs that are compared at most.
MOST_COMPOUNDS = 25
#: Plans that begin with another compound are looked at up to this much behind the best [s].
KINDS_WITHIN_S = 10.0
#: Numbers of stops of which a plan is made, the quickest.
MOST_KINDS = 6
#: The same where tyres may stay on, with which far more plans lie near the best; and how far behind it a number of stops may be said to
#: lie at least, before it is left out of a large search [s].
_STAYING_S, STAYING_KINDS = 2.0, 4
FAR_S = 10.0
#: Stops beyond those that are asked for with which it is tried first whether more of them would help.
_FEW_STOPS = 8


@dataclass(frozen=True)
class Stint:
    """From leaving the pit to coming in.

    :param first_lap: race lap it begins on, from 1
    :param fuel_l: fuel on board at its start [l]
    :param age: laps that its tyres have been driven before it
    :param fitted: whether tyres were changed before it; so at the start
    :param level: way of driving
    """

    compound: str
    first_lap: int
    laps: int
    fuel_l: float
    age: int = 0
    fitted: bool = True
    level: Level = ALL_OUT

    @property
    def last_lap(self) -> int:
        """Race lap at whose end it comes in."""
        return self.first_lap + self.laps - 1


@dataclass(frozen=True)
class Plan:
    """A legal plan.

    :param time_s: race time [s]
    :param pit_s: part of it spent on stops [s]
    :param tyre_s: part lost to compound, fade and warm-up against new tyres of the fastest compound, and to saving [s]
    :param fuel_s: part lost to the weight of fuel [s]
    """

    stints: tuple[Stint, ...]
    time_s: float
    pit_s: float
    tyre_s: float
    fuel_s: float

    @property
    def stops(self) -> int:
        """Number of pit stops."""
        return len(self.stints) - 1

    @property
    def compounds(self) -> tuple[str, ...]:
        """Compound of each stint."""
        return tuple(stint.compound for stint in self.stints)

    @property
    def shape(self) -> tuple[tuple[str, int, int, bool, float], ...]:
        """What tells it from others: tyres, laps, and how each stint is driven."""
        return tuple((one.compound, one.age, one.laps, one.fitted, one.level.saved_pct) for one in self.stints)


def tyre_of(pace: Pace, stint: Stint) -> TyrePace:
    """Pace of a stint's tyres, as they are driven in it."""
    return at_level(next(tyre for tyre in pace.tyres if tyre.key == stint.compound), stint.level)


def wear_of(stints: Sequence[Stint]) -> list[float]:
    """What the tyres of each stint have been driven as it begins, in laps of its own way of driving.

    A set that is fitted, or on at the first of these stints, brings laps that were driven all out; the others are laps of these stints.
    """
    found, work = list[float](), 0.0
    for index, stint in enumerate(stints):
        if stint.fitted or not index:
            work = float(stint.age)
        found.append(work / stint.level.tyre_share)
        work += stint.laps * stint.level.tyre_share
    return found


def stop_s(rules: RaceRules, litres: float, fitted: bool = True) -> float:
    """Time of a stop that fills so much [s]."""
    return filling_of(rules, Pace(0.0, (), 0.0, 0.0, 0.0)).stop_s(litres, fitted)


def longest_stint(rules: RaceRules, pace: Pace, first: bool) -> int:
    """Laps that a full tank lasts.

    Source: definition.
    """
    usable_l = rules.tank_l - (rules.formation_laps * pace.fuel_l_per_lap if first else 0.0)
    return longest_laps(pace.fuel_l_per_lap, pace.margin_l, usable_l)


def as_plan(rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem, best: Best, behind: int = 0) -> Plan:
    """A plan of the product, with its parts.

    :param behind: race laps that were driven before it begins
    """
    stints: list[Stint] = []
    pit = tyre = fuel = 0.0
    lap, before, age = behind + 1, 0.0, 0
    for index, leg in enumerate(best.legs):
        option = options[leg.option]
        if index:
            pit += problem.stop_s(leg.leaves_l - before, leg.fitted)
        if leg.fitted:
            age = option.age
            tyre += tyre_time_s(option.tyre, sum(one.laps for one in _set_of(best, index)), option.wear)
        tyre += weather_s(rules, option.tyre.key, lap - behind, leg.laps)
        formation = rules.formation_laps * pace.fuel_l_per_lap if not index and not behind else 0.0
        stints.append(Stint(option.tyre.key, lap, leg.laps, leg.leaves_l + formation, age, leg.fitted, option.level))
        fuel += problem.carried_s(leg.laps, leg.leaves_l, problem.use_l * option.level.fuel_share)
        lap, before, age = lap + leg.laps, leg.arrives_l, age + leg.laps
    laps = lap - behind - 1
    same = track_s(rules, behind + 1, laps) + jokers_s(rules, 0, laps, laps)
    return Plan(tuple(stints), laps * pace.lap_s + pit + tyre + fuel + same, pit, tyre, fuel)


def _set_of(best: Best, index: int) -> Sequence[Leg]:
    """The legs that are driven on the tyres fitted before one."""
    end = next((k for k in range(index + 1, len(best.legs)) if best.legs[k].fitted), len(best.legs))
    return best.legs[index:end]


def plan_time_s(rules: RaceRules, pace: Pace, plan: Plan) -> float:
    """Race time of a given plan's stints at another pace, filled at least cost [s]."""
    return stints_time_s(rules, pace, plan.stints, filling_of(rules, pace))


def stints_time_s(rules: RaceRules, pace: Pace, stints: Sequence[Stint], filling: Filling, exactly: bool = False) -> float:
    """Time of given stints, one after the other, filled at least cost [s].

    :param exactly: as for `exact.chain_s`
    """
    costs = []
    for stint, wear in zip(stints, wear_of(stints), strict=True):
        tyre = tyre_of(pace, stint)
        cost = stint.laps * pace.lap_s + tyre_time_s(tyre, stint.laps, wear) + weather_s(rules, stint.compound, stint.first_lap, stint.laps)
        costs.append(cost if stint.fitted else cost - tyre.warm_s)
    lengths = np.array([stint.laps for stint in stints])
    uses = np.array([pace.fuel_l_per_lap * stint.level.fuel_share for stint in stints])
    found = chain_s(filling, lengths, np.array(costs), uses, np.array([stint.fitted for stint in stints]), exactly)
    laps = int(lengths.sum())
    return found if found >= NEVER_FROM else found + track_s(rules, stints[0].first_lap, laps) + jokers_s(rules, 0, laps, laps)


def ranked_plans(rules: RaceRules, pace: Pace) -> list[Plan]:
    """The best plan of every number of stops, and of every compound to begin with where it comes near the best, quickest first.

    :raises NoLegalPlan: naming the rules that exclude each other
    :raises InputError: if a rule names a compound that has no pace, or there are too many compounds
    """
    check(rules, pace)
    plans = search(rules, pace)
    if not plans:
        raise NoLegalPlan(_collisions(rules, pace))
    return plans


def check(rules: RaceRules, pace: Pace) -> None:
    """Whether the rules speak of tyres that there are.

    :raises InputError: naming the rule
    """
    for place, words in contradictions(rules).items():
        raise InputError(place, words, "rules that do not contradict one another")
    keys = sorted({key for tyre in pace.tyres for key in tyre.axles})
    if len(pace.tyres) > MOST_COMPOUNDS:
        raise InputError("compounds and pairs", len(pace.tyres), f"at most {MOST_COMPOUNDS}; bar some of them")
    for what, told in (
        ("compulsory compound", rules.compulsory), ("tyre sets", [one.compound for one in rules.sets]),
        ("compound not used", [key for pair in rules.barred for key in axles_of(pair)]),
    ):  # fmt: skip
        for key in told:
            if key not in keys:
                raise InputError(what, key, "one of " + ", ".join(keys))


def search(rules: RaceRules, pace: Pace) -> list[Plan]:
    """The same without a word where no plan is legal."""
    if rules.least_stops > rules.most_stops or not usable(rules, pace):
        return []
    options = options_of(rules, pace)
    problem, found = _counting(rules, pace, options, _bests)
    plans = dict[tuple[object, ...], Plan]()
    for best in found:
        seated = _seated(rules, pace, options, problem, best)
        if seated is not None:
            plan = as_plan(rules, pace, options, problem, seated)
            plans.setdefault(plan.shape, plan)
    return sorted(plans.values(), key=lambda plan: plan.time_s)


def _binding(rules: RaceRules) -> bool:
    """Whether drivers who share the car are bound by more than the time at a stretch, which the search keeps to by itself."""
    crew = crew_of(rules)
    return rules.drivers > 1 and (crew.least_s > 0.0 or crew.rest_s > 0.0 or not math.isinf(crew.most_s))


def _seated(rules: RaceRules, pace: Pace, options: Sequence[Option], problem: Problem, best: Best) -> Best | None:
    """A plan whose stints can be shared by the drivers as the rules ask; where the quickest of so many stops cannot, the quickest with
    stints that are less unlike: a lap less at most from pit to pit until they can. None where that never comes."""
    crew = crew_of(rules)
    if not _binding(rules):
        return best
    stops, tried = len(best.legs) - 1, best
    while True:
        times = legs_s(rules, pace, options, problem, tried)
        pits = [problem.stop_s(after.leaves_l - leg.arrives_l, after.fitted) for leg, after in itertools.pairwise(tried.legs)]
        if seats(times, crew, [leg.laps for leg in tried.legs], [*pits, 0.0]) is not None:
            return tried
        most = max(leg.laps for leg in tried.legs) - 1
        if most * (stops + 1) < problem.laps:
            return None
        problem = replace(problem, leg_laps=most, least_stops=stops, most_stops=stops)
        problem, again = within_limits(rules, pace, options, problem, lambda one: [best] if (best := Planner(one).best(stops)) else [])
        if not again:
            return None
        tried = again[0]


def quickest(rules: RaceRules, pace: Pace) -> Plan | None:
    """The quickest plan alone; None where none is legal."""
    if rules.least_stops > rules.most_stops or not usable(rules, pace):
        return None
    options = options_of(rules, pace)

    def best(problem: Problem, _: Sequence[Option]) -> list[Best]:
        planner = Planner(problem, nearest=1)
        times = {k: time for k in range(problem.least_stops, problem.most_stops + 1) if (time := planner.time_s(k)) is not None}
        found = planner.best(min(times, key=lambda k: times[k])) if times else None
        return [] if found is None else [found]

    problem, found = _counting(rules, pace, options, best)
    return as_plan(rules, pace, options, problem, found[0]) if found else None


def times_by_stops(rules: RaceRules, pace: Pace, stops: Sequence[int]) -> dict[int, float]:
    """Race time of the best plan of some numbers of stops, of those that have one [s]."""
    low, high = min(stops), max(stops)
    if high > rules.laps - 1 or not usable(rules, pace):
        return {}
    ruled = rules.model_copy(update={"least_stops": low, "most_stops": high})

    def bests(problem: Problem, _: Sequence[Option]) -> list[Best]:
        planner = Planner(problem)
        asked = (k for k in stops if problem.least_stops <= k <= problem.most_stops)
        return [best for best in map(planner.best, asked) if best is not None]

    _, found = _counting(ruled, pace, options_of(ruled, pace), bests)
    return {len(best.legs) - 1: best.time_s for best in found}


def _counting(
    rules: RaceRules, pace: Pace, options: Sequence[Option], bests: Callable[[Problem, Sequence[Option]], list[Best]]
) -> tuple[Problem, list[Best]]:
    """Sets are counted only once a plan that is found uses more of them than there are: leaving them out bounds from below."""
    stocks, counted = stocks_of(rules), list[Stock]()
    while True:
        problem = problem_of(rules, pace, counted)
        if problem.least_stops > problem.most_stops or not options:
            return problem, []
        problem, found = within_limits(rules, pace, options, problem, lambda one: bests(one, options))
        over = [one for one in stocks if one not in counted and any(_taken(best, options, one) > one.count for best in found)]
        if not over:
            return problem, found
        counted += over


def _bests(problem: Problem, options: Sequence[Option]) -> list[Best]:
    """The best of the quickest numbers of stops, and of every compound to begin with."""
    within_s, most = (KINDS_WITHIN_S, MOST_KINDS) if problem.stay_s is None else (_STAYING_S, STAYING_KINDS)
    planner = Planner(problem, within_s, most, FAR_S)
    stops = range(problem.least_stops, problem.most_stops + 1)
    times = {k: planner.time_s(k) for k in stops}
    nearest = sorted((k for k in stops if times[k] is not None), key=lambda k: times[k] or 0.0)[:most]
    found = [planner.best(k) for k in nearest]
    quickest = min((best.time_s for best in found if best is not None), default=0.0)
    kinds = dict.fromkeys(option.tyre.key for option in options)
    for k in nearest:
        if (times[k] or 0.0) <= quickest + within_s:
            found += [planner.best_of(k, [o for o, option in enumerate(options) if option.tyre.key == kind]) for kind in kinds]
    return [best for best in found if best is not None]


def _taken(best: Best, options: Sequence[Option], stock: Stock) -> int:
    """How many sets of a kind a plan uses."""
    return sum(leg.fitted and stock.takes(options[leg.option]) for leg in best.legs)


def _collisions(rules: RaceRules, pace: Pace) -> list[str]:
    """Which rules exclude each other: each one whose lifting alone makes a plan possible."""
    need = (rules.laps + rules.formation_laps) * pace.fuel_l_per_lap + pace.margin_l
    tank = f"the tank of {rules.tank_l:g} l"
    distance = f"{counted(rules.laps, 'lap')} at {pace.fuel_l_per_lap:.2f} l a lap with {pace.margin_l:.1f} l margin"
    compulsory = f"compulsory {' and '.join(rules.compulsory)}"
    if rules.compulsory_laps > 1:
        compulsory += f" for at least {counted(rules.compulsory_laps, 'lap')} each"
    trials: list[tuple[str, dict[str, object]]] = [
        (f"at most {counted(rules.most_stops, 'stop')}", {"most_stops": MOST_STOPS}),
        (f"at least {counted(rules.least_stops, 'stop')}", {"least_stops": 0}),
        (compulsory, {"compulsory": ()}),
        (tank, {"tank_l": 500.0}),
        ("no refuelling", {"refuelling": True}),
        (f"at most {rules.stint_l:g} l a stint", {"stint_l": 0.0}),
        (f"at most {rules.race_l:g} l for the race", {"race_l": 0.0}),
        (f"stints of at most {counted(rules.longest_stint, 'lap')}", {"longest_stint": 0}),
        (f"no stop before lap {rules.first_stop_lap}", {"first_stop_lap": 0}),
        (f"no stop after lap {rules.last_stop_lap}", {"last_stop_lap": 0}),
        (f"no stop {rules.closed_words}", {"no_stops": ()}),
        (f"no stop {rules.closed_minutes_words}", {"no_stop_minutes": ()}),
        ("the tyre sets that there are", {"sets": ()}),
        (f"compounds not used ({', '.join(rules.barred)})", {"barred": ()}),
        (f"at most {rules.wheel_minutes:g} min at the wheel", {"wheel_minutes": 0.0}),
        (f"{rules.driver_least_minutes:g} min at least for each of {rules.drivers} drivers", {"driver_least_minutes": 0.0}),
        (f"{rules.driver_most_minutes:g} min at most for each of {counted(rules.drivers, 'driver')}", {"driver_most_minutes": 0.0}),
        (f"{rules.driver_rest_minutes:g} min of rest", {"driver_rest_minutes": 0.0}),
    ]
    guilty = _openers(rules, pace, trials)
    race = counted(rules.laps, "lap")
    if not guilty:
        found = _pairs_of_openers(rules, pace, trials)
        if not found:
            return [f"No plan is legal: {distance} cannot be driven under these rules, even if any two of them are lifted."]
        return [f"No plan is legal over {race}: {one} exclude it, each alone. Both have to be lifted." for one in found]
    if len(guilty) == 1:
        found = [f"No plan is legal: {guilty[0]} rules out every plan over {race}. Relax it."]
    else:
        together = "; ".join(guilty)
        found = [f"No plan is legal: {together} cannot hold together over {race}. Lifting any one of them opens a plan."]
    if need > rules.tank_l:
        found.append(f"{distance} need {need:.1f} l in all; the tank holds {rules.tank_l:g} l.")
    return found


def _openers(rules: RaceRules, pace: Pace, trials: Sequence[tuple[str, dict[str, object]]]) -> list[str]:
    """The rules of which each one's lifting alone opens a plan."""
    found = []
    for words, change in trials:
        relaxed = rules.model_copy(update=change)
        if relaxed != rules and _opens(relaxed, pace):
            found.append(words)
    return found


def _pairs_of_openers(rules: RaceRules, pace: Pace, trials: Sequence[tuple[str, dict[str, object]]]) -> list[str]:
    """Rules of which two have to be lifted at once."""
    found = []
    for k, (words, change) in enumerate(trials):
        relaxed = rules.model_copy(update=change)
        if relaxed != rules:
            found += [f"{words} and {other}" for other in _openers(relaxed, pace, trials[k + 1 :])]
    return found


def _opens(rules: RaceRules, pace: Pace) -> bool:
    """Whether any plan is legal."""
    try:
        if _binding(rules):  # only a plan whose stints can be shared opens anything
            return bool(search(rules, pace))
        if rules.most_stops < MOST_STOPS:
            return quickest(rules, pace) is not None
        few = rules.model_copy(update={"most_stops": min(rules.least_stops + _FEW_STOPS, MOST_STOPS)})  # most are opened by a few
        return quickest(few, pace) is not None or quickest(rules, pace) is not None
    except InputError:
        return False


def best_by_stops(plans: Sequence[Plan]) -> list[Plan]:
    """The best plan of each number of stops, fewest stops first."""
    best: dict[int, Plan] = {}
    for plan in plans:
        if plan.stops not in best or plan.time_s < best[plan.stops].time_s:
            best[plan.stops] = plan
    return [best[stops] for stops in sorted(best)]


def chances_of_best(times_s: Floats) -> Floats:
    """How often each plan is the quickest; `times_s` has shape [draws, plans]."""
    winner = times_s.argmin(axis=1)
    return np.bincount(winner, minlength=times_s.shape[1]) / len(times_s)


def warm() -> None:
    """Compile, or load from the cache, what a request may need."""
    tyre = TyrePace("a", 0.0, 0.1, 0.0, 9.0, 0.0)
    pace = Pace(60.0, (tyre,), 1.0, 0.0, 0.0)
    for refuelling in (False, True):
        search(RaceRules(laps=4, most_stops=1, pit_loss_s=1, tank_l=50, refuelling=refuelling), pace)
    search(RaceRules(laps=4, most_stops=1, pit_loss_s=1, tank_l=50, refuelling=True, tyres_may_stay=True), pace)
