"""Geometry that all pictures share: frames, and axes with round ticks."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from apexcore.quantities import format_number


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

    @property
    def ends(self) -> str:
        """Both ends, for the cursor that reads values back: low, high, and where they stand [px]."""
        return f"{self.low:.9g} {self.high:.9g} {self.start:.6g} {self.end:.6g}"

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
    bare, values = Axis(low, high, start, end, ()), [k * step for k in range(first, last + 1)]
    texts = [words(value) for value in values]
    if len(set(texts)) < len(texts):  # the words are too coarse for steps this small
        decimals = max(-math.floor(math.log10(step) + 1e-9), 0)
        texts = [format_number(value, decimals) for value in values]
    return Axis(low, high, start, end, tuple(Tick(bare.at(value), text) for value, text in zip(values, texts, strict=True)))


@dataclass(frozen=True)
class Plot:
    """The frame of a picture with axes; `ui/pictures/axes.html` draws it.

    :param width: of the whole picture [px]
    :param height: of the whole picture [px]
    :param left: where the frame begins [px]
    :param right: where it ends [px]
    :param top: its upper edge [px]
    :param bottom: its lower edge, where the horizontal axis stands [px]
    """

    width: int
    height: int
    left: int
    right: int
    top: int
    bottom: int

    @property
    def depth(self) -> int:
        """Height of the frame [px]."""
        return self.bottom - self.top

    @property
    def middle(self) -> int:
        """Half way down the frame [px]."""
        return (self.top + self.bottom) // 2

    def x_axis(
        self, low: float, high: float, count: int, words: Callable[[float], str], inset: float = 0, step: float | None = None
    ) -> Axis:
        """The horizontal axis, as `linear_axis`; its ends stand `inset` inside the frame [px]."""
        return linear_axis(low, high, self.left + inset, self.right - inset, count, words, step)

    def y_axis(self, low: float, high: float, count: int, words: Callable[[float], str], inset: float = 0) -> Axis:
        """The vertical axis, upwards, as `linear_axis`; its ends stand `inset` inside the frame [px]."""
        return linear_axis(low, high, self.bottom - inset, self.top + inset, count, words)
