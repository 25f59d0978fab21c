"""A run corner by corner against a lap of the model that uses all of the car: what the driver did not ask for, and where the car does
more than the model has it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .corner import CornerRead, LapReader, Window
from .habits import LEAST_LAPS, Spread, spread
from .place import Placed

Floats = NDArray[np.float64]

#: Smoothing of the speed [s].
_SMOOTH_S = 0.15
#: Standard deviation of what the model has wrong in one corner, and in all alike: its radius, camber and surface [-].
_CORNER_SD, _ALL_SD = 0.03, 0.01
#: Chance with which the car's grip is below the floor that is told [-].
_BELOW = 0.05
#: Braking that is long enough to be told [s], and loss of speed that is [m/s].
_LEAST_S, _LEAST_MS = 0.3, 4.0


@dataclass(frozen=True)
class CornerUse:
    """What a driver asks of the car in one corner.

    :param window: of the corner
    :param slow_ms: speed at the slowest place of a usual lap [m/s]
    :param limit_ms: that of the model's lap at the car's limit [m/s]
    :param across: cornering force at the slowest place over that of the model's lap [-]; None where the model is flat
    :param braking: deceleration on the brakes over that of the model's lap [-]; None where one of the two does not brake
    """

    window: Window
    slow_ms: Spread
    limit_ms: float
    across: Spread | None
    braking: Spread | None

    @property
    def left(self) -> float | None:
        """Share of the model's cornering force that is not asked for [-]; negative where the car does more than the model."""
        return None if self.across is None else 1.0 - self.across.middle

    @property
    def beyond(self) -> bool:
        """Whether the car corners on more here than the model has, by more than laps and model scatter. Braking is not held against the
        model so: who arrives slower, and brakes later for it, may well brake harder."""
        return self.across is not None and self.across.middle - 1.0 > 2.0 * sure(self.across)

    @property
    def unasked(self) -> bool:
        """Whether the driver leaves some of the cornering force, by more than laps and model scatter."""
        return self.across is not None and 1.0 - self.across.middle > 2.0 * sure(self.across)


def sure(share: Spread) -> float:
    """Standard error of a share in one corner, by the laps and by what the model has wrong there [-]."""
    return math.hypot(1.25 * share.sd / math.sqrt(share.laps), math.hypot(_CORNER_SD, _ALL_SD))


def corner_uses(laps: Sequence[Placed], limit: Placed, corners: Sequence[Window], length_m: float) -> list[CornerUse]:
    """Every corner in driving order.

    :param laps: timed ones of a run
    :param limit: the model's lap with all of the car, on the same base line
    """
    model = _Read(limit, corners, length_m)
    mine = [_Read(lap, corners, length_m) for lap in laps]
    found = []
    for k, window in enumerate(corners):
        slow = np.array([one.reads[k].slow_ms for one in mine])
        flat = model.reads[k].open_m is None and model.reads[k].brake_m is None
        across = None if flat or len(slow) < LEAST_LAPS else spread((slow / model.reads[k].slow_ms) ** 2)
        hard = model.braking(k)
        shares = np.array([share / hard for one in mine if hard is not None and (share := one.braking(k)) is not None])
        braking = spread(shares) if len(shares) >= LEAST_LAPS else None
        found.append(CornerUse(window, spread(slow), model.reads[k].slow_ms, across, braking))
    return found


class _Read:
    """A lap's corners, and how hard it brakes for each."""

    def __init__(self, lap: Placed, corners: Sequence[Window], length_m: float) -> None:
        reader = LapReader(lap, length_m)
        self.lap, self.length = lap, length_m
        self.reads: list[CornerRead] = [reader.read(corner) for corner in corners]

    def braking(self, k: int) -> float | None:
        """Mean deceleration from just behind where braking begins to the middle of its loss of speed [m/s2]; None where there is too
        little of it. The end, at which brakes are let go while turning in, is left out."""
        from scipy.ndimage import gaussian_filter1d

        read = self.reads[k]
        if read.brake_m is None or read.released_m is None:
            return None
        begin, end = (float(self.lap.times(np.array([place]))[0]) for place in (read.brake_m, min(read.released_m, read.slow_m)))
        at = np.linspace(begin, end, 60)
        hz = (len(self.lap.t) - 1) / self.lap.time_s
        v = np.interp(at % self.lap.time_s, self.lap.t, gaussian_filter1d(self.lap.v, max(_SMOOTH_S * hz, 0.5)))
        if end - begin < _LEAST_S or v[0] - v[-1] < _LEAST_MS:
            return None
        first, last = (float(np.interp(share, (v[0] - v) / (v[0] - v[-1]), at)) for share in (0.15, 0.65))
        return 0.5 * float(v[0] - v[-1]) / max(last - first, 1e-3)


@dataclass(frozen=True)
class Floor:
    """The least that the car's grip is over the book's.

    :param value: expected least [-]
    :param sd: standard deviation [-]
    :param corners: that tell it
    """

    value: float
    sd: float
    corners: int


def grip_floor(uses: Sequence[CornerUse]) -> Floor | None:
    """The grip that the car has at least, over that of the car as entered: nobody corners on more than there is.

    The mean of the corners is that of a driver who never reached the limit, the highest that of one who did once; each is lowered by what
    it is unsure by, the highest by as many corners as it was picked from (Bonferroni), and the greater of the two is told.

    :param uses: against the model's lap of the car as entered
    :returns: None where it says no more than the book
    """
    from scipy.special import ndtri

    told = [one.across for one in uses if one.across is not None]
    if len(told) < 2:
        return None
    middles = np.array([one.middle for one in told])
    sds = np.array([math.hypot(1.25 * one.sd / math.sqrt(one.laps), _CORNER_SD) for one in told])
    mean, mean_sd = float(middles.mean()), math.hypot(float(np.sqrt((sds**2).sum())) / len(told), _ALL_SD)
    usual, picked = float(ndtri(1.0 - _BELOW)), float(ndtri(1.0 - _BELOW / len(told)))
    low = max(mean - usual * mean_sd, float((middles - picked * sds).max()) - usual * _ALL_SD)
    if low <= 1.0:
        return None
    return Floor(low + usual * mean_sd, mean_sd, len(told))
