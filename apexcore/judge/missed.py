"""How far the model is off beyond what the laps leave open."""

from collections.abc import Sequence

import numpy as np

#: Changes below which nothing is said: the spread of so few is anybody's guess.
LEAST_CHANGES = 5
#: Scale of the half-Cauchy prior of the model's error [s]. Source: about what the demo car's changes are missed by.
_PRIOR_S = 0.1


def model_error(missed_s: Sequence[float], laps_sd_s: Sequence[float]) -> tuple[float, float, float] | None:
    """Standard deviation of the model's own error: median and 95 % interval [s]; None from fewer than five changes.

    Each miss is normal with the variance of the laps and of the model together; the model's spread is summed out on a grid
    (Gelman and others, ch. 5).

    :param missed_s: of each change, what was measured less what was modelled [s]
    :param laps_sd_s: standard deviation that the laps leave it [s]
    """
    if len(missed_s) < LEAST_CHANGES:
        return None
    missed, laps = np.asarray(missed_s), np.asarray(laps_sd_s)
    size = np.concatenate([[0.0], np.geomspace(1e-3, 10.0, 2000)])
    variance = size[:, None] ** 2 + laps**2
    log = -0.5 * (np.log(variance) + missed**2 / variance).sum(axis=1) - np.log1p((size / _PRIOR_S) ** 2)
    weight = np.exp(log - log.max())[1:] * np.diff(size)
    share = np.cumsum(weight) / weight.sum()
    low, middle, high = (float(size[1:][np.searchsorted(share, part)]) for part in (0.025, 0.5, 0.975))
    return middle, low, high
