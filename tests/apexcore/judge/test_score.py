"""How a modelled change is scored by laps: a model that is right wins, one that is wrong loses, and wide laps say nothing."""

import math

import numpy as np
import pytest

from apexcore.judge.missed import scored


def test_the_score_is_a_likelihood_ratio_by_hand() -> None:
    found = scored(-0.3, 0.05, -0.25, 0.1)
    both = math.hypot(0.05, 0.1)
    ratio = math.exp(-0.5 * (0.05 / both) ** 2) / both / (math.exp(-0.5 * 2.5**2) / 0.1)
    assert found.bits == pytest.approx(math.log2(ratio)) and found.tells and found.agrees


@pytest.mark.parametrize(
    ("low", "high", "modelled", "tells"), [(-2.99, 1.40, -0.1, False), (-0.45, -0.15, -0.1, True), (-0.3, 0.3, -0.35, True)]
)
def test_laps_that_could_not_contradict_it_are_no_evidence(low: float, high: float, modelled: float, tells: bool) -> None:
    found = scored(modelled, 0.03, 0.5 * (low + high), (high - low) / 3.92)
    assert found.tells == tells and ("cannot tell" in found.words) != tells
    if not tells:
        assert abs(found.bits) < 0.2


def test_the_right_model_wins_in_the_long_run_and_a_wrong_one_loses() -> None:
    rng = np.random.default_rng(1)
    true = rng.normal(0.0, 0.25, 400)
    laps = true + rng.normal(0.0, 0.1, 400)
    right = sum(scored(float(t + rng.normal(0, 0.05)), 0.05, float(x), 0.1).bits for t, x in zip(true, laps, strict=True))
    wrong = sum(scored(float(-t), 0.05, float(x), 0.1).bits for t, x in zip(true, laps, strict=True))
    nothing = sum(scored(float(rng.normal(0, 0.25)), 0.05, float(x), 0.1).bits for x in rng.normal(0.0, 0.1, 400))
    assert right > 200.0 and wrong < -200.0 and nothing < 0.0
