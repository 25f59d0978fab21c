"""A run corner by corner: what its laps have in common in each, how they scatter, what the best of each is worth, and how they drift."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .corner import CornerRead, LapReader, Window
from .place import Placed

Floats = NDArray[np.float64]

#: Laps without which nothing is said of a scatter, and of a drift.
LEAST_LAPS, _LEAST_DRIFT = 3, 5
#: A corner scatters when its laps do by so much more than those of the others for its length [-].
_SCATTERS = 1.6
#: Standard errors that a drift must exceed.
_DRIFT_SE = 2.5


@dataclass(frozen=True)
class Spread:
    """A value over the laps of a run.

    :param middle: median
    :param sd: scatter of one lap, by the median deviation, so that a lap that went wrong does not count
    :param laps: that have it
    """

    middle: float
    sd: float
    laps: int


@dataclass(frozen=True)
class Drift:
    """How a value changes with each lap of the run.

    :param slope: change a lap
    :param se: standard error of it
    """

    slope: float
    se: float

    @property
    def seen(self) -> bool:
        """Whether it is more than scatter."""
        return abs(self.slope) > _DRIFT_SE * self.se


@dataclass(frozen=True)
class Habit:
    """One corner over the laps of a run.

    :param window: of the corner; None for the way from the start line to the first
    :param laps_s: of each lap in its part of the lap, in the order driven [s]
    :param time_s: the same with its scatter [s]
    :param best_s: the least time of it [s]
    :param best_lap: number of the lap that has it
    :param brake_m: where braking begins before the corner's middle [m]; None where fewer than three laps show it
    :param slow_ms: speed at the slowest place [m/s]
    :param open_m: where the throttle is taken up behind the corner's middle [m]
    :param time_drift: of the time, as the tyres age and the fuel burns; None with few laps
    :param brake_drift: of the braking point, later positive; None with few laps
    :param scatters: whether the driver is scattered here beyond the other corners
    """

    window: Window | None
    laps_s: tuple[float, ...]
    time_s: Spread
    best_s: float
    best_lap: int
    brake_m: Spread | None
    slow_ms: Spread | None
    open_m: Spread | None
    time_drift: Drift | None
    brake_drift: Drift | None
    scatters: bool

    @property
    def brake_earlier(self) -> float:
        """Metres by which the braking point moves with each lap, either way [m]."""
        return abs(self.brake_drift.slope) if self.brake_drift is not None else 0.0

    @property
    def left_s(self) -> float:
        """What the usual lap leaves of the best here [s]."""
        return self.time_s.middle - self.best_s


def part_ends(corners: Sequence[Window], length_m: float) -> Floats:
    """Where the parts of the corners begin, the same for every lap: behind the corner before, well ahead of its own braking. The first is
    0, the last the lap's length [m]."""
    if not corners:
        return np.array([0.0, length_m])
    found = [0.0, 0.35 * max(corners[0].first_m, 1.0)]
    for before, corner in itertools.pairwise(corners):
        found.append(max(before.last_m + 0.35 * (corner.first_m - before.last_m), found[-1] + 1.0))
    return np.array([*found, max(length_m, found[-1] + 1.0)])


def part_times(laps: Sequence[Placed], corners: Sequence[Window], length_m: float) -> Floats:
    """Time of each lap in each part, shape [laps, corners + 1] [s]."""
    ends = part_ends(corners, length_m)
    return np.array([np.diff(lap.times(ends)) for lap in laps])


def habits(laps: Sequence[Placed], numbers: Sequence[int], corners: Sequence[Window], length_m: float) -> list[Habit]:
    """The corners of a run.

    :param laps: timed ones, placed together, in the order driven
    :param numbers: of each within the run
    """
    times = part_times(laps, corners, length_m)
    reads = [[reader.read(corner) for corner in corners] for reader in (LapReader(lap, length_m) for lap in laps)]
    found = []
    for part in range(len(corners) + 1):
        column = times[:, part]
        best = int(np.argmin(column))
        window = corners[part - 1] if part else None
        there = [row[part - 1] for row in reads] if part else []
        found.append(_habit(window, column, best, numbers, there))
    return _scattered(found)


def _habit(window: Window | None, column: Floats, best: int, numbers: Sequence[int], there: Sequence[CornerRead]) -> Habit:
    def over(values: Sequence[float | None]) -> Spread | None:
        known = np.array([value for value in values if value is not None])
        return spread(known) if len(known) >= LEAST_LAPS else None

    apex = window.apex_m if window else 0.0
    braked = [None if one.brake_m is None else apex - one.brake_m for one in there]
    opened = [None if one.open_m is None else one.open_m - apex for one in there]
    later = [None if value is None else -value for value in braked]
    return Habit(
        window, tuple(map(float, column)), spread(column), float(column[best]), numbers[best],
        over(braked), over([one.slow_ms for one in there]), over(opened),
        drift(numbers, list(column)), drift(numbers, later) if window else None, False,
    )  # fmt: skip


def _scattered(found: list[Habit]) -> list[Habit]:
    """Marks the corners in which the laps scatter by more than in the others, for the time that they take."""
    shares = [one.time_s.sd / math.sqrt(max(one.time_s.middle, 0.5)) for one in found]
    usual = float(np.median(shares)) if shares else 0.0
    enough = bool(found) and found[0].time_s.laps >= LEAST_LAPS + 1
    return [
        replace(one, scatters=enough and one.window is not None and share > _SCATTERS * usual > 0.0)
        for one, share in zip(found, shares, strict=True)
    ]  # fmt: skip


def spread(values: Floats) -> Spread:
    """Median and scatter of values.

    Source: the median absolute deviation is 0.6745 of a normal's standard deviation; few values make it small, by their number over one
    less.
    """
    middle, count = float(np.median(values)), len(values)
    sd = 1.4826 * float(np.median(np.abs(values - middle))) * math.sqrt(count / (count - 1)) if count > 1 else 0.0
    return Spread(middle, sd, count)


def drift(numbers: Sequence[int], values: Sequence[float | None]) -> Drift | None:
    """Change with each lap, by the medians of the slopes of all pairs; None with few laps.

    Source: Theil 1950, Sen 1968; the standard error is that of a least-squares line with the scatter of the rest.
    """
    known = [(number, value) for number, value in zip(numbers, values, strict=True) if value is not None]
    if len(known) < _LEAST_DRIFT:
        return None
    x, y = np.array([float(number) for number, _ in known]), np.array([value for _, value in known])
    i, j = np.triu_indices(len(x), 1)
    apart = x[j] - x[i]
    slope = float(np.median((y[j] - y[i])[apart != 0] / apart[apart != 0]))
    rest = spread(y - slope * x)
    wide = math.sqrt(float(((x - x.mean()) ** 2).sum()))
    return Drift(slope, rest.sd / wide if wide > 0 else math.inf)


def best_corners_s(found: Sequence[Habit]) -> float:
    """The lap of the best of every corner [s]."""
    return sum(one.best_s for one in found)
