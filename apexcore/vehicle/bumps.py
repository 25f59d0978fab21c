"""What a bump takes of a wheel's grip: its load swings, and a tyre gives less on a load that swings."""

import math

from ..circuit.conditions import GRAVITY
from .car import Car

#: Length of a bump of which only the height is known [m], how long its swing lasts beyond it [s], and grip lost at a swing as large as
#: the load [-]. Source: assumptions of this product (docs/model.md, bumps): 0.2 to 0.5.
BUMP_M, BUMP_LASTS_S, LOSS = 10.0, 0.1, 0.3
#: Damping over critical of a usual damper [-].
_DAMPED = 0.5


def load_swing_n(car: Car, wheel: int, height_mm: float, speed_ms: float, load_n: float, own_damper: bool = False) -> float:
    """Amplitude of a wheel's load over a bump [N].

    A wave of half the height under a wheel: spring less inertia, and damper, a quarter turn apart:
    sqrt((k h - m w2 h)2 + (c w h)2), w = 2 pi v/length (Milliken & Milliken, ch. 22). The damper is a usual one for the load, half of
    critical: clicks never enter the lap.

    :param wheel: 0 to 3
    :param load_n: what the wheel carries [N]
    :param own_damper: whether the damper is the car's own in high-speed bump, where it has one
    """
    axle = car.front if wheel < 2 else car.rear
    h, w = 0.5 * height_mm / 1000.0, 2.0 * math.pi * speed_ms / BUMP_M
    unsprung = 0.5 * (car.mass.unsprung_front_kg if wheel < 2 else car.mass.unsprung_rear_kg)
    if axle.rigid:
        rate = 1000.0 * axle.tyre_n_per_mm * axle.chassis_n_per_mm / (axle.tyre_n_per_mm + axle.chassis_n_per_mm)
        damping = 0.0  # a frame without springs has none
    else:
        rate = 1000.0 * axle.spring_n_per_mm[wheel % 2] * axle.motion_ratio**2
        damping = 2.0 * _DAMPED * math.sqrt(rate * max(load_n, 1.0) / GRAVITY)
        own = axle.damper[wheel % 2].bump_fast
        if own_damper and own > 0.0:
            damping = 1000.0 * own * axle.motion_ratio**2
    return math.hypot(rate * h - unsprung * h * w * w, damping * w * h)


def bump_grip(car: Car, wheel: int, height_mm: float, speed_ms: float, load_n: float) -> float:
    """Grip that a bump leaves a wheel [-]: 1 - 0.3 e2, e the swing over the load, at most as large as that.

    Source: load sensitivity and relaxation of a tyre on a swinging load (Pacejka, ch. 8); the size is an assumption.
    """
    swing = min(load_swing_n(car, wheel, height_mm, speed_ms, load_n) / max(load_n, 1.0), 1.0)
    return 1.0 - LOSS * swing * swing
