"""The exact best plan: of every number of stops, and of every compound to begin with that comes near the best.

Stints, compounds, laps of the stops and what is filled at each are found together (`exact`); here rules and pace become its numbers, and
its plans those of the product.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError, NoLegalPlan
from .exact import NEVER, Best, Filling, Planner, Problem, chain_s, longest_laps, stop_terms
from .rules import MOST_STOPS, Pace, RaceRules, TyrePace

Floats = NDArray[np.float64]

#: Compounds that the set of used ones can tell apart.
MOST_COMPOUNDS = 9
#: Plans that begin with another compound are looked at up to this much behind the best [s].
KINDS_WITHIN_S = 10.0


@dataclass(frozen=True)
class Stint:
    """:param first_lap: race lap it begins on, from 1
    :param fuel_l: fuel on board at its start [l]"""

    compound: str
    first_lap: int
    laps: int
    fuel_l: float


@dataclass(frozen=True)
class Plan:
    """A legal plan.

    :param time_s: race time [s]
    :param pit_s: part of it spent on stops [s]
    :param tyre_s: part lost to compound, fade and warm-up against new tyres of the fastest compound [s]
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


def tyre_time_s(tyre: TyrePace, laps: int) -> float:
    """Time that a stint of this length loses to its tyres [s]: sums over the ages 0 to `laps` - 1, in closed form."""
    if not laps:
        return 0.0
    begin = min(max(math.floor(tyre.cliff_age) + 1, 0), laps)  # the first age beyond the cliff
    beyond = laps - begin
    over = beyond * (0.5 * (begin + laps - 1) - tyre.cliff_age)
    return laps * tyre.offset_s + tyre.fade_s * 0.5 * laps * (laps - 1) + tyre.cliff_s * over + tyre.warm_s


def longest_stint(rules: RaceRules, pace: Pace, first: bool) -> int:
    """Laps that a full tank lasts.

    Source: definition.
    """
    usable = rules.tank_l - (rules.formation_laps * pace.fuel_l_per_lap if first else 0.0)
    return longest_laps(pace.fuel_l_per_lap, pace.margin_l, usable)


def _costs(rules: RaceRules, pace: Pace) -> Floats:
    """Time of a stint by compound and length, without fuel and stops, shape [compounds, laps + 1] [s]."""
    most = rules.longest_stint or rules.laps
    found = np.full((len(pace.tyres), rules.laps + 1), NEVER)
    for c, tyre in enumerate(pace.tyres):
        for laps in range(1, min(most, rules.laps) + 1):
            found[c, laps] = laps * pace.lap_s + tyre_time_s(tyre, laps)
    return found


def problem_of(rules: RaceRules, pace: Pace) -> Problem:
    """Rules and pace as numbers."""
    keys = [tyre.key for tyre in pace.tyres]
    wanted = sorted(set(rules.compulsory))
    adds = np.array([sum(1 << bit for bit, key in enumerate(wanted) if key == mine) for mine in keys], dtype=np.int64)
    laps = np.arange(rules.laps + 1)
    stop_laps = (laps >= rules.first_stop_lap) & (laps <= (rules.last_stop_lap or rules.laps))
    return Problem(
        cost=_costs(rules, pace), adds=adds, wanted=(1 << len(wanted)) - 1, stop_laps=stop_laps, least_stops=rules.least_stops,
        most_stops=min(rules.most_stops, rules.laps - 1), **vars(_filling(rules, pace)),
    )  # fmt: skip


def _filling(rules: RaceRules, pace: Pace) -> Filling:
    """What fuel costs and how it is filled."""
    rate = rules.refuel_l_per_s if rules.refuelling else 0.0
    standing, free = stop_terms(rules.tyre_change_s, rules.least_standing_s, rate, rules.in_parallel)
    start = rules.tank_l - rules.formation_laps * pace.fuel_l_per_lap
    return Filling(
        use_l=pace.fuel_l_per_lap, weight_s=pace.fuel_s_per_l, least_l=pace.margin_l, tank_l=rules.tank_l, start_l=start,
        pit_s=rules.pit_loss_s, standing_s=standing, free_l=free, rate=rate,
    )  # fmt: skip


def _as_plan(rules: RaceRules, pace: Pace, problem: Problem, best: Best) -> Plan:
    """A plan of the product, with its parts."""
    stints: list[Stint] = []
    pit = tyre = fuel = 0.0
    lap, before = 1, 0.0
    for index, leg in enumerate(best.legs):
        if index:
            pit += problem.stop_s(leg.leaves_l - before)
        formation = rules.formation_laps * pace.fuel_l_per_lap if not index else 0.0
        stints.append(Stint(pace.tyres[leg.option].key, lap, leg.laps, leg.leaves_l + formation))
        tyre += tyre_time_s(pace.tyres[leg.option], leg.laps)
        fuel += problem.carried_s(leg.laps, leg.leaves_l)
        lap, before = lap + leg.laps, leg.arrives_l
    return Plan(tuple(stints), rules.laps * pace.lap_s + pit + tyre + fuel, pit, tyre, fuel)


def plan_time_s(rules: RaceRules, pace: Pace, plan: Plan) -> float:
    """Race time of a given plan's stints at another pace, filled at least cost [s]."""
    tyres = {tyre.key: tyre for tyre in pace.tyres}
    lengths = np.array([stint.laps for stint in plan.stints])
    costs = [stint.laps * pace.lap_s + tyre_time_s(tyres[stint.compound], stint.laps) for stint in plan.stints]
    return chain_s(_filling(rules, pace), lengths, np.array(costs))


def ranked_plans(rules: RaceRules, pace: Pace) -> list[Plan]:
    """The best plan of every number of stops, and of every compound to begin with where it comes near the best, quickest first.

    :raises NoLegalPlan: naming the rules that exclude each other
    :raises InputError: if a compulsory compound has no pace, or there are too many compounds
    """
    keys = [tyre.key for tyre in pace.tyres]
    if len(keys) > MOST_COMPOUNDS:
        raise InputError("compounds", len(keys), f"at most {MOST_COMPOUNDS}")
    for key in rules.compulsory:
        if key not in keys:
            raise InputError("compulsory compound", key, "one of " + ", ".join(keys))
    plans = _search(rules, pace)
    if not plans:
        raise NoLegalPlan(_collisions(rules, pace))
    return plans


def _search(rules: RaceRules, pace: Pace) -> list[Plan]:
    if rules.least_stops > rules.most_stops:
        return []
    problem = problem_of(rules, pace)
    if problem.least_stops > problem.most_stops:
        return []
    planner = Planner(problem, KINDS_WITHIN_S)
    plans: dict[tuple[tuple[str, int], ...], Plan] = {}
    for stops in range(problem.least_stops, problem.most_stops + 1):
        for first in (None, *range(len(pace.tyres))):
            best = planner.best(stops, first)
            if best is not None:
                plan = _as_plan(rules, pace, problem, best)
                plans.setdefault(tuple((stint.compound, stint.laps) for stint in plan.stints), plan)
    return sorted(plans.values(), key=lambda plan: plan.time_s)


def _collisions(rules: RaceRules, pace: Pace) -> list[str]:
    """Which rules exclude each other: each one whose lifting alone makes a plan possible."""
    need = (rules.laps + rules.formation_laps) * pace.fuel_l_per_lap + pace.margin_l
    tank = f"the tank of {rules.tank_l:g} l"
    distance = f"{rules.laps} laps at {pace.fuel_l_per_lap:.2f} l a lap with {pace.margin_l:.1f} l margin"
    trials: list[tuple[str, dict[str, object]]] = [
        (f"at most {rules.most_stops} stops", {"most_stops": MOST_STOPS}),
        (f"at least {rules.least_stops} stops", {"least_stops": 0}),
        (f"compulsory {' and '.join(rules.compulsory)}", {"compulsory": ()}),
        (tank, {"tank_l": 500.0}),
        ("no refuelling", {"refuelling": True}),
        (f"stints of at most {rules.longest_stint} laps", {"longest_stint": 0}),
        (f"no stop before lap {rules.first_stop_lap}", {"first_stop_lap": 0}),
        (f"no stop after lap {rules.last_stop_lap}", {"last_stop_lap": 0}),
    ]
    guilty = _openers(rules, pace, trials)
    race = f"{rules.laps} lap{'s' if rules.laps > 1 else ''}"
    if not guilty:
        return [f"No plan is legal: {distance} cannot be driven under these rules, even if any single one of them is lifted."]
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
        if relaxed != rules and _search(relaxed, pace):
            found.append(words)
    return found


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
    _search(RaceRules(laps=4, most_stops=1, pit_loss_s=1, tank_l=50), Pace(60.0, (tyre,), 1.0, 0.0, 0.0))
