"""A centre line from surveyed or driven points: checked, closed, smoothed and put on even stations."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError

Floats = NDArray[np.float64]

#: Fewest points that make a circuit, and the most that are read.
LEAST_POINTS, MOST_POINTS = 8, 20_000
#: Recorded laps that a circuit keeps the keys of, the newest.
MOST_SURVEYED = 400
#: Shortest and longest lap that is believed [m].
LENGTH_BOUNDS_M = (150.0, 30_000.0)
#: Largest gap between the last point and the first, as a share of the lap.
_GAP_SHARE = 0.12
#: Pairs of pieces beside each other that are looked at; a road surveyed with `MOST_POINTS` has a twentieth of it.
_MOST_NEAR = 5_000_000
#: Scatter of a survey that is smoothed out at most [m].
_MOST_SCATTER_M = 1.5
#: Radius of the sphere on which degrees become metres [m] (IUGG mean radius).
_EARTH_M = 6_371_008.8

Point = tuple[float, float, float]


def from_degrees(points: Sequence[Point], place: str) -> list[Point]:
    """Longitude, latitude [deg] and height [m] to metres east and north of the middle (equirectangular, fine for a circuit).

    Source: equirectangular projection about the middle.

    :raises InputError: if there are none, or the numbers are no degrees
    """
    if not points:
        raise InputError(place, "no point", f"at least {LEAST_POINTS}")
    for number, (longitude, latitude, _) in enumerate(points, start=1):
        if not (-180 <= longitude <= 180 and -85 <= latitude <= 85):
            raise InputError(f"{place}, point {number}", f"{longitude:g}, {latitude:g}", "longitude and latitude in degrees, not metres")
    middle = np.mean(np.array(points, dtype=float), axis=0)
    per_degree = math.radians(1.0) * _EARTH_M
    shrink = math.cos(math.radians(middle[1]))
    return [((x - middle[0]) * per_degree * shrink, (y - middle[1]) * per_degree, z) for x, y, z in points]


def checked_points(points: Sequence[Point], place: str, closed: bool = True) -> list[Point]:
    """The points of one lap, or of an open course, in metres, without doubles and without a repeated last one.

    :raises InputError: with fewer than eight points, a lap that does not close or crosses itself, degrees taken for
        metres, or a length that no circuit has
    """
    kept = [points[0]] if points else []
    for point in points[1:]:
        if math.hypot(point[0] - kept[-1][0], point[1] - kept[-1][1]) > 0.2:
            kept.append(point)
    if closed and len(kept) > 1 and math.hypot(kept[0][0] - kept[-1][0], kept[0][1] - kept[-1][1]) < 0.2:
        kept.pop()
    if len(kept) < LEAST_POINTS:
        raise InputError(place, f"{len(kept)} different points", f"at least {LEAST_POINTS}, in metres")
    if len(kept) > MOST_POINTS:
        raise InputError(place, f"{len(kept)} points", f"at most {MOST_POINTS}")
    xy = np.array([point[:2] for point in kept])
    steps = np.hypot(*np.diff(xy, axis=0).T)
    length, gap = float(steps.sum()), float(np.hypot(*(xy[0] - xy[-1])))
    low, high = LENGTH_BOUNDS_M
    if not low <= length <= high:
        hint = "; these look like degrees" if length < 5 else ""
        raise InputError(place, f"a lap of {length:.2f} m", f"{low:.0f} m to {high:.0f} m{hint}")
    if closed and gap > max(_GAP_SHARE * length, 3 * float(np.median(steps))):
        raise InputError(place, f"{gap:.0f} m from the last point to the first", "one lap that closes, or an open course")
    crossing = _first_crossing(xy, closed, place)
    if crossing is not None:
        where = f"the line after point {crossing[0] + 1} meets that after point {crossing[1] + 1}"
        raise InputError(place, where, "a lap that does not cross itself")
    return kept


def _first_crossing(xy: Floats, closed: bool, place: str) -> tuple[int, int] | None:
    """The first two pieces of a line that cross, None if none do.

    Long pieces are parted, so that a k-d tree over the middles finds every pair that lies near enough to touch; of those
    the orientation test decides. Source: de Berg and others, *Computational Geometry*, ch. 2 and 5.

    :raises InputError: if so many pieces lie beside each other that no road can be meant
    """
    from scipy.spatial import cKDTree

    ends = np.roll(xy, -1, axis=0) if closed else xy[1:]
    starts = xy if closed else xy[:-1]
    length = np.hypot(*(ends - starts).T)
    reach = float(np.median(length)) * 2.0
    parts = np.maximum(np.ceil(length / reach), 1).astype(int)
    piece = np.repeat(np.arange(len(starts)), parts)
    share = (np.arange(len(piece)) - np.repeat(np.cumsum(parts) - parts, parts) + 0.5) / parts[piece]
    middles = starts[piece] + share[:, None] * (ends - starts)[piece]
    tree = cKDTree(middles)
    if tree.count_neighbors(tree, reach) > _MOST_NEAR:
        raise InputError(place, f"{len(xy)} points crowded together", "points along one road, each some metres from the next")
    near = piece[tree.query_pairs(reach, output_type="ndarray")]
    pairs = np.unique(np.sort(near, axis=1), axis=0)
    apart = pairs[:, 1] - pairs[:, 0]
    pairs = pairs[(apart > 1) & ((apart < len(starts) - 1) if closed else True)]  # neighbours share an end
    a, b, c, d = starts[pairs[:, 0]], ends[pairs[:, 0]], starts[pairs[:, 1]], ends[pairs[:, 1]]

    def side(p: Floats, q: Floats, r: Floats) -> Floats:
        return np.asarray((q[:, 0] - p[:, 0]) * (r[:, 1] - p[:, 1]) - (q[:, 1] - p[:, 1]) * (r[:, 0] - p[:, 0]))

    hit = (side(a, b, c) * side(a, b, d) < 0) & (side(c, d, a) * side(c, d, b) < 0)
    return (int(pairs[hit][0, 0]), int(pairs[hit][0, 1])) if hit.any() else None


def even_line(points: Sequence[Point], spacing_m: float, closed: bool = True) -> tuple[Floats, Floats, Floats]:
    """x, y and height at even stations of a line through the points [m].

    A (for a lap periodic) smoothing spline takes out the scatter of a survey or a satellite receiver: each point may be missed by
    about its own noise, estimated from the second differences (Reinsch, Numerische Mathematik 10, 1967).
    """
    from scipy.interpolate import splev, splprep

    array = np.array([*points, points[0]] if closed else points, dtype=float)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(array[:, :2], axis=0).T))])
    noise = min(scatter_m(array), _MOST_SCATTER_M)
    spline: Any = splprep(array.T, u=along, s=len(array) * noise**2, per=1 if closed else 0, k=3)[0]
    fine = np.array(splev(np.linspace(0.0, along[-1], 20 * len(points) + 400), spline))
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(fine[:2], axis=1)))])
    n = max(round(float(length[-1]) / spacing_m), 32)
    at = np.arange(n if closed else n + 1) * length[-1] / n
    x, y, z = (np.interp(at, length, row) for row in fine)
    return x, y, z


def scatter_m(array: Floats) -> float:
    """Scatter of the points across the line [m], from third differences, which a smooth line hardly has."""
    third = np.diff(array[:, :2], n=3, axis=0)
    return float(np.median(np.abs(third)) / 0.6745 / math.sqrt(20.0)) if len(third) else 0.0
