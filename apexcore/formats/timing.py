"""What a timing service says of a race: every car as it crosses the line, as CSV. The format is described in docs/formats.md."""

import csv
import io
import itertools
from collections.abc import Iterable, Sequence

from ..errors import FileRejected, InputError
from ..quantities.text import format_number, read_number
from ..race.rivals import AtLine
from ..race.rules import MOST_LAPS
from .guard import guarded
from .text import decoded, rejected, rows_of

REQUIRED, OPTIONAL = ("car", "lap", "clock_s"), ("pit", "class")
#: Longest name of a car or class, latest moment of a race [s], lines of one message, and crossings of one race.
MOST_NAME, MOST_CLOCK_S, MOST_LINES, MOST_CROSSINGS = 12, 100_000.0, 20_000, 80_000
_YES, _NO = ("1", "in", "yes", "true"), ("", "0", "no", "false")
_HEADER = "a header line with the columns car, lap, clock_s and, if known, pit and class"


@guarded("a CSV of timing")
def read_timing(data: bytes) -> list[AtLine]:
    """The crossings of a message, in its order; all or nothing.

    :raises FileRejected: with every problem found, each naming line and column
    """
    rows = rows_of(decoded(data, "a CSV of timing"), _HEADER)
    header = [name.strip().lower() for name in rows[0]]
    missing = [name for name in REQUIRED if name not in header]
    if missing:
        raise FileRejected([f"Line 1: the column “{missing[0]}” is missing; expected {_HEADER}."])
    if len(rows) > MOST_LINES:
        raise FileRejected([f"Line {MOST_LINES + 1}: the message has {len(rows)} lines; expected at most {MOST_LINES}."])
    place = {name: header.index(name) for name in (*REQUIRED, *OPTIONAL) if name in header}
    found, problems = list[AtLine](), list[str]()
    for line, row in enumerate(rows[1:], start=2):
        if not any(cell.strip() for cell in row):
            continue
        if len(row) != len(header):
            problems.append(f"Line {line}: {len(row)} columns; expected {len(header)}.")
            continue
        try:
            found.append(_one(line, {name: row[k].strip() for name, k in place.items()}))
        except InputError as error:
            problems.append(str(error))
    problems = problems or disorder(found)
    if problems:
        raise rejected(problems)
    return found


def _one(line: int, cells: dict[str, str]) -> AtLine:
    def where(name: str) -> str:
        return f"Line {line}, column {name}"

    for name in ("car", "class"):
        text = cells.get(name, "")
        if len(text) > MOST_NAME or (name == "car" and not text) or not text.isprintable():
            raise InputError(where(name), text, f"1 to {MOST_NAME} characters")
    lap = read_number(cells["lap"], "", where("lap"), 1, MOST_LAPS, whole=True)
    clock = read_number(cells["clock_s"], "s", where("clock_s"), 0.0, MOST_CLOCK_S)
    pit = cells.get("pit", "").lower()
    if pit not in (*_YES, *_NO):
        raise InputError(where("pit"), pit, "1 where the car came into the pit as the lap ended, else 0 or nothing")
    return AtLine(cells["car"], int(lap), clock, pit in _YES, cells.get("class", ""))


def disorder(crossings: Iterable[AtLine]) -> list[str]:
    """What cannot be of crossings that are told together: a car that ends a lap twice, or later laps earlier."""
    by_car: dict[str, dict[int, float]] = {}
    problems = list[str]()
    for one in crossings:
        there = by_car.setdefault(one.car, {})
        if abs(there.setdefault(one.lap, one.clock_s) - one.clock_s) > 5e-4:
            problems.append(
                f"Car {one.car}, lap {one.lap}: it ends at {there[one.lap]:g} s and at {one.clock_s:g} s; expected one of them."
            )
    for car, laps in by_car.items():
        inner = sorted(laps)
        for before, after in itertools.pairwise(inner):
            if laps[after] <= laps[before]:
                problems.append(
                    f"Car {car}, lap {after}: it ends at {laps[after]:g} s, lap {before} at {laps[before]:g} s; expected a later moment."
                )
    return problems


def timing_csv(crossings: Sequence[AtLine]) -> str:
    """These crossings as CSV; `read_timing` gives them back."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow((*REQUIRED, *OPTIONAL))
    for one in crossings:
        writer.writerow((one.car, one.lap, format_number(one.clock_s, 3), int(one.pit), one.group))
    return text.getvalue()
