"""Geometry that all pictures share: axes with round ticks."""

import math
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Tick:
    """:param at: place in the picture [px]"""

    at: float
    text: str


@dataclass(frozen=True)
class Axis:
    """A linear axis.

    :param low: value at `start`
    :param high: value at `end`
    :param start: place of `low` in the picture [px]
    :param end: place of `high` [px]
    """

    low: float
    high: float
    start: float
    end: float
    ticks: tuple[Tick, ...]

    def at(self, value: float) -> float:
        """Place of a value [px]."""
        return self.start + (value - self.low) / (self.high - self.low) * (self.end - self.start)


def round_step(span: float, count: int) -> float:
    """The round step (1, 2 or 5 times a power of ten) that parts `span` into about `count` pieces."""
    raw = span / max(count, 1)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(power * factor for factor in (1.0, 2.0, 5.0, 10.0) if power * factor >= raw * 0.999)


def linear_axis(
    low: float, high: float, start: float, end: float, count: int, words: Callable[[float], str], step: float | None = None
) -> Axis:
    """An axis from `low` to `high` with about `count` round ticks, or ticks at multiples of `step`.

    :param words: text of a tick
    """
    if high - low < 1e-9:
        low, high = low - 0.5, high + 0.5
    step = step or round_step(high - low, count)
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    bare = Axis(low, high, start, end, ())
    return Axis(low, high, start, end, tuple(Tick(bare.at(k * step), words(k * step)) for k in range(first, last + 1)))
