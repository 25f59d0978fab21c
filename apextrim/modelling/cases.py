"""What a modelled result depends on besides the sheet: the car as the event leaves it, its line, conditions, tyres, driver."""

import hashlib
import json
from typing import NamedTuple

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import CornerSpan, Line
from apexcore.errors import FileRejected
from apexcore.judge.calibration import scaled
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import LapCase
from apexcore.trim.moves.pool import best_first
from apexcore.vehicle.car import Car
from apexcore.vehicle.limits import with_limits
from apexcore.vehicle.sheet import Sheet, base_sheet
from apextrim.events.facts import conditions_of
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.library.stored import driven_line, found_lines, parsed_car, parsed_circuit, parts_of


@kept_within(2 * MB)
def _ruled_text(text: str, limits: tuple[tuple[str, float, float], ...]) -> str:
    return with_limits(parsed_car(text), {key: (low, high) for key, low, high in limits}).model_dump_json()


@kept_within(2 * MB)
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


def car_of(event: Event, calibrated: bool = True) -> Car:
    """The car of an event, its items as the event's rules leave them.

    :param calibrated: scaled as the racer applied it, else as its book says
    """
    return parsed_car(_car_text(event, calibrated))


def _lap_case(car_text: str, circuit_text: str, line: str, conditions: Conditions, driver: str, front: str = "", rear: str = "") -> LapCase:
    """The core's lap case; the car's first compound where none is named."""
    car = parsed_car(car_text)
    first = car.tyres.compounds[0]
    pair = (car.tyres.compound(front) if front else first, car.tyres.compound(rear) if rear else first)
    driven, _ = driven_line(circuit_text, car.width_m, line)
    return LapCase(car, driven, conditions, pair, driver=LEVELS[driver])


def lap_case_of(event: Event, front: str = "", rear: str = "", conditions: Conditions | None = None, calibrated: bool = True) -> LapCase:
    """What decides a lap of this event besides the sheet; the car's first compound where none is named."""
    told = conditions or conditions_of(event)
    return _lap_case(_car_text(event, calibrated), event.circuit.data, event.line, told, event.driver, front, rear)


def spans_of(event: Event) -> tuple[CornerSpan, ...]:
    """The corners of an event's circuit."""
    return driven_line(event.circuit.data, car_of(event).width_m, event.line)[1]


def sectors_of(event: Event) -> tuple[float, ...]:
    """Where the circuit's sectors end, as shares of the lap, without the finish."""
    circuit = parsed_circuit(event.circuit.data)
    length = lap_case_of(event).line.s[-1]
    return tuple(min(at / float(length), 0.999) for at in circuit.sectors_m)


def width_of(case: "Case") -> float:
    """Width of a case's car [m]."""
    return parsed_car(case.car).width_m


class Case(NamedTuple):
    """All that a modelled result depends on, as text and numbers that can be a key.

    :param line: of `stored.driven_line`: the line driven, and the others of the event
    """

    car: str
    circuit: str
    conditions: str
    driver: str
    values: tuple[tuple[str, float], ...]
    line: str = ""

    def digest(self, *more: str | int) -> str:
        """What the case, with what else was asked of it, is known by where a row is kept for it."""
        return hashlib.sha256(json.dumps([self, *more]).encode()).hexdigest()

    def lap_case(self, front: str = "", rear: str = "") -> LapCase:
        """The core's lap case; on the car's first compound where none is named."""
        return _lap_case(self.car, self.circuit, self.line, Conditions.model_validate_json(self.conditions), self.driver, front, rear)

    def other_lines(self) -> tuple[Line, ...]:
        """The event's lines beside the one driven."""
        return found_lines(self.circuit, parsed_car(self.car).width_m, self.line)[1:]

    def spans(self) -> tuple[CornerSpan, ...]:
        """The corners of the circuit on the line driven."""
        return driven_line(self.circuit, parsed_car(self.car).width_m, self.line)[1]

    def sheet(self) -> Sheet:
        """The core's sheet."""
        return Sheet(parsed_car(self.car).key, dict(self.values))


def case_of(event: Event, sheet: Sheet, conditions: Conditions | None = None) -> Case:
    """The case of an event with this sheet, here and, where no other conditions are told, today; of the event's lines it drives the one
    that is best for the sheet today."""
    case = on_no_line(event, sheet)
    case = case._replace(line=_best_first(case._replace(line=event.line)))
    return case if conditions is None else case._replace(conditions=conditions.model_dump_json())


def on_no_line(event: Event, sheet: Sheet) -> Case:
    """The case of an event with this sheet, here and today, on the line of least curvature."""
    today = conditions_of(event).model_dump_json()
    return Case(_car_text(event), event.circuit.data, today, event.driver, tuple(sorted(sheet.values.items())))


@kept_within(8 * MB)
def _best_first(case: Case) -> str:
    """A case's lines, the best for its sheet first; as they are where there is one, or where the car cannot take any."""
    parts = parts_of(case.line)
    lines = found_lines(case.circuit, parsed_car(case.car).width_m, case.line)
    if len(parts) < 2 or len(lines) < len(parts):
        return case.line
    order = best_first(case.lap_case(), base_sheet(parsed_car(case.car)), case.sheet(), lines)
    return json.dumps([parts[number] for number in order])
