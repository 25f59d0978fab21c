"""The core's answers to a sheet in an event, kept: each is a pure function of its case."""

from apexcore.judge.priors import NominalPace, nominal_pace
from apexcore.lap.solver import Lap, solve_lap
from apexcore.trim.moves.effects import StepEffect, step_effects
from apexcore.trim.reading.analysis import SheetAnalysis, analyse
from apexcore.vehicle.sheet import Sheet, base_sheet
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.library.stored import driven_line, parsed_car, parsed_circuit

from .cases import Case, case_of


@kept_within(16 * MB)
def _book(case: Case) -> NominalPace:
    lap_case = case.lap_case()
    return nominal_pace(lap_case, case.sheet(), lap_case.car.tyres.compounds)


def book_of(event: Event, sheet: Sheet) -> NominalPace:
    """The vehicle model's view of a race distance with this sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _book(case_of(event, sheet))


@kept_within(32 * MB)
def _base_lap(car: str, circuit: str, conditions: str, driver: str) -> Lap:
    """The lap on the base sheet: every other one begins there, so that it does not depend on what was asked before."""
    case = Case(car, circuit, conditions, driver, ())
    return solve_lap(case.lap_case(), base_sheet(parsed_car(car)))


@kept_within(96 * MB)
def _answer(case: Case) -> SheetAnalysis:
    initial_guess = _base_lap(case.car, case.circuit, case.conditions, case.driver)
    bumps = [(marker.at_m, marker.height_mm) for marker in parsed_circuit(case.circuit).markers if marker.kind == "bump"]
    return analyse(case.lap_case(), driven_line(case.circuit, parsed_car(case.car).width_m)[1], case.sheet(), initial_guess, bumps)


@kept_within(16 * MB)
def _effects(case: Case) -> tuple[StepEffect, ...]:
    core = parsed_car(case.car)
    spans = driven_line(case.circuit, core.width_m)[1]
    free = [item for item in core.items if not item.locked]
    return tuple(step_effects(case.lap_case(), case.sheet(), free, _answer(case).lap, spans))


def effects_of(event: Event, sheet: Sheet) -> tuple[StepEffect, ...]:
    """What one step each way of every free item does, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _effects(case_of(event, sheet))


def answer_of(event: Event, sheet: Sheet) -> SheetAnalysis:
    """The bench's answer to a sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _answer(case_of(event, sheet))
