"""Where on the road a recorded car was: its positions laid on a circuit, its way and its positions made one place along the lap."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d
from scipy.spatial import cKDTree

from ...circuit.line import Line
from ...circuit.moves import behind_m
from ...errors import InputError
from .cut import RecordedLap, StartLine, other_speed_unit

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
#: Moments a second at which a lap is laid on the road.
_LAID_HZ = 19.0
#: Share by which a lap may be longer or shorter than the circuit [-]: lines differ by less.
_LENGTH_OFF = 0.06
#: How far along the road a position is looked for from where the car should be [m].
_WINDOW_M = 60.0
#: Times over which positions are smoothed, as standard deviations of a bell [s]: where they correct the way driven, where the place
#: across the road is told, and where that and the bend there tell how
#: much way a car has.
_CORRECT_S, _ACROSS_S, _WOUND_S, _BEND_S = 2.0, 0.25, 0.4, 0.2
#: By how much more a place is unsure than the scatter of the positions says: what lies between the samples [-].
_MORE = 1.25
#: What the way summed up from speeds is unsure by beside their scatter; the same without positions, and from one straight to the next;
#: and least that any place is [m].
_WAY_M, _BLIND_M, _BLIND_STEP_M, _LEAST_SD_M = 0.08, 0.35, 0.25, 0.02
#: What the way through a corner is unsure by for every metre that positions wander [-]; spacing of what laps are compared on [m]; share
#: of positions that must be there [-].
_ASKEW, _GRID_M, _KNOWN = 0.6, 2.0, 0.9


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
    def _tree(self) -> cKDTree:
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
    if lap.length_m > 0.0 and abs(lap.length_m / length_m - 1.0) > _LENGTH_OFF:
        unit = other_speed_unit(lap.length_m, length_m)
        hint = f"; its speed looks like {unit}" if unit else ""
        raise InputError(f"lap {lap.number}", f"{lap.length_m:.0f} m driven", f"about {length_m:.0f} m, as a lap of this circuit has{hint}")


@dataclass(frozen=True)
class Placed:
    """A lap on a road: where the car was at each moment, and how fast.

    :param t: since the start line, rising from 0 to the lap time [s]
    :param p: place along the base line, rising from 0 to its length [m]
    :param v: speed [m/s]
    :param columns: all channels at the same moments
    :param offset: left of the base line [m]; None without positions
    :param place_sd: what a place is unsure by [m]
    :param step_sd: what the way from one straight to the next is unsure by [m]
    :param offset_sd: what the place across is [m]
    :param speed_sd: scatter of a measured speed [m/s]
    """

    t: Floats
    p: Floats
    v: Floats
    columns: Mapping[str, Floats]
    offset: Floats | None
    place_sd: float
    step_sd: float
    offset_sd: float
    speed_sd: float

    @property
    def time_s(self) -> float:
        """Lap time [s]."""
        return float(self.t[-1])

    @property
    def step_s(self) -> float:
        """Time between two samples [s]."""
        return self.time_s / (len(self.t) - 1)

    def at(self, key: str, place_m: Floats) -> Floats:
        """A channel at places along the lap."""
        return np.asarray(np.interp(place_m, self.p, self.columns[key]))

    def times(self, place_m: Floats) -> Floats:
        """When the car was at these places [s]."""
        return np.asarray(np.interp(place_m, self.p, self.t))


class _Laying:
    """One lap on its way onto the road, at no more than some twenty moments a second: its own, or the means of as many."""

    def __init__(self, lap: RecordedLap, base: Base, frame: Frame | None) -> None:
        """:raises InputError: if nothing tells where the car was"""
        driven = lap.columns.get("distance_m")
        if driven is None or lap.length_m <= 0.0:
            raise InputError(f"lap {lap.number}", "no speed, distance or positions", "a channel that tells where the car was")
        self.lap, self.base = lap, base
        every = max(int((len(lap.t) - 1) / lap.time_s / _LAID_HZ), 1)
        #: the way driven, closed to the lap's length, and the speed, at the lap's own moments
        self.full_way, self.full_v = np.asarray(driven) * (base.length_m / lap.length_m), _speed(lap)
        z = None if frame is None else _positions(lap, frame)
        self.speed_sd = _scatter(self.full_v)
        self.full_hz = (len(lap.t) - 1) / lap.time_s
        self.t, self.way, self.v = (_means(column, every) for column in (lap.t, self.full_way, self.full_v))
        self.z = None if z is None else _means(z.real, every) + 1j * _means(z.imag, every)
        self.p = self.way
        self.hz = (len(self.t) - 1) / lap.time_s
        self.across = self.slow = np.zeros(len(self.t))
        self.white = 0.0
        #: what the way summed up from the speed is unsure by, in the mean round the lap, as a variance
        self.way_var = self.speed_sd**2 * lap.time_s / self.full_hz / 6.0 + _WAY_M**2

    def lay(self, n: Floats | None = None, rounds: int = 2) -> None:
        """Winds the way beside the base line and takes the positions' slow difference from it.

        :param n: offset from the base line at each moment; the positions' own if not given [m]
        :param rounds: times that places and way correct each other; one where both are near already
        """
        assert self.z is not None
        for _ in range(rounds):
            spot, self.across = self.base.project(self.z, self.p)
            beside = _beside(self) if n is None else n
            bend = gaussian_filter1d(self.base.bend_at(spot), _BEND_S * self.hz, mode="wrap")
            self.p = _wound(self.base, self.t, self.v, self.p, beside, bend)
        spot, self.across = self.base.project(self.z, self.p)
        off = behind_m(spot - self.p, 0.0, self.base.length_m)
        off[0] = off[-1] = 0.0
        slow = gaussian_filter1d(off, _CORRECT_S * self.hz, mode="nearest")
        self.slow = slow - slow[0] - (slow[-1] - slow[0]) * self.t / self.lap.time_s
        self.white = float(np.std(np.diff(off - self.slow))) / math.sqrt(2.0)

    def white_var(self) -> float:
        """What the scatter of each position leaves in the smoothed ones, as a variance [m2]."""
        return (_MORE * self.white) ** 2 / _counting(_CORRECT_S * self.hz)

    def rough(self) -> float:
        """Scatter of one position across the road [m]."""
        return float(np.std(self.across - gaussian_filter1d(self.across, 1.5, mode="wrap"))) * 1.3

    def across_var(self) -> float:
        """The same across the road where it tells the way, as a variance [m2]."""
        return (_MORE * self.rough()) ** 2 / _counting(_WOUND_S * self.hz)

    def full(self, p: Floats) -> Floats:
        """Places at the lap's own moments: the way driven with what these differ from it."""
        return np.asarray(self.full_way + np.interp(self.lap.t, self.t, p - self.way))

    def on_grid(self, values: Floats, grid: Floats) -> Floats:
        """Values at each moment as values along the road."""
        return np.asarray(np.interp(grid, np.maximum.accumulate(self.p), values))


def placed(laps: Sequence[RecordedLap], base: Base, frames: Sequence[Frame | None]) -> list[Placed]:
    """Recorded laps on a circuit, told apart as well as they can be.

    The way driven, summed up from the speed and closed to the lap's length, is right from moment to moment and drifts; positions
    scatter, wander slowly, and do not drift. What all laps have in common (a line beside the base line, a speed that is read too high
    in some corner) is taken from the positions as it is; by what a lap differs from the others counts the less the more the positions
    wander, as the laps' own differences tell.

    :param frames: how each lap's positions lie on the circuit; None to go by the way alone
    :raises InputError: if nothing tells where the car was
    """
    found = [_Laying(lap, base, frame) for lap, frame in zip(laps, frames, strict=True)]
    seen = [one for one in found if one.z is not None]
    grid = np.linspace(0.0, base.length_m, max(int(base.length_m / _GRID_M), 50))
    for one in seen:
        one.lay()
    if len(seen) > 1:
        _registered(seen, base, grid)
    wander = _wander(seen, grid)
    line = np.mean([one.on_grid(_beside(one), grid) for one in seen], axis=0) if seen else np.zeros(len(grid))
    for one in found:
        common = np.interp(one.p, grid, line)
        if one.z is None:
            one.p = _wound(base, one.t, one.v, one.p, common, base.bend_at(one.p))
        elif wander > 0.0 and len(seen) > 1:
            own = _beside(one) - common
            one.lay(common + own * np.clip(1.0 - (2.0 * wander / np.maximum(np.abs(own), 1e-9)) ** 2, 0.0, None))
    drift = np.mean([one.on_grid(one.slow, grid) for one in seen], axis=0) if seen else np.zeros(len(grid))
    return [_done(one, wander, np.interp(one.p, grid, drift), len(seen)) for one in found]


def _beside(one: _Laying) -> Floats:
    return np.asarray(gaussian_filter1d(one.across, _WOUND_S * one.hz, mode="wrap"))


def _apart(seen: Sequence[_Laying], grid: Floats) -> Floats:
    """How far left of the mean of all laps each runs, shape [laps, places] [m]."""
    beside = np.array([one.on_grid(_beside(one), grid) for one in seen])
    return np.asarray(beside - beside.mean(axis=0))


def _registered(seen: Sequence[_Laying], base: Base, grid: Floats) -> None:
    """Moves each lap's positions as a whole onto those of all: receivers drift by metres from lap to lap, drivers do not.

    Robust least squares of the distances across the road, so that a corner driven otherwise counts little.
    """
    ahead = np.gradient(base.at(grid))
    left = 1j * ahead / np.abs(ahead)
    across = np.column_stack([left.real, left.imag])
    for one, apart in zip(seen, _apart(seen, grid), strict=True):
        weight = np.ones(len(grid))
        move = np.zeros(2)
        for _ in range(4):
            move = np.linalg.lstsq(across * weight[:, None], apart * weight, rcond=None)[0]
            rest = np.abs(apart - across @ move)
            weight = 1.0 / (1.0 + (rest / max(1.5 * float(np.median(rest)), 0.05)) ** 2)
        assert one.z is not None
        one.z = one.z - complex(move[0], move[1])
        one.lay(rounds=1)


def _wander(seen: Sequence[_Laying], grid: Floats) -> float:
    """Slow error of the positions [m].

    As the laps' differences along the road tell that neither the scatter of each position nor the speeds explain, or those across
    it; there they may be the driver's as well, which cannot be told apart: half of all places decide.
    """
    if len(seen) < 2:
        return 0.0
    more = len(seen) / (len(seen) - 1)
    slow = np.array([one.on_grid(one.slow, grid) for one in seen])
    along = float(((slow - slow.mean(axis=0)) ** 2).mean()) * more
    known = float(np.mean([one.white_var() + one.way_var for one in seen]))
    across = (1.4826 * float(np.median(np.abs(_apart(seen, grid))))) ** 2 * more
    scatter = float(np.mean([one.across_var() for one in seen]))
    return math.sqrt(max(along - known, across - scatter, 0.0))


def _done(one: _Laying, wander: float, drift: Floats, seen: int) -> Placed:
    """A lap at its places."""
    length = one.base.length_m
    offset, offset_sd = None, 0.0
    if one.z is None:
        p = one.full(one.p + drift)
        place_sd, step_sd = math.hypot(_BLIND_M, math.sqrt(one.way_var)), _BLIND_STEP_M
    else:
        weight = one.way_var / (one.way_var + wander**2) if seen > 1 else 1.0
        p = one.full(one.p + drift + weight * (one.slow - drift) if seen > 1 else one.p + one.slow)
        white = one.white_var()
        left = one.way_var * wander**2 / (one.way_var + wander**2)
        place_sd, step_sd = math.sqrt(white + left), math.sqrt(2.0 * white + min(2.0 * left, one.way_var) + (_ASKEW * wander) ** 2)
        offset = np.interp(one.lap.t, one.t, gaussian_filter1d(one.across, _ACROSS_S * one.hz, mode="wrap"))
        offset_sd = math.hypot(one.rough() / math.sqrt(_counting(_ACROSS_S * one.hz)), wander)
    return Placed(
        one.lap.t, _rising(p, length), one.full_v, one.lap.columns, offset, max(place_sd, _LEAST_SD_M), max(step_sd, _LEAST_SD_M),
        offset_sd, one.speed_sd,
    )  # fmt: skip


def _counting(sd: float) -> float:
    """Samples that count in one that is smoothed by a bell of this many.

    Source: the sum of the squares of a bell's weights is 1 / (2 sqrt(pi) sd).
    """
    return max(2.0 * math.sqrt(math.pi) * sd, 1.0)


def _means(column: Floats, every: int) -> Floats:
    """Means of so many neighbours, the ends as they are."""
    if every == 1:
        return column
    inner = column[1:-1]
    count = len(inner) // every
    return np.concatenate([column[:1], inner[: count * every].reshape(count, every).mean(axis=1), column[-1:]])


def _positions(lap: RecordedLap, frame: Frame) -> Complex | None:
    """Positions in the frame of the circuit; None where too few are there."""
    if "x_m" not in lap.columns or "y_m" not in lap.columns:
        return None
    z = frame.laid(lap.columns["x_m"], lap.columns["y_m"])
    known = np.isfinite(z.real) & np.isfinite(z.imag)
    if known.mean() <= _KNOWN:
        return None
    return np.asarray(np.interp(lap.t, lap.t[known], z.real[known]) + 1j * np.interp(lap.t, lap.t[known], z.imag[known]))


def _wound(base: Base, t: Floats, v: Floats, p: Floats, n: Floats, bend: Floats) -> Floats:
    """Places of a car that drives beside the base line: on the inside of a bend it has less way to go, and askew more.

    Source: geometry, dp = v cos(h) dt / (1 - k n) with the offset n, the curvature k and the heading h to the line.
    """
    along = 1.0 - np.clip(bend * n, -0.8, 0.8)
    slope = np.gradient(n, t) / np.maximum(v, 2.0)
    rate = v * np.sqrt(1.0 - np.clip(slope, -0.5, 0.5) ** 2) / along
    way = np.concatenate([[0.0], np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(t))])
    return np.asarray(way * (base.length_m / way[-1])) if way[-1] > 0.0 else p


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


def base_of(line: Line, width_m: float) -> Base:
    """A line driven as the base of places.

    :param width_m: of its road [m]
    """
    return Base(line.x, line.y, line.s, line.road[:, 0], line.length_m, width_m)
