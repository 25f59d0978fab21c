"""What a recorded lap did in one corner: where it was braked for, how slow the car became, where it went back to the throttle."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...circuit.line import CornerSpan, Line
from ..resting import without_rest
from .place import Placed

Floats = NDArray[np.float64]

#: Share of the greatest braking of the lap from which on one brakes, of the throttle from which on one is on it, and all the way [-].
_BRAKED, _OPEN, _FULL = 0.06, 0.10, 0.95
#: Time for which the throttle stays open where it is open for good, and for which the brakes may be let go between [s].
_STAYS_S, _PAUSE_S = 0.3, 0.35
#: Deceleration that only brakes make, where no brake was recorded [m/s2].
_BRAKES_MS2 = 4.0
#: How far beyond a corner's ends its slowest place is looked for [m].
_AROUND_M = 12.0


@dataclass(frozen=True)
class Window:
    """Where a corner lies along the lap, and how far around it belongs to it.

    :param number: from 1, in driving order
    :param name: of the corner, may be empty
    :param from_m: the middle of the corner before, as seen from here: may be below 0 [m]
    :param first_m: its beginning [m]
    :param apex_m: where the line bends most [m]
    :param last_m: its end [m]
    :param to_m: the middle of the corner behind, may lie beyond the lap's length [m]
    :param left: whether it turns left
    """

    number: int
    name: str
    from_m: float
    first_m: float
    apex_m: float
    last_m: float
    to_m: float
    left: bool


def windows(line: Line, spans: Sequence[CornerSpan]) -> list[Window]:
    """The corners of a line as stretches of it."""
    s, length, count = line.s, line.length_m, len(line.s)

    def place(station: int) -> float:
        return float(s[station % count]) + length * (station // count)

    found = []
    for k, span in enumerate(spans):
        before, after = spans[k - 1], spans[(k + 1) % len(spans)]
        low = place(before.apex) - (length if k == 0 else 0.0)
        high = place(after.apex) + (length if k == len(spans) - 1 else 0.0)
        if not line.closed:
            low, high = max(low, 0.0), min(high, length)
        if low >= place(span.first):
            low = 0.0
        found.append(Window(span.number, span.name, low, place(span.first), place(span.apex), place(span.last), high, span.turn_deg > 0))
    return found


@dataclass(frozen=True)
class CornerRead:
    """One corner of one lap; places along the base line, None where it did not happen or was not recorded.

    :param brake_m: where braking begins [m]
    :param brake_sd_m: what that is unsure by [m]
    :param lift_m: where the throttle is let go before the corner [m]
    :param brake_share: braking in its strongest stretch, over the strongest of the lap [-]
    :param released_m: where the brakes are off again [m]
    :param slow_m: the slowest place [m]
    :param slow_ms: speed there [m/s]
    :param gear: there
    :param offset_m: how far left of the base line the car is at the corner's middle [m]
    :param open_m: where the throttle is taken up again [m]
    :param open_s: how long after the slowest place that is [s]
    :param full_m: where it is open for good [m]
    :param end_ms: greatest speed before the next corner is braked for [m/s]
    """

    window: Window
    brake_m: float | None
    brake_sd_m: float
    lift_m: float | None
    brake_share: float | None
    released_m: float | None
    slow_m: float
    slow_ms: float
    gear: int | None
    offset_m: float | None
    open_m: float | None
    open_s: float | None
    full_m: float | None
    end_ms: float


class LapReader:
    """Reads the corners of one lap; the lap goes on into itself, so that a corner over the start line is one."""

    def __init__(self, lap: Placed, length_m: float) -> None:
        from scipy.ndimage import gaussian_filter1d

        self.lap, self.length = lap, length_m
        once = slice(0, len(lap.t) - 1)
        self.p = np.concatenate([lap.p[once] - length_m, lap.p[once], lap.p + length_m])
        self.t = np.concatenate([lap.t[once] - lap.time_s, lap.t[once], lap.t + lap.time_s])
        self.hz = (len(lap.t) - 1) / lap.time_s
        width = max(0.08 * self.hz, 0.5)
        self.v_raw = self._thrice(lap.v)
        self.v = gaussian_filter1d(self.v_raw, width)
        self.accel = np.gradient(self.v, self.t)
        self.brake, self.measured = self._braking()
        self.throttle = self._thrice(lap.columns["throttle_pct"]) / 100.0 if "throttle_pct" in lap.columns else None
        if self.throttle is not None:
            self.throttle = np.nan_to_num(self.throttle / max(float(np.nanpercentile(self.throttle, 99)), 0.2))

    def _thrice(self, column: Floats) -> Floats:
        return np.concatenate([column[:-1], column[:-1], column])

    def _braking(self) -> tuple[Floats, bool]:
        """Braking at each moment over the strongest of the lap, and whether it was measured."""
        for key in ("brake_bar", "brake_pct"):
            if key in self.lap.columns:
                column = np.nan_to_num(without_rest(self._thrice(self.lap.columns[key]), self.accel))
                most = float(np.percentile(column, 99.5))
                if most > 1.0:
                    return np.clip(column / most, 0.0, 1.2), True
        braking = np.clip(-self.accel - _BRAKES_MS2, 0.0, None)
        return braking / max(float(np.percentile(braking, 99.5)), 1.0), False

    def _index(self, place: float) -> int:
        return int(np.searchsorted(self.p, place))

    def fastest(self, from_m: float, to_m: float) -> float:
        """Where between two places the car is fastest [m]."""
        low = self._index(from_m)
        high = max(self._index(to_m), low + 1)
        return float(self.p[low + int(np.argmax(self.v[low:high]))])

    def read(self, window: Window) -> CornerRead:
        """One corner."""
        low, high = self._index(window.from_m), self._index(window.to_m)
        first, last = self._index(window.first_m - _AROUND_M), self._index(window.last_m + _AROUND_M)
        slow = first + int(np.argmin(self.v[first : max(last, first + 1)]))
        begin, end = self._braked(low, slow)
        share = None if begin is None or end is None or not self.measured else float(np.percentile(self.brake[begin:end], 80))
        brake_m, sd = (None, 0.0) if begin is None else self._onset(begin)
        opened, full = self._opened(begin, end if begin is not None else None, slow, high)
        after = slow + int(np.argmax(self.v[slow : max(high, slow + 1)]))
        gear = None
        if "gear" in self.lap.columns:
            held = self._thrice(self.lap.columns["gear"])[slow]
            gear = round(float(held)) if np.isfinite(held) else None
        slow_m, slow_ms = self._least(slow)
        open_s = None if opened is None else float(np.interp(opened, self.p, self.t) - np.interp(slow_m, self.p, self.t))
        return CornerRead(
            window, brake_m, sd, self._lifted(low, begin if begin is not None else slow), share,
            None if end is None else float(self.p[end]), slow_m, slow_ms, gear, self._offset(window.apex_m),
            opened, open_s, full, float(self.v[after]),
        )  # fmt: skip

    def _braked(self, low: int, slow: int) -> tuple[int | None, int | None]:
        """First and last sample of the braking that ends at a corner; pauses of a moment belong to it."""
        on = np.flatnonzero(self.brake[low : slow + 1] >= _BRAKED) + low
        if not len(on):
            return None, None
        parts = np.split(on, np.flatnonzero(np.diff(self.t[on]) > _PAUSE_S) + 1)
        parts = [part for part in parts if self.v[part[0]] - self.v[slow] > 0.5]
        if not parts:
            return None, None
        part = max(parts, key=lambda one: self.v[one[0]] - self.v[one[-1]])
        return int(part[0]), int(part[-1]) + 1

    def _onset(self, k: int) -> tuple[float, float]:
        """Where braking begins: within the sample step that the brake tells, at the kink of the speed. With what it is unsure by [m]."""
        step = float(self.t[k] - self.t[k - 1])
        rise = self.brake[k] - self.brake[k - 1]
        sharp = rise > 3.0 * _BRAKED  # from nothing to hard within one step: anywhere in it
        share = 0.5 if sharp or rise <= 0 else float(np.clip((_BRAKED - self.brake[k - 1]) / rise, 0.0, 1.0))
        when, sd = float(self.t[k - 1]) + share * step, 0.29 * step
        around = max(4, int(0.25 * self.hz))
        before, after = slice(max(k - around - 1, 0), k), slice(k + 1, k + 1 + around)
        if self.measured and (sharp or step > 0.03) and self.hz >= 8.0:
            a, b = np.polyfit(self.t[before], self.v_raw[before], 1), np.polyfit(self.t[after], self.v_raw[after], 1)
            bend = a[0] - b[0]
            if bend > 2.0:
                kink_sd = 1.5 * max(self.lap.speed_sd, 0.02) / bend
                kink = float((b[1] - a[1]) / bend)
                if kink_sd < sd and abs(kink - when) < 1.5 * step:
                    when, sd = min(max(kink, float(self.t[k - 1])), float(self.t[k])), min(kink_sd, sd)
        if not self.measured:
            sd = max(sd, 0.08)
        v = float(np.interp(when, self.t, self.v))
        return float(np.interp(when, self.t, self.p)), float(np.hypot(sd * v, self.lap.place_sd))

    def _lifted(self, low: int, until: int) -> float | None:
        """Where the throttle is let go before a place."""
        if self.throttle is None:
            return None
        off = until
        while off > low and self.throttle[off - 1] < _FULL:
            off -= 1
        if off in (until, low):
            return None
        before, here = self.throttle[off - 1], self.throttle[off]
        share = float(np.clip((before - _FULL) / max(before - here, 1e-9), 0.0, 1.0))
        return float(self.p[off - 1] + share * (self.p[off] - self.p[off - 1]))

    def _opened(self, begin: int | None, end: int | None, slow: int, high: int) -> tuple[float | None, float | None]:
        """Where the throttle is taken up behind a corner's braking or lift, and where it is open for good."""
        if self.throttle is None:
            return None, None
        first = min(end, slow) if begin is not None and end is not None else slow
        shut = np.flatnonzero(self.throttle[first : slow + 1] < _OPEN) + first
        if begin is None and not len(shut) and float(self.throttle[first - 1 : slow + 1].min()) >= _FULL:
            return None, None  # flat
        start = int(shut[-1]) if len(shut) else first
        up = next((k for k in range(max(start, 1), high) if self.throttle[k] >= _OPEN), None)
        opened = None if up is None else self._crossed(up, _OPEN)
        stay = max(int(_STAYS_S * self.hz), 1)
        full = None
        for k in range(up or slow, high):
            if self.throttle[k] >= _FULL and float(self.throttle[k : k + stay].min()) >= _FULL - 0.05:
                full = self._crossed(k, _FULL)
                break
        return opened, full

    def _crossed(self, k: int, level: float) -> float:
        assert self.throttle is not None
        before, here = self.throttle[k - 1], self.throttle[k]
        share = float(np.clip((level - before) / (here - before), 0.0, 1.0)) if here > before else 1.0
        return float(self.p[k - 1] + share * (self.p[k] - self.p[k - 1]))

    def _least(self, k: int) -> tuple[float, float]:
        """The slowest place about a sample, as a parabola through its neighbours has it, and the speed there."""
        around = max(3, int(0.2 * self.hz))
        part = slice(k - around, k + around + 1)
        t, v = self.t[part] - self.t[k], self.v_raw[part]
        c2, c1, c0 = np.polyfit(t, v, 2)
        if c2 <= 1e-6 or abs(c1 / (2 * c2)) > t[-1]:
            return float(self.p[k]), float(self.v[k])
        when = -c1 / (2 * c2)
        return float(np.interp(self.t[k] + when, self.t, self.p)), float(c0 - c1 * c1 / (4 * c2))

    def _offset(self, place: float) -> float | None:
        if self.lap.offset is None:
            return None
        return float(np.interp(place % self.length, self.lap.p, self.lap.offset))
