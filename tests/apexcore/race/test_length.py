"""Race lengths as people say them, and drivers who share a car."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import InputError, NoLegalPlan
from apexcore.race.drivers import Crew, seats
from apexcore.race.length import length_words, read_length
from apexcore.race.options import problem_of
from apexcore.race.plans import ranked_plans
from apexcore.race.rules import Pace, RaceRules, TyrePace


@pytest.mark.parametrize(
    ("text", "laps", "minutes", "after"),
    [
        ("20", 20, 0, 0), (" 20 Laps ", 20, 0, 0), ("1 lap", 1, 0, 0), ("45 min", 1, 45, 0), ("45min + 1 lap", 1, 45, 1),
        ("45 minutes and a lap", 1, 45, 1), ("2 h 30", 1, 150, 0), ("24h", 1, 1440, 0), ("1,5 h", 1, 90, 0), ("50 m + 2 laps", 1, 50, 2),
    ],
)  # fmt: skip
def test_lengths_are_read_and_written_back(text: str, laps: int, minutes: float, after: int) -> None:
    found = read_length(text)
    assert (found["laps"], found["minutes"], found["laps_after"]) == (laps, minutes, after)
    rules = RaceRules(pit_loss_s=20, tank_l=60, **found)
    assert read_length(length_words(rules)) == found


@pytest.mark.parametrize(
    "text", ["", "0", "-3", "99999", "min", "h", "20 furlongs", "45 min + 9 laps", "2000 h", "0 min", "20.5", "٣٠ ٪", "1e3"]
)
def test_what_is_no_length_is_told_with_what_is(text: str) -> None:
    with pytest.raises(InputError, match="Race length"):
        read_length(text)


def lost_s(times: list[float], laps: list[int], stops: list[float], who: tuple[int, ...], crew: Crew) -> float | None:
    """What a split loses to slower drivers, gone through stint by stint; None where it breaks a rule."""
    driven = [time + crew.slower(one) * n for time, n, one in zip(times, laps, who, strict=True)]
    totals = [sum(t for t, one in zip(driven, who, strict=True) if one == driver) for driver in range(crew.drivers)]
    if min(totals) < crew.least_s - 1e-6 or min(totals) <= 0 or max(totals) > crew.most_s + 1e-6:
        return None
    begins = [sum(driven[:k]) + sum(stops[:k]) for k in range(len(driven))]
    for _, group in itertools.groupby(range(len(times)), key=lambda k: who[k]):
        turn = list(group)
        if sum(driven[k] for k in turn) > crew.longest_s + 1e-6:
            return None
        before = [k for k in range(turn[0]) if who[k] == who[turn[0]]]
        if before and begins[turn[0]] - begins[before[-1]] - driven[before[-1]] < crew.rest_s - 1e-6:
            return None
    return sum(crew.slower(one) * n for one, n in zip(who, laps, strict=True))


def test_seats_are_the_best_of_all_splits_and_found_where_there_are_any() -> None:
    rng = np.random.default_rng(3)
    found = none = 0
    for _ in range(200):
        times = [float(t) for t in rng.integers(5, 40, int(rng.integers(1, 7)))]
        laps, stops = [int(n) for n in rng.integers(1, 20, len(times))], [float(t) for t in rng.integers(0, 4, len(times))]
        drivers = int(rng.integers(1, 4))
        crew = Crew(
            drivers, float(rng.uniform(0, sum(times) / 2)), float(rng.choice([np.inf, sum(times) / drivers * 1.3])),
            float(rng.choice([np.inf, max(times), 1.3 * max(times)])), float(rng.choice([0.0, 0.0, 12.0])),
            tuple(float(v) for v in rng.uniform(-0.2, 0.5, drivers)) if rng.random() < 0.6 else (),
        )  # fmt: skip
        every = (lost_s(times, laps, stops, who, crew) for who in itertools.product(range(drivers), repeat=len(times)))
        known = min((lost for lost in every if lost is not None), default=None)
        mine = seats(times, crew, laps, stops)
        assert (mine is not None) == (known is not None), (times, crew)
        if mine is not None and known is not None:
            assert lost_s(times, laps, stops, tuple(mine), crew) == pytest.approx(known, abs=1e-9), (times, crew)
        found, none = found + (known is not None), none + (known is None)
    assert found > 20 and none > 20


def test_a_long_race_is_shared_in_a_moment() -> None:
    who = seats([3000.0] * 28, Crew(3, 6 * 3600.0, 10 * 3600.0, 2 * 3600.0, 3600.0, (0.0, 0.4, 0.9)), [40] * 28, [60.0] * 28)
    assert who is not None and sorted(set(who)) == [0, 1, 2]
    assert who.count(0) * 3000 <= 10 * 3600 and who.count(2) * 3000 >= 6 * 3600 - 40 * 28


def test_a_track_that_changes_adds_up_from_where_the_race_stands() -> None:
    """A tenth a lap: laps 1 to 3 lose 0, 0.1 and 0.2 s; behind five laps the next three 0.5, 0.6 and 0.7 s."""
    pace = Pace(60.0, (TyrePace("marl", 0.0, 0.05, 0.0, 60, 0.0),), 1.0, 0.0, 0.0)
    problem = problem_of(RaceRules(laps=10, pit_loss_s=20, tank_l=40, track_s=0.1), pace)
    assert problem.legs()[2][3] == pytest.approx(0.3)
    assert replace(problem, behind=5).legs()[2][3] == pytest.approx(1.8)


def test_only_what_lets_drivers_share_is_said_to_open_a_plan() -> None:
    """Three stints of unlike lengths that three drivers cannot share: the minutes are to blame, not the tank that the plan never empties."""
    pace = Pace(60.0, (TyrePace("marl", 0.0, 0.05, 0.0, 60, 0.0),), 1.0, 0.0, 0.0)
    rules = RaceRules(laps=30, pit_loss_s=20, tank_l=40, least_stops=1, most_stops=1, drivers=3, driver_least_minutes=5.0, formation_laps=0)
    with pytest.raises(NoLegalPlan) as caught:
        ranked_plans(rules, pace)
    blamed = caught.value.collisions[0]
    assert "at most 1 stop" in blamed and "5 min at least for each of 3 drivers" in blamed and "tank" not in blamed
    two = rules.model_copy(update={"drivers": 2})
    assert ranked_plans(two, pace)[0].stops == 1
