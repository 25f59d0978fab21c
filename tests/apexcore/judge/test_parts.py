"""Verdicts on parts of the lap against runs whose truth is known."""

import numpy as np
import pytest

from apexcore.judge.model import Observed
from apexcore.judge.parts import judge_parts, part_sentence
from tests.amounts import many
from tests.apexcore.judge.test_judge import PRIORS

PARTS, LAP_S = 8, 74.0


def driven(seed: int, effect: np.ndarray, runs: int = 8, laps: int = 6) -> tuple[list[Observed], np.ndarray]:
    """Runs in turn on A and B: each has a shift that falls on its corners unevenly, laps scatter corner by corner."""
    rng = np.random.default_rng([seed, 21])
    usual = LAP_S * rng.dirichlet(np.full(PARTS, 12.0))
    found, times = [], []
    for run in range(runs):
        level = run % 2
        shift = rng.normal(0, 0.02, PARTS)
        for lap in range(laps):
            parts = usual + level * effect + shift + rng.normal(0, 0.03, PARTS) + 0.002 * lap
            times.append(parts)
            found.append(Observed(run, level, 0, 30.0 - 1.5 * lap, float(lap), float(parts.sum()), lap + 1, 30.0, run * 0.4))
    return found, np.array(times)


@pytest.mark.thorough
def test_a_change_that_helps_here_and_costs_there_is_told_apart() -> None:
    effect = np.zeros(PARTS)
    effect[2], effect[5] = -0.12, 0.10
    inside, right, wrong, false = 0, 0, 0, 0
    trials = many(2, 12)
    for seed in range(trials):
        found = judge_parts(*driven(seed, effect), PRIORS)
        inside += sum(bool(one.low_s <= true <= one.high_s) for one, true in zip(found, effect, strict=True))
        right += int(found[2].sure) + int(found[5].sure)
        wrong += (found[2].sure and found[2].mean_s > 0) + (found[5].sure and found[5].mean_s < 0)
        false += sum(one.sure for k, one in enumerate(found) if k not in (2, 5))
        assert sum(one.share for one in found) == pytest.approx(1.0, abs=0.02)
    assert inside >= 0.88 * trials * PARTS and right >= 0.6 * 2 * trials and wrong == 0 and false <= 0.08 * 6 * trials


@pytest.mark.thorough_only
def test_without_a_difference_hardly_any_part_stands_out() -> None:
    trials = many(3, 15)
    alarms = sum(any(one.sure for one in judge_parts(*driven(seed, np.zeros(PARTS)), PRIORS)) for seed in range(100, 100 + trials))
    assert alarms <= 0.2 * trials


def test_the_sentence_says_where_it_gains_and_costs() -> None:
    effect = np.zeros(PARTS)
    effect[2], effect[5] = -0.4, 0.3
    found = judge_parts(*driven(1, effect), PRIORS)
    told = part_sentence(found, [f"corner {k}" for k in range(PARTS)], "S1", "S2")
    assert told.startswith("S2 gains in corner 2 (0.") and "and costs in corner 5 (0." in told and told.endswith("against S1.")
    assert part_sentence(found[:1], ["corner 0"], "S1", "S2") == "No part of the lap parts S1 and S2 yet." or found[0].sure
    with pytest.raises(ValueError, match="timed lap"):
        judge_parts([lap for lap in driven(1, effect)[0] if lap.level == 0], driven(1, effect)[1][:24], PRIORS)
