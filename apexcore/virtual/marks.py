"""The virtual driver by marks: brakes where it is told to. From a mark before its own braking point it is slow too soon; from one
behind it, it runs wide, and the exit suffers."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from ..circuit.line import CornerSpan, half_room_m, offset_line
from ..circuit.moves import behind_m
from ..circuit.track import Circuit, centre_line
from ..lap.misses import braked_sooner, carried_wide
from ..lap.orders import Order
from ..lap.solver import LapCase, also_told, solve_lap
from ..trim.book.proposal import along_line, braking_of
from ..trim.corner import CornerDesk
from ..vehicle.sheet import Sheet

#: Metres over which what the road leaves of a wide line is rounded.
_ROUNDED_M = 8.0
#: What is too little to tell [m].
_SAME_M = 0.5
#: Farthest that a corner is missed by, however late it is braked for [m].
_MOST_WIDE_M = 4.0


def by_marks(lap_case: LapCase, circuit: Circuit, sheet: Sheet, spans: Sequence[CornerSpan], marks: Mapping[int, float]) -> LapCase:
    """The case with a driver who brakes at marks.

    Braking later carries the car on straight for as many metres, so that it leaves its line by that times the sine of the turn up to the
    slowest place (as `lap.misses` has it), within the road.

    :param lap_case: of the car as it is
    :param marks: where to brake, by corner, along the middle of the road [m]; corners that are not braked for are passed over
    :raises SolverError: if the car cannot take the circuit
    """
    from scipy.ndimage import gaussian_filter1d

    lap, centre = solve_lap(lap_case, sheet), centre_line(circuit)
    ds = centre.length_m / len(centre.x) if centre.closed else centre.ds
    half = half_room_m(circuit.width_m, lap_case.car.width_m)
    told, offset = list[Order](), lap_case.line.offset.copy()
    for number, at_m in marks.items():
        desk = CornerDesk(lap_case, sheet, lap, spans, number, 0.5 * circuit.width_m)
        start = desk.technique().read.brake_start_m
        if start is None:
            continue
        begin, end = braking_of(desk)
        sooner = behind_m(start, along_line(lap_case.line, at_m, ds), lap_case.line.length_m)
        if sooner > _SAME_M:
            told += braked_sooner(lap_case.line, lap, begin, end, sooner)
        elif sooner < -_SAME_M:
            inside = desk.stations(begin, desk.apex)
            turned = abs(float((lap_case.line.road[inside, 0] * lap_case.line.ds[inside]).sum()))
            wide = min(-sooner * math.sin(min(turned, 0.5 * math.pi)), _MOST_WIDE_M)
            offset = carried_wide(offset, desk.span, desk.apex, wide, ds)
    line = lap_case.line
    if not np.array_equal(offset, line.offset):
        inside = np.clip(offset, np.minimum(-half, line.offset), np.maximum(half, line.offset))
        moved = gaussian_filter1d(inside - line.offset, _ROUNDED_M / ds, mode="wrap" if centre.closed else "nearest")
        line = offset_line(centre, line.offset + moved)
    return also_told(replace(lap_case, line=line), told)
