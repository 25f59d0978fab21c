"""Other ways round than the least curvature: the short way, a blend of both, a late apex, lanes of an oval."""

import math
from typing import Any

import numpy as np

from ..errors import InputError
from .line import (
    CAR_WIDTH_M,
    Floats,
    Line,
    _bounded_squares,
    _differences,
    _linear_curvature,
    corners,
    half_room_m,
    lane_room,
    lane_stations,
    least_curvature,
    offset_line,
)  # fmt: skip
from .track import CentreLine, Circuit, Corner, centre_line, closed_segments

#: How much more the curvature of a corner's second half counts for a late apex.
_EXIT_WEIGHT = 6.0


def least_length(line: CentreLine, half_width: float, rounds: int = 20) -> Floats:
    """Offset from the centre [m] of the shortest line within the widths.

    The sum of |P_{i+1} - P_i|2 / d_i, with d_i the lengths of the last round, falls to the sum of lengths; each round is a
    bounded least-squares problem (iteratively reweighted, Weiszfeld's rule).

    Source: H, the shortest path in the same linearised form.
    """
    from scipy.sparse import csc_array, diags_array, eye_array

    n = len(line.x)
    ahead_x, ahead_y = line.ahead()
    normal = np.column_stack([-ahead_y, ahead_x])
    step = np.column_stack([np.roll(line.x, -1) - line.x, np.roll(line.y, -1) - line.y])
    rows, following = np.arange(n), (np.arange(n) + 1) % n
    parts: list[Any] = []
    for axis in (0, 1):
        values = np.concatenate([normal[following, axis], -normal[:, axis]])
        parts.append(csc_array((values, (np.tile(rows, 2), np.concatenate([following, rows]))), shape=(n, n)))
    offset = np.zeros(n)
    ridge: Any = 1e-9 * eye_array(n, format="csc")
    for _ in range(rounds):
        move = np.column_stack([part @ offset for part in parts])
        length = np.hypot(*(step + move).T)
        share = float(length.mean()) / length
        share[-1] = share[-1] if line.closed else 0.0  # from the end back to the start there is no road
        weight: Any = diags_array(share)
        h: Any = parts[0].T @ weight @ parts[0] + parts[1].T @ weight @ parts[1] + ridge
        g = parts[0].T @ (weight @ step[:, 0]) + parts[1].T @ (weight @ step[:, 1])
        new = _bounded_squares(h.tocsc(), g, np.full(len(g), -half_width), np.full(len(g), half_width))
        moved = float(np.abs(new - offset).max())
        offset = new
        if moved < 0.01:
            break
    return offset


def short_line(circuit: Circuit, spacing_m: float | None = None, car_width_m: float = CAR_WIDTH_M) -> Line:
    """The shortest line on a circuit."""
    line = centre_line(circuit, spacing_m)
    return offset_line(line, least_length(line, half_room_m(circuit.width_m, car_width_m)))


def blended_line(circuit: Circuit, short: float, spacing_m: float | None = None, car_width_m: float = CAR_WIDTH_M) -> Line:
    """A blend: 0 is the least curvature, 1 the shortest way.

    :raises InputError: if the share is outside 0 to 1
    """
    if not 0.0 <= short <= 1.0:
        raise InputError("share of the short way", short, "0 to 1")
    line, half = centre_line(circuit, spacing_m), half_room_m(circuit.width_m, car_width_m)
    straight, near = least_curvature(line, half), least_length(line, half)
    return offset_line(line, (1.0 - short) * straight + short * near)


def least_greatest_curvature(line: CentreLine, half_width: float, rounds: int = 14) -> Floats:
    """Offset from the centre [m] of a line whose tightest place is as wide as the road allows.

    Through one corner that is the largest arc tangent to both outer edges that touches the inner one. A linear programme
    for the greatest curvature, linearised about the last line within a step that halves when it stops helping
    (sequential linear programming, Nocedal & Wright, ch. 18).
    """
    from scipy.optimize import linprog
    from scipy.sparse import csc_array, diags_array, hstack, vstack

    m, reach, best = len(line.x), 2.0, math.inf
    offset = kept = least_curvature(line, half_width)
    for _ in range(rounds):
        x, y, _, curvature = _differences(line, offset)
        if np.abs(curvature).max() < best:
            best, kept = float(np.abs(curvature).max()), offset
        else:
            reach, offset = 0.5 * reach, kept
            x, y, _, curvature = _differences(line, offset)
        ds = np.hypot(np.roll(x, -1) - x, np.roll(y, -1) - y)
        step, _ = _linear_curvature(ds, curvature)
        scale = np.sqrt(0.5 * (ds + np.roll(ds, 1))) * float(ds.mean())
        jacobian: Any = diags_array(1.0 / scale) @ step + diags_array(0.5 * curvature**2)
        one = csc_array(-np.ones((m, 1)))
        base = jacobian @ offset
        found = linprog(
            np.append(np.zeros(m), 1.0),
            A_ub=vstack([hstack([jacobian, one]), hstack([-jacobian, one])]).tocsc(),
            b_ub=np.concatenate([base - curvature, curvature - base]),
            bounds=[
                *zip(np.maximum(offset - reach, -half_width), np.minimum(offset + reach, half_width), strict=True),
                (0.0, None),
            ],
            method="highs",
        )
        assert found.x is not None, found.message
        offset = found.x[:m]
    return kept


def widest_line(circuit: Circuit, spacing_m: float | None = None, car_width_m: float = CAR_WIDTH_M) -> Line:
    """The line on a lap whose tightest place is as wide as the road allows; elsewhere it keeps near the least curvature.

    :raises InputError: on an open course
    """
    if not circuit.closed:
        raise InputError(f"circuit {circuit.name}", "an open course", "a lap")
    line = centre_line(circuit, spacing_m)
    return offset_line(line, least_greatest_curvature(line, half_room_m(circuit.width_m, car_width_m)))


def late_line(circuit: Circuit, spacing_m: float | None = None, car_width_m: float = CAR_WIDTH_M) -> Line:
    """A late apex: curvature counts more in the second half of every corner, so that the exit runs straighter."""
    line = centre_line(circuit, spacing_m)
    return offset_line(line, least_curvature(line, half_room_m(circuit.width_m, car_width_m), weight=_exit_weight(circuit, line)))


def _exit_weight(circuit: Circuit, line: CentreLine) -> Floats:
    """1 everywhere, rising to `_EXIT_WEIGHT` over the second half of each corner and the way out of it."""
    turned = np.cumsum(np.abs(line.curvature)) * line.ds
    weight = np.ones(len(line.x))
    if circuit.segments:
        at = 0.0
        for segment in closed_segments(circuit).segments:
            length = (
                segment.length_m
                if not isinstance(segment, Corner)
                else abs(math.radians(segment.angle_deg)) * segment.radius_m + segment.transition_m
            )
            if isinstance(segment, Corner):
                first, last = int((at + 0.5 * length) / line.ds), int((at + length + 20.0) / line.ds)
                weight[np.arange(first, last) % len(weight)] = _EXIT_WEIGHT
            at += length
        return weight
    # points tell no corners: the second half of each bend's total turn
    bent = np.abs(line.curvature) > 1 / 350.0
    edges = np.flatnonzero(np.diff(np.concatenate([[0], bent.astype(int), [0]])))
    for first, after in zip(edges[::2], edges[1::2], strict=True):
        half = int(np.searchsorted(turned, 0.5 * (turned[first] + turned[after - 1])))
        weight[half:after] = _EXIT_WEIGHT
    return weight


#: Grooves from the bottom of the bank to its top, where there are two or three.
_GROOVES = {2: ("bottom", "top"), 3: ("bottom", "middle", "top")}


def groove_words(lane: int, lanes: int) -> str:
    """What a groove is called: bottom, middle, top, or its number from the bottom."""
    names = _GROOVES.get(lanes, ())
    return names[lane - 1] if 1 <= lane <= len(names) else f"groove {lane} from the bottom"


def lane_line(circuit: Circuit, lane: int, lanes: int, spacing_m: float | None = None, car_width_m: float = CAR_WIDTH_M) -> Line:
    """A lane of an oval, numbered from the inside, as it is driven: kept about the middle of each corner, wherever it bends least between.

    :raises InputError: if there is no such lane
    """
    if not 1 <= lane <= lanes or lanes < 1:
        raise InputError("lane", lane, f"1 to {lanes}")
    line, half = centre_line(circuit, spacing_m), half_room_m(circuit.width_m, car_width_m)
    least, most = np.full(len(line.x), -half), np.full(len(line.x), half)
    out, into = lane_room(half, lane, lanes)
    for span in corners(circuit, offset_line(line, np.zeros(len(line.x)))):
        at, sign = lane_stations(line, span) % len(line.x), math.copysign(1.0, span.turn_deg)
        least[at], most[at] = (out, into) if sign > 0 else (-into, -out)
    return offset_line(line, least_curvature(line, half, room=(least, most)))
