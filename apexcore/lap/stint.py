"""Lap after lap: fuel burns off, tyres warm up and wear."""

from dataclasses import dataclass, replace

from ..errors import InputError
from ..vehicle.car import Car
from ..vehicle.heat import capacities
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, four
from .solver import Lap, LapCase, solve_adjusted_lap_at, tyre_flows

#: Share of the way from tyres at rest to settled ones that an out-lap's weaving and warmers achieve beyond its own heat.
_OUT_LAP_START = 0.35


@dataclass(frozen=True)
class StintLap:
    """One lap of a stint.

    :param lap: the solved lap
    :param fuel_l: fuel at its start [l]
    :param wear: worn share of each tread at its start [-]
    """

    lap: Lap
    fuel_l: float
    wear: Four


def solve_stint(lap_case: LapCase, sheet: Sheet, fuel_l: float, laps: int) -> list[StintLap]:
    """The stint from the pit exit.

    Each tyre's surface and carcass warm up by the heat balance of the lap just driven (see `vehicle.heat`); the tread
    wears by its sliding work.

    :raises InputError: if the fuel does not last
    """
    car = lap_case.car
    adjusted_car = adjusted(car, sheet)
    begin = out_lap_c(lap_case)
    tyres = TyreState(lap_case.compounds, begin, begin, lap_case.wear)
    result: list[StintLap] = []
    for number in range(laps):
        lap = solve_adjusted_lap_at(lap_case, adjusted_car, tyres, fuel_l)
        result.append(StintLap(lap, fuel_l, tyres.wear))
        fuel_l -= lap.fuel_l
        if fuel_l < 0:
            raise InputError("fuel at start", f"{result[0].fuel_l:.1f} l", f"enough for {laps} laps; it lasts {number} laps")
        tyres = _after(lap_case, car, lap)
    return result


def out_lap_c(lap_case: LapCase) -> Four:
    """Temperature of each tyre as it comes out of the out-lap [degC]."""
    around = lap_case.conditions.ambient_c
    aim = [lap_case.compounds[w // 2].temperature_opt_c for w in range(4)]
    return four(around + _OUT_LAP_START * (aim[w] - around) for w in range(4))


def _after(lap_case: LapCase, car: Car, lap: Lap) -> TyreState:
    """The tyres as a lap leaves them."""
    heat, wear = [], []
    for w, flow in enumerate(tyre_flows(lap_case, car, lap)):
        compound = lap_case.compounds[w // 2]
        start = lap.tyres.temperature_c[w], lap.tyres.carcass_c[w]
        heat.append(flow.after_c(start, capacities(car.tyres, compound), lap.time_s))
        wear.append(min(lap.tyres.wear[w] + compound.wear_per_mj * lap.slip_energy_j[w] / 1e6, 1.0))
    return TyreState(lap_case.compounds, four([pair[0] for pair in heat]), four([pair[1] for pair in heat]), four(wear))


def aged(lap_case: LapCase, sheet: Sheet, laps: float) -> LapCase:
    """The case with tyres that have so many laps: worn as that many laps of a stint on a full tank wear them."""
    if laps <= 0.0:
        return lap_case
    wear = solve_stint(lap_case, sheet, lap_case.car.tank_l, 3)[-1].wear
    return replace(lap_case, wear=four(min(share / 2 * laps, 1.0) for share in wear))
