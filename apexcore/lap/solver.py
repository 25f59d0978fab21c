"""One lap: assembles the car, settles the tyres' heat, solves, and reads the result."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import Conditions
from ..circuit.line import Line, coarser
from ..errors import SolverError
from ..vehicle.car import Car, Compound
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, TyreState, hot_pressure_kpa
from . import kernel
from .assembly import TABLE_SPEEDS, aero_areas, assemble, gear_thrust, rolling_share
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
    """

    time_s: float
    data: Floats
    tyres: TyreState
    hot_kpa: Four
    slide_j: Four
    fuel_l: float

    def column(self, name: str) -> Floats:
        """One column of `data` by its name in `record.COLUMNS`."""
        return self.data[:, COLUMN[name]]

    @property
    def top_speed_ms(self) -> float:
        """Highest speed of the lap [m/s]."""
        return float(self.column("speed").max())


def top_speed_ms(car: Car, conditions: Conditions) -> float:
    """Speed at which full thrust just equals drag and rolling resistance on a level road [m/s]."""
    thrust = gear_thrust(car, TABLE_SPEEDS, conditions.power_factor).max(axis=0)
    drag_area, lift_front, lift_rear = aero_areas(car)
    dynamic = 0.5 * conditions.air_density * TABLE_SPEEDS**2
    from ..vehicle.weights import weights

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


def _run(setting: Setting, car: Car, tyres: TyreState, line: Line) -> Lap:
    record = assemble(car, tyres, setting.conditions, setting.driver)
    out = np.zeros((len(line.ds), len(COLUMNS)))
    top = min(top_speed_ms(car, setting.conditions) * 1.25, TABLE_SPEEDS[-1])
    failed = kernel.solve(record, line.road, line.ds, line.closed, 0.0, top, out)
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


def solve_lap(setting: Setting, sheet: Sheet, fuel_l: float | None = None) -> Lap:
    """The lap with the tyres as hot as this lap makes them.

    Two coarse laps settle the heat, the third is the answer: temperature moves grip by per mille, and grip the heat by
    as little again, so that a further round changes the lap by less than a millisecond.

    :param fuel_l: fuel on board if other than the sheet's [l]
    :raises SolverError: if the car cannot take the circuit
    """
    car = adjusted(setting.car, sheet)
    if fuel_l is not None:
        car = car.model_copy(update={"fuel_l": fuel_l})
    coarse = coarser(setting.line, _COARSE) if len(setting.line.ds) > 200 else setting.line
    best = setting.compounds[0].temperature_opt_c, setting.compounds[1].temperature_opt_c
    tyres = TyreState(setting.compounds, (best[0], best[0], best[1], best[1]), setting.wear)
    for _ in range(2):
        tyres = replace(tyres, temperature_c=settled(setting, car, _run(setting, car, tyres, coarse)))
    return _run(setting, car, tyres, setting.line)


def solve_lap_at(setting: Setting, sheet: Sheet, tyres: TyreState, fuel_l: float) -> Lap:
    """The lap with the tyres at a given temperature and wear (used lap by lap in a stint)."""
    car = adjusted(setting.car, sheet).model_copy(update={"fuel_l": fuel_l})
    return _run(setting, car, tyres, setting.line)
