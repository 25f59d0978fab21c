"""The line of least time for a car: convex quadratic programmes in offset and kinetic energy, judged by the lap itself.

About the present line and its solved lap, what the tyres of each axle, the engine and the brakes can do is linearised in the line's
offset and the car's kinetic energy; the time falls as far as these allow within a trust region, and the lap kernel says how much of
it is true. Sources: minimum time as a programme in space (Verscheure et al., IEEE Trans. Automatic Control 54, 2009; Kelly & Sharp,
Vehicle System Dynamics 48, 2010) with the limits of this product's own car model.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..circuit.features import falls_rad, strip_grip
from ..circuit.line import Floats, Line, half_room_m, least_curvature, offset_line
from ..circuit.places import CLIMB, FLAP, places
from ..circuit.track import CentreLine, Circuit, centre_line, spacing_of
from ..errors import SolverError
from ..vehicle.car import Car
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import TyreState
from . import kernel
from .assembly import on_tyres
from .programme import Rows, Solution, flat_places, solve
from .solver import Lap, LapCase, Ready, ready, run_at, solve_lap

#: Cost of winding: roughness of the curvature, and curvature that changes faster than it may, both as time [s].
_ROUGH_S, _EXCESS_S = 1e-3, 5.0
#: Damping of a change of curvature, as time [s].
_DAMPING_S = 1e-3
#: Share of the friction ellipses' own curvature that is kept in the programme, and the largest ratio of its parts that counts.
_ELLIPSE, _MOST_RATIO = 0.3, 5.0
#: Largest change of kinetic energy in one programme [-], and steps of differences: of curvature and energy [-], of acceleration
#: [m/s2], of grip [-], and how far from no force the two sides of an axle's use are taken [m/s2].
_MOST_ENERGY, _STEP, _STEP_ACCEL, _STEP_GRIP, _OFF_ZERO = 0.35, 4e-3, 0.05, 1e-2, 0.15
#: Use of an axle below which its row is left out.
_ROW_FROM = 0.25
#: Least step of the trust region [m], gain that still counts [-], and way over which a place is judged [m].
_LEAST_STEP_M, _GAIN, _AROUND_M = 0.01, 2e-5, 30.0


@dataclass(frozen=True)
class Stage:
    """:param spacing_m: of the stations
    :param programmes: most of them
    :param step_m: the trust region to begin with"""

    spacing_m: float
    programmes: int
    step_m: float


#: From a line of least curvature; and from one that is near, such as another sheet's.
STAGES = (Stage(8.0, 12, 1.0), Stage(4.0, 6, 0.5), Stage(4.0, 6, 0.15), Stage(2.0, 10, 0.3))
NEAR_STAGES = (Stage(2.0, 2, 0.25),)
#: On a short road once more from the line that was found, coarse to fine, as often as that helps; and the gain that counts there [-]:
#: where a search ends hangs on the last digit of its laps, and a few seconds find what is left.
AGAIN_STAGES, _MOST_AGAIN, _GAIN_AGAIN = (Stage(8.0, 8, 1.0), Stage(4.0, 6, 0.5), Stage(2.0, 10, 0.3)), 4, 1e-5
#: Length of a lap below which the search begins in the middle of the road as well [m]: two like corners far apart may hold it elsewhere.
_SHORT_M = 1200.0
#: Stations of a road that is short: as many at least.
_FEW_STATIONS = 220


@dataclass(frozen=True)
class Quickest:
    """A line of least time.

    :param offset: left of the centre line at even stations `spacing_m` apart [m]
    :param line: the same as the lap reads it
    :param time_s: of its lap, the tyres settled on it [s]
    :param before_s: of the line that it began with, likewise [s]
    :param laps: laps solved on the way
    """

    offset: Floats
    line: Line
    time_s: float
    before_s: float
    laps: int


@dataclass(frozen=True)
class _Road:
    """A road at one spacing with what the programmes need of it.

    :param half: how far the middle of the car may leave its middle [m]
    :param low: least offset at each station, left of the middle positive [m]
    :param high: greatest offset there [m]
    :param index: of the stations -2 to +3 around each, shape [6, stations]
    :param place: where each unknown stands, of `programme.flat_places`
    """

    centre: CentreLine
    half: float
    low: Floats
    high: Floats
    index: Any
    place: Any

    @property
    def count(self) -> int:
        """Number of stations."""
        return len(self.centre.x)


@dataclass(frozen=True)
class Room:
    """Where a line may run, at even stations of any number.

    :param low: least offset, left of the middle of the road positive [m]
    :param high: greatest offset [m]
    """

    low: Floats
    high: Floats


def _road(circuit: Circuit, spacing_m: float, car_width_m: float, room: Room | None = None) -> _Road:
    centre = centre_line(circuit, spacing_m)
    half = half_room_m(circuit.width_m, car_width_m)
    low, high = np.full(len(centre.x), -half), np.full(len(centre.x), half)
    if room is not None:
        low, high = (_at_stations(bound, len(centre.x), centre.closed) for bound in (room.low, room.high))
    count = len(centre.x)
    around = np.arange(count)[None, :] + np.arange(-2, 4)[:, None]
    around = around % count if centre.closed else np.clip(around, 0, count - 1)
    return _Road(centre, half, low, high, around, flat_places(count, 2, centre.closed))


def _at_stations(values: Floats, count: int, closed: bool) -> Floats:
    """Values at even stations of another number, straight between them."""
    if len(values) == count:
        return values
    if closed:
        return np.asarray(np.interp(np.arange(count) / count, np.arange(len(values) + 1) / len(values), np.append(values, values[0])))
    return np.asarray(np.interp(np.linspace(0, 1, count), np.linspace(0, 1, len(values)), values))


@dataclass(frozen=True)
class _Geometry:
    """A line's shape and its derivatives in the offsets.

    :param line: at these offsets
    :param bend: change of a station's curvature per offset of the station before, its own and the next, shape [3, stations] [1/m2]
    :param way: change of the way to the next station per offset of both [-], shape [2, stations]
    """

    line: Line
    bend: Floats
    way: Floats


def _geometry(road: _Road, offset: Floats) -> _Geometry:
    """Exact derivatives of chords and of the turn between them."""
    centre = road.centre
    line = offset_line(centre, offset)
    ahead_x, ahead_y = centre.ahead()
    nx, ny = -ahead_y, ahead_x
    dx, dy = np.roll(line.x, -1) - line.x, np.roll(line.y, -1) - line.y
    ds = np.hypot(dx, dy)
    ux, uy = dx / ds, dy / ds
    # of each chord: change of heading and of length with the offsets of its ends
    turn_own, turn_next = -(-uy * nx + ux * ny) / ds, (-uy * np.roll(nx, -1) + ux * np.roll(ny, -1)) / ds
    long_own, long_next = -(ux * nx + uy * ny), ux * np.roll(nx, -1) + uy * np.roll(ny, -1)
    middle = 0.5 * (ds + np.roll(ds, 1))
    curvature = line.road[:, 0]
    share = 0.5 * curvature / middle
    before = -np.roll(turn_own, 1) / middle - share * np.roll(long_own, 1)
    own = (turn_own - np.roll(turn_next, 1)) / middle - share * (long_own + np.roll(long_next, 1))
    after = turn_next / middle - share * long_next
    bend = np.array([before, own, after])
    if not centre.closed:
        bend[:, [0, -1]] = 0.0
    return _Geometry(line, bend, np.array([long_own, long_next]))


class _Search:
    """One search: a car on held tyres, a road, what was tried."""

    def __init__(self, lap_case: LapCase, car: Car, ready_car: Ready, tyres: TyreState, limits: "_Winding") -> None:
        self.lap_case, self.car, self.ready, self.limits = lap_case, car, ready_car, limits
        self.laps = 0
        self.on(tyres)

    def on(self, tyres: TyreState) -> None:
        """Holds the tyres at this state from here on."""
        self.tyres = tyres
        self.record = on_tyres(self.ready.record, self.car, tyres, self.lap_case.conditions)

    def lap(self, line: Line) -> Lap | None:
        """The lap on a line; None where the car cannot take it."""
        self.laps += 1
        try:
            return run_at(self.lap_case, self.ready, self.tyres, line)
        except SolverError:
            return None

    def cost(self, road: _Road, line: Line, lap: Lap, rate: Floats) -> float:
        """Time with the costs of winding [s]."""
        ds = line.ds
        k = line.road[:, 0]
        rise = np.diff(k, append=k[:1] if road.centre.closed else k[-1:])
        second = np.roll(rise, -1) - rise
        over = np.maximum(np.abs(rise) / (rate * ds) - 1.0, 0.0)
        return lap.time_s + _ROUGH_S * float(((second / (rate * ds)) ** 2).sum()) + _EXCESS_S * float((over**2).sum())


@dataclass(frozen=True)
class _Winding:
    """How fast curvature may change along the way.

    :param jerk_ms3: rise of lateral acceleration [m/s3]
    :param bend_per_s: what the steering wheel makes of curvature in a second [1/(m s)]
    """

    jerk_ms3: float
    bend_per_s: float

    def rate(self, v: Floats) -> Floats:
        """Largest change of curvature per way at a speed [1/m2]."""
        fast = np.maximum(v, 3.0)
        return np.asarray(np.minimum(self.bend_per_s / fast, self.jerk_ms3 / fast**3))


def winding_of(car: Car) -> _Winding:
    """The limits of a car and its driver's hands."""
    steering = car.steering
    wheel = math.radians(steering.hands_deg_per_s)
    return _Winding(steering.jerk_ms3, wheel / (steering.ratio * car.wheelbase_m))


def quickest_line(
    circuit: Circuit, lap_case: LapCase, sheet: Sheet, spacing_m: float | None = None, begin: Floats | None = None,
    stages: Sequence[Stage] | None = None, told: Callable[[float], bool] | None = None, room: Room | None = None,
) -> Quickest:  # fmt: skip
    """The line of least time on a circuit for this car, sheet, weather, tyres and driver.

    On a circuit with lanes the search begins in each of them as well, since the edges of grip part what one search can reach; the
    best is kept. The tyres are held while a stage is gone through, and settle on the new line before the next.

    :param lap_case: all but the line, which is not read
    :param spacing_m: of the stations of the result; the circuit's own if not given
    :param begin: offsets at even stations to begin with, of any number; then only the near stages are gone through
    :param told: is told the share done, and answers whether to stop
    :param room: where the line may run; the whole road but for a hand's breadth if not given
    :raises SolverError: if the car cannot take the circuit
    """
    road = _road(circuit, spacing_m or spacing_of(circuit), lap_case.car.width_m, room)
    chosen = tuple(stages or (STAGES if begin is None else NEAR_STAGES))
    short = road.centre.closed and road.centre.length_m < _SHORT_M
    again = _closely(AGAIN_STAGES, road) if short and begin is None and stages is None else ()
    chosen = _closely(chosen, road)
    if begin is not None:
        starts = [_resampled(begin, road)]
    else:
        starts = [least_curvature(road.centre, road.half)]
        if short:
            starts.append(np.zeros(road.count))
        if circuit.lanes > 1:
            starts += [np.full(road.count, share * road.half) for share in np.linspace(-0.9, 0.9, circuit.lanes)]
    found: list[Quickest] = []
    stopped, searches = False, len(starts) + (_MOST_AGAIN if again else 0)

    def search(start: Floats, by: tuple[Stage, ...]) -> bool:
        """One search more; answers whether it was stopped."""
        before = len(found)

        def share(done: float) -> bool:
            nonlocal stopped
            stopped = stopped or (told((before + done) / searches) if told else False)
            return stopped

        found.append(_searched(circuit, road, lap_case, sheet, start, by, share, room))
        return stopped

    for start in starts:
        if search(start, chosen):
            break
    best = min(found, key=lambda one: one.time_s)
    for _ in range(_MOST_AGAIN if again and not stopped else 0):
        known = best
        search(known.offset, again)
        best = min(known, found[-1], key=lambda one: one.time_s)
        if stopped or best.time_s > (1.0 - _GAIN_AGAIN) * known.time_s:
            break
    return replace(best, before_s=found[0].before_s, laps=sum(one.laps for one in found))


def _closely(stages: tuple[Stage, ...], road: _Road) -> tuple[Stage, ...]:
    """A tight circuit is looked at as closely as its lap is."""
    finest = stages[-1]
    if road.centre.ds >= 0.75 * finest.spacing_m:
        return stages
    return (*stages, replace(finest, spacing_m=road.centre.ds, step_m=0.5 * finest.step_m))


def _searched(
    circuit: Circuit, finest: _Road, lap_case: LapCase, sheet: Sheet, first: Floats, stages: Sequence[Stage], told: Callable[[float], bool],
    room: Room | None = None,
) -> Quickest:  # fmt: skip
    """One search from one line."""
    car = adjusted(lap_case.car, sheet)
    before = solve_lap(line_case(lap_case, offset_line(finest.centre, first)), sheet)
    search = _Search(lap_case, car, ready(lap_case, car), before.tyres, winding_of(lap_case.car))
    offset, total, done = first, sum(stage.programmes for stage in stages), 0
    for number, stage in enumerate(stages):
        if number:  # the tyres are as hot as the new line makes them
            now = line_case(lap_case, offset_line(finest.centre, _resampled(offset, finest)))
            search.on(solve_lap(now, sheet, initial_guess=before).tyres)
        spacing = min(stage.spacing_m, max(finest.centre.length_m / _FEW_STATIONS, finest.centre.ds))
        road = finest if spacing <= 1.01 * finest.centre.ds else _road(circuit, spacing, lap_case.car.width_m, room)

        def share(programmes: int, done: int = done) -> bool:
            return told((done + programmes) / total)

        offset = _improved(search, road, _resampled(offset, road), stage, share)
        done += stage.programmes
    offset = _resampled(offset, finest)
    line = offset_line(finest.centre, offset)
    after = solve_lap(line_case(lap_case, line), sheet)
    allowed = bool((first >= finest.low - 1e-6).all() and (first <= finest.high + 1e-6).all())
    if after.time_s > before.time_s and (room is None or allowed):
        offset, line, after = first, offset_line(finest.centre, first), before
    return Quickest(offset, line, after.time_s, before.time_s, search.laps)


def _resampled(offset: Floats, road: _Road) -> Floats:
    """Offsets at the stations of a road, from any number of even ones, within the width."""
    from scipy.interpolate import CubicSpline

    if len(offset) == road.count:
        return offset
    n = len(offset)
    if road.centre.closed:
        spline = CubicSpline(np.arange(n + 1) / n, np.append(offset, offset[0]), bc_type="periodic")
        found = spline(np.arange(road.count) / road.count)
    else:
        found = CubicSpline(np.arange(n) / (n - 1), offset)(np.arange(road.count) / (road.count - 1))
    return np.asarray(found, dtype=np.float64)


def _improved(search: _Search, road: _Road, offset: Floats, stage: Stage, told: Callable[[int], bool]) -> Floats:
    """The offsets after a stage of programmes."""
    geometry = _geometry(road, np.clip(offset, road.low, road.high))
    lap = search.lap(geometry.line)
    if lap is None:
        return offset
    rate = search.limits.rate(lap.column("speed"))
    offset = _nearest(road, offset, rate)
    geometry = _geometry(road, offset)
    lap = search.lap(geometry.line)
    if lap is None:
        return offset
    step = np.full(road.count, stage.step_m)
    multiplier: Floats | None = None
    small = 0
    for number in range(stage.programmes):
        if told(number):
            break
        rate = search.limits.rate(lap.column("speed"))
        cost = search.cost(road, geometry.line, lap, rate)
        found, multiplier = _programme(search, road, offset, geometry, lap, rate, step, multiplier)
        if found is None:
            break
        trials = [(offset, geometry.line, lap, cost, np.zeros(road.count))]
        for whole in (1.0, 0.5, 0.25):
            _try(search, road, offset, found, np.full(road.count, whole), rate, trials)
        share = _local_shares(road, trials)
        _try(search, road, offset, found, share, rate, trials)
        best = min(trials, key=lambda trial: trial[3])
        gain = cost - best[3]
        step = np.clip(step * np.clip(0.3 + 1.2 * share, 0.3, 1.5), _LEAST_STEP_M, 1.5 * stage.step_m)
        if gain > 0.0:
            offset, lap = best[0], best[2]
            geometry = _geometry(road, offset)
        small = small + 1 if gain < _GAIN * lap.time_s else 0
        if small >= 2:
            break
    return offset


_Trial = tuple[Floats, Line, Lap, float, Floats]


def _try(search: _Search, road: _Road, offset: Floats, move: Floats, share: Floats, rate: Floats, trials: list[_Trial]) -> None:
    new = np.clip(offset + share * move, road.low, road.high)
    line = offset_line(road.centre, new)
    lap = search.lap(line)
    if lap is not None:
        trials.append((new, line, lap, search.cost(road, line, lap, rate), share))


def _local_shares(road: _Road, trials: Sequence[_Trial]) -> Floats:
    """At each station the share of the step that gained most around it, smoothed."""
    reach = max(round(_AROUND_M / road.centre.ds), 2)
    base = trials[0][2].column("time")

    def around(values: Floats) -> Floats:
        kernel_ = np.hanning(2 * reach + 3)[1:-1]
        kernel_ /= kernel_.sum()
        padded = np.pad(values, reach, mode="wrap" if road.centre.closed else "edge")
        return np.asarray(np.convolve(padded, kernel_, mode="valid"))

    gains = np.array([around(trial[2].column("time") - base) for trial in trials])
    shares = np.array([trial[4] for trial in trials])
    return around(np.take_along_axis(shares, gains.argmin(axis=0)[None], axis=0)[0])


def _nearest(road: _Road, offset: Floats, rate: Floats) -> Floats:
    """The nearest offsets within the width whose curvature changes no faster than it may, or than it does already where it must."""
    n, aim = road.count, offset
    now = np.clip(offset, road.low, road.high)
    offsets, one = _unknown(road, 0), np.ones((n, 1))
    for _ in range(2):
        geometry = _geometry(road, now)
        squares = [(Rows(offsets[:, None] + kind, one), np.ones(n)) for kind in (0, 1)]
        slope = np.zeros(2 * n)
        slope[offsets] = now - aim
        rows, bound = _joined([*_width_rows(road, now, np.full(n, 2.0 * road.half)), *_rate_rows(road, geometry, rate, 1.0)])
        found = solve(squares, slope, rows, bound, road.place)
        if not found.solved:
            break
        now = np.clip(now + found.x[offsets], road.low, road.high)
    return np.asarray(now, dtype=np.float64)


def _unknown(road: _Road, kind: int, shift: int = 0) -> Any:
    """Index of the offset (0) or the energy (1) of every station so many further."""
    return 2 * road.index[2 + shift] + kind


Bound = tuple[Rows, Floats]


def _joined(parts: Sequence[Bound]) -> Bound:
    """All rows under one another, as wide as the widest."""
    widest = max(rows.index.shape[1] for rows, _ in parts)
    index = np.concatenate([np.pad(rows.index, ((0, 0), (0, widest - rows.index.shape[1])), constant_values=-1) for rows, _ in parts])
    value = np.concatenate([np.pad(rows.value, ((0, 0), (0, widest - rows.value.shape[1]))) for rows, _ in parts])
    return Rows(index, value), np.concatenate([bound for _, bound in parts])


def _width_rows(road: _Road, offset: Floats, step: Floats) -> list[Bound]:
    """The road's edges and the trust region, as bounds of the offsets."""
    own = _unknown(road, 0)[:, None]
    one = np.ones((road.count, 1))
    free = step.copy()
    if not road.centre.closed:  # a course begins and ends where it does
        free[:2] = free[-2:] = 1e-6
    up, down = np.minimum(road.high - offset, free), np.minimum(offset - road.low, free)
    return [(Rows(own, one), up), (Rows(own, -one), down)]


def _rate_rows(road: _Road, geometry: _Geometry, rate: Floats, shrink: float) -> list[Bound]:
    """Curvature changes no faster than it may; where it does already, no faster than that."""
    k, bend = geometry.line.road[:, 0], geometry.bend
    after = road.index[3]
    # rise of curvature to the next station over the stations -1, 0, 1, 2
    value = np.column_stack([-bend[0], bend[0][after] - bend[1], bend[1][after] - bend[2], bend[2][after]])
    index = np.column_stack([_unknown(road, 0, shift) for shift in (-1, 0, 1, 2)])
    rise, most = k[after] - k, rate * geometry.line.ds
    scale = 1.0 / most
    if not road.centre.closed:
        value[[0, -2, -1]] = 0.0
    room = np.maximum(1.0, shrink * np.abs(rise) * scale)
    rows = scale[:, None] * value
    return [(Rows(index, rows), room - rise * scale), (Rows(index, -rows), room + rise * scale)]


@dataclass(frozen=True)
class _Uses:
    """Uses of axles, engine and brakes at every interval and their derivatives, shape [intervals, 6]."""

    at: Floats
    by_bend: Floats
    by_energy: Floats
    by_accel: Floats
    by_grip: Floats


def _uses(search: _Search, line: Line, road_rows: Floats, grip: Floats, v: Floats, accel: Floats) -> _Uses:
    """Central differences of `kernel.axle_uses`; energy relative, curvature absolute."""
    c, flap = search.record, line.places[1][:, FLAP].copy()

    def rows_of(road: Floats, of_grip: Floats) -> Floats:
        return places(road, of_grip, flap, line.pool)

    def at(rows: Floats, speed: Floats, a: Floats) -> Floats:
        out = np.empty((len(v), 6))
        kernel.uses_along(c, rows, np.ascontiguousarray(speed), np.ascontiguousarray(a), out)
        return out

    base = rows_of(road_rows, grip)
    step = _STEP * np.maximum(np.abs(road_rows[:, 0]), 2e-3)
    more, less = road_rows.copy(), road_rows.copy()
    more[:, 0] += step
    less[:, 0] -= step
    by_bend = (at(rows_of(more, grip), v, accel) - at(rows_of(less, grip), v, accel)) / (2.0 * step[:, None])
    quick, slow = v * math.sqrt(1.0 + _STEP), v * math.sqrt(1.0 - _STEP)
    by_energy = (at(base, quick, accel) - at(base, slow, accel)) / (2.0 * _STEP)
    by_accel = (at(base, v, accel + _STEP_ACCEL) - at(base, v, accel - _STEP_ACCEL)) / (2.0 * _STEP_ACCEL)
    grippier, slipperier = (rows_of(road_rows, (1.0 + sign * _STEP_GRIP) * grip) for sign in (1.0, -1.0))
    by_grip = (at(grippier, v, accel) - at(slipperier, v, accel)) / (2.0 * _STEP_GRIP)
    return _Uses(at(base, v, accel), by_bend, by_energy, by_accel, by_grip)


#: Where grip and bank are read beside a line for how they change across the road [m].
_SIDES_M = (0.2, -0.2)


def _grip_slope(centre: CentreLine, offset: Floats, grip: Floats) -> Floats:
    """Relative change of grip per offset [1/m].

    Bank that changes across the road counts as grip: a level road of grip mu carries mu g, one of bank b about
    g (mu + b (1 + mu2)), which is a relative change of b (1/mu + mu), 2 b where mu is about 1.
    """
    slope = np.zeros(len(offset))
    if centre.strips:
        left, right = (strip_grip(centre.strips, centre.s, offset + side) for side in _SIDES_M)
        slope += (left - right) / ((_SIDES_M[0] - _SIDES_M[1]) * grip)
    if centre.falls:
        left, right = (falls_rad(centre.falls, centre.s, offset + side, centre.closed) for side in _SIDES_M)
        slope += 2.0 * np.sign(centre.curvature) * (left - right) / (_SIDES_M[0] - _SIDES_M[1])
    return slope


def _programme(
    search: _Search, road: _Road, offset: Floats, geometry: _Geometry, lap: Lap, rate: Floats, step: Floats, multiplier: Floats | None
) -> tuple[Floats | None, Floats | None]:
    """The offsets' step that the linearised limits allow; None where the programme has no solution."""
    n, line, closed = road.count, geometry.line, road.centre.closed
    after = road.index[3]
    v = lap.column("speed")
    energy, ds = 0.5 * v * v, line.ds
    mean = 0.5 * (v + v[after])
    accel = (energy[after] - energy) / ds
    grip = np.ones(n) if line.grip is None else line.grip
    between = 0.5 * (line.road + line.road[after])
    between[:, 4] = line.road[:, 4]
    middle_grip = 0.5 * (grip + grip[after])
    between_rows = places(between, middle_grip, None, line.pool)
    climb = between_rows[:, CLIMB]
    coast = np.empty(n)
    kernel.coasting_along(search.record, between_rows, np.ascontiguousarray(mean), coast)
    slope_grip = _grip_slope(road.centre, offset, grip)
    bend = geometry.bend
    # curvature midway over the stations -1, 0, 1, 2
    midway = 0.5 * np.column_stack([bend[0], bend[1] + bend[0][after], bend[2] + bend[1][after], bend[2][after]])
    offsets = np.column_stack([_unknown(road, 0, shift) for shift in (-1, 0, 1, 2)])
    energies = np.column_stack([_unknown(road, 1, shift) for shift in (0, 1)])
    index = np.concatenate([offsets, energies], axis=1)
    way = np.zeros((n, 4))
    way[:, 1], way[:, 2] = geometry.way[0], geometry.way[1]
    # change of acceleration along the line: of the energies (relative), and of the way between them
    accel_energy = np.column_stack([-energy / ds, energy[after] / ds])
    accel_offset = -(accel + climb)[:, None] / ds[:, None] * way
    grip_offset = np.zeros((n, 4))
    grip_offset[:, 1], grip_offset[:, 2] = 0.5 * slope_grip, 0.5 * slope_grip[after]

    def row(found: _Uses, kind: int, own: Floats) -> tuple[Floats, Floats]:
        """Coefficients of one limit, and its use at this line's own acceleration."""
        u, ub, ue, ua, ug = (part[:, kind] for part in (found.at, found.by_bend, found.by_energy, found.by_accel, found.by_grip))
        value = np.concatenate(
            [
                ub[:, None] * midway + ua[:, None] * accel_offset + ug[:, None] * grip_offset,
                0.5 * ue[:, None] + ua[:, None] * accel_energy,
            ],
            axis=1,
        )
        return value, u + ua * (accel - own)

    parts: list[Bound] = []
    ellipses: list[tuple[int, Floats]] = []

    def bent(found: _Uses, kind: int) -> Floats:
        """The way in which an axle's ellipse bends: across against along, as coefficients over the root of the use."""
        use, across = found.at[:, kind], found.at[:, 4 + kind]
        along = np.sqrt(np.maximum(use * use - across * across, 1e-6))
        ratio = np.clip(along / np.maximum(across, 1e-3), 0.0, _MOST_RATIO)
        other = np.clip(np.maximum(across, 1e-3) / along, 0.0, _MOST_RATIO)
        ub, ue, ua = found.by_bend[:, kind], found.by_energy[:, kind], found.by_accel[:, kind]
        value = np.concatenate(
            [
                (ratio * ub)[:, None] * midway - (other * ua)[:, None] * accel_offset,
                0.5 * (ratio * ue)[:, None] - (other * ua)[:, None] * accel_energy,
            ],
            axis=1,
        )
        return np.asarray(value / np.sqrt(np.maximum(use, 0.3))[:, None])

    keep = np.ones(n, dtype=bool)
    if not closed:
        keep[[-1]] = False
    for own, kinds in (
        (np.maximum(accel, coast + _OFF_ZERO), (0, 1, 2)),
        (np.minimum(accel, coast - _OFF_ZERO), (0, 1, 3)),
    ):
        found = _uses(search, line, between, middle_grip, mean, own)
        for kind in kinds:
            value, use = row(found, kind, own)
            off = (use < _ROW_FROM) | ~keep
            value[off] = 0.0
            if kind < 2:
                curved = bent(found, kind)
                curved[off] = 0.0
                ellipses.append((len(parts), curved))
            parts.append((Rows(index, value), np.maximum(use, 1.0) - use))
    caps, by_bend, by_energy, by_grip = _caps(search, line, grip, v)
    station = np.column_stack([_unknown(road, 0, shift) for shift in (-1, 0, 1)] + [_unknown(road, 1)])
    value = np.column_stack([by_bend * bend[0], by_bend * bend[1] + by_grip * slope_grip, by_bend * bend[2], by_energy])
    value[caps < _ROW_FROM] = 0.0
    parts.append((Rows(station, value), np.maximum(caps, 1.0) - caps))
    parts += _rate_rows(road, geometry, rate, 0.9)
    parts += _width_rows(road, offset, step)
    own_energy, one = _unknown(road, 1)[:, None], np.ones((n, 1))
    most = np.full(n, _MOST_ENERGY)
    if not closed:
        most[0] = 1e-6
    parts += [(Rows(own_energy, one), most), (Rows(own_energy, -one), most)]
    rows, bound = _joined(parts)
    squares, slope = _objective(road, geometry, v, mean, rate, energy)
    if multiplier is not None and len(multiplier) == len(bound):
        # by the multipliers of the last programme
        squares += [(Rows(index, curved), _ELLIPSE * multiplier[place * n : (place + 1) * n]) for place, curved in ellipses]
    solution = solve(squares, slope, rows, bound, road.place)
    if not np.isfinite(solution.x).all():
        return None, None
    return solution.x[_unknown(road, 0)], _kept(solution)


def _kept(found: Solution) -> Floats | None:
    return found.multiplier if found.solved else None


def _caps(search: _Search, line: Line, grip: Floats, v: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Use of the weaker axle at every station without force, and its derivatives in curvature, relative energy and relative grip."""
    c = search.record

    def at(rows: Floats, speed: Floats) -> Floats:
        out = np.empty(len(v))
        kernel.corner_uses_along(c, rows, np.ascontiguousarray(speed), out)
        return out

    def rows_of(road: Floats, of_grip: Floats) -> Floats:
        return places(road, of_grip, None, line.pool)

    base, step = rows_of(line.road, grip), _STEP * np.maximum(np.abs(line.road[:, 0]), 2e-3)
    more, less = line.road.copy(), line.road.copy()
    more[:, 0] += step
    less[:, 0] -= step
    by_bend = (at(rows_of(more, grip), v) - at(rows_of(less, grip), v)) / (2.0 * step)
    by_energy = (at(base, v * math.sqrt(1 + _STEP)) - at(base, v * math.sqrt(1 - _STEP))) / (2.0 * _STEP)
    grippier, slipperier = (rows_of(line.road, (1.0 + sign * _STEP_GRIP) * grip) for sign in (1.0, -1.0))
    by_grip = (at(grippier, v) - at(slipperier, v)) / (2.0 * _STEP_GRIP)
    return at(base, v), by_bend, by_energy, by_grip


def _objective(
    road: _Road, geometry: _Geometry, v: Floats, mean: Floats, rate: Floats, energy: Floats
) -> tuple[list[tuple[Rows, Floats]], Floats]:
    """Time in energy and way, with its own convexity; roughness and damping of the curvature."""
    n, line, closed = road.count, geometry.line, road.centre.closed
    ds, after, before = line.ds, road.index[3], road.index[1]
    slope = np.zeros(2 * n)
    counts = np.ones(n)
    if not closed:
        counts[-1] = 0.0
    time = counts * ds / mean
    # dt = 2 ds/(v + v+); v changes by half of the relative energy
    by_energy = -counts * ds / (2.0 * mean**2)
    own, offsets = _unknown(road, 1), _unknown(road, 0)
    np.add.at(slope, own, by_energy * 0.5 * v)
    np.add.at(slope, own[after], by_energy * 0.5 * v[after])
    for part, shift in zip(geometry.way, (0, 1), strict=True):
        np.add.at(slope, _unknown(road, 0, shift), counts * part / mean)
    convex = 0.75 * 0.5 * (time + time[before])
    squares = [(Rows(own[:, None], np.ones((n, 1))), convex), (Rows(offsets[:, None], np.ones((n, 1))), np.full(n, 1e-7))]
    bend, k = geometry.bend, line.road[:, 0]
    three = np.column_stack([_unknown(road, 0, shift) for shift in (-1, 0, 1)])
    squares.append((Rows(three, (0.1 * v[:, None]) * bend.T), np.full(n, 2.0 * _DAMPING_S)))
    # second difference of the curvature over five stations
    scale = 1.0 / (rate * ds)
    value = np.zeros((n, 5))
    for column, part in ((0, bend[:, before]), (1, -2.0 * bend), (2, bend[:, after])):
        for k_ in range(3):
            value[:, column + k_] += part[k_]
    rough = Rows(np.column_stack([_unknown(road, 0, shift) for shift in (-2, -1, 0, 1, 2)]), scale[:, None] * value)
    weight = np.full(n, 2.0 * _ROUGH_S)
    if not closed:
        weight[[0, 1, -2, -1]] = 0.0
    squares.append((rough, weight))
    now = scale * (k[after] - 2.0 * k + k[before])
    slope += rough.transposed(weight * now, 2 * n)
    return squares, slope


def line_case(lap_case: LapCase, line: Line) -> LapCase:
    """The same case on another line."""
    return replace(lap_case, line=line)
