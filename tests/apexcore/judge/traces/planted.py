"""Laps with one known difference, as a logger with poor sensors saw them: another sampler than the product's, and the truth beside it."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from scipy.ndimage import gaussian_filter1d

from apexcore.circuit.line import CornerSpan, Line
from apexcore.judge.traces.corner import windows
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.explain import Comparison, compared
from apexcore.judge.traces.frame import Base, base_of, laid_on
from apexcore.judge.traces.place import placed
from apexcore.lap.misses import _Tried
from apexcore.lap.orders import Order
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.vehicle.sheet import base_sheet
from tests.conftest import demo_circuit, demo_lap_case

Floats = np.ndarray

#: Cars and circuits on which differences are planted.
PLACES = (("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow"), ("ferrow_lark", "sallowmere_fen"))
KINDS = ("early", "throttle", "apex", "gear", "grip", "none")


@dataclass(frozen=True)
class Sensors:
    """:param hz: samples a second
    :param place_m: scatter of a position [m]
    :param speed_kmh: scatter of a speed [km/h]
    :param wander_s: over how long the error of positions lasts; 0 where each is off on its own [s]"""

    hz: float = 20.0
    place_m: float = 0.5
    speed_kmh: float = 0.3
    wander_s: float = 0.0


@dataclass(frozen=True)
class Bench:
    """A car on a circuit with what every planted lap there shares."""

    case: LapCase
    spans: tuple[CornerSpan, ...]
    base: Base
    tried: _Tried
    lap: Lap


@cache
def bench(car: str, circuit_key: str) -> Bench:
    """One of `PLACES`, made once."""
    case, spans = demo_lap_case(car, circuit_key)
    circuit, sheet = demo_circuit(circuit_key), base_sheet(case.car)
    tried = _Tried(circuit, case, sheet, solve_lap(case, sheet))
    return Bench(case, spans, base_of(case.line, circuit.width_m), tried, tried._run(case.line))


def seen(
    line: Line, lap: Lap, rng: np.random.Generator, sensors: Sensors, turn: complex = np.exp(0.7j), drop: tuple[str, ...] = ()
) -> RecordedLap:
    """A lap as a logger saw it: in a frame of its own, at a phase of its own, the way summed up from its speeds."""
    clock = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
    inside = np.arange(rng.uniform(1e-3, 1 / sensors.hz), clock[-1] - 1e-3, 1 / sensors.hz)
    t = np.concatenate([[0.0], inside, [clock[-1]]])

    def at(column: Floats) -> Floats:
        return np.asarray(np.interp(t, clock, np.append(column, column[0])))

    z = at(line.x) + 1j * at(line.y)
    off = rng.normal(size=len(t)) + 1j * rng.normal(size=len(t))
    if sensors.wander_s:
        off = gaussian_filter1d(off.real, sensors.wander_s * sensors.hz) + 1j * gaussian_filter1d(off.imag, sensors.wander_s * sensors.hz)
        off *= np.sqrt(2.0 / np.mean(np.abs(off) ** 2))
    z = (z + sensors.place_m * off) * turn + 300.0 - 200.0j
    kmh = np.maximum(3.6 * at(lap.column("speed")) + sensors.speed_kmh * rng.normal(size=len(t)), 0.0)
    way = np.concatenate([[0.0], np.cumsum(0.5 * (kmh[1:] + kmh[:-1]) / 3.6 * np.diff(t))])
    station = np.clip(np.searchsorted(clock, t, side="right") - 1, 0, len(line.s) - 1)
    columns = {
        "speed_kmh": kmh, "throttle_pct": 100 * at(lap.column("throttle")), "brake_pct": 100 * at(lap.column("brake")),
        "gear": lap.column("gear")[station], "x_m": z.real, "y_m": z.imag, "distance_m": way,
    }  # fmt: skip
    return RecordedLap(1, t, {key: column for key, column in columns.items() if key not in drop})


@dataclass(frozen=True)
class Planted:
    """One case.

    :param kind: of `KINDS`
    :param corner: where it was planted
    :param true_s: gap that truly arises in each row of the comparison [s]
    :param named: the row that is explained first; None where none is
    :param braked_m: by how many metres later the lap is said to brake in the corner, and truly does; None where neither
    """

    kind: str
    corner: int
    true_s: tuple[float, ...]
    comparison: Comparison
    named: int | None
    braked_m: tuple[float, float] | None

    @property
    def right(self) -> bool:
        """Whether the corner is named in which most was lost, to 0.02 s; nothing where there was no difference, or less than that."""
        if self.kind == "none":
            return self.named is None
        most = max(self.true_s)
        return (most < 0.02) if self.named is None else self.true_s[self.named] > most - 0.02

    @property
    def off_s(self) -> float:
        """Largest error of a row's seconds."""
        return max(abs(row.total_s - true) for row, true in zip(self.comparison.rows, self.true_s, strict=True))


def _planted(where: Bench, kind: str, rng: np.random.Generator) -> tuple[int, LapCase, Lap] | None:
    span = where.spans[int(rng.integers(len(where.spans)))]
    tried, line = where.tried, where.case.line
    apex = tried._slowest(span)
    begin = tried._braking(apex)[0]
    if kind in ("early", "throttle") and begin is None:
        return None
    if kind == "early":
        return span.number, where.case, tried._early(int(begin or 0), apex, float(rng.uniform(3, 20)))
    if kind == "throttle":
        return span.number, where.case, tried._late_throttle(apex, float(rng.uniform(0.1, 0.5)))
    if kind == "apex":
        wide, _ = tried._wide(span, apex, float(rng.uniform(0.5, 2.0)))
        return span.number, replace(where.case, line=wide), tried._run(wide)
    if kind == "gear":
        gear, count = int(where.lap.column("gear")[apex]) + 1, len(line.s)
        if gear > len(where.case.car.powertrain.gears):
            return None
        there = Order(float(line.s[(span.first - 10) % count]), float(line.s[(span.last + 40) % count]), gear=gear)
        return span.number, where.case, tried._run(line, [there])
    if kind == "grip":
        return span.number, where.case, tried._run(line, [Order(0.0, line.length_m + 1.0, leaning=0.99)])
    return span.number, where.case, where.lap


def _onset(lap: Lap, s: Floats, window: tuple[float, float], length: float) -> float | None:
    """Where the lap truly begins to brake for a corner [m]."""
    brake, count = lap.column("brake"), len(s)
    top = float(np.percentile(brake, 99.5))
    first = int(np.searchsorted(s, window[0] % length))
    found = None
    for step in range(int((window[1] - window[0]) / (length / count))):
        k = (first + step) % count
        before = brake[k - 1]
        if brake[k] >= 0.06 * top > before:
            share = (0.06 * top - before) / (brake[k] - before)
            place = float(s[k - 1] + share * ((s[k] - s[k - 1]) % length))
            found = place if place >= window[0] % length or window[0] < 0 <= place else place + length
    return found


def planted(seeds: range, sensors: Sensors = Sensors(), kinds: tuple[str, ...] = KINDS, drop: tuple[str, ...] = ()) -> Iterator[Planted]:
    """Cases with known differences, one a seed."""
    for seed in seeds:
        rng = np.random.default_rng([seed, 15])
        kind, where = kinds[seed % len(kinds)], bench(*PLACES[seed // len(kinds) % len(PLACES)])
        made = _planted(where, kind, rng)
        if made is None:
            continue
        corner, case, lap = made
        turn = np.exp(1j * rng.uniform(0, 6.28))
        one, other = seen(case.line, lap, rng, sensors, turn, drop), seen(where.case.line, where.lap, rng, sensors, turn, drop)
        frame = None
        if "x_m" in one.columns:
            frame = laid_on(one.columns["x_m"], one.columns["y_m"], where.base, [(other.columns["x_m"], other.columns["y_m"])])
        laps = placed([one, other], where.base, [frame, frame])
        line = where.case.line
        found = compared(laps[0], laps[1], windows(line, where.spans), line.length_m)
        yield _judged(where, kind, corner, case, lap, found)


def _judged(where: Bench, kind: str, corner: int, case: LapCase, lap: Lap, found: Comparison) -> Planted:
    line = where.case.line
    s = np.append(line.s, line.length_m)
    place = s.copy()
    if case is not where.case:
        spot, _ = where.base.project(case.line.x + 1j * case.line.y, line.s)
        place = np.append(spot, line.length_m)
        place[0] = 0.0
    mine, theirs = (np.concatenate([[0.0], np.cumsum(one.column("time"))]) for one in (lap, where.lap))
    ends = np.array([[row.from_m, min(row.to_m, line.length_m)] for row in found.rows])
    gap = np.interp(ends, place, mine) - np.interp(ends, s, theirs)
    first = found.dearest()
    named = found.rows.index(first[0]) if first else None
    row = next(row for row in found.rows if row.window is not None and row.window.number == corner)
    braked = None
    if kind == "early" and row.lap and row.reference and row.lap.brake_m is not None and row.reference.brake_m is not None:
        around = (row.from_m, row.reference.slow_m)
        true = [_onset(one, line.s, around, line.length_m) for one in (lap, where.lap)]
        if true[0] is not None and true[1] is not None:
            braked = (row.lap.brake_m - row.reference.brake_m, true[0] - true[1])
    return Planted(kind, corner, tuple(float(value) for value in gap[:, 1] - gap[:, 0]), found, named, braked)
