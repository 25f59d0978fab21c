"""A car's figures at its base setting: what its maker's data say, to see whether they can be right."""

import math
from dataclasses import dataclass

import numpy as np

from ...circuit.conditions import GRAVITY, RATED_AIR, Conditions
from ...lap.assembly import aero_areas, roll_stiffness, torque_nm
from ...lap.solver import top_speed_ms
from ...quantities.text import format_number
from ...vehicle.car import Car
from ...vehicle.sheet import adjusted, base_sheet, checked_sheet
from ...vehicle.weights import weights
from .gearing import limit_speed_ms

#: Speed at which downforce is told [m/s]: 200 km/h.
_AERO_MS = 200 / 3.6


@dataclass(frozen=True)
class Figure:
    """:param words: what it is
    :param text: the number with its unit"""

    words: str
    text: str


def power_curve(car: Car, points: int = 60) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Engine speed [rpm], torque [N m] and power [kW] from the first point of the torque curve to the rev limit.

    Source: power is torque times engine speed.
    """
    rpm = np.linspace(car.powertrain.torque_nm[0][0], car.powertrain.limit_rpm, points)
    torque = torque_nm(car, rpm) * car.powertrain.restrictor
    return rpm, torque, torque * rpm * math.pi / 30 / 1000.0


def _hundreds(rpm: float) -> str:
    return format_number(round(float(rpm), -2), 0)


def car_figures(car: Car) -> list[Figure]:
    """What the base setting comes to.

    :raises ApexError: if the car cannot be: a base sheet off its list, a centre of gravity outside the wheels, no thrust
    """
    checked_sheet(car, base_sheet(car).values)
    moved = adjusted(car, base_sheet(car))
    weight = weights(moved)
    total = sum(weight.static_n)
    rpm, torque, power = power_curve(moved)
    best, pull = int(power.argmax()), int(torque.argmax())
    conditions = Conditions(air_c=RATED_AIR[0], pressure_hpa=RATED_AIR[1], humidity_pct=RATED_AIR[2])
    top = top_speed_ms(moved, conditions)
    limit = limit_speed_ms(moved, len(moved.powertrain.gears))
    front, rear = roll_stiffness(moved.front), roll_stiffness(moved.rear)
    drag, lift_front, lift_rear = aero_areas(moved)
    down = 0.5 * conditions.air_density * _AERO_MS**2 * (lift_front + lift_rear) / GRAVITY
    shares = [100 * load / total for load in weight.static_n]
    figures = [
        Figure("Mass with driver and fuel", f"{format_number(weight.mass_kg, 0)} kg"),
        Figure("Front weight", f"{format_number(shares[0] + shares[1], 1)} %"),
        Figure("Left-side weight", f"{format_number(shares[0] + shares[2], 1)} %"),
        Figure("Cross weight (FR + RL)", f"{format_number(shares[1] + shares[2], 1)} %"),
        Figure("Centre of gravity height", f"{format_number(1000 * weight.cg_height_m, 0)} mm"),
        Figure("Peak power", f"{format_number(power[best], 0)} kW at {_hundreds(rpm[best])} rpm"),
        Figure(
            "Peak torque",
            f"{format_number(torque[pull], 0)} Nm at {_hundreds(rpm[pull])} rpm",
        ),
        Figure("Power-to-weight", f"{format_number(1000 * power[best] / weight.mass_kg, 0)} W/kg"),
        Figure("Top speed, level road" + (", limiter" if top > 0.995 * limit else ""), f"{format_number(3.6 * top, 0)} km/h"),
        Figure("Front share of roll stiffness", f"{format_number(100 * front / (front + rear), 1)} %"),
        Figure("Drag area", f"{format_number(drag, 2)} m²"),
    ]
    if lift_front + lift_rear > 0:
        figures.append(Figure("Downforce at 200 km/h", f"{format_number(down, 0)} kg weight"))
        figures.append(Figure("Aero balance, front", f"{format_number(100 * lift_front / (lift_front + lift_rear), 1)} %"))
    return figures
