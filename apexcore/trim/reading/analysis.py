"""What the model says of one sheet, here and today."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...circuit.line import CornerSpan
from ...lap.energy import allowed_kj, spends, spent_kj
from ...lap.solver import COLUMN, Lap, LapCase, excess_camber, solve_lap, top_speed_ms
from ...quantities.text import format_number
from ...vehicle.bumps import bump_grip
from ...vehicle.car import WHEEL_WORDS, WHEELS, Car
from ...vehicle.heat import tread_c
from ...vehicle.sheet import Sheet, adjusted
from ...vehicle.tyres import Four, four
from ..figures.bias import ideal_on_lap
from ..figures.gearing import Shift, limit_speed_ms, shifts
from .balance import CornerResult, balance_grid, read_corner
from .past import LIFTED_N, locks_first
from .ride import Clearance, RideEnd, clearances, ride_ends
from .stability import Stability, stability
from .systems import Systems, systems

#: Pressure error at which a warning is worth reading [kPa].
_PRESSURE_WARNING_KPA = 12.0


@dataclass(frozen=True)
class TyreAnalysis:
    """One wheel, modelled.

    :param temperature_c: settled temperature of the tread's surface [degC]
    :param carcass_c: settled temperature of the carcass [degC]
    :param tread_c: inner, middle and outer third of the tread [degC]
    :param hot_kpa: hot pressure [kPa]
    :param best_kpa: best hot pressure at this wheel's mean load [kPa]
    :param work_kj: sliding work per lap [kJ]
    :param load_share: share of the lap's mean load [-]
    """

    wheel: str
    temperature_c: float
    carcass_c: float
    tread_c: tuple[float, float, float]
    hot_kpa: float
    best_kpa: float
    work_kj: float
    load_share: float


@dataclass(frozen=True)
class SheetAnalysis:
    """The bench's answer to a sheet.

    :param lap: the solved lap
    :param corners: each corner read
    :param grid: balance by (corner speed, phase) [%]
    :param warnings: sentences about what is near or past a limit
    :param top_ms: top speed on a level road, alone and right behind another car [m/s]
    :param ride: both axles on their springs; empty for a car without
    :param clearances: of both axles over the lap
    :param stability: how firmly it holds its course
    :param systems: what its driver systems do
    :param store_kj: what a lap spends of an energy store, and what it might [kJ]; None for a car without one
    """

    lap: Lap
    corners: tuple[CornerResult, ...]
    grid: dict[tuple[str, str], float | None]
    tyres: tuple[TyreAnalysis, ...]
    shifts: tuple[Shift, ...]
    warnings: tuple[str, ...]
    top_ms: tuple[float, float]
    ride: tuple[RideEnd, ...]
    clearances: tuple[Clearance, ...]
    stability: Stability
    systems: Systems
    store_kj: tuple[float, float] | None = None


def analyse(
    lap_case: LapCase,
    spans: Sequence[CornerSpan],
    sheet: Sheet,
    initial_guess: Lap | None = None,
    bumps: Sequence[tuple[float, float]] = (),
) -> SheetAnalysis:
    """Solves the sheet and reads everything the bench shows.

    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    :param initial_guess: a lap of another sheet in the same case, to start from
    :raises SolverError: if the car cannot take the circuit
    """
    lap = solve_lap(lap_case, sheet, initial_guess=initial_guess)
    results = tuple(read_corner(lap, span, lap_case.line.s) for span in spans)
    car = adjusted(lap_case.car, sheet)
    tyres = tuple(_tyre(lap_case, car, lap, wheel) for wheel in range(4))
    low = tuple(clearances(car, lap, lap_case.line, bumps))
    warnings = tuple(_warnings(lap_case, car, lap, tyres) + _low_warnings(low) + _bump_warnings(lap_case, car, lap))
    alone, towed = (top_speed_ms(car, lap_case.conditions, tow) for tow in (0.0, 1.0))
    return SheetAnalysis(
        lap, results, balance_grid(results), tyres, tuple(shifts(car)), warnings, (alone, towed), tuple(ride_ends(car)), low,
        stability(lap_case, car, lap, spans), systems(car, lap),
        (spent_kj(lap.data), allowed_kj(car, lap.data)) if spends(car) else None,
    )  # fmt: skip


def _mean_loads_n(lap: Lap) -> Four:
    """Mean load of each wheel over the lap's time [N]."""
    dt = lap.column("time")
    return four(float((lap.column(f"load_{wheel}") * dt).sum() / dt.sum()) for wheel in WHEELS)


def best_hot_kpa(lap_case: LapCase, lap: Lap) -> Four:
    """Best hot pressure of each wheel at its mean load [kPa].

    Source: M ch. 2: the best pressure grows with the load, here linearly.
    """
    found = []
    for wheel, load in enumerate(_mean_loads_n(lap)):
        compound = lap_case.compounds[wheel // 2]
        found.append(compound.pressure_opt_kpa + compound.pressure_opt_kpa_per_kn * (load - compound.load_ref_n) / 1000.0)
    return four(found)


def _tyre(lap_case: LapCase, car: Car, lap: Lap, wheel: int) -> TyreAnalysis:
    loads = _mean_loads_n(lap)
    load, total, best = loads[wheel], sum(loads), best_hot_kpa(lap_case, lap)[wheel]
    tyres, hot = lap.tyres, lap.hot_kpa[wheel]
    return TyreAnalysis(
        WHEELS[wheel], tyres.temperature_c[wheel], tyres.carcass_c[wheel], tread_readings(lap_case, car, lap, wheel, hot / best - 1.0),
        hot, best, lap.slip_energy_j[wheel] / 1000.0, load / total,
    )  # fmt: skip


def tread_readings(lap_case: LapCase, car: Car, lap: Lap, wheel: int, pressure_error: float) -> tuple[float, float, float]:
    """Inner, middle and outer temperature of a tread over a lap [degC].

    Source: an assumption of this product (docs/model.md, tread readings).

    :param car: the car as the sheet sets it
    :param pressure_error: hot pressure over its best, less 1 [-]
    """
    excess = excess_camber(lap_case, car, lap, wheel)
    return tread_c(lap.tyres.temperature_c[wheel], lap_case.conditions.ambient_c, excess, pressure_error)


#: Lateral acceleration from which on a bump is crossed with steering on [m/s2], and the margin at which that is worth a warning [%].
_STEERED_MS2, _NEAR_LIMIT = 3.0, 2.0


def _bump_warnings(lap_case: LapCase, car: Car, lap: Lap) -> list[str]:
    """Bumps that are crossed with steering on where an axle has next to nothing left."""
    found = []
    for station, height in lap_case.line.bumps:
        around = np.arange(station, station + 6) % len(lap.data)
        if float(np.abs(lap.column("lateral")[around]).max()) < _STEERED_MS2:
            continue
        uses = {end: float(lap.column(f"{end}_utilisation")[around].max()) for end in ("front", "rear")}
        end = max(uses, key=lambda name: uses[name])
        left = 100.0 * max(1.0 - uses[end], 0.0)
        if left < _NEAR_LIMIT:
            wheels = (0, 1) if end == "front" else (2, 3)
            loads = [float(lap.data[station, COLUMN["load_fl"] + wheel]) for wheel in wheels]
            outer = wheels[int(np.argmax(loads))]
            lost = 100.0 * (1.0 - bump_grip(car, outer, height, float(lap.column("speed")[station]), max(loads)))
            found.append(
                f"The bump {lap_case.line.s[station]:.0f} m after the start line is crossed with steering on: it takes {lost:.0f} % of the"
                f" grip, and the {end} has {left:.0f} % left."
            )
    return found


def _low_warnings(low: Sequence[Clearance]) -> list[str]:
    found = []
    for end in low:
        if end.least_mm <= 0.0:
            found.append(f"The floor touches at the {end.axle} axle, {end.at_m:.0f} m after the start line.")
        elif end.touches:
            places = ", ".join(f"{at:.0f} m" for at, _ in end.touches)
            found.append(f"The floor touches at the {end.axle} axle over the bump at {places}.")
    return found


def _warnings(lap_case: LapCase, car: Car, lap: Lap, tyres: Sequence[TyreAnalysis]) -> list[str]:
    found: list[str] = []
    for tyre in tyres:
        error = tyre.hot_kpa - tyre.best_kpa
        if abs(error) > _PRESSURE_WARNING_KPA:
            side = "above" if error > 0 else "below"
            found.append(f"{WHEEL_WORDS[tyre.wheel].capitalize()} hot pressure is {abs(error):.0f} kPa {side} target.")
    if car.free_item("brakes.front_share") is not None and (end := locks_first(car, lap)):
        share, ideal = 100 * car.brakes.front_share, 100 * ideal_on_lap(lap, car)[0]
        found.append(f"{end.capitalize()} locks first under the hardest braking: bias {share:.1f} % front, ideal {ideal:.1f} %.")
    last = len(car.powertrain.gears)
    limit = limit_speed_ms(car, last)
    if lap.top_speed_ms > 0.985 * limit:
        found.append(f"On the rev limit in the last gear at {3.6 * limit:.0f} km/h: the final drive is too short here.")
    elif int(lap.column("gear").max()) < last:
        found.append(f"Gear {last} is not used on this lap: the final drive is too long here.")
    lifted = min(float(lap.column(f"load_{w}").min()) for w in WHEELS)
    if lifted < LIFTED_N:
        found.append("An inside wheel lifts in a corner.")
    if car.fuel_l < lap.fuel_l:
        found.append(f"Fuel does not last one lap: it burns {format_number(lap.fuel_l, 2)} l.")
    return found
