"""A circuit moved to where it was driven: its scale and its start line, with everything that stands along it."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from ..errors import InputError
from .track import Circuit, Corner, Straight, centre_line, closed_segments

#: Scales that are believed [-].
SCALES = (0.5, 2.0)
#: Least of a straight on either side of a start line that parts it [m].
_LEAST_M = 2.0


def fitted(circuit: Circuit, scale: float, start_m: float) -> Circuit:
    """A circuit with its lengths scaled and its start line elsewhere.

    :param scale: of all lengths along and across the middle of the road, not of its width [-]
    :param start_m: where the start line is now, along the middle of the circuit as it was [m]
    :raises InputError: if the scale is out of bounds, the course is open, or the start line would lie in a corner of a list
    """
    if not SCALES[0] <= scale <= SCALES[1]:
        raise InputError("scale", f"{scale:g}", f"{SCALES[0]:g} to {SCALES[1]:g}")
    if not circuit.closed:
        raise InputError(f"circuit {circuit.name}", "an open course", "a closed one, whose start line can be moved")
    length = centre_line(circuit).length_m
    start = start_m % length

    def along(at_m: float) -> float:
        return round((at_m - start) % length * scale, 3)

    changes: dict[str, Any] = {
        "markers": tuple(marker.model_copy(update={"at_m": along(marker.at_m)}) for marker in circuit.markers),
        "sectors_m": tuple(sorted(at for at in (along(at) for at in circuit.sectors_m) if at > 1.0)),
        **{
            name: tuple(one.moved(along(one.from_m), along(one.to_m)) for one in getattr(circuit, name))
            for name in ("strips", "falls", "flap_zones", "pools")
        },
        "heights_m": tuple(sorted(((share - start / length) % 1.0, height) for share, height in circuit.heights_m)),
    }
    if circuit.points_m:
        points = np.array(circuit.points_m)
        rolled = _from_place(points, start / length)
        rolled[:, :2] = rolled[0, :2] + scale * (rolled[:, :2] - rolled[0, :2])
        changes["points_m"] = tuple((round(float(x), 2), round(float(y), 2), round(float(z), 2)) for x, y, z in rolled)
        changes["corner_names"] = _names_from(circuit, start / length)
    else:
        changes["segments"], turned = _segments_from(closed_segments(circuit), start, scale)
        changes["heading_deg"] = (circuit.heading_deg + turned + 180.0) % 360.0 - 180.0
    return circuit.model_copy(update=changes)


def _from_place(points: "np.ndarray", share: float) -> "np.ndarray":
    """A ring of points begun at a share of its way, where a point is put."""
    ring = np.vstack([points, points[:1]])
    way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ring[:, :2], axis=0).T))])
    at = share * way[-1]
    first = np.array([[np.interp(at, way, ring[:, k]) for k in range(3)]])
    after = int(np.searchsorted(way, at + 0.3))
    before = int(np.searchsorted(way, at - 0.3))
    return np.vstack([first, points[after:], points[: max(before, 0)]]) if share > 0 else points.copy()


def _names_from(circuit: Circuit, share: float) -> tuple[str, ...]:
    """The names of a surveyed circuit's corners in the order from another start line."""
    from .line import corners, racing_line

    if not circuit.corner_names or share == 0.0:
        return circuit.corner_names
    line = racing_line(circuit)
    spans = corners(circuit, line)
    behind = [span for span in spans if float(line.s[span.apex % len(line.s)]) / line.length_m < share]
    names = [span.name for span in spans]
    return tuple(names[len(behind) :] + names[: len(behind)])


def _segments_from(circuit: Circuit, start: float, scale: float) -> tuple[tuple[Straight | Corner, ...], float]:
    """Segments begun within a straight, scaled, and by how much the heading there differs from that at the old start [deg]."""
    place, turned = 0.0, 0.0
    segments: Sequence[Straight | Corner] = circuit.segments
    for index, segment in enumerate(segments):
        size = segment.length_m if isinstance(segment, Straight) else _length(segment)
        if isinstance(segment, Straight) and place - 1e-6 <= start <= place + size + 1e-6:
            before, after = start - place, place + size - start
            first = [Straight(length_m=after)] if after > _LEAST_M else []
            last = [Straight(length_m=before)] if before > _LEAST_M else []
            whole = [*first, *segments[index + 1 :], *segments[:index], *last]
            return tuple(_scaled(one, scale) for one in whole), turned
        place += size
        turned += segment.angle_deg if isinstance(segment, Corner) else 0.0
    raise InputError(
        f"circuit {circuit.name}, start line", f"{start:.0f} m, in a corner", "a place on a straight; a corner of a list cannot be parted"
    )


def _length(corner: Corner) -> float:
    return abs(math.radians(corner.angle_deg)) * corner.radius_m + corner.transition_m


def _scaled(segment: Straight | Corner, scale: float) -> Straight | Corner:
    if isinstance(segment, Straight):
        return segment.model_copy(update={"length_m": round(segment.length_m * scale, 3)})
    return segment.model_copy(
        update={"radius_m": round(segment.radius_m * scale, 3), "transition_m": round(segment.transition_m * scale, 3)}
    )
