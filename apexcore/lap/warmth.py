"""The heat of a car's tyres where nobody has measured it: scaled so that they settle near their best, and cold pressures from there."""

import math
from dataclasses import dataclass

import numpy as np

from ..circuit.conditions import Conditions
from ..circuit.line import Line
from ..errors import SolverError
from ..vehicle.car import Car, Compound, TyreHeat
from ..vehicle.items import Item
from ..vehicle.sheet import base_sheet
from ..vehicle.tyres import cold_pressure_kpa
from .driver import LEVELS
from .solver import Lap, LapCase, solve_lap

#: The day and the driver on which tyres are taken to be near their best. Source: an assumption of this product (docs/model.md, quick car).
USUAL_DAY = Conditions(air_c=20.0, track_c=25.0)
_DRIVER = LEVELS["front runner"]
#: How steeply the scale answers to what is off, how far an axle may leave both axles' mean, bounds of the scale, and rounds [-].
#: Source: a study on this product's lap.
_STEEP, _AXLE, _LEAST, _MOST, _AXLE_ROUNDS, _ROUNDS = 1.15, 0.12, 0.6, 2.2, 2, 3
#: What the tyres may be off in the mean without a word [K].
_NEAR_K = 5.0


@dataclass(frozen=True)
class Warmed:
    """A car whose tyres settle near their best.

    :param scale: what passes into air, road and sidewalls over what was assumed, of each axle [-]
    :param off_k: by which the tyres are over their best in the mean, weighted by their sliding work; infinite where it is not known [K]
    """

    car: Car
    scale: tuple[float, float]
    off_k: float

    @property
    def near(self) -> bool:
        """Whether they settle near enough."""
        return abs(self.off_k) <= _NEAR_K


def warmed(car: Car, line: Line) -> Warmed:
    """A car with its tyres' heat scaled on a usual day for a front runner, and cold pressures that reach the best when hot.

    The balance of a tyre is its heat over what carries it off, so that the scale answers to its rise over the air: a few laps find it.
    Axles keep apart by what they do, within bounds; a wheel that works little stays cold, as it is on a real car. Source: heat balance;
    bounds and steps by a study (docs/model.md, quick car).

    :raises SolverError: if the car cannot take the course
    """
    compound = car.tyres.compounds[0]
    scale = np.ones(2)
    ambient = USUAL_DAY.ambient_c
    rise = compound.temperature_opt_c - ambient
    found = car
    for round_ in range(_AXLE_ROUNDS + _ROUNDS):
        lap = _lap(found, line, compound)
        if round_ < _AXLE_ROUNDS:
            off = [_over_k(lap, compound, (2 * axle, 2 * axle + 1)) for axle in (0, 1)]
            scale *= [_answer(one, rise) for one in off]
            mean = math.sqrt(float(scale[0] * scale[1]))
            scale = mean * np.clip(scale / mean, 1.0 - _AXLE, 1.0 + _AXLE)
        else:
            scale = scale * _answer(_over_k(lap, compound, (0, 1, 2, 3)), rise)
        scale = np.clip(scale, _LEAST, _MOST)
        found = _with_pressures(_with_heat(car, scale), lap, compound)
    lap = _lap(found, line, compound)
    found = _with_pressures(found, lap, compound)
    off_k = _over_k(_lap(found, line, compound), compound, (0, 1, 2, 3))
    return Warmed(found, (round(float(scale[0]), 3), round(float(scale[1]), 3)), off_k)


def _answer(off_k: float, rise: float) -> float:
    """By what the scale is multiplied where tyres are off their best [-]."""
    return math.pow(max((rise + off_k) / rise, 0.1), _STEEP)


def _lap(car: Car, line: Line, compound: Compound) -> Lap:
    return solve_lap(LapCase(car, line, USUAL_DAY, (compound, compound), driver=_DRIVER), base_sheet(car))


def _over_k(lap: Lap, compound: Compound, wheels: tuple[int, ...]) -> float:
    """How far some tyres are over their best, weighted by their sliding work [K]."""
    work = np.array([max(lap.slip_energy_j[wheel], 1.0) for wheel in wheels])
    return float(np.average([lap.tyres.temperature_c[wheel] for wheel in wheels], weights=work)) - compound.temperature_opt_c


def _with_heat(car: Car, scale: np.ndarray) -> Car:
    heat = tuple(_scaled(car.tyres.heat_of(2 * axle), float(scale[axle])) for axle in (0, 1))
    return car.model_copy(update={"tyres": car.tyres.model_copy(update={"heat": heat})})


def _scaled(heat: TyreHeat, factor: float) -> TyreHeat:
    return heat.model_copy(update={name: round(getattr(heat, name) * factor, 4) for name in ("air", "road", "wall")})


def _with_pressures(car: Car, lap: Lap, compound: Compound) -> Car:
    """The car with what each tyre is filled to so that it has its best pressure at its mean load once it is hot."""
    filled = []
    for wheel, name in enumerate(("fl", "fr", "rl", "rr")):
        load = float(np.average(lap.column(f"load_{name}"), weights=lap.column("time")))
        best = compound.pressure_opt_kpa + compound.pressure_opt_kpa_per_kn * (load - compound.load_ref_n) / 1000.0
        cold = cold_pressure_kpa(best, car.tyres.cold_at_c, lap.tyres.carcass_c[wheel])
        filled.append(float(max(round(cold), 20)))
    items = tuple(_based(item, filled[int(item.sets.rsplit(".", 1)[1])]) if _fills(item) else item for item in car.items)
    # an item's base is what the car has: a racer's own range may hold less
    for item in items:
        if _fills(item):
            filled[int(item.sets.rsplit(".", 1)[1])] = item.physical(item.base)
    tyres = car.tyres.model_copy(update={"cold_kpa": tuple(filled)})
    return car.model_copy(update={"tyres": tyres, "items": items})


def _fills(item: Item) -> bool:
    return item.sets.startswith("tyres.cold_kpa.")


def _based(item: Item, kpa: float) -> Item:
    """A pressure's item with another base, on a step of its range."""
    value = (kpa - item.offset) / item.scale
    steps = round((min(max(value, item.low), item.high) - item.low) / item.step)
    base = item.low + min(steps, math.floor((item.high - item.low) / item.step + 1e-9)) * item.step
    return item.model_copy(update={"base": round(base, 9)})


def could_warm(car: Car, line: Line) -> Warmed:
    """`warmed`, or the car as it is where it cannot take the course."""
    try:
        return warmed(car, line)
    except SolverError:
        return Warmed(car, (1.0, 1.0), math.inf)
