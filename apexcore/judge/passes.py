"""What a logger's samples say of a corner, pass by pass: where it was braked for, and how fast the car came out."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import InputError
from .resting import without_rest

Floats = NDArray[np.float64]

#: Channels that are read, as a logger of ours names them.
CHANNELS = ("distance_m", "speed_kmh", "brake_pct")

#: Brake from which on one brakes [%], and part of a lap by which the distance falls where a new one begins [-].
_BRAKED_PCT, _NEW_LAP = 5.0, 0.5
#: Farthest that two samples may lie apart for a place between them to be read [m].
_GAP_M = 60.0


@dataclass(frozen=True)
class Pass:
    """A corner on one lap.

    :param lap: from 1, as the samples have it
    :param brake_m: where braking begins, along the lap [m]; None where it is not braked for
    :param within_m: half the way between the samples that tell it [m]
    :param exit_ms: speed at the place behind the corner that was asked for [m/s]
    """

    lap: int
    brake_m: float | None
    within_m: float
    exit_ms: float


def channels_of(columns: Mapping[str, Floats]) -> Floats:
    """Distance [m], speed [km/h] and brake [%] of the samples that have all three, shape [samples, 3].

    :param columns: channels by key, of one length, NaN where nothing was measured
    :raises InputError: if none has
    """
    rows = np.empty((0, 3))
    if all(name in columns for name in CHANNELS):
        rows = np.column_stack([columns[name] for name in CHANNELS])
        rows = rows[np.isfinite(rows).all(axis=1)]
    if not len(rows):
        raise InputError("samples", ", ".join(sorted(columns)[:20]) or "none", f"the channels {', '.join(CHANNELS)}")
    return np.asarray(rows, dtype=np.float64)


def passes(channels: Floats, length_m: float, from_m: float, to_m: float, exit_m: float) -> list[Pass]:
    """A corner on each lap on which the samples show it, from where it may be braked for to behind it.

    :param channels: of `channels_of`, in the order driven
    :param length_m: of the lap
    :param from_m: where the approach begins [m]
    :param to_m: the corner's slowest place; before `from_m` it lies over the start line [m]
    :param exit_m: where the speed behind it is read [m]
    """
    distance, speed, brake = channels.T
    brake = without_rest(brake, _gains(distance, speed))
    laps = np.concatenate([[0.0], np.cumsum(np.diff(distance) < -_NEW_LAP * length_m)])
    along = distance + laps * length_m
    found = []
    for lap in range(int(laps[-1]) + 1):
        first = from_m + lap * length_m
        last, exit_at = first + (to_m - from_m) % length_m, first + (exit_m - from_m) % length_m
        begin, after = int(np.searchsorted(along, first)), int(np.searchsorted(along, exit_at))
        if (begin == 0 and along[0] > first) or after >= len(along) or after == 0 or along[after] - along[after - 1] > _GAP_M:
            continue
        part = (exit_at - along[after - 1]) / max(along[after] - along[after - 1], 1e-9)
        exit_ms = float(speed[after - 1] + part * (speed[after] - speed[after - 1])) / 3.6
        brake_m, within_m = _braked(along, brake, begin, int(np.searchsorted(along, last)), length_m)
        found.append(Pass(lap + 1, brake_m, within_m, exit_ms))
    return found


def _gains(distance: Floats, speed_kmh: Floats) -> Floats:
    """Gain of speed at each sample, from the way between them [m/s2]; nothing where that does not rise."""
    v, way = speed_kmh / 3.6, np.gradient(distance)
    return np.asarray(np.divide(v * np.gradient(v), way, out=np.zeros(len(v)), where=(way > 0.0) & (way < _GAP_M)))


def _braked(along: Floats, brake: Floats, begin: int, end: int, length_m: float) -> tuple[float | None, float]:
    """Where the brakes come on, between the last sample without them and the first with, and half the way between the two."""
    for k in range(max(begin, 1), end):
        if brake[k] >= _BRAKED_PCT > brake[k - 1] and along[k] - along[k - 1] <= _GAP_M:
            return float(0.5 * (along[k] + along[k - 1])) % length_m, float(0.5 * (along[k] - along[k - 1]))
    return None, 0.0
