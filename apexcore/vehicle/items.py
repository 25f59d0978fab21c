"""Adjustable items: each car declares its own list; what an item moves is data, not code."""

import math
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..errors import InputError
from ..quantities.text import UNIT_WORDS, format_number, has_other_unit, read_number
from ..quantities.values import Value
from .levers import LEVERS

#: Slack with which a typed value still counts as standing on a step, in steps.
_ON_STEP = 1e-6


def _known_units() -> str:
    return ", ".join(unit for unit in UNIT_WORDS if unit)


#: Greatest size of any number of an item, in whatever unit.
MOST = 1e6


class Item(Value):
    """One adjustable item of a car.

    :param key: its name in files
    :param name: its name on the screen
    :param place: where it sits on the picture of the car
    :param unit: unit of the value; one of `quantities.text.UNIT_WORDS`, empty for a bare number
    :param low: least value
    :param high: greatest value
    :param step: one step
    :param base: the value on the maker's base sheet
    :param decimals: digits shown after the decimal point
    :param sets: the value of the car that it moves; one of `LEVERS`
    :param scale: physical units per unit of the item
    :param offset: physical value at item value 0
    :param locked: if true the rules or the maker fix it at `base`
    :param names: what each step is called, from the lowest, parted by |; empty where the number says it
    :param rim_mm: of an item of toe: the rim across which it is measured; given by the car, in no file [mm]
    """

    key: str = Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")
    name: str = Field(min_length=1, max_length=40)
    place: Literal["fl", "fr", "rl", "rr", "front", "rear", "car"]
    unit: str = Field(max_length=8)
    low: float = Field(ge=-MOST, le=MOST)
    high: float = Field(ge=-MOST, le=MOST)
    step: float = Field(gt=0, le=MOST)
    base: float = Field(ge=-MOST, le=MOST)
    decimals: int = Field(ge=0, le=3)
    sets: str = Field(max_length=60)
    scale: float = Field(1.0, ge=-MOST, le=MOST)
    offset: float = Field(0.0, ge=-MOST, le=MOST)
    locked: bool = False
    names: tuple[Annotated[str, Field(max_length=40)], ...] = Field((), max_length=60)
    rim_mm: float | None = Field(None, ge=80, le=700, exclude=True)

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        if self.sets not in LEVERS:
            raise ValueError(f"{self.name}: “{self.sets}” is no value of the car that an item can set")
        if not self.low < self.high:
            raise ValueError(f"{self.name}: low {self.low} must be below high {self.high}")
        if not self.low <= self.base <= self.high:
            raise ValueError(f"{self.name}: base {self.base} lies outside {self.low} to {self.high}")
        if self.names and len(self.names) != round((self.high - self.low) / self.step) + 1:
            raise ValueError(f"{self.name}: {len(self.names)} names for {round((self.high - self.low) / self.step) + 1} steps")
        if self.unit.lower() not in UNIT_WORDS:
            raise ValueError(f"{self.name}: “{self.unit}” is no unit that the product knows; expected one of {_known_units()}")
        for words, value in (("step", self.step), ("low", self.low)):
            if abs(round(value, self.decimals) - value) > _ON_STEP * self.step:
                raise ValueError(f"{self.name}: {self.decimals} decimals cannot show the {words} {value:g}")
        if not self._on_step(self.base):
            raise ValueError(f"{self.name}: base {self.base} does not stand on a step of {self.step}")
        return self

    @property
    def damper_only(self) -> bool:
        """Whether it enters the ride analysis only, never the lap."""
        return ".damper." in self.sets

    @property
    def tunes_lap(self) -> bool:
        """Whether it may be moved and enters the lap."""
        return not self.locked and not self.damper_only

    def _on_step(self, value: float) -> bool:
        steps = (value - self.low) / self.step
        return abs(steps - round(steps)) < _ON_STEP

    def check(self, value: float) -> float:
        """The value, exactly on its step.

        :raises InputError: outside the range, off the steps, or moved although locked
        """
        expected = f"{self.text(self.low)} to {self.text(self.high)} in steps of {self._step_text()}"
        if not math.isfinite(value) or not self.low - 1e-9 <= value <= self.high + 1e-9:
            raise InputError(self.name, self.text(value) if math.isfinite(value) else value, expected)
        if not self._on_step(value):
            raise InputError(self.name, f"{value:g} {self.unit}".strip(), expected)
        if self.locked and abs(value - self.base) > 1e-9:
            raise InputError(self.name, self.text(value), f"{self.text(self.base)}: this item is locked")
        return round(self.low + round((value - self.low) / self.step) * self.step, 9)

    def typed(self, text: str) -> float:
        """The value that a person typed, in the item's unit; one typed in another unit goes to the nearest step, since 20 psi
        stand on no whole kPa. Range and steps are not checked.

        :raises InputError: if it is no number of this unit
        """
        value = read_number(text, self.unit, self.name)
        return self.nearest(value) if has_other_unit(text, self.unit) else value

    def read(self, text: str) -> float:
        """The value that a person typed, exactly on its step.

        :raises InputError: as `typed` and `check`
        """
        return self.check(self.typed(text))

    def nearest(self, value: float) -> float:
        """The value on the nearest step; outside the range it stays as it is, for `check` to refuse."""
        if not math.isfinite(value) or not self.low <= value <= self.high:
            return value
        return round(min(self.low + round((value - self.low) / self.step) * self.step, self.high), 9)

    def nearest_allowed(self, value: float) -> float:
        """The nearest value that stands on a step within the range."""
        last = math.floor((self.high - self.low) / self.step + _ON_STEP)
        return self.check(self.low + min(max(round((value - self.low) / self.step), 0), last) * self.step)

    def at_least(self, value: float) -> float:
        """The lowest step at or above a value; the ends where it lies outside the range."""
        steps = math.ceil((max(value, self.low) - self.low) / self.step - 1e-9)
        return self.nearest_allowed(self.low + steps * self.step)

    def steps_from(self, value: float) -> range:
        """Signed steps that the range leaves from a value, its own place among them."""
        return range(-round((value - self.low) / self.step), int((self.high - value) / self.step + 1e-6) + 1)

    def stepped(self, value: float, steps: int) -> float | None:
        """The value that many steps away, or None where the range ends or the item is locked."""
        moved = value + steps * self.step
        if self.locked or moved < self.low - 1e-9 or moved > self.high + 1e-9:
            return None
        return self.check(moved)

    def physical(self, value: float) -> float:
        """The physical value at an item value (linear: offset + scale × value)."""
        return self.offset + self.scale * value

    def name_of(self, value: float) -> str:
        """What this step is called, empty where the number says it."""
        place = round((value - self.low) / self.step)
        return self.names[place] if 0 <= place < len(self.names) else ""

    def number(self, value: float) -> str:
        """The value without its unit."""
        return format_number(value, self.decimals)

    def text(self, value: float) -> str:
        """The value with its unit, and its name where it has one."""
        name = self.name_of(value)
        return f"{self.number(value)} {self.unit}".strip() + (f" ({name})" if name else "")

    @property
    def range_text(self) -> str:
        """Range and step in words."""
        return f"{self.number(self.low)} to {self.number(self.high)} {self.unit}".rstrip() + f", step {self.number(self.step)}"

    def _step_text(self) -> str:
        return f"{self.step:g} {self.unit}".strip()
