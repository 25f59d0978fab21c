"""How a set of tyres fades over a run, and on which lap its cliff comes, from lap times corrected for fuel."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.spread import half_interval
from .model import TAILS, Floats, information_of

#: Laps before and after a cliff without which it cannot be told, and the chance from which on it is said.
_BEFORE, _AFTER, _SAID = 4, 3, 0.9
_ROUNDS = 12
#: Possible laps of a cliff that are tried at most, evenly spread.
_MOST_KNOTS = 60


@dataclass(frozen=True)
class Fade:
    """Fade of a run's tyres.

    :param per_lap_s: before the cliff, mean and half its 95 % interval [s/lap]
    :param cliff: chance that the laps show a cliff [-]
    :param lap: age of the tyres at it, most likely, and the ends of its 95 % range [laps]; None where none is said
    """

    per_lap_s: tuple[float, float]
    cliff: float
    lap: tuple[float, float, float] | None


def fade(age: Sequence[float] | Floats, time_s: Sequence[float] | Floats) -> Fade:
    """A straight fade, or one that bends upwards at some lap: time = a + b age + c max(age - k, 0)^2, c above 0.

    Heavy-tailed scatter (Student t, by iteratively reweighted least squares; Gelman and others, ch. 17). Each possible lap k
    and the straight line are weighed by their likelihood less half the logarithm of the number of laps for every further
    coefficient (Schwarz, Ann. Statist. 6, 1978); the line has an even chance to begin with.

    :param age: of the tyres, warm laps only [laps]
    :param time_s: lap time corrected for fuel [s]
    :raises ValueError: with fewer than five laps
    """
    if len(age) < 5:
        raise ValueError("a fade needs at least five laps")
    x, y = np.asarray(age, dtype=float), np.asarray(time_s, dtype=float)
    n = len(x)
    straight = np.column_stack([np.ones(n), x - x.mean()])
    line, slope, slope_sd = _fitted(straight, y)
    line -= math.log(n)  # two coefficients
    places = np.arange(_BEFORE, n - _AFTER)
    knots = x[places[:: max(math.ceil(len(places) / _MOST_KNOTS), 1)]]
    scores = []
    for knot in knots:
        score, found, _ = _fitted(np.column_stack([straight, np.maximum(x - knot, 0.0) ** 2]), y)
        scores.append(score - 2.0 * math.log(n) if found[2] > 0.0 else -math.inf)  # the lap itself is a fourth
    top = max([line, *scores])
    weights = np.exp(np.array(scores) - top)
    chance = float(weights.sum() / (weights.sum() + math.exp(line - top)))
    if chance < _SAID:
        return Fade((float(slope[1]), half_interval(float(slope_sd[1]))), chance, None)
    order = np.cumsum(weights) / weights.sum()
    low, high = (float(knots[int(np.searchsorted(order, share))]) for share in (0.025, 0.975))
    best = float(knots[int(np.argmax(weights))])
    _, bent, bent_sd = _fitted(np.column_stack([straight, np.maximum(x - best, 0.0) ** 2]), y)
    return Fade((float(bent[1]), half_interval(float(bent_sd[1]))), chance, (best, low, high))


def _fitted(x: Floats, y: Floats) -> tuple[float, Floats, Floats]:
    """Log-likelihood, coefficients and their standard deviations under Student-t scatter.

    Source: iteratively reweighted least squares, G ch. 17.
    """
    n, p = x.shape
    weight = np.ones(n)
    scale2 = float(np.var(y)) + 1e-9
    beta: Floats = np.zeros(p)
    for _ in range(_ROUNDS):
        root = np.sqrt(weight)
        beta = np.asarray(np.linalg.lstsq(x * root[:, None], y * root, rcond=None)[0], dtype=np.float64)
        rest = y - x @ beta
        scale2 = max(float((weight * rest**2).sum() / max(n - p, 1)), 1e-8)
        weight = (TAILS + 1.0) / (TAILS + rest**2 / scale2)
    rest = y - x @ beta
    log = -0.5 * (TAILS + 1.0) * float(np.log1p(rest**2 / (TAILS * scale2)).sum()) - 0.5 * n * math.log(scale2)
    spread = np.linalg.pinv(x.T @ x) / information_of(math.sqrt(scale2))
    return log, beta, np.sqrt(np.diag(spread))
