"""The sheet bench in units, words and picture geometry."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from apexcore.quantities import format_lap, format_number
from apexcore.trim.answer import Answer, TyreAnswer
from apexcore.trim.balance import PHASES, SPEEDS, balance_changes
from apexcore.trim.drift import DriftLap
from apexcore.trim.effects import difference_spread_s
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS, Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Difference
from apextrim.ui.pictures import Axis, linear_axis

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

    item: Item
    label: str
    text: str
    saved: str
    name: str
    error: str


def item_groups(car: Car, saved: Mapping[str, float], typed: Mapping[str, str], errors: Mapping[str, str]) -> list[dict[str, object]]:
    """The items in their places on the car."""
    groups: list[dict[str, object]] = []
    for place, title in PLACES:
        views = [
            ItemView(
                item,
                _label(item),
                typed.get(item.key, item.number(saved[item.key])),
                item.number(saved[item.key]),
                item.name_of(saved[item.key]),
                errors.get(item.key, ""),
            )
            for item in car.items
            if item.place == place
        ]
        folds = [(words, [one for one in views if _fold(one.item) == words]) for words in _FOLDS]
        folds = [(words, there) for words, there in folds if len(there) >= _FOLD_FROM]
        folded = {one.item.key for _, there in folds for one in there}
        shown = [one for one in views if one.item.key not in folded]
        groups.append({"place": place, "title": title, "items": views, "shown": shown, "folds": [_folded(*fold) for fold in folds]})
    return groups


def _folded(words: str, views: list[ItemView]) -> dict[str, object]:
    """A fold of items; open where something in it is wrong or differs from the saved sheet."""
    return {"title": words, "items": views, "open": any(one.error or one.text != one.saved for one in views)}


def _fold(item: Item) -> str:
    """The fold that an item goes into where there are several of its kind, empty for none."""
    if item.ride_only:
        return "Dampers"
    return next((words for start, words in _FOLD_OF if item.sets.startswith(start)), "")


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
        return "even"
    return "washes wide" if value > 0 else "steps out"


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
    tyre: TyreAnswer
    pressure_off: float
    share: float


@dataclass(frozen=True)
class AnswerView:
    """All that the answer panel shows.

    :param change_s: modelled lap against the saved sheet [s]
    :param spread_s: half the width of its 95 % interval [s]
    :param rows: (corner speed, three cells)
    """

    answer: Answer
    change_s: float
    spread_s: float
    top_change_kmh: float
    rows: list[tuple[str, list[BalanceCell]]]
    pads: list[Pad]


def answer_view(now: Answer, saved: Answer) -> AnswerView:
    """The answer beside the saved sheet's."""
    changes = balance_changes(now.corners, saved.corners)
    rows = [(speed, [_cell(now.grid[speed, phase], changes[speed, phase]) for phase in PHASES]) for speed in SPEEDS]
    total = sum(tyre.work_kj for tyre in now.tyres)
    pads = [Pad(WHEEL_WORDS[t.wheel], t, t.hot_kpa - t.best_kpa, t.work_kj / total) for t in now.tyres]
    change = now.lap.time_s - saved.lap.time_s
    top = 3.6 * (now.lap.top_speed_ms - saved.lap.top_speed_ms)
    return AnswerView(now, change, difference_spread_s(change), top, rows, pads)


def difference_rows(found: list[Difference], effects: Mapping[str, float]) -> list[dict[str, object]]:
    """Differences of two sheets with what the model says of each alone [s]."""
    return [
        {
            "name": one.item.name,
            "before": one.item.text(one.before),
            "after": one.item.text(one.after),
            "steps": format_number(one.steps, 0, signed=True),
            "effect": effects[one.item.key],
            "spread": difference_spread_s(effects[one.item.key]),
        }
        for one in found
    ]


@dataclass(frozen=True)
class PowerPicture:
    """Torque and power over engine speed, in picture units.

    :param x: engine speed [1/min]
    :param y: torque [N m]
    :param power: [kW]
    """

    x: Axis
    y: Axis
    power: Axis
    torque_path: str
    power_path: str
    most_nm: float
    most_kw: float
    width: int = 640
    height: int = 250
    right: int = 596
    bottom: int = 212


def power_picture(rpm: np.ndarray, torque: np.ndarray, power: np.ndarray) -> PowerPicture:
    """The picture of a power curve."""
    x = linear_axis(float(rpm[0]), float(rpm[-1]), 44, 596, 8, lambda value: format_number(value, 0))
    y = linear_axis(0.0, 1.08 * float(torque.max()), 212, 16, 5, lambda value: format_number(value, 0))
    kw = linear_axis(0.0, 1.08 * float(power.max()), 212, 16, 5, lambda value: format_number(value, 0))

    def path(axis: Axis, values: np.ndarray) -> str:
        spots = " ".join(f"{x.at(float(n)):.1f},{axis.at(float(value)):.1f}" for n, value in zip(rpm, values, strict=True))
        return f"M{spots}"

    return PowerPicture(x, y, kw, path(y, torque), path(kw, power), float(torque.max()), float(power.max()))


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

    :param x: laps under the lap times
    :param x2: laps under the wear
    :param cliffs: heights of the worn shares at which grip falls away
    """

    x: Axis
    x2: Axis
    time: Axis
    wear: Axis
    times: str
    spots: list[tuple[float, float]]
    wheels: list[WearPath]
    cliffs: list[float]


def stint_picture(laps: Sequence[DriftLap], cliff: tuple[float, float]) -> StintPicture:
    """Lap times and wear of a stint; the cold first lap sets no scale."""
    count = len(laps)
    x = linear_axis(1, count, 74, 550, 10, lambda value: format_number(value, 0))
    x2 = linear_axis(1, count, 670, 1090, 10, lambda value: format_number(value, 0))
    seconds = [lap.time_s for lap in laps[1:]]
    low, high = min(seconds), max(seconds)
    room = 0.08 * max(high - low, 0.1)
    time = linear_axis(low - room, high + room, 228, 22, 5, lambda value: format_lap(value, 1))
    worn = max(max(lap.wear) for lap in laps)
    wear = linear_axis(0.0, max(100 * worn, 10.0) * 1.05, 236, 22, 5, lambda value: format_number(value, 0))
    spots = [(x.at(lap.number), time.at(lap.time_s)) for lap in laps[1:]]
    ends = sorted(range(4), key=lambda w: -laps[-1].wear[w])
    labels: dict[int, float] = {}
    for w in ends:  # names from the most worn down, each at least a line below the one before
        labels[w] = max(wear.at(100 * laps[-1].wear[w]), max(labels.values(), default=0.0) + 14)
    wheels = []
    for w, wheel in enumerate(WHEELS):
        path = " ".join(f"{x2.at(lap.number):.1f},{wear.at(100 * lap.wear[w]):.1f}" for lap in laps)
        wheels.append(WearPath(wheel, WHEEL_WORDS[wheel], f"M{path}", labels[w]))
    cliffs = [wear.at(100 * value) for value in sorted(set(cliff)) if 100 * value <= wear.high]
    return StintPicture(x, x2, time, wear, "M" + " ".join(f"{a:.1f},{b:.1f}" for a, b in spots), spots, wheels, cliffs)
