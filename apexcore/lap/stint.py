"""Lap after lap: fuel burns off, tyres warm up and wear."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..circuit.line import Line
from ..errors import InputError
from ..vehicle.car import Car
from ..vehicle.heat import capacities, faded, wear_rate
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, four
from .solver import Lap, LapCase, solve_adjusted_lap_at, solve_lap, tyre_flows, with_layers

#: Share of the way from rest to settled that a tread, and a carcass, have come at the end of an out-lap with its weaving. Source: an
#: assumption of this product (docs/model.md, tyres over a run).
_OUT_LAP_TREAD, _OUT_LAP_CARCASS = 0.70, 0.55


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


def solve_stint(lap_case: LapCase, sheet: Sheet, fuel_l: float, laps: int, lines: Sequence[Line] | None = None) -> list[StintLap]:
    """The stint from the pit exit.

    Each tyre's skin, tread and carcass warm up by the heat balance of the lap just driven (see `vehicle.heat`); the tread
    wears by its sliding work, the more the hotter it is, and fades in long heat.

    :param lines: of each lap, where they are not all the case's
    :raises InputError: if the fuel does not last
    """
    if lines is not None:
        lap_case = replace(lap_case, line=lines[0])
    car = lap_case.car
    adjusted_car = adjusted(car, sheet)
    hot = solve_lap(lap_case, sheet, fuel_l=fuel_l)
    tyres, ripple = _out_lap(lap_case, hot), hot.ripple
    result: list[StintLap] = []
    for number in range(laps):
        if lines is not None and lines[number] is not lap_case.line:
            lap_case, ripple = replace(lap_case, line=lines[number]), None
        lap = solve_adjusted_lap_at(lap_case, adjusted_car, tyres, fuel_l, ripple)
        result.append(StintLap(lap, fuel_l, tyres.wear))
        fuel_l -= lap.fuel_l
        if fuel_l < 0:
            raise InputError("fuel at start", f"{result[0].fuel_l:.1f} l", f"enough for {laps} laps; it lasts {number} laps")
        tyres = _after(lap_case, car, lap)
    return result


def _out_lap(lap_case: LapCase, hot: Lap) -> TyreState:
    """The tyres as an out-lap leaves them, on the way to what hot laps make of them."""
    around = lap_case.conditions.ambient_c
    shares = (_OUT_LAP_TREAD, _OUT_LAP_TREAD, _OUT_LAP_CARCASS)
    layers = []
    for wheel in range(4):
        skin, tread, carcass = (around + share * (c - around) for share, c in zip(shares, hot.tyres.layers_c(wheel), strict=True))
        layers.append((skin, tread, carcass))
    return with_layers(hot.tyres, layers)


def out_lap_c(lap_case: LapCase) -> Four:
    """Temperature of each tyre as it comes out of the out-lap, if hot laps bring it to its best [degC]."""
    around = lap_case.conditions.ambient_c
    aim = [lap_case.compounds[w // 2].temperature_opt_c for w in range(4)]
    return four(around + _OUT_LAP_TREAD * (aim[w] - around) for w in range(4))


def _after(lap_case: LapCase, car: Car, lap: Lap) -> TyreState:
    """The tyres as a lap leaves them."""
    layers, wear, fade, kept = [], [], [], []
    for w, flow in enumerate(tyre_flows(lap_case, car, lap)):
        compound, before = lap_case.compounds[w // 2], lap.tyres.layers_c(w)
        after = flow.after_c(before, capacities(car.tyres, compound, w), lap.time_s)
        tread = 0.5 * (before[1] + after[1])
        layers.append(after)
        wear.append(min(lap.tyres.wear[w] + wear_rate(compound, tread) * lap.slip_energy_j[w] / 1e6, 1.0))
        share, stays = faded(compound, lap.tyres.fade[w], lap.tyres.fade_kept[w], tread, lap.time_s)
        fade.append(share)
        kept.append(stays)
    return replace(with_layers(lap.tyres, layers), wear=four(wear), fade=four(fade), fade_kept=four(kept))


def aged(lap_case: LapCase, sheet: Sheet, laps: float) -> LapCase:
    """The case with tyres that have so many laps: worn as that many laps of a stint on a full tank wear them."""
    if laps <= 0.0:
        return lap_case
    wear = solve_stint(lap_case, sheet, lap_case.car.tank_l, 3)[-1].wear
    return replace(lap_case, wear=four(min(share / 2 * laps, 1.0) for share in wear))
