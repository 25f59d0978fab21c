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
    "us gal": "gallon", "imp gal": "imperial_gallon", "usgal": "gallon", "impgal": "imperial_gallon", "ft": "foot", "k": "kelvin",
    "km/h": "km/h", "kmh": "km/h", "mph": "mile/hour", "m/s": "m/s",
    "mm": "mm", "cm": "cm", "m": "m", "km": "km", "in": "inch", '"': "inch", "″": "inch",
    "°": "degree", "deg": "degree",
    "n/mm": "N/mm", "lb/in": "lbf/inch",
    "%": "percent", "hpa": "hPa", "mbar": "mbar", ":1": "dimensionless", "": "dimensionless",
    "s": "s", "min": "min",
    "kg/kw": "kg/kW", "kg/hp": "kg/horsepower", "kg/ps": "kg/metric_horsepower",
    "lb/kw": "lb/kW", "lb/hp": "lb/horsepower", "lb/ps": "lb/metric_horsepower",
    "kj": "kJ", "mj": "MJ", "kw": "kW", "hp": "horsepower", "bhp": "horsepower", "ps": "metric_horsepower",
    "nm": "N*m", "lbft": "foot*lbf",
}  # fmt: skip

#: Longest text that is looked at; what is longer is no number that a person typed.
MOST_LETTERS = 40

_NUMBER = re.compile(r"([+-]?(?:[0-9]+(?:,[0-9]{3})*[.,]?[0-9]*|[.,][0-9]+))([^0-9.,].*)?", re.DOTALL)
#: Whole inches and a fraction: `2 3/8`, `2-3/8`, `1/16 in`, `3/8"`.
_FRACTION = re.compile(r"([+-]?)(?:([0-9]{1,4})[ -])?([0-9]{1,3})/([0-9]{1,3})\s*(in|\"|″)?", re.IGNORECASE)
_THOUSANDS = re.compile(r"[+-]?[1-9][0-9]{0,2}(?:,[0-9]{3})+(?:[.][0-9]*)?")
_LAP = re.compile(r"(?:([0-9]{1,3}) ?[:'’′] ?)?([0-9]{1,5}(?:[.,][0-9]{0,6})?) ?s?")
#: Other notations of a lap time: hours before the minutes; and a point, a quotation mark or a colon before the thousandths.
_HOURS = re.compile(r"0{1,2} ?: ?([0-9]{1,2} ?: ?[0-9]{1,2}(?:[.,][0-9]{1,6})?)")
_THOUSANDTHS = re.compile(r"([0-9]{1,3})([.:'’′])([0-9]{2})[.:\"”″]([0-9]{1,3})")

#: Signs that people and their keyboards put for a minus: the true minus sign and the en dash.
_MINUS = str.maketrans({"\u2212": "-", "\u2013": "-"})

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


def _parts(text: str, place: str, wanted: str, comma_is_decimal: bool) -> tuple[float, str]:
    """The number and the unit of a text, both as typed.

    :raises InputError: if it is no finite number, or could be two
    """
    bare = text.strip().translate(_MINUS) if len(text) <= MOST_LETTERS else ""
    match = _NUMBER.fullmatch(bare)
    if not match:
        raise InputError(place, text, wanted)
    digits = match.group(1)
    if _THOUSANDS.fullmatch(digits) and not (comma_is_decimal and sum(map(digits.count, ",.")) == 1):
        without, point = digits.replace(",", ""), digits.replace(",", ".", 1)
        either = f"{without} or {point}" if sum(map(digits.count, ",.")) == 1 else without
        raise InputError(place, text, f"{either}, with no comma for thousands: it could part thousands or be a decimal")
    if sum(map(digits.count, ",.")) > 1:
        raise InputError(place, text, wanted)
    value = float(digits.replace(",", "."))
    if not math.isfinite(value):
        raise InputError(place, text, "a finite number")
    return value, (match.group(2) or "").strip().lower()


def _inches(text: str, unit: str) -> tuple[float, str] | None:
    """Inches told with a fraction; None for anything else, and where nothing says that they are inches."""
    match = _FRACTION.fullmatch(text.strip().translate(_MINUS)) if len(text) <= MOST_LETTERS else None
    if match is None or not (match[5] or unit == "in") or not int(match[4]) or (match[2] and int(match[3]) >= int(match[4])):
        return None
    value = int(match[2] or 0) + int(match[3]) / int(match[4])
    return (-value if match[1] == "-" else value), "in"


def read_number(
    text: str, unit: str, place: str, low: float = -math.inf, high: float = math.inf, *, whole: bool = False, comma_is_decimal: bool = False
) -> float:
    """A number in `unit` from what a person typed: `92.4`, `92,4`, `−3`, `27.5psi`. The one reader of typed numbers.

    A comma before three digits, as in `1,000`, is asked about, since it is a thousand to one reader and one to another.

    :param text: as typed
    :param unit: the unit wanted, a key of `UNIT_WORDS`; taken when none is typed
    :param place: the words for this field in an error
    :param low: least value allowed, in `unit`
    :param high: greatest value allowed, in `unit`
    :param whole: whether only whole numbers are allowed
    :param comma_is_decimal: if true, as in a file parted by semicolons, a comma never parts thousands
    :raises InputError: naming place, text and what was expected
    """
    wanted = f"a number in {unit}" if unit else "a number"
    value, typed = _inches(text, unit) or _parts(text, place, wanted, comma_is_decimal)
    if typed and typed != unit.lower():
        try:
            scale, offset = linear(typed, unit)
        except (ValueError, KeyError):
            raise InputError(place, text, f"{wanted}; “{typed}” is no unit for it") from None
        value = value * scale + offset
    if not low <= value <= high or (whole and value != int(value)):
        raise InputError(place, text, range_words(low, high, unit, whole))
    return value


def range_words(low: float, high: float, unit: str = "", whole: bool = False) -> str:
    """The values allowed, in words."""
    kind = "a whole number " if whole else ""
    behind = f" {unit}" if unit else ""
    if math.isinf(low) and math.isinf(high):
        return f"{kind or 'a number'}{f' in {unit}' if unit else ''}".strip()
    if math.isinf(high):
        return f"{kind}of at least {low:g}{behind}"
    if math.isinf(low):
        return f"{kind}of at most {high:g}{behind}"
    return f"{kind}{'from ' if whole else ''}{low:g} to {high:g}{behind}"


def typed_unit(text: str) -> str:
    """The unit that a number was typed with, in lower case; empty for none, or where it is no number."""
    bare = text.strip().translate(_MINUS) if len(text) <= MOST_LETTERS else ""
    if fraction := _FRACTION.fullmatch(bare):
        return (fraction[5] or "").lower()
    match = _NUMBER.fullmatch(bare)
    return (match.group(2) or "").strip().lower() if match else ""


def has_other_unit(text: str, unit: str) -> bool:
    """Whether a number was typed with a unit other than the one wanted, so that it was converted."""
    return typed_unit(text) not in ("", unit.lower())


def parse_lap(text: str, place: str) -> float:
    """A lap time [s] from `1:32.405`, `92.405` or `92,4`; also from `1.32.405`, `1'32.405`, `1'32"405`, `1:32:405`,
    `00:01:32.405` and `92.4 s`.

    :raises InputError: if it is no lap time, or outside 5 s to 30 min
    """
    match = _LAP.fullmatch(_plain_lap(text.strip())) if len(text) <= MOST_LETTERS else None
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


def _plain_lap(text: str) -> str:
    """A lap time in minutes, a colon and seconds, of whatever notation it came in."""
    hours = _HOURS.fullmatch(text)
    if hours:
        text = hours.group(1)
    apart = _THOUSANDTHS.fullmatch(text)
    return f"{apart.group(1)}:{apart.group(3)}.{apart.group(4)}" if apart else text


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
