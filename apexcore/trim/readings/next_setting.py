"""From pressures and temperatures read at the wheels to the next cold pressures and the step of camber to try."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...circuit.conditions import KELVIN, Conditions
from ...lap.solver import Lap, LapCase, solve_lap
from ...quantities.spread import half_interval
from ...vehicle.car import WHEEL_WORDS, WHEELS, Car
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, adjusted
from ...vehicle.tyres import ATMOSPHERE_KPA, Four, cold_pressure_kpa
from ..moves.effects import difference_spread_s, lowest_steps, step_effects
from ..reading.analysis import tread_readings

#: How far the model's heat over the surroundings is usually off, and one reading of a gauge in the pit lane [K].
#: Source: assumptions of this product (docs/model.md).
MODEL_SD_K, GAUGE_SD_K = 8.0, 5.0
#: Scatter of one pyrometer reading of the spread across a tread [K]. Source: an assumption of this product.
PYROMETER_SD_K = 2.5
#: How far off its window an axle runs before toe is moved for it, in the window's widths, and by how many steps at most.
_TOE_FROM, _MOST_TOE_STEPS = 0.35, 4
#: Most steps of camber that are advised at once.
_MOST_STEPS = 8


@dataclass(frozen=True)
class WheelReading:
    """What was read at one wheel; None where it was not.

    :param cold_kpa: pressure it was set to [kPa]
    :param hot_kpa: hot pressure [kPa]
    :param tread_c: inner, middle, outer temperature [degC]
    :param left: share of the tread that is left [-]
    """

    cold_kpa: float
    hot_kpa: float | None = None
    tread_c: tuple[float, float, float] | None = None
    left: float | None = None


@dataclass(frozen=True)
class Reading:
    """One stop with gauge and pyrometer.

    :param wheels: in the car's order
    :param conditions: the weather then
    :param cold_c: temperature at which the cold pressures were set [degC]
    """

    wheels: tuple[WheelReading, WheelReading, WheelReading, WheelReading]
    conditions: Conditions
    cold_c: float


@dataclass(frozen=True)
class PressureAdvice:
    """The next cold pressure of a wheel.

    :param hot_kpa: hot pressure wanted [kPa]
    :param cold_kpa: what to set [kPa]
    :param spread_kpa: half its 95 % interval [kPa]
    :param rise_k: gas over surroundings, from the model and the readings [K]
    :param from_readings: how much of that the readings made, 0 to 1 [-]
    """

    wheel: str
    hot_kpa: float
    cold_kpa: float
    spread_kpa: float
    rise_k: float
    from_readings: float


@dataclass(frozen=True)
class CamberAdvice:
    """The camber to try on a wheel.

    :param spread_k: inner less outer as read, mean [K]
    :param wanted_k: inner less outer where the model's lap is quickest over this camber [K]
    :param steps: of the item, signed
    :param value: the item's value after it [deg]
    :param spread_steps: half the 95 % interval of the steps
    """

    wheel: str
    item: Item
    spread_k: float
    wanted_k: float
    steps: int
    value: float
    spread_steps: float


@dataclass(frozen=True)
class ToeAdvice:
    """The toe to try on an axle whose treads run off their window.

    :param seen_c: mean tread temperature of the axle as read [degC]
    :param best_c: where its compound grips best [degC]
    :param steps: of the item, signed
    :param value: the item's value after it
    :param moves_k: modelled change of the axle's tread temperature by these steps [K]
    :param lap_s: modelled change of lap time by these steps [s]
    """

    axle: str
    item: Item
    seen_c: float
    best_c: float
    steps: int
    value: float
    moves_k: float
    lap_s: float

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `lap_s` [s]."""
        return difference_spread_s(self.lap_s)


def gas_c(cold_kpa: float, cold_c: float, hot_kpa: float) -> float:
    """Temperature of a tyre's gas from its pressures [degC], the ideal gas law at constant volume; the inverse of
    `vehicle.tyres.hot_pressure_kpa`."""
    return (hot_kpa + ATMOSPHERE_KPA) / (cold_kpa + ATMOSPHERE_KPA) * (cold_c + KELVIN) - KELVIN


def next_pressures(
    lap_case: LapCase, lap: Lap, readings: Sequence[Reading], targets_kpa: Four, cold_c: float
) -> tuple[PressureAdvice, ...]:
    """Cold pressures that should give the wanted hot ones today.

    How hot the gas runs over its surroundings is what the model says and what the readings say, weighed by how sure each
    is (normal prior and normal scatter, Gelman and others, ch. 2); the gas law does the rest.

    :param lap_case: today's
    :param lap: the modelled lap of the sheet today
    :param cold_c: temperature at which they will be set [degC]
    """
    advice = []
    for wheel in range(4):
        seen = [
            gas_c(reading.wheels[wheel].cold_kpa, reading.cold_c, hot) - reading.conditions.ambient_c
            for reading in readings
            if (hot := reading.wheels[wheel].hot_kpa) is not None
        ]
        prior = lap.tyres.carcass_c[wheel] - lap_case.conditions.ambient_c
        weight = len(seen) / GAUGE_SD_K**2
        total = 1.0 / MODEL_SD_K**2 + weight
        rise = (prior / MODEL_SD_K**2 + weight * (float(np.mean(seen)) if seen else 0.0)) / total
        hot = lap_case.conditions.ambient_c + rise
        cold = cold_pressure_kpa(targets_kpa[wheel], cold_c, hot)
        per_kelvin = (cold + ATMOSPHERE_KPA) / (hot + KELVIN)
        spread = half_interval(math.hypot(1.0 / math.sqrt(total), GAUGE_SD_K)) * per_kelvin
        advice.append(PressureAdvice(WHEELS[wheel], targets_kpa[wheel], cold, spread, rise, weight / total))
    return tuple(advice)


def next_cambers(lap_case: LapCase, sheet: Sheet, lap: Lap, readings: Sequence[Reading]) -> tuple[CamberAdvice, ...]:
    """The step of camber to try at each wheel whose tread was read and whose camber is free.

    Source: M ch. 2 (even tread) with the model's own degrees a step.
    """
    car = adjusted(lap_case.car, sheet)
    advice = []
    for wheel in range(4):
        item = lap_case.car.free_item(f"tyres.camber_deg.{wheel}")
        seen = [tread[0] - tread[2] for reading in readings if (tread := reading.wheels[wheel].tread_c) is not None]
        if item is None or not seen:
            continue
        now = _modelled_spread(lap_case, car, lap, wheel)
        moved = next((sheet_moved for sheet_moved in (sheet.stepped(item, 1), sheet.stepped(item, -1)) if sheet_moved is not None), None)
        if moved is None:
            continue
        sign = 1.0 if moved.values[item.key] > sheet.values[item.key] else -1.0
        other = adjusted(lap_case.car, moved)
        per_step = sign * (_modelled_spread(lap_case, other, solve_lap(lap_case, moved, initial_guess=lap), wheel) - now)
        best = lowest_steps(*step_effects(lap_case, sheet, [item], lap))
        wanted = now + per_step * min(max(best, -_MOST_STEPS), _MOST_STEPS)
        found = float(np.mean(seen))
        exact = (wanted - found) / per_step if abs(per_step) > 1e-6 else 0.0
        steps = round(min(max(exact, -_MOST_STEPS), _MOST_STEPS))
        unsure = half_interval(PYROMETER_SD_K) / math.sqrt(len(seen)) / max(abs(per_step), 1e-6)
        value = item.nearest_allowed(sheet.values[item.key] + steps * item.step)
        advice.append(CamberAdvice(WHEELS[wheel], item, found, wanted, steps, value, unsure))
    return tuple(advice)


def _modelled_spread(lap_case: LapCase, car: Car, lap: Lap, wheel: int) -> float:
    inner, _, outer = tread_readings(lap_case, car, lap, wheel, 0.0)
    return inner - outer


def next_toes(lap_case: LapCase, sheet: Sheet, lap: Lap, readings: Sequence[Reading]) -> tuple[ToeAdvice, ...]:
    """The step of toe to try at each axle whose treads were read, off its window, and whose toe is free.

    Toe drags the tread over the road and warms it evenly from edge to edge, where camber parts the edges: what is wrong
    with the level of an axle is toe's, what is wrong with the spread is camber's. The model says how much a step warms.

    Source: M ch. 2.
    """
    advice = []
    for index, axle in enumerate(("front", "rear")):
        item = lap_case.car.free_item(f"{axle}.toe_deg")
        pairs = [reading.wheels[2 * index : 2 * index + 2] for reading in readings]
        seen = [float(np.mean([wheel.tread_c for wheel in pair])) for pair in pairs if all(wheel.tread_c is not None for wheel in pair)]
        compound = lap_case.compounds[index]
        best = compound.temperature_opt_c
        if item is None or not seen or abs(float(np.mean(seen)) - best) < _TOE_FROM * compound.temperature_width_c:
            continue
        found = float(np.mean(seen))
        again = solve_lap(lap_case, sheet, initial_guess=lap)
        near: list[tuple[float, int, float, float, float]] = []
        for steps in range(-_MOST_TOE_STEPS, _MOST_TOE_STEPS + 1):
            moved = sheet.stepped(item, steps)
            if moved is not None and steps:
                there = solve_lap(lap_case, moved, initial_guess=lap)
                change = [there.tyres.temperature_c[w] - again.tyres.temperature_c[w] for w in (2 * index, 2 * index + 1)]
                moves_k = float(np.mean(change))
                near.append((abs(best - found - moves_k), steps, moved.values[item.key], moves_k, there.time_s - again.time_s))
        _, steps, value, moves_k, lap_s = min(near)
        if (best - found) * moves_k > 0.0:
            advice.append(ToeAdvice(axle, item, found, best, steps, value, moves_k, lap_s))
    return tuple(advice)


def wear_story(lap_case: LapCase, lap: Lap, reading: Reading) -> list[tuple[str, float, float]]:
    """(wheel, its share of the tread lost as read [-], modelled [-]), the most worn first; empty unless all four were read.

    Source: abrasion by friction energy.
    """
    lost = [None if wheel.left is None else 1.0 - wheel.left for wheel in reading.wheels]
    if any(share is None for share in lost) or sum(share or 0.0 for share in lost) <= 0.0:
        return []
    worn = np.array([share or 0.0 for share in lost])
    model = np.array([lap.slip_energy_j[w] * lap_case.compounds[w // 2].wear_per_mj for w in range(4)])
    rows = [(WHEEL_WORDS[wheel], float(a), float(b)) for wheel, a, b in zip(WHEELS, worn / worn.sum(), model / model.sum(), strict=True)]
    return sorted(rows, key=lambda row: -row[1])


def doubts(lap: Lap, reading: Reading) -> list[str]:
    """What about a reading looks like a mistake: asked, never changed."""
    found = []
    for wheel, seen_at in zip(WHEELS, reading.wheels, strict=True):
        words = WHEEL_WORDS[wheel]
        if seen_at.hot_kpa is not None and seen_at.hot_kpa < seen_at.cold_kpa:
            found.append(f"{words.capitalize()}: the hot pressure is below the cold one. Were the two swapped?")
        if seen_at.tread_c is not None and min(seen_at.tread_c) > 135.0:
            found.append(
                f"{words.capitalize()}: {max(seen_at.tread_c):.0f} °C. Was it read in °F? Then type it as {max(seen_at.tread_c):.0f}F."
            )
    temperatures = [None if wheel.tread_c is None else float(np.mean(wheel.tread_c)) for wheel in reading.wheels]
    if all(value is not None for value in temperatures):
        seen = np.array([value for value in temperatures if value is not None])
        model = np.array(lap.tyres.temperature_c)
        seen, model = seen - seen.mean(), model - model.mean()
        for order, words in (((1, 0, 3, 2), "left and right"), ((2, 3, 0, 1), "front and rear")):
            straight, swapped = float(np.abs(seen - model).sum()), float(np.abs(seen[list(order)] - model).sum())
            if straight > 24.0 and swapped < 0.4 * straight:
                found.append(f"The temperatures fit this car much better with {words} swapped. Were two wheels mixed up when noting them?")
    return found


def heat_story(lap: Lap, reading: Reading) -> list[tuple[str, float, float]]:
    """(pair, difference as read [K], difference modelled [K]): front less rear and left less right, of mean temperatures."""
    if any(wheel.tread_c is None for wheel in reading.wheels):
        return []
    seen = np.array([np.mean(wheel.tread_c) for wheel in reading.wheels if wheel.tread_c is not None])
    model = np.array(lap.tyres.temperature_c)
    pairs = [("front less rear", (0, 1), (2, 3)), ("left less right", (0, 2), (1, 3))]
    return [
        (words, float(seen[list(a)].mean() - seen[list(b)].mean()), float(model[list(a)].mean() - model[list(b)].mean()))
        for words, a, b in pairs
    ]
