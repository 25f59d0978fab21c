"""Shift speeds from the power curve."""

from dataclasses import dataclass

import numpy as np

from ..lap.assembly import drive_radius_m, gear_thrust
from ..vehicle.car import Car

#: Resolution of the search for the crossing of two gears' thrust [m/s].
_FINE_MS = 0.05


@dataclass(frozen=True)
class Shift:
    """An upshift.

    :param gear: the gear left
    :param speed_ms: road speed at which the next gear pulls harder [m/s]
    :param rpm: engine speed before the shift [1/min]
    :param at_limiter: if true the gear pulls harder right up to the rev limit
    """

    gear: int
    speed_ms: float
    rpm: float
    at_limiter: bool


def rpm_at(car: Car, gear: int, speed_ms: float) -> float:
    """Engine speed [1/min] in a gear (from 1) at a road speed [m/s], without slip."""
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
