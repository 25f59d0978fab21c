"""The result of a search in units, words and picture geometry."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from apexcore.quantities import format_lap, format_number
from apexcore.trim.moves.effects import sheets_spread_s
from apexcore.trim.reading.bounds import BOUNDS
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.ui.pictures import Axis, Plot
from apextrim.ui.units import current, shown, told

_PLOT = Plot(460, 300, left=60, right=440, top=14, bottom=254)


@dataclass(frozen=True)
class SearchRow:
    """A change of a search's result.

    :param gain: what it gains on top of those above, in the aim's unit
    :param sum: all gains so far
    :param query: what the address of the bench needs for all changes so far
    """

    name: str
    values: str
    steps: int
    gain: float
    sum: float
    query: str


@dataclass(frozen=True)
class SearchView:
    """A search's result.

    :param unit: of the gains: seconds, or km/h for top speed
    :param sense: which sign is the better one
    :param spots: the trade in picture units with words
    :param now: the sheet it began with, in the same picture
    :param prices: what each bound of what can be driven costs, in words
    """

    sentence: str
    unit: str
    sense: str
    tried: int
    rows: list[SearchRow]
    plot: Plot
    x: Axis
    y: Axis
    spots: list[tuple[float, float, str]]
    path: str
    now: tuple[float, float]
    prices: tuple[str, ...] = ()

    @property
    def stairs_words(self) -> str:
        """What the stairs go up or down in."""
        return f"{self.unit} in all: {self.sense}"

    @property
    def top_words(self) -> str:
        """What the upright axis shows, in the reader's unit."""
        return f"top speed, {current().unit('km/h')}"


def search_view(result: Mapping[str, Any], aim: str, car: Car, sheet: CoreSheet) -> SearchView:
    """The stored result of a search in words and picture geometry."""
    kmh = 3.6 * current().value(1.0, "km/h")  # of the reader
    factor, unit, sense = (-kmh, current().unit("km/h"), "plus is faster") if aim == "top" else (1.0, "s", "minus is quicker")
    factor_of_price = abs(factor)
    rows: list[SearchRow] = []
    total, query = 0.0, ""
    for key, steps, value, gain in result["changes"]:
        item = car.item(key)
        total, query = total + gain, f"{query}&set={key}:{value:g}"
        words = f"{shown(item).text(sheet.values[key])} to {shown(item).text(value)}"
        rows.append(SearchRow(item.name, words, steps, factor * gain, factor * total, query))
    before, after = result["before"], result["after"]
    trade = [(lap, kmh * top) for lap, top in result["trade"]]
    laps, tops = [*(lap for lap, _ in trade), before[1]], [*(top for _, top in trade), kmh * before[2]]
    x = _PLOT.x_axis(min(laps), max(laps), 4, lambda value: format_lap(value, 2), inset=16)
    y = _PLOT.y_axis(min(tops), max(tops), 4, lambda value: format_number(value, 1), inset=10)
    spots = [(x.at(lap), y.at(top), f"{format_lap(lap, 2)} with {format_number(top, 1)} {current().unit('km/h')}") for lap, top in trade]
    sentence = _search_sentence(aim, rows, before, after, result["excess"])
    return SearchView(
        sentence, unit, sense, result["tried"], rows, _PLOT, x, y, spots if len(spots) > 1 else [],
        "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b, _ in spots), (x.at(before[1]), y.at(kmh * before[2])),
        tuple(f"{format_number(factor_of_price * gain, 2)} {unit} more if {BOUNDS[key].may}" for key, gain in result.get("prices", ())),
    )  # fmt: skip


def _search_sentence(aim: str, rows: Sequence[SearchRow], before: Sequence[float], after: Sequence[float], excess: float) -> str:
    if not rows:
        return "Nothing better found within these limits."
    held = "" if excess <= 1e-6 else " The limits could not all be kept."
    gain = after[1] - before[1]
    spread = sheets_spread_s(gain)
    if aim != "top" and before[0] - after[0] <= sheets_spread_s(before[0] - after[0]):
        best, off = format_number(before[0] - after[0], 3), format_number(sheets_spread_s(before[0] - after[0]), 3)
        return f"Nothing found that gains more than the model may be off by: {best} s ± {off}.{held}"
    lap = f"{format_number(abs(gain), 2)} s a lap {'quicker' if gain < 0 else 'slower'}, ± {format_number(spread, 2)}"
    top = told(f"{format_number(3.6 * (after[2] - before[2]), 1, signed=True)} km/h at the top")
    main = {"lap": lap, "top": top}.get(aim, f"{format_number(before[0] - after[0], 2)} s better for its aim, {lap}")
    half = sum(1 for row in rows if abs(row.sum) < 0.8 * abs(rows[-1].sum)) + 1
    most = f" The first {half} of {len(rows)} changes bring four fifths of it." if len(rows) > 2 and half < len(rows) else ""
    return f"{main[0].upper()}{main[1:]}, with {len(rows)} change{'s' if len(rows) != 1 else ''}.{most}{held}"
