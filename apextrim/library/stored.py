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
    found = np.array(json.loads(offsets), dtype=np.float64) if offsets else None
    centre = centre_line(circuit)
    if found is None or len(found) != len(centre.x) or np.abs(found).max() > half_room_m(circuit.width_m, car_width_m) + 1e-3:
        line = racing_line(circuit, car_width_m=car_width_m)
    else:
        line = offset_line(centre, found)
    return line, tuple(corners(circuit, line))
