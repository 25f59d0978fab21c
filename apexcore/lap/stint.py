"""Lap after lap: fuel burns off, tyres warm up and wear."""

from copy import copy
from dataclasses import dataclass, replace

from ..errors import InputError
from ..vehicle.car import Car
from ..vehicle.heat import capacities, faded, wear_rate
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, four
from .solver import Lap, LapCase, solve_adjusted_lap_at, solve_lap, spending_as, tyre_flows, with_layers

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


def solve_stint(lap_case: LapCase, sheet: Sheet, fuel_l: float, laps: int, colder: float = 1.0) -> list[StintLap]:
    """The stint from the pit exit.

    Each tyre's skin, tread and carcass warm up by the heat balance of the lap just driven (see `vehicle.heat`); the tread
    wears by its sliding work, the more the hotter it is, and fades in long heat.

    :param colder: of `Stint`
    :raises InputError: if the fuel does not last
    """
    run = Stint(lap_case, sheet, fuel_l, colder, laps)
    return [run.lap(lap_case) for _ in range(laps)]


class Stint:
    """A stint as it is driven, lap by lap; a copy of it can go on in another way."""

    def __init__(self, lap_case: LapCase, sheet: Sheet, fuel_l: float, colder: float = 1.0, planned: int = 0) -> None:
        """
        :param lap_case: of the out-lap
        :param colder: how far the tyres are from warm at its end, over new ones after a single lap from the pit [-]
        :param planned: laps that the fuel is to last, for what is said where it does not
        """
        self.sheet, self.car, self.adjusted_car = sheet, lap_case.car, adjusted(lap_case.car, sheet)
        self.begun_l = self.fuel_l = fuel_l
        self.laps, self.planned = 0, planned
        hot = solve_lap(lap_case, sheet, fuel_l=fuel_l)
        self.tyres = _out_lap(lap_case, hot, colder)
        # how grip follows the heat along a lap is a line's own
        self._known = {id(lap_case.line): (lap_case.line, hot)}

    def copy(self) -> "Stint":
        """The same from here on, to be driven in another way."""
        return copy(self)

    def lap(self, lap_case: LapCase) -> StintLap:
        """One lap more, in a case of the same car and tyres: the line, the tow, what the driver is told may be others.

        :raises InputError: if the fuel does not last
        """
        known = self._known.get(id(lap_case.line))
        if known is None:
            known = lap_case.line, solve_lap(lap_case, self.sheet, fuel_l=self.begun_l)
            self._known[id(lap_case.line)] = known
        settled = known[1]
        lap = solve_adjusted_lap_at(spending_as(lap_case, settled), self.adjusted_car, self.tyres, self.fuel_l, settled.ripple)
        driven = StintLap(lap, self.fuel_l, self.tyres.wear)
        self.fuel_l -= lap.fuel_l
        if self.fuel_l < 0:
            wanted = max(self.planned, self.laps + 1)
            raise InputError("fuel at start", f"{self.begun_l:.1f} l", f"enough for {wanted} laps; it lasts {self.laps} laps")
        self.laps += 1
        self.tyres = _after(lap_case, self.car, lap)
        return driven


def _out_lap(lap_case: LapCase, hot: Lap, colder: float) -> TyreState:
    """The tyres as an out-lap leaves them, on the way to what hot laps make of them."""
    around = lap_case.conditions.ambient_c
    shares = [1.0 - colder * (1.0 - share) for share in (_OUT_LAP_TREAD, _OUT_LAP_TREAD, _OUT_LAP_CARCASS)]
    layers = []
    for wheel in range(4):
        skin, tread, carcass = (around + share * (c - around) for share, c in zip(shares, hot.tyres.layers_c(wheel), strict=True))
        layers.append((skin, tread, carcass))
    return with_layers(hot.tyres, layers)


def colder(scrubbed: bool, pace_laps: int) -> float:
    """How far tyres are from warm after their out-lap, over new ones without a pace lap: each pace lap leaves half of it, and scrubbed
    tyres begin with half. Source: an assumption of this product (docs/model.md, tyres over a run)."""
    return 0.5 ** (pace_laps + int(scrubbed))


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
