"""Lap times by how wet the road is, a tyre at a time, each filled for the lap that it settles on."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..vehicle.car import Car, Compound
from ..vehicle.sheet import Sheet
from ..vehicle.tyres import cold_pressure_kpa
from .solver import Lap, LapCase, solve_lap

#: Wetnesses at which laps are solved [-]: closer where the first water takes most.
WETNESSES = (0.0, 0.1, 0.25, 0.5, 0.75, 1.0)
#: Laps after each of which a tyre is filled anew.
_FILLINGS = 2


@dataclass(frozen=True)
class WetLaps:
    """A compound on roads of different wetness.

    :param times_s: settled lap time at each of `WETNESSES` [s]
    :param warmest_c: the warmest tread of each lap [degC]
    """

    compound: Compound
    times_s: tuple[float, ...]
    warmest_c: tuple[float, ...]


def laps_by_wetness(lap_case: LapCase, sheet: Sheet) -> list[WetLaps]:
    """Every compound of the car at every wetness, all four tyres alike.

    :raises SolverError: if the car cannot take the circuit
    """
    found = []
    for compound in lap_case.car.tyres.compounds:
        laps = list[Lap]()
        for wet in WETNESSES:
            laps.append(_filled(lap_case, sheet, compound, wet, laps[-1] if laps else None))
        found.append(WetLaps(compound, tuple(lap.time_s for lap in laps), tuple(max(lap.tyres.temperature_c) for lap in laps)))
    return found


def _filled(lap_case: LapCase, sheet: Sheet, compound: Compound, wetness: float, before: Lap | None) -> Lap:
    day = lap_case.conditions
    # water stands on a soaked road only
    conditions = day.model_copy(update={"wet_pct": 100.0 * wetness, "standing_mm": day.standing_mm if wetness >= 1.0 else 0.0})
    # pressures of the sheet are those for its day: here each tyre has its best
    items = tuple(item for item in lap_case.car.items if not item.sets.startswith("tyres.cold_kpa"))
    car = lap_case.car.model_copy(update={"items": items})
    case = replace(lap_case, car=car, conditions=conditions, compounds=(compound, compound))
    lap = solve_lap(case, sheet, spent_like=before)
    for _ in range(_FILLINGS):
        case = replace(case, car=_with_best(case.car, compound, lap))
        lap = solve_lap(case, sheet, initial_guess=lap)
    return lap


def _with_best(car: Car, compound: Compound, lap: Lap) -> Car:
    filled = tuple(cold_pressure_kpa(compound.pressure_opt_kpa, car.tyres.cold_at_c, c) for c in lap.tyres.carcass_c)
    return car.model_copy(update={"tyres": car.tyres.model_copy(update={"cold_kpa": filled})})


def losses(laps: Sequence[WetLaps]) -> tuple[tuple[float, float, float], ...]:
    """What dry and wet tyres lose to a dry lap, by wetness: the compound that is quickest on a dry road and the one on a soaked road.

    :returns: wetness [-], loss of the dry tyres and of the wet ones [s], each; empty where one compound is the quickest on both
    """
    dry, wet = min(laps, key=lambda one: one.times_s[0]), min(laps, key=lambda one: one.times_s[-1])
    if dry is wet:
        return ()
    base = dry.times_s[0]
    rows = zip(WETNESSES, dry.times_s, wet.times_s, strict=True)
    return tuple((wetness, round(max(a - base, 0.0), 2), round(max(b - base, 0.0), 2)) for wetness, a, b in rows)
