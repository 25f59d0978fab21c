"""Scrub the sets or keep them new: what scrubbed tyres gain or lose on the first laps, and each lap later, from runs on both."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.spread import Z95
from .model import Observed
from .sampler import Floats

#: Laps at the beginning of a run that are told apart from the later ones.
EARLY_LAPS = 3
#: Fewest timed laps of a run that tells anything; fewest laps of a stint that is asked for.
LEAST_LAPS = EARLY_LAPS + 2
#: Prior spreads: pace of new over scrubbed tyres [s], first laps [s], fade [s/lap] about its mean; levels are open [s].
#: Sources: assumptions of this product, wide around what runs show.
_PACE, _EARLY, _FADE, _OPEN = 0.5, 0.5, 0.15, 20.0
#: Scatter of a lap, and of a run beside what is told of it, that are weighed [s].
_SCATTERS, _RUNS = np.geomspace(0.03, 1.2, 13), np.geomspace(0.01, 0.6, 11)
#: A run's own level beside the others is small more often than large: half-normal scale [s].
_RUN_SCALE = 0.15


@dataclass(frozen=True)
class SetRun:
    """A run from the pit on one set.

    :param scrubbed: whether the set had been scrubbed before it
    :param laps: its timed laps in the order driven
    """

    scrubbed: bool
    laps: tuple[Observed, ...]


@dataclass(frozen=True)
class Scrubbing:
    """Scrubbed tyres beside new ones; all are scrubbed less new, mean and half the 95 % interval.

    :param early_s: each of the first three laps, beside the later pace [s]
    :param pace_s: the pace once they are driven in [s]
    :param fade_s: what each lap loses [s/lap]
    :param runs: runs on new and on scrubbed sets
    :param cov: covariance of the three [s, s/lap]
    """

    early_s: tuple[float, float]
    pace_s: tuple[float, float]
    fade_s: tuple[float, float]
    runs: tuple[int, int]
    cov: tuple[tuple[float, ...], ...]

    def over(self, laps: int) -> tuple[float, float]:
        """Scrubbed less new over a stint of so many laps, mean and half the 95 % interval [s]."""
        weights = np.array([min(laps, EARLY_LAPS), laps, 0.5 * laps * (laps - 1)], dtype=np.float64)
        means = [self.early_s[0], self.pace_s[0], self.fade_s[0]]
        return float(weights @ means), Z95 * math.sqrt(float(weights @ np.array(self.cov) @ weights))

    def chance(self, laps: int) -> float:
        """How likely scrubbed tyres are quicker over a stint of so many laps [-]."""
        mean, half = self.over(laps)
        return 0.5 * math.erfc(mean / (half / Z95) / math.sqrt(2.0))


def scrubbing(runs: Sequence[SetRun], fuel_s_per_kg: float, fade_s: float) -> Scrubbing | None:
    """What runs on new and on scrubbed sets of one compound tell; None with none of either long enough.

    Lap k of a run takes level + own of the run + (pace + early for the first three laps + fade k), the bracket for new tyres and, beside
    it, for scrubbed ones; the fuel is taken out. Linear with normal priors, the scatter of laps and of runs weighed over a grid: Gelman
    et al., Bayesian Data Analysis, ch. 14 and 15.

    :param fade_s: fade to expect [s/lap]
    """
    there = [run for run in runs if len(run.laps) >= LEAST_LAPS]
    counts = sum(not run.scrubbed for run in there), sum(run.scrubbed for run in there)
    if not all(counts):
        return None
    rows, times, own = [], [], []
    for number, run in enumerate(there):
        for k, lap in enumerate(run.laps):
            early, mine = float(k < EARLY_LAPS), float(run.scrubbed)
            rows.append([1.0, early, float(k), mine * early, mine, mine * k])
            times.append(lap.time_s - fuel_s_per_kg * lap.fuel_kg)
            own.append(number)
    x, y, blocks = np.array(rows), np.array(times), np.eye(len(there))[own]
    prior = np.array([float(np.median(y)), 0.0, fade_s, 0.0, 0.0, 0.0])
    spread = np.array([_OPEN, _EARLY, _FADE, _EARLY, _PACE, _FADE])
    mean, cov = _weighed(x, y, blocks, prior, spread)
    part, square = mean[3:], cov[3:, 3:]
    half = Z95 * np.sqrt(np.diag(square))
    told = [(float(part[k]), float(half[k])) for k in range(3)]
    return Scrubbing(told[0], told[1], told[2], counts, tuple(tuple(map(float, row)) for row in square))


def _weighed(x: Floats, y: Floats, blocks: Floats, prior: Floats, spread: Floats) -> tuple[Floats, Floats]:
    """Mean and covariance of the coefficients over all scatters that are weighed."""
    weights, means, covs = [], [], []
    left = y - x @ prior
    around = (x * spread**2) @ x.T
    for scatter in _SCATTERS:
        for own in _RUNS:
            noise = scatter**2 * np.eye(len(y)) + own**2 * blocks @ blocks.T
            whole = np.linalg.cholesky(noise + around)
            solved = np.linalg.solve(whole, left)
            fit = np.linalg.solve(noise, x)
            cov = np.linalg.inv(x.T @ fit + np.diag(spread**-2.0))
            means.append(prior + cov @ (fit.T @ left))
            covs.append(cov)
            weights.append(
                -0.5 * float(solved @ solved) - float(np.log(np.diag(whole)).sum()) - 0.5 * (own / _RUN_SCALE) ** 2 + math.log(own)
            )
    share = np.exp(np.array(weights) - max(weights))
    share /= share.sum()
    mean = np.einsum("k,ki->i", share, np.array(means))
    off = np.array(means) - mean
    return mean, np.asarray(np.einsum("k,kij->ij", share, np.array(covs)) + np.einsum("k,ki,kj->ij", share, off, off))
