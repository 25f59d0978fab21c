"""Where on the road a recorded car was: its way and its positions made one place along the lap."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...circuit.moves import behind_m
from ...errors import InputError
from .channels import CHANNELS
from .cut import RecordedLap
from .frame import Base, Complex, Floats, Frame

#: Moments a second at which a lap is laid on the road.
_LAID_HZ = 19.0
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
#: A delay of the speed behind the positions that is undone: least and most [s], how many times its own error it must be, and over how long
#: the errors of positions are akin [s].
_LAG_S, _LAG_SURE, _AKIN_S = (0.015, 0.6), 3.5, 4.0
#: Errors of positions that last longer than about this do not count in it [s].
_QUICK_S = 1.6
#: How long before a car slows the brake comes on, as loggers show it [s], and what is tried about it.
_ONSET_S, _ONSETS_S = 0.04, np.arange(-0.1, 0.75, 0.01)


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
    :param lag_s: by how much the speed came later than the positions, which is undone [s]
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
    lag_s: float = 0.0

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
        from scipy.ndimage import gaussian_filter1d

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

    def undelayed(self) -> float:
        """Takes a delay of the speed behind the positions out of speed and way, and of the other channels where they share it. Returns it
        [s]; 0 where there is none that can be told.

        A way summed up from speeds that come late by a time runs behind the positions by that time the speed, so that the difference
        of both goes with the speed: least squares of what changes within a few seconds, with errors of positions that are akin for
        some seconds (Newey and West, Econometrica 55, 1987).
        """
        from scipy.ndimage import gaussian_filter1d

        assert self.z is not None
        spot, _ = self.base.project(self.z, self.p)
        off = behind_m(spot - self.p, 0.0, self.base.length_m)[1:-1]
        quick = [column - gaussian_filter1d(column, _QUICK_S * self.hz, mode="nearest") for column in (off, self.v[1:-1])]
        off, x = quick[0], np.column_stack([np.ones(len(off)), quick[1]])
        inverse = np.linalg.inv(x.T @ x)
        found = inverse @ (x.T @ off)
        pull = x * (off - x @ found)[:, None]
        spread, akin = pull.T @ pull, max(int(_AKIN_S * self.hz), 1)
        for k in range(1, min(akin, len(off) - 1)):
            both = pull[k:].T @ pull[:-k]
            spread += (1.0 - k / akin) * (both + both.T)
        error = math.sqrt(max(float((inverse @ spread @ inverse)[1, 1]), 1e-12))
        lag = float(found[1])
        if not max(_LAG_S[0], _LAG_SURE * error) < abs(lag) <= _LAG_S[1]:
            return 0.0
        self._undelay(lag)
        return lag

    def _undelay(self, lag: float) -> None:
        lap = self.lap
        columns, alike = dict(lap.columns), _delayed_alike(lap.t, self.full_v, lap.columns, lag)
        for key, column in columns.items():
            if key == "speed_kmh" or (alike and key not in ("x_m", "y_m", "distance_m")):
                columns[key] = _later(lap.t, np.asarray(column), lag, key in CHANNELS and CHANNELS[key].step)
        self.full_v = np.maximum(_later(lap.t, self.full_v, lag), 0.0)
        way = np.concatenate([[0.0], np.cumsum(0.5 * (self.full_v[1:] + self.full_v[:-1]) * np.diff(lap.t))])
        self.full_way = way * (self.base.length_m / way[-1])
        columns["distance_m"] = way
        self.lap = RecordedLap(lap.number, lap.t, columns)
        every = max(int((len(lap.t) - 1) / lap.time_s / _LAID_HZ), 1)
        self.way, self.v = _means(self.full_way, every), _means(self.full_v, every)
        self.p = self.way

    def white_var(self) -> float:
        """What the scatter of each position leaves in the smoothed ones, as a variance [m2]."""
        return (_MORE * self.white) ** 2 / _counting(_CORRECT_S * self.hz)

    def rough(self) -> float:
        """Scatter of one position across the road [m]."""
        from scipy.ndimage import gaussian_filter1d

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
    lags = dict[int, float]()
    for one in seen:
        one.lay()
        if (lag := one.undelayed()) != 0.0:
            lags[id(one)] = lag
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
    done = [_done(one, wander, np.interp(one.p, grid, drift), len(seen)) for one in found]
    return [replace(lap, lag_s=lags.get(id(one), 0.0)) for lap, one in zip(done, found, strict=True)]


def _later(t: Floats, column: Floats, lag: float, step: bool = False) -> Floats:
    """A channel as it stood a time later, round the lap."""
    at = np.mod(t + lag, t[-1])
    if step:
        return np.asarray(column[np.clip(np.searchsorted(t, at, side="right") - 1, 0, len(t) - 1)])
    return np.asarray(np.interp(at, t, column))


def _delayed_alike(t: Floats, v: Floats, columns: Mapping[str, Floats], lag: float) -> bool:
    """Whether brake and throttle came as late as the speed: the brake then comes on as long before the car slows as it always does.
    Without a brake that tells, they did not."""
    brake = columns.get("brake_pct")
    if brake is None or not np.isfinite(brake).all() or float(np.ptp(brake)) < 5.0:
        return False
    slowing = np.maximum(-np.gradient(v, t), 0.0)
    like = [float(np.corrcoef(np.interp(t - before, t, brake), slowing)[0, 1]) for before in _ONSETS_S]
    before = float(_ONSETS_S[int(np.argmax(like))])
    return abs(before - _ONSET_S) < abs(before - _ONSET_S - lag)


def _beside(one: _Laying) -> Floats:
    from scipy.ndimage import gaussian_filter1d

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
    from scipy.ndimage import gaussian_filter1d

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
    from scipy.ndimage import gaussian_filter1d

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
