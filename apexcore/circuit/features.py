"""What stands beside and lies on a circuit: markers, kerbs, bumps and strips of other grip."""

from typing import Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from ..quantities.values import Value

Floats = NDArray[np.float64]

MarkerKind = Literal["board", "seam", "shadow", "patch", "kerb", "bump", "dirt", "worn", "limit", "other"]

#: What the interface calls each kind of marker.
MARKER_WORDS: dict[str, str] = {
    "board": "braking board", "seam": "surface joint", "shadow": "shadow", "patch": "surface change", "kerb": "kerb", "bump": "bump",
    "dirt": "dirt beyond the edge", "worn": "slides on worn tyres",
    "limit": "track limit", "other": "other",
}  # fmt: skip

#: Width over which a strip's grip rises at its edges [m], so that a line moving over it changes evenly.
_EDGE_M = 0.5


class Marker(Value):
    """Something a driver steers by, or that the car meets.

    :param kind: what it is
    :param at_m: where, along the centre line from the start [m]
    :param side: on which side of the road, or across it
    :param name: what people call it
    :param height_mm: height of a kerb or bump; bumps enter the clearance [mm]
    """

    kind: MarkerKind
    at_m: float = Field(ge=0, le=60_000)
    side: Literal["left", "right", "across"] = "across"
    name: str = Field("", max_length=60)
    height_mm: float = Field(0.0, ge=0, le=300)


class GripStrip(Value):
    """A stretch of road with other grip than the rest: rubber, a resealed lane, a damp or dusty edge.

    :param from_m: where it begins, along the centre line [m]
    :param to_m: where it ends; before its beginning it runs over the start line [m]
    :param left_m: its left edge, left of the centre line positive [m]
    :param right_m: its right edge, left of the centre line positive [m]
    :param grip: grip over that of the circuit [-]
    """

    from_m: float = Field(ge=0, le=60_000)
    to_m: float = Field(ge=0, le=60_000)
    left_m: float = Field(ge=-30, le=30)
    right_m: float = Field(ge=-30, le=30)
    grip: float = Field(ge=0.4, le=1.3)

    @model_validator(mode="after")
    def _has_width(self) -> Self:
        if not self.right_m < self.left_m:
            raise ValueError(f"grip strip from {self.from_m:g} m: its left edge must lie left of its right edge")
        return self


def strip_grip(strips: tuple[GripStrip, ...], s: Floats, offset: Floats) -> Floats:
    """Grip under a line over that of the circuit [-].

    Source: definition; the half metre of soft edge is an assumption (docs/model.md).

    :param s: distance along the centre line [m]
    :param offset: left of the centre line [m]
    """
    grip = np.ones(len(s))
    for strip in strips:
        along = (s >= strip.from_m) & (s <= strip.to_m) if strip.from_m <= strip.to_m else (s >= strip.from_m) | (s <= strip.to_m)
        inside = np.minimum(strip.left_m - offset, offset - strip.right_m)
        grip *= np.where(along, 1.0 + (strip.grip - 1.0) * np.clip(inside / _EDGE_M + 0.5, 0.0, 1.0), 1.0)
    return grip
