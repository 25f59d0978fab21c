"""The page of a car in picture geometry."""

from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_number
from apextrim.ui.pictures import Axis, linear_axis


@dataclass(frozen=True)
class PowerPicture:
    """Torque and power over engine speed, in picture units.

    :param x: engine speed [1/min]
    :param y: torque [N m]
    :param power: [kW]
    """

    x: Axis
    y: Axis
    power: Axis
    torque_path: str
    power_path: str
    most_nm: float
    most_kw: float
    width: int = 640
    height: int = 250
    right: int = 596
    bottom: int = 212


def power_picture(rpm: np.ndarray, torque: np.ndarray, power: np.ndarray) -> PowerPicture:
    """The picture of a power curve."""
    x = linear_axis(float(rpm[0]), float(rpm[-1]), 44, 596, 8, lambda value: format_number(value, 0))
    y = linear_axis(0.0, 1.08 * float(torque.max()), 212, 16, 5, lambda value: format_number(value, 0))
    kw = linear_axis(0.0, 1.08 * float(power.max()), 212, 16, 5, lambda value: format_number(value, 0))

    def path(axis: Axis, values: np.ndarray) -> str:
        spots = " ".join(f"{x.at(float(n)):.1f},{axis.at(float(value)):.1f}" for n, value in zip(rpm, values, strict=True))
        return f"M{spots}"

    return PowerPicture(x, y, kw, path(y, torque), path(kw, power), float(torque.max()), float(power.max()))
