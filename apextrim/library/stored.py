"""Stored text to core values, kept: cars, circuits and racing lines are pure functions of their files."""

import json

import numpy as np

from apexcore.circuit.line import CornerSpan, Line, corners, half_room_m, offset_line, racing_line
from apexcore.circuit.track import Circuit, centre_line
from apexcore.vehicle.car import Car

from .caches import MB, kept_within


@kept_within(8 * MB)
def parsed_car(text: str) -> Car:
    """The core's car of a stored file."""
    return Car.model_validate_json(text)


@kept_within(16 * MB)
def parsed_circuit(text: str) -> Circuit:
    """The core's circuit of a stored file."""
    return Circuit.model_validate_json(text)


@kept_within(32 * MB)
def driven_line(text: str, car_width_m: float, offsets: str = "") -> tuple[Line, tuple[CornerSpan, ...]]:
    """The racing line of a car this wide on a stored circuit, and its corners.

    :param offsets: of a line that was found, as JSON; one that the circuit has outgrown, or none: that of least curvature
    :raises InputError: if the lap does not close, or the car does not fit
    """
    circuit = parsed_circuit(text)
    line = _found_line(circuit, car_width_m, offsets) if offsets else None
    if line is None:
        line = racing_line(circuit, car_width_m=car_width_m)
    return line, tuple(corners(circuit, line))


def _found_line(circuit: Circuit, car_width_m: float, offsets: str) -> Line | None:
    """The line of these offsets; None where the circuit or the car has outgrown them."""
    found, centre = np.array(json.loads(offsets), dtype=np.float64), centre_line(circuit)
    if len(found) != len(centre.x) or np.abs(found).max() > half_room_m(circuit.width_m, car_width_m) + 1e-3:
        return None
    return offset_line(centre, found)
