"""Flat, lift or brake in a corner: what scrub takes there, what flat would need, and the quickest part throttle through it."""

import math
from dataclasses import dataclass, replace

import numpy as np

from ..errors import SolverError
from ..lap.record import BRAKE, SLIDE_FL, SPEED, TIME
from ..lap.solver import Lap
from .corner import BRAKED, Choice, CornerDesk, Told

#: Throttles that are tried all the way through a corner, and how near the best of them it is looked at once more [-].
_SHARES, _NEAR = (0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3), (-0.05, 0.05)
#: Metres before the wheel is turned over which a flat corner may be lifted for [m].
_LIFT_M = 20.0
#: Most grip that is asked for, over what the driver uses [-], and how closely the least for a flat corner is found [-].
_MOST_GRIP, _GRIP_STEP = 2.0, 0.002


@dataclass(frozen=True)
class Scrub:
    """What the tyres' sliding takes in a corner, off the brakes.

    :param work_j: of all four tyres [J]
    :param lost_ms: how much faster the car would leave the corner without it [m/s]
    """

    work_j: float
    lost_ms: float


@dataclass(frozen=True)
class Driven:
    """How a lap drives a corner on its line.

    :param way: `brake`, `lift` or `flat`
    :param least_ms: its least speed there [m/s]
    :param scrub: what sliding takes of it
    :param flat_grip: share of the tyres' whole grip that flat would need; None where twice what the driver uses is too little [-]
    :param used_grip: share of it that this driver uses [-]
    """

    way: str
    least_ms: float
    scrub: Scrub
    flat_grip: float | None
    used_grip: float


@dataclass(frozen=True)
class Ways:
    """A corner as it is driven, and as it might be on the same line.

    :param lift: lifting instead of braking, or before a corner that is flat; None where the lap lifts already
    :param part: the quickest throttle that is never opened further all the way through
    """

    driven: Driven
    lift: Choice | None
    part: Choice


def driven(desk: CornerDesk) -> Driven:
    """How the lap drives a corner."""
    technique = desk.technique()
    return Driven(technique.way, technique.read.apex_ms, scrub(desk, desk.lap), flat_grip(desk), desk.lap_case.driver.ability)


def ways(desk: CornerDesk) -> Ways:
    """The ways to drive a corner."""
    here = driven(desk)
    lift = {"brake": Told(braking=0.0), "flat": Told(lift_m=_LIFT_M)}.get(here.way)
    return Ways(here, None if lift is None else desk.choice(lift), part_throttle(desk))


def scrub(desk: CornerDesk, lap: Lap) -> Scrub:
    """What sliding takes between where the corner begins and where it ends, wherever the car is not braked.

    Source: sliding work of the tyres as the lap has it (Pacejka, ch. 3: force times slip speed); the speed by the work's own share of
    the kinetic energy, ½ m v².
    """
    rows = lap.data[desk.inside]
    free = rows[:, BRAKE] <= BRAKED
    work = float((rows[:, SLIDE_FL : SLIDE_FL + 4].sum(axis=1) * rows[:, TIME])[free].sum())
    end = float(rows[-1, SPEED])
    return Scrub(work, math.sqrt(end * end + 2.0 * work / desk.mass_kg) - end)


def _is_flat(desk: CornerDesk, lap: Lap) -> bool:
    """Whether a lap drives the corner without brakes and with the throttle wide open."""
    since = desk.stations(desk.begin, int(desk.inside[-1]))
    return float(lap.data[since, BRAKE].max()) <= BRAKED and not len(desk.lifted(lap, desk.inside))


def flat_grip(desk: CornerDesk) -> float | None:
    """The least share of the tyres' whole grip at which the corner is flat on this line [-]; None beyond twice what is used."""
    line, there = desk.lap_case.line, desk.stations(desk.begin, desk.until)
    usual = np.ones(desk.n) if line.grip is None else line.grip

    def flat(factor: float) -> bool:
        grip = usual.copy()
        grip[there] *= factor
        try:
            return _is_flat(desk, desk.lap_on(replace(line, grip=grip)))
        except SolverError:
            return False

    used = desk.lap_case.driver.ability
    low, high = (0.5, 1.0) if _is_flat(desk, desk.lap) else (1.0, _MOST_GRIP)
    if not flat(high):
        return None
    while high - low > _GRIP_STEP:
        middle = 0.5 * (low + high)
        low, high = (low, middle) if flat(middle) else (middle, high)
    return high * used


def part_throttle(desk: CornerDesk) -> Choice:
    """The quickest throttle that is kept to all the way through, of those that are tried, by the time to the next corner."""
    tried = [desk.choice(Told(through=share)) for share in _SHARES]
    best = min(tried, key=_cost_s)
    assert best.told.through is not None
    nearer = [desk.choice(Told(through=round(best.told.through + step, 2))) for step in _NEAR]
    return min([best, *nearer], key=_cost_s)


def _cost_s(choice: Choice) -> float:
    return math.inf if choice.problem else choice.here_s
