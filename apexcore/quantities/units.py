"""The units that a reader has chosen: values, bounds and whole sentences in them. Files and the core stay in their own."""

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from .text import format_number, linear

Amount = TypeVar("Amount", float, NDArray[np.float64])

#: Quantities whose unit is chosen, with the units that there are; the first is the one of the core.
CHOICES: dict[str, tuple[str, ...]] = {
    "pressure": ("kPa", "bar", "psi"), "temperature": ("°C", "°F"), "speed": ("km/h", "mph"), "mass": ("kg", "lb"),
    "volume": ("l", "US gal", "imp gal"), "length": ("mm", "in", "in, fractions"),
    "toe": ("°", "mm at the rim", "in at the rim"), "distance": ("m", "ft"), "spring": ("N/mm", "lb/in"),
    "torque": ("Nm", "lbft"), "power": ("kW", "hp", "PS"),
}  # fmt: skip
#: What each quantity is called.
WORDS: dict[str, str] = {
    "pressure": "Tyre pressure", "temperature": "Temperature", "speed": "Speed", "mass": "Mass", "volume": "Fuel",
    "length": "Ride height, track and other lengths",
    "toe": "Toe of each wheel", "distance": "Way along the circuit", "spring": "Spring rate", "torque": "Torque",
    "power": "Power",
}  # fmt: skip
#: The usual sets, by their name.
SETS: dict[str, dict[str, str]] = {
    "metric": {name: units[0] for name, units in CHOICES.items()},
    "metric, bar": {**{name: units[0] for name, units in CHOICES.items()}, "pressure": "bar", "power": "PS"},
    "British": {**{name: units[0] for name, units in CHOICES.items()}, "pressure": "psi", "speed": "mph", "power": "hp", "spring": "lb/in"},
    "US": {
        "pressure": "psi", "temperature": "°F", "speed": "mph", "mass": "lb", "volume": "US gal", "length": "in",
        "toe": "°", "distance": "ft",
        "spring": "lb/in", "torque": "lbft", "power": "hp",
    },
}  # fmt: skip
#: Units that go with the choice of another one: the unit of the core, the quantity, and what it becomes by the unit chosen.
_FOLLOWS: dict[str, tuple[str, dict[str, tuple[str, float]]]] = {
    "K": ("temperature", {"°F": ("°F", 1.8)}),
    "m/s": ("speed", {"mph": ("mph", 2.2369362920544)}),
    "l/s": ("volume", {"US gal": ("US gal/s", 0.26417205236), "imp gal": ("imp gal/s", 0.21996924830)}),
    "kg/l": ("mass", {}),
}
#: Decimals that a value gets beside those of the core's unit: the resolution stays about the same.
_MORE = {
    "bar": 2,
    "psi": 1,
    "°F": 0,
    "mph": 0,
    "lb": 0,
    "US gal": 1,
    "imp gal": 1,
    "in": 2,
    "ft": 0,
    "lb/in": -1,
    "lbft": 0,
    "hp": 0,
    "PS": 0,
}
_OF = {units[0]: name for name, units in CHOICES.items() if name != "toe"}
#: Units as they are written behind a number, where the choice says more.
_WRITTEN = {"in, fractions": "in"}
#: Parts of an inch in which fractions are told.
_PARTS = (16, 32, 64)
#: A number, or two with a word between, and a unit behind them, in a sentence.
_NUMBER = r"[+\-−]?\d[\d\u2009]*(?:[.,]\d+)?"
_BETWEEN = r"\s*(?:to|and|–|-|→|±|,)\s*"


@dataclass(frozen=True)
class UnitSet:
    """The units that somebody chose.

    :param chosen: by quantity; what is not in it stays as the core has it
    """

    chosen: Mapping[str, str] = field(default_factory=dict)

    @cached_property
    def plain(self) -> bool:
        """Whether every unit is the core's own."""
        return all(unit == CHOICES[name][0] for name, unit in self.chosen.items() if name in CHOICES)

    @cached_property
    def _by_unit(self) -> dict[str, tuple[str, float, float]]:
        """For each unit of the core that is shown in another: that one, scale and offset."""
        found: dict[str, tuple[str, float, float]] = {}
        for name, unit in self.chosen.items():
            if name in CHOICES and name != "toe" and unit in CHOICES[name][1:]:
                written = _WRITTEN.get(unit, unit)
                found[CHOICES[name][0]] = (written, *linear(CHOICES[name][0], written))
        for own, (name, becomes) in _FOLLOWS.items():
            if self.chosen.get(name) in becomes:
                unit, scale = becomes[self.chosen[name]]
                found[own] = (unit, scale, 0.0)
        mass, power = self.chosen.get("mass", "kg"), self.chosen.get("power", "kW")
        if (mass, power) != ("kg", "kW") and mass in CHOICES["mass"] and power in CHOICES["power"]:
            found["kg/kW"] = (f"{mass}/{power}", *linear("kg/kW", f"{mass}/{power}"))
        return found

    @cached_property
    def _in_sentences(self) -> re.Pattern[str] | None:
        units = sorted(self._by_unit, key=len, reverse=True)
        if not units:
            return None
        names = "|".join(re.escape(unit) for unit in units)
        return re.compile(rf"(?P<numbers>{_NUMBER}(?:{_BETWEEN}{_NUMBER})*)(?P<gap>[ \u00a0\n]?)(?P<unit>{names})(?![\w/²³])")

    def unit(self, unit: str) -> str:
        """What a unit of the core is shown in."""
        return self._by_unit[unit][0] if unit in self._by_unit else unit

    def value(self, value: Amount, unit: str, apart: bool = False) -> Amount:
        """A value, or many, in the unit that it is shown in.

        :param apart: whether it is a difference, which an offset does not move
        """
        if unit not in self._by_unit:
            return value
        _, scale, offset = self._by_unit[unit]
        return value * scale + (0.0 if apart else offset)

    def back(self, value: float, unit: str) -> float:
        """The value of the core for one in the unit that it is shown in; the inverse of `value`."""
        if unit not in self._by_unit:
            return value
        _, scale, offset = self._by_unit[unit]
        return (value - offset) / scale

    def toe(self, rim_mm: float) -> tuple[str, float] | None:
        """The unit in which toe is shown across a rim, and its size for one degree; None where it is shown in degrees.

        Toe is small: what a rim is out by is its diameter times the angle.

        :param rim_mm: diameter of the rim [mm]
        """
        chosen = self.chosen.get("toe", "°")
        if chosen not in CHOICES["toe"][1:]:
            return None
        mm = rim_mm * math.pi / 180.0
        return ("mm", mm) if chosen.startswith("mm") else ("in", mm / 25.4)

    @property
    def fractions(self) -> bool:
        """Whether inches are told in fractions."""
        return self.chosen.get("length") == "in, fractions"

    def decimals(self, unit: str, decimals: int) -> int:
        """Decimals of a value that has so many in the core's unit."""
        return max(decimals + _MORE.get(self.unit(unit), 0), 0) if unit in self._by_unit else decimals

    def number(self, value: float, unit: str, decimals: int, signed: bool = False, apart: bool = False) -> str:
        """A value without its unit."""
        shown = self.value(value, unit, apart or signed)
        if unit == "mm" and self.fractions and (part := part_of_inch(10.0**-decimals / 25.4)):
            return fraction(shown, part, signed)
        return format_number(shown, self.decimals(unit, decimals), signed=signed)

    def text(self, value: float, unit: str, decimals: int, signed: bool = False, apart: bool = False) -> str:
        """A value with its unit."""
        return f"{self.number(value, unit, decimals, signed, apart)}\u00a0{self.unit(unit)}".rstrip()

    def told(self, sentence: str) -> str:
        """A sentence of the core with its values in the units chosen.

        A narrow space before the unit keeps a quantity as it is.
        A number with a sign, or behind ±, is a difference: an offset does not move it.
        """
        if self._in_sentences is None:
            return sentence
        return self._in_sentences.sub(self._said, sentence)

    def _said(self, match: re.Match[str]) -> str:
        unit = match["unit"]
        numbers = match["numbers"]
        before = match.string[max(match.start() - 3, 0) : match.start()]

        def one(found: re.Match[str]) -> str:
            text = found[0].replace("−", "-").replace(",", ".").replace("\u2009", "")
            decimals = len(text.partition(".")[2])
            around = (before + numbers)[: len(before) + found.start()]
            apart = around.rstrip().endswith("±") or text[:1] in "+" or (unit != "°C" and text[:1] == "-")
            return self.number(float(text), unit, decimals, signed=text[:1] == "+", apart=apart)

        return re.sub(_NUMBER, one, numbers) + match["gap"] + self.unit(unit)


#: The units of the core.
PLAIN = UnitSet()


def step_decimals(step: float) -> int:
    """Decimals that tell the steps of a value apart."""
    return max(0, math.ceil(-math.log10(0.8 * step) - 1e-9)) if step > 0 else 3


def part_of_inch(step: float) -> int:
    """Into how many parts an inch is divided where steps of this size are told apart; 0 where fractions are too coarse.

    :param step: size of a step [in]
    """
    return next((part for part in _PARTS if 1.0 / part <= step), 0)


def fraction(value: float, part: int, signed: bool = False) -> str:
    """A number in whole ones and a fraction: `2 3/8`, `−1/16`, `0`.

    :param part: the fraction's finest denominator
    """
    count = round(abs(value) * part)
    whole, rest = divmod(count, part)
    divisor = math.gcd(rest, part)
    text = " ".join([str(whole)] * bool(whole or not rest) + [f"{rest // divisor}/{part // divisor}"] * bool(rest))
    sign = "−" if value < 0 and count else "+" if signed and count else ""
    return f"{sign}{text}"
