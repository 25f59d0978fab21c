"""Which corner is which after a circuit has changed, and how far places of a lap lie apart."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import overload

from .line import CornerSpan, Floats


@dataclass(frozen=True)
class Corner:
    """A corner by what it can be known again.

    :param share: where its middle lies, as a share of the lap [-]
    """

    number: int
    name: str
    share: float


def known_by(spans: Sequence[CornerSpan], stations: int) -> list[Corner]:
    """Corners of a line by what they can be known again."""
    return [Corner(span.number, span.name, (span.apex % stations) / stations) for span in spans]


def moved_to(before: Sequence[Corner], after: Sequence[Corner]) -> dict[int, int]:
    """The number that each corner has now: the one with its name, where both sides have that name once; the same number, where as many
    corners are there as before; else the nearest of those between the corners that are known by name. Empty where no corner is left.

    Source: definition of this product.
    """
    found: dict[int, int] = {}
    if not after:
        return found
    names = [corner.name for corner in after if corner.name]
    own = [corner.name for corner in before if corner.name]
    by_name = {corner.name: corner for corner in after}
    known = {one.number: by_name[one.name] for one in before if one.name and names.count(one.name) == own.count(one.name) == 1}
    anchors = [(one, known[one.number]) for one in before if one.number in known]
    for corner in before:
        if corner.number in known:
            found[corner.number] = known[corner.number].number
        elif len(before) == len(after):
            found[corner.number] = corner.number
        else:
            found[corner.number] = _nearest(corner, anchors, after)
    return found


def _nearest(corner: Corner, anchors: Sequence[tuple[Corner, Corner]], after: Sequence[Corner]) -> int:
    """The corner that lies nearest to where one has been moved with those around it that are known."""
    earlier = [pair for pair in anchors if pair[0].share <= corner.share]
    later = [pair for pair in anchors if pair[0].share > corner.share]
    (was, now), (then, next_now) = (*earlier[-1:], (Corner(0, "", 0.0),) * 2)[0], (*later[:1], (Corner(0, "", 1.0),) * 2)[0]
    part = (corner.share - was.share) / max(then.share - was.share, 1e-9)
    place = now.share + part * (next_now.share - now.share)
    between = [one for one in after if now.share < one.share < next_now.share]
    return min(between or after, key=lambda one: _apart(one.share, place)).number


def _apart(one: float, other: float) -> float:
    """Part of a lap between two places, the shorter way round."""
    return abs(behind_m(one, other, 1.0))


@overload
def behind_m(at_m: float, other_m: float, length_m: float) -> float: ...
@overload
def behind_m(at_m: Floats, other_m: float, length_m: float) -> Floats: ...
def behind_m(at_m: float | Floats, other_m: float, length_m: float) -> float | Floats:
    """How far a place of a lap lies behind another, the shorter way round: negative before it [m].

    :param at_m: the place, or an array of them [m]
    :param length_m: of the lap
    """
    return (at_m - other_m + 0.5 * length_m) % length_m - 0.5 * length_m
