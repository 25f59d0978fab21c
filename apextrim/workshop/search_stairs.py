"""A search's result as stairs: each change goes down from the one before by what it gains, the last stair is all of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.quantities import format_number
from apextrim.ui.pictures import Axis, Plot

_PLOT = Plot(760, 300, left=58, right=744, top=22, bottom=262)
#: Width of a stair at most, and of the name that stands in it [px].
_WIDEST, _LETTER_PX = 96.0, 6.2


@dataclass(frozen=True)
class Stair:
    """A change.

    :param y: upper edge [px]
    :param better: whether it gains by itself
    :param name: what stands below it, as far as there is room
    :param href: page that puts it and those before it on the sheet
    """

    x: float
    y: float
    width: float
    height: float
    better: bool
    name: str
    href: str
    words: str
    first: bool

    @property
    def middle(self) -> float:
        """Where its name stands [px]."""
        return self.x + 0.5 * self.width


@dataclass(frozen=True)
class Stairs:
    """:param zero: the sheet that it began with [px]"""

    plot: Plot
    y: Axis
    stairs: tuple[Stair, ...]
    zero: float


def search_stairs(changes: Sequence[tuple[str, int, float, str]], unit: str, better_up: bool) -> Stairs | None:
    """The changes as stairs; None where there is none.

    :param changes: of each its name, its steps, what it gains on top of those before it, and the page that puts them on the sheet
    :param better_up: whether more is better, as with a top speed
    """
    if not changes:
        return None
    levels = [0.0]
    for _, _, gain, _ in changes:
        levels.append(levels[-1] + gain)
    y = _PLOT.y_axis(min(levels), max(levels), 5, lambda value: format_number(value, 2, signed=bool(value)), inset=8)
    room = (_PLOT.right - _PLOT.left) / len(changes)
    wide = min(room - 6.0, _WIDEST) if room > 12.0 else room
    stairs = []
    for n, (name, steps, gain, href) in enumerate(changes):
        before, after = y.at(levels[n]), y.at(levels[n + 1])
        letters = max(int(room / _LETTER_PX), 2)
        short = name if len(name) <= letters else f"{name[: letters - 1].rstrip(' ,')}…"
        words = (
            f"{name}, {steps:+d} step{'s' if abs(steps) != 1 else ''}: {format_number(gain, 3, signed=True)} {unit}, "
            f"{format_number(levels[n + 1], 3, signed=True)} {unit} with all before it."
        ).replace("-", "−")
        stairs.append(
            Stair(
                _PLOT.left + room * n + 0.5 * (room - wide), min(before, after), wide, max(abs(after - before), 1.5),
                (gain > 0.0) == better_up, short, href, words, n == 0,
            )
        )  # fmt: skip
    return Stairs(_PLOT, y, tuple(stairs), y.at(0.0))
