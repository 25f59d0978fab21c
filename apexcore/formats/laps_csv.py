"""Laps to and from CSV, and from typed lines. The format is described in docs/formats.md."""

import csv
import io
import re

from ..errors import FileRejected, InputError
from ..judge.laps import KINDS, DrivenLap, LapKind
from ..quantities.text import format_lap, parse_lap, parse_number
from .text import decoded, rejected

REQUIRED = ("lap", "lap_time")
OPTIONAL = ("kind", "fuel_l")
COLUMNS = REQUIRED + OPTIONAL

#: Laps that one run can hold.
MOST_LAPS = 1000
#: Fuel that one lap can burn [l].
MOST_FUEL_L = 100.0

_HEADER = "a header line with the columns lap, lap_time and, if known, kind and fuel_l"


def read_laps(data: bytes) -> list[DrivenLap]:
    """The laps of a CSV file, in its order; all or nothing.

    Columns are separated by commas or by semicolons; with semicolons a decimal comma is accepted.

    :raises FileRejected: with every problem found, each naming line and column
    """
    text = decoded(data, "a CSV of laps")
    lines = text.splitlines()
    delimiter = ";" if ";" in lines[0] else "\t" if "\t" in lines[0] else ","
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise FileRejected([f"This is no readable CSV: {error}; expected {_HEADER}."]) from None
    columns = _columns(rows[0])
    body = [(number, row) for number, row in enumerate(rows[1:], start=2) if any(cell.strip() for cell in row)]
    if not body:
        raise FileRejected(["Line 2: there is no lap under the header; expected one lap a line."])
    if len(body) > MOST_LAPS:
        raise FileRejected([f"Line {body[MOST_LAPS][0]}: the file has {len(body)} laps; expected at most {MOST_LAPS} in one run."])
    return _laps(columns, body)


def _columns(header: list[str]) -> list[str]:
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
    return names


def _laps(columns: list[str], body: list[tuple[int, list[str]]]) -> list[DrivenLap]:
    laps: list[DrivenLap] = []
    problems: list[str] = []
    seen: dict[int, int] = {}
    for line, row in body:
        if len(row) != len(columns):
            hint = " With a decimal comma, separate the columns by semicolons." if len(row) > len(columns) else ""
            problems.append(f"Line {line}: {len(row)} columns; expected {len(columns)}.{hint}")
            continue
        try:
            lap = _lap(dict(zip(columns, (cell.strip() for cell in row), strict=True)), line)
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


def _lap(cells: dict[str, str], line: int) -> DrivenLap:
    number = cells["lap"]
    if not number.isdecimal() or not 1 <= int(number[:6]) <= MOST_LAPS or len(number) > 6:
        raise InputError(f"Line {line}, column lap", number, f"a whole number from 1 to {MOST_LAPS}")
    time_s = parse_lap(cells["lap_time"], f"Line {line}, column lap_time")
    kind = _kind(cells.get("kind", ""), f"Line {line}, column kind")
    return DrivenLap(int(number), time_s, kind, _fuel(cells.get("fuel_l", ""), f"Line {line}, column fuel_l"))


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
    litres = parse_number(text, "l", place)
    if not 0 <= litres <= MOST_FUEL_L:
        raise InputError(place, text, f"litres burnt on this lap, 0 to {MOST_FUEL_L:.0f}")
    return litres


def write_laps(laps: list[DrivenLap]) -> str:
    """The CSV of these laps; `read_laps` gives them back."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for lap in laps:
        writer.writerow([lap.number, format_lap(lap.time_s), lap.kind, "" if lap.fuel_l is None else f"{lap.fuel_l:.3f}"])
    return out.getvalue()


def read_typed(text: str, first: int) -> list[DrivenLap]:
    """Laps typed one a line: a time, then if wanted a kind and the litres burnt, in any order.

    :param first: number of the first of them
    :raises FileRejected: with every problem found, each naming its line
    """
    laps: list[DrivenLap] = []
    problems: list[str] = []
    for line, raw in enumerate(text.splitlines(), start=1):
        words = re.split(r"[\s;]+", raw.strip())
        if words == [""]:
            continue
        try:
            laps.append(_typed(words, first + len(laps), f"Line {line}"))
        except InputError as error:
            problems.append(str(error))
    if not laps and not problems:
        problems = ["Line 1: no lap was typed; expected one lap a line, such as 1:13.405."]
    if first + len(laps) - 1 > MOST_LAPS:
        problems = [f"Line {MOST_LAPS - first + 2}: a run holds at most {MOST_LAPS} laps."]
    if problems:
        raise rejected(problems)
    return laps


def _typed(words: list[str], number: int, place: str) -> DrivenLap:
    time_s = parse_lap(words[0], place)
    kind: LapKind = "timed"
    fuel: float | None = None
    for word in words[1:]:
        if word[:1].isdigit():
            fuel = _fuel(word, f"{place}, fuel")
        else:
            kind = _kind(word, f"{place}, kind")
    return DrivenLap(number, time_s, kind, fuel)
