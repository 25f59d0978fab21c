"""Stored text to core values, kept: cars, circuits and racing lines are pure functions of their files."""

from apexcore.circuit.line import CornerSpan, Line, corners, racing_line
from apexcore.circuit.track import Circuit
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
def driven_line(text: str, car_width_m: float) -> tuple[Line, tuple[CornerSpan, ...]]:
    """The racing line of a car this wide on a stored circuit, and its corners.

    :raises InputError: if the lap does not close, or the car does not fit
    """
    circuit = parsed_circuit(text)
    line = racing_line(circuit, car_width_m=car_width_m)
    return line, tuple(corners(circuit, line))
