"""Rows to core values. Parsed cars and lines are kept: they are pure functions of the stored text."""

from collections.abc import Mapping
from functools import lru_cache
from typing import NamedTuple

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import CornerSpan, Line, corners, racing_line
from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.errors import FileRejected
from apexcore.judge.calibration import scaled
from apexcore.judge.priors import Book, book
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import Lap, Setting, solve_lap
from apexcore.race.rules import RaceRules
from apexcore.trim.answer import Answer, answer
from apexcore.trim.effects import StepEffect, step_effects
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.ruled import ruled
from apexcore.vehicle.sheet import Sheet, base_sheet

from .models import Event


@lru_cache(maxsize=64)
def parsed_car(text: str) -> CoreCar:
    """The core's car of a stored file."""
    return CoreCar.model_validate_json(text)


@lru_cache(maxsize=64)
def parsed_circuit(text: str) -> CoreCircuit:
    """The core's circuit of a stored file."""
    return CoreCircuit.model_validate_json(text)


@lru_cache(maxsize=64)
def driven_line(text: str, car_width_m: float) -> tuple[Line, tuple[CornerSpan, ...]]:
    """The racing line of a car this wide on a stored circuit, and its corners.

    :raises InputError: if the lap does not close, or the car does not fit
    """
    circuit = parsed_circuit(text)
    line = racing_line(circuit, car_width_m=car_width_m)
    return line, tuple(corners(circuit, line))


@lru_cache(maxsize=64)
def _ruled_text(text: str, limits: tuple[tuple[str, float, float], ...]) -> str:
    return ruled(parsed_car(text), {key: (low, high) for key, low, high in limits}).model_dump_json()


@lru_cache(maxsize=64)
def _scaled_text(text: str, scales: tuple[tuple[str, float], ...]) -> str:
    return scaled(parsed_car(text), dict(scales)).model_dump_json()


def _car_text(event: Event, calibrated: bool = True) -> str:
    """The file of an event's car as its rules leave the items and as it is calibrated; a rule that the car has outgrown is
    passed over."""
    text = event.car.data
    if event.item_rules:
        try:
            text = _ruled_text(text, tuple((key, low, high) for key, (low, high) in sorted(event.item_rules.items())))
        except FileRejected:
            text = event.car.data
    return _scaled_text(text, tuple(sorted(event.calibration.items()))) if event.calibration and calibrated else text


def book_car_of(event: Event) -> CoreCar:
    """The car of an event as its maker's list has it, before the event's rules and any calibration."""
    return parsed_car(event.car.data)


def car_of(event: Event, calibrated: bool = True) -> CoreCar:
    """The car of an event, its items as the event's rules leave them.

    :param calibrated: scaled as the racer applied it, else as its book says
    """
    return parsed_car(_car_text(event, calibrated))


def parsed_conditions(stored: Mapping[str, float]) -> Conditions:
    """Conditions as they are stored."""
    return Conditions.model_validate(stored)


def conditions_of(event: Event) -> Conditions:
    """Conditions of an event now."""
    return parsed_conditions(event.conditions)


def rules_of(event: Event) -> RaceRules:
    """Race rules of an event; the tank is the car's."""
    return RaceRules.model_validate({"tank_l": car_of(event).tank_l, **event.rules})


def setting_of(event: Event, front: str = "", rear: str = "", conditions: Conditions | None = None, calibrated: bool = True) -> Setting:
    """What decides a lap of this event besides the sheet; the car's first compound where none is named."""
    car = car_of(event, calibrated)
    first = car.tyres.compounds[0]
    pair = (car.tyres.compound(front) if front else first, car.tyres.compound(rear) if rear else first)
    line, _ = driven_line(event.circuit.data, car.width_m)
    return Setting(car, line, conditions or conditions_of(event), pair, driver=LEVELS[event.driver])


def spans_of(event: Event) -> tuple[CornerSpan, ...]:
    """The corners of an event's circuit."""
    return driven_line(event.circuit.data, car_of(event).width_m)[1]


def sectors_of(event: Event) -> tuple[float, ...]:
    """Where the circuit's sectors end, as shares of the lap, without the finish."""
    circuit = parsed_circuit(event.circuit.data)
    length = setting_of(event).line.s[-1]
    return tuple(min(at / float(length), 0.999) for at in circuit.sectors_m)


class _Case(NamedTuple):
    """All that a modelled result depends on, as text and numbers that can be a key."""

    car: str
    circuit: str
    conditions: str
    driver: str
    values: tuple[tuple[str, float], ...]

    def setting(self) -> Setting:
        core = parsed_car(self.car)
        first = core.tyres.compounds[0]
        line, _ = driven_line(self.circuit, core.width_m)
        return Setting(core, line, Conditions.model_validate_json(self.conditions), (first, first), driver=LEVELS[self.driver])

    def sheet(self) -> Sheet:
        return Sheet(parsed_car(self.car).key, dict(self.values))


def _case(event: Event, sheet: Sheet) -> _Case:
    conditions = conditions_of(event).model_dump_json()
    return _Case(_car_text(event), event.circuit.data, conditions, event.driver, tuple(sorted(sheet.values.items())))


@lru_cache(maxsize=64)
def _book(case: _Case) -> Book:
    setting = case.setting()
    return book(setting, case.sheet(), setting.car.tyres.compounds)


def book_of(event: Event, sheet: Sheet) -> Book:
    """The vehicle model's view of a race distance with this sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _book(_case(event, sheet))


@lru_cache(maxsize=32)
def _maker_lap(car: str, circuit: str, conditions: str, driver: str) -> Lap:
    """The lap on the maker's sheet: every other one begins there, so that it does not depend on what was asked before."""
    case = _Case(car, circuit, conditions, driver, ())
    return solve_lap(case.setting(), base_sheet(parsed_car(car)))


@lru_cache(maxsize=256)
def _answer(case: _Case) -> Answer:
    near = _maker_lap(case.car, case.circuit, case.conditions, case.driver)
    bumps = [(one.at_m, one.height_mm) for one in parsed_circuit(case.circuit).markers if one.kind == "bump"]
    return answer(case.setting(), driven_line(case.circuit, parsed_car(case.car).width_m)[1], case.sheet(), near, bumps)


@lru_cache(maxsize=64)
def _effects(case: _Case) -> tuple[StepEffect, ...]:
    core = parsed_car(case.car)
    spans = driven_line(case.circuit, core.width_m)[1]
    free = [item for item in core.items if not item.locked]
    return tuple(step_effects(case.setting(), case.sheet(), free, _answer(case).lap, spans))


def effects_of(event: Event, sheet: Sheet) -> tuple[StepEffect, ...]:
    """What one step each way of every free item does, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _effects(_case(event, sheet))


def answer_of(event: Event, sheet: Sheet) -> Answer:
    """The bench's answer to a sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _answer(_case(event, sheet))
