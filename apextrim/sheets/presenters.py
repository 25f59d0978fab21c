"""The sheet bench in units, words and picture geometry."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_number
from apexcore.trim.moves.effects import sheets_spread_s
from apexcore.trim.reading.analysis import SheetAnalysis, TyreAnalysis
from apexcore.trim.reading.balance import PHASES, SPEEDS, balance_changes
from apexcore.vehicle.car import WHEEL_WORDS, Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Difference
from apextrim.ui.units import ShownItem, shown

#: Balance at which a bar of the picture is full [%].
_FULL_BALANCE = 24.0

#: Order of the groups on the picture of the car, and what they are called.
PLACES = [
    ("fl", "Front left"), ("front", "Front axle"), ("fr", "Front right"),
    ("car", "Car"),
    ("rl", "Rear left"), ("rear", "Rear axle"), ("rr", "Rear right"),
]  # fmt: skip


#: Kinds of items that fold where there are at least `_FOLD_FROM` of them in one place, by what they set.
_FOLD_OF = [("powertrain.gears", "Gear ratios"), ("ballast", "Ballast"), ("powertrain.differential", "Differential")]
_FOLDS = ("Differential", "Gear ratios", "Ballast", "Dampers")
_FOLD_FROM = 2


@dataclass(frozen=True)
class ItemView:
    """An item as a control.

    :param label: its name within its group
    :param text: the value as typed or saved
    :param saved: the value on the saved sheet
    :param name: what that step is called, where steps have names
    """

    item: ShownItem
    label: str
    text: str
    saved: str
    name: str
    error: str


@dataclass(frozen=True)
class Fold:
    """Items that fold together.

    :param open: whether something in it is wrong or differs from the saved sheet
    """

    title: str
    items: list[ItemView]
    open: bool


@dataclass(frozen=True)
class Group:
    """The items in one place on the car.

    :param place: of `PLACES`
    :param items: all of them
    :param shown: those outside a fold
    """

    place: str
    title: str
    items: list[ItemView]
    shown: list[ItemView]
    folds: list[Fold]


def item_groups(car: Car, saved: Mapping[str, float], typed: Mapping[str, str], errors: Mapping[str, str]) -> list[Group]:
    """The items in their places on the car.

    :param typed: text by item key, where it is not the saved value's
    :param errors: what is wrong with it, by item key
    """

    def view(item: Item) -> ItemView:
        value = saved[item.key]
        seen = shown(item)
        text = typed.get(item.key, seen.number(value))
        return ItemView(seen, _label(item), text, seen.number(value), item.name_of(value), errors.get(item.key, ""))

    groups = []
    for index, title in PLACES:
        views = [view(item) for item in car.items if item.place == index]
        alike = [(words, [view for view in views if _fold(view.item.item) == words]) for words in _FOLDS]
        folds = [
            Fold(words, there, any(view.error or view.text != view.saved for view in there))
            for words, there in alike
            if len(there) >= _FOLD_FROM
        ]
        folded = {item.item.key for fold in folds for item in fold.items}
        groups.append(Group(index, title, views, [view for view in views if view.item.key not in folded], folds))
    return groups


def _fold(item: Item) -> str:
    """The fold that an item goes into where there are several of its kind, empty for none."""
    if item.damper_only:
        return "Dampers"
    return next((words for start, words in _FOLD_OF if item.sets.startswith(start)), "")


def shape_of(car: Car) -> str:
    """What its picture from above is like: kart, single, saloon or coupe."""
    if car.front.rigid and car.rear.rigid:
        return "kart"
    words = car.kind.lower()
    if "single" in words or "formula" in words or "open" in words:
        return "single"
    return "saloon" if any(word in words for word in ("saloon", "hatch", "oval", "estate", "truck")) else "coupe"


def _label(item: Item) -> str:
    """The name without the words that its place says already."""
    words = WHEEL_WORDS.get(item.place, item.place)
    name = item.name.replace(words, "").replace(words.capitalize(), "").strip()
    return (name or item.name)[0].upper() + (name or item.name)[1:]


@dataclass(frozen=True)
class BalanceCell:
    """One cell of the balance picture, in a box 100 wide with its middle at 50.

    :param value: [%], None where the circuit has no such corner
    :param change: against the saved sheet [%]
    :param words: what it means
    """

    value: float | None
    change: float | None
    x: float
    width: float
    words: str


def balance_words(value: float) -> str:
    """A signed margin in words."""
    if abs(value) < 1.0:
        return "neutral"
    return "understeer" if value > 0 else "oversteer"


def _cell(value: float | None, change: float | None) -> BalanceCell:
    if value is None:
        return BalanceCell(None, None, 50, 0, "no such corner")
    length = 50 * min(abs(value) / _FULL_BALANCE, 1.0)
    return BalanceCell(value, change, 50 if value > 0 else 50 - length, length, balance_words(value))


@dataclass(frozen=True)
class Pad:
    """A wheel's pad: four figures and how far its pressure is off.

    :param pressure_off: hot pressure minus its best [kPa]
    :param share: share of the sliding work of all four, 0 to 1
    """

    words: str
    tyre: TyreAnalysis
    pressure_off: float
    share: float


@dataclass(frozen=True)
class AnswerView:
    """All that the answer panel shows.

    :param change_s: modelled lap against the saved sheet [s]
    :param spread_s: half the width of its 95 % interval [s]
    :param rows: (corner speed, three cells)
    :param steadier: change of the yaw margins at top speed and on entry [%]
    """

    answer: SheetAnalysis
    change_s: float
    spread_s: float
    top_change_kmh: float
    rows: list[tuple[str, list[BalanceCell]]]
    pads: list[Pad]
    steadier: tuple[float, float | None]


def answer_view(now: SheetAnalysis, saved: SheetAnalysis) -> AnswerView:
    """The answer beside the saved sheet's."""
    changes = balance_changes(now.corners, saved.corners)
    rows = [(speed, [_cell(now.grid[speed, phase], changes[speed, phase]) for phase in PHASES]) for speed in SPEEDS]
    total = sum(tyre.work_kj for tyre in now.tyres)
    pads = [Pad(WHEEL_WORDS[t.wheel], t, t.hot_kpa - t.best_kpa, t.work_kj / total) for t in now.tyres]
    change = now.lap.time_s - saved.lap.time_s
    top = 3.6 * (now.lap.top_speed_ms - saved.lap.top_speed_ms)
    stirred = float(np.abs(now.lap.column("time") - saved.lap.column("time")).sum())
    entry = (now.stability.entry_pct, saved.stability.entry_pct)
    steadier = now.stability.top_pct - saved.stability.top_pct, None if None in entry else (entry[0] or 0.0) - (entry[1] or 0.0)
    return AnswerView(now, change, sheets_spread_s(change, stirred_s=stirred), top, rows, pads, steadier)


@dataclass(frozen=True)
class DifferenceRow:
    """An item in which two sheets differ.

    :param before: value on the first sheet
    :param after: on the second
    :param steps: from first to second, signed
    :param effect: modelled change of lap time by this difference alone [s]
    :param spread: half its 95 % interval [s]
    """

    name: str
    before: str
    after: str
    steps: str
    effect: float
    spread: float


def difference_rows(found: list[Difference], effects: Mapping[str, float]) -> list[DifferenceRow]:
    """Differences of two sheets with what the model says of each alone.

    :param effects: modelled change of lap time by item key [s]
    """
    rows = []
    for difference in found:
        item, effect = difference.item, effects[difference.item.key]
        steps = format_number(difference.steps, 0, signed=True)
        before, after = shown(item).text(difference.before), shown(item).text(difference.after)
        rows.append(DifferenceRow(item.name, before, after, steps, effect, sheets_spread_s(effect)))
    return rows
