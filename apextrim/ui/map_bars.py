"""Bars at the corners of a map: the same few for every corner, on one scale, where the road leaves room."""

from collections.abc import Sequence
from dataclasses import dataclass

from .circuit_map import HEIGHT, WIDTH, MapView, Marker
from .pictures import round_step

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


def _overlap(a: tuple[float, float, float, float], b: tuple[float, float, float, float]) -> float:
    """Area that two boxes share [px²]."""
    return max(0.0, min(a[2], b[2]) - max(a[0], b[0])) * max(0.0, min(a[3], b[3]) - max(a[1], b[1]))


def _place(
    marker: Marker, wide: float, tall: float, taken: Sequence[tuple[float, float, float, float]], road: Sequence[tuple[float, float]]
) -> tuple[float, float]:
    """Left end and base of a corner's bars: near its number, away from other bars and from the road, inside the picture."""

    def spoiled(place: tuple[float, float]) -> float:
        x, y = place
        box = (x - 4.0, y - tall - 4.0, x + wide + 4.0, y + _BELOW)
        outside = max(0.0, 2.0 - box[0]) + max(0.0, box[2] - WIDTH + 2.0) + max(0.0, 2.0 - box[1]) + max(0.0, box[3] - HEIGHT + 2.0)
        covered = sum(box[0] < a < box[2] and box[1] < b < box[3] for a, b in road)
        away = abs(x + 0.5 * wide - marker.x) + abs(y - 0.4 * tall - marker.y)
        return 40.0 * outside + sum(_overlap(box, other) for other in taken) + 6.0 * covered + 0.6 * away

    steps = [(dx, dy) for dx in range(-96, 97, 12) for dy in range(-84, 97, 12)]
    x, y = marker.x - 0.5 * wide, marker.y + 0.5 * tall
    return min(((x + dx, y + dy) for dx, dy in steps), key=spoiled)


def bars_map(view: MapView, corners: Sequence[CornerValues]) -> BarsMap:
    """Bars of every corner on the map, on one scale; what is below nothing is drawn as nothing."""
    markers = {marker.number: marker for marker in view.markers}
    most = max((value for corner in corners for value in corner.values if value is not None), default=0.0)
    scale = _TALL / most if most > 0.0 else 0.0
    road = [(float(x), float(y)) for x, y, _ in (spot.split(",") for spot in view.picks.split(";"))] if view.picks else []
    blocks: list[Block] = []
    taken: list[tuple[float, float, float, float]] = []
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
