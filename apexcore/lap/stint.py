"""Lap after lap: fuel burns off, tyres warm up and wear."""

from dataclasses import dataclass, replace

from ..errors import InputError
from ..vehicle.car import Car
from ..vehicle.heat import capacities
from ..vehicle.sheet import Sheet
from ..vehicle.tyres import Four, TyreState, four
from .solver import Lap, Setting, solve_lap_at, tyre_flows

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


def solve_stint(setting: Setting, sheet: Sheet, fuel_l: float, laps: int) -> list[StintLap]:
    """The stint from the pit exit.

    Each tyre's surface and carcass warm up by the heat balance of the lap just driven (see `vehicle.heat`); the tread
    wears by its sliding work.

    :raises InputError: if the fuel does not last
    """
    car = setting.car
    begin = out_lap_c(setting)
    tyres = TyreState(setting.compounds, begin, begin, setting.wear)
    result: list[StintLap] = []
    for number in range(laps):
        lap = solve_lap_at(setting, sheet, tyres, fuel_l)
        result.append(StintLap(lap, fuel_l, tyres.wear))
        fuel_l -= lap.fuel_l
        if fuel_l < 0:
            raise InputError("fuel at start", f"{result[0].fuel_l:.1f} l", f"enough for {laps} laps; it lasts {number} laps")
        tyres = _after(setting, car, lap)
    return result


def out_lap_c(setting: Setting) -> Four:
    """Temperature of each tyre as it comes out of the out-lap [degC]."""
    around = setting.conditions.ambient_c
    aim = [setting.compounds[w // 2].temperature_opt_c for w in range(4)]
    return four(around + _OUT_LAP_START * (aim[w] - around) for w in range(4))


def _after(setting: Setting, car: Car, lap: Lap) -> TyreState:
    """The tyres as a lap leaves them."""
    heat, wear = [], []
    for w, flow in enumerate(tyre_flows(setting, car, lap)):
        compound = setting.compounds[w // 2]
        start = lap.tyres.temperature_c[w], lap.tyres.carcass_c[w]
        heat.append(flow.after_c(start, capacities(car.tyres, compound), lap.time_s))
        wear.append(min(lap.tyres.wear[w] + compound.wear_per_mj * lap.slide_j[w] / 1e6, 1.0))
    return TyreState(setting.compounds, four([pair[0] for pair in heat]), four([pair[1] for pair in heat]), four(wear))


def aged(setting: Setting, sheet: Sheet, laps: float) -> Setting:
    """The setting with tyres that have so many laps: worn as that many laps of a stint on a full tank wear them."""
    if laps <= 0.0:
        return setting
    wear = solve_stint(setting, sheet, setting.car.tank_l, 3)[-1].wear
    return replace(setting, wear=four(min(share / 2 * laps, 1.0) for share in wear))
