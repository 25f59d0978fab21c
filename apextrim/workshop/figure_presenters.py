"""Gears, bias and weights in units and picture geometry."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_number
from apexcore.trim.figures.bias import BiasCase
from apexcore.trim.figures.gearing import RatioStep
from apexcore.trim.moves.effects import difference_spread_s
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.ui.pictures import Axis, Plot
from apextrim.ui.units import current, shown

_THRUST = Plot(640, 300, left=60, right=610, top=16, bottom=260)
_BIAS = Plot(460, 250, left=60, right=440, top=16, bottom=210)


@dataclass(frozen=True)
class ThrustPicture:
    """Thrust of every gear over speed, in picture units.

    :param gears: (gear, path, where its number stands)
    :param resist: path of drag and rolling resistance
    """

    plot: Plot
    x: Axis
    y: Axis
    gears: list[tuple[int, str, float, float]]
    resist: str


def thrust_picture(speeds: np.ndarray, thrust: np.ndarray, resist: np.ndarray) -> ThrustPicture:
    """The picture of the thrust curves."""
    kmh = 3.6 * speeds * current().value(1.0, "km/h")
    top = float(kmh[np.flatnonzero(thrust.max(axis=0) > 0)[-1]])
    x = _THRUST.x_axis(0.0, 1.04 * top, 8, lambda value: format_number(value, 0))
    most = 1.05 * float(thrust.max())
    y = _THRUST.y_axis(0.0, most / 1000.0, 5, lambda value: format_number(value, 0))
    gears = []
    for number, row in enumerate(thrust, start=1):
        there = np.flatnonzero(row > 0)[::4]
        path = " ".join(f"{x.at(float(kmh[i])):.1f},{y.at(float(row[i]) / 1000.0):.1f}" for i in there)
        best = int(there[np.argmax(row[there])])
        gears.append((number, f"M{path}", x.at(float(kmh[best])), y.at(float(row[best]) / 1000.0) - 5))
    inside = np.flatnonzero((kmh <= 1.04 * top) & (resist < most))[::4]
    line = " ".join(f"{x.at(float(kmh[i])):.1f},{y.at(float(resist[i]) / 1000.0):.1f}" for i in inside)
    return ThrustPicture(_THRUST, x, y, gears, f"M{line}")


@dataclass(frozen=True)
class BiasPicture:
    """Ideal front share over deceleration, in picture units.

    :param empty: path without fuel
    :param full: path with a full tank
    :param sheet_y: height of the sheet's share
    :param spots: (x, y, words) of the hardest stop in each state
    """

    plot: Plot
    x: Axis
    y: Axis
    empty: str
    full: str
    sheet_y: float
    spots: list[tuple[float, float, str]]


def bias_picture(curves: Sequence[Sequence[tuple[float, float]]], cases: Sequence[BiasCase], share: float) -> BiasPicture:
    """The picture of where the bias should stand, for an empty and a full tank."""
    shares = [100 * value for curve in curves for _, value in curve] + [100 * case.ideal for case in cases] + [100 * share]
    x = _BIAS.x_axis(0.0, curves[0][-1][0], 6, lambda value: format_number(value, 0))
    y = _BIAS.y_axis(min(shares) - 1.0, max(shares) + 1.0, 5, lambda value: format_number(value, 0))
    paths = ["M" + " ".join(f"{x.at(a):.1f},{y.at(100 * value):.1f}" for a, value in curve) for curve in curves]
    spots = [(x.at(case.deceleration_ms2), y.at(100 * case.ideal), case.words) for case in cases]
    return BiasPicture(_BIAS, x, y, paths[0], paths[1], y.at(100 * share), spots)


def bias_link(item: Item | None, share: float) -> tuple[str, str] | None:
    """What to set for a share of the front brakes, as text and for the bench's address; None where it cannot be set."""
    if item is None:
        return None
    value = item.nearest_allowed((share - item.offset) / item.scale)
    return shown(item).text(value), f"{item.key}:{value:g}"


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
    here = min(steps, key=lambda step: abs(step.value - sheet.values[item.key]))
    best = min(steps, key=lambda step: step.lap_s)
    rows = []
    for step in steps:
        change = step.lap_s - here.lap_s
        rows.append(
            SweepRow(
                shown(item).text(step.value),
                f"{item.key}:{step.value:g}",
                step is here,
                step is best,
                change,
                difference_spread_s(change),
                step,
            )
        )
    return rows
