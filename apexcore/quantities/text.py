"""Numbers as people type and read them: lap times, decimal commas, inline units.

Pint does the conversions; it is slow, so that each pair of units is asked once.
"""

import math
import re
from functools import cache
from typing import Any

from ..errors import InputError

#: How people spell units, and what Pint calls them.
UNIT_WORDS: dict[str, str] = {
    "kpa": "kPa", "bar": "bar", "psi": "psi",
    "c": "degC", "°c": "degC", "f": "degF", "°f": "degF",
    "kg": "kg", "lb": "lb",
    "l": "liter", "litre": "liter", "litres": "liter", "gal": "gallon",
    "km/h": "km/h", "kmh": "km/h", "mph": "mile/hour", "m/s": "m/s",
    "mm": "mm", "cm": "cm", "m": "m", "in": "inch",
    "°": "degree", "deg": "degree",
    "n/mm": "N/mm", "lb/in": "lbf/inch",
    "%": "percent", "hpa": "hPa", "mbar": "mbar", ":1": "dimensionless", "": "dimensionless",
    "s": "s", "min": "min",
}  # fmt: skip

_NUMBER = re.compile(r"^\s*([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*([^\d\s].*?)?\s*$")
_LAP = re.compile(r"^\s*(?:(\d{1,3})\s*:\s*)?(\d{1,5}(?:[.,]\d{0,6})?)\s*s?\s*$")

#: A lap outside these bounds is a typing mistake on any circuit the product serves [s].
LAP_BOUNDS_S = (5.0, 1800.0)


@cache
def _registry() -> Any:
    import pint

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


@cache
def linear(source: str, target: str) -> tuple[float, float]:
    """Scale and offset that take a number of unit `source` to unit `target` (`UNIT_WORDS` keys).

    :raises ValueError: if the units do not measure the same thing
    """
    registry = _registry()
    try:
        zero = registry.Quantity(0.0, UNIT_WORDS[source.lower()]).to(UNIT_WORDS[target.lower()]).magnitude
        one = registry.Quantity(1.0, UNIT_WORDS[source.lower()]).to(UNIT_WORDS[target.lower()]).magnitude
    except Exception as error:  # Pint has many error classes; a caller needs only one answer
        raise ValueError(f"{source} is not a unit like {target}") from error
    return float(one - zero), float(zero)


def parse_number(text: str, unit: str, place: str) -> float:
    """A number in `unit` from what a person typed: `92.4`, `92,4`, `27.5psi`.

    :param text: as typed
    :param unit: the unit wanted, a key of `UNIT_WORDS`; taken when none is typed
    :param place: the words for this field in an error
    :raises InputError: if it is no finite number, or the typed unit does not fit
    """
    match = _NUMBER.match(text)
    wanted = f"a number in {unit}" if unit else "a number"
    if not match:
        raise InputError(place, text, wanted)
    value = float(match.group(1).replace(",", "."))
    if not math.isfinite(value):
        raise InputError(place, text, "a finite number")
    typed = (match.group(2) or "").lower()
    if not typed or typed == unit.lower():
        return value
    try:
        scale, offset = linear(typed, unit)
    except (ValueError, KeyError):
        raise InputError(place, text, f"{wanted}; “{typed}” is no unit for it") from None
    return value * scale + offset


def has_other_unit(text: str, unit: str) -> bool:
    """Whether a number was typed with a unit other than the one wanted, so that it was converted."""
    match = _NUMBER.match(text)
    typed = (match.group(2) or "").lower() if match else ""
    return typed not in ("", unit.lower())


def parse_lap(text: str, place: str) -> float:
    """A lap time [s] from `1:32.405`, `92.405` or `92,4`.

    :raises InputError: if it is no lap time, or outside 5 s to 30 min
    """
    match = _LAP.match(text)
    wanted = "a lap time such as 1:32.405 or 92.405"
    if not match:
        raise InputError(place, text, wanted)
    seconds = float(match.group(2).replace(",", "."))
    if match.group(1) is not None:
        if seconds >= 60:
            raise InputError(place, text, wanted + " with seconds below 60")
        seconds += 60 * int(match.group(1))
    low, high = LAP_BOUNDS_S
    if not low <= seconds <= high:
        raise InputError(place, text, f"a lap time between {low:.0f} s and {high:.0f} s")
    return round(seconds, 6)  # what was typed, free of the sum's last binary digit


def format_lap(seconds: float, decimals: int = 3) -> str:
    """A lap time in the product's one spelling, `1:32.405`; the inverse of `parse_lap`."""
    rounded = round(seconds, decimals)
    minutes, rest = divmod(rounded, 60.0)
    if minutes < 1:
        return f"{rest:.{decimals}f}"
    return f"{int(minutes)}:{rest:0{3 + decimals if decimals else 2}.{decimals}f}"


def spread_decimals(spread: float, most: int = 3) -> int:
    """Decimals that show a spread with two digits; the value beside it gets as many, never more than `most`."""
    if not math.isfinite(spread) or spread <= 0:
        return most
    return min(max(1 - math.floor(math.log10(spread)), 0), most)


def format_number(value: float, decimals: int, signed: bool = False) -> str:
    """A number with a true minus sign and no negative zero."""
    rounded = round(value, decimals)
    if rounded == 0:
        rounded = 0.0
        return f"{rounded:.{decimals}f}"
    text = f"{abs(rounded):.{decimals}f}"
    if rounded < 0:
        return "−" + text
    return ("+" if signed else "") + text
