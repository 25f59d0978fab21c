"""Races by chance: where nothing is left to chance they are the plans, scatter is what was put in, and what holds up holds up."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.race.course import course
from apexcore.race.plans import best_by_stops, ranked_plans
from apexcore.race.replan import safety_calls
from apexcore.race.rules import Pace, RaceRules, Surroundings, TyrePace
from apexcore.race.simulation import Driver, _driven, simulated, weighed
from tests.amounts import many

TYRES = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 2.0, 0.01, 0.0)
RULES = RaceRules(laps=30, pit_loss_s=20, tank_l=90, most_stops=3, tyre_change_s=4, least_stops=1)
PLANS = sorted(best_by_stops(ranked_plans(RULES, PACE)), key=lambda plan: plan.time_s)
ALONE = Surroundings(cars=0, grid=1, safety_cars=0, yellows=0, troubles=0)
STEADY = Driver(0.0, 0.0)


def test_without_chance_a_race_is_its_plan() -> None:
    found = simulated(RULES, [PACE], PLANS, ALONE, STEADY, races=50)
    for one, plan in zip(found, PLANS, strict=True):
        assert one.time_s == pytest.approx([plan.time_s] * 3, abs=1e-5) and one.place == 1.0 and one.traffic_s == 0.0
    assert [one.wins for one in found] == [1.0, 0.0, 0.0]
    assert found[1].against_s[0] == pytest.approx(PLANS[1].time_s - PLANS[0].time_s, abs=1e-5)


def test_scatter_mistakes_and_stops_are_what_was_put_in() -> None:
    rules = RULES.model_copy(update={"pit_spread_s": 2.0})
    found = simulated(rules, [PACE], PLANS, ALONE.model_copy(update={"troubles": 1.0}), Driver(0.4, 0.1, 2.0), races=20_000)
    mean = PLANS[0].time_s + 30 * 0.1 * 2.0 + 30 * 0.01 * 25.0
    variance = 30 * 0.4**2 + 30 * (0.1 * 2 * 4.0 - 0.04) + 30 * (0.01 - 0.0001) * 625.0 + PLANS[0].stops * 4.0
    low, middle, high = found[0].time_s
    assert middle == pytest.approx(mean, abs=8.0) and low < middle < high
    assert (high - low) / 3.29 == pytest.approx(variance**0.5, rel=0.4)
    assert found[1].against_s[0] == pytest.approx(PLANS[1].time_s - PLANS[0].time_s, abs=5 * found[1].against_s[1] + 1e-6)
    assert found[1].against_s[1] < 0.05  # what is common to both does not blur the difference


def test_an_unsure_pace_turns_the_order_as_often_as_it_should() -> None:
    rng = np.random.default_rng(2)
    draws = [replace(PACE, tyres=tuple(replace(t, fade_s=t.fade_s * f) for t in TYRES)) for f in rng.uniform(0.3, 2.0, 100)]
    times = np.array([[course(RULES, draw, plan).lap_s.sum() for plan in PLANS] for draw in draws])
    known = np.bincount(times.argmin(axis=1), minlength=len(PLANS)) / len(draws)
    found = simulated(RULES, draws, PLANS, ALONE, STEADY, races=1000)
    assert [one.wins for one in found] == pytest.approx(list(known), abs=1e-9)


def test_a_slower_car_that_cannot_be_passed_holds_one_up_to_the_flag() -> None:
    wall = Surroundings(cars=1, grid=2, ahead_s=-2.0, spread_s=0, safety_cars=0, yellows=0, troubles=0)
    wall = wall.model_copy(update={"passing_s": 1e9})
    (held,) = simulated(RULES, [PACE], PLANS[:1], wall, STEADY, races=400)
    free = wall.model_copy(update={"passing_s": 0.0})
    (passed,) = simulated(RULES, [PACE], PLANS[:1], free, STEADY, races=400)
    assert held.time_s[1] > passed.time_s[1] + 10.0 and held.traffic_s > 10.0 and held.place > 1.3
    assert passed.time_s[1] == pytest.approx(PLANS[0].time_s, abs=4.0) and passed.place < 1.2


def test_places_follow_the_pace_of_the_field() -> None:
    slow, quick = (ALONE.model_copy(update={"cars": 10, "grid": 5, "ahead_s": s, "spread_s": 0.5, "passing_s": 0.2}) for s in (-5.0, 5.0))
    (first,), (last,) = (simulated(RULES, [PACE], PLANS[:1], one, STEADY, races=200) for one in (slow, quick))
    assert first.places[0] > 0.95 and last.places[10] > 0.95 and sum(first.places) == pytest.approx(1.0)


def test_a_safety_car_is_slow_and_a_stop_under_it_gains_what_it_says() -> None:
    certain = ALONE.model_copy(update={"safety_cars": 3.0, "safety_laps": 2, "safety_slow": 1.5, "safety_pit": 0.2})
    plain = simulated(RULES, [PACE], PLANS, certain, STEADY, races=3000)
    assert plain[0].time_s[1] > PLANS[0].time_s + 70.0
    calls = [safety_calls(RULES, PACE, plan, 0.2, range(1, 30)) for plan in PLANS]
    clever = simulated(RULES, [PACE], PLANS, certain, STEADY, calls, races=3000)
    assert all(one.mean_s <= other.mean_s + 0.3 for one, other in zip(clever, plain, strict=True))
    assert clever[0].mean_s < plain[0].mean_s - 1.0
    longer = simulated(RULES, [PACE], PLANS, certain.model_copy(update={"counted": False}), STEADY, races=500)
    assert longer[0].time_s[1] > plain[0].time_s[1]


FIELD = Surroundings(cars=15, grid=8, safety_cars=0.5, safety_laps=3, safety_pit=0.5)


@pytest.mark.thorough
def test_calls_under_a_safety_car_are_what_races_with_one_on_that_lap_come_to() -> None:
    who, plan = Driver(0.3, 0.02), PLANS[0]
    laps = range(1, 30, many(7, 1))
    calls = weighed(RULES, [PACE], plan, safety_calls(RULES, PACE, plan, 0.5, laps), FIELD, who)
    looked_at = 0
    for call in calls:
        if call.gain_s is None or call.stop is None or call.stop is plan or call.places is None:
            continue
        told = [[replace(call, gain_s=1.0)], []]
        times, places, _ = _driven(RULES, [PACE], [plan, plan], FIELD, who, told, many(4000, 20_000), 991, call.lap)
        gain = float((times[:, 1] - times[:, 0]).mean())
        if abs(gain) > 1.0:
            looked_at += 1
            assert (gain > 0.0) == (call.gain_s > 0.0), (call.lap, gain, call.gain_s)
            assert call.gain_s == pytest.approx(gain, abs=max(1.5, 0.25 * abs(gain)))
            assert call.places == pytest.approx(float((places[:, 1] - places[:, 0]).mean()), abs=0.6)
    assert looked_at > 1


def test_a_field_that_closes_up_makes_a_stop_worth_more_than_the_clock_alone_says() -> None:
    """The pit lane's saving is the same; what a stop loses to a field that has closed up is made good behind it."""
    plan = PLANS[0]
    clock = safety_calls(RULES, PACE, plan, 0.5, [12])
    alone = weighed(RULES, [PACE], plan, clock, FIELD.model_copy(update={"cars": 0}), Driver(0.0, 0.0))
    assert alone[0].gain_s == clock[0].gain_s
    (among,) = weighed(RULES, [PACE], plan, clock, FIELD, Driver(0.2, 0.0))
    assert among.gain_s is not None and among.gain_s != pytest.approx(clock[0].gain_s, abs=0.5) and among.places is not None


def test_points_are_those_of_the_places() -> None:
    table = (25.0, 18.0, 15.0, 12.0)
    around = FIELD.model_copy(update={"points": table})
    for one, first in zip(*(simulated(RULES, [PACE], PLANS[:2], where, STEADY, races=500) for where in (around, FIELD)), strict=True):
        by_hand = sum(chance * points for chance, points in zip(one.places, table, strict=False))
        assert one.points is not None and one.points[0] == pytest.approx(by_hand) and first.points is None
        assert one.places == first.places


def test_a_result_that_would_be_dropped_is_worth_what_it_adds() -> None:
    """Best three of the season, typed out: 18, 15 and 10 count of 18, 15, 10, 4; another 12 replaces the 10, an 8 adds nothing."""
    around = FIELD.model_copy(update={"points": (25.0, 12.0, 8.0), "results": (15.0, 4.0, 18.0, 10.0), "best_results": 3})
    assert around.standing() == 43.0
    assert [around.worth(place) for place in (1, 2, 3, 4)] == [15.0, 2.0, 0.0, 0.0]
    all_count = around.model_copy(update={"best_results": 0})
    assert all_count.standing() == 47.0 and [all_count.worth(place) for place in (1, 3, 9)] == [25.0, 8.0, 0.0]
    (one,) = simulated(RULES, [PACE], PLANS[:1], around, STEADY, races=400)
    assert one.points is not None and one.points[0] == pytest.approx(15.0 * one.places[0] + 2.0 * one.places[1])
    assert one.safe is not None and one.safe[1] == around.worth(one.safe[0])
    below = sum(one.places[: one.safe[0] - 1])
    assert below <= 0.5 <= below + one.places[one.safe[0] - 1] + 1e-9
