"""What stands beside and lies on a circuit: markers, kerbs, bumps and strips of other grip."""

import math
from collections.abc import Sequence
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
    :param grip: grip of a kerb over that of the dry road; empty for what one usually has [-]
    """

    kind: MarkerKind
    at_m: float = Field(ge=0, le=60_000)
    side: Literal["left", "right", "across"] = "across"
    name: str = Field("", max_length=60)
    height_mm: float = Field(0.0, ge=0, le=300)
    grip: float | None = Field(None, ge=0.2, le=1.2)


class Stretch(Value):
    """A part of the lap.

    :param from_m: where it begins, along the centre line [m]
    :param to_m: where it ends; before its beginning it runs over the start line [m]
    """

    from_m: float = Field(ge=0, le=60_000)
    to_m: float = Field(ge=0, le=60_000)

    @property
    def words(self) -> str:
        """What kind of stretch it is."""
        return "stretch"

    def moved(self, from_m: float, to_m: float) -> Self:
        """The same elsewhere along the road."""
        return self.model_copy(update={"from_m": from_m, "to_m": to_m})

    def along(self, s: Floats) -> NDArray[np.bool_]:
        """Which places lie in it.

        :param s: distance along the centre line [m]
        """
        return (s >= self.from_m) & (s <= self.to_m) if self.from_m <= self.to_m else (s >= self.from_m) | (s <= self.to_m)


class FlapZone(Stretch):
    """A stretch in which a drag flap may be open."""

    @property
    def words(self) -> str:
        """What kind of stretch it is."""
        return "flap zone"


class Pool(Stretch):
    """A stretch in which water stands first."""

    @property
    def words(self) -> str:
        """What kind of stretch it is."""
        return "stretch of standing water"


class Band(Stretch):
    """A part of the road that is not as the rest.

    :param from_m: where it begins, along the centre line [m]
    :param to_m: where it ends; before its beginning it runs over the start line [m]
    :param left_m: its left edge, left of the centre line positive [m]
    :param right_m: its right edge, left of the centre line positive [m]
    """

    left_m: float = Field(ge=-30, le=30)
    right_m: float = Field(ge=-30, le=30)

    @model_validator(mode="after")
    def _has_width(self) -> Self:
        if not self.right_m < self.left_m:
            raise ValueError(f"{self.words} from {self.from_m:g} m: its left edge must lie left of its right edge")
        return self

    @property
    def words(self) -> str:
        """What kind of band it is."""
        return "band"

    def other_side(self) -> Self:
        """As it lies where left is right."""
        return self.model_copy(update={"left_m": -self.right_m, "right_m": -self.left_m})

    def share(self, s: Floats, offset: Floats) -> Floats:
        """How far a line runs in it, half a metre of soft edge to either side [-].

        :param s: distance along the centre line [m]
        :param offset: left of the centre line [m]
        """
        inside = np.minimum(self.left_m - offset, offset - self.right_m)
        return np.asarray(np.where(self.along(s), np.clip(inside / _EDGE_M + 0.5, 0.0, 1.0), 0.0))


class GripStrip(Band):
    """A stretch of road with other grip than the rest: rubber, a resealed lane, a damp or dusty edge.

    :param grip: grip over that of the circuit [-]
    """

    grip: float = Field(ge=0.4, le=1.3)

    @property
    def words(self) -> str:
        """What kind of band it is."""
        return "grip strip"


class Fall(Band):
    """Where the road falls across: camber of the road, or a groove of an oval with more bank than the others.

    :param deg: how much more than elsewhere it falls to its left, to its right negative [deg]
    """

    deg: float = Field(ge=-20, le=20)

    @property
    def words(self) -> str:
        """What kind of band it is."""
        return "cross-fall"

    def other_side(self) -> Self:
        """As it lies where left is right."""
        return super().other_side().model_copy(update={"deg": -self.deg})


def strip_grip(strips: tuple[GripStrip, ...], s: Floats, offset: Floats) -> Floats:
    """Grip under a line over that of the circuit [-].

    Source: definition; the half metre of soft edge is an assumption (docs/model.md).

    :param s: distance along the centre line [m]
    :param offset: left of the centre line [m]
    """
    grip = np.ones(len(s))
    for strip in strips:
        grip *= 1.0 + (strip.grip - 1.0) * strip.share(s, offset)
    return grip


def in_any(stretches: Sequence[Stretch], s: Floats) -> NDArray[np.bool_]:
    """Which places lie in at least one of some stretches.

    :param s: distance along the centre line [m]
    """
    return np.any([one.along(s) for one in stretches], axis=0) if stretches else np.zeros(len(s), dtype=bool)


#: Curvature up to which a flap is wholly open in its zone, and from which it stays shut [1/m]: a driver opens it where the wheel is
#: straight. Source: an assumption of this product.
_FLAP_OPEN, _FLAP_SHUT = 1 / 600.0, 1 / 300.0


def flap_open(zones: tuple[FlapZone, ...], s: Floats, curvature: Floats) -> Floats:
    """How far a drag flap may be open under a line [-].

    Source: definition; bends by an assumption (docs/model.md, driver systems).

    :param s: distance along the centre line [m]
    :param curvature: of the line driven [1/m]
    """
    return np.where(in_any(zones, s), np.clip((_FLAP_SHUT - np.abs(curvature)) / (_FLAP_SHUT - _FLAP_OPEN), 0.0, 1.0), 0.0)


#: Way over which a cross-fall begins and ends [m].
_FALLS_OVER_M = 20.0


def falls_rad(falls: tuple[Fall, ...], s: Floats, offset: Floats, closed: bool = True) -> Floats:
    """Bank under a line beside that of the circuit's corners, left side down positive [rad].

    It comes and goes over twenty metres. Source: definition; that way is an assumption (docs/model.md).

    :param s: distance of even stations along the centre line [m]
    :param offset: left of the centre line [m]
    :param closed: whether the last station is followed by the first
    """
    found = np.zeros(len(s))
    reach = max(round(_FALLS_OVER_M / max(float(s[1] - s[0]), 1e-9)), 1)
    window = np.ones(reach) / reach
    for fall in falls:
        there = fall.share(s, offset)
        beyond = np.pad(there, reach, mode="wrap" if closed else "edge")
        found += math.radians(fall.deg) * np.convolve(beyond, window, mode="same")[reach:-reach]
    return found
