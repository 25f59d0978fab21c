"""Laps as people paste them: a heading, numbers and names beside times, marks in words, times in any notation of the field."""

import itertools
import re
from dataclasses import dataclass, replace

from ..errors import InputError
from ..judge.laps import DrivenLap, LapKind
from ..quantities.text import parse_lap, read_number
from .laps_csv import MAX_LAPS, MOST_FUEL_L, MOST_SECTORS
from .text import rejected

#: Words that mark a lap, in lower case without hyphens.
_MARKS: dict[str, LapKind] = {
    **dict.fromkeys(("out", "outlap", "leaving"), "out"), **dict.fromkeys(("in", "inlap", "pit", "pits", "box", "pitin"), "in"),
    **dict.fromkeys(("spoiled", "spoilt", "traffic", "off", "spin", "invalid", "yellow", "dnf", "mistake", "deleted"), "spoiled"),
    "timed": "timed", "clean": "timed",
}  # fmt: skip
#: Words that stand where a lap has no time.
_WITHOUT = {"dnf", "dns", "dsq", "pit", "pits", "box", "in", "out", "-", "–", "—", "notime", "nan"}
#: Longest line that is looked at, and how many sentences of what was left out are told.
_MOST_LETTERS, _MOST_TOLD = 400, 12
#: How near sectors must come to their lap [s].
_ADDS_UP_S = 0.06
_CLOCKED = re.compile(r"\d+\s*[:'’′]\s*\d|\d+\.\d{2}\.\d{1,3}$")
_BARE = re.compile(r"[\s.\-_/()]+")


@dataclass(frozen=True)
class Pasted:
    """What a paste was understood as.

    :param laps: in their order
    :param told: what was passed over, as sentences; empty where every word was used
    """

    laps: tuple[DrivenLap, ...]
    told: tuple[str, ...]


def read_pasted(text: str, first: int) -> Pasted:
    """Laps of a paste, one a line: a time, and beside it in any order a lap number, marks, litres or sectors, names and comments.

    :param first: number of the first lap where the lines tell none
    :raises FileRejected: with every problem found, each naming its line
    """
    laps: list[DrivenLap] = []
    told: list[str] = []
    problems: list[str] = []
    numbers: list[int | None] = []
    for line, raw in enumerate(text.splitlines(), start=1):
        if not raw.strip():
            continue
        try:
            found = _line(raw, f"Line {line}", bool(laps or problems), told)
        except InputError as error:
            problems.append(str(error))
            continue
        if found is not None:
            number, lap = found
            numbers.append(number)
            laps.append(replace(lap, number=first + len(laps)))
    if not laps and not problems:
        problems = ["Line 1: no lap was typed; expected one lap a line, such as 1:13.405."]
    if first + len(laps) - 1 > MAX_LAPS:
        problems = [f"Line {MAX_LAPS - first + 2}: a run holds at most {MAX_LAPS} laps."]
    if problems:
        raise rejected(problems)
    return Pasted(_numbered(laps, numbers, first, told), _short(told))


def _numbered(laps: list[DrivenLap], numbers: list[int | None], first: int, told: list[str]) -> tuple[DrivenLap, ...]:
    """The laps with the numbers that the paste gives them, where all have one and they rise from where the run is."""
    known = [number for number in numbers if number is not None]
    if len(known) < len(laps) or not known:
        return tuple(laps)
    if known[0] < first or known[-1] > MAX_LAPS or any(b <= a for a, b in itertools.pairwise(known)):
        told.append(f"The lap numbers {known[0]} to {known[-1]} do not go on from lap {first}; laps are counted on instead.")
        return tuple(laps)
    return tuple(replace(lap, number=number) for lap, number in zip(laps, known, strict=True))


def _short(told: list[str]) -> tuple[str, ...]:
    more = len(told) - _MOST_TOLD
    return tuple(told[:_MOST_TOLD]) + ((f"… and {more} more lines with words beside their time.",) if more > 0 else ())


def _line(raw: str, place: str, begun: bool, told: list[str]) -> tuple[int | None, DrivenLap] | None:
    """The lap of a line and the number that it gives it; None where it has none, which is told.

    :param begun: whether a lap, or something wrong, stood above: a heading stands above all
    """
    if len(raw) > _MOST_LETTERS:
        raise InputError(place, raw[:40], f"a lap in at most {_MOST_LETTERS} letters")
    cells = _cells(raw)
    at = _time_at(cells)
    if at is None:
        bare = [_BARE.sub("", cell).lower() for cell in cells]
        if any(word in _WITHOUT for word in bare):
            told.append(f"{place}: “{raw.strip()[:40]}” has no time and is left out.")
            return None
        if not begun and not any(cell[:1].isdigit() and len(cell) > 3 for cell in cells):
            told.append(f"{place}: “{raw.strip()[:60]}” is taken for a heading.")
            return None
        raise InputError(place, raw.strip()[:40], "a lap time such as 1:32.405 or 92.405")
    time_s = parse_lap(cells[at], place)
    number = int(cells[0]) if at > 0 and re.fullmatch(r"[0-9]{1,5}", cells[0]) else None
    rest = [cell for k, cell in enumerate(cells) if k != at and not (k == 0 and number is not None)]
    lap, left = _beside(rest, DrivenLap(1, time_s), place)
    if left:
        told.append(f"{place}: “{' '.join(left)[:60]}” beside the time is left out.")
    return number, lap


def _cells(raw: str) -> list[str]:
    """The cells of a line: parted by tabs, semicolons, bars, commas with a blank behind them, and blanks; a unit `s` goes to its time."""
    text = re.sub(r"(?<=\d) ?s(?:ec)?\.?(?=[\s;|]|$)", "s", raw.strip())
    return [cell for cell in re.split(r"[\s;|]+|,(?=\s)", text) if cell]


def _time_at(cells: list[str]) -> int | None:
    """Which cell is the lap time: the first that is clocked in minutes, else the first that may be seconds of a lap."""
    for k, cell in enumerate(cells):
        if _CLOCKED.search(cell):
            return k
    for k, cell in enumerate(cells):
        if re.fullmatch(r"\d{1,4}[.,]\d{1,6}s?|\d{2,4}s", cell) and float(cell.rstrip("s").replace(",", ".")) >= 5.0:
            return k
    whole = [k for k, cell in enumerate(cells) if re.fullmatch(r"\d{2,4}", cell)]
    if len(cells) > 1 and whole and whole[0] == 0 and re.fullmatch(r"\d{2,4}", cells[1] or ""):
        return 1  # a lap number and a time in whole seconds
    return whole[0] if whole else None


def _beside(cells: list[str], lap: DrivenLap, place: str) -> tuple[DrivenLap, list[str]]:
    """The lap with the marks, litres or sectors that stand beside its time, and the words that are neither."""
    figures: list[str] = []
    left: list[str] = []
    for cell in cells:
        word = _BARE.sub("", cell).lower()
        if word in _MARKS:
            lap = replace(lap, kind=_MARKS[word])
        elif re.fullmatch(r"\d+(?:[.,]\d+)?(?:[:'][\d.,]+)?(?:l|L)?", cell):
            figures.append(cell)
        else:
            left.append(cell)
    times = [_seconds(cell) for cell in figures]
    if 1 < len(figures) <= MOST_SECTORS and None not in times and abs(sum(time or 0.0 for time in times) - lap.time_s) < _ADDS_UP_S:
        return replace(lap, sectors_s=tuple(time or 0.0 for time in times)), left
    if len(figures) == 1 and ":" not in figures[0] and "'" not in figures[0]:
        litres = read_number(figures[0], "l", f"{place}, fuel", comma_is_decimal=True)
        if not 0 <= litres <= MOST_FUEL_L:
            raise InputError(f"{place}, fuel", figures[0], f"litres burnt on this lap, 0 to {MOST_FUEL_L:.0f}")
        return replace(lap, fuel_l=litres), left
    return lap, [*figures, *left]


def _seconds(cell: str) -> float | None:
    try:
        return parse_lap(cell, "sector") if ":" in cell or "'" in cell else float(cell.rstrip("lL").replace(",", "."))
    except (InputError, ValueError):
        return None
