"""A line drawn by hand through a corner: moved at a few places, even between them, and what it comes to."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..circuit.line import Line, half_room_m, offset_line
from ..circuit.track import Circuit, centre_line
from ..errors import InputError, SolverError
from ..lap.solver import run_at
from ..quantities import format_number
from .corner import Choice, CornerDesk, Told

#: Places at which a line can be moved, and way before the first and behind the last over which it comes back [m].
PLACES, _BLEND_M = 5, 45.0
#: How far a line may leave its room between two places: less than the hand that is kept to the edge [m].
_OVER_M = 0.2
#: Metres over which the moves are rounded at most, and as a share of the way between two places.
_ROUNDED_M, _ROUNDED_SHARE = 6.0, 0.18
#: Way behind a corner of its last place [m].
_BEHIND_M = 25.0


@dataclass(frozen=True)
class Handle:
    """A place at which a line can be moved.

    :param station: of the line
    :param at_m: along the line [m]
    :param low_m: how far it can be moved, left positive: to the right edge [m]
    :param high_m: to the left edge [m]
    """

    station: int
    at_m: float
    low_m: float
    high_m: float


def handles(desk: CornerDesk, circuit: Circuit) -> list[Handle]:
    """The places of a corner at which its line can be moved: turn-in, nearest to the inside, behind the corner, and between these."""
    technique, n = desk.technique(), desk.n
    ds = float(np.median(desk.lap_case.line.ds))
    begin = int(np.searchsorted(desk.s, technique.turn_in_m)) % n
    middle = int(np.searchsorted(desk.s, technique.inside_at_m)) % n
    end = desk.span.last + round(_BEHIND_M / ds)
    to_middle, to_end = (middle - begin) % n, (end - begin) % n
    if not 8 <= to_middle <= to_end - 8:
        begin = desk.span.first % n
        to_end = max((end - begin) % n, 16)
        to_middle = to_end // 2
    steps = [0, to_middle // 2, to_middle, (to_middle + to_end) // 2, to_end]
    half = half_room_m(circuit.width_m, desk.lap_case.car.width_m)
    found = []
    for step in steps:
        station = (begin + step) % n if desk.closed else min(begin + step, n - 1)
        offset = float(desk.lap_case.line.offset[station])
        found.append(Handle(station, float(desk.s[station]), min(-half - offset, 0.0), max(half - offset, 0.0)))
    return found


def drawn(desk: CornerDesk, circuit: Circuit, moves: Sequence[float]) -> Line:
    """The line moved at its handles, evenly between them, and back on itself before and behind.

    Between two handles the move lies between theirs (monotone cubic pieces, Fritsch & Carlson, SIAM J. Numer. Anal. 17, 1980), so that it
    leaves the road nowhere that they do not; rounded over some metres, so that curvature has no steps.

    :param moves: of each handle, left positive [m]
    :raises InputError: naming the place where it would leave the road
    """
    from scipy.interpolate import PchipInterpolator
    from scipy.ndimage import gaussian_filter1d

    places = handles(desk, circuit)
    for number, (place, move) in enumerate(zip(places, moves, strict=True), start=1):
        if not place.low_m - 5e-3 <= move <= place.high_m + 5e-3:
            low, high, typed = (format_number(value, 2, signed=True) for value in (place.low_m, place.high_m, move))
            raise InputError(f"line at place {number}, {place.at_m:.0f} m", f"{typed} m", f"{low} to {high} m: the road ends there")
    line, n = desk.lap_case.line, desk.n
    ds, blend = float(np.median(line.ds)), round(_BLEND_M / float(np.median(line.ds)))
    steps = np.array([(place.station - places[0].station) % n for place in places])
    knots = np.concatenate([[-blend], steps, [steps[-1] + blend]]) * ds
    between = PchipInterpolator(knots, np.concatenate([[0.0], moves, [0.0]]))
    along = np.arange(-blend, steps[-1] + blend + 1)
    moved = gaussian_filter1d(between(along * ds), min(_ROUNDED_M, _ROUNDED_SHARE * float(np.diff(knots).min())) / ds, mode="constant")
    stations = (places[0].station + along) % n if desk.closed else np.clip(places[0].station + along, 0, n - 1)
    offset = line.offset.copy()
    offset[stations] += moved
    half = half_room_m(circuit.width_m, desk.lap_case.car.width_m)
    over = np.abs(offset) - np.maximum(np.abs(line.offset), half)
    if over.max() > _OVER_M:
        worst = int(np.argmax(over))
        raise InputError(
            f"line at {line.s[worst]:.0f} m, between two places", f"{over[worst]:.2f} m off the road", "smaller or more even moves"
        )
    return offset_line(centre_line(circuit), offset)


def drawn_choice(desk: CornerDesk, circuit: Circuit, moves: Sequence[float]) -> tuple[Choice, Line]:
    """What a line drawn by hand comes to, on the tyres of the lap, against that lap.

    :raises InputError: as `drawn`
    """
    line = drawn(desk, circuit, moves)
    try:
        lap = run_at(desk.lap_case, desk.ready, desk.lap.tyres, line, desk.lap.ripple)
    except SolverError as error:
        return Choice(Told(), problem=str(error)), line
    spread = desk.spread_of(lambda case, ready: run_at(case, ready, desk.lap.tyres, line, desk.lap.ripple), lap)
    return desk.against(Told(), lap, spread, line.length_m - desk.lap_case.line.length_m, desk.touched(lap)), line
