"""Two laps as the page and its charts need them."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from apexcore.circuit.track import Circuit
from apexcore.judge.traces.channels import CHANNELS, unit_of, words_of
from apexcore.judge.traces.explain import Comparison, Row, sentence
from apextrim.runs.recorded import known_channels
from apextrim.ui.circuit_map import map_view
from apextrim.ui.units import current

from .compare import Ground, Pair

Floats = NDArray[np.float64]

#: Most places along the lap that the charts get, and rows of the table that says the same.
_MOST_PLACES, _TABLE_ROWS = 4000, 40
#: Channels that are drawn where nothing else was chosen, and those that are no channels of a chart.
USUAL = ("speed_kmh", "throttle_pct", "brake_pct", "gear")
_NOT_DRAWN = {"distance_m", "x_m", "y_m", "time_s", "lap"}


@dataclass(frozen=True)
class CornerLine:
    """A corner in the table.

    :param told: what was done otherwise, as clauses
    """

    row: Row
    told: list[str]

    @property
    def number(self) -> int | None:
        """Of the corner; None for the way to the first."""
        return None if self.row.window is None else self.row.window.number


def corner_lines(comparison: Comparison) -> list[CornerLine]:
    """Every part of the lap, the largest first: together they are the gap."""
    return [CornerLine(row, _told(row)) for row in comparison.by_size()]


def _told(row: Row) -> list[str]:
    """What was done otherwise, or why nothing is said of it."""
    if row.clear and row.causes:
        return [cause.words for cause in row.causes[:4]]
    if row.clear:
        return ["down the straight" if abs(row.after_s) > abs(row.there_s) else "no single cause"]
    return ["usual for such laps" if row.usual else "too small to measure"]


@dataclass(frozen=True)
class Reading:
    """What both laps did in a corner: pairs of the lap and the reference, None where it is not known."""

    row: Row
    brake_m: tuple[float | None, float | None]
    slow_kmh: tuple[float, float]
    gear: tuple[int | None, int | None]
    offset_m: tuple[float | None, float | None]
    open_m: tuple[float | None, float | None]
    full_m: tuple[float | None, float | None]
    end_kmh: tuple[float, float]

    @property
    def begins_m(self) -> tuple[float | None, float | None]:
        """Braking before the corner's middle, so that it reads as boards do [m]."""
        apex = self.row.window.apex_m if self.row.window else 0.0
        return _before(apex, self.brake_m)

    @property
    def opens_m(self) -> tuple[float | None, float | None]:
        """Throttle behind the corner's middle [m]."""
        apex = self.row.window.apex_m if self.row.window else 0.0
        return _behind(apex, self.open_m)

    @property
    def fulls_m(self) -> tuple[float | None, float | None]:
        """Full throttle behind the corner's middle [m]."""
        apex = self.row.window.apex_m if self.row.window else 0.0
        return _behind(apex, self.full_m)


def _before(apex: float, pair: tuple[float | None, float | None]) -> tuple[float | None, float | None]:
    return (None if pair[0] is None else apex - pair[0], None if pair[1] is None else apex - pair[1])


def _behind(apex: float, pair: tuple[float | None, float | None]) -> tuple[float | None, float | None]:
    return (None if pair[0] is None else pair[0] - apex, None if pair[1] is None else pair[1] - apex)


def readings(comparison: Comparison) -> list[Reading]:
    """Every corner in driving order."""
    found = []
    for row in comparison.rows:
        if row.lap is None or row.reference is None:
            continue
        a, b = row.lap, row.reference
        found.append(
            Reading(
                row, (a.brake_m, b.brake_m), (3.6 * a.slow_ms, 3.6 * b.slow_ms), (a.gear, b.gear), (a.offset_m, b.offset_m),
                (a.open_m, b.open_m), (a.full_m, b.full_m), (3.6 * a.end_ms, 3.6 * b.end_ms),
            )
        )  # fmt: skip
    return found


def opening(pair: Pair) -> str:
    """The first sentence of the page."""
    return f"{pair.lap.short}: {sentence(pair.comparison, pair.reference.short)}"


def lag_words(pair: Pair) -> list[str]:
    """What was corrected before the laps were held against each other."""
    laps = ((pair.lap.short, pair.comparison.lap.lag_s), (pair.reference.short, pair.comparison.reference.lag_s))
    return [
        f"{name}: the speed came {abs(lag):.2f} s {'later' if lag > 0 else 'earlier'} than the positions; it is moved back."
        for name, lag in laps
        if lag
    ]


def places_of(length_m: float) -> Floats:
    """Places along the lap at which charts are drawn [m]."""
    step = max(1.0, length_m / _MOST_PLACES)
    return np.asarray(np.minimum(np.arange(0.0, length_m + step, step), length_m))


def shared_channels(pair: Pair) -> list[tuple[str, str]]:
    """Channels that can be drawn, with their names and units."""
    keys = {*pair.lap.lap.columns, *pair.reference.lap.columns} - _NOT_DRAWN
    return [(key, named(key, pair)) for key in known_channels(sorted(keys))]


def named(key: str, pair: Pair) -> str:
    """A channel's name with its unit."""
    unit = unit_of(key)
    if key not in CHANNELS:
        units = [side.trace.units for side in (pair.lap, pair.reference) if side.trace is not None]
        unit = next((told[key] for told in units if told.get(key)), "")
    return f"{words_of(key)}, {current().unit(unit)}" if unit else words_of(key)


def chart_data(pair: Pair, ground: Ground, circuit: Circuit, wanted: Sequence[str]) -> dict[str, Any]:
    """What the charts draw: gap and channels of both laps along the road, the corners, and where the car was on the map.

    :param wanted: channels by key, in the order in which they are drawn
    """
    comparison, place = pair.comparison, places_of(ground.line.length_m)
    known = dict(shared_channels(pair))
    channels = []
    for key in wanted:
        if key in known:
            sides = [_at(one, key, place) for one in (comparison.lap, comparison.reference)]
            channels.append({"key": key, "name": known[key], "lap": sides[0], "reference": sides[1], "step": _steps(key)})
    spots = map_view(circuit, ground.line, ground.spans)
    x, y = _map_places(spots.picks, place)
    return {
        "place": _rounded(place, 1), "gap": _rounded(comparison.gap(place), 4),
        "time": _rounded(comparison.lap.times(place), 3), "channels": channels,
        "corners": [
            {"number": row.window.number, "name": row.title, "from": round(row.from_m, 1), "to": round(row.to_m, 1),
             "apex": round(row.window.apex_m, 1), "lost": round(row.total_s, 4)}
            for row in comparison.rows if row.window is not None
        ],
        "way": {"unit": current().unit("m"), "size": current().value(1.0, "m")},
        "map": {"x": x, "y": y}, "lap": pair.lap.short, "reference": pair.reference.short,
    }  # fmt: skip


def _steps(key: str) -> bool:
    return key in CHANNELS and CHANNELS[key].step


def _at(lap: Any, key: str, place: Floats) -> list[float | None] | None:
    """A channel at places of the road, None at those where nothing was measured, and None at all where it was not recorded."""
    if key not in lap.columns:
        return None
    column = current().value(lap.v * 3.6 if key == "speed_kmh" else lap.columns[key], unit_of(key))
    if _steps(key):
        values = column[np.clip(np.searchsorted(lap.p, place, side="right") - 1, 0, len(column) - 1)]
    else:
        values = np.interp(place, lap.p, column)
    top = float(np.nanmax(np.abs(values))) if np.isfinite(values).any() else 1.0
    return _rounded(values, max(0, 3 - max(math.floor(math.log10(max(top, 1e-6))), 0)))


def _rounded(values: Floats, decimals: int) -> list[float | None]:
    return [None if value != value else value for value in np.round(values, decimals).tolist()]


def _map_places(picks: str, place: Floats) -> tuple[list[float | None], list[float | None]]:
    """Places on the picture of the map, of its picks "x,y,metres"."""
    rows = np.array([[float(part) for part in one.split(",")] for one in picks.split(";")])
    rows = np.vstack([rows, rows[:1] + np.array([[0.0, 0.0, place[-1]]])])
    share = rows[:, 2] / max(rows[-1, 2], 1.0) * place[-1]
    return _rounded(np.interp(place, share, rows[:, 0]), 1), _rounded(np.interp(place, share, rows[:, 1]), 1)


@dataclass(frozen=True)
class PlaceRow:
    """A place along the lap in the table that says what the charts show."""

    place_m: float
    gap_s: float
    values: list[tuple[float | None, float | None]]


def place_table(pair: Pair, ground: Ground, wanted: Sequence[str]) -> tuple[list[str], list[PlaceRow]]:
    """Names of the channels, and a row every few metres."""
    length = ground.line.length_m
    step = max(math.ceil(length / _TABLE_ROWS / 25.0) * 25.0, 25.0)
    place = np.append(np.arange(0.0, length, step), length)
    known = dict(shared_channels(pair))
    keys = [key for key in wanted if key in known]
    sides = [(_at(pair.comparison.lap, key, place), _at(pair.comparison.reference, key, place)) for key in keys]
    gap = pair.comparison.gap(place)
    rows = []
    for k in range(len(place)):
        rows.append(PlaceRow(float(place[k]), float(gap[k]), [(a[k] if a else None, b[k] if b else None) for a, b in sides]))
    return [known[key] for key in keys], rows
