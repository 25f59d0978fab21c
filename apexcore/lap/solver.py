"""One lap: assembles the car, settles the tyres' heat, solves, and reads the result."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import Conditions
from ..circuit.line import Line
from ..circuit.places import WHEEL
from ..errors import SolverError
from ..vehicle.bumps import BUMP_LASTS_S, BUMP_M, bump_grip
from ..vehicle.car import Car, Compound
from ..vehicle.heat import FLEX, SKIN, Flexed, Flow, Layers, Water, capacities, excess_camber_deg, flexed, flow, grip_c
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, four, hot_pressure_kpa, temperature_grip, temperature_grips
from ..vehicle.weights import weights
from . import kernel
from .assembly import TABLE_SPEEDS, aero_areas, gear_thrust, lateral_transfer, on_tyres, rev_limit_ms, rolling_share, without_tyres
from .driver import Driver
from .energy import allowed_kj, evened, orders_for, planned, spends, spent_kj, stretches
from .orders import Order, orders_of
from .record import COLUMNS, SPENDING

Floats = NDArray[np.float64]

COLUMN = {name: index for index, name in enumerate(COLUMNS)}

Flows = tuple[Flow, Flow, Flow, Flow]

#: Stations skipped while it is found about where the tyres' heat settles, and stations that must be left after that.
_COARSE, _FEW = 5, 280
#: Change of the tyres' grip over a lap, and along it [-], and of their temperatures [K], below which one more step is the last; and
#: below which there need not be one. Most laps to settle in.
_SETTLED_GRIP, _SETTLED_RIPPLE, _SETTLED_K = 1e-3, 1e-3, 1.0
_STILL = 1e-5
_MOST_ROUNDS = 9
#: Coarse laps before it is asked how the tyres answer, and the step of a temperature that tells [K].
_BEGIN_ROUNDS, _TELLS_K = 6, 2.0
#: Share of the way to where a lap leads that those go: a tyre far past its best may have a second heat that it repeats, hotter and
#: slower, into which a whole step from below would throw it.
_BEGIN_SHARE = 0.6


@dataclass(frozen=True)
class LapCase:
    """All that decides a lap besides the sheet.

    :param car: the book car
    :param line: the line driven
    :param conditions: weather and surface
    :param compounds: tyres of the front and rear axle
    :param wear: worn share of each tread [-]
    :param driver: what the driver uses
    :param tow: how close another car runs ahead, 0 alone to 1 right behind it [-]
    :param told: what the driver does otherwise, stretch by stretch
    :param held_c: temperature that each tyre is held at, surface and carcass [degC]; None to let them settle
    """

    car: Car
    line: Line
    conditions: Conditions
    compounds: tuple[Compound, Compound]
    wear: Four = (0.0, 0.0, 0.0, 0.0)
    driver: Driver = Driver()
    tow: float = 0.0
    held_c: Four | None = None
    told: tuple[Order, ...] = ()


def also_told(lap_case: LapCase, orders: Sequence[Order]) -> LapCase:
    """The same case with further orders to its driver."""
    return replace(lap_case, told=(*lap_case.told, *orders))


def spending_as(lap_case: LapCase, lap: "Lap") -> LapCase:
    """The case whose driver spends an energy store as on a lap of it."""
    return also_told(lap_case, lap.spending) if lap.spending else lap_case


@dataclass(frozen=True)
class Lap:
    """A solved lap.

    :param time_s: lap time [s]
    :param data: shape [stations, len(COLUMNS)], SI
    :param tyres: state of the tyres during the lap
    :param hot_kpa: hot pressure of each wheel [kPa]
    :param slip_energy_j: slip energy of each tyre over the lap [J]
    :param fuel_l: fuel burnt [l]
    :param answer: change of every tyre's settled temperature per change of each one's own, shape [4, 4] [-]; None if not asked
    :param ripple: grip of each wheel at each station over its mean that the lap was driven with, shape [stations, 4] [-]
    :param spending: what its driver was told so that the energy store is spent best; empty for a car without one
    :param price_s_per_kj: what one more kilojoule of it would save [s/kJ]
    """

    time_s: float
    data: Floats
    tyres: TyreState
    hot_kpa: Four
    slip_energy_j: Four
    fuel_l: float
    answer: Floats | None = None
    ripple: Floats | None = None
    spending: tuple[Order, ...] = ()
    price_s_per_kj: float = 0.0

    def column(self, name: str) -> Floats:
        """One column of `data` by its name in `record.COLUMNS`."""
        return self.data[:, COLUMN[name]]

    @property
    def top_speed_ms(self) -> float:
        """Highest speed of the lap [m/s]."""
        return float(self.column("speed").max())


def top_speed_ms(car: Car, conditions: Conditions, tow: float = 0.0) -> float:
    """Speed at which full thrust just equals drag and rolling resistance on a level road, or the rev limit [m/s].

    :param tow: how close another car runs ahead, 0 to 1 [-]
    """
    return _top_speed_ms(car, conditions, gear_thrust(car, TABLE_SPEEDS, conditions.power_factor).max(axis=0), tow)


def _top_speed_ms(car: Car, conditions: Conditions, thrust: Floats, tow: float) -> float:
    """Source: M ch. 3: where thrust equals drag and rolling resistance."""
    drag_area, lift_front, lift_rear = aero_areas(car, tow)
    dynamic = 0.5 * conditions.air_density * TABLE_SPEEDS**2
    rolling = car.tyres.compounds[0].rolling
    load = sum(weights(car).static_n) + dynamic * (lift_front + lift_rear)
    spare = thrust - dynamic * drag_area - rolling * load
    above = np.flatnonzero(spare > 0)
    if not len(above):
        raise SolverError(f"{car.name} cannot move: its thrust is below its rolling resistance at every speed.")
    i = int(above[-1])
    if i + 1 >= len(TABLE_SPEEDS) or thrust[i + 1] <= 0:
        return min(rev_limit_ms(car), float(TABLE_SPEEDS[-1]))
    return float(TABLE_SPEEDS[i] + kernel.SPEED_STEP * spare[i] / (spare[i] - spare[i + 1]))


def excess_camber(lap_case: LapCase, car: Car, lap: "Lap", wheel: int) -> float:
    """Mean camber of a wheel over a lap beyond what its tyre wants, weighted by its heat, top inwards positive [deg].

    Source: M ch. 2.

    :param car: the car as the sheet sets it
    """
    left, axle = wheel % 2 == 0, car.front if wheel < 2 else car.rear
    roll = lateral_transfer(car, weights(car))[2] * (1.0 - axle.camber_recovery)
    camber, compound = car.tyres.camber_deg[wheel], lap_case.compounds[wheel // 2]
    rolling = rolling_share(car, compound, wheel) * lap.data[:, COLUMN["load_fl"] + wheel] * lap.column("speed")
    work = (car.tyres.heat_share * lap.data[:, COLUMN["slide_fl"] + wheel] + rolling) * lap.column("time")
    return excess_camber_deg(lap.column("lateral"), work, camber if left else -camber, roll, compound.inclination_opt_deg, left)


def _shape(lap_case: LapCase, car: Car, lap: "Lap", wheel: int) -> Flexed:
    """What pressure and camber make of a tyre over a lap."""
    if car.tyres.pressure_heat <= 0.0:
        return Flexed()
    compound = lap_case.compounds[wheel // 2]
    hot = hot_pressure_kpa(car.tyres.cold_kpa[wheel], car.tyres.cold_at_c, lap.tyres.carcass_c[wheel])
    load = float(lap.data[:, COLUMN["load_fl"] + wheel] @ lap.column("time")) / lap.time_s
    return flexed(car.tyres, compound, hot, load, excess_camber(lap_case, car, lap, wheel))


def tyre_flows(lap_case: LapCase, car: Car, lap: Lap) -> Flows:
    """The heat balance of each tyre over a lap: its share of the sliding work, and its rolling loss."""
    way = lap.column("time") * lap.column("speed")
    speed = float(lap_case.line.length_m / lap.time_s)
    # drag falls with the square of the air's speed
    air = speed * math.sqrt(max(1.0 - lap_case.tow * car.aero.tow_drag, 0.0)) if lap_case.tow else None
    flows = []
    for wheel in range(4):
        load = lap.data[:, COLUMN["load_fl"] + wheel]
        rolling = rolling_share(car, lap_case.compounds[wheel // 2], wheel) * float(load @ way)
        sliding = lap.slip_energy_j[wheel] / lap.time_s
        shape = _shape(lap_case, car, lap, wheel)
        flows.append(flow(car.tyres, lap_case.conditions, wheel, sliding, rolling / lap.time_s, speed, air, shape))
    return flows[0], flows[1], flows[2], flows[3]


@dataclass(frozen=True)
class Ready:
    """An adjusted car with what all its laps share.

    :param record: of `assembly.without_tyres`
    :param top_ms: speed that it cannot exceed [m/s]
    """

    car: Car
    record: Any
    top_ms: float


def ready(lap_case: LapCase, car: Car) -> Ready:
    """What all laps of an adjusted car share.

    :raises SolverError: if the car cannot move
    """
    record = without_tyres(car, lap_case.conditions, lap_case.driver, lap_case.tow)
    top = _top_speed_ms(car, lap_case.conditions, record[0]["thrust"], lap_case.tow)
    return Ready(car, record, min(1.25 * top, float(TABLE_SPEEDS[-1])))


def _on_ripple(rows: Floats, ripple: Floats) -> Floats:
    """Rows of `places` with the grip of each wheel there."""
    moved = rows.copy()
    moved[:, WHEEL : WHEEL + 4] *= ripple
    return moved


def run_at(
    lap_case: LapCase, ready: Ready, tyres: TyreState, line: Line, ripple: Floats | None = None, trimmed: bool = False
) -> Lap:  # fmt: skip
    """One lap on a line with the tyres as they are.

    :param ripple: grip of each wheel at each station over its mean, shape [stations, 4]; 1 if not given [-]
    :param trimmed: whether its balance with neither drive nor brakes will be read as well
    :raises SolverError: if the car cannot take the line
    """
    car = ready.car
    record = on_tyres(ready.record, car, tyres, lap_case.conditions)
    out = np.zeros((len(line.ds), len(COLUMNS)))
    orders = orders_of(lap_case.driver, line, lap_case.told)
    at, between = line.places
    if ripple is not None:
        at, between = _on_ripple(at, ripple), _on_ripple(between, ripple)
    failed = kernel.solve(record, at, between, line.ds, line.closed, line.start_ms, ready.top_ms, orders, out)
    if failed >= 0:
        raise SolverError(
            f"{car.name} cannot get round the corner {line.s[failed]:.0f} m after the start line, radius "
            f"{1.0 / max(abs(float(line.road[failed, 0])), 1e-6):.0f} m. Check the corner's radius and the car's grip."
        )
    if not np.isfinite(out).all():
        where = int(np.flatnonzero(~np.isfinite(out).all(axis=1))[0])
        raise SolverError(f"The lap has no solution {line.s[where]:.0f} m after the start line.")
    if trimmed:
        kernel.trim_along(record, between, line.closed, out)
    dt = out[:, COLUMN["time"]]
    slide = [float(work) for work in dt @ out[:, COLUMN["slide_fl"] : COLUMN["slide_fl"] + 4]]
    hot = [hot_pressure_kpa(car.tyres.cold_kpa[w], car.tyres.cold_at_c, tyres.carcass_c[w]) for w in range(4)]
    return Lap(
        float(dt.sum()), out, tyres, (hot[0], hot[1], hot[2], hot[3]),
        (slide[0], slide[1], slide[2], slide[3]), float(out[:, COLUMN["fuel_l"]].sum()), ripple=ripple,
    )  # fmt: skip


def rippled(lap_case: LapCase, car: Car, lap: Lap) -> Floats | None:
    """Grip of each wheel at each station over its mean, from the heat that the lap puts into the treads place by place.

    A tyre overworked in one corner has less grip in the next. None on an open course, which does not repeat.

    Source: heat balance of skin and tread along the lap (`vehicle.heat`).
    """
    if not lap_case.line.closed:
        return None
    rows, start, water = np.empty((4, 11)), np.empty((4, 3)), Water.of(lap_case.conditions)
    for wheel in range(4):
        compound, heat = lap_case.compounds[wheel // 2], car.tyres.heat_of(wheel)
        skin, tread, _ = capacities(car.tyres, compound, wheel)
        shape = _shape(lap_case, car, lap, wheel)
        rows[wheel] = (
            skin, tread, heat.skin_tread_w_per_k, heat.tread_carcass_w_per_k, water.air * heat.air, water.road * heat.road * shape.patch,
            heat.slide_share * shape.leant,
            rolling_share(car, compound, wheel) * shape.heat * shape.leant, FLEX[0], FLEX[1], SKIN,
        )  # fmt: skip
        start[wheel] = lap.tyres.layers_c(wheel)
    warmer = np.empty((len(lap.data), 4))
    kernel.heat_along(lap.data, rows, start, lap_case.conditions.air_c, lap_case.conditions.track_c, warmer)
    grip = np.empty_like(warmer)
    for wheel in range(4):
        compound, mean = lap_case.compounds[wheel // 2], lap.tyres.temperature_c[wheel]
        grip[:, wheel] = temperature_grips(compound, mean + warmer[:, wheel]) / temperature_grip(compound, mean)
    return _over_bumps(grip, lap_case.line, car, lap)


def _over_bumps(grip: Floats, line: Line, car: Car, lap: Lap) -> Floats:
    """The grip of each wheel with what bumps take of it, for their length and a tenth of a second beyond."""
    speed = lap.column("speed")
    for station, height in line.bumps:
        v = float(speed[station])
        reach = BUMP_M + BUMP_LASTS_S * v
        inside: list[int] = []
        gone = 0.0
        while gone < reach and len(inside) < len(speed):
            inside.append((station + len(inside)) % len(speed))
            gone += float(line.ds[inside[-1]])
        for wheel in range(4):
            load = float(lap.data[station, COLUMN["load_fl"] + wheel])
            grip[inside, wheel] *= bump_grip(car, wheel, height, v, load)
    return grip


def settled(lap_case: LapCase, car: Car, lap: Lap) -> TyreState:
    """The tyres as hot as they would become if this lap were driven again and again."""
    return with_layers(lap.tyres, [flow.settled_c() for flow in tyre_flows(lap_case, car, lap)])


def with_layers(tyres: TyreState, layers: Sequence[Layers]) -> TyreState:
    """The tyres with these temperatures of skin, tread and carcass of each wheel [degC]."""
    skin, tread, carcass = (four(layer[k] for layer in layers) for k in range(3))
    grip = four(grip_c(a, b) for a, b in zip(skin, tread, strict=True))
    return replace(tyres, temperature_c=grip, carcass_c=carcass, skin_c=skin, tread_c=tread)


def solve_lap(
    lap_case: LapCase, sheet: Sheet, fuel_l: float | None = None, initial_guess: Lap | None = None, spent_like: Lap | None = None
) -> Lap:  # fmt: skip
    """The lap with the tyres as hot as this lap makes them, place by place.

    A fixed point: coarse laps, of every fifth station, find about where it is and how the tyres answer one another's temperatures (a
    hotter tyre past its best is driven more slowly, and cools; the other end of the car then works less); full laps settle it by
    Newton's steps with that answer, and with what the heat of each place does to the next. Beside a lap that is near by, its heat
    and its answer are where to begin.

    :param fuel_l: fuel on board if other than the sheet's [l]
    :param initial_guess: a lap of another sheet in the same case, to start from
    :param spent_like: a lap of another day or on other tyres, whose use of an energy store is where to start from
    :raises SolverError: if the car cannot take the circuit
    """
    car = adjusted(lap_case.car, sheet)
    if fuel_l is not None:
        car = car.model_copy(update={"fuel_l": fuel_l})
    prepared = ready(lap_case, car)
    if spends(car) and not any(order.spending is not None for order in lap_case.told):
        return _spent_best(lap_case, prepared, initial_guess, initial_guess or spent_like)
    return _solved(lap_case, prepared, initial_guess)


#: Rounds in which it is settled where the store is spent and how much, laps of each, what a plan may leave lying there [s], how near
#: what is spent comes to what may be [-], the part of the way to a plan that is gone first where a neighbour's is known, and how near to
#: what may be spent that has to spend for its places to stay [-].
_ROUNDS, _MOST_PLANS, _MOST_EVENED, _PLAN_NEAR_S, _SPENT_NEAR, _WARM_STEP, _NEIGHBOUR = 4, 20, 16, 5e-4, 2e-4, 0.25, 0.03


def _spent_best(lap_case: LapCase, prepared: Ready, initial_guess: Lap | None, like: Lap | None) -> Lap:
    """The lap with the energy store spent where it saves most, and as much as a lap that is driven again and again may.

    Heat is settled with the plan that is known, the plan on that heat, and the heat once more with it.
    """
    told = like.spending if like is not None else ()
    lap = _solved(also_told(lap_case, told), prepared, initial_guess)
    lap = replace(lap, spending=told, price_s_per_kj=like.price_s_per_kj if like is not None else 0.0)
    for _ in range(1 if told else 2):  # tyres are other ones where the first plan drives them: once more on these
        begun, lap = lap, _Store(lap_case, prepared, lap).settled()
        heated = _solved(also_told(lap_case, lap.spending), prepared, replace(lap, answer=begun.answer))
        lap = replace(heated, spending=lap.spending, price_s_per_kj=lap.price_s_per_kj)
    return lap


class _Store:
    """Laps on tyres of one heat that spend an energy store otherwise."""

    def __init__(self, lap_case: LapCase, prepared: Ready, begun: Lap) -> None:
        self.lap_case, self.prepared, self.lap = lap_case, prepared, begun
        self.share = orders_of(lap_case.driver, lap_case.line, begun.spending)[:, SPENDING]
        self.cold = not begun.spending
        self.step = 1.0 if self.cold else _WARM_STEP
        self.barred = np.zeros(len(self.share), dtype=bool)

    def settled(self) -> Lap:
        """The lap at whose plan nothing can be moved to a better place, and what may be spent is spent."""
        # beside a plan, what a step moves of it is of second order: it is enough to spend what may be spent
        near = not self.cold and abs(self._lacks_kj(self.lap)) < _NEIGHBOUR * allowed_kj(self.prepared.car, self.lap.data)
        for _ in range(_ROUNDS):
            moved = not near and self._moved()
            if not self._evened() and not moved:
                break
        if self.cold:
            self._pruned()
        return self.lap

    def _lacks_kj(self, lap: Lap) -> float:
        return allowed_kj(self.prepared.car, lap.data) - spent_kj(lap.data)

    def _driven(self, share: Floats, price: float) -> Lap:
        told, begun = orders_for(self.lap_case.line, share), self.lap
        lap = run_at(also_told(self.lap_case, told), self.prepared, begun.tyres, self.lap_case.line, begun.ripple)
        return replace(lap, spending=told, price_s_per_kj=price)

    def _moved(self) -> bool:
        """Goes a part of the way to the best plan of each lap (Frank & Wolfe 1956), at its price of energy, while that is quicker."""
        for count in range(_MOST_PLANS):
            may = allowed_kj(self.prepared.car, self.lap.data)
            plan = planned(self.prepared.car, self.lap_case.line, self.lap.data, self.share, may)
            price = plan.price_s_per_kj
            while plan.left_s > _PLAN_NEAR_S and self.step > 0.01:
                other = self.share + self.step * (plan.share - self.share)
                found = self._driven(other, price)
                if found.time_s - price * self._lacks_kj(found) < self.lap.time_s - price * self._lacks_kj(self.lap):
                    break
                self.step *= 0.5
            else:
                self.lap, self.step = replace(self.lap, price_s_per_kj=price), max(self.step, 0.1)
                return count > 0
            self.lap, self.share, self.step = found, other, min(2.0 * self.step, 1.0)
        return True

    def _pruned(self) -> None:
        """Leaves out stretches that are worth less than the price as a whole: where a bend soon takes back what they gave."""
        for inside in stretches(self.share):
            kept, price = (self.lap, self.share, self.barred), self.lap.price_s_per_kj
            self.share, self.barred = np.where(inside, 0.0, self.share), self.barred | inside
            self.lap = self._driven(self.share, price)
            saved = self.lap.time_s - kept[0].time_s
            if saved < price * (spent_kj(kept[0].data) - spent_kj(self.lap.data)):
                self._evened()
            if self.lap.time_s - price * self._lacks_kj(self.lap) >= kept[0].time_s - price * self._lacks_kj(kept[0]):
                self.lap, self.share, self.barred = kept

    def _evened(self) -> bool:
        """Spends what is left, or less where it is too much."""
        for count in range(_MOST_EVENED):
            lacks = self._lacks_kj(self.lap)
            if abs(lacks) <= _SPENT_NEAR * allowed_kj(self.prepared.car, self.lap.data):
                return count > 0
            other = evened(self.prepared.car, self.lap_case.line, self.lap.data, self.share, lacks, self.barred)
            if np.allclose(other, self.share):
                return count > 0
            self.lap, self.share = self._driven(other, self.lap.price_s_per_kj), other
        return True


def _solved(lap_case: LapCase, prepared: Ready, initial_guess: Lap | None) -> Lap:
    """`solve_lap` of an adjusted car whose driver is told all that he is."""
    if lap_case.held_c is not None:
        held = TyreState(lap_case.compounds, lap_case.held_c, lap_case.held_c, lap_case.wear)
        return run_at(lap_case, prepared, held, lap_case.line, trimmed=True)
    if initial_guess is None or initial_guess.answer is None:
        heat, answer = _begun(_thinned(lap_case, _COARSE), prepared)
        heat = replace(heat, ripple=_all(heat.ripple, lap_case))
    else:
        known = initial_guess.ripple is not None and len(initial_guess.ripple) == len(lap_case.line.ds)
        heat, answer = _Heat(initial_guess.tyres, initial_guess.ripple if known else None), initial_guess.answer
    heat = _settled_from(lap_case, prepared, heat, answer)
    return replace(run_at(lap_case, prepared, heat.tyres, lap_case.line, heat.ripple, trimmed=True), answer=answer)


@dataclass(frozen=True)
class _Heat:
    """How hot the tyres are, over the lap and place by place.

    :param ripple: of `rippled`
    """

    tyres: TyreState
    ripple: Floats | None


@dataclass(frozen=True)
class _Driven:
    """A lap on tyres of one heat, and what it makes of it.

    :param there: temperatures of grip that it leads to [degC]
    """

    lap: Lap
    flows: Flows
    there: Four


def _driven(lap_case: LapCase, ready: Ready, heat: _Heat) -> _Driven:
    lap = run_at(lap_case, ready, heat.tyres, lap_case.line, heat.ripple)
    flows = tyre_flows(lap_case, ready.car, lap)
    return _Driven(lap, flows, four(flow.settled_grip_c() for flow in flows))


def _stepped(lap_case: LapCase, car: Car, driven: _Driven, answer: Floats) -> _Heat:
    """Heat that the next lap would lead to again, if the tyres answer in proportion; place by place about that."""
    tyres = driven.lap.tyres
    here = np.array(tyres.temperature_c)
    grip = here + np.linalg.solve(np.eye(4) - answer, np.array(driven.there) - here)
    tyres = with_layers(tyres, [flow.beside_c(float(heat)) for flow, heat in zip(driven.flows, grip, strict=True)])
    return _Heat(tyres, rippled(lap_case, car, replace(driven.lap, tyres=tyres)))


def _settled_from(lap_case: LapCase, ready: Ready, heat: _Heat, answer: Floats) -> _Heat:
    """The heat that a lap repeats, by Newton's steps from one near it."""
    for _ in range(_MOST_ROUNDS):
        driven = _driven(lap_case, ready, heat)
        after = _stepped(lap_case, ready.car, driven, answer)
        off, swung, grip = _far(heat, driven.there, after.ripple)
        if max(grip, swung) < _STILL:
            break
        heat = after
        if off < _SETTLED_K and grip < _SETTLED_GRIP and swung < _SETTLED_RIPPLE:
            break
    return heat


def _far(heat: _Heat, there: Four, ripple: Floats | None) -> tuple[float, float, float]:
    """How far a lap leads from the heat it was driven on: temperatures [K], grip along the lap, and grip over it [-]."""
    off, grips = 0.0, 0.0
    for wheel, (a, b) in enumerate(zip(heat.tyres.temperature_c, there, strict=True)):
        compound = heat.tyres.compound(wheel)
        off, grips = max(off, abs(a - b)), max(grips, abs(temperature_grip(compound, a) - temperature_grip(compound, b)))
    swung = 0.0 if ripple is None else 1.0 if heat.ripple is None else float(np.abs(ripple - heat.ripple).max())
    return off, swung, grips


def _begun(lap_case: LapCase, ready: Ready) -> tuple[_Heat, Floats]:
    """About the heat that a lap repeats, and how each tyre's settled temperature answers all of theirs."""
    best = lap_case.compounds[0].temperature_opt_c, lap_case.compounds[1].temperature_opt_c
    begin = (best[0], best[0], best[1], best[1])
    # an answer of all by the same share is a step of a part of the way
    heat, part = _Heat(TyreState(lap_case.compounds, begin, begin, lap_case.wear), None), np.eye(4) * (1.0 - 1.0 / _BEGIN_SHARE)
    for _ in range(_BEGIN_ROUNDS):
        heat = _stepped(lap_case, ready.car, _driven(lap_case, ready, heat), part)
    driven = _driven(lap_case, ready, heat)
    answer = np.empty((4, 4))
    for wheel in range(4):
        warmer = [c + (_TELLS_K if w == wheel else 0.0) for w, c in enumerate(heat.tyres.temperature_c)]
        layers = [flow.beside_c(c) for flow, c in zip(driven.flows, warmer, strict=True)]
        told = _driven(lap_case, ready, _Heat(with_layers(heat.tyres, layers), heat.ripple))
        answer[:, wheel] = (np.array(told.there) - np.array(driven.there)) / _TELLS_K
    answer = np.clip(answer, -0.8, 0.4)
    return _stepped(lap_case, ready.car, driven, answer), answer


def _all(ripple: Floats | None, lap_case: LapCase) -> Floats | None:
    """The grip of all stations, straight between those of a thinned line."""
    count = len(lap_case.line.ds)
    if ripple is None or len(ripple) == count:
        return ripple
    line = lap_case.line
    few = line.thinned(_COARSE).s
    return np.column_stack([np.interp(line.s, few, ripple[:, wheel], period=line.length_m) for wheel in range(4)])


def _thinned(lap_case: LapCase, every: int) -> LapCase:
    """The same with only every n-th station, where enough of them are left."""
    return replace(lap_case, line=lap_case.line.thinned(every)) if len(lap_case.line.ds) > _FEW * every else lap_case


def solve_lap_at(lap_case: LapCase, sheet: Sheet, tyres: TyreState, fuel_l: float) -> Lap:
    """The lap with the tyres at a given temperature and wear (used lap by lap in a stint)."""
    return solve_adjusted_lap_at(lap_case, adjusted(lap_case.car, sheet), tyres, fuel_l)


def solve_adjusted_lap_at(lap_case: LapCase, car: Car, tyres: TyreState, fuel_l: float, ripple: Floats | None = None) -> Lap:
    """`solve_lap_at` of a car that has the sheet on it already: a stint need not put it on for every lap.

    :param ripple: of `rippled`
    """
    return run_at(lap_case, ready(lap_case, car.model_copy(update={"fuel_l": fuel_l})), tyres, lap_case.line, ripple, trimmed=True)
