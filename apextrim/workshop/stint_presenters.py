"""A stint in picture geometry."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.quantities import format_lap, format_number
from apexcore.trim.reading.drift import DriftLap
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.ui.pictures import Axis, Plot

_PLOT = Plot(580, 270, left=64, right=530, top=16, bottom=236)


@dataclass(frozen=True)
class WearPath:
    """:param label_y: where the wheel's name stands, clear of the others"""

    wheel: str
    words: str
    path: str
    label_y: float


@dataclass(frozen=True)
class StintPicture:
    """A stint in picture units.

    :param plot: of both, lap time and wear
    :param cliffs: heights of the worn shares at which grip falls away
    """

    plot: Plot
    x: Axis
    time: Axis
    wear: Axis
    times: str
    spots: list[tuple[float, float]]
    wheels: list[WearPath]
    cliffs: list[float]


def stint_picture(laps: Sequence[DriftLap], cliff: tuple[float, float]) -> StintPicture:
    """Lap times and wear of a stint; the cold first lap sets no scale."""
    count = len(laps)
    x = _PLOT.x_axis(1, count, 10, lambda value: format_number(value, 0), inset=10)
    seconds = [lap.time_s for lap in laps[1:]]
    low, high = min(seconds), max(seconds)
    room = 0.08 * max(high - low, 0.1)
    time = _PLOT.y_axis(low - room, high + room, 5, lambda value: format_lap(value, 1), inset=6)
    worn = max(max(lap.wear) for lap in laps)
    wear = _PLOT.y_axis(0.0, max(100 * worn, 10.0) * 1.05, 5, lambda value: format_number(value, 0))
    spots = [(x.at(lap.number), time.at(lap.time_s)) for lap in laps[1:]]
    ends = sorted(range(4), key=lambda w: -laps[-1].wear[w])
    labels: dict[int, float] = {}
    for w in ends:  # names from the most worn down, each at least a line below the one before
        labels[w] = max(wear.at(100 * laps[-1].wear[w]), max(labels.values(), default=0.0) + 14)
    wheels = []
    for w, wheel in enumerate(WHEELS):
        path = " ".join(f"{x.at(lap.number):.1f},{wear.at(100 * lap.wear[w]):.1f}" for lap in laps)
        wheels.append(WearPath(wheel, WHEEL_WORDS[wheel], f"M{path}", labels[w]))
    cliffs = [wear.at(100 * value) for value in sorted(set(cliff)) if 100 * value <= wear.high]
    return StintPicture(_PLOT, x, time, wear, "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b in spots), spots, wheels, cliffs)
