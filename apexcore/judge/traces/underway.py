"""A lap that is being driven beside a reference: the gap at the end of each corner that is behind it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...circuit.moves import behind_m
from .corner import Window
from .cut import driven_m
from .frame import Base, Frame
from .habits import part_ends
from .place import Placed

Floats = NDArray[np.float64]

#: How far the first sample may lie behind the line for the lap to be told from its start [m].
_LATE_M = 150.0


@dataclass(frozen=True)
class Passed:
    """A corner that is behind the car.

    :param window: of the corner; None for the way to the first
    :param gap_s: to the reference at its end, behind positive [s]
    :param here_s: lost in it [s]
    """

    window: Window | None
    gap_s: float
    here_s: float


@dataclass(frozen=True)
class UnderWay:
    """:param place_m: where the car is along the base line [m]
    :param gap_s: to the reference there, behind positive [s]
    :param passed: corners behind it, in driving order"""

    place_m: float
    gap_s: float
    passed: tuple[Passed, ...]


def gap_under_way(
    t: Floats, columns: Mapping[str, Floats], base: Base, frame: Frame | None, reference: Placed, corners: Sequence[Window],
    scale: float = 1.0,
) -> UnderWay | None:  # fmt: skip
    """How a lap under way stands against a reference; None where its samples do not tell.

    :param t: moments since the start line [s]
    :param frame: how its positions lie on the circuit; None to go by the way driven
    :param scale: length of the base line over the way that this car's laps are long [-]
    """
    way = driven_m(t, columns)
    if way is None or len(t) < 3 or way[-1] <= 0.0:
        return None
    speed = columns.get("speed_kmh")
    before = float(np.nan_to_num(speed[0])) / 3.6 * float(t[0]) if speed is not None else 0.0
    place = (way + before) * scale
    if frame is not None and "x_m" in columns:
        z = frame.laid(columns["x_m"], columns["y_m"])
        known = np.isfinite(z.real) & np.isfinite(z.imag)
        if known.mean() > 0.8:
            spot, _ = base.project(z[known], place[known])
            off = behind_m(spot - place[known], 0.0, base.length_m)
            place = place + np.interp(t, t[known], _quiet(off))
    if place[0] > _LATE_M:
        return None
    place = np.maximum.accumulate(np.clip(place, 0.0, base.length_m))
    now = float(place[-1])
    ends = part_ends(corners, base.length_m)
    behind = [float(end) for end in ends[1:] if end <= now]
    mine = np.interp([0.0, *behind], np.concatenate([[0.0], place]), np.concatenate([[0.0], t]))
    gaps = mine - reference.times(np.array([0.0, *behind]))
    passed = tuple(
        Passed(corners[k - 1] if k else None, float(gaps[k + 1]), float(gaps[k + 1] - gaps[k])) for k in range(len(behind))
    )  # fmt: skip
    return UnderWay(now, float(t[-1] - reference.times(np.array([now]))[0]), passed)


def _quiet(off: Floats) -> Floats:
    """A difference without the scatter of each position: the running mean of the last dozen, which waits for nothing."""
    size = min(12, len(off))
    total = np.cumsum(np.concatenate([[0.0], off]))
    count = np.minimum(np.arange(1, len(off) + 1), size)
    return np.asarray((total[1:] - total[np.arange(1, len(off) + 1) - count]) / count)
