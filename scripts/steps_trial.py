"""How far two searches for an event's lines that share nothing read the same steps apart: another start, another shaking."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import offset_line, racing_line
from apexcore.circuit.track import Circuit, centre_line
from apexcore.lap.quickest import line_case
from apexcore.lap.solver import LapCase
from apexcore.trim.moves.effects import StepEffect, line_spread_s, step_effects
from apexcore.trim.moves.pool import found_pool
from apexcore.vehicle.sheet import Sheet, base_sheet
from tests.apexcore.circuit.test_averaged import random_circuit
from tests.conftest import demo_car, demo_circuit, demo_lap_case

#: Cars at circuits, and items whose steps move their lines.
PLACES: dict[tuple[str, str], tuple[str, ...]] = {
    ("wisp_125", "quernlow"): ("sprocket", "axle_rear", "torsion_front", "track_rear", "seat_up"),
    ("drummock_stallard", "hollin_bowl"): ("bar_front", "cross", "spring_rr", "final_drive", "ballast_tail"),
    ("ferrow_lark", "quernlow"): ("bar_front", "bar_rear", "wing", "spring_front", "final_drive"),
    ("pentlow_hare", "sallowmere_fen"): ("bar_front", "bar_rear", "wing", "spring_front", "final_drive"),
    ("brackendale_gt", "quernlow"): ("bar_front", "bar_rear", "wing", "ride_rear", "final_drive"),
}
#: A step that is worth its sign [s].
_CLEARLY_S = 0.01


@dataclass(frozen=True)
class Twice:
    """One step read by both searches.

    :param half_s: what the difference may be, from both spreads of the line [s]
    """

    item: str
    steps: int
    one: StepEffect
    other: StepEffect
    half_s: float

    @property
    def off_s(self) -> float:
        """The difference [s]."""
        return self.one.lap_s - self.other.lap_s

    @property
    def holds(self) -> bool:
        """Whether it is within what was said."""
        return abs(self.off_s) <= self.half_s

    @property
    def flips(self) -> bool:
        """Whether both say another sign of a step that is worth one."""
        return self.one.lap_s * self.other.lap_s < 0.0 and max(abs(self.one.lap_s), abs(self.other.lap_s)) > _CLEARLY_S


#: Cars on circuits that nobody drew by hand: seeds of the random ones, and items whose steps move the lap most that are read.
FAR_CARS, FAR_SEEDS, FAR_ITEMS = ("ferrow_lark", "pentlow_hare", "brackendale_gt", "wisp_125"), (901, 902, 903), 7


def read_far(car_key: str, seed: int) -> list[Twice]:
    """Steps of the items that move a lap most, on a random circuit, by both searches."""
    circuit, car = random_circuit(seed), demo_car(car_key)
    pair = (car.tyres.compounds[0], car.tyres.compounds[0])
    case, sheet = LapCase(car, racing_line(circuit, car_width_m=car.width_m), Conditions(), pair), base_sheet(car)
    size: dict[str, float] = {}
    for step in step_effects(case, sheet, list(car.items)):
        if step.value is not None:
            size[step.item.key] = max(size.get(step.item.key, 0.0), abs(step.lap_s))
    keys = sorted(size, key=lambda key: -size[key])[:FAR_ITEMS]
    return _twice(*(_read(circuit, case, sheet, keys, middle) for middle in (False, True)))


def _read(circuit: Circuit, lap_case: LapCase, sheet: Sheet, keys: Sequence[str], middle: bool) -> list[StepEffect]:
    """Steps of these items by lines that are searched for from least curvature, or from the middle of the road."""
    centre = centre_line(circuit)
    pool = found_pool(circuit, lap_case, sheet, begin=np.zeros(len(centre.x)) if middle else None, seed=7 if middle else 1)
    lines = [offset_line(centre, one) for one in pool.lines]
    items = [lap_case.car.item(key) for key in keys]
    return step_effects(line_case(lap_case, lines[0]), sheet, items, others=lines[1:])


def read_twice(car: str, circuit: str) -> list[Twice]:
    """The steps of a place by both."""
    lap_case, _ = demo_lap_case(car, circuit)
    sheet, road, keys = base_sheet(lap_case.car), demo_circuit(circuit), PLACES[car, circuit]
    return _twice(*(_read(road, lap_case, sheet, keys, middle) for middle in (False, True)))


def _twice(ones: Sequence[StepEffect], others: Sequence[StepEffect]) -> list[Twice]:
    """The steps that both have."""
    found = []
    for one, other in zip(ones, others, strict=True):
        if one.value is not None:
            halves = [line_spread_s(each.lap_s, None, each.stirred_s) for each in (one, other)]
            found.append(Twice(one.item.key, one.steps, one, other, math.hypot(*halves)))
    return found


def rms_s(found: Sequence[Twice]) -> float:
    """Root of the mean square of the differences [s]."""
    return math.sqrt(sum(one.off_s**2 for one in found) / len(found))
