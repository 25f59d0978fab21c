"""A circuit as recordings are laid on it: the line along which places are told, and how a recording's positions lie on it."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ...circuit.line import Line
from ...circuit.moves import behind_m
from ...errors import InputError
from .cut import RecordedLap, StartLine, other_speed_unit

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

Floats = NDArray[np.float64]
Complex = NDArray[np.complex128]

#: Radius of the Earth for a plane about a place [m].
_EARTH_M = 6_371_008.8
#: Points with which two rings are compared, rounds of laying one on the other, and positions that are laid at most.
_RING, _ROUNDS, _LAID = 512, 12, 800
#: Farthest from the middle of the road, beside half its width, that a car's positions lie in the mean of squares [m], and by how much
#: the scale may differ [-].
_OFF_ROAD_M, _SCALE_OFF = 4.0, 0.03
#: Laps by which the frame of many is found, about.
_TOGETHER = 5
#: Share by which a lap may be longer or shorter than the circuit [-]: lines differ by less.
LENGTH_OFF = 0.06
#: How far along the road a position is looked for from where the car should be [m].
_WINDOW_M = 60.0


@dataclass(frozen=True)
class Base:
    """The line along which places are told.

    :param x: of its stations [m]
    :param s: way to each from the start line [m]
    :param bend: curvature there, left positive [1/m]
    :param length_m: of the lap along it [m]
    :param width_m: of the road [m]
    """

    x: Floats
    y: Floats
    s: Floats
    bend: Floats
    length_m: float
    width_m: float

    @cached_property
    def ring(self) -> Complex:
        """Its stations as complex numbers, the first once more at the end."""
        z = self.x + 1j * self.y
        return np.append(z, z[0])

    @cached_property
    def steps(self) -> Floats:
        """Way to each station, and the whole at the end [m]."""
        return np.append(self.s, self.length_m)

    def at(self, place_m: Floats) -> Complex:
        """Points of the line at places along it."""
        place = np.asarray(place_m) % self.length_m
        return np.interp(place, self.steps, self.ring.real) + 1j * np.interp(place, self.steps, self.ring.imag)

    def bend_at(self, place_m: Floats) -> Floats:
        """Curvature at places along it [1/m]."""
        return np.asarray(np.interp(np.asarray(place_m) % self.length_m, self.steps, np.append(self.bend, self.bend[0])))

    def start(self) -> StartLine:
        """Its start line."""
        ahead = self.ring[1] - self.ring[0]
        ahead /= abs(ahead)
        return StartLine(float(self.x[0]), float(self.y[0]), float(ahead.real), float(ahead.imag))

    @cached_property
    def _tree(self) -> "cKDTree":
        from scipy.spatial import cKDTree

        return cKDTree(np.column_stack([self.x, self.y]))

    def _nearest(self, z: Complex, near_m: Floats) -> NDArray[np.intp]:
        """The station nearest to each point; where that lies on another part of the lap, the nearest around where it should be."""
        found = np.asarray(self._tree.query(np.column_stack([z.real, z.imag]))[1], dtype=np.intp)
        off = np.abs(behind_m(self.s[found] - near_m, 0.0, self.length_m))
        astray = np.flatnonzero(off > _WINDOW_M)
        spacing = self.length_m / len(self.s)
        reach = max(int(_WINDOW_M / spacing), 2)
        shifts = np.arange(-reach, reach + 1)
        for first in range(0, len(astray), 2000):  # in pieces, so that memory stays small
            part = astray[first : first + 2000]
            index = (np.round(near_m[part, None] / spacing).astype(np.intp) + shifts[None, :]) % len(self.s)
            found[part] = index[np.arange(len(part)), np.argmin(np.abs(self.ring[index] - z[part, None]), axis=1)]
        return found

    def project(self, z: Complex, near_m: Floats) -> tuple[Floats, Floats]:
        """The places nearest to points, each looked for around where it should be, and how far left of the line they lie [m].

        :param near_m: where each should be along the line [m]
        """
        nearest = self._nearest(z, np.asarray(near_m) % self.length_m)
        count = len(self.s)
        best, place, offset = np.full(len(z), np.inf), np.empty(len(z)), np.empty(len(z))
        for shift in (-1, 0):
            k = (nearest + shift) % count
            a, way = self.ring[k], self.ring[k + 1] - self.ring[k]
            off = (z - a) * np.conj(way) / np.abs(way) ** 2  # along and left of the step, as shares of it
            along = np.clip(off.real, 0.0, 1.0)
            foot = a + along * way
            away = np.abs(z - foot)
            closer = away < best
            best = np.where(closer, away, best)
            place = np.where(closer, self.steps[k] + along * (self.steps[k + 1] - self.steps[k]), place)
            offset = np.where(closer, np.sign(off.imag) * away, offset)
        return place, offset


@dataclass(frozen=True)
class Frame:
    """How the frame of a recording's positions lies on a circuit's: z_circuit = turn z_recording + shift.

    :param turn: rotation and scale [-]
    :param shift: of the recording's origin [m]
    :param off_m: mean distance of the positions from the line, as the root of the mean square [m]
    :param start_m: where on the circuit the recording's first position lies [m]
    :param backwards: whether the circuit was driven the other way round
    """

    turn: complex
    shift: complex
    off_m: float
    start_m: float
    backwards: bool

    @property
    def scale(self) -> float:
        """Metres of the circuit for one of the recording [-]."""
        return abs(self.turn)

    def laid(self, x: Floats, y: Floats) -> Complex:
        """Positions of the recording in the frame of the circuit."""
        return self.turn * (np.asarray(x) + 1j * np.asarray(y)) + self.shift

    def in_recording(self, line: StartLine) -> StartLine:
        """A start line of the circuit in the frame of the recording."""
        at = (line.x + 1j * line.y - self.shift) / self.turn
        ahead = (line.east + 1j * line.north) / self.turn
        ahead /= abs(ahead)
        return StartLine(float(at.real), float(at.imag), float(ahead.real), float(ahead.imag))


def metres_of(
    columns: Mapping[str, Floats], origin: tuple[float, float] | None = None
) -> tuple[dict[str, Floats], tuple[float, float] | None]:
    """Channels with positions in metres where they came in degrees, and the place that these begin at (latitude, longitude).

    Source: plane about a place, as good as a millimetre over a circuit.
    """
    found = dict(columns)
    if "latitude_deg" not in found or "longitude_deg" not in found:
        return found, origin
    latitude, longitude = found.pop("latitude_deg"), found.pop("longitude_deg")
    known = (
        np.isfinite(latitude) & np.isfinite(longitude) & ((latitude != 0.0) | (longitude != 0.0))
    )  # a receiver without satellites says 0
    if "x_m" in found or not known.any():
        return found, origin
    rad = math.pi / 180.0
    if origin is None:
        around = float(np.degrees(np.angle(np.exp(1j * rad * longitude[known]).mean())))  # also where the day begins
        origin = (float(np.median(latitude[known])), around)
    off = (longitude - origin[1] + 180.0) % 360.0 - 180.0
    found["x_m"] = np.where(known, rad * _EARTH_M * off * math.cos(rad * origin[0]), np.nan)
    found["y_m"] = np.where(known, rad * _EARTH_M * (latitude - origin[0]), np.nan)
    return found, origin


def laid_on(x: Floats, y: Floats, base: Base, further: Sequence[tuple[Floats, Floats]] = ()) -> Frame:
    """How positions lie on a circuit: shifted, turned, and scaled a little.

    Both rings are gone round at an even pace; of all starts the one is taken at which they cover each other best (Procrustes by Fourier
    transforms), then each position is laid on its own nearest place, some times over; those far from it count little, since a car does
    not follow the line.

    :param x: positions of one lap, in the order driven [m]
    :param further: positions of further laps by the same receiver
    :raises InputError: if they do not lie on it
    """
    z = _known(x, y)
    if len(z) < 20:
        raise InputError("positions", f"{len(z)} of a lap", "at least 20")
    way = _way(z)
    if way[-1] < 20.0:
        raise InputError("positions", f"{way[-1]:.0f} m of way", "positions of a car that moves")
    even = way[-1] * np.arange(_RING) / _RING
    driven = np.interp(even, way, z.real) + 1j * np.interp(even, way, z.imag)
    ring = base.at(base.length_m * np.arange(_RING) / _RING)
    others = [other for other in (_known(*one) for one in further) if len(other) >= 20]
    best: Frame | None = None
    for backwards in (False, True):
        frame = _turned(
            driven[::-1] if backwards else driven, ring, base, [one[::-1] if backwards else one for one in (z, *others)], backwards
        )
        if best is None or frame.off_m < best.off_m:
            best = frame
        if best.off_m <= 0.5 * base.width_m + _OFF_ROAD_M:
            break
    assert best is not None
    if best.off_m > 0.5 * base.width_m + _OFF_ROAD_M:
        raise InputError("positions", f"{best.off_m:.0f} m off the road on average", "positions of a lap of this circuit")
    return best


def _known(x: Floats, y: Floats) -> Complex:
    known = np.isfinite(x) & np.isfinite(y)
    return np.asarray(x[known] + 1j * y[known])


def way_of(x: Floats, y: Floats) -> Floats:
    """Way that positions add up to, from the first on; what is not known is gone straight over [m]."""
    known = np.isfinite(x) & np.isfinite(y)
    if int(known.sum()) < 2:
        return np.zeros(len(x))
    return np.asarray(np.interp(np.arange(len(x)), np.flatnonzero(known), _way(x[known] + 1j * y[known])))


def _way(z: Complex) -> Floats:
    """Way from the first position to each, without what their scatter would add to it [m]."""
    return np.concatenate([[0.0], np.cumsum(np.abs(np.diff(_smooth(z))))])


def _smooth(z: Complex) -> Complex:
    """Positions without the scatter of each, whose steps would add up to too long a way."""
    from scipy.ndimage import gaussian_filter1d

    return gaussian_filter1d(z.real, 2.0, mode="nearest") + 1j * gaussian_filter1d(z.imag, 2.0, mode="nearest")


def _turned(driven: Complex, ring: Complex, base: Base, laps: Sequence[Complex], backwards: bool) -> Frame:
    centred, other = driven - driven.mean(), ring - ring.mean()
    match = np.fft.ifft(np.fft.fft(other) * np.conj(np.fft.fft(centred)))  # other(k + shift) against centred(k)
    start = int(np.argmax(np.abs(match)))
    turn = complex(match[start] / (np.abs(centred) ** 2).sum())
    shift = complex(ring.mean() - turn * driven.mean())
    spots, places = [], []
    for lap in laps:
        way = _way(lap)
        every = max(len(lap) // _LAID, 1)
        spots.append(lap[::every])
        places.append(start / _RING * base.length_m + way[::every] / way[-1] * base.length_m)
    z, near = np.concatenate(spots), np.concatenate(places)
    off = np.inf
    place = near
    weight = np.full(len(z), 1.0 / len(z))
    for _ in range(_ROUNDS):
        place, _ = base.project(turn * z + shift, near)
        foot = base.at(place)
        a, b = z - (weight * z).sum(), foot - (weight * foot).sum()
        turn = complex((weight * np.conj(a) * b).sum() / (weight * np.abs(a) ** 2).sum())
        shift = complex((weight * foot).sum() - turn * (weight * z).sum())
        near = place
        away = np.abs(turn * z + shift - foot)
        weight = 1.0 / (1.0 + (away / max(1.5 * float(np.median(away)), 0.2)) ** 2)
        weight /= weight.sum()
        before, off = off, float(np.sqrt((away**2).mean()))
        if abs(before - off) < 1e-4:
            break
    first = place[len(spots[0]) - 1] if backwards else place[0]
    return Frame(turn, shift, off, float(first), backwards)


def scale_fits(frame: Frame) -> bool:
    """Whether a recording's metres are those of the circuit."""
    return abs(frame.scale - 1.0) <= _SCALE_OFF


def frames_of(laps: Sequence[RecordedLap], base: Base) -> tuple[list[Frame | None], list[str]]:
    """How the positions of each lap lie on a circuit, all of them in one frame where they are of one; and what is to be said of it.

    A lap without positions, or whose positions do not lie on the circuit, goes by its way alone.

    :raises InputError: if a lap was driven the other way round
    """
    found: list[Frame | None] = [None] * len(laps)
    notes: list[str] = []
    there = [k for k, lap in enumerate(laps) if "x_m" in lap.columns and "y_m" in lap.columns]
    alone: list[int] = there
    if len(there) > 1:
        places = [(laps[k].columns["x_m"], laps[k].columns["y_m"]) for k in there[:: max(len(there) // _TOGETHER, 1)]]
        try:
            frame = laid_on(*places[0], base, places[1:])
        except InputError:
            frame = None
        if frame is not None and all(_lies(laps[k], frame, base) for k in there):
            found = [frame if k in there else None for k in range(len(laps))]
            alone = []
    for k in alone:
        try:
            found[k] = laid_on(laps[k].columns["x_m"], laps[k].columns["y_m"], base)
        except InputError as error:
            notes.append(f"Lap {laps[k].number}: {error} Its places go by the way driven.")
    for lap, one in zip(laps, found, strict=True):
        if one is not None and one.backwards:
            raise InputError(f"lap {lap.number}", "driven the other way round", "a lap in the direction of this circuit")
        if one is not None and not scale_fits(one):
            notes.append(
                f"Lap {lap.number}: its positions are {100 * (1 / one.scale - 1):+.0f} % as large as the circuit; they were scaled."
            )
    return found, notes


def _lies(lap: RecordedLap, frame: Frame, base: Base) -> bool:
    """Whether the positions of a lap lie on the road in a frame."""
    z = frame.laid(lap.columns["x_m"], lap.columns["y_m"])
    known = np.flatnonzero(np.isfinite(z.real) & np.isfinite(z.imag))
    if len(known) < 20:
        return False
    some = known[:: max(len(known) // 300, 1)]
    way = lap.columns["distance_m"] / lap.length_m if lap.length_m > 0.0 else np.arange(len(z)) / len(z)
    z = z[some]
    spot, _ = base.project(z, base.length_m * np.asarray(way)[some])
    off = np.abs(z - base.at(spot))
    return float(np.sqrt((off**2).mean())) <= 0.5 * base.width_m + _OFF_ROAD_M


def fits_length(lap: RecordedLap, length_m: float) -> None:
    """Whether a lap is about as long as a circuit.

    :raises InputError: if it is not, with the unit that its speed may be in
    """
    if lap.length_m > 0.0 and abs(lap.length_m / length_m - 1.0) > LENGTH_OFF:
        unit = other_speed_unit(lap.length_m, length_m)
        hint = f"; its speed looks like {unit}" if unit else ""
        raise InputError(f"lap {lap.number}", f"{lap.length_m:.0f} m driven", f"about {length_m:.0f} m, as a lap of this circuit has{hint}")


def base_of(line: Line, width_m: float) -> Base:
    """A line driven as the base of places.

    :param width_m: of its road [m]
    """
    return Base(line.x, line.y, line.s, line.road[:, 0], line.length_m, width_m)
