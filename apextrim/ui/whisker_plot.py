"""Estimates with their intervals, one below the other on one scale: what was modelled over what was measured, before over after."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from .pictures import Axis, Plot

#: Width of the picture, of the room for names, and height of a row [px]; way between two intervals of one row [px].
_WIDTH, _NAMES, _ROW, _APART = 760, 190, 34, 9.0
_TOP, _FOOT = 22, 44
#: An axis shows so many times the widest of the other half of the intervals at most: one that says nothing does not hide the rest.
_WIDEST = 4.0


@dataclass(frozen=True)
class Estimate:
    """:param middle: the estimate; `low` and `high` are the ends of its interval"""

    low: float
    middle: float
    high: float


@dataclass(frozen=True)
class WhiskerRow:
    """A name with an estimate of each kind; None where there is none.

    :param words: what the row says
    """

    name: str
    estimates: tuple[Estimate | None, ...]
    words: str
    href: str = ""


@dataclass(frozen=True)
class Whisker:
    """:param kind: its place among the kinds, from 1
    :param opens: whether the interval goes on beyond the left, the right end of the axis"""

    x1: float
    x: float
    x2: float
    y: float
    kind: int
    opens: tuple[bool, bool]


@dataclass(frozen=True)
class DrawnRow:
    """:param y: middle of the row [px]"""

    row: WhiskerRow
    y: float
    whiskers: tuple[Whisker, ...]
    first: bool

    @property
    def bed(self) -> float:
        """Upper edge of what lies behind it [px]."""
        return self.y - 16.0


@dataclass(frozen=True)
class WhiskerPlot:
    """:param zero: where what they are compared with stands [px]
    :param kinds: names of the kinds of estimates
    :param label: what it shows, for who cannot see it
    :param x_words: what stands under the axis
    """

    plot: Plot
    x: Axis
    rows: tuple[DrawnRow, ...]
    zero: float
    kinds: tuple[str, ...]
    label: str
    x_words: str


def whisker_plot(
    rows: Sequence[WhiskerRow], kinds: Sequence[str], label: str, x_words: str, words: Callable[[float], str], zero: float = 0.0,
    least: float = 0.01,
) -> WhiskerPlot | None:  # fmt: skip
    """Rows of estimates on one scale; None where there is no row.

    :param words: text of a tick
    :param zero: what they are compared with
    :param least: what the axis shows either side of it at least
    """
    if not rows:
        return None
    plot = Plot(_WIDTH, _TOP + _ROW * len(rows) + _FOOT, left=_NAMES, right=_WIDTH - 16, top=_TOP, bottom=_TOP + _ROW * len(rows))
    there = [one for row in rows for one in row.estimates if one is not None]
    halves = sorted(one.high - one.low for one in there)
    reach = _WIDEST * max(halves[len(halves) // 2], least) if halves else least
    low = min([zero - least, *(max(one.low, min(one.middle, zero) - reach) for one in there)])
    high = max([zero + least, *(min(one.high, max(one.middle, zero) + reach) for one in there)])
    x = plot.x_axis(low, high, 7, words, inset=10)

    def held(value: float) -> float:
        return x.at(min(max(value, low), high))

    drawn = []
    for n, row in enumerate(rows):
        y = _TOP + _ROW * (n + 0.5)
        shift = 0.5 * _APART * (len(row.estimates) - 1)
        whiskers = tuple(
            Whisker(held(one.low), held(one.middle), held(one.high), y - shift + _APART * k, k + 1, (one.low < low, one.high > high))
            for k, one in enumerate(row.estimates)
            if one is not None
        )
        drawn.append(DrawnRow(row, y, whiskers, n == 0))
    return WhiskerPlot(plot, x, tuple(drawn), x.at(zero), tuple(kinds), label, x_words)
