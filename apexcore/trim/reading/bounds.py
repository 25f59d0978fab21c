"""What a car can be driven with: bounds that search, effects and advice keep unless they are eased, each by its name.

A lap knows the time that a sheet is worth, not whether a driver would keep the car on the road with it. Each bound is measured on the
lap, and a sheet breaks it where it goes past both what is usual and what the sheet that it began with did already.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ...circuit.line import CornerSpan
from ...lap.assembly import sinking
from ...lap.solver import Lap, LapCase
from ...vehicle.car import WHEELS, Car
from ...vehicle.weights import weights
from ..figures.bias import ideal_on_lap
from .balance import corner_balances
from .past import LIFTED_N, brakes_both_ends, has_hard_stop
from .ride import clearances

Measured = Mapping[str, float]


@dataclass(frozen=True)
class Bound:
    """:param may: what is allowed where it is eased, after *if*
    :param broken: what a car does that breaks it
    :param most: measure up to which nothing is broken
    :param more: how much worse than the sheet that it began with it may get
    :param usual: size of a breach that counts as one
    """

    may: str
    broken: str
    most: float
    more: float
    usual: float


#: In the order of how much they matter. Measures: front share of braking that lacks [-]; braking that a share too far forward gives away
#: [-]; time of the lap with a wheel in the air, of all four [-]; how far the floor strikes [mm]; time on the bump stops, of both axles
#: [-]; mean oversteer on entry over all corners [%]. Source: definitions of this product (docs/model.md, "What can be driven").
BOUNDS: dict[str, Bound] = {
    "rear_lock": Bound("the rear may lock first", "the rear locks first", 0.005, 0.0, 0.02),
    "bias": Bound("the brakes may stand so far forward", "the brakes stand too far forward", 0.06, 0.0, 0.05),
    "lift": Bound("wheels may lift more", "wheels lift more", 0.0, 0.003, 0.02),
    "floor": Bound("the floor may strike", "the floor strikes", 0.0, 0.0, 3.0),
    "stops": Bound("the springs may end on their stops", "the springs end on their stops", 0.0, 0.01, 0.05),
    "entry": Bound("the rear may step out on entry", "the rear steps out sooner on entry", -100.0, 2.0, 2.0),
}


def measured(lap_case: LapCase, car: Car, lap: Lap, spans: Sequence[CornerSpan], bumps: Sequence[tuple[float, float]] = ()) -> Measured:
    """The measure of each bound on a lap.

    :param car: as the sheet sets it
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    """
    found = dict.fromkeys(BOUNDS, 0.0)
    if brakes_both_ends(car) and has_hard_stop(lap):
        share, ideal = car.brakes.front_share, ideal_on_lap(lap, car)[0]
        found["rear_lock"], found["bias"] = max(ideal - share, 0.0), max(1.0 - ideal / share, 0.0)
    dt = lap.column("time")
    whole = float(dt.sum())
    found["lift"] = sum(float(dt[lap.column(f"load_{wheel}") < LIFTED_N].sum()) for wheel in WHEELS) / whole
    low = clearances(car, lap, lap_case.line, bumps)
    found["floor"] = max([0.0, *(max(-one.least_mm, one.struck_mm) for one in low)])
    static = weights(car).static_n
    for axle, (left, right), rest in (
        (car.front, ("fl", "fr"), static[0] + static[1]), (car.rear, ("rl", "rr"), static[2] + static[3]),
    ):  # fmt: skip
        if not axle.rigid:
            soft, _, stop = sinking(axle)
            found["stops"] += float(dt[lap.column(f"load_{left}") + lap.column(f"load_{right}") - rest > soft * stop].sum()) / whole
    entries = [corner.balance[0] for corner in corner_balances(lap, spans)]
    there = [value for value in entries if value is not None]
    found["entry"] = -float(np.mean(there)) if there else 0.0
    return found


def past(now: Measured, begun: Measured, eased: Collection[str] = ()) -> dict[str, float]:
    """How far past each bound a lap is, of those that it is past, in sizes of a usual breach [-].

    :param begun: the measures of the sheet that it began with: what that did already is no breach
    :param eased: bounds that need not be kept
    """
    found = {}
    for key, bound in BOUNDS.items():
        over = now[key] - max(begun[key] + bound.more, bound.most)
        if key not in eased and over > 1e-9:
            found[key] = over / bound.usual
    return found


def broken_words(keys: Collection[str]) -> tuple[str, ...]:
    """What a car does that breaks these bounds, in words."""
    return tuple(bound.broken for key, bound in BOUNDS.items() if key in keys)
