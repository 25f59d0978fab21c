"""A lap in ten lines, and its sectors."""

from collections.abc import Sequence

import numpy as np

from ...circuit.line import CornerSpan
from ...circuit.track import Circuit, centre_line
from ...lap.misses import MISS_WORDS, Miss
from ...lap.solver import Lap, LapCase
from ...quantities import format_lap, format_number
from ...vehicle.car import WHEEL_WORDS, WHEELS
from .balance import read_corner, slowest_station

_BRAKED, _OPEN = 0.02, 0.98


def sector_times_s(circuit: Circuit, lap: Lap) -> list[float]:
    """Time of each sector [s]; the whole lap where the circuit has none. They add up to the lap."""
    centre = centre_line(circuit)
    clock = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
    along = np.arange(len(clock)) * centre.length_m / (len(clock) - 1)
    ends = [float(np.interp(at, along, clock)) for at in circuit.sectors_m]
    return [float(part) for part in np.diff([0.0, *ends, float(clock[-1])])]


def ten_lines(circuit: Circuit, lap_case: LapCase, lap: Lap, spans: Sequence[CornerSpan], misses: Sequence[Miss]) -> list[str]:
    """What there is to say of a lap, a sentence each."""
    speed, throttle, brake, dt = (lap.column(name) for name in ("speed", "throttle", "brake", "time"))
    s, length = lap_case.line.s, lap_case.line.length_m
    fastest = int(np.argmax(speed))
    open_s, braked_s = float(dt[throttle > _OPEN].sum()), float(dt[brake > _BRAKED].sum())
    lines = [
        f"{format_lap(lap.time_s, 1)} over {length:.0f} m along the line: {3.6 * length / lap.time_s:.0f} km/h on average.",
        f"Fastest at {s[fastest]:.0f} m: {3.6 * speed[fastest]:.0f} km/h in gear {lap.column('gear')[fastest]:.0f}.",
        f"{100 * open_s / lap.time_s:.0f} % of the lap flat out, {100 * braked_s / lap.time_s:.0f} % on the brakes, "
        f"{100 * (1 - (open_s + braked_s) / lap.time_s):.0f} % in between.",
        _longest(throttle, dt, s, length),
    ]
    read = [read_corner(lap, span, s) for span in spans]
    if read:
        slow, quick = min(read, key=lambda one: one.apex_ms), max(read, key=lambda one: one.apex_ms)
        ends = [f"{_name(one.corner)}, {3.6 * one.apex_ms:.0f} km/h" for one in (slow, quick)]
        lines.append(f"Slowest corner: {ends[0]}; fastest: {ends[1]}.")
        hard = max(read, key=lambda one: one.brake_length_m)
        if hard.brake_start_m is not None:
            lines.append(f"Longest braking: {hard.brake_length_m:.0f} m for {_name(hard.corner)}, from {hard.brake_start_m:.0f} m.")
        lines.append(_limits(lap, spans))
    there = [miss for miss in misses if miss.cost_s is not None and miss.off_m == 0.0]
    if there:
        dear = max(there, key=lambda miss: miss.cost_s or 0.0)
        span = next(span for span in spans if span.number == dear.corner)
        unit = "s" if dear.kind == "throttle" else "m"
        lines.append(
            f"Dearest miss: {MISS_WORDS[dear.kind]} by {dear.size:g} {unit} in {_name(span)}, {format_number(dear.cost_s or 0.0, 2)} s."
        )
    hardest = int(np.argmax(lap.slip_energy_j))
    share = 100 * lap.slip_energy_j[hardest] / max(sum(lap.slip_energy_j), 1e-9)
    lines.append(f"The {WHEEL_WORDS[WHEELS[hardest]]} tyre works most: {share:.0f} % of all sliding work.")
    lines.append(f"It burns {format_number(lap.fuel_l, 2)} l a lap and changes gear {_changes(lap.column('gear'))} times.")
    return lines


def _name(span: CornerSpan) -> str:
    return f"corner {span.number}, {span.name}" if span.name else f"corner {span.number}"


def _longest(throttle: np.ndarray, dt: np.ndarray, s: np.ndarray, length: float) -> str:
    """The longest time flat out, over the start line too."""
    flat = throttle > _OPEN
    if flat.all():
        return "It is flat out all the way."
    if not flat.any():
        return "It is nowhere flat out."
    start = int(np.flatnonzero(~flat)[0])
    order = np.roll(np.arange(len(flat)), -start)
    best, begun, clock, found = 0.0, 0, 0.0, (0, 0)
    for k, station in enumerate(order):
        if flat[station]:
            begun = k if clock == 0.0 else begun
            clock += float(dt[station])
            if clock > best:
                best, found = clock, (begun, k)
        else:
            clock = 0.0
    first, last = order[found[0]], order[found[1]]
    metres = float((s[last] - s[first]) % length)
    return f"Longest flat out: {format_number(best, 1)} s, {metres:.0f} m from {s[first]:.0f} m on."


def _limits(lap: Lap, spans: Sequence[CornerSpan]) -> str:
    """Which axle is nearer to its limit where each corner is slowest."""
    front = [
        bool(lap.column("front_utilisation")[at] >= lap.column("rear_utilisation")[at])
        for at in (slowest_station(lap, one) for one in spans)
    ]
    if all(front) or not any(front):
        return f"The {'front' if all(front) else 'rear'} sets the limit in every corner."
    rear = ", ".join(str(span.number) for span, is_front in zip(spans, front, strict=True) if not is_front)
    return f"The front sets the limit in {sum(front)} of {len(front)} corners; the rear in {rear}."


def _changes(gear: np.ndarray) -> int:
    """Gear changes over a lap."""
    return int(np.count_nonzero(np.diff(np.append(gear, gear[0]))))
