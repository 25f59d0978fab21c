"""Which corner is which after a circuit has changed."""

from collections.abc import Sequence
from dataclasses import dataclass

from .line import CornerSpan


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
    corners are there as before; else the nearest along the lap. Empty where no corner is left.

    Source: definition of this product.
    """
    found: dict[int, int] = {}
    if not after:
        return found
    names = [corner.name for corner in after if corner.name]
    own = [corner.name for corner in before if corner.name]
    for corner in before:
        if corner.name and names.count(corner.name) == 1 and own.count(corner.name) == 1:
            found[corner.number] = next(one.number for one in after if one.name == corner.name)
        elif len(before) == len(after):
            found[corner.number] = corner.number
        else:
            found[corner.number] = min(after, key=lambda one: _apart(one.share, corner.share)).number
    return found


def _apart(one: float, other: float) -> float:
    """Part of a lap between two places, the shorter way round."""
    return abs((one - other + 0.5) % 1.0 - 0.5)
