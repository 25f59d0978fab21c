"""Races over time: the distance against a race driven lap by lap over every distance there is."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.race.course import course
from apexcore.race.plans import best_by_stops, plan_time_s, ranked_plans
from apexcore.race.replan import replanned, standing_of, stopping_now
from apexcore.race.rules import Pace, RaceRules, TyrePace
from apexcore.race.timed import crossed_in_time, lap_chances, laps_of, plans_in_time
from tests.amounts import many

TYRES = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 2.0, 0.01, 1.0)


def test_the_lap_on_which_the_time_is_up_is_driven_to_its_end() -> None:
    passed = np.array([60.0, 120.0, 180.0, 240.0, 300.0])
    assert crossed_in_time(passed, 2.5, 0) == 3  # 150 s: on lap 3
    assert crossed_in_time(passed, 2.5, 1) == 4  # and one more
    assert crossed_in_time(passed, 3.0, 0) == 3  # at 180 s the flag is out
    assert crossed_in_time(passed, 3.01, 0) == 4
    assert crossed_in_time(passed, 5.5, 0) is None


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(many(10, 25)))
def test_the_distance_is_that_of_the_quickest_plan_of_all_distances(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rules = RaceRules(
        laps=1, minutes=float(rng.uniform(2, 40)), laps_after=int(rng.integers(0, 3)), pit_loss_s=float(rng.uniform(3, 40)), tank_l=90,
        least_stops=int(rng.integers(0, 2)), most_stops=3, refuelling=bool(rng.random() < 0.5), tyre_change_s=5,
    )  # fmt: skip
    pace = replace(PACE, lap_s=float(rng.uniform(25, 90)), fuel_l_per_lap=float(rng.uniform(0.5, 1.2)))
    over, plans = plans_in_time(rules, pace)
    best = 0
    for laps in range(2, 110):  # every distance, the quickest plan of each driven by the clock
        ruled = rules.model_copy(update={"laps": laps})
        try:
            quickest = ranked_plans(ruled, pace)[0]
        except Exception:  # too far for the tank
            continue
        passed = 0.0
        ends = [passed := passed + float(lap) for lap in course(ruled, pace, quickest).lap_s]
        begun = sum(end < 60.0 * rules.minutes for end in ends) + 1  # laps begun before the time is up
        if begun + rules.laps_after >= laps:
            best = laps
        if ends[0] * laps > 180.0 * rules.minutes + 600:
            break
    assert over.laps == max(best, 1 + rules.laps_after)
    assert all(sum(stint.laps for stint in plan.stints) == over.laps for plan in plans)
    assert laps_of(over, pace, plans[0]) in (over.laps, over.laps + 1)


def test_a_course_adds_up_to_its_plan() -> None:
    rules = RaceRules(laps=24, pit_loss_s=20, tank_l=60, most_stops=3, refuelling=True, tyre_change_s=4, tyres_may_stay=True)
    for plan in ranked_plans(rules, PACE):
        known = course(rules, PACE, plan)
        assert known.passed_s[-1] == pytest.approx(plan.time_s, abs=1e-5)
        assert known.stop_s.sum() == pytest.approx(plan.pit_s, abs=1e-5) and known.fuel_s.sum() == pytest.approx(plan.fuel_s, abs=1e-5)
        assert (known.left_l > PACE.margin_l - 1e-5).all()


def test_a_track_that_gets_quicker_is_in_every_time_and_in_the_distance() -> None:
    rules = RaceRules(laps=24, pit_loss_s=20, tank_l=60, most_stops=2, refuelling=True, tyre_change_s=4, track_s=-0.05)
    still = rules.model_copy(update={"track_s": 0.0})
    for plan, other in zip(ranked_plans(rules, PACE), ranked_plans(still, PACE), strict=True):
        assert plan.shape == other.shape and plan.time_s == pytest.approx(other.time_s - 0.05 * 24 * 23 / 2)
        assert course(rules, PACE, plan).passed_s[-1] == pytest.approx(plan.time_s, abs=1e-5)
        assert plan_time_s(rules, PACE, plan) == pytest.approx(plan.time_s, abs=1e-5)
        at = standing_of(rules, PACE, plan, 5)
        stay, passed = replanned(rules, PACE, at)[0], float(course(rules, PACE, plan).passed_s[4])
        assert stay.time_s + passed <= plan.time_s + 1e-4
        stop, calm = stopping_now(rules, PACE, at), stopping_now(still, PACE, at)
        assert stop is not None and calm is not None and stop.time_s == pytest.approx(calm.time_s - 0.05 * sum(range(5, 24)), abs=1e-4)
    timed = rules.model_copy(update={"minutes": 45.0, "track_s": -0.4})
    assert plans_in_time(timed, PACE)[0].laps > plans_in_time(timed.model_copy(update={"track_s": 0.0}), PACE)[0].laps


def test_the_number_of_laps_is_as_unsure_as_the_pace() -> None:
    rules = RaceRules(laps=1, minutes=30, pit_loss_s=20, tank_l=90, most_stops=1)
    over, plans = plans_in_time(rules, PACE)
    plan = best_by_stops(plans)[0]
    rng = np.random.default_rng(1)
    sure = lap_chances(over, [PACE] * 40, plan)
    assert max(sure.values()) == 1.0
    spread = lap_chances(over, [replace(PACE, lap_s=70.0 + 1.5 * rng.standard_normal()) for _ in range(400)], plan)
    assert len(spread) > 1 and sum(spread.values()) == pytest.approx(1.0)
    mean = sum(laps * chance for laps, chance in spread.items())
    assert mean == pytest.approx(next(iter(sure)), abs=0.6)


def test_a_week_is_refused_with_the_bound() -> None:
    with pytest.raises(InputError, match="at most 1200 laps"):
        plans_in_time(RaceRules(laps=1, minutes=1500, pit_loss_s=20, tank_l=90), PACE)
