"""The values typed on the sheet bench: read, checked item by item, kept as typed where they are wrong."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from apexcore.errors import InputError
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, check_consistency
from apextrim.ui.units import shown


@dataclass
class SheetForm:
    """What came from the bench.

    :param typed: text of every item, by key
    :param errors: what is wrong with it, by key; under "" what is wrong with the whole
    """

    car: Car
    data: Mapping[str, str]
    typed: dict[str, str] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    values: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for item in self.car.items:
            text = str(self.data.get(item.key, ""))
            self.typed[item.key] = text
            try:
                self.values[item.key] = shown(item).read(text)
            except InputError as error:
                self.errors[item.key] = str(error)
        if not self.errors:
            try:
                check_consistency(self.car, Sheet(self.car.key, self.values))
            except InputError as error:
                self.errors[""] = str(error)

    @property
    def moved(self) -> list[str]:
        """What was typed between two steps, and to which it went."""
        return [told for item in self.car.items if (told := shown(item).moved(self.typed.get(item.key, "")))]

    @property
    def sheet(self) -> Sheet | None:
        """The sheet typed, None while anything is wrong."""
        return None if self.errors else Sheet(self.car.key, self.values)


def reason_of(data: Mapping[str, str]) -> str:
    """The one line why.

    :raises InputError: if it is missing or too long
    """
    reason = " ".join(str(data.get("reason", "")).split())
    if not reason or len(reason) > 200:
        raise InputError("reason", reason, "one line of at most 200 characters that says why")
    return reason
