"""Gears, bias and weights in units and picture geometry."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_number
from apexcore.trim.effects import difference_spread_s
from apexcore.trim.gearing import RatioStep
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.ui.pictures import Axis, linear_axis


@dataclass(frozen=True)
class Mismatch:
    """:param steps: of the item between what is in the car and what is meant"""

    name: str
    there: str
    meant: str
    steps: float


@dataclass(frozen=True)
class ThrustPicture:
    """Thrust of every gear over speed, in picture units.

    :param gears: (gear, path, where its number stands)
    :param resist: path of drag and rolling resistance
    """

    x: Axis
    y: Axis
    gears: list[tuple[int, str, float, float]]
    resist: str


def thrust_picture(speeds: np.ndarray, thrust: np.ndarray, resist: np.ndarray) -> ThrustPicture:
    """The picture of the thrust curves."""
    kmh = 3.6 * speeds
    top = float(kmh[np.flatnonzero(thrust.max(axis=0) > 0)[-1]])
    x = linear_axis(0.0, 1.04 * top, 60, 610, 8, lambda value: format_number(value, 0))
    most = 1.05 * float(thrust.max())
    y = linear_axis(0.0, most / 1000.0, 260, 16, 5, lambda value: format_number(value, 0))
    gears = []
    for number, row in enumerate(thrust, start=1):
        there = np.flatnonzero(row > 0)[::4]
        path = " ".join(f"{x.at(float(kmh[i])):.1f},{y.at(float(row[i]) / 1000.0):.1f}" for i in there)
        best = int(there[np.argmax(row[there])])
        gears.append((number, f"M{path}", x.at(float(kmh[best])), y.at(float(row[best]) / 1000.0) - 5))
    inside = np.flatnonzero((kmh <= 1.04 * top) & (resist < most))[::4]
    line = " ".join(f"{x.at(float(kmh[i])):.1f},{y.at(float(resist[i]) / 1000.0):.1f}" for i in inside)
    return ThrustPicture(x, y, gears, f"M{line}")


@dataclass(frozen=True)
class SweepRow:
    """A value of the final drive.

    :param number: what the address of the bench needs for it
    :param here: whether it is the sheet's
    :param change: lap time against the sheet's value [s]
    """

    text: str
    number: str
    here: bool
    best: bool
    change: float
    spread: float
    step: RatioStep


def sweep_rows(steps: Sequence[RatioStep], item: Item | None, sheet: CoreSheet) -> list[SweepRow]:
    """The sweep over the final drive, against the sheet's own value."""
    if item is None or not steps:
        return []
    here = min(steps, key=lambda one: abs(one.value - sheet.values[item.key]))
    best = min(steps, key=lambda one: one.lap_s)
    rows = []
    for one in steps:
        change = one.lap_s - here.lap_s
        rows.append(
            SweepRow(item.text(one.value), f"{item.key}:{one.value:g}", one is here, one is best, change, difference_spread_s(change), one)
        )
    return rows
