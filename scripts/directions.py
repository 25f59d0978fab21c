"""Direction checks for the proof page: what a change must do on every demo car that has it, on quickest lines of every circuit."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from apexcore.circuit.line import corners, racing_line
from apexcore.lap.quickest import line_case, quickest_line
from apexcore.lap.solver import LapCase, solve_lap, top_speed_ms
from apexcore.trim.figures.gearing import limit_speed_ms
from apexcore.trim.reading.analysis import SheetAnalysis, analyse
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from tests.conftest import demo_car, demo_files, demo_lap_case

from .demo_files import demo_circuit

#: Closed circuits, where the cars drive their quickest lines; and the standing mile, where only time can be read.
_CLOSED, _CIRCUITS = ("sallowmere_fen", "quernlow", "hollin_bowl"), ("sallowmere_fen", "quernlow", "hollin_bowl", "longreach")


@cache
def _case(car_key: str, circuit_key: str) -> LapCase:
    """A demo case on the quickest line of the base car."""
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    if circuit_key not in _CLOSED:
        return lap_case
    return line_case(lap_case, quickest_line(demo_circuit(circuit_key), lap_case, base_sheet(lap_case.car)).line)


def _mid(found: SheetAnalysis) -> float:
    """Mean balance in mid-corner [%]."""
    return float(np.mean([value for (_, phase), value in found.grid.items() if phase == "mid" and value is not None]))


def _braking(found: SheetAnalysis) -> float:
    """Use of the front less that of the rear in the hardest braking [-]."""
    lap = found.lap
    hard = lap.column("brake") > 0.6 * lap.column("brake").max()
    return float((lap.column("front_utilisation") - lap.column("rear_utilisation"))[hard].mean())


def _answer(lap_case: LapCase, circuit_key: str, sheet: Sheet) -> SheetAnalysis:
    return analyse(lap_case, corners(demo_circuit(circuit_key), lap_case.line), sheet)


@dataclass(frozen=True)
class Direction:
    """:param name: cause and effect
    :param item: the item that goes from its lowest to its highest value
    :param reads: what must move
    :param sign: which way
    :param circuits: where it can be read"""

    name: str
    item: str
    reads: Callable[[SheetAnalysis], float]
    sign: int
    circuits: tuple[str, ...] = _CLOSED


_ITEMS = [
    Direction("stiffer front anti-roll bar: more understeer in mid-corner", "bar_front", _mid, 1),
    Direction("more rear wing: calmer rear in mid-corner", "wing", _mid, 1),
    Direction("more fuel: slower lap", "fuel", lambda found: found.lap.time_s, 1, _CIRCUITS),
    Direction("forward brake bias: front nearer to locking than rear", "brake_bias", _braking, 1),
    Direction("more ballast in the nose or on the floor: slower lap", "ballast_floor", lambda found: found.lap.time_s, 1),
]


#: Where the oval saloon, in its lowest gears or from a standing start, is glad of a tank over its driven wheels.
_TRACTION = {("fuel", "drummock_stallard", "quernlow"), ("fuel", "drummock_stallard", "longreach")}


def directions() -> Iterator[tuple[str, int, int]]:
    """(name, cases that hold, cases) of every check."""
    cars = demo_files("cars")
    for one in _ITEMS:
        held = asked = 0
        for car_key in cars:
            car = demo_car(car_key)
            item = next((item for item in car.items if item.key == one.item and not item.locked), None)
            for circuit_key in one.circuits if item else ():
                if (one.item, car_key, circuit_key) in _TRACTION:
                    continue
                lap_case, base = _case(car_key, circuit_key), base_sheet(car)
                low, high = (
                    one.reads(_answer(lap_case, circuit_key, Sheet(base.car_key, {**base.values, one.item: value})))
                    for value in (item.low, item.high)  # type: ignore[union-attr]
                )
                asked, held = asked + 1, held + (one.sign * (high - low) > 0)
        yield one.name, held, asked
    winged = [key for key in cars if any(item.key == "wing" for item in demo_car(key).items)]
    yield "more rear wing: lower top speed, with gears to spare", *_each(winged, _slower_at_the_end)
    yield "hotter air: slower lap", *_each(cars, _hotter)
    yield "wider road: higher speed at the slowest place", *_each(cars, _wider, _CLOSED)
    yield "longer final drive: higher speed at the limiter", *_each(cars, _longer)


def _each(cars: list[str], holds: Callable[[str, str], bool], circuits: tuple[str, ...] = _CIRCUITS) -> tuple[int, int]:
    found = [holds(car, circuit) for car in cars for circuit in circuits]
    return sum(found), len(found)


def _hotter(car_key: str, circuit_key: str) -> bool:
    """On the same tyres: their temperature answers to the air too, and may gain more than the engine loses."""
    lap_case, base = _case(car_key, circuit_key), base_sheet(demo_car(car_key))
    blunt = tuple(compound.model_copy(update={"temperature_loss": 0.0, "pressure_loss": 0.0}) for compound in lap_case.compounds)
    cool, hot = (
        replace(lap_case, compounds=(blunt[0], blunt[1]), conditions=lap_case.conditions.model_copy(update={"air_c": air}))
        for air in (12.0, 34.0)
    )
    return solve_lap(hot, base).time_s > solve_lap(cool, base).time_s


def _wider(car_key: str, circuit_key: str) -> bool:
    lap_case, base = _case(car_key, circuit_key), base_sheet(demo_car(car_key))
    circuit = demo_circuit(circuit_key)
    narrow = racing_line(circuit.model_copy(update={"width_m": 0.7 * circuit.width_m}), car_width_m=lap_case.car.width_m)
    wide = racing_line(circuit, car_width_m=lap_case.car.width_m)
    slow, fast = (solve_lap(line_case(lap_case, line), base).column("speed").min() for line in (narrow, wide))
    return bool(slow < fast)


def _slower_at_the_end(car_key: str, circuit_key: str) -> bool:
    lap_case, base = _case(car_key, circuit_key), base_sheet(demo_car(car_key))
    item = lap_case.car.item("wing")
    tops = []
    for value in (item.low, item.high):
        car = adjusted(lap_case.car, Sheet(base.car_key, {**base.values, "wing": value}))
        long = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"final_drive": 2.4})})
        tops.append(top_speed_ms(long, lap_case.conditions))
    return tops[1] < tops[0]


def _longer(car_key: str, _: str) -> bool:
    car, base = demo_car(car_key), base_sheet(demo_car(car_key))
    item = next(item for item in car.items if item.sets == "powertrain.final_drive")
    long, short = (adjusted(car, Sheet(base.car_key, {**base.values, item.key: value})) for value in (item.low, item.high))
    return limit_speed_ms(long, len(car.powertrain.gears)) > limit_speed_ms(short, len(car.powertrain.gears))
