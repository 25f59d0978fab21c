"""Where to spend an energy store on a lap: what may be spent, where a joule saves most time."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..circuit.line import Line
from ..vehicle.car import Car
from ..vehicle.weights import weights
from .orders import Order
from .record import BOOST_W, BRAKE, BRAKE_W, DRAG_W, ENGINE_W, FRONT_UTILISATION, LATERAL, REAR_UTILISATION, SPEED, THROTTLE, TIME

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

#: Throttle from which on more power is of use [-], and stations by which a pause between gears may look longer than an upshift is.
_OPEN, _PAUSE_MORE = 0.98, 2.5
#: Part of the greatest use of the driven tyres under power from which on they, not the engine, decide [-].
_NEAR_LIMIT = 0.97
#: How often a lap is gone round, so that what is spent in one lap reaches the next where it is never braked for.
_ROUNDS = 3


@dataclass(frozen=True)
class Plan:
    """What of the store is spent where.

    :param share: of the store's power at each station [-]
    :param price_s_per_kj: what one more kilojoule would save [s/kJ]
    :param left_s: what the plan would save over the lap that it was made from, were all in proportion: no plan saves more [s]
    """

    share: Floats
    price_s_per_kj: float
    left_s: float


def spends(car: Car) -> bool:
    """Whether a car, as its sheet sets it, has energy to spend on a lap."""
    return car.boost.power_kw > 0.0 and car.boost.lap_kj > 0.0


def spent_kj(data: Floats) -> float:
    """What a lap spends of the store [kJ]."""
    return float(data[:, BOOST_W] @ data[:, TIME]) / 1000.0


def recovered_kj(car: Car, data: Floats) -> float:
    """What braking on a lap puts back so that it can be spent again [kJ].

    Source: energy: braking power at the driven wheels, up to what the store takes up, times what is left of it.
    """
    return float(_recovered_w(car, data) @ data[:, TIME]) / 1000.0


def _recovered_w(car: Car, data: Floats) -> Floats:
    """Power that braking puts back at each station [W]."""
    front = car.powertrain.front_drive_share
    driven = (car.brakes.front_share if front > 0.0 else 0.0) + (1.0 - car.brakes.front_share if front < 1.0 else 0.0)
    return np.asarray(car.boost.recovered * np.minimum(driven * data[:, BRAKE_W], 1000.0 * car.boost.recover_kw))


def allowed_kj(car: Car, data: Floats) -> float:
    """What may be spent on a lap that is driven again and again [kJ]: what the sheet says, and no more than braking puts back, where
    that is what fills the store."""
    return min(car.boost.lap_kj, recovered_kj(car, data)) if car.boost.recover_kw > 0.0 else car.boost.lap_kj


def swing_kj(car: Car, data: Floats) -> float:
    """How far the store's charge moves over a lap, from fullest to emptiest [kJ]."""
    charge = np.concatenate([[0.0], np.cumsum((_recovered_w(car, data) - data[:, BOOST_W]) * data[:, TIME])]) / 1000.0
    return float(charge.max() - charge.min())


def _runs(there: Bools, closed: bool) -> list[NDArray[np.int64]]:
    """Stations of each stretch of a lap, in driving order; one that runs over the start line is one."""
    n = len(there)
    begin = int(np.argmin(there)) if closed else 0  # where it is not, so that no stretch is cut in two
    order = (begin + np.arange(n)) % n
    edges = np.flatnonzero(np.diff(np.concatenate([[False], there[order], [False]]).astype(np.int8)))
    return [order[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _open(data: Floats, shift_s: float, closed: bool) -> Bools:
    """Where the throttle is wide open, upshifts among it."""
    full = data[:, THROTTLE] >= _OPEN
    n, filled = len(full), full.copy()
    for pause in _runs(~full & (data[:, BRAKE] <= 0.0), closed):
        seconds = float(data[pause, TIME].sum())
        before, after = pause[0] - 1, pause[-1] + 1
        between = (closed or (before >= 0 and after < n)) and full[before % n] and full[after % n]
        if between and seconds <= shift_s + _PAUSE_MORE * seconds / len(pause):
            filled[pause] = True
    return np.asarray(filled)


def _uses(car: Car, data: Floats) -> tuple[Floats, Floats, Bools]:
    """Uses of the driven tyres across and along [-], and where they are at their limit.

    What they use across is read from the axle that is not driven; where both are, from the lateral acceleration.
    """
    front = car.powertrain.front_drive_share
    driven = np.maximum(data[:, FRONT_UTILISATION] * (front > 0.0), data[:, REAR_UTILISATION] * (front < 1.0))
    lateral = np.abs(data[:, LATERAL])
    both = lateral / max(float(lateral.max()), 1e-9)
    across = data[:, FRONT_UTILISATION] if front <= 0.0 else data[:, REAR_UTILISATION] if front >= 1.0 else both
    across = np.minimum(across, driven)
    opened = data[:, THROTTLE] > 0.1
    limit = float(driven[opened].max()) if opened.any() else 1.0
    return across, np.sqrt(np.maximum(driven**2 - across**2, 0.02)), np.asarray(driven > _NEAR_LIMIT * limit)


def worth(car: Car, line: Line, data: Floats) -> tuple[Floats, Bools]:
    """What a joule at the wheels saves from each station on [s/J], and where it can be spent.

    With q = v2 and T the time to go, dT/dq = -q^(-3/2)/2 ds + (1 + ds d(2a)/dq) dT/dq of the next station: what is gained lasts until
    the car is held by a corner or braked for one, where it ends. At a power P, d(2a)/dq = -P/(m q^(3/2)) - 2 D/(m v3), D the drag's.
    Where the driven tyres are at their limit, a little more speed asks for more across and leaves less along: 2 a_x a2/(b2 q) more, a and
    b the uses across and along.

    Source: adjoint of the quasi-steady-state lap (calculus of variations; the optimum is bang-bang, its switch a common price).
    """
    open_, mass = _open(data, car.powertrain.shift_s, line.closed), weights(car).mass_kg
    v = np.maximum(data[:, SPEED], 1.0)
    cubed = v**3
    driving = data[:, ENGINE_W] + data[:, BOOST_W]
    fade = (driving + 2.0 * data[:, DRAG_W]) / (mass * cubed)
    across, along, at_limit = _uses(car, data)
    fade += np.where(at_limit, 2.0 * driving / (mass * cubed) * across**2 / along**2, 0.0)
    fades, gain = fade * line.ds, 0.5 * line.ds / cubed
    found = np.zeros(len(v))
    runs = [np.tile(np.arange(len(v)), _ROUNDS)] if line.closed and open_.all() else _runs(open_, line.closed)
    for run in reversed(runs):
        # what a station adds is there from the next one on, as long as the throttle is open: a sum of what is gained, less what fades
        faded = np.concatenate([[0.0], np.cumsum(fades[run])])[:-1]
        left = np.cumsum((gain[run] * np.exp(-faded))[::-1])[::-1]
        found[run[:-1]] = (left * np.exp(faded))[1:]
        before = (run[0] - 1) % len(v)
        if not open_[before] and (line.closed or run[0] > 0):
            found[before] = left[0]
    return 2.0 / mass * found, np.asarray(open_ & (data[:, THROTTLE] >= _OPEN) & (found > 0.0))


def planned(car: Car, line: Line, data: Floats, used: Floats, budget_kj: float) -> Plan:
    """The store's use on a lap: wholly where a joule is worth more than a price, the same everywhere, at which the budget is spent.

    :param data: of a lap near it
    :param used: share of the store's power on that lap at each station, more than the tyres took there or not [-]
    """
    saves, there = worth(car, line, data)
    each = _each_j(car, data, used)
    order = np.argsort(-saves, kind="stable")
    order = order[there[order]]
    before = np.concatenate([[0.0], np.cumsum(each[order])])
    budget = 1000.0 * budget_kj
    share = np.zeros(len(saves))
    share[order] = np.clip((budget - before[:-1]) / each[order], 0.0, 1.0)
    last = int(np.searchsorted(before, budget * (1.0 - 1e-6)))  # how many are needed; more than there are: there is a place for all
    price = float(saves[order[last - 1]]) if 0 < last <= len(order) else 0.0
    left_s = float(((saves * there - price) * each) @ (share - used))
    return Plan(share, 1000.0 * price, left_s)


def _each_j(car: Car, data: Floats, used: Floats) -> Floats:
    """What each station would take at the store's whole power, as far as a lap tells [J]: at the limit of the tyres it is less."""
    power = np.full(len(used), 1000.0 * car.boost.power_kw)
    tried = used > 0.01
    power[tried] = np.clip(data[tried, BOOST_W] / used[tried], 0.02 * power[tried], power[tried])
    return np.asarray(power * data[:, TIME])


def stretches(share: Floats) -> list[Bools]:
    """Stations of each stretch on which the store is used, the one of least use first."""
    used = share > 0.0
    runs = _runs(used, True) if not used.all() else []  # used everywhere: none to leave out
    runs.sort(key=lambda run: (float(share[np.sort(run)].sum()), run[0]))
    return [np.isin(np.arange(len(share)), run) for run in runs]


def evened(car: Car, line: Line, data: Floats, used: Floats, more_kj: float, barred: Bools) -> Floats:
    """The same use of the store with so much more or less spent, where a joule is worth most of what is left or least of what is used.

    :param barred: where none is added
    """
    saves, there = worth(car, line, data)
    each, share = _each_j(car, data, used), used.copy()
    order = np.argsort(-saves if more_kj > 0.0 else saves, kind="stable")
    room = ((1.0 - share) * (there & ~barred) if more_kj > 0.0 else share)[order]
    before = np.concatenate([[0.0], np.cumsum(room * each[order])])[:-1]
    moved = np.clip((1000.0 * abs(more_kj) - before) / each[order], 0.0, room)
    share[order] += moved if more_kj > 0.0 else -moved
    return share


def orders_for(line: Line, share: Floats) -> tuple[Order, ...]:
    """What a driver is told so that the store is used so."""
    ends = np.append(line.s[1:], line.s[-1] + line.ds[-1])
    found: list[Order] = []
    for i in np.flatnonzero(share > 0.0):
        before = found[-1] if found else None
        if before is not None and before.spending == share[i] and abs(before.to_m - line.s[i]) < 1e-9:
            found[-1] = Order(before.from_m, float(ends[i]), spending=before.spending)
        else:
            found.append(Order(float(line.s[i]), float(ends[i]), spending=float(share[i])))
    return tuple(found)
