"""What gauge and pyrometer read, as it is typed: also part of the page on which a run is kept."""

from collections.abc import Mapping

from apexcore.errors import InputError
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.ui.units import current, read_typed

#: Rows of the form: key, words, unit, least, greatest.
ROWS = [
    ("cold", "Cold pressure", "kPa", 20.0, 600.0), ("hot", "Hot pressure", "kPa", 20.0, 700.0), ("inner", "Inner", "°C", -10.0, 250.0),
    ("middle", "Middle", "°C", -10.0, 250.0), ("outer", "Outer", "°C", -10.0, 250.0),
    ("left", "Tread remaining", "%", 0.0, 100.0),
]  # fmt: skip


def parsed_reading(data: Mapping[str, str]) -> tuple[dict[str, float], list[str]]:
    """Numbers typed, by field, and what is wrong with the rest."""
    values, problems = {}, []
    fields = [
        (f"{key}_{wheel}", f"{words}, {WHEEL_WORDS[wheel]}", unit, low, high) for key, words, unit, low, high in ROWS for wheel in WHEELS
    ]
    for name, words, unit, low, high in [*fields, ("cold_c", "Pressures set at", "°C", -20.0, 60.0)]:
        text = data.get(name, "").strip()
        if not text:
            continue
        try:
            values[name] = read_typed(text, unit, words, low, high)
        except InputError as error:
            problems.append(str(error))
    for wheel in WHEELS:
        thirds = [f"{key}_{wheel}" in values for key in ("inner", "middle", "outer")]
        if any(thirds) and not all(thirds):
            problems.append(f"Tread, {WHEEL_WORDS[wheel]}: a third is missing; expected inner, middle and outer, or none.")
        if f"hot_{wheel}" in values and f"cold_{wheel}" not in values:
            problems.append(f"Cold pressure, {WHEEL_WORDS[wheel]}: missing. A hot pressure needs its cold one.")
    if not problems and not any(key.startswith(("hot_", "inner_", "left_")) for key in values):
        problems.append("Nothing was read: expected a hot pressure, three tread temperatures or the tread left at one wheel at least.")
    return values, problems


def was_read(data: Mapping[str, str]) -> bool:
    """Whether anything but the cold pressures was typed."""
    return any(data.get(f"{key}_{wheel}", "").strip() for key, *_ in ROWS if key != "cold" for wheel in WHEELS)


Line = tuple[str, str, str, list[tuple[str, str, str]]]


def reading_lines(data: Mapping[str, str]) -> list[Line]:
    """Key, words, unit and (field, text, what it is called) of every row of the form."""
    units = current()
    found = []
    for key, words, unit, _, _ in ROWS:
        place = f"Tread, {words.lower()}" if key in ("inner", "middle", "outer") else words
        cells = [
            (f"{key}_{wheel}", data.get(f"{key}_{wheel}", ""), f"{place}, {WHEEL_WORDS[wheel]}, {units.unit(unit)}") for wheel in WHEELS
        ]
        found.append((key, words, units.unit(unit), cells))
    return found
