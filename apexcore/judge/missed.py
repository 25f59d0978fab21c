"""How far the model is off beyond what the laps leave open."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.spread import Z95

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


@dataclass(frozen=True)
class Score:
    """How a modelled change stood against the laps.

    :param tells: whether the laps could have contradicted it: as sure as they are, a change of the other sign, or none, would have shown
    :param agrees: whether both intervals meet
    :param bits: how much likelier the laps are by the model than by a change that does nothing, negative where less [bit]
    """

    tells: bool
    agrees: bool
    bits: float

    @property
    def words(self) -> str:
        """The same for people."""
        if not self.tells:
            return "cannot tell: these laps could not have contradicted it"
        return "yes: the intervals meet" if self.agrees else "no: the intervals do not meet"


def scored(modelled_s: float, model_sd_s: float, measured_s: float, laps_sd_s: float) -> Score:
    """Scores a modelled change.

    Source: the logarithmic score, which is proper: what is expected is best said as it is believed (Gneiting and Raftery, Journal of the
    American Statistical Association 102, 2007).
    """

    def log(mean: float, sd: float) -> float:
        return -0.5 * ((measured_s - mean) / sd) ** 2 - math.log(sd)

    with_model = log(modelled_s, math.hypot(model_sd_s, laps_sd_s))
    bits = (with_model - log(0.0, laps_sd_s)) / math.log(2.0)
    tells = Z95 * laps_sd_s < abs(modelled_s) + Z95 * model_sd_s
    return Score(tells, abs(measured_s - modelled_s) <= Z95 * (model_sd_s + laps_sd_s), bits)
