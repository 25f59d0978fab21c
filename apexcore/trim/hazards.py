"""What waits in a corner to throw the car: from what stands beside and lies on the circuit, and how the lap crosses it."""

import numpy as np

from ..circuit.features import Marker
from .book.proposal import BookDesk

#: Kerb height from which on a kerb throws the car rather than helps [mm], lateral acceleration from which on steering is on [m/s2].
#: Source: assumptions of this product (docs/model.md, hazards).
THROWS_MM, _STEERED_MS2 = 45.0, 3.0
#: Height from which on a bump is a hazard also where it is crossed straight [mm].
_HIGH_MM = 35.0
_KINDS = ("bump", "kerb", "seam", "patch", "dirt", "worn")


def hazards(desk: BookDesk) -> list[str]:
    """The hazards of a corner in driving order, a sentence each."""
    there = [marker for marker in desk.circuit.markers if marker.kind in _KINDS and desk.way.holds(marker.at_m)]
    there.sort(key=lambda marker: desk.way.along(marker.at_m))
    return [words for marker in there if _near(desk, marker) and (words := _words(desk, marker))]


def _near(desk: BookDesk, marker: Marker) -> bool:
    """Whether it lies between the corner's braking and where the throttle is wide open, or just behind."""
    core = desk.desk
    station = round(marker.at_m / desk.ds) % core.n
    until = (core.until if core.until != core.begin else core.begin - 1) % core.n
    return station in set(core.stations(core.begin, until).tolist())


def _words(desk: BookDesk, marker: Marker) -> str:
    core = desk.desk
    station = round(marker.at_m / desk.ds) % core.n
    lateral = float(np.abs(core.lap.column("lateral")[station]))
    steered, braked = lateral >= _STEERED_MS2, float(core.lap.column("brake")[station]) > 0.02
    name = marker.name or f"{marker.at_m:.0f} m"
    side = "" if marker.side == "across" else f" on the {marker.side}"
    if marker.kind == "bump":
        if not steered and not braked and marker.height_mm < _HIGH_MM:
            return ""
        how = "with steering on" if steered else "on the brakes" if braked else "straight"
        high = f", {marker.height_mm:g} mm" if marker.height_mm else ""
        return f"Bump {name}{high}: crossed {how}."
    if marker.kind == "kerb":
        return f"Kerb {name}{side}, {marker.height_mm:g} mm: high enough to throw the car." if marker.height_mm >= THROWS_MM else ""
    if marker.kind == "dirt":
        return f"Dirt beyond the edge{side}: {name}."
    if marker.kind == "worn":
        return f"Slides on worn tyres: {name}."
    if not steered:
        return ""
    what = "Surface joint" if marker.kind == "seam" else "Surface changes"
    return f"{what} {name}: crossed with steering on."
