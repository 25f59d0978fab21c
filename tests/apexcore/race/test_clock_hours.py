"""Hours without stops by the race's clock, against a reference written from the rules that may also come in early or late by its fuel."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import InputError, NoLegalPlan
from apexcore.race.course import course
from apexcore.race.legal import breaches, owed
from apexcore.race.length import minutes_words, read_minutes
from apexcore.race.plans import ranked_plans, search
from apexcore.race.replan import Standing, margin_left_l, replanned, stopping_now
from apexcore.race.rules import Minutes, Pace, RaceRules, TyrePace
from apexcore.race.timed import plans_in_time
from tests.amounts import many

from .rules_reference import at_start, from_standing, least_times
from .test_rules import random_race, random_standing

PACE = Pace(75.0, (TyrePace("marl", 0.0, 0.06, 0.5, 60.0, 0.0), TyrePace("slate", 0.7, 0.03, 0.5, 90.0, 0.0)), 2.2, 0.03, 1.0)
GT = RaceRules(laps=40, least_stops=1, most_stops=3, pit_loss_s=24, tyre_change_s=9, tank_l=70, refuelling=True)


def closed(rng: np.random.Generator, length_s: float) -> tuple[Minutes, ...]:
    """One or two stretches of a race's clock, drawn without a look at its laps."""
    edges = sorted(float(edge) for edge in rng.uniform(0.0, 1.1 * length_s / 60.0, 2 * int(rng.integers(1, 3))))
    return tuple(Minutes(first=first, last=last) for first, last in zip(edges[::2], edges[1::2], strict=True) if last > first)


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(2))
def test_plans_keep_to_the_clock_and_hardly_ever_miss_the_least(block: int) -> None:
    """Each is legal, and where one is told it is hardly ever slower. The reference may also stand or carry fuel for nothing so as to come in
    later, which no plan does: of these short races with half the clock closed it finds a way where none is told in up to one of six."""
    behind, unseen, legal = list[float](), 0, 0
    for seed in range(block * many(3, 60), (block + 1) * many(3, 60)):
        rules, pace = random_race(10_020 + seed, 6)
        rules = rules.model_copy(update={"no_stop_minutes": closed(np.random.default_rng([seed, 77]), rules.laps * pace.lap_s)})
        told, known = search(rules, pace), least_times(rules, pace, at_start(rules, pace), pace.margin_l)
        for plan in told:
            assert plan.time_s >= known[plan.stops] - 2e-6, seed
            first = Standing(0, plan.stints[0].fuel_l, "", 0, 0, 0, (), ())
            assert breaches(rules, pace, first, plan.stints) == (), seed
        if not known:
            assert not told, seed
            continue
        legal += 1
        unseen += not told
        behind += [told[0].time_s - min(known.values())] if told else []
    slower = sum(one > 2e-6 for one in behind)
    assert legal >= many(0, 20) and unseen <= max(legal // 6, 1) and slower <= max(legal // 10, 1), (
        unseen,
        slower,
        legal,
        sorted(behind)[-8:],
    )


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(2))
def test_from_any_standing_the_rest_keeps_to_the_clock(block: int) -> None:
    behind, unseen, legal = list[float](), 0, 0
    for seed in range(block * many(10, 60), (block + 1) * many(10, 60)):
        rules, pace = random_race(20_000 + seed, 6)
        rng = np.random.default_rng([seed, 78])
        at = random_standing(seed, rules, pace)
        at = replace(at, clock_s=float(rng.uniform(0.9, 1.4)) * at.laps_done * pace.lap_s)
        rules = rules.model_copy(update={"no_stop_minutes": closed(rng, rules.laps * pace.lap_s)})
        told, known = replanned(rules, pace, at), least_times(rules, pace, from_standing(at), margin_left_l(rules, pace, at))
        for plan in told:
            assert breaches(rules, pace, at, plan.stints) == (), seed
        now = stopping_now(rules, pace, at)
        if now is not None:
            assert rules.closed_at(at.clock_s) is None and breaches(rules, pace, at, now.stints, True) == (), seed
        if not known:
            assert not told, seed
            continue
        legal += 1
        unseen += not told
        behind += [told[0].time_s - min(known.values())] if told else []
    slower = sum(one > 2e-6 for one in behind)
    assert legal >= many(0, 15) and unseen <= max(legal // 6, 1) and slower <= max(legal // 10, 1), (
        unseen,
        slower,
        legal,
        sorted(behind)[-8:],
    )


def test_a_window_in_minutes_holds_the_stop() -> None:
    """50 min at 75 s: open from minute 20 to 25 alone, which laps 16 to 19 end in."""
    free = ranked_plans(GT, PACE)[0]
    rules = GT.model_copy(update={"most_stops": 1, "no_stop_minutes": (Minutes(first=0, last=20), Minutes(first=25, last=60))})
    plan = ranked_plans(rules, PACE)[0]
    ends = course(rules, PACE, plan).passed_s
    assert 1200.0 <= ends[plan.stints[0].last_lap - 1] < 1500.0 and plan.time_s >= free.time_s
    for lap in (plan.stints[0].last_lap - 1, plan.stints[0].last_lap + 1):  # a neighbour that is open too is no quicker
        if 1200.0 <= ends[lap - 1] < 1499.0:
            forced = rules.model_copy(update={"first_stop_lap": lap, "last_stop_lap": lap})
            assert ranked_plans(forced, PACE)[0].time_s >= plan.time_s - 1e-6


def test_a_race_over_time_and_no_way_at_all() -> None:
    timed = GT.model_copy(update={"minutes": 60.0, "no_stop_minutes": (Minutes(first=0, last=25), Minutes(first=35, last=70))})
    rules, plans = plans_in_time(timed, PACE)
    for plan in plans:
        ends = course(rules, PACE, plan).passed_s
        assert all(1500.0 <= ends[stint.last_lap - 1] < 2100.0 for stint in plan.stints[:-1])
    never = GT.model_copy(update={"no_stop_minutes": (Minutes(first=0, last=90),)})
    with pytest.raises(NoLegalPlan, match="no stop in minutes 0 to 90"):
        ranked_plans(never, PACE)


def test_a_number_of_stops_that_was_far_behind_is_asked_again() -> None:
    """One stop is quickest by far and never open; two are, at the ends."""
    pace = replace(PACE, fuel_l_per_lap=1.0)
    tyres = GT.model_copy(update={"most_stops": 4, "longest_stint": 22, "no_stop_minutes": (Minutes(first=20, last=31),)})
    assert search(GT.model_copy(update={"most_stops": 4, "longest_stint": 22}), pace)[0].stops == 1
    plans = search(tyres, pace)
    assert plans and plans[0].stops >= 2
    ends = course(tyres, pace, plans[0]).passed_s
    assert all(not 1200.0 <= ends[stint.last_lap - 1] < 1860.0 for stint in plans[0].stints[:-1])


def test_minutes_as_typed() -> None:
    assert minutes_words(read_minutes("0-25, 35 to 60", "x")) == "0-25, 35-60"
    assert read_minutes("1:30–1:45; 100-110 min", "x") == [Minutes(first=90, last=110)] and read_minutes(" ", "x") == []
    for wrong in ("25", "30-20", "a-b", "1:3-4", "0-9999", "-5-3", "5-5"):
        with pytest.raises(InputError, match="minutes such as 0-25"):
            read_minutes(wrong, "No stop in minutes")


def test_what_is_owed_tells_the_stretches_that_come() -> None:
    rules = GT.model_copy(update={"no_stop_minutes": (Minutes(first=0, last=5), Minutes(first=40, last=50))})
    at = Standing(10, 40.0, "marl", 10, 10, 0, (("marl", 10),), (("marl", 0),), clock_s=760.0)
    assert owed(rules, at).shut == (Minutes(first=40, last=50),)
    assert stopping_now(rules, PACE, at) is not None and stopping_now(rules, PACE, replace(at, clock_s=2400.0)) is None
