"""Plans and their rest against a reference written from the text of the rules, under every rule at once."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from apexcore.race.legal import breaches
from apexcore.race.plans import search
from apexcore.race.replan import Standing, margin_left_l, replanned
from apexcore.race.rules import ALL_OUT, Laps, Level, Pace, RaceRules, TyrePace, TyreSets
from tests.amounts import many

from .rules_reference import at_start, from_standing, least_times


def random_race(seed: int, most_laps: int) -> tuple[RaceRules, Pace]:
    """A race under any rules, drawn without regard to how the product thinks of them."""
    rng = np.random.default_rng([seed, 4711])
    laps, keys = int(rng.integers(3, most_laps + 1)), ["marl", "slate", "chert"][: int(rng.integers(1, 4))]
    tyres = tuple(
        TyrePace(
            key, float(rng.uniform(0, 1.5)), float(rng.uniform(0, 0.8)), float(rng.choice([0.0, rng.uniform(0, 2)])),
            float(rng.uniform(0.5, 9)), float(rng.choice([0.0, rng.uniform(0, 1.5)])),
        )
        for key in keys
    )  # fmt: skip
    use = float(rng.uniform(0.8, 3))
    levels = (ALL_OUT, Level(8.0, float(rng.uniform(0.05, 0.8)), 0.92, float(rng.uniform(0.6, 0.95)))) if rng.random() < 0.4 else (ALL_OUT,)
    weight = float(rng.choice([0.0, rng.uniform(0.01, 0.1), 0.6]))
    pace = Pace(float(rng.uniform(50, 80)), tyres, use, weight, float(rng.choice([0.0, 0.4])), levels)
    told: dict[str, Any] = {
        "tyres_may_stay": rng.random() < 0.5,
        "refuelling": rng.random() < 0.7,
        "in_parallel": rng.random() < 0.5,
        "tyre_change_s": float(rng.uniform(0, 6)),
        "least_standing_s": float(rng.choice([0.0, rng.uniform(0, 8)])),
        "refuel_l_per_s": float(rng.uniform(0.4, 4)),
        "formation_laps": float(rng.choice([0.0, 1.0])),
        "least_stops": int(rng.integers(0, 2)),
        "most_stops": int(rng.integers(1, 4)),
        "track_s": float(rng.choice([0.0, rng.uniform(-0.2, 0.2)])),
    }
    if rng.random() < 0.4:
        told["longest_stint"] = int(rng.integers(2, laps + 1))
    if rng.random() < 0.4:
        told["compulsory"] = tuple(key for key in keys if rng.random() < 0.5)
        told["compulsory_laps"] = int(rng.choice([1, 2]))
    if rng.random() < 0.3:
        told["first_stop_lap"] = int(rng.integers(1, laps))
    if rng.random() < 0.3:
        told["last_stop_lap"] = int(rng.integers(max(told.get("first_stop_lap", 1), 1), laps))
    if rng.random() < 0.3:
        begins = [int(lap) for lap in rng.integers(1, laps + 2, int(rng.integers(1, 3)))]
        told["no_stops"] = tuple(Laps(first=lap, last=lap + int(rng.integers(0, 3))) for lap in begins)
    if rng.random() < 0.3:
        told |= {"lane_s": float(rng.uniform(5, 30)), "least_lane_s": float(rng.uniform(5, 45))}
        told["least_lane_s"] = max(told["least_lane_s"], told["lane_s"])
    if rng.random() < 0.4:
        told["sets"] = tuple(
            TyreSets(compound=key, count=int(rng.integers(1, 3)), age=age)
            for key in keys
            for age in (0, 4)
            if rng.random() < (0.9 if age == 0 else 0.4)
        )
    if rng.random() < 0.3:
        told |= {"rain_from": float(rng.uniform(1, laps)), "rain_spread": float(rng.choice([0.0, 1.5]))}
    if rng.random() < 0.35:
        told["wheel_minutes"] = float(rng.uniform(0.4, 1.1)) * laps * pace.lap_s / 60.0
        told["driver_change_s"] = float(rng.uniform(0, 5))
    told |= _further(rng, laps, use)
    tank = float(rng.uniform(0.4, 1.6)) * laps * use + 1.0
    return RaceRules(laps=laps, pit_loss_s=float(rng.uniform(0, 12)), tank_l=tank, **told), pace


def _further(rng: np.random.Generator, laps: int, use: float) -> dict[str, Any]:
    """What a crew may do at once, limits of fuel and laps by a longer way."""
    told = dict[str, Any]()
    if rng.random() < 0.3:
        told["crew_work"] = str(
            rng.choice(
                [
                    "max(tyres, fuel) + driver",
                    "tyres + fuel",
                    "max(tyres + driver, 2.5 + fuel)",
                    "max(fuel + 3, driver) + tyres",
                    "1 + fuel",
                ]
            )
        )
    if rng.random() < 0.25:
        told["stint_l"] = float(rng.uniform(0.3, 1.1)) * laps * use
    if rng.random() < 0.25:
        told["race_l"] = float(rng.uniform(0.92, 1.02)) * laps * use
    if rng.random() < 0.25:
        told |= {"jokers": int(rng.integers(1, 3)), "joker_s": float(rng.uniform(0, 9))}
    return told


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(4))
def test_plans_are_the_least_that_the_rules_allow(block: int) -> None:
    legal = 0
    for seed in range(block * many(4, 75), (block + 1) * many(4, 75)):
        rules, pace = random_race(seed, 6 if seed % 4 else 7)
        told = {plan.stops: plan for plan in reversed(search(rules, pace))}
        known = least_times(rules, pace, at_start(rules, pace), pace.margin_l)
        quickest = min(known.values(), default=np.inf)
        assert bool(told) == bool(known), seed
        if known:
            legal += 1
            assert min(plan.time_s for plan in told.values()) == pytest.approx(quickest, abs=2e-6), seed
            first = Standing(0, 0.0, "", 0, 0, 0, (), ())
            for plan in told.values():
                assert plan.time_s >= known[plan.stops] - 2e-6, seed
                broken = breaches(rules, pace, replace(first, fuel_l=plan.stints[0].fuel_l), plan.stints)
                assert broken == (), (seed, broken)
    assert legal > many(0, 25)


def random_standing(seed: int, rules: RaceRules, pace: Pace) -> Standing:
    """Somewhere in a race, however it came there, so that no number of stops or sets is passed already."""
    rng = np.random.default_rng([seed, 4712])
    done = int(rng.integers(1, rules.laps))
    tyre = pace.tyres[int(rng.integers(len(pace.tyres)))]
    since = int(rng.integers(1, done + 1))
    stops = 0 if since == done else int(rng.integers(1, max(rules.most_stops, 1) + 1))
    age = since + (int(rng.integers(0, 5)) if rng.random() < 0.3 else 0)
    driven = {tyre.key: since}
    for _ in range(done - since):
        key = pace.tyres[int(rng.integers(len(pace.tyres)))].key
        driven[key] = driven.get(key, 0) + 1
    wheel = float(rng.uniform(0.6, 1.3)) * since * pace.lap_s
    burnt = float(rng.uniform(0.9, 1.0)) * pace.fuel_l_per_lap
    return Standing(
        done, float(rng.uniform(0, 1)) * rules.tank_l, tyre.key, age, since, stops, tuple(driven.items()),
        tuple((key, 0) for key in driven if not rules.sets or any(one.compound == key and not one.age for one in rules.sets)), wheel,
        burnt * done, burnt * since,
    )  # fmt: skip


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(4))
def test_from_any_standing_the_rest_is_the_least_that_the_rules_allow(block: int) -> None:
    legal = 0
    for seed in range(block * many(8, 125), (block + 1) * many(8, 125)):
        rules, pace = random_race(seed, 6)
        at = random_standing(seed, rules, pace)
        told = replanned(rules, pace, at)
        margin = margin_left_l(rules, pace, at)
        known = least_times(rules, pace, from_standing(at), margin)
        assert bool(told) == bool(known), seed
        if known:
            legal += 1
            assert told[0].time_s == pytest.approx(min(known.values()), abs=2e-6), seed
            for plan in told:
                assert breaches(rules, pace, at, plan.stints) == (), (seed, plan)
    assert legal > many(0, 25)
