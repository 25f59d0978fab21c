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

    :param offsets: of lines that were found, as JSON, of which the first is driven; where the circuit has outgrown them, or there are
        none, that of least curvature is
    :raises InputError: if the lap does not close, or the car does not fit
    """
    circuit = parsed_circuit(text)
    line = next(iter(found_lines(text, car_width_m, offsets)), None)
    if line is None:
        line = racing_line(circuit, car_width_m=car_width_m)
    return line, tuple(corners(circuit, line))


def parts_of(offsets: str) -> list[list[float]]:
    """The offsets of each line that a text holds; one line may stand without a list around it."""
    told = json.loads(offsets) if offsets else []
    return told if not told or isinstance(told[0], list) else [told]


@kept_within(32 * MB)
def found_lines(text: str, car_width_m: float, offsets: str) -> tuple[Line, ...]:
    """The lines of these offsets; those that the circuit or the car has outgrown are left out."""
    circuit = parsed_circuit(text)
    centre, found = centre_line(circuit), []
    for part in parts_of(offsets):
        one = np.array(part, dtype=np.float64)
        if len(one) == len(centre.x) and np.abs(one).max() <= half_room_m(circuit.width_m, car_width_m) + 1e-3:
            found.append(offset_line(centre, one))
    return tuple(found)
