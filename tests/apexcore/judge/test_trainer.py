"""The braking-point trainer against drivers that it was not made from: other limits, other scatter, feelings that lie."""

import numpy as np
import pytest

from apexcore.judge.trainer import LEVELS, Level, Tried, advise, belief, late_by_exit
from tests.amounts import many


def trained(level: Level, latest: float, rng: np.random.Generator, world: str, runs: int = 10) -> tuple[list[float], float, bool]:
    """Marks of a driver whose latest good mark is known; the next one; whether the interval holds it."""
    tried: list[Tried] = []
    marks = []
    advice = advise(level, tried)
    for _ in range(runs):
        marks.append(advice.mark_m)
        scatter = rng.uniform(-2, 2) if world == "even" else rng.standard_t(3) if world == "wild" else rng.normal()
        braked = advice.mark_m + level.scatter_m * scatter
        feeling = "late" if braked > latest else "good" if braked > latest - 6.0 else "early"
        if world == "lies" and rng.random() < 0.12:
            feeling = str(rng.choice(["early", "good", "late"]))
        tried.append(Tried.felt(advice.mark_m, feeling))  # type: ignore[arg-type]
        advice = advise(level, tried)
    return marks, advice.mark_m, advice.low_m <= latest <= advice.high_m


#: Drivers that the trainer was not made from.
WORLDS = ("plain", "even", "wild", "lies", "far later", "far earlier")


def trained_ends(name: str, world: str, drivers: int) -> tuple[list[float], float, float]:
    """Where drivers end against their latest mark [m], the share of intervals that hold it, and of runs that were over 2 m too late."""
    level, rng = LEVELS[name], np.random.default_rng(hash_of(name + world))
    ends, beyond, held = [], 0, 0
    for _ in range(drivers):
        sd = float(np.hypot(6.0, level.sd_m))
        latest = {"far later": 15.0 + rng.normal(0, 4), "far earlier": -12.0 + rng.normal(0, 4)}.get(world, rng.normal(0, sd))
        marks, end, inside = trained(level, latest, rng, world)
        ends.append(end - latest)
        beyond += sum(mark > latest + 2.0 for mark in marks)
        held += inside
    return ends, held / drivers, beyond / (10 * drivers)


@pytest.mark.thorough
@pytest.mark.parametrize("name", LEVELS)
@pytest.mark.parametrize("world", list(WORLDS)[:: many(3, 1)])
def test_it_ends_near_the_latest_mark_and_seldom_beyond(name: str, world: str) -> None:
    ends, held, beyond = trained_ends(name, world, 120)
    tenth, half, most = np.percentile(ends, [10, 50, 90])
    assert tenth > -8.0 and -3.0 < half < 1.0 and most < 3.5
    assert beyond < (0.32 if world == "far earlier" else 0.22) and held > 0.85


def hash_of(text: str) -> int:
    return sum(ord(letter) * (k + 1) for k, letter in enumerate(text))


def test_the_belief_is_bayes_rule_by_hand() -> None:
    level = LEVELS["front runner"]
    grid, before = belief(level, [])
    _, after = belief(level, [Tried.felt(0.0, "late")])
    place = {value: int(np.argmin(np.abs(grid - value))) for value in (-5.0, 5.0)}
    from math import erf, sqrt

    likely = {at: 0.9 * 0.5 * (1 + erf((0.0 - at) / level.scatter_m / sqrt(2))) + 0.1 / 3 for at in place}
    ratio = (after[place[-5.0]] / after[place[5.0]]) / (before[place[-5.0]] / before[place[5.0]])
    assert ratio == pytest.approx(likely[-5.0] / likely[5.0], rel=1e-9)
    assert before.sum() == pytest.approx(1) and after.sum() == pytest.approx(1)


def test_it_begins_early_goes_on_by_steps_and_steps_back() -> None:
    level = LEVELS["solid midfielder"]
    first = advise(level, [])
    assert first.word == "begin" and first.mark_m < -12 and first.late < 0.05
    felt_early = advise(level, [Tried.felt(first.mark_m, "early")])
    assert felt_early.word == "on" and 1.0 <= felt_early.mark_m - first.mark_m <= level.step_m and felt_early.sure > 0.9
    too_late = advise(level, [Tried.felt(0.0, "late"), Tried.felt(0.0, "late")])
    assert too_late.word == "back" and too_late.mark_m < -1.0 and too_late.sure > 0.55
    once = advise(level, [Tried.felt(-14.0, "early"), Tried.felt(-10.0, "late")])
    assert once.word == "again" and once.mark_m == -10.0 and once.late < 0.5  # unlikely, but nobody is sent farther from it
    right = advise(level, [Tried.felt(-2.0, "good")] * 5)
    assert right.word in ("on", "stay") and right.mark_m - -2.0 < level.step_m
    assert advise(level, [Tried.felt(-2.0, "good")] * 5) == advise(level, [Tried.felt(-2.0, "good")] * 5)


def test_samples_tell_late_from_the_exit_and_nothing_from_nothing() -> None:
    rng = np.random.default_rng(5)
    before = list(40.0 + rng.normal(0, 0.15, 8))
    assert late_by_exit(list(38.9 + rng.normal(0, 0.15, 6)), before) > 0.97
    assert late_by_exit(list(40.1 + rng.normal(0, 0.15, 6)), before) < 0.1
    assert late_by_exit([40.0], before) == 0.5 and late_by_exit([], []) == 0.5
    # where nothing was lost, being called late is rare, whatever the scatter
    for scatter in (0.05, 0.3, 1.0):
        calls = [late_by_exit(list(rng.normal(40, scatter, 5)), list(rng.normal(40, scatter, 7))) > 0.9 for _ in range(300)]
        assert np.mean(calls) < 0.08
