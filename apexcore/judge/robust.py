"""Laps with heavy tails and unmarked mistakes as normal laps that tell the same.

A lap's residual has density (1 - p) t4 + p (t4 convolved with an exponential delay). At the fit, its score and information stand for it:
the lap moves to fit + score / information, and is from there on a normal lap of variance 1 / information (a Newton step of the likelihood,
as in McCullagh and Nelder, Generalized Linear Models, 2.5). Only what is late is pulled in hard, for the score flattens on the slow side.
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .sampler import Floats, Ints

#: Scales that are tried [s], and shares of spoiled laps.
_SCALES = np.geomspace(0.02, 2.0, 48)
_SHARES = np.array([0.001, 0.03, 0.06, 0.1, 0.16, 0.25, 0.4])
#: Mean delay of a spoiled lap [s], counts of the beta prior of their share, and half-normal prior of the scale [s].
_DELAY_S, _BETA, _SCALE_PRIOR_S = 1.0, (1.0, 9.0), 1.0
#: Points of a table, the slowest residual in it [s], and how far the fit starts from a run's median at most [s].
_POINTS, _SLOWEST_S, _START_S = 800, 15.0, 0.6
#: Rounds of fit and scale, and the spread of runs in the fit [s].
_ROUNDS, _RUN_SD_S = 7, 0.4


@dataclass(frozen=True)
class _Density:
    """The density of residuals at one scale.

    :param at: residuals [s]
    :param log: its logarithm there, by share of spoiled laps, shape [shares, points]
    :param score: minus its slope over itself [1/s]
    :param information: by share [1/s2]
    """

    at: Floats
    log: Floats
    score: Floats
    information: Floats


@lru_cache(maxsize=1)
def _densities() -> tuple[_Density, ...]:
    """The densities at every scale."""
    found = []
    for scale in _SCALES:
        at = scale * np.sinh(np.linspace(-5.0, math.asinh(_SLOWEST_S / scale), _POINTS))
        plain = 0.375 / scale * (1.0 + (at / scale) ** 2 / 4.0) ** -2.5
        step = np.diff(at)
        late = np.zeros(_POINTS)  # g' = (plain - g) / delay, which the convolution with an exponential solves
        for k, h in enumerate(step):
            decay = math.exp(-h / _DELAY_S)
            late[k + 1] = late[k] * decay + 0.5 * h / _DELAY_S * (plain[k] * decay + plain[k + 1])
        density = (1.0 - _SHARES[:, None]) * plain + _SHARES[:, None] * late
        score = -np.gradient(density, at, axis=1) / density
        information = np.trapezoid(score**2 * density, at, axis=1)
        found.append(_Density(at, np.log(density), score, information))
    return tuple(found)


@dataclass(frozen=True)
class Pseudo:
    """Laps as normal ones.

    :param times_s: shape [laps] [s]
    :param variance: of each [s2]
    :param scale_s: scale of the scatter [s]
    :param spoiled: share of spoiled laps [-]
    """

    times_s: Floats
    variance: float
    scale_s: float
    spoiled: float


def pseudo_times(x: Floats, y: Floats, run: Ints, mean: Floats, sd: Floats) -> Pseudo:
    """Laps as normal ones.

    :param x: columns of a linear model, shape [laps, columns]
    :param y: lap times about any middle [s]
    :param run: number of each lap's run, from 0
    :param mean: prior means of the coefficients; `sd` their standard deviations
    """
    runs, n = int(run.max()) + 1, len(y)
    whole = np.column_stack([x, np.eye(runs)[run]])
    centre = np.concatenate([mean, np.zeros(runs)])
    precision = 1.0 / np.concatenate([sd, np.full(runs, _RUN_SD_S)]) ** 2
    medians = np.array([np.median(y[run == k]) for k in range(runs)])
    times = np.clip(y, None, medians[run] + _START_S)
    freedom = max(n - runs - 1.5, 0.5)
    variance, found = 0.04, Pseudo(times, 0.04, 0.2, 0.05)
    for _ in range(_ROUNDS):
        normal = whole.T @ whole / variance + np.diag(precision)
        fit = whole @ np.linalg.solve(normal, whole.T @ times / variance + precision * centre)
        rest = y - fit
        scale, share = _most_likely(rest * math.sqrt(n / freedom))
        density = _densities()[scale]
        score = np.interp(rest, density.at, density.score[share])
        information = float(density.information[share])
        times, variance = fit + score / information, 1.0 / information
        found = Pseudo(times, variance, float(_SCALES[scale]), float(_SHARES[share]))
    return found


def _most_likely(rest: Floats) -> tuple[int, int]:
    """Scale and share of spoiled laps, as places in their lists, that residuals and priors make likeliest."""
    prior = (_BETA[0] - 1.0) * np.log(_SHARES) + (_BETA[1] - 1.0) * np.log(1.0 - _SHARES)
    best, place = -math.inf, (0, 0)
    for k, density in enumerate(_densities()):
        log = np.array([np.interp(rest, density.at, row).sum() for row in density.log]) + prior
        log -= 0.5 * (_SCALES[k] / _SCALE_PRIOR_S) ** 2 - math.log(_SCALES[k])  # even in the logarithm of the scale
        share = int(log.argmax())
        if log[share] > best:
            best, place = float(log[share]), (k, share)
    return place
