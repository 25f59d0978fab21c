"""Laps as a picture."""

import csv
import io
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.formats.laps_csv import lap_cells
from apexcore.formats.text import words_cell
from apexcore.judge.laps import KIND_WORDS, DrivenLap
from apexcore.judge.tags import tags_text
from apexcore.quantities import format_lap
from apextrim.ui.pictures import Axis, Plot

from .queries import RunLine

_PLOT = Plot(620, 250, left=62, right=606, top=16, bottom=216)


@dataclass(frozen=True)
class Spot:
    """A lap in the picture; `beyond` is set where it lies above the scale and is drawn at its edge."""

    x: float
    y: float
    kind: str
    title: str
    beyond: bool


@dataclass(frozen=True)
class OverLine:
    """Another run laid over the picture.

    :param line: path through its timed laps
    :param end: where its name stands [px]
    """

    name: str
    line: str
    spots: list[Spot]
    end: tuple[float, float]


@dataclass(frozen=True)
class LapPicture:
    """Lap time over lap number.

    :param line: path through the timed laps
    :param median_y: height of the median, None without timed laps
    :param over: other runs in the same picture
    """

    spots: list[Spot]
    line: str
    plot: Plot
    x: Axis
    y: Axis
    median_y: float | None
    over: list[OverLine]


def lap_picture(
    laps: Sequence[DrivenLap], median_s: float | None, over: Sequence[tuple[str, Sequence[DrivenLap]]] = ()
) -> LapPicture | None:
    """The picture; None without laps. The scale is the timed laps': an out-lap must not flatten the rest.

    :param over: names and laps of runs to lay over it, lap by lap from their first
    """
    if not laps:
        return None
    timed = [lap.time_s for lap in laps if lap.kind == "timed"] or [lap.time_s for lap in laps]
    timed += [lap.time_s for _, others in over for lap in others if lap.kind == "timed"]
    low, high = min(timed), max(timed)
    room = max(0.12 * (high - low), 0.1)
    numbers = [lap.number for _, others in (("", laps), *over) for lap in others]
    y = _PLOT.y_axis(low - room, high + 3 * room, 5, lambda v: format_lap(v, 1))
    whole = max(int(np.ceil((max(numbers) - min(numbers)) / 12)), 1)
    x = _PLOT.x_axis(min(numbers) - 0.5, max(numbers) + 0.5, 0, lambda v: f"{v:.0f}", step=float(whole))
    spots = []
    for lap in laps:
        beyond = lap.time_s > high + 3 * room
        at = _PLOT.top + 4 if beyond else float(y.at(lap.time_s))
        title = f"Lap {lap.number}: {format_lap(lap.time_s)}, {KIND_WORDS[lap.kind]}"
        spots.append(Spot(float(x.at(lap.number)), at, lap.kind, title, beyond))
    points = [f"{spot.x:.1f},{spot.y:.1f}" for spot in spots if spot.kind == "timed"]
    line = "M" + " ".join(points) if len(points) > 1 else ""
    median_y = None if median_s is None else float(y.at(median_s))
    return LapPicture(spots, line, _PLOT, x, y, median_y, [_over(name, others, x, y) for name, others in over])


def _over(name: str, laps: Sequence[DrivenLap], x: Axis, y: Axis) -> OverLine:
    timed = [lap for lap in laps if lap.kind == "timed"]
    spots = [
        Spot(float(x.at(lap.number)), float(y.at(lap.time_s)), lap.kind, f"{name}, lap {lap.number}: {format_lap(lap.time_s)}", False)
        for lap in timed
    ]
    line = "M" + " ".join(f"{spot.x:.1f},{spot.y:.1f}" for spot in spots) if len(spots) > 1 else ""
    return OverLine(name, line, spots, (spots[-1].x, spots[-1].y) if spots else (_PLOT.left, _PLOT.top))


def all_laps_csv(lines: Iterable[RunLine], sectors: int) -> Iterator[str]:
    """Every lap of these runs as CSV, a run at a time: what the run carries, then the lap as `formats.laps_csv` has it.

    :param sectors: columns of sectors
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    head = [
        "run",
        "sheet",
        "front",
        "rear",
        "tyre_age",
        "fuel_start_l",
        "track_c",
        "wet_pct",
        "tags",
        "lap",
        "lap_time",
        "kind",
        "fuel_l",
        "top_kmh",
    ]
    writer.writerow([*head, *[f"sector_{n}" for n in range(1, sectors + 1)]])
    for line in lines:
        run = line.run
        start = [words_cell(text) for text in (run.name, run.sheet.name, run.front, run.rear)]
        start += [f"{run.tyre_age:g}", f"{run.fuel_l:g}", f"{run.conditions.get('track_c', 0):g}", f"{run.wet_pct:g}"]
        start.append(words_cell(tags_text(run.tags)))
        for lap in line.laps:
            writer.writerow([*start, *lap_cells(lap, sectors, top_decimals=1)])
        yield out.getvalue()
        out.seek(0)
        out.truncate()
    yield out.getvalue()


def imported(new: int) -> str:
    """What is said of a file of laps that came in."""
    return f"{new} lap{'s' if new != 1 else ''} imported." if new else "Every lap of this file is there already; nothing was added."
