"""Names beside the marks of a picture: as many as find room, the first ones first."""

from collections.abc import Sequence
from dataclasses import dataclass

from .pictures import Plot

#: Width of a letter and height of a line of the pictures' small type, on average [px]; room between a mark and its name [px].
_LETTER_PX, _LINE_PX, _GAP_PX = 5.9, 13.0, 4.0


@dataclass(frozen=True)
class Label:
    """:param x: where its text begins or ends [px]
    :param y: its base line [px]
    :param anchor: `start` or `end`"""

    x: float
    y: float
    anchor: str
    text: str


def _box(x: float, y: float, anchor: str, text: str) -> tuple[float, float, float, float]:
    """Left, top, right and bottom of a text [px]."""
    wide = _LETTER_PX * len(text)
    left = x if anchor == "start" else x - wide
    return left, y - 0.75 * _LINE_PX, left + wide, y + 0.25 * _LINE_PX


def _meets(box: tuple[float, float, float, float], other: tuple[float, float, float, float]) -> bool:
    return box[0] < other[2] and other[0] < box[2] and box[1] < other[3] and other[1] < box[3]


def placed(
    asked: Sequence[tuple[float, float, float, str]], marks: Sequence[tuple[float, float, float]], plot: Plot, most: int
) -> tuple[Label, ...]:
    """Names right or left of their marks, a little up or down, where they meet no mark, no other name and no edge.

    :param asked: marks to be named, the most important first: place, radius [px] and text
    :param marks: all marks: place and radius [px]
    :param most: names at most
    """
    taken = [(x - r, y - r, x + r, y + r) for x, y, r in marks]
    found: list[Label] = []
    for x, y, r, text in asked:
        if len(found) == most:
            break
        own = (x - r, y - r, x + r, y + r)
        for shift, anchor in ((shift, anchor) for shift in (0.3, -0.4, 1.0) for anchor in ("start", "end")):
            at = x + r + _GAP_PX if anchor == "start" else x - r - _GAP_PX
            box = _box(at, y + shift * _LINE_PX, anchor, text)
            inside = plot.left < box[0] and box[2] < plot.right + 8 and plot.top - 4 < box[1] and box[3] < plot.bottom
            if inside and not any(_meets(box, other) for other in taken if other != own):
                found.append(Label(at, y + shift * _LINE_PX, anchor, text))
                taken.append(box)
                break
    return tuple(found)
