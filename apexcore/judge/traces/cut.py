"""A recording parted into laps: by its lap number, by a distance that begins anew, by lap times told, or where it crosses a line."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...errors import InputError
from ...quantities.text import LAP_BOUNDS_S
from .channels import CHANNELS
from .clean import Cleaned, stands

Floats = NDArray[np.float64]

#: Part of the usual lap by which a distance falls where a new lap begins [-], and least of a lap [m].
_NEW_LAP, _LEAST_LAP_M = 0.5, 60.0
#: How far off a start line one crosses it [m], and how far before and behind it its crossing is read [s].
_BESIDE_M, _AROUND_S = 40.0, 0.6
#: How near to the line, beside what a car goes from one sample to the next, a recording begins or ends that does so upon it [m].
_ON_LINE_M = 2.0
#: Share by which the length of a lap may differ from that of the circuit [-].
_LENGTH_OFF = 0.04
#: Share of a lap without a value of speed from which on it cannot be read [-].
_MOST_MISSING = 0.02


@dataclass(frozen=True)
class StartLine:
    """Where a lap begins, in the frame of the recording's positions.

    :param x: of a point of it [m]
    :param y: of the same [m]
    :param east: direction of travel there [-]
    :param north: the same
    """

    x: float
    y: float
    east: float
    north: float


@dataclass(frozen=True)
class RecordedLap:
    """One lap of a recording, from the start line to the start line.

    :param number: within the recording, as it counts or from 1
    :param t: time since the start line of each sample, from 0 to the lap time [s]
    :param columns: channels by key; `distance_m` from 0 to the lap's length where there is any speed
    :param notes: what was odd on it
    """

    number: int
    t: Floats
    columns: Mapping[str, Floats]
    notes: tuple[str, ...] = ()

    @property
    def time_s(self) -> float:
        """Lap time [s]."""
        return float(self.t[-1])

    @property
    def length_m(self) -> float:
        """Way driven [m]; 0 where nothing tells it."""
        return float(self.columns["distance_m"][-1]) if "distance_m" in self.columns else 0.0


@dataclass(frozen=True)
class Cut:
    """:param laps: whole ones, in the order driven
    :param how: what told where they begin, in words
    :param notes: what was left out"""

    laps: tuple[RecordedLap, ...]
    how: str
    notes: tuple[str, ...]


def cut(recording: Cleaned, times_s: Sequence[float] = (), line: StartLine | None = None, length_m: float | None = None) -> Cut:
    """The whole laps of a recording.

    :param times_s: times at which the start line was crossed, where they are told by lap marks [s]
    :param line: where the start line is, if that is known
    :param length_m: of the circuit, if known
    :raises InputError: if nothing tells where a lap begins, or it holds no whole lap
    """
    numbers: Sequence[int] | None = None
    if len(times_s) >= 2:
        crossed, how = np.asarray(times_s, dtype=np.float64), "lap marks"
    elif "lap" in recording.columns and len(np.unique(recording.columns["lap"][np.isfinite(recording.columns["lap"])])) > 1:
        crossed, numbers = _by_number(recording)
        how = "the lap number"
    elif (resets := _by_distance(recording)) is not None:
        crossed, how = resets, "the distance, which begins anew each lap"
    elif line is not None and "x_m" in recording.columns and len(found := _by_line(recording, line)) >= 2:
        crossed, how = found, "positions at the start line"
    else:
        crossed, how = _one_lap(recording, length_m), "the whole recording, which is one lap"
    laps, notes = [], list[str]()
    for k in range(len(crossed) - 1):
        number = numbers[k] if numbers is not None else k + 1
        lap = _between(recording, float(crossed[k]), float(crossed[k + 1]), number, notes, length_m)
        if lap is not None:
            laps.append(lap)
    if not laps:
        raise InputError("recording", " ".join(notes)[:200] or "no whole lap", "at least one whole lap from start line to start line")
    return Cut(tuple(laps), how, tuple(notes))


def _by_number(recording: Cleaned) -> tuple[Floats, list[int]]:
    """Where the lap number changes; the last lap ends with the recording only if its distance says so."""
    lap = np.where(np.isfinite(recording.columns["lap"]), recording.columns["lap"], -1.0)
    changes = np.flatnonzero(np.diff(lap) != 0) + 1
    times = [_crossing(recording, int(k)) for k in changes]
    numbers = [int(lap[k]) for k in changes]
    first = recording.t[0]
    distance = recording.columns.get("distance_m")
    if lap[0] >= 0 and (distance is None or not np.isfinite(distance[0]) or distance[0] < 20.0):
        times, numbers = [float(first), *times], [int(lap[0]), *numbers]
    if lap[-1] >= 0:
        times.append(float(recording.t[-1]))
    return np.asarray(times), numbers


def _crossing(recording: Cleaned, k: int) -> float:
    """When the line was crossed between sample k-1 and k: told by the distance begun since, else midway."""
    before, after = float(recording.t[k - 1]), float(recording.t[k])
    distance, speed = recording.columns.get("distance_m"), recording.columns.get("speed_kmh")
    if distance is not None and speed is not None and distance[k] < distance[k - 1] and speed[k] > 5.0:  # NaN compares as false
        return min(max(after - float(distance[k]) / (float(speed[k]) / 3.6), before), after)
    return 0.5 * (before + after)


def begun_anew(t: Floats, columns: Mapping[str, Floats]) -> Floats | None:
    """When the distance began anew, a lap's start each time; None where it does not [s]."""
    return _by_distance(Cleaned(t, columns, ()))


def _by_distance(recording: Cleaned) -> Floats | None:
    """Where the distance begins anew; None where it does not."""
    distance = recording.columns.get("distance_m")
    if distance is None:
        return None
    filled = np.where(np.isfinite(distance), distance, np.maximum.accumulate(np.where(np.isfinite(distance), distance, -np.inf)))
    falls = np.flatnonzero(np.diff(filled) < -max(_NEW_LAP * float(np.nanmax(distance)), _LEAST_LAP_M)) + 1
    if not len(falls):
        return None
    times = [_crossing(recording, int(k)) for k in falls]
    if distance[0] < 20.0:
        times = [float(recording.t[0]), *times]
    speed = recording.columns.get("speed_kmh")
    longest = float(np.nanmax(distance))
    if np.isfinite(distance[-1]) and speed is not None and distance[-1] > 0.99 * longest:
        times.append(float(recording.t[-1]))
    return np.asarray(times) if len(times) >= 2 else None


def _by_line(recording: Cleaned, line: StartLine) -> Floats:
    """When the car's way crosses a line in the direction of travel."""
    x, y, t = recording.columns["x_m"], recording.columns["y_m"], recording.t
    along = (x - line.x) * line.east + (y - line.y) * line.north
    beside = np.abs(-(x - line.x) * line.north + (y - line.y) * line.east)
    with np.errstate(invalid="ignore"):
        there = np.flatnonzero((along[:-1] < 0) & (along[1:] >= 0) & (np.maximum(beside[:-1], beside[1:]) < _BESIDE_M)
                               & (np.diff(along) < _BESIDE_M))  # fmt: skip
    times: list[float] = []
    for k in there:
        near = np.flatnonzero((np.abs(t - t[k]) <= _AROUND_S) & np.isfinite(along))
        if len(near) >= 4:  # a straight fit of some samples, against the scatter of each
            slope, at = np.polyfit(t[near] - t[k], along[near], 1)
            when = float(t[k] - at / slope) if slope > 0.5 else float(t[k])
        else:
            when = float(t[k] - along[k] * (t[k + 1] - t[k]) / (along[k + 1] - along[k]))
        if not times or when - times[-1] > LAP_BOUNDS_S[0]:
            times.append(when)
    return np.asarray(_with_ends(times, t, along, beside))


def _with_ends(times: list[float], t: Floats, along: Floats, beside: Floats) -> list[float]:
    """Crossings of a line with the ends of a recording that begins or ends upon it, as one cut from another does.

    :param along: of each position, ahead of the line [m]
    :param beside: the middle of the line [m]
    """
    found = list(times)
    for end, side in ((0, 1.0), (len(t) - 1, -1.0)):
        near = np.flatnonzero((np.abs(t - t[end]) <= 2.0 * _AROUND_S) & np.isfinite(along))
        if len(near) < 4 or not beside[end] < _BESIDE_M:
            continue
        slope, at = np.polyfit(t[near] - t[end], along[near], 1)
        step_s = float(np.median(np.abs(np.diff(t[near]))))
        if slope < 3.0 or abs(at) > 1.4 * step_s * slope + _ON_LINE_M or float(np.abs(along[near]).max()) > _BESIDE_M * 4.0:
            continue
        when = float(t[end]) - side * min(max(side * float(at / slope), 0.0), 1.4 * step_s)
        if all(abs(when - one) > LAP_BOUNDS_S[0] for one in found):
            found.append(when)
    return sorted(found)


def _one_lap(recording: Cleaned, length_m: float | None) -> Floats:
    """The ends of a recording that is one lap.

    :raises InputError: if it is not
    """
    driven = driven_m(recording.t, recording.columns)
    wanted = "lap marks: a column with the lap number, a distance that begins anew each lap, or positions"
    if driven is None:
        raise InputError("recording", "no lap number, distance, positions or speed", wanted)
    if length_m is not None and abs(float(driven[-1]) / length_m - 1.0) > _LENGTH_OFF:
        raise InputError("recording", f"{driven[-1]:.0f} m driven, a lap is {length_m:.0f} m", wanted)
    return np.asarray([recording.t[0], recording.t[-1]])


def driven_m(t: Floats, columns: Mapping[str, Floats]) -> Floats | None:
    """Way driven from the first sample on: the speed summed up, else the steps of the positions; None where nothing tells it [m]."""
    speed = columns.get("speed_kmh")
    if speed is not None and np.isfinite(speed).sum() > 0.5 * len(speed):
        v = _filled(np.maximum(speed, 0.0)) / 3.6
        return np.concatenate([[0.0], np.cumsum(0.5 * (v[1:] + v[:-1]) * np.diff(t))])
    if "x_m" in columns and np.isfinite(columns["x_m"]).sum() > 0.5 * len(t):
        x, y = _filled(columns["x_m"]), _filled(columns["y_m"])
        return np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    distance = columns.get("distance_m")
    if distance is not None and np.isfinite(distance).sum() > 0.5 * len(distance):
        filled = _filled(distance)
        return np.maximum.accumulate(filled - filled[0])
    return None


def _filled(column: Floats) -> Floats:
    there = np.isfinite(column)
    return column if there.all() else np.asarray(np.interp(np.arange(len(column)), np.flatnonzero(there), column[there]))


def _between(recording: Cleaned, begin: float, end: float, number: int, notes: list[str], length_m: float | None) -> RecordedLap | None:
    """A lap between two times, its first and last moment between the samples around them; None where it is none, which is noted."""
    time_s, t = end - begin, recording.t
    name = f"Lap {number}"
    if not LAP_BOUNDS_S[0] <= time_s <= LAP_BOUNDS_S[1]:
        notes.append(f"{name} lasts {time_s:.1f} s and is left out; a lap takes {LAP_BOUNDS_S[0]:.0f} s to {LAP_BOUNDS_S[1] / 60:.0f} min.")
        return None
    inside = slice(int(np.searchsorted(t, begin + 1e-6, side="right")), int(np.searchsorted(t, end - 1e-6)))
    usual = 1.0 / recording.hz
    if inside.stop - inside.start < 20 or begin < t[0] - 1.5 * usual or end > t[-1] + 1.5 * usual:
        notes.append(f"{name} is not recorded from line to line; it is left out.")
        return None
    at = np.concatenate([[begin], t[inside], [end]])
    columns = {key: _moments(t, column, at, inside, key) for key, column in recording.columns.items() if key != "lap"}
    own: list[str] = []
    driven = driven_m(at - begin, columns)
    if driven is not None:
        measured = columns.get("distance_m")
        columns["distance_m"] = driven
        if measured is not None:
            _compare_distances(measured, driven, own)
    speed = columns.get("speed_kmh")
    if speed is not None and float(np.isnan(speed).mean()) > _MOST_MISSING:
        notes.append(f"{name}: {100 * float(np.isnan(speed).mean()):.0f} % of its speed is missing; it is left out.")
        return None
    if speed is not None and stands(at, speed):
        own.append("The car stood for some seconds.")
    longest = float(np.diff(at).max())
    if longest > max(1.0, 4.0 * usual):
        own.append(f"A gap of {longest:.1f} s.")
    if driven is not None and length_m is not None:
        _compare_lengths(float(driven[-1]), length_m, own)
    return RecordedLap(number, at - begin, columns, tuple(own))


def _moments(t: Floats, column: Floats, at: Floats, inside: slice, key: str) -> Floats:
    """A channel from the first to the last moment of a lap, those two between the samples around them."""
    ends = np.array([at[0], at[-1]])
    near = slice(max(inside.start - 2, 0), inside.stop + 2)
    t, around = t[near], column[near]
    if key in CHANNELS and CHANNELS[key].step:
        index = np.clip(np.searchsorted(t, ends, side="right") - 1, 0, len(t) - 1)
        edge = around[index]
    elif key == "distance_m":
        edge = np.array([0.0, np.nan])
    else:
        edge = np.interp(ends, t, around)
    return np.concatenate([edge[:1], column[inside], edge[1:]])


def _compare_distances(measured: Floats, driven: Floats, notes: list[str]) -> None:
    """A note where the recorded distance and the summed speed tell different ways."""
    known = np.isfinite(measured[:-1])
    if known.sum() < 10:
        return
    way = float(np.nanmax(measured) - np.nanmin(measured))
    off = float(driven[-1]) / way - 1.0 if way > 1.0 else 0.0
    if abs(off) > _LENGTH_OFF:
        notes.append(f"The distance recorded is {way:.0f} m, the speed sums up to {driven[-1]:.0f} m.")


#: Units that speeds are found in when they were told as km/h: what the way driven is to that of the lap, and their names.
SPEED_UNITS = {1 / 1.609344: "mph", 1 / 3.6: "m/s", 1 / 1.852: "knots", 1.609344: "km/h, told as mph"}


def other_speed_unit(driven_m: float, length_m: float) -> str | None:
    """The unit that a speed is in when the way it sums up to says that it is not in km/h; None where that fits, or nothing does."""
    ratio = driven_m / length_m
    if abs(ratio - 1.0) <= _LENGTH_OFF:
        return None
    return next((unit for share, unit in SPEED_UNITS.items() if abs(ratio / share - 1.0) <= _LENGTH_OFF), None)


def _compare_lengths(driven: float, length_m: float, notes: list[str]) -> None:
    if abs(driven / length_m - 1.0) > _LENGTH_OFF:
        unit = other_speed_unit(driven, length_m)
        hint = f" The speed looks like {unit}." if unit else ""
        notes.append(f"{driven:.0f} m driven, the circuit is {length_m:.0f} m.{hint}")
