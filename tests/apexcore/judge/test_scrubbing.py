"""Scrubbed or new: runs of a known truth by another generator, in whose intervals it lies; the sums by hand."""

import numpy as np
import pytest

from apexcore.judge.model import Observed
from apexcore.judge.scrubbing import LEAST_LAPS, Scrubbing, SetRun, scrubbing
from tests.amounts import many


def driven(
    rng: np.random.Generator, scrubbed: bool, laps: int, early: float, pace: float, fade: float, run_sd: float, number: int
) -> SetRun:
    """A run: a new set gains on its first laps and fades, a scrubbed one by so much otherwise; traffic now and then."""
    level = 90.0 + rng.normal(0, run_sd)
    found = []
    for k in range(laps):
        t = level - 0.15 * (k < 3) + 0.06 * k + scrubbed * (early * (k < 3) + pace + fade * k) + rng.standard_t(5) * 0.12
        kg = 30.0 - 2.0 * k
        found.append(Observed(number, 0, 0, kg, float(k), float(t + 0.03 * kg), k + 1))
    return SetRun(scrubbed, tuple(found))


def simulated_day(day: int) -> tuple[list[SetRun], tuple[float, float, float]]:
    """Runs of a day with gains, losses and drift of its own, and what is true of scrubbed sets: early, pace, fade."""
    rng = np.random.default_rng([day, 7])
    truth = float(rng.normal(0.1, 0.2)), float(rng.normal(0, 0.1)), float(rng.normal(-0.01, 0.02))
    sd = float(rng.uniform(0.02, 0.2))
    return [driven(rng, bool(k % 2), int(rng.integers(6, 16)), *truth, sd, k) for k in range(int(rng.integers(2, 7)))], truth


def over_a_stint(truth: tuple[float, float, float], laps: int) -> float:
    """What is true of a stint of so many laps, three at least [s]."""
    return 3 * truth[0] + laps * truth[1] + 0.5 * laps * (laps - 1) * truth[2]


@pytest.mark.thorough
def test_truth_lies_in_the_intervals_of_runs_on_both() -> None:
    """Many days, each with gains, losses and drifting runs of its own: early, pace, fade and whole stints."""
    inside: dict[str, list[bool]] = {"early": [], "pace": [], "fade": [], "stint": []}
    days = many(20, 400)
    for day in range(days):
        runs, truth = simulated_day(day)
        found = scrubbing(runs, 0.03, 0.05)
        assert found is not None
        told = (found.early_s, found.pace_s, found.fade_s, found.over(20))
        for key, (mean, half), known in zip(inside, told, (*truth, over_a_stint(truth, 20)), strict=True):
            inside[key].append(abs(mean - known) <= half)
    assert all(np.mean(held) >= 0.9 - 0.5 / days**0.5 for held in inside.values()), {
        key: float(np.mean(held)) for key, held in inside.items()
    }


def test_many_runs_find_what_few_cannot_tell() -> None:
    rng = np.random.default_rng(3)
    few, lots = (
        scrubbing([driven(rng, bool(k % 2), 12, 0.3, 0.0, -0.04, 0.05, k) for k in range(count)], 0.03, 0.05) for count in (2, 12)
    )  # fmt: skip
    assert few is not None and lots is not None
    assert lots.early_s[1] < few.early_s[1] and lots.fade_s[1] < few.fade_s[1]
    assert lots.early_s[0] == pytest.approx(0.3, abs=lots.early_s[1]) and lots.fade_s[0] + lots.fade_s[1] < 0.0
    # runs that differ by themselves say as much of fade as others: only their paces stand apart
    calm, scattered = (
        scrubbing([driven(rng, bool(k % 2), 12, 0.3, 0.0, -0.04, sd, k) for k in range(6)], 0.03, 0.05) for sd in (0.02, 0.4)
    )
    assert calm is not None and scattered is not None and scattered.fade_s[1] < 1.5 * calm.fade_s[1]
    assert lots.chance(3) < 0.2 and lots.chance(30) > 0.9  # a short stint on new tyres, a long one on scrubbed


def test_a_stint_is_the_sum_of_its_laps() -> None:
    found = Scrubbing((0.3, 0.1), (0.05, 0.1), (-0.02, 0.01), (1, 1), ((0.01, 0, 0), (0, 0.01, 0), (0, 0, 1e-4)))
    for laps in (1, 2, 3, 10, 25):
        by_hand = sum((0.3 if k < 3 else 0.0) + 0.05 - 0.02 * k for k in range(laps))
        mean, half = found.over(laps)
        assert mean == pytest.approx(by_hand) and half > 0.0
        assert found.chance(laps) == pytest.approx(
            float(np.mean(np.random.default_rng(1).normal(mean, half / 1.96, 200_000) < 0)), abs=0.01
        )


def test_one_kind_alone_or_short_runs_tell_nothing() -> None:
    rng = np.random.default_rng(1)
    new = [driven(rng, False, 10, 0, 0, 0, 0.1, k) for k in range(3)]
    assert scrubbing(new, 0.03, 0.05) is None and scrubbing([], 0.03, 0.05) is None
    assert scrubbing([*new, driven(rng, True, LEAST_LAPS - 1, 0, 0, 0, 0.1, 9)], 0.03, 0.05) is None
    assert scrubbing([*new, driven(rng, True, LEAST_LAPS, 0, 0, 0, 0.1, 9)], 0.03, 0.05) is not None
