"""Marks in any order, sensible or not: race mode always has an answer."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import ApexError
from apexcore.race.clock import pace_now, pace_told_s, rest_of, rules_now
from apexcore.race.crossing import crossing
from apexcore.race.happened import KINDS, Mark, Setup, happened
from apexcore.race.legal import owed
from apexcore.race.live import advise, under_safety_car
from apexcore.race.rivals import duels, stop_laps, typed
from apexcore.race.rules import Laps, Minutes, Pace, RaceRules, TyrePace, TyreSets
from apexcore.race.timed import plans_in_time
from apexcore.race.weather import WET
from tests.amounts import many

PACE = Pace(74.0, (TyrePace("marl", 0.0, 0.11, 0.6, 22, 0.1), TyrePace("slate", 0.7, 0.06, 0.8, 34, 0.05)), 1.6, 0.03, 1.2)


def drawn(rng: np.random.Generator) -> RaceRules:
    shut = tuple(Minutes(first=first, last=first + 3.0) for first in (2.0, 14.0)) if rng.random() < 0.25 else ()
    return RaceRules(
        laps=24, minutes=float(rng.choice([0.0, 0.0, 25.0])), laps_after=int(rng.integers(0, 2)), pit_loss_s=22, tank_l=30, most_stops=4,
        least_stops=int(rng.integers(0, 3)), refuelling=bool(rng.random() < 0.8), tyre_change_s=4,
        compulsory=("marl", "slate") if rng.random() < 0.4 else (), tyres_may_stay=bool(rng.random() < 0.3),
        longest_stint=int(rng.choice([0, 0, 14])), no_stops=(Laps(first=9, last=11),) if rng.random() < 0.3 else (),
        sets=(TyreSets(compound="marl", count=2, age=0), TyreSets(compound="marl", count=1, age=5)) if rng.random() < 0.3 else (),
        no_stop_minutes=shut, rain_from=float(rng.choice([0.0, 0.0, 8.0])), wheel_minutes=float(rng.choice([0.0, 0.0, 20.0])),
    )  # fmt: skip


def mark(rng: np.random.Generator) -> Mark:
    kind = str(rng.choice(["lap"] * 12 + ["pit"] * 3 + list(KINDS)))
    time = None if rng.random() < 0.1 else float(rng.choice([74.0, 75.5, 77.0, 40.0, 150.0]) + rng.normal())
    compound = str(rng.choice(["marl", "slate", WET, ""])) if kind in ("pit", "restart") else ""
    value: dict[str, float] = {
        "onlap": float(rng.integers(1, 26)), "distance": float(rng.integers(1, 30)), "minutes": float(rng.uniform(1, 40)),
        "mate": float(rng.integers(0, 26)),
    }  # fmt: skip
    told = value.get(kind, float(rng.uniform(-30, 60)))
    return Mark(
        kind, time, float(rng.uniform(0, 30)), compound, int(rng.choice([0, 5])), told, int(rng.integers(-2, 3)), str(rng.integers(1, 4))
    )  # fmt: skip


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(2))
def test_whatever_was_pressed_there_is_an_answer(block: int) -> None:
    answered = 0
    for seed in range(block * many(12, 200), (block + 1) * many(12, 200)):
        rng = np.random.default_rng([seed, 44])
        try:
            rules, plans = plans_in_time(drawn(rng), PACE)
        except ApexError:  # rules that exclude each other are another test's
            continue
        setup, marks = Setup(rules, PACE, plans[0], 0.2, 0.6), list[Mark]()
        following = plans[0]
        for _ in range(int(rng.integers(5, 40))):
            marks.append(mark(rng))
            now = happened(setup, marks)
            if rng.random() < 0.5:
                continue
            advice = advise(setup, now, following, 1.0)
            told, pace = rules_now(setup, now, advice.plan or following, advice.due), pace_now(setup, now)
            assert told.laps >= 1 and pace.fuel_l_per_lap > 0.0
            assert advice.plan is None or advice.plan.stints[-1].last_lap == advice.laps, (seed, marks)
            owed(told, now.standing)
            crossing(setup, now)
            rivals = typed(setup, now)
            stop_laps(setup, now, told, rivals, 3)
            if now.safety:
                under_safety_car(setup, now)
            if advice.plan is not None:
                assert all(0.0 <= (one.undercut if one.undercut is not None else 0.0) <= 1.0 for one in duels(
                    setup, now, told, advice.plan, rivals, advice.due))  # fmt: skip
                following = advice.plan if advice.changed else following
            answered += 1
    assert answered > many(20, 1000)


def test_wet_tyres_that_nobody_announced_two_unlike_laps_and_laps_taken_away_have_an_answer() -> None:
    """What random marks found: a tyre that no pace was known of, a pace of no number, and a rest that began beyond the next lap."""
    rules = RaceRules(laps=24, pit_loss_s=22, tank_l=40, most_stops=4, refuelling=True, tyre_change_s=4)
    setup = Setup(rules, PACE, plans_in_time(rules, PACE)[1][0], 0.2, 0.6)
    laps = [Mark("lap", 74.0)] * 4
    wet = happened(setup, [*laps, Mark("pit", None, 5.0, WET)])
    advice = advise(setup, wet, setup.plan, 1.0)
    assert advice.plan is not None and advice.plan.stints[0].compound == WET and rules_now(setup, wet).rain_from == 4.0
    over = happened(setup, [*laps, Mark("pit", None, 5.0, WET), Mark("lap", 80.0), Mark("dry"), Mark("lap", 80.0)])
    assert rules_now(setup, over).rain_until == 5.0 and advise(setup, over, setup.plan, 1.0).plan is not None
    unlike = happened(setup, [Mark("lap", 74.0), Mark("lap", 150.0)])
    assert pace_told_s(setup, unlike) == 0.0
    later = replace(setup.plan, stints=(replace(setup.plan.stints[0], first_lap=12, laps=13),))
    assert [(one.first_lap, one.laps) for one in rest_of(later, happened(setup, laps).standing, 24)] == [(5, 20)]
