"""Four scales under the wheels: shares, and turns of which perch for a wanted cross weight."""

from dataclasses import dataclass

from ...circuit.conditions import GRAVITY
from ...errors import InputError
from ...vehicle.car import WHEEL_WORDS, WHEELS, Axle, Car
from ...vehicle.tyres import Four

#: Whether a spring wound up at this wheel raises the cross weight (front right and rear left).
_RAISES = (-1.0, 1.0, 1.0, -1.0)


@dataclass(frozen=True)
class Scales:
    """What four readings say.

    :param total_kg: their sum [kg]
    :param front: share on the front axle [-]
    :param left: share on the left wheels [-]
    :param cross: share on front right and rear left [-]
    """

    total_kg: float
    front: float
    left: float
    cross: float


@dataclass(frozen=True)
class Perch:
    """One perch turned alone.

    :param wheel: in words
    :param turns: up positive, the spring wound up [-]
    :param after_kg: the four readings to expect [kg]
    """

    wheel: str
    turns: float
    after_kg: Four


def read_scales(loads_kg: Four) -> Scales:
    """Shares of four readings, wheels in the car's order.

    Source: moments of the four loads.

    :raises InputError: if a reading is not above zero
    """
    for wheel, load in zip(WHEELS, loads_kg, strict=True):
        if load <= 0.0:
            raise InputError(f"scale {WHEEL_WORDS[wheel]}", f"{load:g} kg", "more than 0 kg")
    total = sum(loads_kg)
    fl, fr, rl, _ = loads_kg
    return Scales(total, (fl + fr) / total, (fl + rl) / total, (fr + rl) / total)


def perches(car: Car, loads_kg: Four, target: float, pitch_mm: float) -> list[Perch]:
    """Turns of each perch alone that bring the cross weight to its target; empty for a car without springs.

    A spring wound up by h at its wheel twists the four springs against each other: forces F, -F, -rF, rF (r the ratio of
    the tracks) leave weight, pitch and roll as they are, and the work done gives F = h c/sum(c2/k) with c = 1, 1, r, r and
    k the rates of springs and tyres in series (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 18). The chassis is
    taken as stiff and the bars as disconnected.

    :param target: wanted share on front right and rear left [-]
    :param pitch_mm: perch travel of one turn [mm]
    """
    if car.front.rigid or car.rear.rigid:
        return []
    now = read_scales(loads_kg)
    ratio = car.front.track_m / car.rear.track_m
    lever = (1.0, 1.0, ratio, ratio)
    rates = [_rate(car.front, 0), _rate(car.front, 1), _rate(car.rear, 0), _rate(car.rear, 1)]
    give = sum(c * c / k for c, k in zip(lever, rates, strict=True))
    # force of the pattern that the wanted change of cross weight needs [N]
    force = (target - now.cross) * now.total_kg * GRAVITY / (1.0 + ratio)
    found = []
    for wheel in range(4):
        axle = car.front if wheel < 2 else car.rear
        height = _RAISES[wheel] * force * give / lever[wheel]
        shift = [sign * c * force / GRAVITY for sign, c in zip(_RAISES, lever, strict=True)]
        a, b, c, d = (load + change for load, change in zip(loads_kg, shift, strict=True))
        found.append(Perch(WHEEL_WORDS[WHEELS[wheel]], height * axle.motion_ratio / pitch_mm, (a, b, c, d)))
    return found


def _rate(axle: Axle, side: int) -> float:
    """Rate of one wheel on its spring and tyre [N/mm]."""
    wheel = axle.spring_n_per_mm[side] * axle.motion_ratio**2
    return wheel * axle.tyre_n_per_mm / (wheel + axle.tyre_n_per_mm)
