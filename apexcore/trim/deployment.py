"""An energy store on a lap, straight by straight: where it is spent, what that saves, and what more or less of it would."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..lap.energy import allowed_kj, recovered_kj, spent_kj, swing_kj
from ..lap.orders import Order, inside, orders_of
from ..lap.record import BOOST_W, SPENDING
from ..lap.solver import Lap, LapCase, also_told, ready, run_at, solve_lap
from ..vehicle.car import Car
from ..vehicle.sheet import Sheet, adjusted

#: Way by which two stretches may be apart and still be one to a driver [m], and energy that is worth a line [kJ].
_ONE_M, _LEAST_KJ = 60.0, 0.5


@dataclass(frozen=True)
class Spent:
    """A stretch on which the store drives.

    :param from_m: where it is pressed, along the lap [m]
    :param to_m: where it is let go [m]
    :param from_ms: speed there [m/s]
    :param to_ms: speed there [m/s]
    :param kj: what is spent [kJ]
    :param saves_s: what that saves on the lap, all else as it is [s]
    """

    from_m: float
    to_m: float
    from_ms: float
    to_ms: float
    kj: float
    saves_s: float


@dataclass(frozen=True)
class Deployment:
    """The store on a lap that is driven again and again.

    :param stretches: where it is spent, in driving order
    :param spent_kj: in all [kJ]
    :param allowed_kj: what may be spent [kJ]
    :param recovered_kj: what braking puts back [kJ]; 0 where nothing fills it
    :param swing_kj: from its fullest to its emptiest [kJ]
    :param holds: whether the store holds as much as that
    :param price_s_per_kj: what one more kilojoule would save [s/kJ]
    """

    lap: Lap
    stretches: tuple[Spent, ...]
    spent_kj: float
    allowed_kj: float
    recovered_kj: float
    swing_kj: float
    holds: bool
    price_s_per_kj: float


def deployment(lap_case: LapCase, sheet: Sheet, lap: Lap) -> Deployment:
    """Reads a lap of `solve_lap` of a car with a store.

    :param lap: of the sheet in this case
    """
    car = adjusted(lap_case.car, sheet)
    swing = swing_kj(car, lap.data)
    return Deployment(
        lap, _stretches(lap_case, car, lap), spent_kj(lap.data), allowed_kj(car, lap.data),
        recovered_kj(car, lap.data) if car.boost.recover_kw else 0.0, swing, not car.boost.store_kj or swing <= car.boost.store_kj,
        lap.price_s_per_kj,
    )  # fmt: skip


def _stretches(lap_case: LapCase, car: Car, lap: Lap) -> tuple[Spent, ...]:
    line, prepared, speed = lap_case.line, ready(lap_case, car), lap.column("speed")
    energy = lap.data[:, BOOST_W] * lap.column("time") / 1000.0
    found = []
    for first, last in _runs(lap.spending, line.length_m if line.closed else None):
        kj = float(energy[inside(line, first, last)].sum())
        if kj < _LEAST_KJ:
            continue
        kept = [order for order in lap.spending if not _within(order, first, last)] or [Order(0.0, 0.0, spending=0.0)]
        without = run_at(also_told(lap_case, kept), prepared, lap.tyres, line, lap.ripple)
        at = [int(np.searchsorted(line.s, place)) % len(line.s) for place in (first, last)]
        found.append(Spent(first, last, float(speed[at[0]]), float(speed[at[1]]), kj, without.time_s - lap.time_s))
    return tuple(found)


def _within(order: Order, first: float, last: float) -> bool:
    middle = 0.5 * (order.from_m + order.to_m)
    return first <= middle < last if first <= last else middle >= first or middle < last


def _runs(orders: Sequence[Order], lap_m: float | None) -> list[tuple[float, float]]:
    """Orders that follow one another, as one stretch; one that runs over the start line ends before it begins.

    :param lap_m: length of a lap; None for an open course [m]
    """
    found: list[tuple[float, float]] = []
    for order in orders:
        if found and order.from_m - found[-1][1] < _ONE_M:
            found[-1] = (found[-1][0], order.to_m)
        else:
            found.append((order.from_m, order.to_m))
    if len(found) > 1 and lap_m is not None and found[0][0] + lap_m - found[-1][1] < _ONE_M:
        found[0] = (found[-1][0], found[0][1])
        found.pop()
    return found


#: Parts of what may be spent that a lap is told for.
PARTS = (0.0, 0.25, 0.5, 0.75, 1.0, 1.25)


def by_energy(lap_case: LapCase, sheet: Sheet, lap: Lap) -> tuple[tuple[float, float], ...]:
    """What is spent [kJ] and the lap time [s] with parts of what the sheet lets a lap spend, more than it among them.

    Less is taken from the store's allowance; what braking puts back still bounds it.

    :param lap: of the sheet in this case
    """
    found: list[tuple[float, float]] = []
    store = adjusted(lap_case.car, sheet).boost
    spent = min(store.lap_kj, allowed_kj(adjusted(lap_case.car, sheet), lap.data))
    for part in PARTS:
        boost = store.model_copy(update={"lap_kj": part * spent})
        car = lap_case.car.model_copy(update={"boost": boost, "items": tuple(i for i in lap_case.car.items if i.sets != "boost.lap_kj")})
        less = Sheet(sheet.car_key, {item.key: sheet.values[item.key] for item in car.items})
        other = lap if part == 1.0 else solve_lap(replace(lap_case, car=car), less, initial_guess=lap)
        if not found or spent_kj(other.data) > found[-1][0] + _LEAST_KJ:
            found.append((spent_kj(other.data), other.time_s))
    return tuple(found)


def used_along(lap_case: LapCase, lap: Lap) -> np.ndarray:
    """Share of the store's power that is used at each station of a lap [-]."""
    return np.asarray(orders_of(lap_case.driver, lap_case.line, lap.spending)[:, SPENDING])
