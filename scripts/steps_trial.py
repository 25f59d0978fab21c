"""How far two searches for an event's lines that share nothing read the same steps apart: another start, another shaking."""

from dataclasses import dataclass

import numpy as np

from apexcore.circuit.line import offset_line
from apexcore.circuit.track import Circuit, centre_line
from apexcore.lap.quickest import line_case
from apexcore.lap.solver import LapCase
from apexcore.trim.moves.effects import StepEffect, step_effects
from apexcore.trim.moves.pool import found_pool
from apexcore.vehicle.sheet import Sheet


@dataclass(frozen=True)
class Read:
    """:param plain_s: on the best line of the base sheet alone [s]
    :param effects: each sheet on the best of the lines"""

    plain: list[StepEffect]
    effects: list[StepEffect]


def read_from(circuit: Circuit, lap_case: LapCase, sheet: Sheet, keys: list[str], middle: bool) -> Read:
    """Steps of these items by lines that are searched for from least curvature, or from the middle of the road."""
    centre = centre_line(circuit)
    begin = np.zeros(len(centre.x)) if middle else None
    pool = found_pool(circuit, lap_case, sheet, begin=begin, seed=7 if middle else 1)
    lines = [offset_line(centre, one) for one in pool.lines]
    on_it = line_case(lap_case, lines[0])
    items = [lap_case.car.item(key) for key in keys]
    return Read(step_effects(on_it, sheet, items), step_effects(on_it, sheet, items, others=lines[1:]))
