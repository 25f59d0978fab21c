"""Shift speeds from the power curve."""

from dataclasses import dataclass

import numpy as np

from ...circuit.conditions import Conditions
from ...lap.assembly import TABLE_SPEEDS, Floats, aero_areas, drive_radius_m, gear_thrust
from ...lap.solver import Lap, LapCase, solve_lap, top_speed_ms
from ...quantities.text import format_number
from ...vehicle.car import Car
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, adjusted
from ...vehicle.weights import weights

#: Resolution of the search for the crossing of two gears' thrust [m/s].
_FINE_MS = 0.05


@dataclass(frozen=True)
class Shift:
    """An upshift.

    :param gear: the gear left
    :param speed_ms: road speed at which the next gear pulls harder [m/s]
    :param rpm: engine speed before the shift [rpm]
    :param at_limiter: if true the gear pulls harder right up to the rev limit
    """

    gear: int
    speed_ms: float
    rpm: float
    at_limiter: bool


def rpm_at(car: Car, gear: int, speed_ms: float) -> float:
    """Engine speed [rpm] in a gear (from 1) at a road speed [m/s], without slip.

    Source: M ch. 3: engine speed from wheel speed, radius and ratio.
    """
    ratio = car.powertrain.gears[gear - 1] * car.powertrain.final_drive
    return speed_ms * ratio / drive_radius_m(car) * 60.0 / (2.0 * np.pi)


def limit_speed_ms(car: Car, gear: int) -> float:
    """Road speed at the rev limit in a gear [m/s]."""
    return car.powertrain.limit_rpm / rpm_at(car, gear, 1.0)


def shifts(car: Car) -> list[Shift]:
    """Best upshift of every gear but the last: where the next gear's thrust overtakes, at the limiter at the latest.

    Holding the gear with the greater thrust at each speed is the quickest way through the gears when shift times do not
    depend on speed (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 3).
    """
    result = []
    for gear in range(1, len(car.powertrain.gears)):
        limit = limit_speed_ms(car, gear)
        speeds = np.arange(0.3 * limit, limit, _FINE_MS)
        thrust = gear_thrust(car, speeds, 1.0)
        better = np.flatnonzero(thrust[gear] > thrust[gear - 1])
        speed = float(speeds[better[0]]) if len(better) else limit
        result.append(Shift(gear, speed, float(rpm_at(car, gear, speed)), not len(better)))
    return result


@dataclass(frozen=True)
class RatioStep:
    """One value of the final drive (or the sprocket) over a lap.

    :param value: in the item's unit
    :param lap_s: lap time [s]
    :param top_ms: top speed of the lap [m/s]
    :param alone_ms: top speed on a level road [m/s]
    :param towed_ms: the same right behind another car [m/s]
    :param last_gear: whether the last gear is used on the lap
    """

    value: float
    lap_s: float
    top_ms: float
    alone_ms: float
    towed_ms: float
    last_gear: bool


def final_drive_item(car: Car) -> Item | None:
    """The free item that sets the final drive; None if the car has none."""
    return car.free_item("powertrain.final_drive")


def ratio_sweep(lap_case: LapCase, sheet: Sheet, initial_guess: Lap, most: int = 17) -> list[RatioStep]:
    """The lap over values of the final drive around the sheet's, every step or evenly over its range.

    :param initial_guess: a lap of the sheet in this case, to start from
    :param most: values tried at most
    :raises SolverError: if the car cannot take the circuit
    """
    item = final_drive_item(lap_case.car)
    if item is None:
        return []
    count = round((item.high - item.low) / item.step) + 1
    here = round((sheet.values[item.key] - item.low) / item.step)
    first = min(max(here - most // 2, 0), max(count - most, 0))
    steps = []
    for index in range(first, min(first + most, count)):
        value = item.nearest_allowed(item.low + index * item.step)
        moved = Sheet(sheet.car_key, {**sheet.values, item.key: value})
        lap, car = solve_lap(lap_case, moved, initial_guess=initial_guess), adjusted(lap_case.car, moved)
        alone, towed = (top_speed_ms(car, lap_case.conditions, tow) for tow in (0.0, 1.0))
        used = int(lap.column("gear").max()) == len(car.powertrain.gears)
        steps.append(RatioStep(value, lap.time_s, lap.top_speed_ms, alone, towed, used))
    return steps


def last_gear_words(car: Car, conditions: Conditions) -> str:
    """What the last gear is for on a level road: alone, in a tow only, or neither; empty for a single gear."""
    count = len(car.powertrain.gears)
    if count < 2:
        return ""
    without = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"gears": car.powertrain.gears[:-1]})})
    gains = [top_speed_ms(car, conditions, tow) - top_speed_ms(without, conditions, tow) for tow in (0.0, 1.0)]
    if gains[0] > 0.2:
        return f"Gear {count} is worth {format_number(3.6 * gains[0], 0)} km/h alone on a level road."
    if gains[1] > 0.2:
        return f"Gear {count} is for the tow only: alone, gear {count - 1} is as fast on a level road."
    return f"Gear {count} brings no top speed on a level road, alone or in a tow."


def thrust_curves(car: Car, conditions: Conditions, tow: float = 0.0) -> tuple[Floats, Floats, Floats]:
    """Speeds [m/s], thrust of every gear [N] with zero beyond the limiter, and drag with rolling resistance [N].

    Source: M ch. 3.
    """
    drag_area, lift_front, lift_rear = aero_areas(car, tow)
    dynamic = 0.5 * conditions.air_density * TABLE_SPEEDS**2
    load = sum(weights(car).static_n) + dynamic * (lift_front + lift_rear)
    resist = dynamic * drag_area + car.tyres.compounds[0].rolling * load
    return TABLE_SPEEDS, gear_thrust(car, TABLE_SPEEDS, conditions.power_factor), resist
