"""One lap: assembles the car, settles the tyres' heat, solves, and reads the result."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import Conditions
from ..circuit.line import Line
from ..errors import SolverError
from ..vehicle.car import Car, Compound
from ..vehicle.heat import Flow, flow
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, four, hot_pressure_kpa
from ..vehicle.weights import weights
from . import kernel
from .assembly import TABLE_SPEEDS, aero_areas, gear_thrust, on_tyres, rolling_share, without_tyres
from .driver import Driver
from .record import COLUMNS

Floats = NDArray[np.float64]

COLUMN = {name: index for index, name in enumerate(COLUMNS)}

Flows = tuple[Flow, Flow, Flow, Flow]

#: Stations skipped while the tyres' heat settles: heat needs the lap's sums, not its details.
_COARSE = 5
#: Stations that must be left after that.
_FEW = 280
#: A step of the tyres' temperatures below which the next one changes nothing that matters [K].
_SETTLED_K = 0.6


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

    def column(self, name: str) -> Floats:
        """One column of `data` by its name in `record.COLUMNS`."""
        return self.data[:, COLUMN[name]]

    @property
    def top_speed_ms(self) -> float:
        """Highest speed of the lap [m/s]."""
        return float(self.column("speed").max())


def top_speed_ms(car: Car, conditions: Conditions, tow: float = 0.0) -> float:
    """Speed at which full thrust just equals drag and rolling resistance on a level road [m/s].

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
        return float(TABLE_SPEEDS[i])
    return float(TABLE_SPEEDS[i] + kernel.SPEED_STEP * spare[i] / (spare[i] - spare[i + 1]))


def tyre_flows(lap_case: LapCase, car: Car, lap: Lap) -> Flows:
    """The heat balance of each tyre over a lap: its share of the sliding work, and its rolling loss."""
    way = lap.column("time") * lap.column("speed")
    speed = float(lap_case.line.length_m / lap.time_s)
    flows = []
    for wheel in range(4):
        load = lap.data[:, COLUMN["load_fl"] + wheel]
        rolling = rolling_share(car, lap_case.compounds[wheel // 2], wheel) * float(load @ way)
        flows.append(flow(car.tyres, lap_case.conditions, lap.slip_energy_j[wheel] / lap.time_s, rolling / lap.time_s, speed))
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


def run_at(lap_case: LapCase, ready: Ready, tyres: TyreState, line: Line) -> Lap:
    """One lap on a line with the tyres as they are.

    :raises SolverError: if the car cannot take the line
    """
    car = ready.car
    record = on_tyres(ready.record, car, tyres, lap_case.conditions)
    out = np.zeros((len(line.ds), len(COLUMNS)))
    failed = kernel.solve(record, *line.places, line.ds, line.closed, line.start_ms, ready.top_ms, out)
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
        (slide[0], slide[1], slide[2], slide[3]), float(out[:, COLUMN["fuel_l"]].sum()),
    )  # fmt: skip


def settled(lap_case: LapCase, car: Car, lap: Lap) -> TyreState:
    """The tyres as hot as they would become if this lap were driven again and again."""
    pairs = [flow.settled_c() for flow in tyre_flows(lap_case, car, lap)]
    (a, ca), (b, cb), (c, cc), (d, cd) = pairs
    return replace(lap.tyres, temperature_c=(a, b, c, d), carcass_c=(ca, cb, cc, cd))


def solve_lap(lap_case: LapCase, sheet: Sheet, fuel_l: float | None = None, initial_guess: Lap | None = None) -> Lap:
    """The lap with the tyres as hot as this lap makes them.

    A fixed point: coarse laps, of every fifth station, find about where it is and how a tyre's heat answers its own
    temperature (a hotter tyre past its best slips more slowly driven, and cools: the answer is negative); one full lap
    tells by how much all stations heat the tyres more than every second, and settles it (Steffensen's step, wheel by
    wheel); the second full lap is the result. Beside a lap that is near by, its answer and that difference are known.

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
    if initial_guess is None:
        tyres, response = _coarsely_settled(_thinned(lap_case, _COARSE), prepared)
        there, _ = _settles_at(half, prepared, tyres)
        full, flows = _settles_at(lap_case, prepared, tyres)
        fine = four(a - b for a, b in zip(full, there, strict=True))
        before, tyres = tyres, _stepped(tyres, full, response, flows)
    else:
        before, tyres, response, fine = None, initial_guess.tyres, initial_guess.response, initial_guess.fine_k
    for _ in range(3):
        if before is not None and _distance_k(before, tyres) < _SETTLED_K:
            break
        there, flows = _settles_at(half, prepared, tyres)
        before, tyres = tyres, _stepped(tyres, four(a + b for a, b in zip(there, fine, strict=True)), response, flows)
    return replace(run_at(lap_case, prepared, tyres, lap_case.line), response=response, fine_k=fine)


def _distance_k(one: TyreState, other: TyreState) -> float:
    return max(abs(a - b) for a, b in zip(one.temperature_c, other.temperature_c, strict=True))


def _thinned(lap_case: LapCase, every: int) -> LapCase:
    """The same with only every n-th station, where enough of them are left."""
    return replace(lap_case, line=lap_case.line.thinned(every)) if len(lap_case.line.ds) > _FEW * every else lap_case


def _settles_at(lap_case: LapCase, ready: Ready, tyres: TyreState) -> tuple[Four, Flows]:
    """Surface temperatures that a lap on these tyres leads to [degC], and its heat balances."""
    flows = tyre_flows(lap_case, ready.car, run_at(lap_case, ready, tyres, lap_case.line))
    return four(flow.settled_c()[0] for flow in flows), flows


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
        response.append(min(max(after / before, -0.9), 0.5) if abs(before) > 0.05 else 0.0)
    answer = four(response)
    return _stepped(replace(tyres, temperature_c=trail[2]), trail[3], answer, flows), answer


def _stepped(tyres: TyreState, there: Four, response: Four, flows: Flows) -> TyreState:
    """Tyres whose next temperatures would be the same, if each answers in proportion."""
    surface = four(x + (y - x) / (1.0 - r) for x, y, r in zip(tyres.temperature_c, there, response, strict=True))
    carcass = four(flow.carcass_c(heat) for flow, heat in zip(flows, surface, strict=True))
    return replace(tyres, temperature_c=surface, carcass_c=carcass)


def solve_lap_at(lap_case: LapCase, sheet: Sheet, tyres: TyreState, fuel_l: float) -> Lap:
    """The lap with the tyres at a given temperature and wear (used lap by lap in a stint)."""
    return solve_adjusted_lap_at(lap_case, adjusted(lap_case.car, sheet), tyres, fuel_l)


def solve_adjusted_lap_at(lap_case: LapCase, car: Car, tyres: TyreState, fuel_l: float) -> Lap:
    """`solve_lap_at` of a car that has the sheet on it already: a stint need not put it on for every lap."""
    return run_at(lap_case, ready(lap_case, car.model_copy(update={"fuel_l": fuel_l})), tyres, lap_case.line)
