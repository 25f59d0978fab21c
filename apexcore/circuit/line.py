"""The line driven: least curvature within the widths, and the stations the lap solver reads."""

import math
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from .features import falls_rad, flap_open, in_any, strip_grip
from .places import places
from .track import CentreLine, Circuit, Corner, centre_line, closed_segments

if TYPE_CHECKING:
    from scipy.sparse import csc_array

Floats = NDArray[np.float64]

#: What stays free between a car's side and the edge of the road [m].
_HAND_M = 0.25
#: Least room that a line of a usual car has on a narrow road [m].
_LEAST_ROOM_M = 0.2
#: Width of a car where none is named [m].
CAR_WIDTH_M = 1.8


def half_room_m(width_m: float, car_width_m: float = CAR_WIDTH_M) -> float:
    """How far the middle of a car may leave the middle of the road [m].

    :param width_m: width of the road [m]
    :raises InputError: if the car does not fit on it
    """
    half = 0.5 * (width_m - car_width_m) - _HAND_M
    if half <= 0.0:
        raise InputError("width of the road", f"{width_m:g} m", f"more than {car_width_m + 2 * _HAND_M:g} m for this car")
    return half


#: What a metre off the middle of the road counts beside squared curvature [1/m4]: next to nothing, but where the road lets many
#: lines bend as little (the straights of an oval), it is what decides between them.
_TO_MIDDLE = 1e-8


@dataclass(frozen=True)
class Line:
    """A line over a circuit; arrays of shape [stations].

    :param offset: left of the centre line [m]
    :param road: per station curvature [1/m], bank [rad], slope [rad], vertical curvature [1/m], heading [rad]
    :param ds: distance to the next station along the line [m]
    :param s: distance from the start line along the line [m]
    :param closed: whether the last station is followed by the first
    :param grip: grip of the surface under it over that of the circuit [-]; 1 where None
    :param start_ms: speed at the start of an open course [m/s]
    :param bumps: the station of each bump, and its height [mm]
    :param flap: how far a drag flap may be open there [-]; nowhere where None
    :param pool: whether water stands there, where it stands on a day [-]; everywhere where None
    """

    x: Floats
    y: Floats
    z: Floats
    offset: Floats
    road: Floats
    ds: Floats
    s: Floats
    closed: bool = True
    grip: Floats | None = None
    start_ms: float = 0.0
    bumps: tuple[tuple[int, float], ...] = ()
    flap: Floats | None = None
    pool: Floats | None = None

    @cached_property
    def places(self) -> tuple[Floats, Floats]:
        """What the lap kernel reads: rows at the stations, and rows midway between each and the next."""
        road, grip = self.road, np.ones(len(self.s)) if self.grip is None else self.grip
        after = np.vstack([road[1:], road[:1] if self.closed else road[-1:]])
        between = 0.5 * (road + after)
        between[:, 4] = road[:, 4]  # the heading of a station is that of the way to the next one already
        grip_after = np.append(grip[1:], grip[0] if self.closed else grip[-1])
        flap = np.zeros(len(self.s)) if self.flap is None else self.flap
        shut = np.append(flap[1:], flap[:1] if self.closed else flap[-1:])
        return places(road, grip, flap, self.pool), places(between, 0.5 * (grip + grip_after), np.minimum(flap, shut), self.pool)

    @cached_property
    def _coarser(self) -> "dict[int, Line]":
        return {}

    def thinned(self, every: int) -> "Line":
        """The same line with only every n-th station, made once."""
        if every not in self._coarser:
            self._coarser[every] = coarser(self, every)
        return self._coarser[every]

    @property
    def length_m(self) -> float:
        """Length of one lap or of the course along the line [m]."""
        return float(self.ds.sum() if self.closed else self.ds[:-1].sum())


@dataclass(frozen=True)
class CornerSpan:
    """A corner of a line.

    :param number: from 1, in driving order
    :param name: given by the circuit, may be empty
    :param first: first station of it
    :param apex: station of greatest curvature
    :param last: last station of it
    :param turn_deg: change of heading, left positive [deg]
    :param radius_m: least radius of the line in it [m]
    """

    number: int
    name: str
    first: int
    apex: int
    last: int
    turn_deg: float
    radius_m: float


def _differences(line: CentreLine, offset: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """x, y and heading of the offset line, and its true curvature by central differences.

    Source: central differences on uneven spacing.
    """
    n = len(line.x)
    ahead_x, ahead_y = line.ahead()
    x = line.x - offset * ahead_y
    y = line.y + offset * ahead_x
    dx, dy = np.roll(x, -1) - x, np.roll(y, -1) - y
    ds = np.hypot(dx, dy)
    chord = np.unwrap(np.arctan2(dy, dx))
    turn = np.diff(np.concatenate([[chord[-1]], chord]))
    turn[0] = (turn[0] + math.pi) % (2 * math.pi) - math.pi
    curvature = turn / (0.5 * (ds + np.roll(ds, 1)))
    assert len(curvature) == n
    if not line.closed:  # what runs from the end back to the start is no road
        chord[-1], curvature[0], curvature[-1] = chord[-2], 0.0, 0.0
    return x, y, chord, curvature


def least_curvature(
    line: CentreLine, half_width: float, every: int = 1, rounds: int = 12, weight: Floats | None = None,
    room: tuple[Floats, Floats] | None = None,
) -> Floats:  # fmt: skip
    """Offset from the centre [m] of the line with the least integral of squared curvature over its own length.

    The residual k sqrt(ds) is linearised about the last line and the bounded least-squares problem solved again (after
    Heilmeier et al., Minimum curvature trajectory planning, Vehicle System Dynamics 58, 2020): moving a line by d along
    its normal changes its curvature by d'' + k2 d and its length element by -k d ds. Nodes stand at every n-th station;
    between them the offset runs as a cubic spline.

    Source: H, curvature linearised in the offset and minimised as a bounded least-squares problem.

    :param weight: what a station's squared curvature counts, shape [stations]; all the same if not given [-]
    :param room: least and most offset of each station, within the road; all of it if not given [m]
    """
    from scipy.interpolate import CubicSpline
    from scipy.sparse import diags_array, eye_array

    n = len(line.x)
    take = np.arange(0, n, every)
    coarse = CentreLine(
        line.x[take], line.y[take], line.z[take], line.curvature[take], line.bank[take], line.ds * n / len(take), line.closed
    )
    m = len(take)
    # what curvature does not care about is decided for the middle of the road, by as much at any spacing
    ridge: Any = _TO_MIDDLE * coarse.ds**3 * eye_array(m, format="csc")
    if not line.closed:  # the ends do not bend into each other
        weight = np.ones(n) if weight is None else weight.copy()
        weight[take[[0, -1]]] = 0.0
    root = None if weight is None else np.sqrt(weight[take])
    least, most = (np.full(n, -half_width), np.full(n, half_width)) if room is None else room
    offset = np.zeros(m)
    for _ in range(rounds):
        x, y, _, curvature = _differences(coarse, offset)
        ds = np.hypot(np.roll(x, -1) - x, np.roll(y, -1) - y)
        ds[-1] = ds[-1] if line.closed else ds[-2]
        step, residual = _linear_curvature(ds, curvature)
        if root is not None:
            step, residual = (diags_array(root) @ step).tocsc(), root * residual
        new = _bounded_squares(step.T @ step + ridge, step.T @ (residual - step @ offset), least[take], most[take])
        moved = float(np.abs(new - offset).max())
        offset = new
        if moved < 0.01:
            break
    if line.closed:
        spline = CubicSpline(np.append(take, n) * line.ds, np.append(offset, offset[0]), bc_type="periodic")
    else:
        spline = CubicSpline(take * line.ds, offset)
    return np.asarray(np.clip(spline(np.arange(n) * line.ds), least, most), dtype=np.float64)


def _linear_curvature(ds: Floats, curvature: Floats) -> tuple[Any, Floats]:
    """Jacobian and value of k sqrt(ds) of a closed line moved along its normal, scaled by the mean step to be near 1.

    Source: H, second derivative along the line of an offset across it.
    """
    from scipy.sparse import diags_array

    m, before = len(ds), np.roll(ds, 1)
    middle = 0.5 * (ds + before)
    weight = np.sqrt(middle) * float(ds.mean())
    left, right = weight / (before * middle), weight / (ds * middle)
    own = weight * 0.5 * curvature**2 - left - right
    diagonals = [right[-1:], left[1:], own, right[:-1], left[:1]]
    jacobian: Any = diags_array(diagonals, offsets=[1 - m, -1, 0, 1, m - 1], shape=(m, m))
    return jacobian.tocsc(), weight * curvature


def _bounded_squares(h: "csc_array", g: Floats, least: Floats, most: Floats) -> Floats:
    """Least of x'Hx/2 + g'x with every x between its bounds.

    Primal-dual interior point (Nocedal & Wright, Numerical Optimization, 2nd ed., ch. 16.6); H is positive definite and couples
    no more than near neighbours round a ring.
    """
    from scipy.linalg import solveh_banded

    place, bands = _folded(h)
    x, scale, bound = 0.5 * (least + most), float(np.abs(g).max()) + 1e-12, 0.5 * float((most - least).max())
    low = np.full(len(g), scale)
    high = low.copy()
    for _ in range(60):
        room_low, room_high = x - least, most - x
        residual = h @ x + g - low + high
        gap = float(low @ room_low + high @ room_high) / (2 * len(g))
        if gap < 1e-9 * scale * bound and np.abs(residual).max() < 1e-8 * scale:
            break
        aim = 0.1 * gap
        off_low, off_high = low * room_low - aim, high * room_high - aim
        system, wanted = bands.copy(), np.empty(len(g))
        system[-1, place] += low / room_low + high / room_high
        wanted[place] = -residual - off_low / room_low + off_high / room_high
        dx = solveh_banded(system, wanted, overwrite_ab=True, overwrite_b=True, check_finite=False)[place]
        d_low, d_high = (-off_low - low * dx) / room_low, (-off_high + high * dx) / room_high
        step = 1.0
        for value, change in ((room_low, dx), (room_high, -dx), (low, d_low), (high, d_high)):
            falling = change < 0
            if falling.any():
                step = min(step, 0.99 * float((-value[falling] / change[falling]).min()))
        x, low, high = x + step * dx, low + step * d_low, high + step * d_high
    return np.asarray(x, dtype=np.float64)


def laid_flat(count: int) -> NDArray[np.intp]:
    """Where each station of a ring stands when its two halves lie side by side: neighbours are near each other all round."""
    station = np.arange(count)
    return np.where(station < (count + 1) // 2, 2 * station, 2 * (count - station) - 1)


def _folded(h: "csc_array") -> tuple[NDArray[np.intp], Floats]:
    """A ring laid flat: its two halves side by side, so that neighbours across the start are near each other as well.

    :returns: where each station stands, and the upper bands of the matrix in that order, shape [bands, stations], the diagonal last
    """
    count = h.shape[0]
    place = laid_flat(count)
    entries = h.tocoo()
    row, column = place[entries.row], place[entries.col]
    upper = row <= column
    width = int((column - row)[upper].max(initial=0))
    bands = np.zeros((width + 1, count))
    np.add.at(bands, (width + (row - column)[upper], column[upper]), entries.data[upper])
    return place, bands


def offset_line(line: CentreLine, offset: Floats) -> Line:
    """The line at this offset, with everything the solver needs of it."""
    x, y, heading, curvature = _differences(line, offset)
    ds = np.hypot(np.roll(x, -1) - x, np.roll(y, -1) - y)
    if not line.closed:
        ds[-1] = ds[-2]
    rise = np.roll(line.z, -1) - line.z
    slope = np.arctan2(rise, ds)
    if not line.closed:
        slope[-1] = slope[-2]
    before = np.roll(slope, 1)
    before[0] = before[0] if line.closed else slope[0]
    bend = (slope - before) / (0.5 * (ds + np.roll(ds, 1)))
    bank = line.bank + falls_rad(line.falls, line.s, offset, line.closed) if line.falls else line.bank
    road = np.column_stack([curvature, bank, slope, bend, heading])
    s = np.concatenate([[0.0], np.cumsum(ds)[:-1]])
    grip = strip_grip(line.strips, line.s, offset) if line.strips else None
    bumps = tuple((min(round(at / line.ds), len(x) - 1), height) for at, height in line.bumps)
    flap = flap_open(line.flap_zones, line.s, curvature) if line.flap_zones else None
    pool = in_any(line.pools, line.s).astype(float) if line.pools else None
    return Line(x, y, line.z, offset, np.ascontiguousarray(road), ds, s, line.closed, grip, line.start_ms, bumps, flap, pool)


def racing_line(circuit: Circuit, spacing_m: float | None = None, car_width_m: float = CAR_WIDTH_M) -> Line:
    """The line of least curvature on a circuit.

    :raises InputError: if the car does not fit on the road
    """
    line = centre_line(circuit, spacing_m)
    return offset_line(line, least_curvature(line, half_room_m(circuit.width_m, car_width_m)))


def coarser(line: Line, every: int) -> Line:
    """The same line with only every n-th station (for quick first guesses)."""
    take = np.arange(0, len(line.s), every)
    s = line.s[take]
    ds = np.diff(np.append(s, line.length_m if line.closed else 2 * s[-1] - s[-2]))
    grip = None if line.grip is None else line.grip[take]
    bumps = tuple((min(station // every, len(take) - 1), height) for station, height in line.bumps)
    road = np.ascontiguousarray(line.road[take])
    flap, pool = (None if one is None else one[take] for one in (line.flap, line.pool))
    rest = (road, ds, s, line.closed, grip, line.start_ms, bumps, flap, pool)
    return Line(line.x[take], line.y[take], line.z[take], line.offset[take], *rest)


#: A bend of the centre line counts as a corner from this curvature on [1/m], and if it turns by at least this much [deg].
_CORNER_CURVATURE, _CORNER_DEG = 1 / 350.0, 12.0


def _found_corners(circuit: Circuit, line: Line) -> list[CornerSpan]:
    """Corners of a surveyed circuit: stretches of one-sided curvature that turn enough."""
    k, n = line.road[:, 0], len(line.s)
    bent = np.where(np.abs(k) > _CORNER_CURVATURE, np.sign(k), 0.0)
    edges = np.flatnonzero(np.diff(np.concatenate([[0.0], bent, [0.0]])))
    spans: list[CornerSpan] = []
    for first, after in pairwise(edges):
        if bent[first] == 0.0:
            continue
        last = min(int(after), n) - 1
        turn = math.degrees(float((k[first : last + 1] * line.ds[first : last + 1]).sum()))
        if abs(turn) < _CORNER_DEG:
            continue
        number = len(spans) + 1
        name = circuit.corner_names[number - 1] if number <= len(circuit.corner_names) else ""
        apex = int(first) + int(np.argmax(np.abs(k[first : last + 1])))
        spans.append(CornerSpan(number, name, int(first), apex, last, turn, 1.0 / float(abs(k[apex]))))
    return spans


@lru_cache(maxsize=6)
def _surveyed_corners(circuit: Circuit, stations: int) -> tuple[CornerSpan, ...]:
    """The corners of a surveyed circuit: those of the line of least curvature of a usual car, so that they keep their numbers whatever line
    is driven."""
    spacing = centre_line(circuit).length_m / (stations if circuit.closed else stations - 1)
    width = min(CAR_WIDTH_M, circuit.width_m - 2 * _HAND_M - _LEAST_ROOM_M)
    return tuple(_found_corners(circuit, racing_line(circuit, spacing, width)))


def _on_line(spans: "tuple[CornerSpan, ...]", line: Line) -> list[CornerSpan]:
    """Corners on another line: where it bends most in each, and how tightly."""
    k, n, found = line.road[:, 0], len(line.s), []
    for span in spans:
        first, last = span.first, min(span.last, n - 1)
        sign = math.copysign(1.0, span.turn_deg)
        apex = first + int(np.argmax(sign * k[first : last + 1]))
        found.append(replace(span, last=last, apex=apex, radius_m=1.0 / max(float(sign * k[apex]), 1e-6)))
    return found


def part_way(centre: CentreLine, span: CornerSpan, share: float) -> int:
    """The station by which so much of a corner's turn is done."""
    inside = np.arange(span.first, span.last + 1)
    turned = np.cumsum(np.abs(centre.curvature[inside % len(centre.x)]))
    return int(inside[min(int(np.searchsorted(turned, share * turned[-1])), len(inside) - 1)])


#: Shares of a corner's turn between which a lane is kept: drivers come in from the wall to it and go out to the wall again [-].
LANE_TURN = (0.33, 0.67)


def lane_stations(centre: CentreLine, span: CornerSpan) -> NDArray[np.intp]:
    """The stations of a corner at which a lane is kept; those past the start line go on counting."""
    return np.arange(part_way(centre, span, LANE_TURN[0]), part_way(centre, span, LANE_TURN[1]) + 1)


def lane_room(half: float, lane: int, lanes: int) -> tuple[float, float]:
    """The least and the most that a lane lets a line be towards the inner edge [m].

    :param half: room to either side of the middle [m]
    :param lane: its number, from the inside
    """
    return half * (1.0 - 2.0 * lane / lanes), half * (1.0 - 2.0 * (lane - 1) / lanes)


def corners(circuit: Circuit, line: Line) -> list[CornerSpan]:
    """The circuit's corners on a line: each where its segment lies on the centre line, or where the line bends enough.

    Source: definition of this product: curvature of one sign that turns far enough.
    """
    if circuit.points_m:
        return _on_line(_surveyed_corners(circuit, len(line.s)), line)
    closed = centre_line(circuit)
    n = len(line.s)
    spans: list[CornerSpan] = []
    at = 0.0
    for segment in closed_segments(circuit).segments:
        length = segment.length_m
        if not isinstance(segment, Corner):
            at += length
            continue
        first = int(at / closed.length_m * n)
        last = min(int((at + length) / closed.length_m * n), n - 1)
        sign = math.copysign(1.0, segment.angle_deg)
        apex = first + int(np.argmax(sign * line.road[first : last + 1, 0]))
        radius = 1.0 / max(float(sign * line.road[apex, 0]), 1e-6)
        spans.append(CornerSpan(len(spans) + 1, segment.name, first, apex, last, segment.angle_deg, radius))
        at += length
    return spans
