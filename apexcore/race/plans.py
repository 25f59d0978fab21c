"""The exact best plan, and the best of every number of stops and set of compounds.

A plan is a sequence of stints. Time splits into stints whose cost depends only on compound and length (where fuel may be
added, each stint starts with what it needs; where it may not, fuel weight is the same for every plan), so that dynamic
programming over (stops, laps, compounds used) finds the least time over all plans (Bellman, Dynamic Programming, ch. 1).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..errors import InputError, NoLegalPlan
from .rules import Pace, RaceRules, TyrePace

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

#: Compounds that the set of used ones can tell apart.
MOST_COMPOUNDS = 9


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


def _stop_s(rules: RaceRules, litres: float) -> float:
    filling = litres / rules.refuel_l_per_s if rules.refuelling else 0.0
    standing = max(rules.tyre_change_s, filling) if rules.in_parallel else rules.tyre_change_s + filling
    return rules.pit_loss_s + standing


def _burnt_weight_s(pace: Pace, laps: int, left_l: float) -> float:
    """Time that fuel weight costs over laps that end with `left_l` on board [s]."""
    carried = pace.fuel_l_per_lap * laps * (laps + 1) / 2 + left_l * laps
    return pace.fuel_s_per_l * carried


def longest_stint(rules: RaceRules, pace: Pace, first: bool) -> int:
    """Laps that a full tank lasts.

    Source: definition.
    """
    usable = rules.tank_l - pace.margin_l - (rules.formation_laps * pace.fuel_l_per_lap if first else 0.0)
    return max(math.floor(usable / pace.fuel_l_per_lap + 1e-9), 0)


def _tables(rules: RaceRules, pace: Pace) -> tuple[Floats, Floats]:
    """Cost of a stint by compound and length [s]: as the first of the race, and after a stop (with that stop)."""
    shape = (len(pace.tyres), rules.laps + 1)
    first, later = np.full(shape, np.inf), np.full(shape, np.inf)
    for c, tyre in enumerate(pace.tyres):
        for laps in range(1, rules.laps + 1):
            driven = laps * pace.lap_s + tyre_time_s(tyre, laps)
            if rules.refuelling:
                driven += _burnt_weight_s(pace, laps, pace.margin_l)
            if not rules.refuelling or laps <= longest_stint(rules, pace, True):
                first[c, laps] = driven
            if not rules.refuelling or laps <= longest_stint(rules, pace, False):
                later[c, laps] = driven + _stop_s(rules, laps * pace.fuel_l_per_lap)
    return first, later


@njit(cache=True, nogil=True, error_model="numpy")
def _programme(first: Floats, later: Floats, laps: int, stops: int) -> tuple[Floats, Ints, Ints]:
    """Least time by (stops, laps done, set of compounds used), with the last stint's compound and length."""
    kinds = first.shape[0]
    sets = 1 << kinds
    best = np.full((stops + 1, laps + 1, sets), np.inf)
    compound = np.full((stops + 1, laps + 1, sets), -1)
    length = np.zeros((stops + 1, laps + 1, sets), dtype=np.int64)
    for c in range(kinds):
        for n in range(1, laps + 1):
            best[0, n, 1 << c] = first[c, n]
            compound[0, n, 1 << c] = c
            length[0, n, 1 << c] = n
    for k in range(1, stops + 1):
        for done in range(k + 1, laps + 1):
            for c in range(kinds):
                bit = 1 << c
                for n in range(1, done - k + 1):
                    cost = later[c, n]
                    if cost == np.inf:
                        continue
                    for used in range(1, sets):
                        time = best[k - 1, done - n, used] + cost
                        if time < best[k, done, used | bit]:
                            best[k, done, used | bit] = time
                            compound[k, done, used | bit] = c
                            length[k, done, used | bit] = n
    return best, compound, length


def _walk_back(
    first: Floats, later: Floats, best: Floats, compound: Ints, length: Ints, stops: int, laps: int, used: int
) -> list[tuple[int, int]]:
    """(compound, laps) of each stint of the plan that ends in this state."""
    stints: list[tuple[int, int]] = []
    for k in range(stops, -1, -1):
        c, n = int(compound[k, laps, used]), int(length[k, laps, used])
        stints.append((c, n))
        if k:
            before = laps - n
            options = [used] if not used >> c & 1 else [used, used & ~(1 << c)]
            used = min((o for o in options if o), key=lambda o: float(best[k - 1, before, o]))
            laps = before
    return stints[::-1]


def _as_plan(rules: RaceRules, pace: Pace, shape: Sequence[tuple[int, int]]) -> Plan:
    stints: list[Stint] = []
    pit = tyre = fuel = 0.0
    lap, use = 1, pace.fuel_l_per_lap
    left = rules.laps * use + pace.margin_l
    for index, (c, laps) in enumerate(shape):
        need = laps * use
        if rules.refuelling:
            on_board = need + pace.margin_l
            fuel += _burnt_weight_s(pace, laps, pace.margin_l)
        else:
            on_board = left
            fuel += _burnt_weight_s(pace, laps, left - need)
            left -= need
        stints.append(Stint(pace.tyres[c].key, lap, laps, on_board + (rules.formation_laps * use if not index else 0.0)))
        tyre += tyre_time_s(pace.tyres[c], laps)
        if index:
            pit += _stop_s(rules, need)
        lap += laps
    return Plan(tuple(stints), rules.laps * pace.lap_s + pit + tyre + fuel, pit, tyre, fuel)


def plan_time_s(rules: RaceRules, pace: Pace, plan: Plan) -> float:
    """Race time of a given plan at another pace [s]."""
    keys = {tyre.key: index for index, tyre in enumerate(pace.tyres)}
    return _as_plan(rules, pace, [(keys[stint.compound], stint.laps) for stint in plan.stints]).time_s


def ranked_plans(rules: RaceRules, pace: Pace) -> list[Plan]:
    """The best plan of every number of stops and set of compounds, quickest first.

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
    if not rules.refuelling:
        need = (rules.laps + rules.formation_laps) * pace.fuel_l_per_lap + pace.margin_l
        if need > rules.tank_l + 1e-9:
            return []
    first, later = _tables(rules, pace)
    best, compound, length = _programme(first, later, rules.laps, rules.most_stops)
    keys = [tyre.key for tyre in pace.tyres]
    wanted = sum(1 << keys.index(key) for key in set(rules.compulsory))
    plans = []
    for stops in range(rules.least_stops, rules.most_stops + 1):
        for used in range(1, 1 << len(keys)):
            if used & wanted == wanted and np.isfinite(best[stops, rules.laps, used]):
                shape = _walk_back(first, later, best, compound, length, stops, rules.laps, used)
                plans.append(_as_plan(rules, pace, shape))
    return sorted(plans, key=lambda plan: plan.time_s)


def _collisions(rules: RaceRules, pace: Pace) -> list[str]:
    """Which rules exclude each other: each one whose lifting alone makes a plan possible."""
    need = (rules.laps + rules.formation_laps) * pace.fuel_l_per_lap + pace.margin_l
    tank = f"the tank of {rules.tank_l:g} l"
    distance = f"{rules.laps} laps at {pace.fuel_l_per_lap:.2f} l a lap with {pace.margin_l:.1f} l margin"
    trials: list[tuple[str, dict[str, object]]] = [
        (f"at most {rules.most_stops} stops", {"most_stops": 6}),
        (f"at least {rules.least_stops} stops", {"least_stops": 0}),
        (f"compulsory {' and '.join(rules.compulsory)}", {"compulsory": ()}),
        (tank, {"tank_l": 500.0}),
        ("no refuelling", {"refuelling": True}),
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
