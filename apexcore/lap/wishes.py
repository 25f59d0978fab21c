"""Lines that a driver asks for: the line of least time under a wish, corner by corner, beside the one that is free.

A wish narrows the room that the search for the line of least time has; what comes out is still the quickest that the wish allows,
and what it costs is read from both laps over the stretch on which they differ.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..circuit.features import GripStrip, Marker
from ..circuit.line import CornerSpan, Floats, corners, half_room_m, lane_room, lane_stations, offset_line, part_way
from ..circuit.track import CentreLine, Circuit, centre_line, spacing_of
from ..errors import InputError
from ..vehicle.sheet import Sheet
from ..vehicle.tyres import Four, four
from .quickest import Quickest, Room, Stage, line_case, quickest_line
from .solver import COLUMN, Lap, LapCase, solve_lap

Kind = Literal["early", "middle", "late", "tight", "wide", "first", "second", "kerb", "lane", "at"]

#: What each kind of wish is called.
WISH_WORDS: dict[str, str] = {
    "early": "early apex", "middle": "apex in the middle", "late": "late apex", "tight": "tight all the way", "wide": "wide in, wide out",
    "first": "apex in the first part", "second": "apex in the second part", "kerb": "kerb taken", "lane": "groove", "at": "through a place",
}  # fmt: skip

#: How near the inner edge an apex is [m], the least and most room off it where the free line touches, by metres along [m, 1/m].
_TOUCH_M, _OFF_M, _OFF_PER_M = 0.15, 0.4, 0.03
#: How far along the road the edge is kept off beyond where the free line touches [m].
_BEYOND_M = 45.0
#: Widths of what counts as tight, wide, and a place that the racer named [m].
_TIGHT_M, _WIDE_M, _PLACE_M = 0.8, 0.3, 0.05
#: Shares of a corner's turn between which it is tight [-].
_TIGHT_TURN = (0.2, 0.8)
#: By how much an apex is earlier or later, of the corner's length and at most [-], [m].
_APEX_SHARE, _APEX_MOST_M = 0.1, 15.0
#: How far before and behind a corner the free line may be farthest out [m]; over which share of a corner's length, and how far at least,
#: the line to begin with is drawn over to a lane, either way [-], [m].
_OUTER_M, _DRAWN_OVER, _DRAWN_M = 60.0, 0.7, 60.0
#: What a flat kerb adds to the road and the height from which it adds nothing [m, mm]; and how far from its mark it reaches [m].
#: Source: assumptions of this product (docs/model.md, kerbs).
_KERB_M, _KERB_MOST_MM, _KERB_REACH_M = 0.45, 50.0, 18.0
#: Grip of a usual kerb over that of the road, what water takes of it beyond that, and the share of the car's load that stands on it [-];
#: where it begins beyond the road that the free line has, and where it ends [m]. Source: likewise.
_KERB_GRIP, _KERB_WET, _ON_KERB, _KERB_BAND_M = 0.95, 0.26, 0.5, (0.25, 2.0)
#: From how much quicker a line under a wish is than the free one the free one is searched for again [s].
_POLISH_S = 0.002
#: Offsets, and speeds, that count as the same [m, m/s].
_SAME_M, _SAME_MS = 0.10, 0.10

#: From coarse to fine; on a tight circuit, where four metres are too far apart, fine at once.
STAGES, TIGHT_STAGES = (Stage(4.0, 3, 0.6), Stage(2.0, 6, 0.3)), (Stage(2.0, 8, 0.5),)
_TIGHT_FROM_M = 1.5
#: How far before and behind a corner its wish may move the line, and how near the free one it stays elsewhere [m].
_AROUND_M, _ELSEWHERE_M = 250.0, 0.002


@dataclass(frozen=True)
class Wish:
    """What is asked for.

    :param corner: its number, from 1; 0 is the whole lap (lanes only)
    :param metres: by how much the apex is earlier or later than that of the free line, a share of the corner's length where it is not told;
        for `at`, the place left of the middle [m]
    :param lane: number of the lane, from the inside
    :param at_m: for `at`, where along the middle of the road [m]
    """

    kind: Kind
    corner: int = 0
    metres: float | None = None
    lane: int = 0
    at_m: float = 0.0


@dataclass(frozen=True)
class Stretch:
    """What a line is on a stretch of the lap.

    :param time_s: [s]
    :param length_m: along the line [m]
    :param least_ms: least speed [m/s]
    :param end_ms: speed at its end [m/s]
    :param work_j: sliding work of each tyre [J]
    """

    time_s: float
    length_m: float
    least_ms: float
    end_ms: float
    work_j: Four


@dataclass(frozen=True)
class Asked:
    """A line that was asked for, beside the free one.

    :param line: the line of least time under the wishes
    :param lap_s: its lap over that of the free line [s]
    :param from_m: where the two part, along the middle of the road [m]
    :param to_m: where they are together again, in place and speed, or the next braking begins [m]
    :param asked: the stretch between on this line
    :param free: on the free one
    """

    line: Quickest
    lap_s: float
    from_m: float
    to_m: float
    asked: Stretch
    free: Stretch


def _apex(free: Floats, span: CornerSpan, sign: float) -> int:
    """The station of a corner at which a line is nearest to the inner edge."""
    inside = np.arange(span.first, span.last + 1)
    return int(inside[np.argmax(sign * free[inside % len(free)])])


def _span(spans: Sequence[CornerSpan], number: int) -> CornerSpan:
    found = next((span for span in spans if span.number == number), None)
    if found is None:
        raise InputError("corner", number, f"1 to {len(spans)}")
    return found


class _Narrowed:
    """Room that wishes take from the road, and a line to begin with."""

    def __init__(self, circuit: Circuit, centre: CentreLine, half: float, free: Floats, wet: float = 0.0) -> None:
        self.circuit, self.centre, self.half, self.free, self.wet = circuit, centre, half, free, wet
        self.strips: list[GripStrip] = []
        n = len(centre.x)
        self.low, self.high, self.begin = np.full(n, -half), np.full(n, half), free.copy()
        self.moved = np.zeros(n, dtype=bool)

    def keep(self, stations: NDArray[Any], sign: float, least: Floats | float | None = None, most: Floats | float | None = None) -> None:
        """Keeps the inner side (`sign`) of stations between these bounds [m]."""
        at = np.asarray(stations, dtype=np.intp) % len(self.low)
        if least is not None:
            if sign > 0:
                self.low[at] = np.maximum(self.low[at], least)
            else:
                self.high[at] = np.minimum(self.high[at], -np.asarray(least))
        if most is not None:
            if sign > 0:
                self.high[at] = np.minimum(self.high[at], most)
            else:
                self.low[at] = np.maximum(self.low[at], -np.asarray(most))

    def near(self, first: int, last: int) -> None:
        """Lets the line be another one around these stations."""
        reach = int(_AROUND_M / self.centre.ds)
        self.moved[np.arange(first - reach, last + reach + 1) % len(self.moved)] = True

    def room(self) -> Room:
        """The room; away from what was wished the line stays the free one."""
        still = ~self.moved
        low, high = self.low.copy(), self.high.copy()
        low[still] = np.maximum(self.free[still] - _ELSEWHERE_M, -self.half)
        high[still] = np.minimum(self.free[still] + _ELSEWHERE_M, self.half)
        self.begin[still] = self.free[still]
        return Room(low, high)

    def touch(self, span: CornerSpan, target: int) -> None:
        """Asks the line to touch the inner edge at a station, and to keep off it where it would rather."""
        sign, ds = float(np.sign(span.turn_deg)), self.centre.ds
        now = _apex(self.free, span, sign)
        self.keep(np.array([target - 1, target, target + 1]), sign, least=self.half - _TOUCH_M)
        way = 1 if now >= target else -1
        reach = round((abs(now - target) * ds + _BEYOND_M) / ds)
        away = np.arange(2, reach + 1)
        off = np.minimum(_OFF_PER_M * away * ds, _OFF_M) if now != target else np.zeros(len(away))
        self.keep(target + way * away, sign, most=self.half - off)
        # to begin with, the line as it is, moved along the road around the corner
        n, shift = len(self.free), now - target
        around = np.arange(span.first - int(60 / ds), span.last + int(60 / ds) + 1)
        fade = np.clip(np.minimum(around - around[0], around[-1] - around) * ds / 60.0, 0.0, 1.0)
        place = around + shift * fade
        self.begin[around % n] = np.interp(place, np.arange(-n, 2 * n), np.tile(self.free, 3))

    def wish(self, wish: Wish, spans: Sequence[CornerSpan]) -> None:
        """Narrows the room by one wish."""
        ds, half = self.centre.ds, self.half
        if wish.kind == "at":
            station = round(wish.at_m / ds) % len(self.low)
            place = wish.metres or 0.0
            if abs(place) > half:
                raise InputError("place on the road", f"{place:g} m", f"−{half:.2f} m to {half:.2f} m off the middle")
            self.low[station] = max(self.low[station], place - _PLACE_M)
            self.high[station] = min(self.high[station], place + _PLACE_M)
            self.near(station, station)
            away = (np.arange(len(self.low)) - station + len(self.low) // 2) % len(self.low) - len(self.low) // 2
            self.begin += (place - self.begin[station]) * np.exp(-0.5 * (away * ds / 20.0) ** 2)
            return
        if wish.kind == "lane":
            lanes = self.circuit.lanes
            if not 1 <= wish.lane <= max(lanes, 1) or lanes < 2:
                raise InputError("lane", wish.lane, f"1 to {lanes} of {self.circuit.name}" if lanes > 1 else "a circuit with lanes")
            for span in [_span(spans, wish.corner)] if wish.corner else spans:
                self.lane(span, *lane_room(half, wish.lane, lanes))
            return
        span = _span(spans, wish.corner)
        sign = float(np.sign(span.turn_deg))
        self.near(span.first, span.last)
        if wish.kind in ("early", "late"):
            metres = min(_APEX_SHARE * (span.last - span.first) * ds, _APEX_MOST_M) if wish.metres is None else wish.metres
            shift = max(round(metres / ds), 1) * (-1 if wish.kind == "early" else 1)
            self.touch(span, min(max(_apex(self.free, span, sign) + shift, span.first), span.last))
        elif wish.kind in ("middle", "first", "second"):
            share = {"middle": 0.5, "first": 0.3, "second": 0.72}[wish.kind]
            self.touch(span, part_way(self.centre, span, share))
        elif wish.kind == "tight":
            inside = np.arange(*(part_way(self.centre, span, share) for share in _TIGHT_TURN))
            self.keep(inside, sign, least=half - _TIGHT_M)
        elif wish.kind == "wide":
            for station in self._outermost(span, sign):
                self.keep(np.arange(station - 1, station + 2), sign, most=-(half - _WIDE_M))
        else:
            self.kerbs(span)

    def _outermost(self, span: CornerSpan, sign: float) -> tuple[int, int]:
        """The stations before and behind the apex at which the free line is farthest from the inner edge."""
        n, reach, apex = len(self.free), int(_OUTER_M / self.centre.ds), _apex(self.free, span, sign)
        before, behind = np.arange(span.first - reach, apex), np.arange(apex + 1, span.last + reach + 1)
        return int(before[np.argmin(sign * self.free[before % n])]), int(behind[np.argmin(sign * self.free[behind % n])])

    def lane(self, span: CornerSpan, least_m: float, most_m: float) -> None:
        """Keeps the line in a lane about mid-corner alone: in from where it likes, down by the middle, out again.

        :param least_m: towards the inner edge [m]
        :param most_m: likewise [m]
        """
        n, ds, sign = len(self.low), self.centre.ds, float(np.sign(span.turn_deg))
        inside = lane_stations(self.centre, span)
        self.keep(inside, sign, least=least_m, most=most_m)
        self.near(span.first, span.last)
        # to begin with, the free line drawn over to the lane: a short bump would begin with a kink
        mid = (inside[0] + inside[-1]) // 2
        reach = max(int(_DRAWN_OVER * (span.last - span.first)), int(_DRAWN_M / ds), 1)
        around = np.arange(-reach, reach + 1)
        over = sign * 0.5 * (least_m + most_m) - self.free[mid % n]
        self.begin[(mid + around) % n] += over * 0.5 * (1.0 + np.cos(np.pi * around / reach))

    def kerbs(self, span: CornerSpan) -> None:
        """Widens the road by the kerbs of a corner."""
        n, ds, found = len(self.low), self.centre.ds, False
        for marker in self.circuit.markers:
            if marker.kind != "kerb" or marker.side == "across":
                continue
            station = round(marker.at_m / ds)
            ahead = (station - span.first) % n
            if ahead > span.last - span.first + 60.0 / ds and (span.first - station) % n > 30.0 / ds:
                continue
            found = True
            wider = _KERB_M * max(1.0 - marker.height_mm / _KERB_MOST_MM, 0.0)
            reach = np.arange(-int(_KERB_REACH_M / ds), int(_KERB_REACH_M / ds) + 1)
            more = wider * np.clip(2.0 * (1.0 - np.abs(reach) * ds / _KERB_REACH_M), 0.0, 1.0)
            at = (station + reach) % n
            self.strips.append(self.kerb_strip(marker))
            if marker.side == "left":
                self.high[at] = np.maximum(self.high[at], self.half + more)
            else:
                self.low[at] = np.minimum(self.low[at], -self.half - more)
        if not found:
            raise InputError(f"corner {span.number}", "no kerb", "a kerb on the circuit's map in it or just behind it")

    def kerb_strip(self, marker: Marker) -> GripStrip:
        """The grip of a car that has one side on a kerb."""
        own = _KERB_GRIP if marker.grip is None else marker.grip
        grip = 1.0 - _ON_KERB * (1.0 - own * (1.0 - _KERB_WET * self.wet))
        length, edges = self.centre.length_m, [self.half + beyond for beyond in _KERB_BAND_M]
        place = {"from_m": (marker.at_m - _KERB_REACH_M) % length, "to_m": (marker.at_m + _KERB_REACH_M) % length}
        strip = GripStrip(**place, left_m=edges[1], right_m=edges[0], grip=grip)
        return strip if marker.side == "left" else strip.other_side()


def asked_for(
    circuit: Circuit, lap_case: LapCase, sheet: Sheet, free: Quickest, wishes: Sequence[Wish], told: Callable[[float], bool] | None = None
) -> Asked:
    """The line of least time under wishes, and what it is beside the free one.

    :param lap_case: all but the line, which is not read
    :param free: the line of least time without a wish, of this car and sheet
    :raises InputError: if a wish names what the circuit does not have
    :raises SolverError: if the car cannot take the circuit
    """
    if not wishes:
        raise InputError("wishes", "none", "at least one")
    centre = centre_line(circuit, spacing_of(circuit))
    half = half_room_m(circuit.width_m, lap_case.car.width_m)
    spans = corners(circuit, free.line)
    narrowed = _Narrowed(circuit, centre, half, free.offset, lap_case.conditions.wetness)
    for wish in wishes:
        narrowed.wish(wish, spans)
    surfaced = circuit.model_copy(update={"strips": (*circuit.strips, *narrowed.strips)}) if narrowed.strips else circuit
    clash = np.flatnonzero(narrowed.low > narrowed.high + 1e-9)
    if len(clash):
        raise InputError("wishes", "two that exclude each other", f"room for a line {centre.s[clash[0]]:.0f} m after the start")

    def searched(within: _Narrowed, begin: Floats) -> Quickest:
        room = within.room()
        stages = STAGES if centre.ds >= _TIGHT_FROM_M else TIGHT_STAGES
        return quickest_line(surfaced, lap_case, sheet, begin=np.clip(begin, room.low, room.high), told=told, room=room, stages=stages)

    line = searched(narrowed, narrowed.begin)
    free_lap = solve_lap(line_case(lap_case, free.line), sheet)
    lap = solve_lap(line_case(lap_case, line.line), sheet)
    if lap.time_s < free_lap.time_s - _POLISH_S and not any(wish.kind == "kerb" for wish in wishes):
        # who asks for less cannot be slower: the free line had something left there, and is held against what it becomes from this one
        open_road = _Narrowed(circuit, centre, half, free.offset)
        open_road.moved = narrowed.moved
        polished = searched(open_road, line.offset)
        polished_lap = solve_lap(line_case(lap_case, polished.line), sheet)
        free, free_lap = (polished, polished_lap) if polished_lap.time_s < lap.time_s else (line, lap)
    first, last = differing(free.offset, line.offset, free_lap, lap)
    return Asked(
        line, lap.time_s - free_lap.time_s, float(centre.s[first]), float(centre.s[last % len(centre.s)]),
        stretch(lap, line.line.ds, first, last), stretch(free_lap, free.line.ds, first, last),
    )  # fmt: skip


def differing(one: Floats, other: Floats, lap_one: Lap, lap_other: Lap) -> tuple[int, int]:
    """The stations between which two lines differ in place, and beyond that in speed until the next braking; the second may be
    past the start line."""
    n = len(one)
    apart = np.abs(one - other) > _SAME_M
    if not apart.any():
        return 0, n
    # the longest way round on which they agree lies outside the stretch
    where = np.flatnonzero(apart)
    gaps = np.diff(np.append(where, where[0] + n))
    last = int(where[np.argmax(gaps)])
    first = int(where[(np.argmax(gaps) + 1) % len(where)])
    last = last if last >= first else last + n
    brake = np.maximum(lap_one.column("brake"), lap_other.column("brake"))
    v_one, v_other = lap_one.column("speed"), lap_other.column("speed")
    while last < first + n - 1 and abs(v_one[last % n] - v_other[last % n]) > _SAME_MS and brake[(last + 1) % n] < 0.02:
        last += 1
    return first, last


def stretch(lap: Lap, ds: Floats, first: int, last: int) -> Stretch:
    """What a lap is between two stations.

    :param last: not before `first`; past the start line it goes on counting
    """
    inside = np.arange(first, last + 1) % len(ds)
    dt, speed = lap.column("time")[inside], lap.column("speed")[inside]
    slide = lap.data[inside][:, COLUMN["slide_fl"] : COLUMN["slide_fl"] + 4]
    return Stretch(
        float(dt.sum()), float(ds[inside].sum()), float(speed.min()), float(speed[-1]), four(float(work) for work in dt @ slide)
    )  # fmt: skip


def own_line(
    circuit: Circuit, lap_case: LapCase, sheet: Sheet, free: Quickest, places: Sequence[tuple[float, float]],
    told: Callable[[float], bool] | None = None,
) -> Asked:  # fmt: skip
    """A line of the racer's own: a few places, the rest the quickest between them.

    :param places: along the middle of the road and left of it [m], each
    """
    wishes = [Wish("at", metres=left, at_m=along) for along, left in places]
    return asked_for(circuit, lap_case, sheet, free, wishes, told)


def recorded(circuit: Circuit, lap_case: LapCase, sheet: Sheet, x: Floats, y: Floats) -> Quickest:
    """The line of recorded positions, as a line that laps are solved on.

    Each station of the middle of the road takes where the recorded way crosses its normal; what lies off the road is brought to its
    edge.

    :param x: east of the circuit's origin, in driving order [m]
    :param y: north of it [m]
    :raises InputError: if fewer than a tenth of the stations are passed
    """
    centre = centre_line(circuit, spacing_of(circuit))
    half = half_room_m(circuit.width_m, lap_case.car.width_m)
    ahead_x, ahead_y = centre.ahead()
    found = np.full(len(centre.x), np.nan)
    for k in range(len(centre.x)):
        dx, dy = x - centre.x[k], y - centre.y[k]
        along, left = dx * ahead_x[k] + dy * ahead_y[k], dy * ahead_x[k] - dx * ahead_y[k]
        near = np.flatnonzero((along[:-1] <= 0.0) & (along[1:] > 0.0) & (np.abs(left[:-1]) < 3.0 * circuit.width_m))
        if len(near):
            i = int(near[np.argmin(np.abs(left[near]))])
            share = -along[i] / max(along[i + 1] - along[i], 1e-9)
            found[k] = left[i] + share * (left[i + 1] - left[i])
    there = np.flatnonzero(np.isfinite(found))
    if len(there) < 0.1 * len(found):
        raise InputError("recorded positions", f"{len(there)} of {len(found)} places of the circuit passed", "a lap of this circuit")
    n = len(found)
    offset = np.interp(np.arange(n), np.concatenate([there - n, there, there + n]), np.tile(found[there], 3))
    offset = np.clip(offset, -half, half)
    line = offset_line(centre, offset)
    lap = solve_lap(line_case(lap_case, line), sheet)
    return Quickest(offset, line, lap.time_s, lap.time_s, 1)
