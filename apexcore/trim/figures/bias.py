"""Brake balance: the front share at which both axles lock together."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...circuit.conditions import GRAVITY
from ...circuit.line import CornerSpan
from ...lap.assembly import engine_drag_n
from ...lap.solver import Lap, LapCase, solve_lap
from ...quantities.text import format_number
from ...vehicle.car import WHEEL_WORDS, WHEELS, Car
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, adjusted
from ...vehicle.weights import weights
from ..reading.balance import hard_braking, slowest_station


def ideal_front_share(car: Car, deceleration_ms2: float, front_over_rear: float = 1.0) -> float:
    """Front share of the braking force at which neither axle locks first, on a level road without air forces [-].

    share = mu_f F_f/(mu_f F_f + mu_r F_r) with F_f = m(g b + a h)/l, F_r = m(g a_f - a h)/l
    (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 21).

    :param deceleration_ms2: deceleration held [m/s2]
    :param front_over_rear: friction of the front tyres over that of the rear [-]
    """
    weight = weights(car)
    length = car.wheelbase_m
    load_shift_m = deceleration_ms2 * weight.cg_height_m / GRAVITY
    front = (length - weight.cg_from_front_m + load_shift_m) * front_over_rear
    rear = weight.cg_from_front_m - load_shift_m
    return front / (front + max(rear, 0.0))


@dataclass(frozen=True)
class BiasCase:
    """Where the brakes should stand in one state of the car.

    :param words: the state
    :param fuel_l: fuel on board in it [l]
    :param ideal: front share at which neither axle locks first in the hardest stop of the lap [-]
    :param deceleration_ms2: that stop's deceleration [m/s2]
    """

    words: str
    fuel_l: float
    ideal: float
    deceleration_ms2: float


@dataclass(frozen=True)
class Locking:
    """What locks first on the way into a corner.

    :param number: of the corner
    :param name: of the corner
    :param front: whether the front does
    :param wheel: the wheel of that axle with the least load
    :param margin: by how much that axle's use is ahead of the other's, hardest part of the braking; never below 0 [%]
    """

    number: int
    name: str
    front: bool
    wheel: str
    margin: float


#: Deceleration over the hardest from which on a place counts for the ideal share [-], and how long on a lap the hardest is held at least,
#: so that no single place decides [s].
_HARDEST, _HELD_S = 0.9, 0.1


def ideal_on_lap(lap: Lap, car: Car) -> tuple[float, float]:
    """Ideal front share of the brakes in the hardest stop of a lap [-], and its deceleration [m/s2].

    Both axles lock together where braking is shared like their longitudinal capacity; the loads of that moment, air and
    slope included, stand for it (Milliken & Milliken, ch. 21). The closed engine brakes the driven wheels already: the brakes'
    own share is the further forward for a car driven at the rear.

    :param car: as the sheet sets it
    """
    slowing = -lap.column("accel")
    order = np.argsort(-slowing)
    held = int(np.searchsorted(np.cumsum(lap.column("time")[order]), _HELD_S))
    hardest = float(slowing[order[min(held, len(order) - 1)]])
    ideals = []
    for place in np.flatnonzero(slowing >= _HARDEST * hardest):  # a gear changes the engine's part: not one place decides
        loads = [float(lap.column(f"load_{wheel}")[place]) for wheel in WHEELS]
        share = (loads[0] + loads[1]) / sum(loads)
        brakes = float(lap.column("brake")[place]) * car.brakes.max_force_n
        engine = engine_drag_n(car, float(lap.column("speed")[place]), int(lap.column("gear")[place]))
        ideals.append(share + (share - car.powertrain.front_drive_share) * engine / max(brakes, engine, 1.0))
    return min(max(float(np.mean(ideals)), 0.0), 1.0), hardest


#: Fuel on board of a car that is almost empty, as a share of its tank [-].
_ALMOST_EMPTY = 0.05

#: Laps that a tank for qualifying holds: out, three timed, in.
QUALIFYING_LAPS = 5.0


def bias_cases(lap_case: LapCase, sheet: Sheet, initial_guess: Lap, fuels: Sequence[tuple[str, float]] = ()) -> list[BiasCase]:
    """The ideal share with the fuel on the sheet, an almost empty and a full tank, on a soaked track, and with further fuels.

    :param initial_guess: a lap of the sheet in this case, to start from
    :param fuels: a state in words and its fuel [l], each
    :raises SolverError: if the car cannot take the circuit
    """
    car = adjusted(lap_case.car, sheet)
    wet = replace(lap_case, conditions=lap_case.conditions.model_copy(update={"wet_pct": 100.0}))
    states = [
        (f"sheet fuel load, {format_number(car.fuel_l, 0)} l", lap_case, car.fuel_l),
        ("almost empty", lap_case, _ALMOST_EMPTY * car.tank_l),
        ("full tank", lap_case, car.tank_l),
        ("soaked track, sheet fuel load", wet, car.fuel_l),
        *[(words, lap_case, fuel) for words, fuel in fuels],
    ]
    cases = []
    for words, here, fuel in states:
        lap = (
            initial_guess
            if here is lap_case and fuel == car.fuel_l
            else solve_lap(here, sheet, fuel_l=fuel, initial_guess=initial_guess if here is lap_case else None)
        )
        cases.append(BiasCase(words, fuel, *ideal_on_lap(lap, car)))
    return cases


@dataclass(frozen=True)
class BiasMove:
    """How the bias goes with the fuel over a race.

    :param start: ideal front share on the grid [-]
    :param end: at the flag [-]
    :param laps_per_step: laps after which one step of the item is due; None where it never is
    :param steps: signed steps over the race
    """

    start: float
    end: float
    laps_per_step: float | None
    steps: int


def bias_over_race(item: Item, start: float, end: float, laps: float) -> BiasMove:
    """Steps of the brake bias over a race, in which the ideal share moves evenly with the fuel burnt.

    Source: M ch. 21.

    :param item: the item that sets the front share
    """
    steps = (end - start) / (item.scale * item.step)
    return BiasMove(start, end, laps / abs(steps) if abs(steps) >= 0.5 else None, round(steps))


@dataclass(frozen=True)
class BiasPlan:
    """Brake bias through a weekend.

    :param cases: the states of `bias_cases`, then qualifying, the grid and the flag
    :param per_litre: change of the ideal front share with one litre more on board [1/l]
    :param move: how it goes over the race; None where the bias cannot be moved
    :param curves: deceleration [m/s2] and ideal share [-], without fuel and with a full tank
    """

    cases: tuple[BiasCase, ...]
    per_litre: float
    move: BiasMove | None
    curves: tuple[list[tuple[float, float]], list[tuple[float, float]]]


def bias_item(car: Car) -> Item | None:
    """The item that sets the front share; None where none may be moved."""
    return car.free_item("brakes.front_share")


def bias_plan(lap_case: LapCase, sheet: Sheet, lap: Lap, race_laps: float, formation_laps: float) -> BiasPlan:
    """Where the bias should stand in every state of a weekend, and when to move it in the race.

    :param lap: a lap of the sheet in this case
    :raises SolverError: if the car cannot take the circuit
    """
    car, use = adjusted(lap_case.car, sheet), lap.fuel_l
    race_l = (race_laps + formation_laps) * use
    start_l = min(race_l, car.tank_l)
    qualifying_l = QUALIFYING_LAPS * use
    *states, qualifying, grid, flag = bias_cases(
        lap_case,
        sheet,
        lap,
        [
            (f"qualifying, {_litres(qualifying_l)}", qualifying_l),
            (f"race, {_litres(start_l)} on the grid", start_l),
            ("race, last lap", use),
        ],
    )
    _, empty, full, _ = states
    cases = (*states, qualifying, grid, flag)
    item = bias_item(lap_case.car)
    move = None if item is None else bias_over_race(item, grid.ideal, flag.ideal, race_laps * start_l / race_l)
    hardest = 1.15 * max(case.deceleration_ms2 for case in cases)
    curves = share_curve(car, 0.0, hardest), share_curve(car, car.tank_l, hardest)
    return BiasPlan(cases, (full.ideal - empty.ideal) / (full.fuel_l - empty.fuel_l), move, curves)


def _litres(litres: float) -> str:
    """Fuel with the decimals that it needs."""
    return f"{format_number(litres, 0 if litres >= 10.0 else 1)} l"


def share_curve(car: Car, fuel_l: float, most_ms2: float, points: int = 25) -> list[tuple[float, float]]:
    """Deceleration [m/s2] and ideal front share [-] at it, on a level road without air forces."""
    filled = car.model_copy(update={"fuel_l": fuel_l})
    return [(float(a), ideal_front_share(filled, float(a))) for a in np.linspace(0.0, most_ms2, points)]


def locking(lap: Lap, spans: Sequence[CornerSpan]) -> list[Locking]:
    """What locks first into each corner that is braked for."""
    found = []
    for span in spans:
        hard = hard_braking(lap, slowest_station(lap, span))
        if not len(hard):
            continue
        margin = float(lap.column("balance")[hard].mean())
        front = margin > 0
        pair = ("fl", "fr") if front else ("rl", "rr")
        wheel = min(pair, key=lambda name: float(lap.column(f"load_{name}")[hard].mean()))
        found.append(Locking(span.number, span.name, front, WHEEL_WORDS[wheel], abs(margin)))
    return found
