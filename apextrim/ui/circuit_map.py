"""The map of a circuit in picture geometry."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.circuit.features import MARKER_WORDS, Band, Fall, FlapZone, GripStrip, Stretch
from apexcore.circuit.features import Marker as FeatureMarker
from apexcore.circuit.line import CornerSpan, Line
from apexcore.circuit.track import CentreLine, Corner, centre_line, closed_segments
from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.quantities import format_number

from .units import current, told

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
class Mark:
    """A line or a spot on the map with what it stands for.

    :param key: what one types for it
    """

    kind: str
    words: str
    x1: float
    y1: float
    x2: float
    y2: float
    key: str = ""


@dataclass(frozen=True)
class StripView:
    """:param path: outline of a strip of other grip
    :param better: whether it has more grip than the rest"""

    path: str
    words: str
    better: bool


@dataclass(frozen=True)
class MapView:
    """The map in picture units.

    :param road: outline of the road, one path
    :param line: the line driven, one path per share of braking, driving and neither: (kind, path)
    :param start: the start line: x1, y1, x2, y2
    :param arrow: points of the arrow that tells the direction
    :param scale_px: length of 100 m
    :param picks: places of the road as "x,y,metres" for a click on it
    """

    road: str
    line: list[tuple[str, str]]
    start: tuple[float, float, float, float]
    arrow: str
    markers: list[Marker]
    scale_px: float
    sectors: list[Mark]
    marks: list[Mark]
    strips: list[StripView]
    picks: str
    profile: "Profile"


@dataclass(frozen=True)
class Profile:
    """Height and banking along the lap, under the map.

    :param height: the road's height, a path
    :param banks: stretches that are banked: left, width, and how high the bar is [px], with words
    :param corners: number and place of each corner [px]
    :param low_m: lowest place [m]
    :param high_m: highest [m]
    :param flat: whether the road has no height to show
    :param x_ends: of the axis of distance, for the cursor that reads values back
    :param y_ends: of that of height
    """

    height: str
    banks: list[tuple[float, float, float, str]]
    corners: list[tuple[int, float]]
    low_m: float
    high_m: float
    flat: bool
    x_ends: str
    y_ends: str


def _path(spots: np.ndarray, closed: bool) -> str:
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in spots)
    return f"M{points}{'Z' if closed else ''}"


class _Sheet:
    """The circuit turned so that its longer side lies across the picture, and scaled to fit."""

    def __init__(self, core: CoreCircuit, centre: CentreLine, part: np.ndarray | None = None, least_m: float = 1.0) -> None:
        """:param part: the stations that fill the picture; all if not given
        :param least_m: way that the picture shows at least [m]"""
        self.core, self.centre = core, centre
        points = np.column_stack([centre.x, centre.y])[slice(None) if part is None else part]
        self.middle = points.mean(axis=0)
        _, _, axes = np.linalg.svd(points - self.middle, full_matrices=False)
        along = axes[0] if axes[0, 0] > 0 else -axes[0]
        self.turn = np.array([[along[0], along[1]], [along[1], -along[0]]])  # y downwards, as pictures have it; not mirrored
        flat = (points - self.middle) @ self.turn.T
        span = np.maximum(flat.max(axis=0) - flat.min(axis=0), least_m)
        self.scale = min((WIDTH - 2 * MARGIN) / span[0], (HEIGHT - 2 * MARGIN) / span[1])
        self.shift = np.array([WIDTH, HEIGHT]) / 2 - self.scale * (flat.max(axis=0) + flat.min(axis=0)) / 2

    def place(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Metres to the picture."""
        return np.asarray(self.scale * ((np.column_stack([x, y]) - self.middle) @ self.turn.T) + self.shift)

    def beside(self, stations: np.ndarray, left_m: float, more_px: float = 0.0) -> np.ndarray:
        """Spots this far left of the centre line, and some pixels further."""
        ahead_x, ahead_y = self.centre.ahead()
        reach = left_m + more_px / self.scale
        return self.place((self.centre.x - reach * ahead_y)[stations], (self.centre.y + reach * ahead_x)[stations])

    def road(self) -> tuple[str, tuple[float, float, float, float]]:
        """Outline of the road, one path, and the start line across it."""
        every, half = np.arange(len(self.centre.x)), 0.5 * self.core.width_m
        left, right = self.beside(every, half), self.beside(every, -half)
        outline = _path(left, True) + " " + _path(right, True) if self.core.closed else _path(np.vstack([left, right[::-1]]), True)
        return outline, (float(left[0][0]), float(left[0][1]), float(right[0][0]), float(right[0][1]))

    def station(self, at_m: float) -> int:
        """The station at a distance along the centre line."""
        return min(round(at_m / self.centre.ds), len(self.centre.x) - 1)

    def across(self, at_m: float, kind: str, words: str) -> Mark:
        """A line across the road."""
        here, half = np.array([self.station(at_m)]), 0.5 * self.core.width_m
        a, b = self.beside(here, half, 5)[0], self.beside(here, -half, -5)[0]
        return Mark(kind, words, float(a[0]), float(a[1]), float(b[0]), float(b[1]))

    def mark(self, one: FeatureMarker, key: str = "") -> Mark:
        """Something beside or on the road."""
        sign = {"left": 1.0, "right": -1.0, "across": 0.0}[one.side]
        spot = self.beside(np.array([self.station(one.at_m)]), sign * 0.5 * self.core.width_m, 8 * sign)[0]
        return Mark(one.kind, marker_words(one), float(spot[0]), float(spot[1]), 0.0, 0.0, key)

    def handle(self, number: int, line: Line, station: int, low: float, high: float) -> "HandleView":
        """A place at which a line can be moved."""
        here, heading = np.array([station]), float(line.road[station, 4])
        spot = self.place(line.x[here], line.y[here])[0]
        beside = self.place(line.x[here] - np.sin(heading), line.y[here] + np.cos(heading))[0]
        return HandleView(
            number, float(spot[0]), float(spot[1]), float(beside[0] - spot[0]), float(beside[1] - spot[1]), round(low, 2), round(high, 2)
        )

    def strip(self, one: GripStrip) -> StripView:
        """A strip of other grip."""
        change = format_number(100 * (one.grip - 1), 1, signed=True)
        return self._band(one, f"grip {change} %", one.grip >= 1)

    def fall(self, one: Fall) -> StripView:
        """A stretch with a cross-fall."""
        return self._band(one, f"falls {format_number(abs(one.deg), 1)}° more to the {'left' if one.deg >= 0 else 'right'}", True)

    def zone(self, one: FlapZone) -> StripView:
        """A stretch in which a drag flap may be open."""
        half = 0.5 * self.core.width_m
        return self._stretch(one, half, -half, "drag flap may be open", True)

    def lying_on(self, zones: bool = False) -> list[StripView]:
        """All that lies on the road; zones of a drag flap where they are asked for."""
        found = [*map(self.strip, self.core.strips), *map(self.fall, self.core.falls)]
        return [*found, *map(self.zone, self.core.flap_zones)] if zones else found

    def _band(self, one: Band, words: str, more: bool) -> StripView:
        """A part of the road, cut off at its edges."""
        half = 0.5 * self.core.width_m
        return self._stretch(one, min(one.left_m, half), max(one.right_m, -half), words, more)

    def _stretch(self, one: Stretch, left_m: float, right_m: float, words: str, more: bool) -> StripView:
        s = self.centre.s
        if one.from_m <= one.to_m:
            there = np.flatnonzero(one.along(s))
        else:
            there = np.concatenate([np.flatnonzero(s >= one.from_m), np.flatnonzero(s <= one.to_m)])
        left, right = self.beside(there, left_m), self.beside(there, right_m)
        return StripView(_path(np.vstack([left, right[::-1]]), True), told(f"{one.from_m:.0f} to {one.to_m:.0f} m: {words}"), more)


def marker_words(one: FeatureMarker) -> str:
    """A marker in words."""
    side = f", {one.side}" if one.side != "across" else ""
    high = told(f", {one.height_mm:g} mm") if one.height_mm else ""
    return told(f"{MARKER_WORDS[one.kind]} at {one.at_m:.0f} m{side}{high}{f': {one.name}' if one.name else ''}")


def map_view(
    core: CoreCircuit, line: Line, spans: Sequence[CornerSpan], brake: np.ndarray | None = None, throttle: np.ndarray | None = None,
    spent: np.ndarray | None = None, zones: bool = False,
) -> MapView:  # fmt: skip
    """The circuit from its own geometry, with what stands beside it.

    :param brake: brake share at each station of the line; without it the line is drawn plain [-]
    :param throttle: throttle share at each station of the line [-]
    :param spent: share of an energy store's power that drives there [-]
    :param zones: whether to draw where a drag flap may be open
    """
    centre = centre_line(core)
    sheet = _Sheet(core, centre)
    every = np.arange(len(centre.x))
    road, start = sheet.road()
    driven = sheet.place(line.x, line.y)
    if brake is None or throttle is None:
        stretches = [("part", _path(driven, core.closed))]
    else:
        stretches = _stretches(driven, brake, throttle, spent)
    sectors = [sheet.across(at, "sector", told(f"end of sector {n}, {at:.0f} m")) for n, at in enumerate(core.sectors_m, start=1)]
    middle = sheet.place(centre.x, centre.y)
    picks = ";".join(f"{middle[i, 0]:.0f},{middle[i, 1]:.0f},{centre.s[i]:.0f}" for i in every[:: max(len(every) // 400, 1)])
    return MapView(
        road, stretches, start, _arrow(driven), [_marker(span, driven, line) for span in spans], 100 * sheet.scale, sectors,
        [sheet.mark(marker) for marker in core.markers], sheet.lying_on(zones), picks,
        _profile(centre, spans),
    )  # fmt: skip


@dataclass(frozen=True)
class RoadView:
    """A circuit that is being made: its road alone, with its corners numbered as they are told.

    :param corners: number, name and spot of each, and the spot on the road that it belongs to [px]
    :param scale_px: length of 100 m
    """

    road: str
    start: tuple[float, float, float, float]
    arrow: str
    corners: list[tuple[int, str, float, float, float, float]]
    scale_px: float


#: Way that the picture of a circuit that is being made shows at least [m]: a first straight is not a field.
_LEAST_SHOWN_M = 300.0


class _Laid(_Sheet):
    """The circuit where it lies in a drawing."""

    def __init__(self, core: CoreCircuit, centre: CentreLine, metre_px: float, start_px: tuple[float, float]) -> None:
        """:param metre_px: length of a metre in the drawing
        :param start_px: where its first station lies"""
        self.core, self.centre, self.scale = core, centre, metre_px
        self.middle = np.array([centre.x[0], centre.y[0]])
        self.turn = np.array([[1.0, 0.0], [0.0, -1.0]])  # y downwards, as pictures have it
        self.shift = np.array(start_px)


def road_view(core: CoreCircuit, laid: tuple[float, tuple[float, float]] | None = None) -> RoadView:
    """The road of a circuit of straights and corners.

    :param laid: of one that lies in a drawing: length of a metre and where it begins [px]; else it fills the picture
    :raises InputError: if the lap does not close
    """
    centre = centre_line(core)
    sheet = _Sheet(core, centre, least_m=_LEAST_SHOWN_M) if laid is None else _Laid(core, centre, *laid)
    half = 0.5 * core.width_m
    road, start = sheet.road()
    corners, at_m, number = [], 0.0, 0
    for one in closed_segments(core).segments:
        if isinstance(one, Corner):
            number += 1
            here = np.array([sheet.station(at_m + 0.5 * one.length_m)])
            # the number stands outside the bend; in a drawing inside, where no bend is taken hold of
            side = (-1.0 if one.angle_deg > 0 else 1.0) * (1.0 if laid is None else -1.0)
            spot, road_spot = sheet.beside(here, side * half, 22 * side)[0], sheet.beside(here, 0.0)[0]
            x, y, road_x, road_y = (round(float(value), 1) for value in (*spot, *road_spot))
            corners.append((number, one.name, x, y, road_x, road_y))
        at_m += one.length_m
    return RoadView(road, start, _arrow(sheet.place(centre.x, centre.y)), corners, 100 * sheet.scale)


#: Height of the strip under the map, and of the greatest bar of banking in it [px].
PROFILE, _BAR = 74.0, 18.0


def _profile(centre: CentreLine, spans: Sequence[CornerSpan]) -> Profile:
    """Height and banking along the middle of the road."""
    n, low, high = len(centre.x), float(centre.z.min()), float(centre.z.max())
    flat = high - low < 0.5
    take = np.unique(np.append(np.arange(0, n, max(n // 300, 1)), n - 1))
    across = WIDTH * take / max(n - 1, 1)
    down = 14.0 + (PROFILE - _BAR - 24.0) * (high - centre.z[take]) / max(high - low, 0.5)
    bank = np.degrees(centre.bank)
    most = max(float(np.abs(bank).max()), 4.0)
    banks = []
    edges = np.flatnonzero(np.diff(np.concatenate([[0], (np.abs(bank) >= 0.5).astype(int), [0]])))
    for first, after in zip(edges[::2], edges[1::2], strict=True):
        part = bank[first:after]
        steepest = float(part[np.argmax(np.abs(part))])
        side = "left" if steepest > 0 else "right"
        words = told(f"{first * centre.ds:.0f} to {after * centre.ds:.0f} m: banked {format_number(abs(steepest), 1)}° down to the {side}")
        banks.append((WIDTH * first / n, WIDTH * (after - first) / n, _BAR * abs(steepest) / most, words))
    corners = [(span.number, WIDTH * (span.apex % n) / n) for span in spans]
    units = current()
    x_ends = f"0 {units.value(centre.length_m, 'm'):.6g} 0 {WIDTH:g}"
    y_ends = f"{units.value(low, 'm'):.6g} {units.value(low + max(high - low, 0.5), 'm'):.6g} {PROFILE - _BAR - 10.0:g} 14"
    return Profile(_path(np.column_stack([across, down]), False), banks, corners, low, high, flat, x_ends, y_ends)


@dataclass(frozen=True)
class Spot:
    """A named place on a corner's map: its line across the road, and where its words stand."""

    kind: str
    words: str
    x1: float
    y1: float
    x2: float
    y2: float
    text_x: float
    text_y: float
    end: bool


@dataclass(frozen=True)
class HandleView:
    """A place at which the line can be drawn elsewhere.

    :param x: where it is [px]
    :param left_x: what a metre to the left is [px]
    :param low: how far it can go, left positive: to the right edge [m]
    :param high: to the left edge [m]
    """

    number: int
    x: float
    y: float
    left_x: float
    left_y: float
    low: float
    high: float


@dataclass(frozen=True)
class CornerMap:
    """One corner, enlarged.

    :param edges: both edges of the road
    :param line: the line driven, one path per share of braking, driving and neither: (kind, path)
    :param other: another line, if one is laid over it
    :param spots: braking point, slowest place and throttle
    :param scale_px: length of 20 m
    """

    edges: list[str]
    line: list[tuple[str, str]]
    other: str
    spots: list[Spot]
    marks: list[Mark]
    strips: list[StripView]
    arrow: str
    scale_px: float
    handles: list[HandleView]


#: Way before and behind a corner that its map shows [m].
_AROUND_M = 70.0


def corner_map(
    core: CoreCircuit, line: Line, span: CornerSpan, brake: np.ndarray, throttle: np.ndarray, places: Sequence[tuple[str, str, float]],
    other: Line | None = None, handles: Sequence[tuple[int, float, float]] = (), keys: Mapping[float, str] | None = None,
) -> CornerMap:  # fmt: skip
    """One corner from the circuit's own geometry.

    :param brake: brake share at each station of the line [-]
    :param throttle: throttle share there [-]
    :param places: kind, words and distance along the line [m] of what is named
    :param other: another line to lay over it
    :param handles: station of the line [-], and how far it can be moved there to the right (negative) and left [m]
    :param keys: what one types for a marker, by where it is [m]
    """
    centre = centre_line(core)
    n, around = len(centre.x), round(_AROUND_M / centre.ds)
    named = [_station(line, at) for _, _, at in places]
    first = min([span.first, span.last, *(station - n if station > span.last + n // 2 else station for station in named)])
    wanted = np.arange(max(first, span.last - n // 2) - around, span.last + around + 1)
    part = wanted % n if core.closed else np.unique(np.clip(wanted, 0, n - 1))
    sheet = _Sheet(core, centre, part)
    half = 0.5 * core.width_m
    driven = sheet.place(line.x, line.y)[part]
    marks = [marker for marker in core.markers if sheet.station(marker.at_m) in set(part.tolist())]
    spots = []
    for (kind, words, _), station in zip(places, named, strict=True):
        here = np.array([station])
        if here[0] not in part:
            continue
        a, b = sheet.beside(here, half, 6)[0], sheet.beside(here, -half, -6)[0]
        side = 1.0 if span.turn_deg < 0 else -1.0  # words stand outside the bend
        outer, inner = sheet.beside(here, side * half, 14 * side)[0], a if side < 0 else b
        spots.append(
            Spot(
                kind,
                words,
                float(a[0]),
                float(a[1]),
                float(b[0]),
                float(b[1]),
                float(outer[0]),
                float(outer[1]),
                bool(outer[0] < inner[0]),
            )
        )
    return CornerMap(
        [_path(sheet.beside(part, side * half), False) for side in (1.0, -1.0)], _stretches(driven, brake[part], throttle[part]),
        "" if other is None else _path(sheet.place(other.x, other.y)[part], False), spots,
        [sheet.mark(marker, (keys or {}).get(marker.at_m, "")) for marker in marks],
        sheet.lying_on(), _arrow(driven), 20 * sheet.scale,
        [sheet.handle(number, line, *one) for number, one in enumerate(handles, start=1)],
    )  # fmt: skip


def _station(line: Line, at_m: float) -> int:
    """The station of a line at a distance along it."""
    return int(np.searchsorted(line.s, at_m)) % len(line.s)


def _arrow(driven: np.ndarray) -> str:
    """The arrow beside the start line that tells the direction."""
    ahead = driven[min(14, len(driven) - 1)] - driven[0]
    ahead = ahead / np.linalg.norm(ahead)
    side = np.array([-ahead[1], ahead[0]])
    tip = driven[0] + 24 * ahead + 15 * side
    return " ".join(f"{p[0]:.1f},{p[1]:.1f}" for p in (tip, tip - 13 * ahead + 5 * side, tip - 13 * ahead - 5 * side))


def _stretches(driven: np.ndarray, brake: np.ndarray, throttle: np.ndarray, spent: np.ndarray | None = None) -> list[tuple[str, str]]:
    kinds = np.select([brake > 0.02, throttle > 0.98, throttle > 0.02], ["brake", "full", "part"], "lift")
    if spent is not None:
        kinds = np.where((spent > 0.02) & (kinds == "full"), "spend", kinds)
    found = []
    first = 0
    for i in range(1, len(kinds) + 1):
        if i == len(kinds) or kinds[i] != kinds[first]:
            piece = driven[first : min(i + 1, len(driven))]
            found.append((str(kinds[first]), _path(piece, False)))
            first = i
    return found


def _marker(span: CornerSpan, driven: np.ndarray, line: Line) -> Marker:
    i = span.apex
    apex = driven[i]
    ahead = driven[(i + 1) % len(driven)] - driven[i - 1]
    side = np.array([-ahead[1], ahead[0]]) / np.linalg.norm(ahead)
    # the number stands outside the bend, where the road leaves room
    outside = side if line.road[i, 0] > 0 else -side
    spot = apex + 25 * outside
    return Marker(span.number, span.name, float(spot[0]), float(spot[1]), float(apex[0]), float(apex[1]))
