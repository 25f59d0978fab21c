"""The map and the corner table."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.circuit.line import Line
from apexcore.circuit.track import CentreLine
from apexcore.trim.balance import CornerResult

from .models import CornerNote

#: Size of the map's picture, and the margin for the numbers [px].
WIDTH, HEIGHT, MARGIN = 760.0, 400.0, 34.0


@dataclass(frozen=True)
class Marker:
    """A corner's number on the map: a spot beside the road and a line to its apex."""

    number: int
    name: str
    x: float
    y: float
    apex_x: float
    apex_y: float


@dataclass(frozen=True)
class MapView:
    """The map in picture units.

    :param road: outline of the road, both edges, one path
    :param line: the line driven, one path per share of braking, driving and neither: (kind, path)
    :param start: the start line: x1, y1, x2, y2
    :param arrow: points of the arrow that tells the direction
    :param scale_px: length of 100 m
    """

    road: str
    line: list[tuple[str, str]]
    start: tuple[float, float, float, float]
    arrow: str
    markers: list[Marker]
    scale_px: float
    north: tuple[float, float]


def _path(spots: np.ndarray, closed: bool) -> str:
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in spots)
    return f"M{points}{'Z' if closed else ''}"


def map_view(
    centre: CentreLine, line: Line, width_m: float, results: Sequence[CornerResult], brake: np.ndarray, throttle: np.ndarray
) -> MapView:
    """The circuit from its own geometry, turned so that its longer side lies across the picture.

    :param brake: brake share at each station of the line [-]
    :param throttle: throttle share at each station of the line [-]
    """
    points = np.column_stack([centre.x, centre.y])
    middle = points.mean(axis=0)
    _, _, axes = np.linalg.svd(points - middle, full_matrices=False)
    along = axes[0] if axes[0, 0] > 0 else -axes[0]
    turn = np.array([[along[0], along[1]], [along[1], -along[0]]])  # y downwards, as pictures have it; not mirrored
    flat = (points - middle) @ turn.T
    span = flat.max(axis=0) - flat.min(axis=0)
    scale = min((WIDTH - 2 * MARGIN) / span[0], (HEIGHT - 2 * MARGIN) / span[1])
    shift = np.array([WIDTH, HEIGHT]) / 2 - scale * (flat.max(axis=0) + flat.min(axis=0)) / 2

    def place(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        return np.asarray(scale * ((np.column_stack([x, y]) - middle) @ turn.T) + shift)

    tangent = np.roll(points, -1, axis=0) - np.roll(points, 1, axis=0)
    normal = np.column_stack([-tangent[:, 1], tangent[:, 0]]) / np.linalg.norm(tangent, axis=1)[:, None]
    edges = [place(*(points + side * 0.5 * width_m * normal).T) for side in (1, -1)]
    road = _path(edges[0], True) + " " + _path(edges[1], True)
    driven = place(line.x, line.y)
    start = (*map(float, edges[0][0]), *map(float, edges[1][0]))
    ahead = driven[min(14, len(driven) - 1)] - driven[0]
    ahead = ahead / np.linalg.norm(ahead)
    side = np.array([-ahead[1], ahead[0]])
    tip = driven[0] + 24 * ahead + 15 * side
    arrow = " ".join(f"{p[0]:.1f},{p[1]:.1f}" for p in (tip, tip - 13 * ahead + 5 * side, tip - 13 * ahead - 5 * side))
    north = turn @ np.array([0.0, 1.0])
    markers = [_marker(one, driven, flat_centre=driven.mean(axis=0), line=line) for one in results]
    return MapView(road, _stretches(driven, brake, throttle), start, arrow, markers, 100 * scale, (float(north[0]), float(north[1])))  # type: ignore[arg-type]


def _stretches(driven: np.ndarray, brake: np.ndarray, throttle: np.ndarray) -> list[tuple[str, str]]:
    kinds = np.where(brake > 0.02, "brake", np.where(throttle > 0.98, "full", "part"))
    found = []
    first = 0
    for i in range(1, len(kinds) + 1):
        if i == len(kinds) or kinds[i] != kinds[first]:
            piece = driven[first : min(i + 1, len(driven))]
            found.append((str(kinds[first]), _path(piece, False)))
            first = i
    return found


def _marker(result: CornerResult, driven: np.ndarray, flat_centre: np.ndarray, line: Line) -> Marker:
    i = result.corner.apex
    apex = driven[i]
    ahead = driven[(i + 1) % len(driven)] - driven[i - 1]
    side = np.array([-ahead[1], ahead[0]]) / np.linalg.norm(ahead)
    # the number stands outside the bend, where the road leaves room
    outside = side if line.road[i, 0] > 0 else -side
    spot = apex + 25 * outside
    return Marker(result.corner.number, result.corner.name, float(spot[0]), float(spot[1]), float(apex[0]), float(apex[1]))


def corner_rows(results: Sequence[CornerResult], notes: Mapping[int, CornerNote]) -> list[dict[str, object]]:
    """The corner table; distances are from the start line, full throttle from the slowest point."""
    rows = []
    for one in results:
        note = notes.get(one.corner.number)
        rows.append(
            {
                "result": one,
                "radius_m": one.corner.radius_m,
                "way": "left" if one.corner.turn_deg > 0 else "right",
                "qualifying": note.qualifying if note else "",
                "race": note.race if note else "",
            }
        )
    return rows
