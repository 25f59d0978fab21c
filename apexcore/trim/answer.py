"""What the model says of one sheet, here and today."""

from collections.abc import Sequence
from dataclasses import dataclass

from ..circuit.line import CornerSpan
from ..lap.solver import Lap, Setting, solve_lap
from ..quantities.text import format_number
from ..vehicle.car import WHEEL_WORDS, WHEELS
from ..vehicle.sheet import Sheet, adjusted
from .balance import CornerResult, balance_grid, read_corner
from .gearing import Shift, limit_speed_ms, shifts

#: Pressure error at which a warning is worth reading [kPa], and the share of use at which a braking axle locks.
_PRESSURE_WARNING_KPA = 12.0
_BIAS_WARNING = 0.03


@dataclass(frozen=True)
class TyreAnswer:
    """One wheel, modelled.

    :param temperature_c: settled temperature [degC]
    :param hot_kpa: hot pressure [kPa]
    :param best_kpa: best hot pressure at this wheel's mean load [kPa]
    :param work_kj: sliding work per lap [kJ]
    :param load_share: share of the lap's mean load [-]
    """

    wheel: str
    temperature_c: float
    hot_kpa: float
    best_kpa: float
    work_kj: float
    load_share: float


@dataclass(frozen=True)
class Answer:
    """The bench's answer to a sheet.

    :param lap: the solved lap
    :param corners: each corner read
    :param grid: balance by (corner speed, phase) [%]
    :param warnings: sentences about what is near or past a limit
    """

    lap: Lap
    corners: tuple[CornerResult, ...]
    grid: dict[tuple[str, str], float | None]
    tyres: tuple[TyreAnswer, ...]
    shifts: tuple[Shift, ...]
    warnings: tuple[str, ...]


def answer(setting: Setting, spans: Sequence[CornerSpan], sheet: Sheet, near: Lap | None = None) -> Answer:
    """Solves the sheet and reads everything the bench shows.

    :param near: a lap of another sheet under the same setting, to begin at
    :raises SolverError: if the car cannot take the circuit
    """
    lap = solve_lap(setting, sheet, near=near)
    results = tuple(read_corner(lap, span, setting.line.s) for span in spans)
    tyres = tuple(_tyre(setting, lap, wheel) for wheel in range(4))
    car = adjusted(setting.car, sheet)
    return Answer(lap, results, balance_grid(results), tyres, tuple(shifts(car)), tuple(_warnings(setting, sheet, lap, tyres)))


def _tyre(setting: Setting, lap: Lap, wheel: int) -> TyreAnswer:
    compound = lap.tyres.compound(wheel)
    dt = lap.column("time")
    load = float((lap.column(f"load_{WHEELS[wheel]}") * dt).sum() / dt.sum())
    total = sum(float((lap.column(f"load_{w}") * dt).sum() / dt.sum()) for w in WHEELS)
    best = compound.pressure_opt_kpa + compound.pressure_opt_kpa_per_kn * (load - compound.load_ref_n) / 1000.0
    return TyreAnswer(WHEELS[wheel], lap.tyres.temperature_c[wheel], lap.hot_kpa[wheel], best, lap.slide_j[wheel] / 1000.0, load / total)


def _warnings(setting: Setting, sheet: Sheet, lap: Lap, tyres: Sequence[TyreAnswer]) -> list[str]:
    car = adjusted(setting.car, sheet)
    found: list[str] = []
    for tyre in tyres:
        error = tyre.hot_kpa - tyre.best_kpa
        if abs(error) > _PRESSURE_WARNING_KPA:
            side = "above" if error > 0 else "below"
            found.append(f"Hot pressure {WHEEL_WORDS[tyre.wheel]} {abs(error):.0f} kPa {side} its best for this load.")
    hardest = int(lap.column("accel").argmin())
    loads = [float(lap.column(f"load_{w}")[hardest]) for w in WHEELS]
    ideal = (loads[0] + loads[1]) / sum(loads)
    share = car.brakes.front_share
    movable = any(item.sets == "brakes.front_share" and not item.locked for item in car.items)
    if movable and abs(share - ideal) > _BIAS_WARNING:
        axle = "Rear" if share < ideal else "Front"
        found.append(f"{axle} locks first in the hardest stop: bias {100 * share:.1f} % against an ideal {100 * ideal:.1f} %.")
    last = len(car.powertrain.gears)
    limit = limit_speed_ms(car, last)
    if lap.top_speed_ms > 0.985 * limit:
        found.append(f"On the rev limit in the last gear at {3.6 * limit:.0f} km/h: the final drive is short here.")
    elif int(lap.column("gear").max()) < last:
        found.append(f"Gear {last} is not used on this lap: the final drive is long here.")
    lifted = min(float(lap.column(f"load_{w}").min()) for w in WHEELS)
    if lifted < 50.0:
        found.append("An inside wheel leaves the road in a corner.")
    if sheet.values.get("fuel", lap.fuel_l) < lap.fuel_l:
        found.append(f"Fuel does not last one lap: it burns {format_number(lap.fuel_l, 2)} l.")
    return found
