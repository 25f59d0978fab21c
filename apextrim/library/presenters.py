"""The page of a car in picture geometry."""

from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_number
from apextrim.ui.pictures import Axis, Plot
from apextrim.ui.units import current

_PLOT = Plot(640, 250, left=44, right=596, top=16, bottom=212)


@dataclass(frozen=True)
class PowerPicture:
    """Torque and power over engine speed, in picture units.

    :param x: engine speed [1/min]
    :param y: torque [N m]
    :param power: [kW]
    """

    plot: Plot
    x: Axis
    y: Axis
    power: Axis
    torque_path: str
    power_path: str
    most_nm: float
    most_kw: float


def power_picture(rpm: np.ndarray, torque: np.ndarray, power: np.ndarray) -> PowerPicture:
    """The picture of a power curve, in the reader's units."""
    units = current()
    torque, power = torque * units.value(1.0, "Nm"), power * units.value(1.0, "kW")
    x = _PLOT.x_axis(float(rpm[0]), float(rpm[-1]), 8, lambda value: format_number(value, 0))
    y = _PLOT.y_axis(0.0, 1.08 * float(torque.max()), 5, lambda value: format_number(value, 0))
    kw = _PLOT.y_axis(0.0, 1.08 * float(power.max()), 5, lambda value: format_number(value, 0))

    def path(axis: Axis, values: np.ndarray) -> str:
        spots = " ".join(f"{x.at(float(n)):.1f},{axis.at(float(value)):.1f}" for n, value in zip(rpm, values, strict=True))
        return f"M{spots}"

    return PowerPicture(_PLOT, x, y, kw, path(y, torque), path(kw, power), float(torque.max()), float(power.max()))
