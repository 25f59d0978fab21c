"""What a miss costs: braking early or late, an apex missed, the throttle late, a strip missed; each solved as a lap of its own.

Braking early is the same braking so many metres sooner, and then the corner's speed until its place; braking late carries the car wide: it
goes on straight for as many metres, so that its line leaves the other one by that times the sine of the turn up to the apex.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..circuit.features import strip_grip
from ..circuit.line import CornerSpan, Floats, Line, half_room_m, offset_line
from ..circuit.track import Circuit, centre_line
from ..errors import SolverError
from ..vehicle.sheet import Sheet, adjusted
from .orders import Order
from .solver import Lap, LapCase, also_told, ready, run_at, spending_as

KINDS = ("early", "late", "apex", "throttle", "strip")

#: What each miss is called; the sizes are asked for by `misses`.
MISS_WORDS: dict[str, str] = {
    "early": "braking early", "late": "braking late", "apex": "apex missed", "throttle": "throttle late", "strip": "strip missed",
}  # fmt: skip

#: Sizes that are usual: metres of braking either way, of apex and strip, and seconds of throttle.
USUAL: dict[str, float] = {"early": 5.0, "late": 5.0, "apex": 0.5, "throttle": 0.2, "strip": 1.0}
_BRAKED, _PICKED_UP, _OPEN = 0.02, 0.2, 0.6


@dataclass(frozen=True)
class Miss:
    """One miss in one corner.

    :param corner: its number
    :param kind: one of `KINDS`
    :param size: of the miss [m, or s of throttle]
    :param cost_s: time until the next braking [s]; None where the corner has no such thing to miss
    :param off_m: by how much it leaves the road [m]; 0 where it stays on it
    """

    corner: int
    kind: str
    size: float
    cost_s: float | None
    off_m: float = 0.0


def misses(
    circuit: Circuit, lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], sizes: dict[str, float] | None = None,
    corner: int | None = None,
) -> list[Miss]:  # fmt: skip
    """What each miss costs in each corner, on the tyres of a lap, until the next corner's braking.

    :param lap: of the sheet in this case, on the case's line
    :param sizes: of `USUAL`, those that are other
    :param corner: the number of the only one that is looked at; all if not given
    """
    asked = {**USUAL, **(sizes or {})}
    tried = _Tried(circuit, lap_case, sheet, lap)
    found = []
    for k, span in enumerate(spans):
        if corner is not None and span.number != corner:
            continue
        following = spans[(k + 1) % len(spans)]
        found += [tried.miss(span, following, kind, asked[kind]) for kind in KINDS]
    return found


class _Tried:
    """A lap, and laps with a miss in them."""

    def __init__(self, circuit: Circuit, lap_case: LapCase, sheet: Sheet, lap: Lap) -> None:
        self.circuit, self.lap_case, self.lap = circuit, spending_as(lap_case, lap), lap
        self.ready = ready(lap_case, adjusted(lap_case.car, sheet))
        self.n = len(lap.data)
        self.centre = centre_line(circuit, centre_spacing(circuit, self.n))
        self.speed, self.time, self.brake = lap.column("speed"), lap.column("time"), lap.column("brake")
        self.throttle = lap.column("throttle")
        self.half = half_room_m(circuit.width_m, lap_case.car.width_m)

    def _run(self, line: Line, told: Sequence[Order] = ()) -> Lap:
        return run_at(also_told(self.lap_case, told), self.ready, self.lap.tyres, line, self.lap.ripple)

    def miss(self, span: CornerSpan, following: CornerSpan, kind: str, size: float) -> Miss:
        apex = self._slowest(span)
        begin, end = self._braking(apex)
        until = self._braking(self._slowest(following))[0]
        if kind in ("early", "late") and begin is None:
            return Miss(span.number, kind, size, None)
        try:
            if kind == "early":
                assert begin is not None
                return self._cost(span, kind, size, self._early(begin, end, size), apex, until)
            if kind == "throttle":
                return self._cost(span, kind, size, self._late_throttle(apex, size), apex, until)
            if kind == "strip":
                line = self._off_strip(span, size)
                return Miss(span.number, kind, size, None) if line is None else self._cost(span, kind, size, self._run(line), apex, until)
            wide = size
            if kind == "late":
                k, ds = self.lap_case.line.road[:, 0], self.lap_case.line.ds
                inside = np.arange(begin or 0, apex if apex > (begin or 0) else apex + self.n) % self.n
                wide = size * abs(math.sin(min(abs(float((k[inside] * ds[inside]).sum())), 0.5 * math.pi)))
            line, off = self._wide(span, apex, wide)
            return self._cost(span, kind, size, self._run(line), apex, until, off)
        except SolverError:
            return Miss(span.number, kind, size, None)

    def _slowest(self, span: CornerSpan) -> int:
        inside = np.arange(span.first, span.last + 1) % self.n
        return int(inside[np.argmin(self.speed[inside])])

    def _braking(self, apex: int) -> tuple[int | None, int]:
        """Where the braking before a corner's slowest place begins, and where it ends; None without one."""
        k, reach = 0, self.n // 3
        while k < reach and self.brake[(apex - k) % self.n] <= _BRAKED:
            if self.throttle[(apex - k) % self.n] > _OPEN and k > 0:  # it is driven into: nothing is braked for
                return None, apex
            k += 1
        if k == reach:
            return None, apex
        end = (apex - k) % self.n
        while k < reach and self.brake[(apex - k - 1) % self.n] > _BRAKED:
            k += 1
        return (apex - k) % self.n, end

    def _cost(self, span: CornerSpan, kind: str, size: float, missed: Lap, apex: int, until: int | None, off: float = 0.0) -> Miss:
        """Time from well before the corner to the next braking, against the lap without the miss."""
        begin = (self._braking(apex)[0] or span.first) - round(60.0 / self.centre.ds)
        far = round(150.0 / self.centre.ds)
        end = until if until is not None and (until - apex) % self.n < self.n // 2 else (span.last + far) % self.n
        inside = np.arange(begin, end if end > begin else end + self.n) % self.n
        return Miss(span.number, kind, size, float((missed.column("time")[inside] - self.time[inside]).sum()), off)

    def _early(self, begin: int, end: int, metres: float) -> Lap:
        return self._run(self.lap_case.line, braked_sooner(self.lap_case.line, self.lap, begin, end, metres))

    def _late_throttle(self, apex: int, seconds: float) -> Lap:
        """The throttle closed for a while from where it would have opened."""
        k = 0
        while k < self.n // 4 and self.throttle[(apex + k) % self.n] < _PICKED_UP:
            k += 1
        first, clock, last = apex + k, 0.0, apex + k
        while clock < seconds and last < first + self.n // 4:
            clock += float(self.time[last % self.n])
            last += 1
        s = self.lap_case.line.s
        return self._run(self.lap_case.line, [Order(float(s[first % self.n]), float(s[last % self.n]), opening=0.0)])

    def _wide(self, span: CornerSpan, apex: int, metres: float) -> tuple[Line, float]:
        """The line carried wide at the apex, and by how much that leaves the road."""
        offset = carried_wide(self.lap_case.line.offset, span, apex, metres, self.centre.ds)
        over = np.abs(offset) - np.maximum(np.abs(self.lap_case.line.offset), self.half)
        return offset_line(self.centre, offset), max(float(over.max()), 0.0)

    def _off_strip(self, span: CornerSpan, metres: float) -> Line | None:
        """The same line beside the strips of better grip that it uses in a corner; None where there is none."""
        line = self.lap_case.line
        if line.grip is None:
            return None
        inside = np.arange(span.first, span.last + 1) % self.n
        if not (line.grip[inside] > 1.0 + 1e-6).any():
            return None
        shifted = [strip_grip(self.centre.strips, self.centre.s, line.offset + side * metres) for side in (1.0, -1.0)]
        worse = min(shifted, key=lambda grip: float(grip[inside].sum()))
        grip = line.grip.copy()
        grip[inside] = worse[inside]
        return replace(line, grip=grip)


def carried_wide(offset: Floats, span: CornerSpan, apex: int, metres: float, ds: float) -> Floats:
    """A line's offset carried wide of a corner's slowest place, evenly around it.

    :param apex: station of that place
    :param metres: by how much at it [m]
    :param ds: distance of the stations [m]
    """
    n, outward = len(offset), -math.copysign(1.0, span.turn_deg)
    reach = max(0.3 * (span.last - span.first) * ds, 12.0)
    away = ((np.arange(n) - apex + n // 2) % n - n // 2) * ds
    return np.asarray(offset + outward * metres * np.exp(-0.5 * (away / reach) ** 2))


def braked_sooner(line: Line, lap: Lap, begin: int, end: int, metres: float) -> list[Order]:
    """What tells a driver to brake as in a lap, but so many metres sooner, and then to keep the speed of its end until its place.

    :param begin: station where that lap's braking begins
    :param end: station where it ends
    """
    n, s, length, speed = len(line.s), line.s, line.length_m, lap.column("speed")
    inside = np.arange(begin - math.ceil(metres / float(line.ds.mean())) - 1, (end if end >= begin else end + n) + 1)
    if not line.closed:
        inside = inside[inside >= 0]
    ahead, tripled = np.concatenate([s - length, s, s + length]), np.tile(speed, 3)
    orders = []
    for k in inside:
        here = s[k % n] + (length if k >= n else -length if k < 0 else 0.0)
        later = float(np.interp(here + metres, ahead, tripled))
        place = float(s[k % n])
        orders.append(Order(place, place + 1e-6, most_ms=max(later, float(speed[end]))))
    return orders


def centre_spacing(circuit: Circuit, stations: int) -> float:
    """The spacing at which a circuit's middle has so many stations [m]."""
    return centre_line(circuit).length_m / stations


def over_run_s(miss: Miss, laps: int) -> float:
    """What a miss costs that happens again each lap of a run [s]."""
    return (miss.cost_s or 0.0) * laps
