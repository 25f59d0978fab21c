"""A circuit as data, and its centre line built from straights and corners."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from ..errors import InputError
from ..quantities.spread import Z95
from ..quantities.values import Value
from .features import Fall, FlapZone, GripStrip, Marker, Pool
from .points import MOST_POINTS, MOST_SURVEYED, checked_points, even_line

Floats = NDArray[np.float64]


#: What a circuit's points leave open of a lap's time at most, one standard deviation [-].
MOST_SPREAD = 0.5
#: A coordinate or a distance of a survey, whose origin may lie far away [m].
Metres = Annotated[float, Field(ge=-1e8, le=1e8)]


class Straight(Value):
    """:param kind: straight or corner
    :param length_m: length; closing the loop may change it a little [m]"""

    kind: Literal["straight"] = "straight"
    length_m: float = Field(gt=1, le=5000)


class Corner(Value):
    """A corner of constant radius between two transitions in which curvature grows evenly.

    :param kind: marks a segment as a corner
    :param angle_deg: change of heading, left-hand positive [deg]
    :param radius_m: radius of the middle part [m]
    :param transition_m: length of each transition [m]
    :param bank_deg: banking that helps the corner [deg]
    :param name: what people call it
    """

    kind: Literal["corner"] = "corner"
    angle_deg: float = Field(ge=-270, le=270)
    radius_m: float = Field(gt=4, le=3000)
    transition_m: float = Field(20.0, ge=0, le=300)
    bank_deg: float = Field(0.0, ge=-10, le=40)
    name: str = Field("", max_length=40)

    @property
    def length_m(self) -> float:
        """Way through it with its transitions, each of which turns half of what its length would at full curvature [m]."""
        return abs(math.radians(self.angle_deg)) * self.radius_m + self.transition_m

    @model_validator(mode="after")
    def _room(self) -> Self:
        if abs(math.radians(self.angle_deg)) * self.radius_m < self.transition_m:
            raise ValueError(f"{self.name or 'corner'}: transitions of {self.transition_m:g} m leave no room for the arc")
        return self


class Circuit(Value):
    """A circuit: a list of straights and corners, or the points of a survey or a driven lap.

    :param format: marks a file as a circuit
    :param key: name in files
    :param name: name on the screen
    :param layout: name of the layout
    :param width_m: width of the road [m]
    :param segments: straights and corners in driving order; empty where there are points
    :param points_m: east, north and height of the centre line in driving order [m]; empty where there are segments
    :param surveyed: keys of the recorded laps that the points are the mean of; empty where nobody drove it
    :param lap_spread: of lap times on it, as far as points that scatter leave them open, one standard deviation [-]
    :param corner_names: names of the corners that the points show, in driving order, separated by vertical bars
    :param heights_m: points between which height runs smoothly: share of the lap, height [-, m]
    :param heading_deg: heading at the start, counter-clockwise from east [deg]
    :param closed: a lap; an open course has its start and its end apart
    :param start_ms: speed at the start of an open course, 0 for a standing start [m/s]
    :param lanes: numbered lanes of an oval; 0 where there are none
    :param sectors_m: where the sectors end, along the centre line, without the finish [m]
    :param markers: boards, seams, kerbs, bumps
    :param strips: stretches of other grip
    :param falls: stretches with a cross-fall, or grooves with more bank
    :param flap_zones: stretches in which a drag flap may be open
    :param pools: stretches in which water stands when it rains hard; everywhere where none is told
    """

    format: Literal["apex-trim circuit 1"] = "apex-trim circuit 1"
    key: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")
    name: str = Field(min_length=1, max_length=60)
    layout: str = Field(min_length=1, max_length=60)
    width_m: float = Field(gt=3, le=40)
    heading_deg: float = Field(0.0, ge=-360, le=360)
    segments: tuple[Annotated[Straight | Corner, Field(discriminator="kind")], ...] = Field((), max_length=400)
    points_m: tuple[tuple[Metres, Metres, Metres], ...] = Field((), max_length=MOST_POINTS)
    surveyed: tuple[Annotated[str, Field(max_length=24)], ...] = Field((), max_length=MOST_SURVEYED)
    lap_spread: float = Field(0.0, ge=0, le=MOST_SPREAD)
    corner_names: tuple[Annotated[str, Field(max_length=40)], ...] = Field((), max_length=60)
    heights_m: tuple[tuple[Metres, Metres], ...] = Field((), max_length=2000)
    closed: bool = True
    start_ms: float = Field(0.0, ge=0, le=120)
    lanes: int = Field(0, ge=0, le=8)
    sectors_m: tuple[Annotated[float, Field(gt=0, le=60_000)], ...] = Field((), max_length=20)
    markers: tuple[Marker, ...] = Field((), max_length=200)
    strips: tuple[GripStrip, ...] = Field((), max_length=40)
    falls: tuple[Fall, ...] = Field((), max_length=40)
    flap_zones: tuple[FlapZone, ...] = Field((), max_length=20)
    pools: tuple[Pool, ...] = Field((), max_length=40)

    @property
    def lap_half_pct(self) -> float:
        """Half the 95 % interval that its points leave a lap's time [%]."""
        return 100.0 * Z95 * self.lap_spread

    def unsure_words(self) -> str:
        """That in a sentence; empty where they leave nothing."""
        return f"Its points scatter: lap times on it are ± {self.lap_half_pct:.1f} % (95 %)." if self.lap_spread else ""

    @model_validator(mode="after")
    def _one_way_of_telling(self) -> Self:
        if bool(self.segments) == bool(self.points_m):
            raise ValueError("a circuit has either segments or points_m")
        if self.closed and self.segments and len(self.segments) < 3:
            raise ValueError("segments: a lap needs at least three")
        if any(b <= a for a, b in itertools.pairwise(self.sectors_m)):
            raise ValueError("sectors_m: the distances must rise")
        return self


@dataclass(frozen=True)
class CentreLine:
    """The centre line at even stations; arrays of one length.

    :param curvature: left positive [1/m]
    :param bank: left side down positive [rad]
    :param ds: distance of the stations [m]
    :param closed: whether the last station is followed by the first
    :param start_ms: speed at the start of an open course [m/s]
    :param strips: stretches of other grip
    :param bumps: where each bump lies [m] and how high it is [mm]
    :param falls: stretches with a cross-fall
    :param flap_zones: stretches in which a drag flap may be open
    :param pools: stretches in which water stands
    """

    x: Floats
    y: Floats
    z: Floats
    curvature: Floats
    bank: Floats
    ds: float
    closed: bool = True
    start_ms: float = 0.0
    strips: tuple[GripStrip, ...] = ()
    bumps: tuple[tuple[float, float], ...] = ()
    falls: tuple[Fall, ...] = ()
    flap_zones: tuple[FlapZone, ...] = ()
    pools: tuple[Pool, ...] = ()

    @property
    def s(self) -> Floats:
        """Distance of each station from the start [m]."""
        return np.asarray(np.arange(len(self.x)) * self.ds, dtype=np.float64)

    @property
    def length_m(self) -> float:
        """Length of the lap or of the course along the centre [m]."""
        return self.ds * (len(self.x) if self.closed else len(self.x) - 1)

    def ahead(self) -> tuple[Floats, Floats]:
        """Direction of travel at each station, unit length."""
        if self.closed:
            dx, dy = np.roll(self.x, -1) - np.roll(self.x, 1), np.roll(self.y, -1) - np.roll(self.y, 1)
        else:
            dx, dy = np.gradient(self.x), np.gradient(self.y)
        norm = np.hypot(dx, dy)
        return dx / norm, dy / norm


def _pieces(circuit: Circuit) -> list[tuple[float, float, float, float, float]]:
    """(length, curvature at start and end, bank at start and end) of each piece."""
    pieces: list[tuple[float, float, float, float, float]] = []
    for segment in circuit.segments:
        if isinstance(segment, Straight):
            pieces.append((segment.length_m, 0.0, 0.0, 0.0, 0.0))
            continue
        sign = math.copysign(1.0, segment.angle_deg)
        peak = sign / segment.radius_m
        bank = sign * math.radians(segment.bank_deg)
        # each transition turns half of what its length would turn at full curvature
        arc = abs(math.radians(segment.angle_deg)) * segment.radius_m - segment.transition_m
        if segment.transition_m > 0:
            pieces.append((segment.transition_m, 0.0, peak, 0.0, bank))
        pieces.append((arc, peak, peak, bank, bank))
        if segment.transition_m > 0:
            pieces.append((segment.transition_m, peak, 0.0, bank, 0.0))
    return pieces


def _trace(circuit: Circuit, pieces: list[tuple[float, float, float, float, float]], s: Floats) -> tuple[Floats, ...]:
    """Source: geometry of arcs: x' = cos, y' = sin of the heading."""
    lengths = np.array([piece[0] for piece in pieces])
    starts = np.concatenate([[0.0], np.cumsum(lengths)])
    index = np.clip(np.searchsorted(starts, s, side="right") - 1, 0, len(pieces) - 1)
    table = np.array(pieces)
    u = s - starts[index]
    length, k0, k1, b0, b1 = (table[index, column] for column in range(5))
    share = np.divide(u, length, out=np.zeros_like(u), where=length > 0)
    curvature = k0 + (k1 - k0) * share
    bank = b0 + (b1 - b0) * share
    turned = lengths * (table[:, 1] + table[:, 2]) / 2
    base = math.radians(circuit.heading_deg) + np.concatenate([[0.0], np.cumsum(turned)])
    heading = base[index] + k0 * u + 0.5 * (k1 - k0) * share * u
    return heading, curvature, bank


def _end(circuit: Circuit, pieces: list[tuple[float, float, float, float, float]], fine: float = 0.25) -> tuple[float, float]:
    total = sum(piece[0] for piece in pieces)
    n = max(int(total / fine), 100)
    s = np.asarray((np.arange(n) + 0.5) * total / n, dtype=np.float64)
    heading, _, _ = _trace(circuit, pieces, s)
    return float(np.cos(heading).sum() * total / n), float(np.sin(heading).sum() * total / n)


def turned_deg(segments: Sequence[Straight | Corner]) -> float:
    """Change of heading along the segments, left positive [deg]."""
    return sum(one.angle_deg for one in segments if isinstance(one, Corner))


def closed_segments(circuit: Circuit) -> Circuit:
    """The circuit with its straights lengthened or shortened so that the lap closes; an open course as it is.

    The end point is linear in the lengths of the straights, so that the least change (in the sum of squares) solves it.

    :raises InputError: if the corners do not add up to one turn, or no straight can close the gap
    """
    if not circuit.closed:
        return circuit
    turn = turned_deg(circuit.segments)
    if abs(abs(turn) - 360.0) > 1e-6:
        raise InputError(f"circuit {circuit.name}", f"{turn:g}°", "corners that add up to 360° or −360°")
    segments = list(circuit.segments)
    heading = math.radians(circuit.heading_deg)
    columns: list[tuple[float, float]] = []
    places: list[int] = []
    for place, segment in enumerate(segments):
        if isinstance(segment, Straight):
            columns.append((math.cos(heading), math.sin(heading)))
            places.append(place)
        else:
            heading += math.radians(segment.angle_deg)
    gap = np.array(_end(circuit, _pieces(circuit)))
    for _ in range(3):
        change = np.linalg.lstsq(np.array(columns).T, -gap, rcond=None)[0]
        for index, extra in zip(places, change, strict=True):
            length = segments[index].length_m + float(extra)
            if length < 5.0:
                raise InputError(f"circuit {circuit.name}, segment {index + 1}", f"{length:.0f} m", "a straight that can close the lap")
            segments[index] = Straight(length_m=length)
        circuit = circuit.model_copy(update={"segments": tuple(segments)})
        gap = np.array(_end(circuit, _pieces(circuit)))
    if np.hypot(*gap) > 0.5:
        raise InputError(f"circuit {circuit.name}", f"gap of {np.hypot(*gap):.1f} m", "a lap that closes")
    return circuit


#: Distance between stations [m], and the tightest radius that it does for; tighter corners take it closer, as what a lap reads of
#: one is off by the spacing over the square of the radius, but no closer than the least.
SPACING_M, _ROUND_M, _LEAST_SPACING_M = 2.0, 22.0, 0.6


def spacing_of(circuit: Circuit) -> float:
    """Distance between stations at which a lap of a circuit is within 0.05 % of one with many more [m].

    A circuit of surveyed points bends as finely as it was surveyed: it has the usual distance.
    """
    tightest = min((segment.radius_m for segment in circuit.segments if isinstance(segment, Corner)), default=math.inf)
    return max(SPACING_M * min(tightest / _ROUND_M, 1.0) ** 2, _LEAST_SPACING_M)


#: Longest lap or course that is laid out [m].
MOST_M = 60_000.0

#: Centre lines that are kept: those of a few circuits, since every reading of a lap asks for its own.
_KEPT = 6


def centre_line(circuit: Circuit, spacing_m: float | None = None) -> CentreLine:
    """Stations along the centre, about `spacing_m` apart, or as `spacing_of` the circuit has it.

    :raises InputError: if the lap cannot be closed, or something stands beyond its end
    """
    line = _laid_out(circuit, spacing_m or spacing_of(circuit))
    where = [(f"marker {marker.name or marker.kind}", marker.at_m) for marker in circuit.markers]
    where += [(f"sector {number}", at) for number, at in enumerate(circuit.sectors_m, start=1)]
    for bands in (circuit.strips, circuit.falls, circuit.flap_zones, circuit.pools):
        for number, band in enumerate(bands, start=1):
            where += [(f"{band.words} {number}", at) for at in (band.from_m, band.to_m)]
    for words, at in where:
        if at > line.length_m + 1.0:
            raise InputError(f"circuit {circuit.name}, {words}", f"{at:g} m", f"at most {line.length_m:.0f} m, where the lap ends")
    return line


@lru_cache(maxsize=_KEPT)
def _laid_out(circuit: Circuit, spacing_m: float) -> CentreLine:
    """The same line for the same circuit, shared: nobody may change it."""
    line = _drawn_out(circuit, spacing_m)
    for array in (line.x, line.y, line.z, line.curvature, line.bank):
        array.setflags(write=False)
    return line


def _drawn_out(circuit: Circuit, spacing_m: float) -> CentreLine:
    if circuit.points_m:
        return _surveyed(circuit, spacing_m)
    told = sum(piece[0] for piece in _pieces(circuit))
    if told > MOST_M:  # before anything is laid out: a few hundred long straights would fill the memory with stations
        raise InputError(f"circuit {circuit.name}", f"{told / 1000:.0f} km", f"at most {MOST_M / 1000:.0f} km")
    closed = closed_segments(circuit)
    pieces = _pieces(closed)
    total = sum(piece[0] for piece in pieces)
    steps = max(round(total / spacing_m), 32)
    ds = total / steps
    fine = 8
    s_fine = np.asarray((np.arange(steps * fine) + 0.5) * ds / fine, dtype=np.float64)
    heading, _, _ = _trace(closed, pieces, s_fine)
    x = np.concatenate([[0.0], np.cumsum(np.cos(heading)) * ds / fine])[::fine]
    y = np.concatenate([[0.0], np.cumsum(np.sin(heading)) * ds / fine])[::fine]
    if circuit.closed:
        share = np.arange(steps + 1) / steps
        x, y = (x - share * x[-1])[:-1], (y - share * y[-1])[:-1]
    _, curvature, bank = _trace(closed, pieces, np.asarray(np.arange(len(x)) * ds, dtype=np.float64))
    z = _heights(closed, np.asarray(np.arange(len(x)) / steps, dtype=np.float64))
    return CentreLine(x, y, z, curvature, bank, ds, circuit.closed, circuit.start_ms, *_lying_on(circuit))


def _lying_on(
    circuit: Circuit,
) -> tuple[tuple[GripStrip, ...], tuple[tuple[float, float], ...], tuple[Fall, ...], tuple[FlapZone, ...], tuple[Pool, ...]]:
    """What a centre line carries along: strips, where bumps lie that have a height [m] and that [mm], cross-falls, flap zones and pools."""
    bumps = tuple((marker.at_m, marker.height_mm) for marker in circuit.markers if marker.kind == "bump" and marker.height_mm > 0.0)
    return circuit.strips, bumps, circuit.falls, circuit.flap_zones, circuit.pools


def _surveyed(circuit: Circuit, spacing_m: float) -> CentreLine:
    """Source: geometry; heading and curvature by differences along the centre line."""
    points = checked_points(circuit.points_m, f"circuit {circuit.name}", circuit.closed)
    x, y, z = even_line(points, spacing_m, circuit.closed)
    if circuit.closed:
        dx, dy = np.roll(x, -1) - x, np.roll(y, -1) - y
    else:
        dx, dy = np.diff(x), np.diff(y)
    heading = np.unwrap(np.arctan2(dy, dx))
    ds = float(np.hypot(dx, dy).mean())
    if circuit.closed:
        turn = np.diff(np.concatenate([[heading[-1]], heading]))
        turn[0] = (turn[0] + math.pi) % (2 * math.pi) - math.pi
    else:
        turn = np.concatenate([[0.0], np.diff(heading), [0.0]])
    bank = np.zeros(len(x))
    return CentreLine(x, y, z, turn / ds, bank, ds, circuit.closed, circuit.start_ms, *_lying_on(circuit))


def _heights(circuit: Circuit, share: Floats) -> Floats:
    """Height at each share of the lap [m]."""
    if len(circuit.heights_m) < 2:
        return np.zeros(len(share))
    from scipy.interpolate import CubicSpline

    points = sorted(circuit.heights_m)
    at = np.array([share for share, _ in points])
    height = np.array([value for _, value in points])
    if not circuit.closed and not (np.any(np.diff(at) <= 0) or at[0] < 0 or at[-1] > 1):
        return np.asarray(CubicSpline(at, height)(np.clip(share, at[0], at[-1])), dtype=np.float64)
    if np.any(np.diff(at) <= 0) or at[0] < 0 or at[-1] >= 1:
        raise InputError(f"circuit {circuit.name}, heights", [*at], "rising shares of the lap from 0 to below 1")
    at, height = np.append(at, at[0] + 1.0), np.append(height, height[0])
    spline = CubicSpline(at, height, bc_type="periodic")
    return np.asarray(spline((share - at[0]) % 1.0 + at[0]), dtype=np.float64)


def mirrored(circuit: Circuit) -> Circuit:
    """The circuit seen in a mirror: every left is a right. Used by the proof."""
    segments = tuple(
        segment.model_copy(update={"angle_deg": -segment.angle_deg}) if isinstance(segment, Corner) else segment
        for segment in circuit.segments
    )
    points = tuple((x, -y, z) for x, y, z in circuit.points_m)
    bands = {"strips": tuple(strip.other_side() for strip in circuit.strips), "falls": tuple(fall.other_side() for fall in circuit.falls)}
    return circuit.model_copy(update={"segments": segments, "points_m": points, "heading_deg": -circuit.heading_deg, **bands})


def reversed_circuit(circuit: Circuit) -> Circuit:
    """The circuit driven the other way round, as a circuit of its own."""
    segments = tuple(
        segment.model_copy(update={"angle_deg": -segment.angle_deg}) if isinstance(segment, Corner) else segment
        for segment in reversed(circuit.segments)
    )
    # the first point of a lap stays the first, so that the start line stays where it is
    points = circuit.points_m[:1] + tuple(reversed(circuit.points_m[1:])) if circuit.closed else tuple(reversed(circuit.points_m))
    turned = turned_deg(circuit.segments)
    length = centre_line(circuit).length_m
    other = {"left": "right", "right": "left", "across": "across"}

    def behind(at_m: float) -> float:
        return max(round(length - at_m, 3), 0.0)

    return circuit.model_copy(
        update={
            "key": f"{circuit.key[:36]}_rev",
            "layout": f"{circuit.layout[:50]} reversed",
            "heading_deg": (circuit.heading_deg + turned + 180.0) % 360.0,
            "segments": segments,
            "points_m": points,
            "corner_names": tuple(reversed(circuit.corner_names)),
            "heights_m": tuple(
                sorted(((1.0 - share) % 1.0 if circuit.closed else 1.0 - share, height) for share, height in circuit.heights_m)
            ),
            "sectors_m": tuple(sorted(round(length - at, 3) for at in circuit.sectors_m)),
            "markers": tuple(
                marker.model_copy(update={"at_m": behind(marker.at_m), "side": other[marker.side]}) for marker in circuit.markers
            ),
            "strips": tuple(strip.other_side().moved(behind(strip.to_m), behind(strip.from_m)) for strip in circuit.strips),
            "falls": tuple(fall.other_side().moved(behind(fall.to_m), behind(fall.from_m)) for fall in circuit.falls),
            "flap_zones": tuple(zone.moved(behind(zone.to_m), behind(zone.from_m)) for zone in circuit.flap_zones),
            "pools": tuple(pool.moved(behind(pool.to_m), behind(pool.from_m)) for pool in circuit.pools),
        }
    )
