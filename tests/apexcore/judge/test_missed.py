"""The model's own error: by simulation with known truth, and nothing from few changes."""

import numpy as np
import pytest

from apexcore.judge.missed import LEAST_CHANGES, model_error


def test_nothing_is_said_from_few_changes() -> None:
    assert model_error([0.3, -0.2, 0.1], [0.1] * 3) is None
    assert model_error([0.1] * LEAST_CHANGES, [0.1] * LEAST_CHANGES) is not None


@pytest.mark.parametrize("true_s", [0.0, 0.1, 0.3])
def test_its_interval_holds_the_truth(true_s: float) -> None:
    """200 cars of eight measured changes; below the truth of nothing there is nothing, so that only the upper end can miss it."""
    rng = np.random.default_rng(4)
    inside = 0
    for _ in range(200):
        laps = rng.uniform(0.03, 0.15, 8)
        found = model_error(list(rng.normal(0.0, np.hypot(true_s, laps))), list(laps))
        assert found is not None
        inside += (found[1] <= max(true_s, 0.02)) and true_s <= found[2]
    assert inside / 200 >= 0.89


def test_what_the_laps_leave_open_is_not_the_models_error() -> None:
    """Eight misses of 0.2 s measured to 0.2 s say far less than the same measured to 0.01 s."""
    misses = [0.2, -0.2] * 4
    open_, exact = model_error(misses, [0.2] * 8), model_error(misses, [0.01] * 8)
    assert open_ is not None and exact is not None
    assert open_[0] < 0.6 * exact[0] and exact[1] > 0.1
