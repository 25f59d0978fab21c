"""A car under the rules of an event: items held, or kept within a narrower range."""

from collections.abc import Mapping

from ..errors import FileRejected
from .car import Car
from .items import Item
from .sheet import Sheet

#: Least and greatest value that the rules allow, in the item's unit; both the same: the item is held there.
Limit = tuple[float, float]


def with_limits(car: Car, limits: Mapping[str, Limit]) -> Car:
    """The car with its list of items as the rules leave it; its base sheet moves inside.

    :raises FileRejected: naming every limit on an item that the car does not have
    """
    problems = []
    known = {item.key for item in car.items}
    for key in limits:
        if key not in known:
            problems.append(f"{key}: {car.name} has no such item.")
    for item in car.items:
        if item.key in limits:
            problems += _problems(item, limits[item.key])
    if problems:
        raise FileRejected(problems)
    items = tuple(_limited(item, limits[item.key]) if item.key in limits else item for item in car.items)
    return car.model_copy(update={"items": items})


def _problems(item: Item, limit: Limit) -> list[str]:
    if item.locked:
        held = limit == (item.base, item.base)
        return [] if held else [f"{item.name}: the car fixes it at {item.text(item.base)}."]
    found = []
    for value in limit:
        if not item.low - 1e-9 <= value <= item.high + 1e-9 or abs(item.nearest_allowed(value) - value) > 1e-6:
            found.append(
                f"{item.name}: {item.text(value)} is not one of its steps; expected {item.text(item.low)} to {item.text(item.high)}"
                f" in steps of {item.step:g} {item.unit}".rstrip()
                + "."
            )
    if not found and limit[0] > limit[1]:
        found.append(f"{item.name}: at least {item.text(limit[0])} is above at most {item.text(limit[1])}.")
    return found


def _limited(item: Item, limit: Limit) -> Item:
    low, high = limit
    if low == high:
        return item.model_copy(update={"base": low, "locked": True})
    first = round((low - item.low) / item.step)
    names = item.names[first : first + round((high - low) / item.step) + 1]
    return item.model_copy(update={"low": low, "high": high, "base": min(max(item.base, low), high), "names": names})


def violations(car: Car, sheet: Sheet) -> list[str]:
    """What of a sheet the car's list, as the rules leave it, does not allow; a sentence an item."""
    found = []
    for item in car.items:
        value = sheet.values[item.key]
        if item.locked and abs(value - item.base) > 1e-9:
            found.append(f"{item.name}: {item.text(value)}; fixed at {item.text(item.base)}")
        elif not item.low - 1e-9 <= value <= item.high + 1e-9:
            found.append(f"{item.name}: {item.text(value)}; allowed {item.text(item.low)} to {item.text(item.high)}")
    return found


def clamped(car: Car, sheet: Sheet) -> Sheet:
    """The sheet with what the list does not allow moved to the nearest value that it does."""
    values = {item.key: item.base if item.locked else item.nearest_allowed(sheet.values[item.key]) for item in car.items}
    return Sheet(sheet.car_key, values)
