"""The rest of a race from where it stands: against the whole plan, against every way on by hand, and under a safety car."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from apexcore.race.course import course
from apexcore.race.plans import Plan, ranked_plans
from apexcore.race.replan import Standing, margin_left_l, replanned, safety_calls, standing_of, stopping_now
from apexcore.race.rules import Pace, RaceRules, TyrePace, TyreSets

TYRES = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 2.0, 0.01, 0.0)
RULES = RaceRules(laps=30, pit_loss_s=20, tank_l=50, most_stops=3, refuelling=True, tyre_change_s=4, compulsory=("marl", "slate"))


@pytest.mark.parametrize("lap", [1, 7, 13, 22, 29])
def test_a_race_that_goes_as_planned_is_planned_as_before(lap: int) -> None:
    plan = ranked_plans(RULES, PACE)[0]
    passed = course(RULES, PACE, plan).passed_s
    rest = replanned(RULES, PACE, standing_of(RULES, PACE, plan, lap))
    assert rest[0].time_s + passed[lap - 1] == pytest.approx(plan.time_s, abs=1e-4)
    assert rest[0].stints[0].first_lap == lap + 1 and sum(stint.laps for stint in rest[0].stints) == 30 - lap
    known = course(RULES, PACE, rest[0])
    assert known.lap_s.sum() == pytest.approx(rest[0].time_s, abs=1e-5)  # lap by lap it is the same


def by_hand(rules: RaceRules, pace: Pace, at: Standing, pit_now: float | None) -> float:
    """The least time of the rest over every shape, lap by lap, on full tanks only as far as needed: no weight, so fuel is the stops' time.

    :param pit_now: pit lane of a stop before the next lap; None to stay out
    """
    laps, best = rules.laps - at.laps_done, np.inf
    tyres = {tyre.key: tyre for tyre in pace.tyres}
    for stops in range(rules.most_stops - at.stops + 1):
        for cuts in itertools.combinations(range(0 if pit_now is not None else 1, laps), stops):
            if (pit_now is not None) != (bool(cuts) and cuts[0] == 0):
                continue
            ends = [*cuts, laps]
            parts = [b - a for a, b in itertools.pairwise([0, *ends])]
            for keys in itertools.product(tyres, repeat=stops):
                on, age, total, used = at.compound, at.age, 0.0, {k for k, n in at.driven if n > 0}
                lap = 0
                for index, part in enumerate(parts):
                    if index:
                        on, age = keys[index - 1], 0
                        total += pit_now if pit_now is not None and index == 1 else rules.pit_loss_s
                        used.add(on)
                    for k in range(part):
                        tyre = tyres[on]
                        total += pace.lap_s + tyre.offset_s + tyre.fade_s * age + tyre.cliff_s * max(age - tyre.cliff_age, 0.0)
                        total += tyre.warm_s if index and k == 0 else 0.0
                        age, lap = age + 1, lap + 1
                if not set(rules.compulsory) <= used:
                    continue
                fuel = fuelled(rules, pace, at, parts)
                best = min(best, total + fuel)
    return float(best)


def fuelled(rules: RaceRules, pace: Pace, at: Standing, parts: list[int]) -> float:
    """Least standing time over what is filled at each stop, by trying a fine grid of the first and filling the rest as needed."""
    need = [part * pace.fuel_l_per_lap for part in parts]
    if at.fuel_l < need[0] - 1e-9:
        return np.inf
    # without weight it never hurts to fill as much as is free, and else only what the rest needs
    free, left, total = rules.tyre_change_s * rules.refuel_l_per_s, at.fuel_l - need[0], 0.0
    lacking = sum(need[1:]) - left
    for n in need[1:]:
        fill = min(max(free, 0.0), max(lacking, 0.0), rules.tank_l - left)
        fill = max(fill, min(n - left, rules.tank_l - left))
        if left + fill < n - 1e-9:
            return np.inf
        total += rules.tyre_change_s + max(0.0, fill - free) / rules.refuel_l_per_s
        left, lacking = left + fill - n, lacking - fill
    return total


@pytest.mark.parametrize("seed", range(12))
def test_it_is_the_least_of_every_way_on(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rules = RULES.model_copy(update={"laps": 12, "most_stops": 2, "tank_l": 60.0, "pit_loss_s": float(rng.uniform(3, 15))})
    pace = replace(PACE, fuel_s_per_l=0.0, tyres=(replace(TYRES[0], fade_s=0.6), replace(TYRES[1], fade_s=0.2)))
    done = int(rng.integers(1, 9))
    at = Standing(done, float(rng.uniform(24, 30)), "marl", done, done, 0, (("marl", done),), (("marl", 0),))
    assert replanned(rules, pace, at)[0].time_s == pytest.approx(by_hand(rules, pace, at, None), abs=1e-4)
    now = stopping_now(rules, pace, at, 0.5)
    assert now is not None and now.time_s == pytest.approx(by_hand(rules, pace, at, 0.5 * rules.pit_loss_s), abs=1e-4)
    assert now.stints[0].first_lap == done + 1 and now.stints[0].age == 0


def test_what_was_used_is_remembered() -> None:
    at = Standing(20, 24.0, "slate", 20, 20, 0, (("slate", 20),), (("slate", 0),))
    for plan in replanned(RULES, PACE, at):
        assert "marl" in plan.compounds  # still to be used
    done = replace(at, driven=(("slate", 12), ("marl", 8)))
    assert any("marl" not in plan.compounds for plan in replanned(RULES, PACE, done))
    few = RULES.model_copy(update={"sets": (TyreSets(compound="marl", count=1), TyreSets(compound="slate", count=1))})
    assert all(plan.compounds == ("slate", "marl") for plan in replanned(few, PACE, at))
    assert replanned(RULES, PACE, replace(at, stops=3)) == []  # marl cannot be fitted any more
    long = RULES.model_copy(update={"longest_stint": 22})
    assert all(plan.stints[0].laps <= 2 for plan in replanned(long, PACE, at))
    assert replanned(RULES, PACE, replace(at, laps_done=30)) == []
    assert margin_left_l(RULES, replace(PACE, margin_l=3.0), at) == pytest.approx(3.0 / np.sqrt(3.0))


def test_a_safety_car_is_worth_a_stop_in_the_window_and_not_outside() -> None:
    plan = ranked_plans(RULES, PACE)[0]
    calls = safety_calls(RULES, PACE, plan, 0.3, range(1, 30))
    stop_laps = [stint.last_lap for stint in plan.stints[:-1]]
    gains = {call.lap: call.gain_s for call in calls}
    assert all(gains[lap] == pytest.approx(14.0) for lap in stop_laps)
    near, early = gains[stop_laps[0] - 1], gains[1]
    assert near is not None and early is not None and near > 0 > early
    assert [call.lap for call in calls] == list(range(1, 30))


def test_a_race_without_fuel_for_a_lap_has_no_plan_and_one_that_stops_has() -> None:
    at = Standing(10, 1.0, "marl", 10, 10, 0, (("marl", 10),), (("marl", 0),))
    assert replanned(RULES, PACE, at) == []
    now = stopping_now(RULES, PACE, at)
    assert isinstance(now, Plan) and now.stints[0].fuel_l > 2.0
