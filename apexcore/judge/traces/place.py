"""Where on the road a recorded car was: its positions laid on a circuit, its way and its positions made one place along the lap."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from ...errors import InputError
from ..traces.cut import RecordedLap, StartLine

Floats = NDArray[np.float64]
Complex = NDArray[np.complex128]

#: Radius of the Earth for a plane about a place [m].
_EARTH_M = 6_371_008.8
#: Points with which two rings are compared, rounds of laying one on the other.
_RING, _ROUNDS = 512, 6
#: Farthest from the middle of the road, beside half its width, that a car's positions lie in the mean of squares [m], and by how much
#: the scale may differ [-].
_OFF_ROAD_M, _SCALE_OFF = 4.0, 0.03
#: How far along the road a position is looked for from where the car should be [m].
_WINDOW_M = 60.0
#: Time over which positions correct the way driven, as the standard deviation of a bell [s]; and over which the place across the road
#: is smoothed [s].
_CORRECT_S, _ACROSS_S = 0.8, 0.25
#: What a way summed up from speeds is unsure by half round a lap, and least that any place is [m].
_WAY_SD_M, _LEAST_SD_M = 1.0, 0.02


@dataclass(frozen=True)
class Base:
    """The line along which places are told.

    :param x: of its stations [m]
    :param s: way to each from the start line [m]
    :param length_m: of the lap along it [m]
    :param width_m: of the road [m]
    """

    x: Floats
    y: Floats
    s: Floats
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

    def start(self) -> StartLine:
        """Its start line."""
        ahead = self.ring[1] - self.ring[0]
        ahead /= abs(ahead)
        return StartLine(float(self.x[0]), float(self.y[0]), float(ahead.real), float(ahead.imag))

    def project(self, z: Complex, near_m: Floats) -> tuple[Floats, Floats]:
        """The places nearest to points, each looked for around where it should be, and how far left of the line they lie [m].

        :param near_m: where each should be along the line [m]
        """
        count, spacing = len(self.s), self.length_m / len(self.s)
        reach = max(int(_WINDOW_M / spacing), 2)
        middle = np.round((np.asarray(near_m) % self.length_m) / spacing).astype(np.intp)
        shifts = np.arange(-reach, reach + 1)
        place, offset = np.empty(len(z)), np.empty(len(z))
        for first in range(0, len(z), 2000):  # in pieces, so that memory stays small
            part = slice(first, first + 2000)
            index = (middle[part, None] + shifts[None, :]) % count
            nearest = index[np.arange(len(index)), np.argmin(np.abs(self.ring[index] - z[part, None]), axis=1)]
            best = np.full(len(nearest), np.inf)
            for shift in (-1, 0):
                k = (nearest + shift) % count
                a, b = self.ring[k], self.ring[k + 1]
                along = np.clip(np.real((z[part] - a) * np.conj(b - a)) / np.abs(b - a) ** 2, 0.0, 1.0)
                foot = a + along * (b - a)
                off = np.abs(z[part] - foot)
                closer = off < best
                best = np.where(closer, off, best)
                spot = self.steps[k] + along * (self.steps[k + 1] - self.steps[k])
                side = np.sign(np.imag((z[part] - a) * np.conj(b - a)) * -1.0)
                place[part] = np.where(closer, spot, place[part])
                offset[part] = np.where(closer, -side * off, offset[part])
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


def metres_of(columns: Mapping[str, Floats], origin: tuple[float, float] | None = None) -> tuple[dict[str, Floats], tuple[float, float] | None]:
    """Channels with positions in metres where they came in degrees, and the place that these begin at (latitude, longitude).

    Source: plane about a place, as good as a millimetre over a circuit.
    """
    found = dict(columns)
    if "latitude_deg" not in found or "longitude_deg" not in found:
        return found, origin
    latitude, longitude = found.pop("latitude_deg"), found.pop("longitude_deg")
    known = np.isfinite(latitude) & np.isfinite(longitude) & ((latitude != 0.0) | (longitude != 0.0))  # a receiver without satellites says 0
    if "x_m" in found or not known.any():
        return found, origin
    if origin is None:
        origin = (float(np.median(latitude[known])), float(np.median(longitude[known])))
    rad = math.pi / 180.0
    off = (longitude - origin[1] + 180.0) % 360.0 - 180.0
    found["x_m"] = np.where(known, rad * _EARTH_M * off * math.cos(rad * origin[0]), np.nan)
    found["y_m"] = np.where(known, rad * _EARTH_M * (latitude - origin[0]), np.nan)
    return found, origin


def laid_on(x: Floats, y: Floats, base: Base) -> Frame:
    """How a lap's positions lie on a circuit: shifted, turned, and scaled a little.

    Both rings are gone round at an even pace; of all starts the one is taken at which they cover each other best (Procrustes by Fourier
    transforms), then each position is laid on its own nearest place, some times over.

    :param x: positions of one lap, in the order driven [m]
    :raises InputError: if they do not lie on it
    """
    known = np.isfinite(x) & np.isfinite(y)
    z = x[known] + 1j * y[known]
    if len(z) < 20:
        raise InputError("positions", f"{len(z)} of a lap", "at least 20")
    way = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(_smooth(z))))])
    if way[-1] < 20.0:
        raise InputError("positions", f"{way[-1]:.0f} m of way", "positions of a car that moves")
    even = way[-1] * np.arange(_RING) / _RING
    driven = np.interp(even, way, z.real) + 1j * np.interp(even, way, z.imag)
    ring = base.at(base.length_m * np.arange(_RING) / _RING)
    best: Frame | None = None
    for backwards in (False, True):
        frame = _turned(driven[::-1] if backwards else driven, ring, base, z[::-1] if backwards else z, backwards)
        if best is None or frame.off_m < best.off_m:
            best = frame
    assert best is not None
    if best.off_m > 0.5 * base.width_m + _OFF_ROAD_M:
        raise InputError("positions", f"{best.off_m:.0f} m off the road on average", "positions of a lap of this circuit")
    return best


def _smooth(z: Complex) -> Complex:
    """Positions without the scatter of each, whose steps would add up to too long a way."""
    return gaussian_filter1d(z.real, 2.0, mode="nearest") + 1j * gaussian_filter1d(z.imag, 2.0, mode="nearest")


def _turned(driven: Complex, ring: Complex, base: Base, z: Complex, backwards: bool) -> Frame:
    centred, other = driven - driven.mean(), ring - ring.mean()
    match = np.fft.ifft(np.fft.fft(other) * np.conj(np.fft.fft(centred)))  # other(k + shift) against centred(k)
    start = int(np.argmax(np.abs(match)))
    turn = complex(match[start] / (np.abs(centred) ** 2).sum())
    shift = complex(ring.mean() - turn * driven.mean())
    near = (np.arange(len(z)) / len(z)) * base.length_m
    way = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(_smooth(z))))])
    near = start / _RING * base.length_m + way / way[-1] * base.length_m
    off = np.inf
    place = near
    for _ in range(_ROUNDS):
        place, _ = base.project(turn * z + shift, near)
        foot = base.at(place)
        a, b = z - z.mean(), foot - foot.mean()
        turn = complex((np.conj(a) * b).sum() / (np.abs(a) ** 2).sum())
        shift = complex(foot.mean() - turn * z.mean())
        near = place
        before, off = off, float(np.sqrt((np.abs(turn * z + shift - foot) ** 2).mean()))
        if before - off < 1e-3:
            break
    return Frame(turn, shift, off, float(place[-1] if backwards else place[0]), backwards)


def scale_fits(frame: Frame) -> bool:
    """Whether a recording's metres are those of the circuit."""
    return abs(frame.scale - 1.0) <= _SCALE_OFF


@dataclass(frozen=True)
class Placed:
    """A lap on a road: where the car was at each moment, and how fast.

    :param t: since the start line, rising from 0 to the lap time [s]
    :param p: place along the base line, rising from 0 to its length [m]
    :param v: speed [m/s]
    :param columns: all channels at the same moments
    :param offset: left of the base line [m]; None without positions
    :param place_sd: what a place is unsure by at each moment [m]
    :param offset_sd_m: what the place across is [m]
    :param speed_sd: scatter of a measured speed [m/s]
    """

    t: Floats
    p: Floats
    v: Floats
    columns: Mapping[str, Floats]
    offset: Floats | None
    place_sd: Floats
    offset_sd_m: float
    speed_sd: float

    @property
    def time_s(self) -> float:
        """Lap time [s]."""
        return float(self.t[-1])

    def at(self, key: str, place_m: Floats) -> Floats:
        """A channel at places along the lap."""
        return np.asarray(np.interp(place_m, self.p, self.columns[key]))

    def times(self, place_m: Floats) -> Floats:
        """When the car was at these places [s]."""
        return np.asarray(np.interp(place_m, self.p, self.t))


def placed(lap: RecordedLap, base: Base, frame: Frame | None) -> Placed:
    """A recorded lap on a circuit.

    The way driven, summed up from the speed and closed to the lap's length, is right from moment to moment and drifts; positions
    scatter and do not drift. The place is the way, corrected by the positions' smoothed difference from it.

    :param frame: how its positions lie on the circuit; None to go by the way alone
    :raises InputError: if nothing tells where the car was
    """
    driven = lap.columns.get("distance_m")
    if driven is None or lap.length_m <= 0.0:
        raise InputError(f"lap {lap.number}", "no speed, distance or positions", "a channel that tells where the car was")
    t, length = lap.t, base.length_m
    p = np.asarray(driven) * (length / lap.length_m)
    v = _speed(lap)
    sd = _WAY_SD_M * 2.0 * np.sqrt(np.clip(p / length * (1.0 - p / length), 0.0, None))
    offset, offset_sd = None, 0.0
    hz = (len(t) - 1) / lap.time_s
    if frame is not None and "x_m" in lap.columns:
        z = frame.laid(lap.columns["x_m"], lap.columns["y_m"])
        known = np.isfinite(z.real) & np.isfinite(z.imag)
        if known.mean() > 0.9:
            z = np.interp(t, t[known], z.real[known]) + 1j * np.interp(t, t[known], z.imag[known])
            for _ in range(2):
                spot, across = base.project(z, p)
                off = (spot - p + 0.5 * length) % length - 0.5 * length
                off[0] = off[-1] = 0.0
                moved = gaussian_filter1d(off, _CORRECT_S * hz, mode="nearest")
                moved -= moved[0] + (moved[-1] - moved[0]) * t / lap.time_s
                p = p + moved
            left = off - moved
            sd = np.full(len(t), _place_sd(left, hz))
            offset = gaussian_filter1d(across, _ACROSS_S * hz, mode="wrap")
            offset_sd = float(np.std(across - gaussian_filter1d(across, 1.5, mode="wrap"))) * 1.3 / math.sqrt(max(2 * math.sqrt(math.pi) * _ACROSS_S * hz, 1.0))
    p = _rising(p, length)
    return Placed(t, p, v, lap.columns, offset, np.maximum(sd, _LEAST_SD_M), offset_sd, _scatter(v))


def _place_sd(left: Floats, hz: float) -> float:
    """What smoothed corrections are unsure by: the scatter of one position over the root of those that count, and what goes on beyond it
    as the means of seconds tell [m]."""
    kernel = max(2.0 * math.sqrt(math.pi) * _CORRECT_S * hz, 1.0)
    white = float(np.std(np.diff(left))) / math.sqrt(2.0)
    size = max(int(hz), 1)
    blocks = left[: len(left) // size * size].reshape(-1, size).mean(axis=1)
    slow = float(np.std(blocks)) if len(blocks) > 3 else 0.0
    return math.hypot(white / math.sqrt(kernel), max(slow**2 - white**2 / size, 0.0) ** 0.5)


def _speed(lap: RecordedLap) -> Floats:
    """Speed at each moment, from the way where it was not measured [m/s]."""
    speed = lap.columns.get("speed_kmh")
    if speed is not None and np.isfinite(speed).any():
        there = np.isfinite(speed)
        return np.asarray(np.interp(lap.t, lap.t[there], np.maximum(speed[there], 0.0))) / 3.6
    v = np.gradient(lap.columns["distance_m"], lap.t)
    return np.maximum(gaussian_filter1d(v, 2.0, mode="nearest"), 0.0)


def _scatter(v: Floats) -> float:
    """Scatter of a sample of speed, from the second differences of its quieter half [m/s]."""
    second = np.abs(np.diff(v, 2))
    return float(np.median(second)) / 0.6745 / math.sqrt(6.0) if len(second) else 0.0


def _rising(p: Floats, length: float) -> Floats:
    """Places that rise from 0 to the end."""
    p = np.maximum.accumulate(np.clip(p, 0.0, length))
    p[0], p[-1] = 0.0, length
    step = np.arange(len(p)) * 1e-9 * length  # a car that stands: the same place, later
    return np.asarray(p + step - step[-1] * (p / length))


def line_base(x: Floats, y: Floats, s: Floats, length_m: float, width_m: float) -> Base:
    """The base line of a circuit's line driven."""
    return Base(np.asarray(x), np.asarray(y), np.asarray(s), length_m, width_m)


def closed(place: Placed, sd_m: float) -> Placed:
    """The same lap with its places known this well."""
    return replace(place, place_sd=np.full(len(place.t), sd_m))
