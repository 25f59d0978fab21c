"""The units of the reader of this page: what middleware found, for tags, fields and items."""

import math
from collections.abc import Callable
from contextvars import ContextVar
from dataclasses import dataclass
from functools import cached_property

from apexcore.errors import InputError
from apexcore.quantities import format_number
from apexcore.quantities.text import has_other_unit, range_words, read_number, typed_unit
from apexcore.quantities.units import PLAIN, UnitSet, fraction, part_of_inch, step_decimals
from apexcore.vehicle.items import Item

#: How the units of whoever reads this page are found, or the units themselves once they were asked for.
_current: ContextVar[UnitSet | Callable[[], UnitSet]] = ContextVar("units", default=PLAIN)


def read_by(units: UnitSet | Callable[[], UnitSet]) -> None:
    """Says in what units this page is read.

    :param units: or how to find them, which is asked at most once
    """
    _current.set(units)


def current() -> UnitSet:
    """The units in which this page is read."""
    found = _current.get()
    if isinstance(found, UnitSet):
        return found
    units = found()
    _current.set(units)
    return units


def read_typed(text: str, unit: str, place: str, low: float, high: float, whole: bool = False) -> float:
    """A number of the core's unit as somebody typed it: without a unit it is in the reader's.

    :raises InputError: with the bounds in the reader's units
    """
    units = current()
    shown = units.unit(unit)
    if shown == unit or typed_unit(text):
        return read_number(text, unit, place, low, high, whole=whole)
    value = units.back(read_number(text, shown, place), unit)
    if not low <= value <= high:
        raise InputError(place, text, range_words(float(f"{units.value(low, unit):.4g}"), float(f"{units.value(high, unit):.4g}"), shown))
    return value


def told(sentence: str) -> str:
    """A sentence with its quantities in the reader's units."""
    return current().told(sentence)


def per_one(value: float, unit: str) -> float:
    """A value for each one of a unit of the core, as one for each of the reader's."""
    return value / current().value(1.0, unit, apart=True)


#: One of a volume, as one says it.
_ONE_OF = {"l": "a litre", "US gal": "a US gallon", "imp gal": "an imperial gallon"}


def one_of(unit: str) -> str:
    """One of the reader's unit, in words."""
    return _ONE_OF[current().unit(unit)]


def typed_as(value: float, unit: str) -> str:
    """A value of the core as the reader would type it, for a form that comes filled in."""
    return f"{current().value(value, unit):.5g}"


#: Units in which toe may be typed: across the rim.
_ACROSS = ("mm", "cm", "in", '"', "″")


@dataclass(frozen=True)
class ShownItem:
    """An adjustable item as the reader sees it: its own steps, in the reader's unit."""

    item: Item
    units: UnitSet

    @property
    def key(self) -> str:
        """Its name in files."""
        return self.item.key

    @property
    def name(self) -> str:
        """Its name on the screen."""
        return self.item.name

    @property
    def locked(self) -> bool:
        """Whether it is fixed."""
        return self.item.locked

    @property
    def names(self) -> tuple[str, ...]:
        """What each step is called."""
        return self.item.names

    @cached_property
    def _across(self) -> tuple[str, float] | None:
        """Of toe that is read across a rim: its unit there, and its size for one of the item's; else None."""
        if self.item.rim_mm is None or self.item.unit != "°":
            return None
        return self.units.toe(self.item.rim_mm)

    @property
    def unit(self) -> str:
        """The reader's unit."""
        return self._across[0] if self._across else self.units.unit(self.item.unit)

    @property
    def parts(self) -> int:
        """Into how many parts an inch is divided where its value is told in fractions; else 0."""
        if self.unit != "in" or not self.units.fractions:
            return 0
        return part_of_inch(self.step)

    def _apart(self, value: float) -> float:
        """A difference in the reader's unit."""
        return value * self._across[1] if self._across else self.units.value(value, self.item.unit, apart=True)

    def _back(self, value: float) -> float:
        """The item's value for one in the reader's unit."""
        return value / self._across[1] if self._across else self.units.back(value, self.item.unit)

    @property
    def low(self) -> float:
        """Least value."""
        return self.value(self.item.low)

    @property
    def high(self) -> float:
        """Greatest value."""
        return self.value(self.item.high)

    @property
    def step(self) -> float:
        """One step."""
        return self._apart(self.item.step)

    @property
    def base_text(self) -> str:
        """The base sheet's value, without its unit."""
        return self.number(self.item.base)

    @property
    def decimals(self) -> int:
        """Digits that tell the steps apart."""
        return self.item.decimals if self.unit == self.item.unit else step_decimals(self.step)

    def value(self, value: float) -> float:
        """A value in the reader's unit."""
        return value * self._across[1] if self._across else self.units.value(value, self.item.unit)

    def number(self, value: float) -> str:
        """A value without its unit."""
        return self._told(self.value(value))

    def _told(self, value: float) -> str:
        return fraction(value, self.parts) if self.parts else format_number(value, self.decimals)

    def text(self, value: float) -> str:
        """A value with its unit, and its name where it has one."""
        name = self.item.name_of(value)
        gap = "\u202f" if self._across else " "  # in the reader's unit already: a sentence leaves it as it is
        return f"{self.number(value)}{gap}{self.unit}".strip() + (f" ({name})" if name else "")

    @property
    def range_text(self) -> str:
        """Range and step in words."""
        return f"{self.number(self.item.low)} to {self.number(self.item.high)} {self.unit}".rstrip() + (f", step {self._told(self.step)}")

    def typed(self, text: str) -> float:
        """The item's value that the reader typed, on its nearest step where it came in another unit than its own.

        :raises InputError: if it is no number of such a unit
        """
        degrees = self._degrees(text)
        if degrees is None and (self.unit == self.item.unit or typed_unit(text)):
            return self.item.typed(text)
        value = self._back(read_number(text, self.unit, self.item.name)) if degrees is None else degrees
        slack = self._slack / abs(self._apart(1.0)) if degrees is None else 0.5 * self.item.step
        for end in (self.item.low, self.item.high):
            if abs(value - end) <= slack:  # the end as it is shown, which rounding may have put outside
                value = end
        return self.item.nearest(value)

    @property
    def _slack(self) -> float:
        """By how much a shown value may be off its own, in the reader's unit."""
        return 0.6 / self.parts if self.parts else 0.6 * 10.0**-self.decimals

    def read(self, text: str) -> float:
        """The same, checked against range and steps.

        :raises InputError: as `typed`, or with the range in the reader's unit
        """
        try:
            return self.item.check(self.typed(text))
        except InputError as error:
            raise InputError(error.place, text, self.units.told(error.expected)) from None

    def _degrees(self, text: str) -> float | None:
        """Toe that was typed across its rim, whatever is chosen [deg]; None for anything else."""
        if self.item.rim_mm is None or self.item.unit != "°" or typed_unit(text) not in _ACROSS:
            return None
        return read_number(text, "mm", self.item.name) / (self.item.rim_mm * math.pi / 180.0)

    def _exact(self, text: str) -> float:
        """What was typed, in the reader's unit."""
        degrees = self._degrees(text)
        return read_number(text, self.unit, self.item.name) if degrees is None else self.value(degrees)

    def moved(self, text: str) -> str:
        """To which step a value went that was typed between two; empty where it stands on one."""
        try:
            value = self.read(text)
            if self.unit == self.item.unit and not has_other_unit(text, self.item.unit):
                return ""
            exact = self._exact(text)
        except InputError:
            return ""
        if abs(exact - self.value(value)) <= self._slack:
            return ""
        own = f" ({self.item.number(value)}\u202f{self.item.unit})" if self.unit != self.item.unit else ""  # stays the car's own
        return f"{self.item.name}: {text.strip()} is between two steps; it went to {self.text(value)}{own}."


def shown(item: Item) -> ShownItem:
    """An item as whoever reads this page sees it."""
    return ShownItem(item, current())
