"""One lap: assembles the car, settles the tyres' heat, solves, and reads the result."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import Conditions
from ..circuit.line import Line, coarser
from ..errors import SolverError
from ..vehicle.car import Car, Compound
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, hot_pressure_kpa
from ..vehicle.weights import weights
from . import kernel
from .assembly import TABLE_SPEEDS, aero_areas, gear_thrust, on_tyres, rolling_share, without_tyres
from .driver import Driver
from .record import COLUMNS

Floats = NDArray[np.float64]

COLUMN = {name: index for index, name in enumerate(COLUMNS)}

#: Stations skipped while the tyres' heat settles: heat needs the lap's sums, not its details.
_COARSE = 5


@dataclass(frozen=True)
class Setting:
    """All that decides a lap besides the sheet.

    :param car: the book car
    :param line: the line driven
    :param conditions: weather and surface
    :param compounds: tyres of the front and rear axle
    :param wear: worn share of each tread [-]
    :param driver: what the driver uses
    """

    car: Car
    line: Line
    conditions: Conditions
    compounds: tuple[Compound, Compound]
    wear: Four = (0.0, 0.0, 0.0, 0.0)
    driver: Driver = Driver()


@dataclass(frozen=True)
class Lap:
    """A solved lap.

    :param time_s: lap time [s]
    :param data: shape [stations, len(COLUMNS)], SI
    :param tyres: state of the tyres during the lap
    :param hot_kpa: hot pressure of each wheel [kPa]
    :param slide_j: sliding work of each tyre over the lap [J]
    :param fuel_l: fuel burnt [l]
    :param response: change of each tyre's settled temperature per change of its own [-]
    """

    time_s: float
    data: Floats
    tyres: TyreState
    hot_kpa: Four
    slide_j: Four
    fuel_l: float
    response: Four = (0.0, 0.0, 0.0, 0.0)

    def column(self, name: str) -> Floats:
        """One column of `data` by its name in `record.COLUMNS`."""
        return self.data[:, COLUMN[name]]

    @property
    def top_speed_ms(self) -> float:
        """Highest speed of the lap [m/s]."""
        return float(self.column("speed").max())


def top_speed_ms(car: Car, conditions: Conditions) -> float:
    """Speed at which full thrust just equals drag and rolling resistance on a level road [m/s]."""
    return _top_speed_ms(car, conditions, gear_thrust(car, TABLE_SPEEDS, conditions.power_factor).max(axis=0))


def _top_speed_ms(car: Car, conditions: Conditions, thrust: Floats) -> float:
    drag_area, lift_front, lift_rear = aero_areas(car)
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


def tyre_heat_w(car: Car, compounds: tuple[Compound, Compound], lap: "Lap") -> Four:
    """Mean heat that each tyre takes up over a lap [W]: its share of the sliding work, and all of its rolling loss."""
    dt, speed = lap.column("time"), lap.column("speed")
    heat = []
    for wheel in range(4):
        load = lap.data[:, COLUMN["load_fl"] + wheel]
        rolling = rolling_share(car, compounds[wheel // 2], wheel) * float((load * speed * dt).sum())
        heat.append((car.tyres.heat_share * lap.slide_j[wheel] + rolling) / lap.time_s)
    return heat[0], heat[1], heat[2], heat[3]


def settled_temperature(car: Car, conditions: Conditions, heat_w: float, speed_ms: float) -> float:
    """Temperature at which a tyre's heat in and out are equal [degC].

    Lumped heat balance: heat = (h0 + h1 v)(T - T_around), T_around the mean of air and track.
    """
    cooling = car.tyres.cooling_w_per_k + car.tyres.cooling_w_per_k_ms * speed_ms
    around = 0.5 * (conditions.air_c + conditions.track_c)
    return around + heat_w / cooling


@dataclass(frozen=True)
class _Ready:
    """An adjusted car with what all its laps share.

    :param record: of `assembly.without_tyres`
    :param top_ms: speed that it cannot exceed [m/s]
    """

    car: Car
    record: Any
    top_ms: float


def _ready(setting: Setting, car: Car) -> _Ready:
    record = without_tyres(car, setting.conditions, setting.driver)
    top = _top_speed_ms(car, setting.conditions, record[0]["thrust"])
    return _Ready(car, record, min(1.25 * top, float(TABLE_SPEEDS[-1])))


def _run(setting: Setting, ready: _Ready, tyres: TyreState, line: Line) -> Lap:
    car = ready.car
    record = on_tyres(ready.record, car, tyres, setting.conditions)
    out = np.zeros((len(line.ds), len(COLUMNS)))
    failed = kernel.solve(record, line.road, line.ds, line.closed, 0.0, ready.top_ms, out)
    if failed >= 0:
        raise SolverError(
            f"{car.name} cannot hold any speed {line.s[failed]:.0f} m after the start line (curvature {line.road[failed, 0]:.4f} 1/m)."
        )
    if not np.isfinite(out).all():
        where = int(np.flatnonzero(~np.isfinite(out).all(axis=1))[0])
        raise SolverError(f"The lap has no solution {line.s[where]:.0f} m after the start line.")
    dt = out[:, COLUMN["time"]]
    slide = [float((out[:, COLUMN["slide_fl"] + w] * dt).sum()) for w in range(4)]
    hot = [hot_pressure_kpa(car.tyres.cold_kpa[w], car.tyres.cold_at_c, tyres.temperature_c[w]) for w in range(4)]
    return Lap(
        float(dt.sum()), out, tyres, (hot[0], hot[1], hot[2], hot[3]),
        (slide[0], slide[1], slide[2], slide[3]), float(out[:, COLUMN["fuel_l"]].sum()),
    )  # fmt: skip


def settled(setting: Setting, car: Car, lap: Lap) -> Four:
    """Temperatures that the four tyres would reach if this lap were driven again and again [degC]."""
    speed = float(setting.line.length_m / lap.time_s)
    heat = [settled_temperature(car, setting.conditions, w, speed) for w in tyre_heat_w(car, setting.compounds, lap)]
    return heat[0], heat[1], heat[2], heat[3]


def solve_lap(setting: Setting, sheet: Sheet, fuel_l: float | None = None, near: Lap | None = None) -> Lap:
    """The lap with the tyres as hot as this lap makes them.

    A fixed point: coarse laps find about where it is and how a tyre's heat answers its own temperature (a hotter tyre
    past its best slips more slowly driven, and cools: the answer is negative); one full lap and that answer settle it
    (Steffensen's step, wheel by wheel), the second full lap is the result.

    :param fuel_l: fuel on board if other than the sheet's [l]
    :param near: a lap of nearly the same sheet under the same setting, to begin at
    :raises SolverError: if the car cannot take the circuit
    """
    car = adjusted(setting.car, sheet)
    if fuel_l is not None:
        car = car.model_copy(update={"fuel_l": fuel_l})
    ready = _ready(setting, car)
    if near is None:
        tyres, response = _coarsely_settled(setting, ready)
    else:
        tyres, response = near.tyres, near.response
    heat = settled(setting, car, _run(setting, ready, tyres, setting.line))
    tyres = replace(tyres, temperature_c=_stepped(tyres.temperature_c, heat, response))
    return replace(_run(setting, ready, tyres, setting.line), response=response)


def _coarsely_settled(setting: Setting, ready: _Ready) -> tuple[TyreState, Four]:
    """Tyres about as hot as the lap makes them, and each wheel's change of settled temperature per change of its own."""
    coarse = coarser(setting.line, _COARSE) if len(setting.line.ds) > 200 else setting.line
    best = setting.compounds[0].temperature_opt_c, setting.compounds[1].temperature_opt_c
    tyres = TyreState(setting.compounds, (best[0], best[0], best[1], best[1]), setting.wear)
    trail = [tyres.temperature_c]
    for _ in range(3):
        trail.append(settled(setting, ready.car, _run(setting, ready, replace(tyres, temperature_c=trail[-1]), coarse)))
    response = []
    for w in range(4):
        before, after = trail[2][w] - trail[1][w], trail[3][w] - trail[2][w]
        response.append(min(max(after / before, -0.9), 0.5) if abs(before) > 0.05 else 0.0)
    answer = (response[0], response[1], response[2], response[3])
    return replace(tyres, temperature_c=_stepped(trail[2], trail[3], answer)), answer


def _stepped(here: Four, there: Four, response: Four) -> Four:
    """Temperatures at which the next ones would be the same, if each answers in proportion."""
    a, b, c, d = (x + (y - x) / (1.0 - r) for x, y, r in zip(here, there, response, strict=True))
    return a, b, c, d


def solve_lap_at(setting: Setting, sheet: Sheet, tyres: TyreState, fuel_l: float) -> Lap:
    """The lap with the tyres at a given temperature and wear (used lap by lap in a stint)."""
    car = adjusted(setting.car, sheet).model_copy(update={"fuel_l": fuel_l})
    return _run(setting, _ready(setting, car), tyres, setting.line)
