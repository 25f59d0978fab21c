"""What a car can be driven with: bounds that search, effects and advice keep unless they are eased, each by its name.

A lap knows the time that a sheet is worth, not whether a driver would keep the car on the road with it. Each bound is measured on the
lap, and a sheet breaks it where it goes past both what is usual and what the sheet that it began with did already.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ...circuit.line import CornerSpan
from ...errors import SolverError
from ...lap.assembly import sinking
from ...lap.solver import Lap, LapCase, solve_lap
from ...vehicle.car import WHEELS, Car
from ...vehicle.sheet import Sheet, adjusted, base_sheet
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
    :param more: how much worse than the sheet that it began with it may get, and as a share of what that did
    :param usual: size of a breach that counts as one
    """

    may: str
    broken: str
    most: float
    more: float
    usual: float
    share: float = 0.0


#: In the order of how much they matter. Measures: front share of braking that lacks [-]; braking that a share too far forward gives away
#: [-]; time of the lap with a wheel in the air, of all four [-]; how far the floor strikes [mm]; time on the bump stops, of both axles
#: [-]; mean oversteer on entry over all corners [%]. Source: definitions of this product (docs/model.md, "What can be driven").
BOUNDS: dict[str, Bound] = {
    "rear_lock": Bound("the rear may lock first", "the rear locks first", 0.005, 0.002, 0.02),
    "bias": Bound("the brakes may stand so far forward", "the brakes stand too far forward", 0.06, 0.002, 0.05),
    "lift": Bound("wheels may lift more", "wheels lift more", 0.0, 0.003, 0.02, 0.1),
    "floor": Bound("the floor may strike", "the floor strikes", 0.0, 0.3, 3.0, 0.05),
    "stops": Bound("the springs may end on their stops", "the springs end on their stops", 0.0, 0.01, 0.05, 0.1),
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


def begun_with(
    lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], bumps: Sequence[tuple[float, float]] = ()
) -> Measured:
    """The measures that changes of a sheet are held against: its own or those of the maker's sheet, the worse: that one can be driven.

    :param lap: of the sheet in this case
    """
    own = dict(measured(lap_case, adjusted(lap_case.car, sheet), lap, spans, bumps))
    maker = base_sheet(lap_case.car)
    try:
        made = measured(lap_case, adjusted(lap_case.car, maker), solve_lap(lap_case, maker, initial_guess=lap), spans, bumps)
    except SolverError:  # a car that cannot take this circuit as it was made
        return own
    return {key: max(own[key], made[key]) for key in BOUNDS}


def past(now: Measured, begun: Measured, eased: Collection[str] = ()) -> dict[str, float]:
    """How far past each bound a lap is, of those that it is past, in sizes of a usual breach [-].

    :param begun: of `begun_with`: what the sheet that it began with did already is no breach
    :param eased: bounds that need not be kept
    """
    found = {}
    for key, bound in BOUNDS.items():
        over = now[key] - max(begun[key] + bound.more + bound.share * max(begun[key], 0.0), bound.most)
        if key not in eased and over > 1e-9:
            found[key] = over / bound.usual
    return found


class Drivable:
    """What can be driven on one case, for changes of one sheet."""

    def __init__(
        self, lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], bumps: Sequence[tuple[float, float]] = (),
        freer_pct: float = 0.0,
    ) -> None:  # fmt: skip
        """
        :param sheet: that it began with
        :param lap: of that sheet in this case
        :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
        :param freer_pct: oversteer that is asked for, which the bound on entry does not forbid [%]
        """
        self.lap_case, self.spans, self.bumps = lap_case, spans, bumps
        begun = begun_with(lap_case, sheet, lap, spans, bumps)
        self.begun = {**begun, "entry": begun["entry"] + freer_pct}

    def past(self, sheet: Sheet, lap: Lap, eased: Collection[str] = ()) -> dict[str, float]:
        """`past` of a changed sheet's lap."""
        return past(measured(self.lap_case, adjusted(self.lap_case.car, sheet), lap, self.spans, self.bumps), self.begun, eased)


def broken_words(keys: Collection[str]) -> tuple[str, ...]:
    """What a car does that breaks these bounds, in words."""
    return tuple(bound.broken for key, bound in BOUNDS.items() if key in keys)
