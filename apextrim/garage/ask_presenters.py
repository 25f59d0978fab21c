"""Effects, advice and searches in units, words and picture geometry."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from apexcore.quantities import format_lap, format_number
from apexcore.trim.advice import Candidate
from apexcore.trim.balance import PHASES, SPEEDS
from apexcore.trim.effects import StepEffect, difference_spread_s
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS, Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.ui.pictures import Axis, linear_axis

from .sheet_form import set_query

#: Head of the effects table as a file.
EFFECT_HEAD = [
    "item", "step", "value", "unit", "lap_s", "half_interval_s",
    *[f"balance_{speed}_{phase}_pct" for speed in SPEEDS for phase in PHASES],
    *[f"tread_{wheel}_k" for wheel in WHEELS], *[f"work_{wheel}_pct" for wheel in WHEELS], "top_kmh", "fuel_l",
]  # fmt: skip

#: A change of balance from here on stands out in the table [%].
_STRONG = 0.3


@dataclass(frozen=True)
class BalanceChange:
    """:param text: the change, a dash where the circuit has no such corner
    :param strong: whether it stands out"""

    value: float | None
    text: str
    strong: bool


@dataclass(frozen=True)
class EffectRow:
    """A line of the effects table.

    :param number: the value after the step as the bench takes it
    :param balance: nine cells, by corner speed and phase
    """

    effect: StepEffect
    number: str
    balance: list[BalanceChange]

    def cells(self) -> list[str]:
        """The line as a file has it."""
        one = self.effect
        value = "" if one.value is None else f"{one.value:g}"
        balance = ["" if cell.value is None else f"{cell.value:.3f}" for cell in self.balance]
        return [
            one.item.name, f"{one.steps:+d}", value, one.item.unit, f"{one.lap_s:.4f}", f"{one.spread_s:.4f}", *balance,
            *[f"{k:.2f}" for k in one.tread_k], *[f"{100 * share:.2f}" for share in one.work],
            f"{3.6 * one.top_ms:.2f}", f"{one.fuel_l:.4f}",
        ]  # fmt: skip


def effect_rows(effects: Sequence[StepEffect]) -> list[EffectRow]:
    """The effects table in the order given."""
    rows = []
    for one in effects:
        cells = []
        for speed in SPEEDS:
            for phase in PHASES:
                value = one.balance.get((speed, phase))
                text = "–" if value is None else format_number(value, 2, signed=True)
                cells.append(BalanceChange(value, text, value is not None and abs(value) >= _STRONG))
        rows.append(EffectRow(one, "" if one.value is None else f"{one.value:g}", cells))
    return rows


@dataclass(frozen=True)
class AdviceCard:
    """A candidate as shown.

    :param letter: the key that puts it on the sheet
    :param query: what the address of the bench needs for it
    :param words: the first one as a sentence
    """

    one: Candidate
    letter: str
    moves: str
    school: str
    elsewhere: str
    tyres: str
    query: str
    words: str


def advice_cards(found: Sequence[Candidate], sheet: CoreSheet, before: str = "") -> list[AdviceCard]:
    """Candidates in words.

    :param before: what the address of the bench needs for what is unsaved already
    """
    cards = []
    for letter, one in zip("abcdef", found, strict=False):
        parts = [_move(item, steps, sheet.values[item.key], value) for item, steps, value in one.moves]
        school = "frees the end that slides" if one.frees else "tames the end that grips"
        speed, phase = one.where
        aside = "nothing that could be felt"
        if speed and abs(one.elsewhere) >= 0.1:
            sense = "wider" if one.elsewhere > 0 else "looser"
            aside = f"{speed} {phase} {format_number(one.elsewhere, 1, signed=True)} %, {sense}"
        share, wheel = one.work
        tyres = f"work {WHEEL_WORDS[WHEELS[wheel]]} {format_number(100 * share, 1, signed=True)} %"
        query = before + set_query((item, value) for item, _, value in one.moves)
        words = f"{' and '.join(parts)}: {school} by {format_number(one.change, 1)} % of grip."
        cards.append(AdviceCard(one, letter, "; ".join(parts), school, aside, tyres, query, words[0].upper() + words[1:]))
    return cards


def _move(item: Item, steps: int, before: float, after: float) -> str:
    count = f"{abs(steps)} step{'s' if abs(steps) != 1 else ''} {'up' if steps > 0 else 'down'}"
    return f"{item.name} {item.text(before)} to {item.text(after)} ({count})"


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
    :param spots: the trade in picture units with words
    :param now: the sheet it began with, in the same picture
    """

    sentence: str
    unit: str
    tried: int
    rows: list[SearchRow]
    x: Axis
    y: Axis
    spots: list[tuple[float, float, str]]
    path: str
    now: tuple[float, float]


def search_view(result: Mapping[str, Any], aim: str, car: Car, sheet: CoreSheet) -> SearchView:
    """The stored result of a search in words and picture geometry."""
    factor, unit = (-3.6, "km/h") if aim == "top" else (1.0, "s")
    rows: list[SearchRow] = []
    total, query = 0.0, ""
    for key, steps, value, gain in result["changes"]:
        item = car.item(key)
        total, query = total + gain, f"{query}&set={key}:{value:g}"
        words = f"{item.text(sheet.values[key])} to {item.text(value)}"
        rows.append(SearchRow(item.name, words, steps, factor * gain, factor * total, query))
    before, after = result["before"], result["after"]
    trade = [(lap, 3.6 * top) for lap, top in result["trade"]]
    laps, tops = [*(lap for lap, _ in trade), before[1]], [*(top for _, top in trade), 3.6 * before[2]]
    x = linear_axis(min(laps), max(laps), 76, 424, 4, lambda value: format_lap(value, 2))
    y = linear_axis(min(tops), max(tops), 244, 26, 4, lambda value: format_number(value, 1))
    spots = [(x.at(lap), y.at(top), f"{format_lap(lap, 2)} with {format_number(top, 1)} km/h") for lap, top in trade]
    return SearchView(
        _search_sentence(aim, rows, before, after, result["excess"]), unit, result["tried"], rows, x, y, spots if len(spots) > 1 else [],
        "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b, _ in spots), (x.at(before[1]), y.at(3.6 * before[2])),
    )  # fmt: skip


def _search_sentence(aim: str, rows: Sequence[SearchRow], before: Sequence[float], after: Sequence[float], excess: float) -> str:
    if not rows:
        return "Nothing better was found: no free step helps within the limits."
    held = "" if excess <= 1e-6 else " The limits could not all be kept."
    gain = after[1] - before[1]
    spread = difference_spread_s(gain)
    lap = f"{format_number(abs(gain), 2)} s a lap {'quicker' if gain < 0 else 'slower'}, ± {format_number(spread, 2)}"
    top = f"{format_number(3.6 * (after[2] - before[2]), 1, signed=True)} km/h at the top"
    main = {"lap": lap, "top": top}.get(aim, f"{format_number(before[0] - after[0], 2)} s better for its aim, {lap}")
    half = sum(1 for row in rows if abs(row.sum) < 0.8 * abs(rows[-1].sum)) + 1
    most = f" The first {half} of {len(rows)} changes bring four fifths of it." if len(rows) > 2 and half < len(rows) else ""
    return f"{main[0].upper()}{main[1:]}, with {len(rows)} change{'s' if len(rows) != 1 else ''}.{most}{held}"
