"""Two recorded laps side by side: the gap along the lap, and in one row a corner where it arose and what was done otherwise there.

The lap is parted at the places before each corner at which neither lap has begun to brake or lift for it, so that the parts add up to
the gap of the lap times. What the measurement scatters is carried along; less than it, or than what the driver scatters, is not
explained.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .corner import CornerRead, LapReader, Window
from .place import Placed

Floats = NDArray[np.float64]

#: Chance that a lap without a difference has anything explained [-], and least that is worth a word [s].
_FALSE, _LEAST_S = 0.03, 0.008
#: Way before the first braking or lift at which a corner's part begins [m].
_BEFORE_M = 12.0
#: What a difference must be to be told, beside its own spread: metres of braking and throttle, km/h, share of pressure, seconds.
_METRES, _SPEED_MS, _PRESSURE, _ACROSS_M, _LATE_S = 1.0, 0.25, 0.05, 0.3, 0.04

#: Differences that are beyond doubt at this size, and spreads of the seconds that they then must exceed.
_PLAIN, _PLAIN_LEVEL = {"brake": 3.0, "open": 0.1, "gear": 0.5, "line": 0.8}, 1.8

CauseKind = Literal["brake", "pressure", "lift", "slow", "gear", "line", "open", "full", "straight"]


@dataclass(frozen=True)
class Cause:
    """Something that the lap did otherwise in a corner.

    :param kind: what
    :param size: by how much, in its unit: metres later, m/s faster, share harder, gears higher, metres farther out
    :param sd: what that is unsure by
    :param seconds: of the part of the corner in which it counts: lost positive [s]
    :param words: as a clause: "braked 9 m early"
    """

    kind: CauseKind
    size: float
    sd: float
    seconds: float
    words: str

    @property
    def plain(self) -> bool:
        """Whether it is far beyond what it is unsure by, and of a size that a driver would name."""
        return self.kind in _PLAIN and abs(self.size) > max(_PLAIN[self.kind], 6.0 * self.sd)


@dataclass(frozen=True)
class Row:
    """One corner of a comparison; seconds that the lap lost to the reference are positive.

    :param window: of the corner; None for the way from the start line to the first corner
    :param from_m: where its part of the lap begins [m]
    :param exit_m: where the corner is over: both are on the throttle for good [m]
    :param to_m: where the next part begins; may lie beyond the lap's length [m]
    :param brake_s: lost up to where the brakes are off [s]
    :param middle_s: from there to where the throttle is taken up [s]
    :param exit_s: from there to the corner's end [s]
    :param after_s: down the straight behind it [s]
    :param sd_s: what the measurement leaves unsure of all of it [s]
    :param scatter_s: what the drivers' own laps scatter there [s]; 0 where it is not known
    :param lap: what the lap did there; None for the way to the first corner
    :param reference: what the reference did
    :param causes: told, the dearest first; empty where nothing is
    :param clear: whether its seconds are more than scatter
    :param measured: whether they are more than the measurement leaves unsure, whatever the drivers scatter
    """

    window: Window | None
    from_m: float
    exit_m: float
    to_m: float
    brake_s: float
    middle_s: float
    exit_s: float
    after_s: float
    sd_s: float
    scatter_s: float
    lap: CornerRead | None
    reference: CornerRead | None
    causes: tuple[Cause, ...]
    clear: bool
    measured: bool = True

    @property
    def usual(self) -> bool:
        """Whether its seconds can be told, and are what such laps differ by anyway."""
        return self.measured and not self.clear

    @property
    def there_s(self) -> float:
        """Lost in the corner itself [s]."""
        return self.brake_s + self.middle_s + self.exit_s

    @property
    def total_s(self) -> float:
        """Lost in the corner and down the straight behind it [s]."""
        return self.there_s + self.after_s

    @property
    def half_s(self) -> float:
        """Half the interval of its seconds (95 %), by the measurement alone [s]."""
        return 1.96 * self.sd_s

    @property
    def title(self) -> str:
        """What the corner is called."""
        if self.window is None:
            return "Start line to the first corner"
        return self.window.name or f"Corner {self.window.number}"


@dataclass(frozen=True)
class Comparison:
    """A lap beside a reference.

    :param lap: that is explained
    :param reference: that it is explained against
    :param rows: the parts of the lap in driving order; their seconds add up to the gap
    """

    lap: Placed
    reference: Placed
    length_m: float
    rows: tuple[Row, ...]

    @property
    def gap_s(self) -> float:
        """Lap time over that of the reference [s]."""
        return self.lap.time_s - self.reference.time_s

    def gap(self, place_m: Floats) -> Floats:
        """Time lost up to places along the lap [s]."""
        return self.lap.times(place_m) - self.reference.times(place_m)

    def by_size(self) -> list[Row]:
        """All rows, the largest first."""
        return sorted(self.rows, key=lambda row: -abs(row.total_s))

    def dearest(self) -> list[Row]:
        """The rows that are more than scatter, the largest first."""
        return sorted((row for row in self.rows if row.clear), key=lambda row: -abs(row.total_s))


def compared(
    lap: Placed, reference: Placed, corners: Sequence[Window], length_m: float, scatter_s: Mapping[int, float] | None = None
) -> Comparison:  # fmt: skip
    """Explains one lap against another on the same base line.

    :param corners: of the base line, in driving order
    :param scatter_s: what the drivers' laps scatter in each corner with the straight behind it, by its number, as a standard deviation
        of the difference of two laps [s]; 0 for the way to the first
    """
    from scipy.special import ndtri

    mine, theirs = LapReader(lap, length_m), LapReader(reference, length_m)
    reads = [(mine.read(window), theirs.read(window)) for window in corners]
    begins = _begins(mine, theirs, reads, length_m)
    known = scatter_s or {}
    level = float(ndtri(1.0 - _FALSE / (2.0 * (len(corners) + 1))))
    gap = _Gap(lap, reference, length_m)
    rows: list[Row] = []
    if not corners:
        return Comparison(lap, reference, length_m, (gap.row(None, 0.0, 0.0, length_m, (0.0, 0.0), None, None, known.get(0, 0.0), level),))
    if begins[0] > 0.0:
        rows.append(gap.row(None, 0.0, 0.0, begins[0], (0.0, 0.0), None, None, known.get(0, 0.0), level))
    for k, (one, other) in enumerate(reads):
        to_m = begins[k + 1] if k + 1 < len(reads) else length_m
        exit_m, inner = _parts(one, other, begins[k], to_m)
        rows.append(gap.row(one.window, begins[k], exit_m, to_m, inner, one, other, known.get(one.window.number, 0.0), level))
    return Comparison(lap, reference, length_m, tuple(rows))


def _begins(mine: LapReader, theirs: LapReader, reads: Sequence[tuple[CornerRead, CornerRead]], length_m: float) -> list[float]:
    """Where the part of each corner begins: before both laps' braking or lift for it, else where the reference is fastest before it."""
    found: list[float] = []
    for one, other in reads:
        slow_before = found[-1] if found else 0.0
        previous = reads[len(found) - 1] if found else None
        if previous is not None:
            slow_before = max(previous[0].slow_m, previous[1].slow_m) + 1.0
        told = [place for read in (one, other) for place in (read.lift_m, read.brake_m) if place is not None]
        slow = min(one.slow_m, other.slow_m)
        begin = min(told) - _BEFORE_M if told else theirs.fastest(slow_before, slow)
        if previous is not None and begin < slow_before:  # one corner runs into the next: parted where the reference is fastest between
            begin = theirs.fastest(slow_before, slow)
        found.append(min(max(begin, slow_before if previous is not None else 0.0), length_m))
    return found


def _parts(one: CornerRead, other: CornerRead, begin: float, end: float) -> tuple[float, tuple[float, float]]:
    """Where a corner is over, and the two places that part it inside: brakes off, and throttle taken up."""
    full = [read.full_m for read in (one, other) if read.full_m is not None]
    slow = max(one.slow_m, other.slow_m)
    exit_m = min(max([*full, slow]), end) if full else min(slow, end)
    released = [read.released_m for read in (one, other) if read.released_m is not None]
    opened = [read.open_m for read in (one, other) if read.open_m is not None]
    first = min([*released, one.slow_m, other.slow_m]) if released else min(one.slow_m, other.slow_m)
    second = min(opened) if opened else slow
    first = min(max(first, begin), exit_m)
    second = min(max(second, first), exit_m)
    return exit_m, (first, second)


class _Gap:
    """The gap of two laps, read part by part."""

    def __init__(self, lap: Placed, reference: Placed, length_m: float) -> None:
        self.lap, self.reference, self.length = lap, reference, length_m

    def _times(self, places: Sequence[float]) -> Floats:
        at = np.asarray(places)
        return self.lap.times(at) - self.reference.times(at)

    def _sd(self, begin: float, end: float) -> float:
        """What a change of the gap between two places is unsure by [s].

        A place that is off by as much at both ends counts only as far as the speeds differ there.
        """
        total = 0.0
        for lap in (self.lap, self.reference):
            slow = [1.0 / max(float(np.interp(place % self.length, lap.p, lap.v)), 1.0) for place in (begin, end)]
            inside = [1.0 < place < self.length - 1.0 for place in (begin, end)]  # the line itself is where the clock was read
            apart = sum((lap.place_sd * share) ** 2 for share, free in zip(slow, inside, strict=True) if free)
            together = (lap.step_sd * slow[1]) ** 2 + (lap.place_sd * (slow[1] - slow[0])) ** 2
            total += min(apart, together)
        return math.sqrt(total)

    def row(
        self, window: Window | None, begin: float, exit_m: float, end: float, inner: tuple[float, float], one: CornerRead | None,
        other: CornerRead | None, scatter: float, level: float,
    ) -> Row:  # fmt: skip
        """One part of the lap."""
        gap = np.diff(self._times([begin, inner[0] if window else begin, inner[1] if window else begin, exit_m if window else begin, end]))
        brake, middle, leaving, after = (float(value) for value in gap)
        sd = self._sd(begin, end)
        total = float(gap.sum())
        unsure = math.hypot(sd, scatter)
        clear = abs(total) > max(level * unsure, _LEAST_S)
        causes: tuple[Cause, ...] = ()
        if one is not None and other is not None:
            told = _causes(one, other, brake, middle, leaving, after, self.lap, self.reference)
            if not clear and any(cause.plain for cause in told):  # what was done otherwise is beyond doubt, so that less time will do
                clear = abs(total) > max(_PLAIN_LEVEL * sd + level * scatter, _LEAST_S)
            causes = tuple(cause for cause in told if _explains(cause, total)) if clear else ()
        measured = abs(total) > max(level * sd, _LEAST_S)
        return Row(window, begin, exit_m, end, brake, middle, leaving, after, sd, scatter, one, other, causes, clear, measured)


def _causes(
    one: CornerRead, other: CornerRead, brake_s: float, middle_s: float, exit_s: float, after_s: float, lap: Placed, reference: Placed
) -> list[Cause]:
    """What was done otherwise by more than it can be measured, the part of the corner with most seconds first."""
    found: list[Cause] = []
    if one.brake_m is not None and other.brake_m is not None:
        size, sd = one.brake_m - other.brake_m, math.hypot(one.brake_sd_m, other.brake_sd_m)
        _add(found, "brake", size, sd, brake_s, _METRES, f"braked {abs(size):.0f} m {'late' if size > 0 else 'early'}")
        if one.brake_share is not None and other.brake_share is not None:
            size = one.brake_share - other.brake_share
            words = f"braked {abs(100 * size):.0f} % {'harder' if size > 0 else 'more gently'}"
            _add(found, "pressure", size, 0.02, brake_s, _PRESSURE, words)
    elif (one.brake_m is None) != (other.brake_m is None):
        found.append(
            Cause("brake", 0.0, 0.0, brake_s, "braked, the other did not" if one.brake_m is not None else "did not brake, the other did")
        )
    if (
        one.lift_m is not None
        and other.lift_m is not None
        and (one.brake_m is None or other.brake_m is None or abs(one.lift_m - other.lift_m) > 3 * abs(one.brake_m - other.brake_m))
    ):
        size, sd = one.lift_m - other.lift_m, _place_sd(lap, reference)
        _add(found, "lift", size, sd, brake_s, 3.0 * _METRES, f"off the throttle {abs(size):.0f} m {'later' if size > 0 else 'sooner'}")
    size, sd = one.slow_ms - other.slow_ms, 0.6 * math.hypot(lap.speed_sd, reference.speed_sd)
    words = f"{abs(3.6 * size):.1f} km/h {'more' if size > 0 else 'less'} at its slowest"
    _add(found, "slow", size, sd, middle_s, _SPEED_MS, words)
    if one.gear is not None and other.gear is not None and one.gear != other.gear:
        found.append(Cause("gear", float(one.gear - other.gear), 0.0, exit_s, f"in gear {one.gear} rather than {other.gear}"))
    if one.offset_m is not None and other.offset_m is not None:
        out = (one.offset_m - other.offset_m) * (-1.0 if one.window.left else 1.0)
        sd = math.hypot(lap.offset_sd, reference.offset_sd)
        _add(found, "line", out, sd, middle_s, _ACROSS_M, f"{abs(out):.1f} m {'farther out' if out > 0 else 'closer in'} at the apex")
    if one.open_s is not None and other.open_s is not None and one.open_m is not None and other.open_m is not None:
        seconds = float(lap.times(np.array([one.open_m]))[0] - reference.times(np.array([other.open_m]))[0])
        seconds -= float((lap.times(np.array([other.slow_m])) - reference.times(np.array([other.slow_m])))[0])
        sd = _place_sd(lap, reference) / max(one.slow_ms, 3.0) + 0.3 * lap.step_s
        much = f"{abs(seconds):.{1 if abs(seconds) >= 0.095 else 2}f} s {'later' if seconds > 0 else 'sooner'}"
        late = f"{much} ({abs(one.open_m - other.open_m):.0f} m)"
        _add(found, "open", seconds, sd, exit_s, _LATE_S, f"on the throttle {late}")
    if one.full_m is not None and other.full_m is not None:
        size, sd = one.full_m - other.full_m, _place_sd(lap, reference) + 0.3 * lap.step_s * one.slow_ms
        _add(found, "full", size, sd, exit_s, 3.0 * _METRES, f"full throttle {abs(size):.0f} m {'later' if size > 0 else 'sooner'}")
    found.sort(key=lambda cause: -_weight(cause, one, brake_s, middle_s, exit_s, lap))
    return found


def _weight(cause: Cause, one: CornerRead, brake_s: float, middle_s: float, exit_s: float, lap: Placed) -> float:
    """About how many seconds a cause may account for: those of its part of the corner, but no more than twice what so many metres at the
    speed of the corner rather than that of the straight, or so much speed over the corner's middle, take."""
    slow = max(one.slow_ms, 3.0)
    if cause.kind == "brake" and one.brake_m is not None:
        fast = max(float(np.interp(one.brake_m % lap.p[-1], lap.p, lap.v)), slow + 1.0)
        return min(abs(brake_s), 2.0 * abs(cause.size) * (1.0 / slow - 1.0 / fast)) if cause.size else abs(brake_s)
    if cause.kind == "slow":
        way = max((one.open_m or one.slow_m) - (one.released_m or one.slow_m), 20.0)
        return min(abs(brake_s) + abs(middle_s), 2.0 * abs(cause.size) / slow**2 * way)
    if cause.kind in ("pressure", "lift"):
        return abs(brake_s)
    return abs(middle_s) if cause.kind == "line" else abs(exit_s)


#: Whether more of a thing costs time (1) or saves it (-1); of the rest the part of the corner in which it counts tells.
_COSTS: dict[CauseKind, float] = {"brake": -1.0, "pressure": -1.0, "lift": -1.0, "slow": -1.0, "open": 1.0, "full": 1.0}


def _explains(cause: Cause, total_s: float) -> bool:
    """Whether a cause goes the way of the seconds: what was done early or gently explains a loss, and no gain."""
    if cause.kind == "brake" and not cause.size:  # one of both did not brake at all
        return ("did not brake" in cause.words) == (total_s < 0.0)
    way = _COSTS.get(cause.kind)
    return (cause.seconds if way is None else way * cause.size) * total_s > 0.0


def _add(found: list[Cause], kind: CauseKind, size: float, sd: float, seconds: float, least: float, words: str) -> None:
    if abs(size) > max(least, 3.0 * sd):
        found.append(Cause(kind, size, sd, seconds, words))


def _place_sd(lap: Placed, reference: Placed) -> float:
    return math.hypot(lap.place_sd, reference.place_sd)


def sentence(comparison: Comparison, reference: str = "the reference") -> str:
    """One sentence for the lap: the gap, the corner with most of it, and what was done there.

    :param reference: what the other lap is called
    """
    gap = comparison.gap_s
    side = "slower" if gap > 0 else "quicker"
    begin = f"{_seconds(gap)} s {side} than {reference}" if abs(gap) >= 5e-4 else f"As quick as {reference}"
    rows, largest = comparison.dearest(), comparison.by_size()[0]
    if not rows and largest.measured:
        return f"{begin}; the largest part, {_seconds(largest.total_s)} s in {_called(largest)}, is usual for such laps."
    if not rows:
        return f"{begin}; no corner differs by more than can be measured."
    if not largest.clear and largest.measured:
        said = f"the largest part, {_seconds(largest.total_s)} s {_lost(largest)} in {_called(largest)}, is usual for such laps"
        told = f": {rows[0].causes[0].words}" if rows[0].causes else ""
        return f"{begin}; {said}; beyond the usual {_seconds(rows[0].total_s)} s {_lost(rows[0])} in {_called(rows[0])}{told}."
    same = [row for row in rows if row.total_s * gap > 0] or rows
    first = same[0]
    much = "most of it in" if abs(first.total_s) > 0.5 * abs(gap) > 0 and first.total_s * gap > 0 else "the largest part in"
    if first.total_s * gap <= 0:
        much = "though it lost in" if first.total_s > 0 else "though it gained in"
    told = f": {first.causes[0].words}" if first.causes else ""
    return f"{begin}; {much} {_called(first)}{told}, {_seconds(first.total_s)} s."


def _called(row: Row) -> str:
    """A corner by its name and number."""
    return row.title + (f" ({row.window.number})" if row.window is not None and row.window.name else "")


def _lost(row: Row) -> str:
    return "lost" if row.total_s > 0 else "gained"


def _seconds(value: float) -> str:
    return f"{abs(value):.2f}" if abs(value) >= 0.0995 else f"{abs(value):.3f}"
