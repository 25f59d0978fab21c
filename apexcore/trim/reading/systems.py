"""What traction control and anti-lock brakes do on a lap, and so what its driver does not feel."""

from dataclasses import dataclass

import numpy as np

from ...lap.solver import Lap
from ...vehicle.car import Car

#: Throttle between which the driven tyres hold the engine back, and braking that counts [-]. Source: definitions of this product.
_HELD, _BRAKED = (0.02, 0.98), 0.05


@dataclass(frozen=True)
class Systems:
    """Driver systems on a lap; None where a car has none, or they are off.

    :param traction_s: time in which the tyres, not the engine, decide how hard it accelerates: there the throttle is the system's [s]
    :param antilock_s: time on the brakes at what the tyres hold: there the bias is the system's [s]
    """

    traction_s: float | None
    antilock_s: float | None


def systems(car: Car, lap: Lap) -> Systems:
    """Where the systems of a car are at work."""
    throttle, brake, dt = lap.column("throttle"), lap.column("brake"), lap.column("time")
    gains = np.append(np.diff(lap.column("speed")), 0.0) > 0.0
    traction = antilock = None
    if car.controls.traction_share is not None:
        traction = float(dt[(throttle > _HELD[0]) & (throttle < _HELD[1]) & gains].sum())
    if car.controls.antilock_share is not None:
        antilock = float(dt[(brake > _BRAKED) & (brake < _HELD[1])].sum())
    return Systems(traction, antilock)
