"""What following the page's calls costs: against a rest solved afresh after every lap by one who knew as much, and against hindsight."""

import itertools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pytest

from apexcore.race.clock import pace_now, rules_now
from apexcore.race.happened import Mark, Setup, happened
from apexcore.race.live import advise
from apexcore.race.plans import Plan, ranked_plans
from apexcore.race.replan import replanned, stopping_now
from apexcore.race.rules import Pace, RaceRules, TyrePace
from tests.amounts import many

PACE = Pace(74.0, (TyrePace("marl", 0.0, 0.11, 0.6, 22, 0.1), TyrePace("slate", 0.7, 0.06, 0.8, 34, 0.05)), 1.6, 0.03, 1.2)
RULES = RaceRules(
    laps=40, pit_loss_s=22, tank_l=55, least_stops=1, most_stops=3, refuelling=True, tyre_change_s=4, refuel_l_per_s=2.5,
    compulsory=("marl", "slate"),
)  # fmt: skip
#: Called after each lap: what is filled and fitted at a stop now; None for driving on.
Call = Callable[[list[Mark], int], tuple[str, float] | None]


@dataclass(frozen=True)
class Day:
    """A day as it really is, the same for whoever drives it.

    :param safety: laps that are driven behind a safety car
    """

    slower_s: float
    fade: float
    use: float
    noise: np.ndarray
    safety: frozenset[int]


def day(seed: int) -> Day:
    rng = np.random.default_rng([seed, 61])
    first = [int(lap) for lap in rng.integers(3, 36, rng.poisson(0.7))]
    return Day(
        float(rng.normal(0.2, 0.5)), float(rng.uniform(0.8, 1.4)), float(rng.uniform(0.97, 1.03)), 0.2 * rng.standard_normal(60),
        frozenset(lap + k for lap in first for k in range(3)),
    )  # fmt: skip


def driven_s(true: Day, plan: Plan, call: Call) -> float:
    """Race time of one who follows these calls; infinite where the tank runs dry or a compound is not driven."""
    tyres = {tyre.key: tyre for tyre in PACE.tyres}
    first = plan.stints[0]
    fuel, compound, age, clock, used = first.fuel_l - RULES.formation_laps * PACE.fuel_l_per_lap, first.compound, 0, 0.0, {first.compound}
    marks, pit = list[Mark](), None
    for lap in range(1, RULES.laps + 1):
        slow = lap in true.safety
        if slow and lap - 1 not in true.safety:
            marks.append(Mark("safety"))
        time = 0.0
        if pit is not None:
            compound, litres = pit
            used.add(compound)
            litres = min(litres, RULES.tank_l - fuel)
            time += RULES.pit_loss_s * (0.6 if slow else 1.0) + max(RULES.tyre_change_s, litres / RULES.refuel_l_per_s)
            fuel, age = fuel + litres, 0
            marks.append(Mark("pit", None, litres, compound))
        tyre = tyres[compound]
        lap_s = PACE.lap_s + true.slower_s + tyre.offset_s + tyre.fade_s * true.fade * age + (0.0 if age else tyre.warm_s)
        lap_s += tyre.cliff_s * max(age - tyre.cliff_age / true.fade**0.5, 0.0) + PACE.fuel_s_per_l * fuel + float(true.noise[lap])
        time += lap_s * (1.6 if slow else 1.0)
        fuel -= PACE.fuel_l_per_lap * true.use * (0.5 if slow else 1.0)
        if fuel < 0.0:
            return np.inf
        age, clock = age + 1, clock + time
        marks.append(Mark("lap", time))
        if slow and lap + 1 not in true.safety:
            marks.append(Mark("green"))
        if lap % 4 == 0:
            marks.append(Mark("fuel", None, fuel))
        pit = call(marks, lap) if lap < RULES.laps else None
    return clock if used >= set(RULES.compulsory) else np.inf


def by_the_page(setup: Setup) -> Call:
    """The calls of race mode, a change of plan taken from a second on."""
    following = [setup.plan]

    def call(marks: list[Mark], lap: int) -> tuple[str, float] | None:
        now = happened(setup, marks)
        advice = advise(setup, now, following[0], 1.0)
        if advice.changed and advice.plan is not None:
            following[0] = advice.plan
        plan = advice.plan
        if plan is None or not (advice.due or (plan.stops and plan.stints[0].last_lap == lap)):
            return None
        stint = plan.stints[0] if advice.due else plan.stints[1]
        return stint.compound, max(stint.fuel_l - now.standing.fuel_l, 0.0)

    return call


def afresh(setup: Setup) -> Call:
    """The rest solved anew after every lap by one who knows what the page knows, and stops where that is quickest."""

    def call(marks: list[Mark], lap: int) -> tuple[str, float] | None:
        now = happened(setup, marks)
        rules, pace, at = rules_now(setup, now), pace_now(setup, now), now.standing
        stop, stay = stopping_now(rules, pace, at), next(iter(replanned(rules, pace, at, 1)), None)
        if stop is None or (stay is not None and stay.time_s <= stop.time_s):
            return None
        return stop.stints[0].compound, max(stop.stints[0].fuel_l - at.fuel_l, 0.0)

    return call


def with_hindsight_s(true: Day, setup: Setup) -> float:
    """The quickest of all races of one and two stops that this day allowed, filled with just what it takes."""
    burnt = np.cumsum([PACE.fuel_l_per_lap * true.use * (0.5 if lap in true.safety else 1.0) for lap in range(1, RULES.laps + 1)])
    start = setup.plan.stints[0]
    board = start.fuel_l - RULES.formation_laps * PACE.fuel_l_per_lap
    best = np.inf
    ways = [(lap,) for lap in range(2, 40)] + list(itertools.combinations(range(3, 38, 2), 2))
    for stops in ways:
        for fitted in itertools.product(("marl", "slate"), repeat=len(stops)):
            ends = [*stops[1:], RULES.laps]
            need = [float(burnt[end - 1] - burnt[lap - 1]) for lap, end in zip(stops, ends, strict=True)]
            left = board - float(burnt[stops[0] - 1])
            told = dict(zip(stops, zip(fitted, need, strict=True), strict=True))
            spare = [max(left, 0.0), *[0.0] * (len(stops) - 1)]
            amounts = {lap: (told[lap][0], max(told[lap][1] - spare[k], 0.0) + 0.05) for k, lap in enumerate(stops)}
            best = min(best, driven_s(true, setup.plan, lambda _, lap, amounts=amounts: amounts.get(lap)))  # type: ignore[misc]
    return best


@pytest.mark.thorough
def test_following_the_calls_ends_where_solving_afresh_every_lap_ends() -> None:
    setup = Setup(RULES, PACE, ranked_plans(RULES, PACE)[0], 0.2, 0.6)
    apart, behind = list[float](), list[float]()
    for seed in range(many(4, 60)):
        true = day(seed)
        page, fresh = driven_s(true, setup.plan, by_the_page(setup)), driven_s(true, setup.plan, afresh(setup))
        assert np.isfinite(page), seed
        if np.isfinite(fresh):
            apart.append(page - fresh)
        if seed < many(0, 12):
            behind.append(page - with_hindsight_s(true, setup))
    print(f"against afresh {np.median(apart):+.2f} s in the middle, against hindsight {np.median(behind) if behind else 0.0:+.2f} s")
    assert np.median(apart) < 2.0 and np.quantile(apart, 0.9) < 6.0
    assert not behind or np.median(behind) < 12.0
