"""Bars at the corners of a map: the same few for every corner, on one scale, where the road leaves room."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .circuit_map import HEIGHT, WIDTH, MapView, Marker
from .pictures import round_step

#: Left, top, right and bottom [px].
Box = tuple[float, float, float, float]
Floats = NDArray[np.float64]

#: Height of the largest bar, width of one and room between two [px]; of a value that is nothing [px].
_TALL, _GAP, _FLAT = 54.0, 1.5, 1.2
#: Width of a bar, by how many a corner has: most of a whole block, least and most of one [px].
_BLOCK, _THIN, _THICK = 66.0, 2.2, 9.0
#: Room for the corner's number below its bars [px].
_BELOW = 20.0


@dataclass(frozen=True)
class CornerValues:
    """What is drawn at one corner.

    :param values: each of the bars, None where there is none
    :param marked: which bar stands out, if one does
    :param words: all of it as a sentence
    """

    number: int
    values: Sequence[float | None]
    href: str
    words: str
    marked: int | None = None


@dataclass(frozen=True)
class Bar:
    """:param kind: its place in the block, from 1, for its filling
    :param marked: whether it stands out"""

    x: float
    y: float
    width: float
    height: float
    kind: int
    marked: bool


@dataclass(frozen=True)
class Block:
    """The bars of a corner.

    :param x: left end of what they stand on [px]
    :param y: its height in the picture [px]
    :param first: whether it is read first
    """

    number: int
    href: str
    words: str
    bars: tuple[Bar, ...]
    x: float
    y: float
    width: float
    apex_x: float
    apex_y: float
    first: bool

    @property
    def middle(self) -> float:
        """Where its number stands [px]."""
        return self.x + 0.5 * self.width

    @property
    def below(self) -> float:
        """Middle of its number, under the bars [px]."""
        return self.y + 10.0


@dataclass(frozen=True)
class BarsMap:
    """:param scale_value: value of the bar of the scale, and its height [px]"""

    map: MapView
    blocks: tuple[Block, ...]
    scale_value: float
    scale_px: float


#: Where bars may stand, against their usual place [px].
_SHIFTS = np.array([(dx, dy) for dx in range(-96, 97, 12) for dy in range(-84, 97, 12)], dtype=float)


def _place(marker: Marker, wide: float, tall: float, taken: Sequence[Box], road: Floats) -> tuple[float, float]:
    """Left end and base of a corner's bars: near its number, away from other bars and from the road, inside the picture.

    :param taken: boxes of other corners' bars
    :param road: places of the road, shape [n, 2] [px]
    """
    x, y = marker.x - 0.5 * wide + _SHIFTS[:, 0], marker.y + 0.5 * tall + _SHIFTS[:, 1]
    left, top, right, bottom = x - 4.0, y - tall - 4.0, x + wide + 4.0, y + _BELOW
    beyond = [2.0 - left, right - WIDTH + 2.0, 2.0 - top, bottom - HEIGHT + 2.0]
    spoiled = 40.0 * sum(np.maximum(each, 0.0) for each in beyond)
    for one in taken:
        across = np.maximum(np.minimum(right, one[2]) - np.maximum(left, one[0]), 0.0)
        spoiled = spoiled + across * np.maximum(np.minimum(bottom, one[3]) - np.maximum(top, one[1]), 0.0)
    in_x = (left[:, None] < road[None, :, 0]) & (road[None, :, 0] < right[:, None])
    in_y = (top[:, None] < road[None, :, 1]) & (road[None, :, 1] < bottom[:, None])
    spoiled = spoiled + 6.0 * (in_x & in_y).sum(axis=1)
    best = int(np.argmin(spoiled + 0.6 * (np.abs(x + 0.5 * wide - marker.x) + np.abs(y - 0.4 * tall - marker.y))))
    return float(x[best]), float(y[best])


def bars_map(view: MapView, corners: Sequence[CornerValues]) -> BarsMap:
    """Bars of every corner on the map, on one scale; what is below nothing is drawn as nothing."""
    markers = {marker.number: marker for marker in view.markers}
    most = max((value for corner in corners for value in corner.values if value is not None), default=0.0)
    scale = _TALL / most if most > 0.0 else 0.0
    road = np.array([[float(part) for part in spot.split(",")[:2]] for spot in view.picks.split(";") if spot]).reshape(-1, 2)
    blocks: list[Block] = []
    taken: list[Box] = []
    # the tallest find their places first
    heights = {corner.number: scale * max([0.0, *(value for value in corner.values if value is not None)]) for corner in corners}
    first = max(heights, key=lambda number: heights[number], default=None)
    for corner in sorted(corners, key=lambda one: -heights[one.number]):
        if corner.number not in markers:
            continue
        thick = min(max(_BLOCK / max(len(corner.values), 1) - _GAP, _THIN), _THICK)
        wide, tall = len(corner.values) * (thick + _GAP) - _GAP, max(heights[corner.number], 6.0)
        marker = markers[corner.number]
        x, y = _place(marker, wide, tall, taken, road)
        taken.append((x - 4.0, y - tall - 4.0, x + wide + 4.0, y + _BELOW))
        bars = [
            Bar(x + n * (thick + _GAP), y - max(scale * value, _FLAT), thick, max(scale * value, _FLAT), n + 1, n == corner.marked)
            for n, value in enumerate(corner.values)
            if value is not None
        ]
        blocks.append(
            Block(corner.number, corner.href, corner.words, tuple(bars), x, y, wide, marker.apex_x, marker.apex_y, corner.number == first)
        )
    step = round_step(most, 3) if most > 0.0 else 0.0
    return BarsMap(view, tuple(sorted(blocks, key=lambda block: block.number)), step, step * scale)
