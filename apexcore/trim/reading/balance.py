"""Balance of a lap by phase of the corner and by corner speed."""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...circuit.line import CornerSpan
from ...lap.solver import COLUMN, Lap

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

PHASES = ("entry", "mid", "exit")
SPEEDS = ("slow", "medium", "fast")

Phases = tuple[float | None, float | None, float | None]

#: Apex speeds that part slow from medium and medium from fast corners [m/s] (about 100 and 145 km/h).
SPEED_LIMITS_MS = (28.0, 40.0)

#: A station counts as turning from the first to the second of these parts of the corner's peak lateral acceleration on,
#: and as mid-corner likewise. They rise evenly: a hard edge would make the balance jump when a station changes sides.
_TURNING = (0.2, 0.3)
_MID = (0.8, 0.95)
#: Less time than this is no phase [s].
_LEAST_PHASE_S = 0.03
#: Share of the greatest braking force below which a station does not count as braking.
_BRAKING = 0.02
#: Stations before a corner's slowest one in which its braking lies, the share of the hardest that counts as hard, and what
#: is no braking at all, as a share of the greatest braking force.
_BRAKING_STATIONS, _HARD, _BRAKED = 120, 0.6, 0.05
#: What the balance of a corner is read from, in the order of the rows.
_BALANCE_COLUMNS = [COLUMN[name] for name in ("speed", "lateral", "time", "balance", "trim")]
#: A dip of speed smaller than this does not part one braking from the next [m/s].
_DIP_MS = 0.7


@dataclass(frozen=True)
class CornerBalance:
    """A corner's balance alone, quick to read.

    :param number: of the corner
    :param speed: its class, one of `SPEEDS`
    :param balance: signed margin at entry and exit, and with neither drive nor brakes at mid [%]; None where the phase does not exist
    """

    number: int
    speed: str
    balance: Phases


@dataclass(frozen=True)
class CornerResult:
    """What a lap does in one corner.

    :param speed: its class, one of `SPEEDS`
    :param apex_ms: least speed [m/s]
    :param gear: gear there
    :param brake_start_m: where braking starts, along the lap [m]; None if the corner is taken without
    :param brake_length_m: length of the braking [m]
    :param throttle_m: where the throttle is picked up, along the lap [m]
    :param full_m: where it is wide open, along the lap [m]
    :param balance: signed margin at entry and exit, and with neither drive nor brakes at mid [%]; None where the phase does not exist
    :param limits: which axle is nearer its limit at the apex
    :param use: that axle's use [-]
    """

    corner: CornerSpan
    speed: str
    apex_ms: float
    gear: int
    brake_start_m: float | None
    brake_length_m: float
    throttle_m: float
    full_m: float
    balance: Phases
    limits: str
    use: float


@lru_cache(maxsize=2000)
def _stations(first: int, last: int, count: int) -> Ints:
    """Stations of a corner on a lap of so many; shared, so nobody may change them."""
    return np.arange(first, last + 1) % count


def slowest_station(lap: Lap, span: CornerSpan) -> int:
    """The station of a corner at which the lap is slowest."""
    inside = _stations(span.first, span.last, len(lap.data))
    return int(inside[np.argmin(lap.column("speed")[inside])])


def hard_braking(lap: Lap, apex: int) -> Ints:
    """Stations of the hardest part of the braking before a corner's slowest one; empty where it is not braked for."""
    before = np.arange(apex - _BRAKING_STATIONS, apex + 1) % len(lap.data)
    brake = lap.column("brake")[before]
    return before[brake > max(_HARD * float(brake.max()), _BRAKED)]


def braking_steps(lap: Lap, apex: int, reach: int) -> int:
    """Stations before a corner's slowest one at which its braking begins; 0 if it is taken without.

    It lies in the run of falling speed before that place.

    :param reach: stations that are looked back at most
    """
    speed, brake = lap.column("speed"), lap.column("brake")
    begun, fastest = 0, 0.0
    for k in range(1, reach):
        place = (apex - k) % len(lap.data)
        if speed[place] < fastest - _DIP_MS:
            break
        fastest = max(fastest, float(speed[place]))
        if brake[place] > _BRAKING:
            begun = k
    return begun


def read_corner(lap: Lap, span: CornerSpan, s: Floats) -> CornerResult:
    """Reads one corner from a lap.

    :param s: distance of each station along the lap [m]
    """
    n = len(s)
    length = float(s[-1] + (s[-1] - s[-2]))
    speed, lateral = lap.column("speed"), np.abs(lap.column("lateral"))
    throttle = lap.column("throttle")
    inside = _stations(span.first, span.last, n)
    apex = slowest_station(lap, span)
    start = (apex - braking_steps(lap, apex, n // 3)) % n
    braked = start != apex
    pick = _first(throttle, apex, 0.2)
    full = _first(throttle, apex, 0.98)
    place_inside = int(np.flatnonzero(inside == apex)[0])
    phases = _phases(lateral[inside], lap.column("time")[inside], lap.column("balance")[inside], lap.column("trim")[inside], place_inside)
    front, rear = float(lap.column("front_utilisation")[apex]), float(lap.column("rear_utilisation")[apex])
    apex_ms = float(speed[apex])
    return CornerResult(
        span,
        SPEEDS[int(np.searchsorted(SPEED_LIMITS_MS, apex_ms))],
        apex_ms,
        int(lap.column("gear")[apex]),
        float(s[start]) if braked else None,
        float((s[apex] - s[start]) % length) if braked else 0.0,
        float(s[pick]),
        float(s[full]),
        phases,
        "front" if front >= rear else "rear",
        max(front, rear),
    )


def _first(throttle: Floats, start: int, share: float) -> int:
    """First station from `start` on with at least this throttle; the one a quarter lap on if there is none."""
    n = len(throttle)
    for k in range(n // 4):
        if throttle[(start + k) % n] >= share:
            return (start + k) % n
    return (start + n // 4) % n


def _phases(lateral: Floats, dt: Floats, balance: Floats, trim: Floats, apex: int) -> Phases:
    """Mean balance at entry, mid and exit: in mid-corner the trimmed one, with neither drive nor brakes, since throttle or brake hold
    one axle at its limit and hide what a bar does; on the way in and out by how much the axle that is held there is ahead.

    :param lateral: size of the lateral acceleration at each station of the corner [m/s²]
    :param dt: time that each takes [s]
    :param balance: signed margin of each [%]
    :param trim: the same with neither drive nor brakes [%]
    :param apex: which of them is the slowest
    """
    part = lateral / max(float(lateral.max()), 1e-9)
    turning, middle = _rise(part, _TURNING), _rise(part, _MID)
    aside = dt * (turning * (1.0 - middle))
    mid = dt * middle
    found: list[float | None] = []
    for weights, values in ((aside[:apex], balance[:apex]), (mid, trim), (aside[apex:], balance[apex:])):
        time_s = float(weights.sum())
        found.append(float(weights @ values) / time_s if time_s > _LEAST_PHASE_S else None)
    return found[0], found[1], found[2]


def _rise(part: Floats, edges: tuple[float, float]) -> Floats:
    """0 below the first edge, 1 above the second, even between."""
    return np.minimum(np.maximum((part - edges[0]) / (edges[1] - edges[0]), 0.0), 1.0)


def corner_balances(lap: Lap, spans: Sequence[CornerSpan]) -> tuple[CornerBalance, ...]:
    """The balance of every corner of a lap, as `read_corner` has it."""
    count = len(lap.data)
    columns = np.ascontiguousarray(lap.data[:, _BALANCE_COLUMNS].T)
    found = []
    for span in spans:
        speed, lateral, dt, balance, trim = columns[:, _stations(span.first, span.last, count)]
        apex = int(speed.argmin())
        kind = SPEEDS[bisect_left(SPEED_LIMITS_MS, float(speed[apex]))]
        found.append(CornerBalance(span.number, kind, _phases(np.abs(lateral), dt, balance, trim, apex)))
    return tuple(found)


Balanced = CornerBalance | CornerResult


def balance_changes(now: Sequence[Balanced], before: Sequence[Balanced]) -> dict[tuple[str, str], float | None]:
    """Mean change of balance [%] of each (corner speed, phase), corner by corner: one that crosses from medium to fast
    between two sheets must not look like a change of balance. None where no corner has that phase in both."""
    changes: dict[tuple[str, str], float | None] = {}
    for speed in SPEEDS:
        for index, phase in enumerate(PHASES):
            pairs = [(a.balance[index], b.balance[index]) for a, b in zip(now, before, strict=True) if a.speed == speed]
            found = [after - earlier for after, earlier in pairs if after is not None and earlier is not None]
            changes[speed, phase] = float(np.mean(found)) if found else None
    return changes


def balance_grid(results: Sequence[CornerResult]) -> dict[tuple[str, str], float | None]:
    """Mean balance [%] of each (corner speed, phase); None where the circuit has no such corner."""
    grid: dict[tuple[str, str], float | None] = {}
    for speed in SPEEDS:
        for index, phase in enumerate(PHASES):
            cells = [r.balance[index] for r in results if r.speed == speed and r.balance[index] is not None]
            grid[speed, phase] = float(np.mean([cell for cell in cells if cell is not None])) if cells else None
    return grid
