"""Sparse rows of linear forms, compiled: what a quadratic programme does with them at every round (`programme`)."""

import numpy as np
from numpy.typing import NDArray

from ..compiled import compiled

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@compiled(error_model="python")
def times(index: Ints, value: Floats, x: Floats, out: Floats) -> None:
    """The value of each row, into `out`."""
    for row in range(index.shape[0]):
        total = 0.0
        for k in range(index.shape[1]):
            if index[row, k] >= 0:
                total += value[row, k] * x[index[row, k]]
        out[row] = total


@compiled(error_model="python")
def scatter(index: Ints, value: Floats, y: Floats, out: Floats) -> None:
    """Adds the sum of the rows, each times a number, to `out`."""
    for row in range(index.shape[0]):
        for k in range(index.shape[1]):
            if index[row, k] >= 0:
                out[index[row, k]] += value[row, k] * y[row]


@compiled(error_model="python")
def gather(index: Ints, value: Floats, weight: Floats, place: Ints, bands: Floats) -> None:
    """Adds the rows' weighted squares to a banded matrix, upper form with its diagonal last."""
    width = bands.shape[0] - 1
    for row in range(index.shape[0]):
        w = weight[row]
        if w == 0.0:
            continue
        for k in range(index.shape[1]):
            if index[row, k] < 0 or value[row, k] == 0.0:
                continue
            a = place[index[row, k]]
            for m in range(k + 1):
                if index[row, m] < 0 or value[row, m] == 0.0:
                    continue
                b = place[index[row, m]]
                low, high = (a, b) if a < b else (b, a)
                bands[width + low - high, high] += w * value[row, k] * value[row, m]


def warm() -> None:
    """Compile, or load from the cache, all of them."""
    index, value, ones = np.zeros((1, 1), dtype=np.int64), np.ones((1, 1)), np.ones(1)
    times(index, value, ones, np.zeros(1))
    scatter(index, value, ones, np.zeros(1))
    gather(index, value, ones, np.zeros(1, dtype=np.int64), np.zeros((1, 1)))
