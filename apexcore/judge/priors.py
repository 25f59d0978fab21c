"""Priors of the lap model, taken from the vehicle model for this car, circuit and day."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from ..errors import InputError
from ..lap.solver import LapCase, solve_lap
from ..lap.stint import StintLap, solve_stint
from ..vehicle.car import Compound
from ..vehicle.pair import pair_key
from ..vehicle.sheet import Sheet
from .model import Prior, Priors

#: Relative spread of the book's weight cost and fade: what a virtual car's true values show (docs/model.md, "How sure").
_FUEL_SPREAD, _FADE_SPREAD = 0.2, 0.4
#: Absolute spreads that remain even where the book says nothing happens [s/lap, s].
_FADE_LEAST_S, _OFFSET_SD_S, _COLD_SD_S = 0.02, 0.4, 0.4

#: Relative and absolute spread of the book's track temperature [-, s/K], and prior spread of the session's trend [s/h].
#: Sources: assumptions of this product (docs/model.md, "How sure").
_TRACK_SPREAD, _TRACK_LEAST_S, _TREND_SD_S = 0.5, 0.006, 0.6
#: How much warmer track and air are tried [K].
_WARMER_K = (8.0, 3.0)

#: Laps of the modelled stint, the lap from which its tyres count as warm, and laps that tell the rate of wear.
_STINT_LAPS, _WARM_FROM, _RATE_LAPS = 22, 5, 5
#: Wear at the stint's end, laps that it has before the cliff at least, and laps beyond it without which its steepness is worked out.
_END_WEAR, _BEFORE_CLIFF, _LEAST_BEYOND = 0.97, 13, 3
#: Share of grip that is taken away to see what it is worth.
_LESS_GRIP = 0.01


@dataclass(frozen=True)
class CompoundBook:
    """What the model says of one compound at both axles, or of a pair.

    :param key: the compound; of a pair those of front and rear with a stroke between them
    :param new_s: lap time on new, warm tyres at the stint's mean fuel [s]
    :param fade_s: lap time added by each lap of age before the cliff [s/lap]
    :param cold_s: time lost on the first lap after the out-lap [s]
    :param cliff_age: age at which the first tyre reaches its cliff [laps]
    :param cliff_s: lap time added per lap beyond the cliff, growing evenly [s/lap2]
    """

    key: str
    new_s: float
    fade_s: float
    cold_s: float
    cliff_age: float
    cliff_s: float


@dataclass(frozen=True)
class NominalPace:
    """The vehicle model's view of a race distance.

    :param fuel_s_per_kg: lap time added by a kilogram [s/kg]
    :param fuel_l_per_lap: fuel burnt in a lap [l]
    :param compounds: each compound, in the car's order
    :param track_s_per_k: lap time added by a warmer track, the air with it [s/K]
    """

    fuel_s_per_kg: float
    fuel_l_per_lap: float
    compounds: tuple[CompoundBook, ...]
    track_s_per_k: float

    def priors(self) -> Priors:
        """Priors of the lap model."""
        first = self.compounds[0]
        return Priors(
            Prior(self.fuel_s_per_kg, _FUEL_SPREAD * abs(self.fuel_s_per_kg)),
            tuple(Prior(compound.fade_s, max(_FADE_SPREAD * abs(compound.fade_s), _FADE_LEAST_S)) for compound in self.compounds),
            tuple(Prior(compound.new_s - first.new_s, _OFFSET_SD_S) for compound in self.compounds[1:]),
            Prior(first.cold_s, _COLD_SD_S),
            Prior(self.track_s_per_k, _TRACK_SPREAD * abs(self.track_s_per_k) + _TRACK_LEAST_S),
            Prior(0.0, _TREND_SD_S),
        )


#: Tyres of the front and the rear axle.
Pair = tuple[Compound, Compound]


def pairs_of(compounds: Sequence[Compound]) -> list[Pair]:
    """Every pair, those of one compound first."""
    mixed = [(front, rear) for front in compounds for rear in compounds if front.key != rear.key]
    return [*((compound, compound) for compound in compounds), *mixed]


def nominal_pace(lap_case: LapCase, sheet: Sheet, compounds: Sequence[Compound | Pair]) -> NominalPace:
    """Reads the vehicle model: two laps for the weight of fuel, one stint for each compound or pair.

    Source: the vehicle model's own stints on light and heavy fuel and on a warmer track.

    :raises SolverError: if the car cannot take the circuit
    """
    tank = lap_case.car.tank_l
    density = lap_case.car.mass.fuel_kg_per_l
    light, heavy = solve_lap(lap_case, sheet, 0.1 * tank), solve_lap(lap_case, sheet, 0.9 * tank)
    per_kg = (heavy.time_s - light.time_s) / (0.8 * tank * density)
    pairs = [(told, told) if isinstance(told, Compound) else told for told in compounds]
    with ThreadPoolExecutor(2) as pool:  # the kernel lets go of the interpreter while it runs
        stints = tuple(pool.map(lambda pair: _compound(lap_case, sheet, pair, per_kg * density), pairs))
    air, track = lap_case.conditions.air_c, lap_case.conditions.track_c
    warmer = lap_case.conditions.model_copy(update={"track_c": track + _WARMER_K[0], "air_c": air + _WARMER_K[1]})
    warm = solve_lap(replace(lap_case, conditions=warmer), sheet, 0.1 * tank)
    return NominalPace(per_kg, 0.5 * (light.fuel_l + heavy.fuel_l), stints, (warm.time_s - light.time_s) / _WARMER_K[0])


def _compound(lap_case: LapCase, sheet: Sheet, pair: Pair, fuel_s_per_l: float) -> CompoundBook:
    """A pair from a stint whose wear is scaled so that its whole life falls into it: a tyre that lasts 2 laps and one that lasts 200 are
    read from equally many laps. Fade and what comes beyond the cliff go with wear, so they scale back with its rate."""
    rates = _wear_rates(lap_case, sheet, pair)
    scale = min(min(_END_WEAR / _STINT_LAPS, tyre.cliff_wear / _BEFORE_CLIFF) / rate for tyre, rate in zip(pair, rates, strict=True))
    worn = _worn(pair, scale)
    stint = _stint(lap_case, sheet, worn, _STINT_LAPS)
    middle = 0.5 * lap_case.car.tank_l
    times = np.array([lap.lap.time_s - fuel_s_per_l * (lap.fuel_l - middle) for lap in stint])
    ends = np.array([pair[wheel // 2].cliff_wear for wheel in range(4)])
    share, age = (np.array([lap.wear for lap in stint]) / ends).max(axis=1), np.arange(len(stint))
    first = int(np.argmin([tyre.cliff_wear / rate for tyre, rate in zip(pair, rates, strict=True)]))  # the axle that goes off first
    compound, rate = pair[first], rates[first]
    cliff = float(np.interp(1.0, share, age)) if share[-1] > 1.0 else compound.cliff_wear / (rate * scale)
    warm = (age >= _WARM_FROM) & (age <= cliff)
    fade, new = np.polyfit(age[warm], times[warm], 1)
    cold = float(times[1] - (new + fade))
    beyond = age > cliff
    over = (age[beyond] - cliff) ** 2
    if beyond.sum() >= _LEAST_BEYOND:
        steep = float((over * (times[beyond] - new - fade * age[beyond])).sum() / (over**2).sum())
    elif compound.cliff_wear < 1.0:
        steep = _grip_s(lap_case, sheet, pair) * compound.cliff_loss * (rate * scale / (1.0 - compound.cliff_wear)) ** 2
    else:
        steep = 0.0
    key = pair_key(pair[0].key, pair[1].key)
    return CompoundBook(key, float(new), float(fade) / scale, max(cold, 0.0), cliff * scale, max(steep, 0.0) / scale**2)


def _worn(pair: Pair, scale: float) -> Pair:
    """The same tyres wearing otherwise."""
    front, rear = (tyre.model_copy(update={"wear_per_mj": tyre.wear_per_mj * scale}) for tyre in pair)
    return front, rear


def _wear_rates(lap_case: LapCase, sheet: Sheet, pair: Pair) -> tuple[float, float]:
    """Share of its tread that each axle's tyre that wears most loses in a lap, on treads that are hardly worn [-]."""
    stint = _stint(lap_case, sheet, _worn(pair, 1e-3), _RATE_LAPS)
    first, last = stint[1].wear, stint[-1].wear
    rates = [max(1e3 * (b - a) / (len(stint) - 2), 1e-6) for a, b in zip(first, last, strict=True)]
    return max(rates[:2]), max(rates[2:])


def _grip_s(lap_case: LapCase, sheet: Sheet, pair: Pair) -> float:
    """Lap time that the loss of all grip would cost if it went on as the first hundredths [s]."""
    front, rear = (tyre.model_copy(update={"mu": (1.0 - _LESS_GRIP) * tyre.mu}) for tyre in pair)
    tank = 0.5 * lap_case.car.tank_l
    times = [solve_lap(replace(lap_case, compounds=tyres), sheet, tank).time_s for tyres in (pair, (front, rear))]
    return (times[1] - times[0]) / _LESS_GRIP


def _stint(lap_case: LapCase, sheet: Sheet, pair: Pair, laps: int) -> list[StintLap]:
    """A stint of so many laps on a full tank, or on as much as they need."""
    on_it, fuel_l = replace(lap_case, compounds=pair), lap_case.car.tank_l
    while True:
        try:
            return solve_stint(on_it, sheet, fuel_l, laps)
        except InputError:
            fuel_l *= 1.5
