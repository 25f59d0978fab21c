"""Values that an address puts on a sheet, unsaved: `set=item:value`, read in this one place."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from apexcore.errors import InputError
from apexcore.quantities.text import has_other_unit
from apexcore.vehicle.car import Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet, check_consistency
from apextrim.ui.units import shown

#: Values that one address may carry: more than any car has items.
_MOST = 200


@dataclass(frozen=True)
class Proposed:
    """A saved sheet with the values of an address on top.

    :param sheet: with every value that could be taken; the saved one where they leave a car that cannot be
    :param typed: text of each proposed value as the bench shows it, by item key; also of those that were refused
    :param refused: a sentence for each value that was not taken
    """

    sheet: Sheet
    typed: dict[str, str]
    refused: tuple[str, ...]


def read_proposed(car: Car, saved: Sheet, asked: Sequence[str]) -> Proposed:
    """Reads the `set` arguments of an address on top of a saved sheet."""
    items = {item.key: item for item in car.items}
    values, typed, refused = dict(saved.values), {}, []
    for argument in asked[:_MOST]:
        key, _, text = argument.partition(":")
        item = items.get(key)
        if item is None:
            refused.append(f"{key[:40] or 'set'}: {car.name} has no such item.")
            continue
        typed[key] = text
        try:
            values[key] = item.read(text)
        except InputError as error:
            refused.append(str(error))
            continue
        if not has_other_unit(text, item.unit):
            typed[key] = shown(item).number(values[key])
    sheet = Sheet(car.key, values)
    try:
        check_consistency(car, sheet)
    except InputError as error:
        return Proposed(saved, typed, (*refused, str(error)))
    return Proposed(sheet, typed, tuple(refused))


def set_query(values: Iterable[tuple[Item, float]]) -> str:
    """The part of an address that proposes these values; the inverse of `read_proposed`."""
    return "".join(f"&set={item.key}:{value:g}" for item, value in values)
