"""One lap: assembles the car, settles the tyres' heat, solves, and reads the result."""

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
from ..vehicle.heat import FLEX, SKIN, Flow, Layers, capacities, flow, grip_c
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, four, hot_pressure_kpa, temperature_grip, temperature_grips
from ..vehicle.weights import weights
from . import kernel
from .assembly import TABLE_SPEEDS, aero_areas, gear_thrust, on_tyres, rev_limit_ms, rolling_share, without_tyres
from .driver import Driver
from .orders import Order, orders_of
from .record import COLUMNS

Floats = NDArray[np.float64]

COLUMN = {name: index for index, name in enumerate(COLUMNS)}

Flows = tuple[Flow, Flow, Flow, Flow]

#: Stations skipped while the tyres' heat settles: heat needs the lap's sums, not its details.
_COARSE = 5
#: Stations that must be left after that.
_FEW = 280
#: Steps of the tyres' temperatures [K], and of their grip along the lap [-], after which what the next one changes matters no more;
#: and most of them.
_SETTLED_K, _SETTLED_GRIP, _MOST_ROUNDS = 0.12, 4e-4, 9
#: Step of a tyre's temperature that tells how it answers its own [K].
_TELLS_K = 0.3


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


@dataclass(frozen=True)
class Lap:
    """A solved lap.

    :param time_s: lap time [s]
    :param data: shape [stations, len(COLUMNS)], SI
    :param tyres: state of the tyres during the lap
    :param hot_kpa: hot pressure of each wheel [kPa]
    :param slip_energy_j: slip energy of each tyre over the lap [J]
    :param fuel_l: fuel burnt [l]
    :param response: change of each tyre's settled temperature per change of its own [-]
    :param ripple: grip of each wheel at each station over its mean that the lap was driven with, shape [stations, 4] [-]
    :param fine_k: what all stations settle each tyre at beyond what every second of them does [K]
    """

    time_s: float
    data: Floats
    tyres: TyreState
    hot_kpa: Four
    slip_energy_j: Four
    fuel_l: float
    response: Four = (0.0, 0.0, 0.0, 0.0)
    fine_k: Four = (0.0, 0.0, 0.0, 0.0)
    ripple: Floats | None = None

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


def tyre_flows(lap_case: LapCase, car: Car, lap: Lap) -> Flows:
    """The heat balance of each tyre over a lap: its share of the sliding work, and its rolling loss."""
    way = lap.column("time") * lap.column("speed")
    speed = float(lap_case.line.length_m / lap.time_s)
    flows = []
    for wheel in range(4):
        load = lap.data[:, COLUMN["load_fl"] + wheel]
        rolling = rolling_share(car, lap_case.compounds[wheel // 2], wheel) * float(load @ way)
        sliding = lap.slip_energy_j[wheel] / lap.time_s
        flows.append(flow(car.tyres, lap_case.conditions, wheel, sliding, rolling / lap.time_s, speed))
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


def run_at(lap_case: LapCase, ready: Ready, tyres: TyreState, line: Line, ripple: Floats | None = None) -> Lap:
    """One lap on a line with the tyres as they are.

    :param ripple: grip of each wheel at each station over its mean, shape [stations, 4]; 1 if not given [-]
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
    rows, start = np.empty((4, 11)), np.empty((4, 3))
    for wheel in range(4):
        compound, heat = lap_case.compounds[wheel // 2], car.tyres.heat_of(wheel)
        skin, tread, _ = capacities(car.tyres, compound, wheel)
        rows[wheel] = (
            skin, tread, heat.skin_tread_w_per_k, heat.tread_carcass_w_per_k, heat.air, heat.road, heat.slide_share,
            rolling_share(car, compound, wheel), FLEX[0], FLEX[1], SKIN,
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


def solve_lap(lap_case: LapCase, sheet: Sheet, fuel_l: float | None = None, initial_guess: Lap | None = None) -> Lap:
    """The lap with the tyres as hot as this lap makes them, place by place.

    A fixed point: coarse laps, of every fifth station, find about where it is and how a tyre's heat answers its own
    temperature (a hotter tyre past its best slips more slowly driven, and cools: the answer is negative); laps of every second
    station settle it (Steffensen's step, wheel by wheel), with what the heat of each place does to the next; a full lap tells by how
    much all stations heat the tyres more than every second. Beside a lap that is near by, its answer and that difference are known.

    :param fuel_l: fuel on board if other than the sheet's [l]
    :param initial_guess: a lap of another sheet in the same case, to start from
    :raises SolverError: if the car cannot take the circuit
    """
    car = adjusted(lap_case.car, sheet)
    if fuel_l is not None:
        car = car.model_copy(update={"fuel_l": fuel_l})
    prepared = ready(lap_case, car)
    if lap_case.held_c is not None:
        return run_at(lap_case, prepared, TyreState(lap_case.compounds, lap_case.held_c, lap_case.held_c, lap_case.wear), lap_case.line)
    half = _thinned(lap_case, 2)
    if initial_guess is not None:
        heat = _Heat(initial_guess.tyres, _some(initial_guess.ripple, half), initial_guess.response, initial_guess.fine_k)
        heat = _settled_on(half, prepared, heat)
    else:
        tyres, response = _coarsely_settled(_thinned(lap_case, _COARSE), prepared)
        heat = _settled_on(half, prepared, _Heat(tyres, None, response, (0.0, 0.0, 0.0, 0.0)))
        whole = run_at(lap_case, prepared, heat.tyres, lap_case.line, _all(heat.ripple, lap_case))
        full = four(flow.settled_grip_c() for flow in tyre_flows(lap_case, car, whole))
        fine = four(a - b for a, b in zip(full, heat.tyres.temperature_c, strict=True))
        heat = _settled_on(half, prepared, replace(heat, fine=fine))
    lap = run_at(lap_case, prepared, heat.tyres, lap_case.line, _all(heat.ripple, lap_case))
    return replace(lap, response=heat.response, fine_k=heat.fine)


@dataclass(frozen=True)
class _Heat:
    """How hot the tyres are, over the lap and place by place, and how that answers.

    :param ripple: of `rippled` at the stations of the half lap
    :param response: change of each tyre's settled temperature per change of its own [-]
    :param fine: what all stations settle each tyre at beyond what every second of them does [K]
    """

    tyres: TyreState
    ripple: Floats | None
    response: Four
    fine: Four


def _settled_on(half: LapCase, ready: Ready, heat: _Heat) -> _Heat:
    """The heat that a lap of every second station repeats."""
    before: tuple[Four, Four] | None = None
    for _ in range(_MOST_ROUNDS):
        lap = run_at(half, ready, heat.tyres, half.line, heat.ripple)
        flows = tyre_flows(half, ready.car, lap)
        there = four(flow.settled_grip_c() + more for flow, more in zip(flows, heat.fine, strict=True))
        ripple = rippled(half, ready.car, lap)
        here = heat.tyres.temperature_c
        off = max(abs(a - b) for a, b in zip(there, here, strict=True))
        if before is not None:
            heat = replace(heat, response=four(_answer(*now) for now in zip(heat.response, *before, here, there, strict=True)))
        before = here, there
        swung = 0.0 if ripple is None else 1.0 if heat.ripple is None else float(np.abs(ripple - heat.ripple).max())
        heat = replace(heat, tyres=_stepped(heat.tyres, there, heat.response, flows), ripple=ripple)
        if off < _SETTLED_K and swung < _SETTLED_GRIP:
            break
    return heat


def _answer(known: float, here_before: float, there_before: float, here: float, there: float) -> float:
    """A tyre's change of settled temperature per change of its own, from two laps; as known where it hardly changed."""
    if abs(here - here_before) < _TELLS_K:
        return known
    return min(max((there - there_before) / (here - here_before), -0.8), 0.4)


def _some(ripple: Floats | None, half: LapCase) -> Floats | None:
    """The grip of every second station, from that of all."""
    if ripple is None or len(ripple) == len(half.line.ds):
        return ripple
    return np.ascontiguousarray(ripple[::2])


def _all(ripple: Floats | None, lap_case: LapCase) -> Floats | None:
    """The grip of all stations, from that of every second."""
    count = len(lap_case.line.ds)
    if ripple is None or len(ripple) == count:
        return ripple
    found = np.empty((count, 4))
    found[::2] = ripple
    found[1::2] = 0.5 * (ripple[: count // 2] + np.roll(ripple, -1, axis=0)[: count // 2])
    return found


def _thinned(lap_case: LapCase, every: int) -> LapCase:
    """The same with only every n-th station, where enough of them are left."""
    return replace(lap_case, line=lap_case.line.thinned(every)) if len(lap_case.line.ds) > _FEW * every else lap_case


def _settles_at(lap_case: LapCase, ready: Ready, tyres: TyreState) -> tuple[Four, Flows]:
    """Temperatures of grip that a lap on these tyres leads to [degC], and its heat balances."""
    flows = tyre_flows(lap_case, ready.car, run_at(lap_case, ready, tyres, lap_case.line))
    return four(flow.settled_grip_c() for flow in flows), flows


def _coarsely_settled(lap_case: LapCase, ready: Ready) -> tuple[TyreState, Four]:
    """Tyres about as hot as the lap makes them, and each wheel's change of settled temperature per change of its own."""
    best = lap_case.compounds[0].temperature_opt_c, lap_case.compounds[1].temperature_opt_c
    begin = (best[0], best[0], best[1], best[1])
    tyres = TyreState(lap_case.compounds, begin, begin, lap_case.wear)
    trail = [tyres.temperature_c]
    for _ in range(3):
        there, flows = _settles_at(lap_case, ready, tyres)
        tyres = _stepped(tyres, there, (0.0, 0.0, 0.0, 0.0), flows)
        trail.append(there)
    response = []
    for w in range(4):
        before, after = trail[2][w] - trail[1][w], trail[3][w] - trail[2][w]
        response.append(min(max(after / before, -0.5), 0.3) if abs(before) > 0.5 else 0.0)
    answer = four(response)
    return _stepped(replace(tyres, temperature_c=trail[2]), trail[3], answer, flows), answer


def _stepped(tyres: TyreState, there: Four, response: Four, flows: Flows) -> TyreState:
    """Tyres whose next temperatures would be the same, if each answers in proportion."""
    grip = [x + (y - x) / (1.0 - r) for x, y, r in zip(tyres.temperature_c, there, response, strict=True)]
    return with_layers(tyres, [flow.beside_c(heat) for flow, heat in zip(flows, grip, strict=True)])


def solve_lap_at(lap_case: LapCase, sheet: Sheet, tyres: TyreState, fuel_l: float) -> Lap:
    """The lap with the tyres at a given temperature and wear (used lap by lap in a stint)."""
    return solve_adjusted_lap_at(lap_case, adjusted(lap_case.car, sheet), tyres, fuel_l)


def solve_adjusted_lap_at(lap_case: LapCase, car: Car, tyres: TyreState, fuel_l: float, ripple: Floats | None = None) -> Lap:
    """`solve_lap_at` of a car that has the sheet on it already: a stint need not put it on for every lap.

    :param ripple: of `rippled`
    """
    return run_at(lap_case, ready(lap_case, car.model_copy(update={"fuel_l": fuel_l})), tyres, lap_case.line, ripple)
