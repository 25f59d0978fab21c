"""A car pulled into place by what its driver knows of it: a lap time, a top speed, a time to 100 km/h."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ...circuit.conditions import Conditions
from ...circuit.line import Line, offset_line
from ...circuit.track import Circuit, Straight, centre_line
from ...errors import InputError, SolverError
from ...lap.driver import Driver
from ...lap.solver import LapCase, solve_lap, top_speed_ms
from ...quantities.text import format_lap, format_number
from ...vehicle.car import Car
from ...vehicle.sheet import adjusted, base_sheet
from .gearing import limit_speed_ms

#: How far each value is pulled at most, over what was assumed [-].
_DRAG, _REACHES, _GRIP = (0.6, 1.6), (0.72, 0.98), (0.72, 1.4)
#: Length of the straight on which a car starts [m], and what is near enough: of speed [m/s], of time to speed and of a lap [s].
_STRAIGHT_M, _NEAR_MS, _NEAR_S, _NEAR_LAP_S = 1500.0, 0.05, 0.02, 0.01
#: Share of the limiter's speed from which on a top speed tells the gearing, not the drag [-].
_LIMITER = 0.985
_HALVINGS = 40


@dataclass(frozen=True)
class Known:
    """What the driver knows; None where it is not known.

    :param top_ms: highest speed on a level road [m/s]
    :param to_100_s: from rest to 100 km/h [s]
    :param lap_s: a usual good lap [s]
    """

    top_ms: float | None = None
    to_100_s: float | None = None
    lap_s: float | None = None


@dataclass(frozen=True)
class Pull:
    """What a known value did to the car.

    :param words: what was known
    :param path: value of the car that gave way
    :param before: of it
    :param after: of it
    :param told: as a sentence
    """

    words: str
    path: str
    before: float
    after: float
    told: str


@dataclass(frozen=True)
class Course:
    """Where the known lap was driven.

    :param line: of the circuit
    :param driver: as good as the racer is
    """

    line: Line
    conditions: Conditions
    driver: Driver


def pulled(car: Car, known: Known, course: Course | None = None) -> tuple[Car, tuple[Pull, ...]]:
    """The car after what is known of it: drag gives way to the top speed, the power that reaches the wheels to the start, grip to the lap.

    :param course: where the lap was driven; needed for one
    :raises InputError: if a value cannot be reached, with the nearest that can
    :raises SolverError: if the car cannot take the circuit
    """
    pulls: list[Pull] = []
    if known.top_ms is not None:
        car = _by_top(car, known.top_ms, pulls)
    if known.to_100_s is not None:
        car = _by_start(car, known.to_100_s, pulls)
    if known.lap_s is not None and course is not None:
        car = _by_lap(car, known.lap_s, course, pulls)
    return car, tuple(pulls)


def seconds_to(car: Car, speed_ms: float) -> float:
    """From rest to a speed on a level straight with the base sheet [s].

    :raises SolverError: if it is not reached on a long straight
    """
    road = Circuit(
        key="straight", name="straight", layout="straight", width_m=12.0, segments=(Straight(length_m=_STRAIGHT_M),), closed=False
    )
    centre = centre_line(road, 2.0)
    pair = (car.tyres.compounds[0], car.tyres.compounds[0])
    warm = (pair[0].temperature_opt_c,) * 4
    case = LapCase(car, offset_line(centre, np.zeros(len(centre.x))), Conditions(), pair, held_c=warm)
    lap = solve_lap(case, base_sheet(car))
    speed, clock = lap.column("speed"), np.concatenate([[0.0], np.cumsum(lap.column("time"))])[:-1]
    if float(speed.max()) < speed_ms:
        raise SolverError(f"{car.name} does not reach {3.6 * speed_ms:.0f} km/h.")
    return float(np.interp(speed_ms, np.maximum.accumulate(speed), clock))


def _by_top(car: Car, top_ms: float, pulls: list[Pull]) -> Car:
    conditions, moved = Conditions(), adjusted(car, base_sheet(car))
    limiter = limit_speed_ms(moved, len(moved.powertrain.gears))
    if top_ms > 1.02 * limiter:
        raise InputError(
            "Top speed", f"{3.6 * top_ms:.0f} km/h", f"at most {3.6 * limiter:.0f} km/h, which the last gear does at the rev limit"
        )
    before = car.aero.drag_area_m2
    if top_ms >= _LIMITER * limiter:
        told = "The top speed is that of the rev limit in the last gear: it tells the gearing, and nothing of the drag."
        pulls.append(Pull("top speed", "aero.drag_area_m2", before, before, told))
        return car

    def with_share(share: float) -> Car:
        return car.model_copy(update={"aero": car.aero.model_copy(update={"drag_area_m2": round(before * share, 4)})})

    def top(share: float) -> float:
        return top_speed_ms(adjusted(with_share(share), base_sheet(car)), conditions)

    share = _found(lambda share: top(share) - top_ms, _DRAG, _NEAR_MS)
    if share is None:
        low, high = top(_DRAG[1]), min(top(_DRAG[0]), limiter)
        raise InputError(
            "Top speed", f"{3.6 * top_ms:.0f} km/h", f"{3.6 * low:.0f} to {3.6 * high:.0f} km/h with this power and these gears"
        )
    after = with_share(share)
    told = f"Drag area {format_number(before, 2)} to {format_number(after.aero.drag_area_m2, 2)} m², by the top speed."
    pulls.append(Pull("top speed", "aero.drag_area_m2", before, after.aero.drag_area_m2, told))
    return after


def _by_start(car: Car, to_100_s: float, pulls: list[Pull]) -> Car:
    before = car.powertrain.efficiency

    def with_value(value: float) -> Car:
        return car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"efficiency": round(value, 4)})})

    def seconds(value: float) -> float:
        return seconds_to(with_value(value), 100.0 / 3.6)

    value = _found(lambda value: to_100_s - seconds(value), _REACHES, _NEAR_S)
    if value is None:
        slow, quick = seconds(_REACHES[0]), seconds(_REACHES[1])
        raise InputError("0 to 100 km/h", f"{to_100_s:g} s", f"{quick:.1f} to {slow:.1f} s with this mass, power and tyres")
    after = with_value(value).powertrain.efficiency
    told = f"{format_number(100 * before, 0)} to {format_number(100 * after, 0)} % of the power reaches the wheels, by 0 to 100 km/h."
    pulls.append(Pull("0 to 100 km/h", "powertrain.efficiency", before, after, told))
    return with_value(value)


def _by_lap(car: Car, lap_s: float, course: Course, pulls: list[Pull]) -> Car:
    before = car.tyres.compounds[0].mu

    def with_share(share: float) -> Car:
        compounds = tuple(one.model_copy(update={"mu": round(one.mu * share, 4)}) for one in car.tyres.compounds)
        return car.model_copy(update={"tyres": car.tyres.model_copy(update={"compounds": compounds})})

    def seconds(share: float) -> float:
        there = with_share(share)
        pair = (there.tyres.compounds[0], there.tyres.compounds[0])
        return solve_lap(LapCase(there, course.line, course.conditions, pair, driver=course.driver), base_sheet(there)).time_s

    share = _found(lambda share: lap_s - seconds(share), _GRIP, _NEAR_LAP_S)
    if share is None:
        quick, slow = seconds(_GRIP[1]), seconds(_GRIP[0])
        wanted = f"{format_lap(quick, 1)} to {format_lap(slow, 1)} with this mass, power and kind of tyres; is it the same layout?"
        raise InputError("Lap time", format_lap(lap_s), wanted)
    after = with_share(share)
    grip = after.tyres.compounds[0].mu
    told = f"Grip of the tyres {format_number(before, 2)} to {format_number(grip, 2)}, by the lap time."
    pulls.append(Pull("lap time", "tyres.compounds.0.mu", before, grip, told))
    return after


def _found(rising_or_falling: Callable[[float], float], bounds: tuple[float, float], near: float) -> float | None:
    """Where a function of one value that goes one way crosses zero, by halving; None where it does not within the bounds."""
    low, high = bounds
    at_low, at_high = rising_or_falling(low), rising_or_falling(high)
    if min(abs(at_low), abs(at_high)) <= near:
        return low if abs(at_low) < abs(at_high) else high
    if at_low * at_high > 0.0:
        return None
    for _ in range(_HALVINGS):
        middle = 0.5 * (low + high)
        there = rising_or_falling(middle)
        if abs(there) <= near:
            return middle
        low, high = (middle, high) if there * at_low > 0.0 else (low, middle)
    return 0.5 * (low + high)
