"""A circuit from recorded laps: from their positions, or from speed and lateral acceleration alone."""

import math
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ...circuit.averaged import through_laps
from ...circuit.points import LENGTH_BOUNDS_M
from ...errors import InputError
from .clean import Cleaned
from .cut import Cut, RecordedLap, StartLine, cut, driven_m
from .frame import way_of

Floats = NDArray[np.float64]

#: Spacing at which laps are averaged, and of the circuit's points [m].
_STEP_M, _POINTS_M = 1.0, 4.0
#: Smoothing along the way of one lap's curvature, and of positions that accelerations are held against [m].
_BEND_M, _PLACE_M = 4.0, 6.0
#: Positions that are read in a second, width of a road of which none is told [m], and how well accelerations must go with how positions
#: bend to be believed [-].
_HZ, _WIDTH_M, _GOES_WITH = 10.0, 10.0, 0.8
#: Way over which positions move the line that accelerations tell, and over which the two are held against each other [m].
_MOVED_M = 25.0
#: Speed below which curvature cannot be told from acceleration [m/s].
_LEAST_MS = 4.0
#: Share by which laps of one circuit differ in length at most [-]; how far a lap's turning may be from one turn [deg].
_LIKE, _TURN_DEG = 0.03, 40.0
#: Way of a recording without lap marks that is looked through [m].
_LONGEST_M = 2e6
#: Share of its way by which the ends of one lap lie apart at most [-]; and how nearly as well a shorter way repeats as the best [-].
_OPEN, _AS_WELL = 0.04, 0.85
#: Shortest lap that is believed [m].
_SHORTEST_M = 150.0


@dataclass(frozen=True)
class Survey:
    """A closed line that laps drove.

    :param x: of its points, the first at the start line [m]
    :param length_m: of the lap
    :param source: what told it
    :param laps: that it was made of
    :param closes_m: by how much the mean lap failed to close before it was made to [m]
    :param spread_m: how far laps lay from their mean, in the mean [m]; of lengths where there were no positions
    :param driven: keys of the laps, by which one is known again
    :param lap_spread: of lap times on it, as far as positions that scatter leave them open, one standard deviation [-]
    """

    x: Floats
    y: Floats
    length_m: float
    source: Literal["positions", "speed and lateral acceleration"]
    laps: int
    closes_m: float
    spread_m: float
    driven: tuple[str, ...] = ()
    lap_spread: float = 0.0

    def points(self) -> tuple[tuple[float, float, float], ...]:
        """Its points as a circuit's file has them."""
        return tuple((round(float(x), 3), round(float(y), 3), 0.0) for x, y in zip(self.x, self.y, strict=True))


def lap_key(lap: RecordedLap) -> str:
    """What a lap is known again by: its time, its way, and what it scattered, which no two have alike."""
    column = next((lap.columns[key] for key in ("speed_kmh", "x_m") if key in lap.columns), lap.t)
    scatter = zlib.crc32(np.round(np.nan_to_num(column), 1).astype(np.float32).tobytes())
    return f"{lap.time_s:.3f}/{lap.length_m:.0f}/{scatter:08x}"


def surveyed(laps: Sequence[RecordedLap]) -> Survey:
    """The line that laps drove.

    :raises InputError: if they tell none, or not the same one
    """
    usable = [lap for lap in laps if lap.length_m >= _SHORTEST_M]
    if not usable:
        raise InputError("laps", f"{len(laps)} with no way driven", "at least one lap with speed or positions")
    middle = float(np.median([lap.length_m for lap in usable]))
    usable = [lap for lap in usable if abs(lap.length_m / middle - 1.0) <= _LIKE]
    with_positions = [lap for lap in usable if "x_m" in lap.columns and float(np.isfinite(lap.columns["x_m"]).mean()) > 0.9]
    bent = [lap for lap in usable if "accel_lat_ms2" in lap.columns and "speed_kmh" in lap.columns and float(_felt(lap).mean()) > 0.9]
    if not with_positions and not bent:
        there = ", ".join(sorted({key for lap in usable for key in lap.columns}))[:120]
        raise InputError("channels", there, "positions, or speed and lateral acceleration")
    if not with_positions:
        return replace(_from_bends(bent), driven=tuple(map(lap_key, bent)))
    return replace(_from_positions(with_positions, bent), driven=tuple(map(lap_key, with_positions)))


def _felt(lap: RecordedLap) -> NDArray[np.bool_]:
    """Which samples of a lap know both its speed and its lateral acceleration."""
    return np.asarray(np.isfinite(lap.columns["speed_kmh"]) & np.isfinite(lap.columns["accel_lat_ms2"]))


def _from_positions(laps: Sequence[RecordedLap], bent: Sequence[RecordedLap]) -> Survey:
    """The lap that positions show, laid on each other; bent as accelerations say where they go with it.

    :param bent: laps with lateral acceleration: made to read as the positions bend, their line is moved to where the positions are
    """
    length = float(np.median([float(way_of(lap.columns["x_m"], lap.columns["y_m"])[-1]) for lap in laps]))
    count = _count(length)
    share = np.arange(count) / count
    rings = np.array([_ring(lap, share) for lap in laps])
    drift = (rings - rings[0]).mean(axis=1)  # receivers drift from lap to lap
    rings -= drift[:, None]
    mean = rings.mean(axis=0)
    gaps = [abs(complex(lap.columns["x_m"][-1] - lap.columns["x_m"][0], lap.columns["y_m"][-1] - lap.columns["y_m"][0])) for lap in laps]
    spread = float(np.abs(rings - mean).mean()) if len(laps) > 1 else 0.0
    shape = _shape(bent, _blurred(mean, _PLACE_M / (length / count)))
    if shape is not None:
        return _survey(_moved(mean, shape, length / count), "positions", len(laps), float(np.median(gaps)), spread)
    found = through_laps([_places(lap) - moved for lap, moved in zip(laps, drift, strict=True)], _WIDTH_M)
    ring = np.array([complex(x, y) for x, y, _ in found.points])
    return replace(_survey(ring, "positions", len(laps), float(np.median(gaps)), spread), lap_spread=found.spread)


def _places(lap: RecordedLap) -> NDArray[np.complex128]:
    """Its known positions, not more than `_HZ` of them in a second."""
    place = np.asarray(lap.columns["x_m"] + 1j * lap.columns["y_m"])
    every = max(round((len(lap.t) - 1) / lap.time_s / _HZ), 1)
    thinned = place[::every]
    return np.asarray(thinned[np.isfinite(thinned)])


def _shape(bent: Sequence[RecordedLap], ring: NDArray[np.complex128]) -> Survey | None:
    """The line that accelerations tell, their offset and scale taken out by how the ring bends; None where they do not go with it."""
    from scipy.ndimage import gaussian_filter1d

    count = len(ring)
    steps = np.roll(ring, -1) - ring
    bends = np.angle(steps / np.roll(steps, 1)) / np.abs(steps)
    wide = _MOVED_M / float(np.abs(steps).mean())
    mine, told = list[Floats](), list[Floats]()
    for lap in bent:
        known = _felt(lap)
        at = np.asarray(lap.columns["distance_m"])[known] / lap.length_m
        speed = np.interp((np.arange(count) + 0.5) / count, at, np.maximum(lap.columns["speed_kmh"][known] / 3.6, _LEAST_MS))
        felt = np.interp((np.arange(count) + 0.5) / count, at, lap.columns["accel_lat_ms2"][known])
        mine.append(gaussian_filter1d(speed**2 * bends, wide, mode="wrap"))
        told.append(gaussian_filter1d(felt, wide, mode="wrap"))
    if not bent or not np.ptp(np.concatenate(told)) > 0.0:
        return None
    if not float(np.corrcoef(np.concatenate(mine), np.concatenate(told))[0, 1]) >= _GOES_WITH:
        return None
    scale, offset = np.polyfit(np.concatenate(mine), np.concatenate(told), 1)
    right = [(np.asarray(lap.columns["accel_lat_ms2"]) - float(offset)) / float(scale) for lap in bent]
    try:
        return _from_bends([replace(lap, columns={**lap.columns, "accel_lat_ms2": felt}) for lap, felt in zip(bent, right, strict=True)])
    except InputError:  # an accelerometer that is none, beside positions that are
        return None


def _count(length_m: float) -> int:
    """Places at which a lap is averaged.

    :raises InputError: if no circuit is that long
    """
    low, high = LENGTH_BOUNDS_M
    if not low <= length_m <= high:  # also where it is no number
        raise InputError("laps", f"{length_m:.0f} m of way", f"{low:.0f} m to {high:.0f} m, as a lap of a circuit has")
    return max(round(length_m / _STEP_M), 60)


def _ring(lap: RecordedLap, share: Floats) -> NDArray[np.complex128]:
    x, y = lap.columns["x_m"], lap.columns["y_m"]
    known = np.isfinite(x) & np.isfinite(y)
    way = np.asarray(lap.columns["distance_m"]) / lap.length_m
    return np.asarray(np.interp(share, way[known], x[known]) + 1j * np.interp(share, way[known], y[known]))


def _blurred(line: NDArray[np.complex128], sd: float) -> NDArray[np.complex128]:
    from scipy.ndimage import gaussian_filter1d

    return np.asarray(gaussian_filter1d(line.real, sd, mode="wrap") + 1j * gaussian_filter1d(line.imag, sd, mode="wrap"))


def _moved(mean: NDArray[np.complex128], shape: Survey, ds: float) -> NDArray[np.complex128]:
    """A shape turned and shifted onto positions, and moved by their smoothed distance from it."""
    ring, count = shape.x + 1j * shape.y, len(mean)
    at = np.arange(len(ring) + 1) / len(ring)
    even = np.arange(count) / count
    closed = np.append(ring, ring[0])
    line = _spline(at, closed, even)
    a, b = line - line.mean(), mean - mean.mean()
    turn = (np.conj(a) * b).sum() / (np.abs(a) ** 2).sum()
    laid = turn * a + mean.mean()
    return np.asarray(laid + _blurred(mean - laid, _MOVED_M / ds))


def _spline(at: Floats, closed: NDArray[np.complex128], even: Floats) -> NDArray[np.complex128]:
    from scipy.interpolate import CubicSpline

    return np.asarray(CubicSpline(at, closed, bc_type="periodic")(even))


def _from_bends(laps: Sequence[RecordedLap]) -> Survey:
    """A line whose curvature is the lateral acceleration over the speed squared, made to turn once and to close.

    The accelerometer's scale and offset are free, and so is a slow drift of it: the smallest such change that closes the lap, in heading
    and in place, is made (Newton's steps of least norm).
    """
    from scipy.ndimage import gaussian_filter1d

    lengths = np.array([lap.length_m for lap in laps])
    length = float(np.median(lengths))
    count = _count(length)
    ds = length / count
    bends = np.mean([_bend(lap, count) for lap in laps], axis=0)
    bends = gaussian_filter1d(bends, 0.5 * _BEND_M / ds, mode="wrap")
    turned = float(bends.sum() * ds)
    if abs(abs(turned) - 2.0 * math.pi) > math.radians(_TURN_DEG):
        told = f"a lap that turns by {math.degrees(turned):.0f}°"
        raise InputError("lateral acceleration", told, "about 360° either way; is it in m/s² or g, and is the lap whole?")
    goal = math.copysign(2.0 * math.pi, turned)
    mean = (np.arange(count) + 0.5) / count - 0.5
    parts = np.array(
        [bends, np.full(count, 1.0 / length), mean / length, np.sin(2 * np.pi * mean) / length, np.cos(2 * np.pi * mean) / length]
    )
    weight = np.array([0.05, 0.3, 0.3, 0.15, 0.15])  # how far each may be expected to be off
    change = np.zeros(len(parts))
    closes = 0.0
    for step in range(30):
        miss, slope = _misses(parts, change, ds, goal)
        if step == 0:
            closes = float(np.hypot(miss[1], miss[2]))
        if np.abs(miss).max() < 1e-6:
            break
        change -= weight * np.linalg.lstsq(slope * weight, miss, rcond=None)[0]
    line, _ = _drawn(parts[0] + change @ parts, ds)
    spread = float(np.std(lengths)) if len(laps) > 1 else 0.0
    return _survey(line[:-1] - np.arange(count) / count * (line[-1] - line[0]), "speed and lateral acceleration", len(laps), closes, spread)


def _bend(lap: RecordedLap, count: int) -> Floats:
    """Curvature at even places of a lap [1/m]."""
    from scipy.ndimage import gaussian_filter1d

    speed = np.maximum(lap.columns["speed_kmh"] / 3.6, _LEAST_MS)
    known = np.isfinite(speed) & np.isfinite(lap.columns["accel_lat_ms2"])
    way = np.asarray(lap.columns["distance_m"]) / lap.length_m
    hz = (len(lap.t) - 1) / lap.time_s
    quiet = gaussian_filter1d(speed[known], max(0.1 * hz, 0.5))
    return np.asarray(np.interp((np.arange(count) + 0.5) / count, way[known], lap.columns["accel_lat_ms2"][known] / quiet**2))


def _drawn(bends: Floats, ds: float) -> tuple[NDArray[np.complex128], Floats]:
    """A line of these curvatures at even steps, and its headings midway."""
    heading = np.cumsum(bends) * ds - 0.5 * bends * ds
    return np.concatenate([[0.0], np.cumsum(np.exp(1j * heading)) * ds]), heading


def _misses(parts: Floats, change: Floats, ds: float, goal: float) -> tuple[Floats, Floats]:
    """By how much a line misses to turn once and to come back, and how that changes with each part."""
    bends = parts[0] + change @ parts
    line, heading = _drawn(bends, ds)
    end = line[-1]
    miss = np.array([bends.sum() * ds - goal, end.real, end.imag])
    ahead = 1j * np.exp(1j * heading) * ds  # what a turn of this step's heading does to the end
    slope = np.empty((3, len(parts)))
    for k, part in enumerate(parts):
        turn = np.cumsum(part) * ds - 0.5 * part * ds
        moved = (ahead * turn).sum()
        slope[:, k] = (part.sum() * ds, moved.real, moved.imag)
    return miss, slope


def _survey(
    line: NDArray[np.complex128], source: Literal["positions", "speed and lateral acceleration"], laps: int, closes: float, spread: float
) -> Survey:
    steps = np.abs(np.diff(np.append(line, line[0])))
    way = np.concatenate([[0.0], np.cumsum(steps)])
    length = float(way[-1])
    count = max(round(length / _POINTS_M), 12)
    at = length * np.arange(count) / count
    ring = np.append(line, line[0])
    return Survey(np.interp(at, way, ring.real), np.interp(at, way, ring.imag), length, source, laps, closes, spread)


def parted_alone(recording: Cleaned) -> Cut:
    """The laps of a recording of which no circuit is known: by its lap number or distance, else where its way repeats.

    :raises InputError: if nothing tells where a lap begins
    """
    keys = set(recording.columns)
    if "lap" in keys or ("distance_m" in keys and float(np.nanmax(recording.columns["distance_m"])) < 0.7 * _total(recording)):
        return cut(recording)
    line = _own_line(recording) if "x_m" in keys else None
    if line is None:
        return cut(recording, list(_repeats(recording)))
    x, y = recording.columns["x_m"], recording.columns["y_m"]
    known = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
    apart = math.hypot(float(x[known[-1]] - x[known[0]]), float(y[known[-1]] - y[known[0]]))
    found = cut(recording, line=line)
    if "whole recording" in found.how and apart > _OPEN * float(way_of(x, y)[-1]):
        raise InputError("recording", f"a way that ends {apart:.0f} m from where it begins", "at least one whole lap")
    return found


def _total(recording: Cleaned) -> float:
    driven = driven_m(recording.t, recording.columns)
    return 0.0 if driven is None else float(driven[-1])


def _own_line(recording: Cleaned) -> StartLine | None:
    """A start line of the recording's own: where it is fastest, so that its crossings are told best."""
    from scipy.ndimage import gaussian_filter1d

    x, y, t = recording.columns["x_m"], recording.columns["y_m"], recording.t
    known = np.isfinite(x) & np.isfinite(y)
    if int(known.sum()) < 50:
        return None
    hz = recording.hz
    smooth_x, smooth_y = (gaussian_filter1d(np.interp(t, t[known], values[known]), max(0.3 * hz, 1.0)) for values in (x, y))
    vx, vy = np.gradient(smooth_x, t), np.gradient(smooth_y, t)
    speed = np.hypot(vx, vy)
    k = int(np.argmax(speed))
    if speed[k] < _LEAST_MS:
        return None
    return StartLine(float(smooth_x[k]), float(smooth_y[k]), float(vx[k] / speed[k]), float(vy[k] / speed[k]))


def _repeats(recording: Cleaned) -> Floats:
    """When a recording begins anew, by where its curvature over the way repeats itself; its ends where it is one lap.

    :raises InputError: if it does not
    """
    from scipy.ndimage import gaussian_filter1d

    driven = driven_m(recording.t, recording.columns)
    wanted = "a lap number, a distance that begins anew, positions, or speed and lateral acceleration over two laps"
    if driven is None or "accel_lat_ms2" not in recording.columns or "speed_kmh" not in recording.columns:
        raise InputError("recording", ", ".join(sorted(recording.columns))[:80], wanted)
    if not driven[-1] <= _LONGEST_M:
        raise InputError("recording", f"{driven[-1]:.0f} m driven", f"at most {_LONGEST_M:.0f} m, or lap marks")
    speed = np.maximum(np.nan_to_num(recording.columns["speed_kmh"]) / 3.6, _LEAST_MS)
    at = np.arange(0.0, driven[-1], 2.0)
    bend = gaussian_filter1d(np.interp(at, driven, np.nan_to_num(recording.columns["accel_lat_ms2"]) / speed**2), 3.0)
    turned = abs(float(bend.sum() * 2.0))
    if abs(turned - 2.0 * math.pi) < math.radians(_TURN_DEG):
        return np.array([recording.t[0], recording.t[-1]])
    centred = bend - bend.mean()
    size = 1 << (2 * len(centred) - 1).bit_length()
    spectrum = np.fft.rfft(centred, size)
    match = np.fft.irfft(spectrum * np.conj(spectrum), size)[: len(centred)]
    match /= np.maximum(len(centred) - np.arange(len(centred)), 1) * max(float(match[0]) / len(centred), 1e-12)
    low, high = int(_SHORTEST_M / 2.0), int(len(centred) * 0.75)
    if high <= low:
        raise InputError("recording", f"{driven[-1]:.0f} m driven", wanted)
    best = float(match[low:high].max())
    if best < 0.5:
        raise InputError("recording", "a way that does not repeat itself", wanted)
    inner = match[low:high]
    tops = np.flatnonzero((inner >= _AS_WELL * best) & (inner >= np.roll(inner, 1)) & (inner >= np.roll(inner, -1)))
    peak = low + int(tops[0])  # twice round repeats as well as once
    lap = peak * 2.0
    first = float(at[int(np.argmin(np.abs(bend[: max(int(lap / 2.0), 1)])))])  # a straight begins the lap
    return np.asarray(np.interp(np.arange(first, driven[-1], lap), driven, recording.t))
