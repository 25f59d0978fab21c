"""The core's answers to a sheet in an event, kept: each is a pure function of its case."""

from dataclasses import dataclass

from apexcore.circuit.conditions import Conditions
from apexcore.errors import ApexError
from apexcore.judge.priors import NominalPace, nominal_pace, pairs_of
from apexcore.lap.driver import LEVELS
from apexcore.lap.misses import Miss, misses
from apexcore.lap.orders import Order
from apexcore.lap.saving import Lifts, Way, least_cost, lifts, told_lifts
from apexcore.lap.solver import Lap, also_told, solve_lap
from apexcore.lap.stint import StintLap, solve_stint
from apexcore.lap.wetness import WetLaps, laps_by_wetness
from apexcore.race.pairs import PairReading, pair_readings
from apexcore.race.rules import Level
from apexcore.trim.book.proposal import VariantLap, driven_by, variant_lap
from apexcore.trim.deployment import Deployment, by_energy, deployment
from apexcore.trim.figures.bias import BiasPlan, bias_plan
from apexcore.trim.figures.corner_gears import CornerGears, corner_gears
from apexcore.trim.figures.gearing import RatioStep, ratio_sweep
from apexcore.trim.following import Following, following
from apexcore.trim.moves.advice import Candidate, HandlingReport, advise, advise_if_free
from apexcore.trim.moves.carry import Carried, carry_over
from apexcore.trim.moves.effects import StepEffect, step_effects
from apexcore.trim.moves.placement import Placed, best_placement, driver_cost_s
from apexcore.trim.reading.analysis import SheetAnalysis, analyse
from apexcore.trim.rotation import Rotation, rotations
from apexcore.vehicle.sheet import Sheet, base_sheet
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.library.stored import parsed_car, parsed_circuit

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


@kept_within(16 * MB)
def _pair_book(case: Case) -> NominalPace:
    lap_case = case.lap_case()
    return nominal_pace(lap_case, case.sheet(), pairs_of(lap_case.car.tyres.compounds))


def pair_book_of(event: Event, sheet: Sheet) -> NominalPace:
    """The same with every pair of compounds front and rear, those of one compound first.

    :raises SolverError: if the car cannot take the circuit
    """
    return _pair_book(case_of(event, sheet))


@kept_within(4 * MB)
def pairs_in(case: Case) -> tuple[PairReading, ...]:
    """Lap and balance of every pair of compounds.

    :raises SolverError: if the car cannot take the circuit
    """
    lap_case = case.lap_case()
    return tuple(pair_readings(lap_case, case.spans(), case.sheet(), pairs_of(lap_case.car.tyres.compounds), _answer(case).lap))


@kept_within(32 * MB)
def _base_lap(car: str, circuit: str, conditions: str, driver: str, line: str) -> Lap:
    """The lap on the base sheet: every other one begins there, so that it does not depend on what was asked before."""
    case = Case(car, circuit, conditions, driver, (), line)
    return solve_lap(case.lap_case(), base_sheet(parsed_car(car)))


@kept_within(96 * MB)
def _answer(case: Case) -> SheetAnalysis:
    initial_guess = _base_lap(case.car, case.circuit, case.conditions, case.driver, case.line)
    return analyse(case.lap_case(), case.spans(), case.sheet(), initial_guess, bumps_of(case))


def bumps_of(case: Case) -> list[tuple[float, float]]:
    """Distance along the lap [m] and height [mm] of every bump of a case's circuit."""
    return [(marker.at_m, marker.height_mm) for marker in parsed_circuit(case.circuit).markers if marker.kind == "bump"]


@kept_within(16 * MB)
def _effects(case: Case) -> tuple[StepEffect, ...]:
    core = parsed_car(case.car)
    spans = case.spans()
    free = [item for item in core.items if not item.locked]
    return tuple(step_effects(case.lap_case(), case.sheet(), free, _answer(case).lap, spans, case.other_lines(), bumps_of(case)))


def effects_of(event: Event, sheet: Sheet) -> tuple[StepEffect, ...]:
    """What one step each way of every free item does, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _effects(case_of(event, sheet))


@kept_within(2 * MB)
def _times_by_level(case: Case) -> tuple[tuple[str, float], ...]:
    return tuple((who, solve_lap(case._replace(driver=who).lap_case(), case.sheet()).time_s) for who in LEVELS)


def times_by_level(event: Event, sheet: Sheet) -> tuple[tuple[str, float], ...]:
    """Each level of driver with the lap time of this sheet, here and today [s].

    :raises SolverError: if the car cannot take the circuit
    """
    return _times_by_level(case_of(event, sheet))


def answer_of(event: Event, sheet: Sheet) -> SheetAnalysis:
    """The bench's answer to a sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _answer(case_of(event, sheet))


def answer_in(case: Case) -> SheetAnalysis:
    """`answer_of` of a case.

    :raises SolverError: if the car cannot take the circuit
    """
    return _answer(case)


@kept_within(48 * MB)
def variant_in(case: Case, variant: str) -> VariantLap | None:
    """The lap that a way of driving is read from; None where the model has none of its own.

    :raises ApexError: if the car cannot take the circuit so
    """
    return variant_lap(case.lap_case(), case.sheet(), variant, _answer(case).lap)


@kept_within(2 * MB)
def rotations_in(case: Case, laps: int) -> tuple[Rotation, ...]:
    """A run of so many laps in the lanes of an oval, with the fuel for it.

    :raises ApexError: if the tank does not hold it, or the car cannot take a lane
    """
    lap_case = case.lap_case()
    fuel = min(lap_case.car.tank_l, 1.1 * laps * _answer(case).lap.fuel_l)
    return tuple(rotations(parsed_circuit(case.circuit), lap_case, case.sheet(), fuel, laps))


@kept_within(1 * MB)
def wet_laps_in(case: Case) -> tuple[WetLaps, ...]:
    """Laps on every compound by how wet the road is.

    :raises SolverError: if the car cannot take the circuit
    """
    return tuple(laps_by_wetness(case.lap_case(), case.sheet()))


@kept_within(2 * MB)
def deployment_in(case: Case) -> tuple[Deployment, tuple[tuple[float, float], ...]]:
    """Where the sheet's energy store is spent, and lap times by what is spent.

    :raises ApexError: if the car cannot take the circuit
    """
    lap_case, sheet, lap = case.lap_case(), case.sheet(), _answer(case).lap
    return deployment(lap_case, sheet, lap), by_energy(lap_case, sheet, lap)


@kept_within(1 * MB)
def following_in(case: Case, gap_m: float, laps: int) -> Following:
    """What following another car comes to, and the lap alone that it leaves.

    :raises ApexError: if the tank does not hold the laps, or the car cannot take the circuit
    """
    circuit = parsed_circuit(case.circuit)
    return following(circuit, case.lap_case(), case.sheet(), _answer(case).lap, case.spans(), gap_m, laps)


#: Laps of a stint that a choice is counted over.
STINT_LAPS = 15


@dataclass(frozen=True)
class StintBy:
    """What a stint by orders comes to, against one without them.

    :param cost_s: over all laps [s]
    :param last_s: on the last lap [s]
    :param worn: further worn share of each tread at its end [-]
    """

    cost_s: float
    last_s: float
    worn: tuple[float, ...]


@kept_within(2 * MB)
def stint_by(case: Case, orders: tuple[Order, ...]) -> StintBy | None:
    """A stint from the pit with orders beside one without; None where the tank does not hold it."""
    lap_case = case.lap_case()
    fuel = min(1.15 * STINT_LAPS * _answer(case).lap.fuel_l, lap_case.car.tank_l)
    try:
        usual, told = (solve_stint(one, case.sheet(), fuel, STINT_LAPS) for one in (lap_case, also_told(lap_case, orders)))
    except ApexError:
        return None
    worn = tuple(a - b for a, b in zip(told[-1].wear, usual[-1].wear, strict=True))
    total = sum(one.lap.time_s for one in told) - sum(one.lap.time_s for one in usual)
    return StintBy(total, told[-1].lap.time_s - usual[-1].lap.time_s, worn)


@dataclass(frozen=True)
class ByBook:
    """What driving by a book's orders comes to, against the same way of driving without them.

    :param cost_s: a lap [s]
    :param fuel_l: change of fuel a lap [l]
    :param fuel_share: fuel a lap over that without [-]
    :param work: each tyre's sliding work over that without [-]
    :param tyre_share: work of the tyre that works most over that of the one that does without [-]
    """

    cost_s: float
    fuel_l: float
    fuel_share: float
    work: tuple[float, ...]
    tyre_share: float


@kept_within(2 * MB)
def by_book_in(case: Case, variant: str, orders: tuple[Order, ...]) -> ByBook:
    """What a book's orders come to in a way of driving that the model has a lap of; else in the case as it is.

    :raises ApexError: if the car cannot take the circuit so
    """
    driven = variant_in(case, variant)
    if driven is None:
        driven = VariantLap(case.lap_case(), _answer(case).lap, "")
    lap, told = driven.lap, driven_by(driven, case.sheet(), orders)
    work = tuple(a / max(b, 1e-9) for a, b in zip(told.slip_energy_j, lap.slip_energy_j, strict=True))
    tyres = max(told.slip_energy_j) / max(*lap.slip_energy_j, 1e-9)
    return ByBook(told.time_s - lap.time_s, told.fuel_l - lap.fuel_l, told.fuel_l / max(lap.fuel_l, 1e-9), work, tyres)


@kept_within(4 * MB)
def misses_in(case: Case, corner: int | None = None) -> tuple[Miss, ...]:
    """What misses cost, in one corner or in all.

    :raises SolverError: if the car cannot take the circuit
    """
    circuit = parsed_circuit(case.circuit)
    return tuple(misses(circuit, case.lap_case(), case.sheet(), _answer(case).lap, case.spans(), corner=corner))


@kept_within(4 * MB)
def lifts_in(case: Case, aim: str) -> Lifts:
    """What lifting before the brakes saves and costs, corner by corner.

    :param aim: one of `saving.AIMS`
    :raises ApexError: if there is nothing to save, or the car cannot take the circuit
    """
    return lifts(case.lap_case(), case.sheet(), _answer(case).lap, case.spans(), aim)


@kept_within(4 * MB)
def saving_in(case: Case, aim: str, wanted: float) -> Way:
    """The least-cost way to a saving.

    :param wanted: a lap [l, or J of a tyre's work]
    :raises ApexError: as `lifts_in`
    """
    return least_cost(case.lap_case(), case.sheet(), _answer(case).lap, case.spans(), wanted, aim)


@kept_within(1 * MB)
def level_in(case: Case, share: float) -> Level:
    """Driving that saves a share of a lap's fuel by lifting where that costs least; as much as lifting gives where that is less.

    :param share: of the fuel of a lap [-]
    :raises ApexError: as `lifts_in`
    """
    lap = _answer(case).lap
    way = saving_in(case, "fuel", share * lap.fuel_l)
    told = by_book_in(case, "", told_lifts(case.lap_case().line.s, case.spans(), way.metres))
    return Level(100.0 * (1.0 - told.fuel_share), max(told.cost_s, 0.0), told.fuel_share, told.tyre_share)


@kept_within(8 * MB)
def _advice(case: Case, report: HandlingReport, eased: tuple[str, ...]) -> tuple[Candidate, ...]:
    core = parsed_car(case.car)
    spans = case.spans()
    known = _effects(case) if report.tyres == "warm" else None
    return tuple(advise(case.lap_case(), spans, case.sheet(), report, core.items, known, bumps=bumps_of(case), eased=eased))


@kept_within(4 * MB)
def _advice_if_free(case: Case, report: HandlingReport, eased: tuple[str, ...]) -> tuple[Candidate, ...]:
    core = parsed_car(case.car)
    spans = case.spans()
    return tuple(advise_if_free(case.lap_case(), spans, case.sheet(), report, core.items, bumps_of(case), eased))


def advice_if_free_of(event: Event, sheet: Sheet, report: HandlingReport, eased: tuple[str, ...] = ()) -> tuple[Candidate, ...]:
    """What would answer a feeling if the items that are locked were free.

    :param eased: bounds of what can be driven that need not be kept
    :raises ApexError: as `advice_of`
    """
    return _advice_if_free(case_of(event, sheet), report, eased)


def advice_of(event: Event, sheet: Sheet, report: HandlingReport, eased: tuple[str, ...] = ()) -> tuple[Candidate, ...]:
    """Changes that answer a feeling, here and today.

    :param eased: bounds of what can be driven that need not be kept
    :raises InputError: if no corner has that phase
    :raises SolverError: if the car cannot take the circuit
    """
    return _advice(case_of(event, sheet), report, eased)


@kept_within(16 * MB)
def _stint(case: Case, front: str, rear: str, fuel_l: float, laps: int) -> tuple[StintLap, ...]:
    return tuple(solve_stint(case.lap_case(front, rear), case.sheet(), fuel_l, laps))


def stint_of(
    event: Event, sheet: Sheet, tyres: tuple[str, str], fuel_l: float, laps: int, conditions: Conditions | None = None
) -> tuple[StintLap, ...]:
    """A stint from the pit on a front and a rear compound.

    :param conditions: of the stint; today's where none are told
    :raises ApexError: if the fuel does not last, or the car cannot take the circuit
    """
    return _stint(case_of(event, sheet, conditions), *tyres, fuel_l, laps)


@kept_within(8 * MB)
def _carried(case: Case, then: str) -> Carried:
    return carry_over(case.lap_case(), case.sheet(), Conditions.model_validate_json(then))


def carried_of(event: Event, sheet: Sheet, then: Conditions) -> Carried:
    """What to change of a sheet that was made for other weather.

    :raises SolverError: if the car cannot take the circuit
    """
    return _carried(case_of(event, sheet), then.model_dump_json())


@kept_within(16 * MB)
def _lap_time_s(case: Case, front: str, rear: str) -> float:
    return solve_lap(case.lap_case(front, rear), case.sheet()).time_s


def lap_time_of(event: Event, sheet: Sheet, conditions: Conditions | None = None, front: str = "", rear: str = "") -> float:
    """Modelled lap time of a sheet, here and, where nothing else is told, today on the car's first compound [s].

    :raises SolverError: if the car cannot take the circuit
    """
    return _lap_time_s(case_of(event, sheet, conditions), front, rear)


@dataclass(frozen=True)
class Figures:
    """What the figures page shows of a sheet.

    :param driver_s: lap time that a heavier driver costs [s]
    """

    corner_gears: tuple[CornerGears, ...]
    sweep: tuple[RatioStep, ...]
    bias: BiasPlan
    placed: Placed | None
    driver_s: float


@kept_within(8 * MB)
def _figures(case: Case, race_laps: float, formation_laps: float, driver_kg: float) -> Figures:
    lap_case, sheet, lap = case.lap_case(), case.sheet(), _answer(case).lap
    spans = case.spans()
    return Figures(
        corner_gears(lap_case, sheet, lap, spans), tuple(ratio_sweep(lap_case, sheet, lap)),
        bias_plan(lap_case, sheet, lap, race_laps, formation_laps), best_placement(lap_case, sheet, lap),
        driver_cost_s(lap_case, sheet, lap, driver_kg),
    )  # fmt: skip


def figures_of(event: Event, sheet: Sheet, race_laps: float, formation_laps: float, driver_kg: float) -> Figures:
    """Gears, brake bias and weights of a sheet, here and today.

    :raises SolverError: if the car cannot take the circuit
    """
    return _figures(case_of(event, sheet), race_laps, formation_laps, driver_kg)
