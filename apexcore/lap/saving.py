"""The least-cost way to save fuel, or a tyre: in which corners to lift before the brakes, and for how many metres.

A lift before a braking changes the lap only from where the throttle closes to where the braking would have begun: each corner's time and
saving depend on its own metres alone. One lap for every distance tried gives them for all corners at once; the least of the sum for
a wanted saving follows from the corners' lower convex hulls, cheapest parts first, which is exact for hulls (Boyd & Vandenberghe, Convex
Optimization, ch. 5: one price for all).
"""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from ..circuit.line import CornerSpan, Floats
from ..errors import InputError
from ..vehicle.sheet import Sheet, adjusted
from .orders import Order
from .solver import Lap, LapCase, also_told, ready, run_at, spending_as

#: Metres of lift that are tried.
METRES: Floats = np.concatenate([np.arange(0.0, 120.0, 6.0), np.arange(120.0, 301.0, 12.0)])

#: Part of the most saved by which a distance must save more than the one before, to count.
_LEAST_GAIN = 1e-4

#: Rounds in which a saving is refined on the lap itself, and the part of it that may lack.
_REFINED, _ENOUGH = 6, 2e-3
_BRAKED = 0.02  #: share of the brakes from which on a place is braked [-]

#: What can be saved.
AIMS = ("fuel", "fl", "fr", "rl", "rr")


@dataclass(frozen=True)
class Way:
    """A way to save.

    :param saved: a lap [l], or [J] of a tyre's sliding work
    :param cost_s: a lap [s]
    :param metres: of lift before each corner's brakes, by corner number [m]
    """

    saved: float
    cost_s: float
    metres: dict[int, float]


@dataclass(frozen=True)
class Lifts:
    """What lifting brings, corner by corner.

    :param spans: the corners that are braked for
    :param cost_s: time that each corner's lift costs, shape [corners, metres] [s]
    :param saved: what it saves, likewise [l or J]
    """

    spans: tuple[CornerSpan, ...]
    cost_s: Floats
    saved: Floats

    @property
    def most(self) -> float:
        """The most that lifting saves in a lap."""
        return float(self.saved.max(axis=1).sum())


def told_lifts(line_s: Floats, spans: Sequence[CornerSpan], metres: dict[int, float]) -> tuple[Order, ...]:
    """The driver's orders: so many metres of lift before each corner's brakes.

    :param line_s: distance of each station along the line [m]
    :param metres: by corner number
    """
    n, orders = len(line_s), []
    for k, span in enumerate(spans):
        before = spans[k - 1]
        begin, end = line_s[before.apex % n], line_s[span.apex % n]
        if metres.get(span.number, 0.0) > 0.0:
            orders.append(Order(float(begin), float(end), coast_m=float(metres[span.number])))
    return tuple(orders)


def _spent(lap: Lap, aim: str) -> Floats:
    """What each station takes of what is to be saved [l or J]."""
    return lap.column("fuel_l") if aim == "fuel" else lap.column(f"slide_{aim}") * lap.column("time")


def lifts(lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], aim: str = "fuel") -> Lifts:
    """Time and saving of every corner at every distance of lift, on the tyres of a lap.

    :param lap: of the sheet in this case
    :param aim: one of `AIMS`
    :raises InputError: if the circuit has no corner, or the aim is unknown
    """
    if aim not in AIMS:
        raise InputError("saving", aim, ", ".join(AIMS))
    if not spans:
        raise InputError("corners", "none", "a circuit with a corner to lift for")
    lap_case = spending_as(lap_case, lap)
    car, n = adjusted(lap_case.car, sheet), len(lap.data)
    prepared = ready(lap_case, car)
    line = lap_case.line

    def read(metres: float) -> tuple[Floats, Floats]:
        told = told_lifts(line.s, spans, {span.number: metres for span in spans})
        found = run_at(also_told(lap_case, told), prepared, lap.tyres, line, lap.ripple)
        dt, spent = found.column("time"), _spent(found, aim)
        time, use = [], []
        for k, span in enumerate(spans):  # from apex to apex
            begin, end = spans[k - 1].apex % n, span.apex % n
            inside = np.arange(begin, end if end > begin else end + n) % n
            time.append(float(dt[inside].sum()))
            use.append(float(spent[inside].sum()))
        return np.array(time), np.array(use)

    reach = [_way_before_brakes(lap, line.s, float(line.length_m), spans[k - 1].apex % n, span.apex % n) for k, span in enumerate(spans)]
    with ThreadPoolExecutor(2) as pool:  # the kernel lets go of the interpreter while it runs
        rows = list(pool.map(read, [float(metres) for metres in METRES]))
    cost = np.array([time - rows[0][0] for time, _ in rows]).T
    saved = np.array([rows[0][1] - use for _, use in rows]).T
    saved[METRES[None, :] > np.array(reach)[:, None]] = 0.0  # such a lift would begin in the corner before
    return Lifts(tuple(spans), np.maximum(cost, 0.0), saved)


def _way_before_brakes(lap: Lap, s: Floats, length_m: float, before: int, apex: int) -> float:
    """Way from the apex before to where a corner's braking begins [m]; 0 where it is not braked for."""
    n = len(s)
    inside = np.arange(before, apex if apex > before else apex + n) % n
    braked = np.flatnonzero(lap.column("brake")[inside] > _BRAKED)
    return float((s[inside[braked[0]]] - s[before]) % length_m) if len(braked) else 0.0


def _hull(cost: Floats, saved: Floats) -> list[int]:
    """The distances on the lower convex hull of cost over saving, from no lift on; each saves more than the one before."""
    kept = [0]
    for k in np.argsort(saved, kind="stable"):
        if saved[k] <= saved[kept[-1]] + _LEAST_GAIN * float(np.abs(saved).max()):
            continue
        while len(kept) > 1:
            a, b = kept[-2], kept[-1]
            if (cost[b] - cost[a]) * (saved[k] - saved[a]) >= (cost[k] - cost[a]) * (saved[b] - saved[a]):
                kept.pop()
            else:
                break
        kept.append(int(k))
    return kept


def ways(found: Lifts, wanted: Sequence[float]) -> list[Way]:
    """The least-cost way to each wanted saving; as far as lifting goes where more is wanted than it can give.

    :param wanted: savings a lap [l or J], each
    """
    parts: list[tuple[float, int, int, int]] = []
    hulls = [_hull(found.cost_s[k], found.saved[k]) for k in range(len(found.spans))]
    for corner, hull in enumerate(hulls):
        for a, b in pairwise(hull):
            gain = found.saved[corner, b] - found.saved[corner, a]
            parts.append(((found.cost_s[corner, b] - found.cost_s[corner, a]) / gain, corner, a, b))
    parts.sort(key=lambda part: part[0])
    result = []
    for aim in wanted:
        left, cost = max(aim, 0.0), 0.0
        metres = np.zeros(len(found.spans))
        for price, corner, a, b in parts:
            gain = float(found.saved[corner, b] - found.saved[corner, a])
            share = min(left / gain, 1.0)
            if share <= 0.0:
                break
            cost += share * gain * price
            left -= share * gain
            metres[corner] = METRES[a] + share * (METRES[b] - METRES[a])
        lifted = {span.number: float(m) for span, m in zip(found.spans, metres, strict=True) if m > 0.0}
        result.append(Way(max(aim, 0.0) - max(left, 0.0), cost, lifted))
    return result


def curve(found: Lifts, points: int = 21) -> list[Way]:
    """Seconds against saving, from nothing to the most that lifting gives."""
    return ways(found, [float(value) for value in np.linspace(0.0, found.most, points)])


def least_cost(lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], wanted: float, aim: str = "fuel") -> Way:
    """The least-cost way to a wanted saving, as the lap with those lifts has it: saving and cost are that lap's own.

    Metres between those that were tried save a little less than their share, as a lift begins at a station: the lap itself tells how
    much, and a little more is asked for.

    :param wanted: a lap [l or J]
    :raises InputError: as `lifts`
    """
    found = lifts(lap_case, sheet, lap, spans, aim)
    lap_case = spending_as(lap_case, lap)
    prepared = ready(lap_case, adjusted(lap_case.car, sheet))

    def driven(metres: dict[int, float]) -> tuple[float, float]:
        told = told_lifts(lap_case.line.s, spans, metres)
        run = run_at(also_told(lap_case, told), prepared, lap.tyres, lap_case.line, lap.ripple)
        return run.time_s, float(_spent(run, aim).sum())

    base_s, base_use = driven({})
    asked, best = wanted, Way(0.0, 0.0, {})
    for _ in range(_REFINED):
        (way,) = ways(found, [asked])
        time_s, use = driven(way.metres)
        real = Way(base_use - use, time_s - base_s, way.metres)
        enough = real.saved >= wanted * (1.0 - _ENOUGH)
        if best.saved < wanted * (1.0 - _ENOUGH) or (enough and real.cost_s < best.cost_s):
            best = real
        if enough and real.saved <= wanted * (1.0 + _ENOUGH):
            break
        asked = min(asked + (wanted - real.saved), found.most)
    return best
