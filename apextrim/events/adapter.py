"""Rows to core values. Parsed cars and lines are kept: they are pure functions of the stored text."""

from functools import lru_cache

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import CornerSpan, Line, corners, racing_line
from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.judge.priors import Book, book
from apexcore.lap.solver import Setting
from apexcore.race.rules import RaceRules
from apexcore.trim.answer import Answer, answer
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.sheet import Sheet

from .models import Event


@lru_cache(maxsize=64)
def parsed_car(text: str) -> CoreCar:
    """The core's car of a stored file."""
    return CoreCar.model_validate_json(text)


@lru_cache(maxsize=32)
def parsed_circuit(text: str) -> tuple[CoreCircuit, Line, tuple[CornerSpan, ...]]:
    """The core's circuit of a stored file, with its racing line and corners."""
    circuit = CoreCircuit.model_validate_json(text)
    line = racing_line(circuit)
    return circuit, line, tuple(corners(circuit, line))


def car_of(event: Event) -> CoreCar:
    """The car of an event."""
    return parsed_car(event.car.data)


def conditions_of(event: Event) -> Conditions:
    """Conditions of an event now."""
    return Conditions.model_validate(event.conditions)


def rules_of(event: Event) -> RaceRules:
    """Race rules of an event; the tank is the car's."""
    return RaceRules.model_validate({"tank_l": car_of(event).tank_l, **event.rules})


def setting_of(event: Event, front: str = "", rear: str = "", conditions: Conditions | None = None) -> Setting:
    """What decides a lap of this event besides the sheet; the car's first compound where none is named."""
    car = car_of(event)
    first = car.tyres.compounds[0]
    pair = (car.tyres.compound(front) if front else first, car.tyres.compound(rear) if rear else first)
    return Setting(car, parsed_circuit(event.circuit.data)[1], conditions or conditions_of(event), pair)


def spans_of(event: Event) -> tuple[CornerSpan, ...]:
    """The corners of an event's circuit."""
    return parsed_circuit(event.circuit.data)[2]


def _key(event: Event, sheet: Sheet) -> tuple[str, str, str, tuple[tuple[str, float], ...]]:
    return event.car.data, event.circuit.data, conditions_of(event).model_dump_json(), tuple(sorted(sheet.values.items()))


@lru_cache(maxsize=64)
def _book(car: str, circuit: str, conditions: str, values: tuple[tuple[str, float], ...]) -> Book:
    core = parsed_car(car)
    first = core.tyres.compounds[0]
    setting = Setting(core, parsed_circuit(circuit)[1], Conditions.model_validate_json(conditions), (first, first))
    return book(setting, Sheet(core.key, dict(values)), core.tyres.compounds)


def book_of(event: Event, sheet: Sheet) -> Book:
    """The vehicle model's view of a race distance with this sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _book(*_key(event, sheet))


@lru_cache(maxsize=256)
def _answer(car: str, circuit: str, conditions: str, values: tuple[tuple[str, float], ...]) -> Answer:
    core = parsed_car(car)
    first = core.tyres.compounds[0]
    _, line, spans = parsed_circuit(circuit)
    setting = Setting(core, line, Conditions.model_validate_json(conditions), (first, first))
    return answer(setting, spans, Sheet(core.key, dict(values)))


def answer_of(event: Event, sheet: Sheet) -> Answer:
    """The bench's answer to a sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _answer(*_key(event, sheet))
