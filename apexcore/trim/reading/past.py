"""Which limits a lap stands past: an end that locks first, a floor that touches, a tread that is too hot, a wheel in the air."""

from collections.abc import Sequence

from ...lap.solver import Lap, LapCase
from ...vehicle.car import WHEEL_WORDS, WHEELS, Car
from ..figures.bias import ideal_on_lap
from .ride import clearances

#: How far the share of braking may be from the ideal before one end clearly locks first [-]; how far past its best a tread may be
#: before it overheats, in widths of its grip; and the load below which a wheel counts as lifted [N].
BIAS_OFF, _TOO_HOT, LIFTED_N = 0.03, 1.0, 50.0
#: Least deceleration that is braking at all [m/s2], and least share of braking at either end for one to lock before the other [-].
HARD_STOP_MS2, _BOTH_ENDS, _BRAKED = 2.0, 0.02, 0.02


def brakes_both_ends(car: Car) -> bool:
    """Whether front and rear are braked, and no system holds them, so that one may lock before the other."""
    return car.controls.antilock_share is None and _BOTH_ENDS < car.brakes.front_share < 1.0 - _BOTH_ENDS


def has_hard_stop(lap: Lap) -> bool:
    """Whether anything on the lap is braked for."""
    braked = lap.column("brake") > _BRAKED
    return bool(braked.any()) and -float(lap.column("accel")[braked].min()) > HARD_STOP_MS2


def locks_first(car: Car, lap: Lap) -> str:
    """The end that clearly locks first under the hardest braking; empty where neither does, or nothing is braked for."""
    if not brakes_both_ends(car) or not has_hard_stop(lap):
        return ""
    off = car.brakes.front_share - ideal_on_lap(lap, car)[0]
    return "" if abs(off) <= BIAS_OFF else "front" if off > 0 else "rear"


def past_limits(lap_case: LapCase, car: Car, lap: Lap, bumps: Sequence[tuple[float, float]] = ()) -> dict[str, str]:
    """The limits that a lap stands past, by name, each in words.

    :param car: as the sheet sets it
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    """
    found: dict[str, str] = {}
    if end := locks_first(car, lap):
        found[f"lock {end}"] = f"the {end} locks first under the hardest braking"
    for low in clearances(car, lap, lap_case.line, bumps):
        if low.least_mm <= 0.0 or low.touches:
            found[f"floor {low.axle}"] = f"the floor touches at the {low.axle}"
    for wheel, name in enumerate(WHEELS):
        compound = lap.tyres.compound(wheel)
        if lap.tyres.temperature_c[wheel] > compound.temperature_opt_c + _TOO_HOT * compound.temperature_width_c:
            found[f"hot {name}"] = f"the {WHEEL_WORDS[name]} tread overheats"
        if float(lap.column(f"load_{name}").min()) < LIFTED_N:
            found[f"lift {name}"] = f"the {WHEEL_WORDS[name]} wheel lifts"
    return found
