"""Brake balance: the front share at which both axles lock together."""

from ..circuit.conditions import GRAVITY
from ..vehicle.car import Car
from ..vehicle.weights import weights


def ideal_front_share(car: Car, deceleration_ms2: float, front_over_rear: float = 1.0) -> float:
    """Front share of the braking force at which neither axle locks first, on a level road without air forces [-].

    share = mu_f F_f/(mu_f F_f + mu_r F_r) with F_f = m(g b + a h)/l, F_r = m(g a_f - a h)/l
    (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 21).

    :param deceleration_ms2: deceleration held [m/s2]
    :param front_over_rear: friction of the front tyres over that of the rear [-]
    """
    weight = weights(car)
    length = car.wheelbase_m
    lean = deceleration_ms2 * weight.cg_height_m / GRAVITY
    front = (length - weight.cg_from_front_m + lean) * front_over_rear
    rear = weight.cg_from_front_m - lean
    return front / (front + max(rear, 0.0))
