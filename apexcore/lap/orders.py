"""What a driver is told to do otherwise, place by place: brake softer or only lift, open the throttle less, roll, hold a gear."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..circuit.line import Line
from .driver import Driver
from .record import BRAKING, COASTING, HELD, LEANING, MOST, OPENING, ORDERS, SPENDING

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Order:
    """One order for a stretch of the lap; what is not given is as the driver would do it.

    :param from_m: where it begins, along the line [m]
    :param to_m: where it ends; before its beginning it runs over the start line [m]
    :param braking: share of the greatest braking used there at most; 0 is off the throttle only [-]
    :param opening: share of the throttle used there at most; 0 is closed [-]
    :param coast_m: metres rolled off the throttle before a braking that begins there [m]
    :param gear: gear held there, 1 the first
    :param most_ms: speed kept to there [m/s]
    :param leaning: share of the tyres' grip used there across at most, such as over a bump that is not crossed with steering on [-]
    :param spending: share of the energy store's power that drives beside the open engine [-]
    """

    from_m: float
    to_m: float
    braking: float | None = None
    opening: float | None = None
    coast_m: float | None = None
    gear: int | None = None
    most_ms: float | None = None
    leaning: float | None = None
    spending: float | None = None

    def __post_init__(self) -> None:
        for words, share in (("braking", self.braking), ("opening", self.opening), ("spending", self.spending)):
            if share is not None and not 0.0 <= share <= 1.0:
                raise ValueError(f"{words}: a share from 0 to 1")
        if self.coast_m is not None and not 0.0 <= self.coast_m <= 1000.0:
            raise ValueError("coast_m: 0 m to 1000 m")
        if self.gear is not None and self.gear < 1:
            raise ValueError("gear: from 1 on")
        if self.most_ms is not None and self.most_ms <= 0.5:
            raise ValueError("most_ms: above 0.5 m/s")
        if self.leaning is not None and not 0.05 <= self.leaning <= 1.0:
            raise ValueError("leaning: a share from 0.05 to 1")


def inside(line: Line, from_m: float, to_m: float) -> NDArray[np.bool_]:
    """Which stations lie between two places of a line, over the start line where the end comes before the beginning."""
    s = line.s
    return (s >= from_m) & (s < to_m) if from_m <= to_m else (s >= from_m) | (s < to_m)


def orders_of(driver: Driver, line: Line, told: Sequence[Order] = ()) -> Floats:
    """What the lap kernel reads of a driver's orders, shape [stations, ORDERS]."""
    found = np.zeros((len(line.s), ORDERS))
    found[:, BRAKING] = found[:, OPENING] = found[:, LEANING] = 1.0
    found[:, COASTING] = driver.coast_m
    for order in told:
        there = inside(line, order.from_m, order.to_m)
        if order.braking is not None:
            found[there, BRAKING] = np.minimum(found[there, BRAKING], order.braking)
        if order.opening is not None:
            found[there, OPENING] = np.minimum(found[there, OPENING], order.opening)
        if order.coast_m is not None:
            found[there, COASTING] = order.coast_m
        if order.gear is not None:
            found[there, HELD] = order.gear
        if order.most_ms is not None:
            lower = np.where(found[there, MOST] > 0.0, np.minimum(found[there, MOST], order.most_ms), order.most_ms)
            found[there, MOST] = lower
        if order.leaning is not None:
            found[there, LEANING] = np.minimum(found[there, LEANING], order.leaning)
        if order.spending is not None:
            found[there, SPENDING] = order.spending
    return found
