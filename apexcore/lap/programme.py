"""Convex quadratic programmes along a road: unknowns at stations, each row touching a few neighbours, round a ring or not.

Primal-dual interior point with predictor and corrector (Mehrotra; Nocedal & Wright, Numerical Optimization, 2nd ed., ch. 16.6).
The road is laid flat with its two halves side by side, so that the normal matrix of a ring is banded too.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..circuit.line import laid_flat
from .rows_kernel import gather, scatter, times

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_MOST_ROUNDS = 40
#: Mean of slack times multiplier, over the size of the objective's slope, below which a programme is solved.
_SOLVED = 1e-7


@dataclass(frozen=True)
class Rows:
    """Linear forms of the unknowns.

    :param index: unknowns that each row touches, -1 for none, shape [rows, entries]
    :param value: their coefficients
    """

    index: Ints
    value: Floats

    def __post_init__(self) -> None:
        # one layout for all: another one would be compiled anew in the middle of a search
        object.__setattr__(self, "index", np.ascontiguousarray(self.index, dtype=np.int64))
        object.__setattr__(self, "value", np.ascontiguousarray(self.value, dtype=np.float64))

    def times(self, x: Floats) -> Floats:
        """The value of each row."""
        out = np.empty(len(self.index))
        times(self.index, self.value, x, out)
        return out

    def transposed(self, y: Floats, count: int) -> Floats:
        """The sum of the rows, each times a number, by unknown."""
        out = np.zeros(count)
        scatter(self.index, self.value, y, out)
        return out


@dataclass(frozen=True)
class Solution:
    """:param x: the unknowns
    :param multiplier: of each bound
    :param solved: whether it converged"""

    x: Floats
    multiplier: Floats
    solved: bool


def flat_places(stations: int, unknowns: int, closed: bool) -> Ints:
    """Where each unknown (station by station) stands when the road is laid flat."""
    station = laid_flat(stations) if closed else np.arange(stations)
    return np.asarray((unknowns * station[:, None] + np.arange(unknowns)).ravel(), dtype=np.int64)


def _width(place: Ints, many: list[Rows]) -> int:
    widest = 0
    for rows in many:
        at = place[np.maximum(rows.index, 0)]
        there = rows.index >= 0
        most = np.where(there, at, -1).max(axis=1)
        least = np.where(there, at, np.iinfo(np.int64).max).min(axis=1)
        widest = max(widest, int((most - least).max(initial=0)))
    return widest


@dataclass(frozen=True)
class _Newton:
    """The linear system of one round, factored."""

    rows: Rows
    place: Ints
    factor: Floats
    slack: Floats
    multiplier: Floats
    dual: Floats
    primal: Floats

    def step(self, aim: Floats) -> tuple[Floats, Floats, Floats]:
        """Steps of the unknowns, slacks and multipliers towards products of both that are as aimed at."""
        from scipy.linalg import cho_solve_banded

        pull = (aim - self.slack * self.multiplier + self.multiplier * self.primal) / self.slack
        wanted = np.empty(len(self.dual))
        wanted[self.place] = -self.dual - self.rows.transposed(pull, len(self.dual))
        dx = cho_solve_banded((self.factor, False), wanted, overwrite_b=True, check_finite=False)[self.place]
        d_slack = -self.primal - self.rows.times(dx)
        return dx, d_slack, (aim - self.slack * self.multiplier - self.multiplier * d_slack) / self.slack


def solve(squares: list[tuple[Rows, Floats]], slope: Floats, rows: Rows, bound: Floats, place: Ints) -> Solution:
    """Least of the sum of w (row x)2/2 + slope x, with rows x <= bound; rows without any coefficient are passed over.

    :param squares: rows and their weights, which together see every unknown
    :param place: of `flat_places`
    """
    from scipy.linalg import cholesky_banded

    there = (rows.value != 0.0).any(axis=1)
    if not there.all():
        found = solve(squares, slope, Rows(rows.index[there], rows.value[there]), bound[there], place)
        multiplier = np.zeros(len(bound))
        multiplier[there] = found.multiplier
        return Solution(found.x, multiplier, found.solved)
    count = len(slope)
    width = _width(place, [rows, *[part for part, _ in squares]])
    fixed = np.zeros((width + 1, count))
    for part, weight in squares:
        gather(part.index, part.value, weight, place, fixed)
    x = np.zeros(count)
    scale = float(np.abs(slope).max()) + 1e-12
    slack = np.maximum(bound, 1e-3)
    multiplier = np.full(len(bound), 0.1 * scale)
    solved = False

    def curved(values: Floats) -> Floats:
        found = np.zeros(count)
        for part, weight in squares:
            found += part.transposed(weight * part.times(values), count)
        return found

    for _ in range(_MOST_ROUNDS):
        dual = curved(x) + slope + rows.transposed(multiplier, count)
        primal = rows.times(x) + slack - bound
        gap = float(slack @ multiplier) / len(bound)
        if gap < _SOLVED * scale and np.abs(dual).max() < 1e-5 * scale and np.abs(primal).max() < 1e-6:
            solved = True
            break
        bands = fixed.copy()
        gather(rows.index, rows.value, multiplier / slack, place, bands)
        bands[-1] += 1e-12 * scale
        try:
            factor = cholesky_banded(bands, overwrite_ab=True, check_finite=False)
        except np.linalg.LinAlgError:
            break

        newton = _Newton(rows, place, factor, slack, multiplier, dual, primal)
        _, d_slack, d_multiplier = newton.step(np.zeros(len(bound)))
        a, b = _longest(slack, d_slack), _longest(multiplier, d_multiplier)
        after = float((slack + a * d_slack) @ (multiplier + b * d_multiplier)) / len(bound)
        centre = (after / gap) ** 3 * gap
        dx, d_slack, d_multiplier = newton.step(centre - d_slack * d_multiplier)
        step = 0.995 * min(_longest(slack, d_slack), _longest(multiplier, d_multiplier))
        x = x + step * dx
        slack = slack + step * d_slack
        multiplier = multiplier + step * d_multiplier
    return Solution(x, multiplier, solved)


def _longest(value: Floats, change: Floats) -> float:
    """The longest step up to 1 that keeps values above 0."""
    falling = change < -1e-300
    return min(1.0, float((-value[falling] / change[falling]).min())) if falling.any() else 1.0
