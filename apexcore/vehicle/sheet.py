"""A sheet is a point in a car's list of items; it is always checked against that list."""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from ..errors import FileRejected, InputError
from ..quantities.text import format_number
from .car import Car
from .items import Item
from .weights import weights


@dataclass(frozen=True)
class Sheet:
    """Item values of one car.

    :param car_key: the car it is for
    :param values: value of every item, by key, in the item's unit
    """

    car_key: str
    values: Mapping[str, float]

    def stepped(self, item: Item, steps: int) -> "Sheet | None":
        """This sheet with one item moved; None where the item's range ends."""
        moved = item.stepped(self.values[item.key], steps)
        if moved is None:
            return None
        return Sheet(self.car_key, {**self.values, item.key: moved})


@dataclass(frozen=True)
class Difference:
    """One item in which two sheets differ.

    :param before: value in the first sheet, in the item's unit
    :param after: value in the second, in the item's unit
    """

    item: Item
    before: float
    after: float

    @property
    def steps(self) -> int:
        """Signed number of steps from first to second."""
        return round((self.after - self.before) / self.item.step)


def base_sheet(car: Car) -> Sheet:
    """The base sheet: every item at its base value."""
    return Sheet(car.key, {item.key: item.base for item in car.items})


def checked_sheet(car: Car, values: Mapping[str, float]) -> Sheet:
    """A sheet of these values.

    :raises FileRejected: naming every item that is missing, unknown, out of range or off its step
    """
    problems: list[str] = []
    good: dict[str, float] = {}
    known = {item.key for item in car.items}
    for key in values:
        if key not in known:
            problems.append(f"{key}: {car.name} has no such item.")
    for item in car.items:
        if item.key not in values:
            problems.append(f"{item.name}: the value is missing; expected {item.text(item.low)} to {item.text(item.high)}.")
            continue
        try:
            good[item.key] = item.check(values[item.key])
        except InputError as error:
            problems.append(str(error))
    if problems:
        raise FileRejected(problems)
    sheet = Sheet(car.key, good)
    try:
        check_consistency(car, sheet)
    except InputError as error:
        raise FileRejected([str(error)]) from None
    return sheet


def check_consistency(car: Car, sheet: Sheet) -> None:
    """What no item can tell alone: gears that fall, and a car that stands on all its wheels.

    :raises InputError: naming what does not fit
    """
    moved = adjusted(car, sheet)
    gears = moved.powertrain.gears
    for number, (low, high) in enumerate(pairwise(gears), start=2):
        if high >= low:
            raise InputError(f"gear {number}", f"{format_number(high, 3)} :1", f"less than gear {number - 1}, {format_number(low, 3)} :1")
    weights(moved)


def is_drivable(car: Car, sheet: Sheet) -> bool:
    """Whether `check_consistency` finds nothing."""
    try:
        check_consistency(car, sheet)
    except InputError:
        return False
    return True


def differences(car: Car, first: Sheet, second: Sheet) -> list[Difference]:
    """The items in which two sheets of a car differ, in the car's order."""
    return [
        Difference(item, first.values[item.key], second.values[item.key])
        for item in car.items
        if abs(first.values[item.key] - second.values[item.key]) > 1e-9
    ]


def adjusted(car: Car, sheet: Sheet) -> Car:
    """The car as the sheet sets it: every item's physical value put in its place.

    The item bounds already hold, so that the copy is not validated again (it is made for every step).
    """
    tree: dict[str, Any] = {}
    for item in car.items:
        branch = tree
        *path, last = item.sets.split(".")
        for key in path:
            branch = branch.setdefault(key, {})
        branch[last] = item.physical(sheet.values[item.key])
    moved: Car = _put(car, tree)
    return moved


def _put(target: Any, tree: Any) -> Any:
    """A value or tuple with the leaves of `tree` in their places; what they leave as it is is not copied."""
    if not isinstance(tree, dict):
        return (tree,) * len(target) if isinstance(target, tuple) else tree
    if isinstance(target, tuple):
        if not all(key.isdigit() for key in tree):  # a field of both sides
            return tuple(_put(part, tree) for part in target)
        return tuple(_put(part, tree[str(index)]) if str(index) in tree else part for index, part in enumerate(target))
    update = {}
    for key, branch in tree.items():
        before = getattr(target, key)
        after = _put(before, branch)
        if after is not before and after != before:
            update[key] = after
    return target.model_copy(update=update) if update else target
