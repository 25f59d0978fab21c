"""Lap after lap: fuel burns off, tyres warm up and wear."""

import math
from dataclasses import dataclass, replace

from ..errors import InputError
from ..vehicle.sheet import Sheet
from ..vehicle.tyres import Four, TyreState
from .solver import Lap, Setting, settled, solve_lap_at

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

    Tyre temperature follows dT/dt = (T_settled - T)/tau over each lap, tau the heat capacity over the cooling.

    :raises InputError: if the fuel does not last
    """
    car = setting.car
    around = 0.5 * (setting.conditions.air_c + setting.conditions.track_c)
    aim = [setting.compounds[w // 2].temperature_opt_c for w in range(4)]
    heat = [around + _OUT_LAP_START * (aim[w] - around) for w in range(4)]
    wear = list(setting.wear)
    result: list[StintLap] = []
    for number in range(laps):
        tyres = TyreState(setting.compounds, (heat[0], heat[1], heat[2], heat[3]), (wear[0], wear[1], wear[2], wear[3]))
        lap = solve_lap_at(setting, sheet, tyres, fuel_l)
        result.append(StintLap(lap, fuel_l, tyres.wear))
        fuel_l -= lap.fuel_l
        if fuel_l < 0:
            raise InputError("fuel at start", f"{result[0].fuel_l:.1f} l", f"enough for {laps} laps; it lasts {number} laps")
        speed = setting.line.length_m / lap.time_s
        tau = car.tyres.heat_capacity_j_per_k / (car.tyres.cooling_w_per_k + car.tyres.cooling_w_per_k_ms * speed)
        stay = math.exp(-lap.time_s / tau)
        goal = settled(setting, car, lap)
        for w in range(4):
            compound = setting.compounds[w // 2]
            heat[w] = goal[w] + (heat[w] - goal[w]) * stay
            wear[w] = min(wear[w] + compound.wear_per_mj * lap.slide_j[w] / 1e6, 1.0)
    return result


def worn(setting: Setting, wear: Four) -> Setting:
    """The setting with tyres worn so far."""
    return replace(setting, wear=wear)
