"""Laps to and from CSV, and from typed lines. The format is described in docs/formats.md."""

import csv
import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..errors import FileRejected, InputError
from ..judge.laps import KINDS, DrivenLap, LapKind
from ..quantities.text import format_lap, parse_lap, read_number
from .guard import guarded
from .text import decoded, rejected, rows_of

REQUIRED = ("lap", "lap_time")
#: Sectors that a lap can have.
MOST_SECTORS = 6
OPTIONAL = ("kind", "fuel_l", "top_kmh", *[f"sector_{n}" for n in range(1, MOST_SECTORS + 1)])
COLUMNS = REQUIRED + OPTIONAL

#: Longest name of a column that is looked at; what is longer is none that is known.
_MOST_NAME = 60
#: Laps that one run can hold.
MAX_LAPS = 10_000
#: Fuel that one lap can burn [l], and speed that one can reach [km/h].
MOST_FUEL_L, MOST_TOP_KMH = 100.0, 500.0

_HEADER = "a header line with the columns lap, lap_time and, if known, kind, fuel_l, top_kmh, sector_1 and so on"

#: Other names under which a column is often found, in lower case without blanks, dots and underscores.
_ALSO: dict[str, tuple[str, ...]] = {
    "lap": ("lap", "lapno", "lapnumber", "no", "nr", "number", "#"), "lap_time": ("laptime", "time", "laptimes"),
    "kind": ("kind", "type"), "fuel_l": ("fuell", "fuel", "fuelused", "litres", "liters"), "top_kmh": ("topkmh", "topspeed", "top", "vmax"),
    **{f"sector_{n}": (f"sector{n}", f"s{n}", f"sec{n}") for n in range(1, MOST_SECTORS + 1)},
}  # fmt: skip


@dataclass(frozen=True)
class Table:
    """A file of columns as it came.

    :param header: its first line
    :param body: (line number, cells) of every further line that is not empty
    """

    header: tuple[str, ...]
    body: tuple[tuple[int, tuple[str, ...]], ...]


@guarded("a CSV of laps")
def read_table(data: bytes) -> Table:
    """The cells of a CSV file.

    Columns are separated by commas, semicolons or tabs.

    :raises FileRejected: if it is not a table, has no line under its header, or has more lines than a run can hold
    """
    rows = rows_of(decoded(data, "a CSV of laps"), _HEADER)
    body = tuple((number, tuple(row)) for number, row in enumerate(rows[1:], start=2) if any(cell.strip() for cell in row))
    if not body:
        raise FileRejected(["Line 2: there is no lap under the header; expected one lap a line."])
    if len(body) > MAX_LAPS:
        raise FileRejected([f"Line {body[MAX_LAPS][0]}: the file has {len(body)} laps; expected at most {MAX_LAPS} in one run."])
    return Table(tuple(name.strip() for name in rows[0]), body)


def guessed_columns(header: Sequence[str]) -> dict[str, int]:
    """Which column of a header is which of `COLUMNS`, by its name; what is not recognised is left out."""
    bare = [re.sub(r"[\s._-]+|[(\[].*?[)\]]", "", name).lower() if len(name) <= _MOST_NAME else "" for name in header]
    found: dict[str, int] = {}
    for column in COLUMNS:
        place = next((index for index, name in enumerate(bare) if name in _ALSO[column] and index not in found.values()), None)
        if place is not None:
            found[column] = place
    return found


def read_laps(data: bytes) -> list[DrivenLap]:
    """The laps of a CSV file in this product's own columns, in its order; all or nothing.

    With semicolons or tabs a decimal comma is accepted.

    :raises FileRejected: with every problem found, each naming line and column
    """
    table = read_table(data)
    return laps_of(table, own_columns(table.header))


@guarded("a CSV of laps")
def laps_of(table: Table, columns: Mapping[str, int]) -> list[DrivenLap]:
    """The laps of a table whose columns are known; without a column for the lap they are counted.

    :param columns: place of each of `COLUMNS` that there is
    :raises FileRejected: with every problem found, each naming line and column
    """
    if "lap_time" not in columns:
        raise FileRejected(["Columns: none is chosen for lap_time; expected one."])
    twice = [name for name, index in columns.items() if list(columns.values()).count(index) > 1]
    if twice:
        raise FileRejected([f"Columns: {' and '.join(twice)} are the same column; expected one for each."])
    laps: list[DrivenLap] = []
    problems: list[str] = []
    seen: dict[int, int] = {}
    width = len(table.header)
    for line, row in table.body:
        if len(row) != width:
            hint = " With a decimal comma, separate the columns by semicolons." if len(row) > width else ""
            problems.append(f"Line {line}: {len(row)} columns; expected {width}.{hint}")
            continue
        cells = {name: row[index].strip() for name, index in columns.items()}
        try:
            lap = _lap({"lap": str(len(laps) + 1), **cells}, line)
        except InputError as error:
            problems.append(str(error))
            continue
        if lap.number in seen:
            problems.append(f"Line {line}, column lap: lap {lap.number} stands on line {seen[lap.number]} already; expected each lap once.")
        seen.setdefault(lap.number, line)
        laps.append(lap)
    if problems:
        raise rejected(problems)
    return laps


def own_columns(header: Sequence[str]) -> dict[str, int]:
    """Place of each column in a header of this product's own names.

    :raises FileRejected: naming every column that is unknown, repeated or missing
    """
    names = [name.strip().lower() for name in header]
    problems = []
    for place, name in enumerate(names, start=1):
        if name not in COLUMNS:
            problems.append(f"Line 1, column {place}: “{name[:40]}” is no column of this format; expected {_HEADER}.")
        elif names.index(name) != place - 1:
            problems.append(f"Line 1, column {place}: “{name}” stands there twice; expected each column once.")
    for name in REQUIRED:
        if name not in names:
            problems.append(f"Line 1: the column “{name}” is missing; expected {_HEADER}.")
    if problems:
        raise rejected(problems)
    return {name: index for index, name in enumerate(names)}


def _lap(cells: Mapping[str, str], line: int) -> DrivenLap:
    number = cells["lap"]
    if not number.isdecimal() or not 1 <= int(number[:6]) <= MAX_LAPS or len(number) > 6:
        raise InputError(f"Line {line}, column lap", number, f"a whole number from 1 to {MAX_LAPS}")
    time_s = parse_lap(cells["lap_time"], f"Line {line}, column lap_time")
    kind = _kind(cells.get("kind", ""), f"Line {line}, column kind")
    fuel = _fuel(cells.get("fuel_l", ""), f"Line {line}, column fuel_l")
    return DrivenLap(int(number), time_s, kind, fuel, _sectors(cells, line, time_s), _top_ms(cells.get("top_kmh", ""), line))


def _sectors(cells: Mapping[str, str], line: int, time_s: float) -> tuple[float, ...]:
    """Sector times; they stand from the first on without a gap and add up to no more than the lap."""
    texts = [cells.get(f"sector_{n}", "") for n in range(1, MOST_SECTORS + 1)]
    there = [n for n, text in enumerate(texts, start=1) if text]
    if not there:
        return ()
    if there != list(range(1, there[-1] + 1)):
        raise InputError(f"Line {line}, column sector_{there[-1]}", texts[there[-1] - 1], "sectors from the first on without a gap")
    times = tuple(_sector(texts[n - 1], f"Line {line}, column sector_{n}") for n in there)
    if sum(times) > time_s + 0.02:
        raise InputError(f"Line {line}, sectors", f"{sum(times):.3f} s", f"no more than the lap, {time_s:.3f} s")
    return times


def _sector(text: str, place: str) -> float:
    if ":" in text:
        return parse_lap(text, place)
    seconds = read_number(text, "s", place, comma_is_decimal=True)
    if not 1.0 <= seconds <= 900.0:
        raise InputError(place, text, "a time of 1 s to 15 min")
    return seconds


def _top_ms(text: str, line: int) -> float | None:
    if not text:
        return None
    kmh = read_number(text, "km/h", f"Line {line}, column top_kmh", comma_is_decimal=True)
    if not 10.0 <= kmh <= MOST_TOP_KMH:
        raise InputError(f"Line {line}, column top_kmh", text, f"10 to {MOST_TOP_KMH:.0f} km/h")
    return kmh / 3.6


def _kind(text: str, place: str) -> LapKind:
    for kind in KINDS:
        if text.lower() == kind:
            return kind
    if not text:
        return "timed"
    raise InputError(place, text, "one of " + ", ".join(KINDS))


def _fuel(text: str, place: str) -> float | None:
    if not text:
        return None
    litres = read_number(text, "l", place, comma_is_decimal=True)
    if not 0 <= litres <= MOST_FUEL_L:
        raise InputError(place, text, f"litres burnt on this lap, 0 to {MOST_FUEL_L:.0f}")
    return litres


def write_laps(laps: list[DrivenLap]) -> str:
    """The CSV of these laps; `read_laps` gives them back."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    sectors = max((len(lap.sectors_s) for lap in laps), default=0)
    tops = any(lap.top_ms is not None for lap in laps)
    names = [*REQUIRED, "kind", "fuel_l", *(["top_kmh"] if tops else []), *[f"sector_{n}" for n in range(1, sectors + 1)]]
    writer.writerow(names)
    for lap in laps:
        row = lap_cells(lap, sectors)
        writer.writerow(row if tops else [*row[:4], *row[5:]])
    return out.getvalue()


def lap_cells(lap: DrivenLap, sectors: int, top_decimals: int = 4) -> list[str]:
    """The cells of a lap: number, time, kind, fuel, top speed, and so many sectors."""
    fuel = "" if lap.fuel_l is None else f"{lap.fuel_l:.3f}"
    top = "" if lap.top_ms is None else f"{3.6 * lap.top_ms:.{top_decimals}f}"
    times = [f"{time:.3f}" for time in lap.sectors_s] + [""] * (sectors - len(lap.sectors_s))
    return [str(lap.number), format_lap(lap.time_s), lap.kind, fuel, top, *times]
