"""The length of a race, laps of it and the tyre sets that there are, as people say them."""

import math
import re
from collections.abc import Sequence

from ..errors import InputError
from .rules import MOST_LAPS, MOST_MINUTES, Laps, Minutes, RaceRules, TyreSets

_LAPS = re.compile(r"(\d{1,6})\s*(?:laps?)?", re.IGNORECASE)
_TIME = re.compile(
    r"(?:(\d{1,3}(?:[.,]\d+)?)\s*h(?:ours?|rs?)?)?\s*(?:(\d{1,4}(?:[.,]\d+)?)\s*(?:m(?:in(?:utes?)?)?)?)?"
    r"(?:\s*(?:\+|and)\s*(?:(\d{1,2})|an?)\s*laps?)?",
    re.IGNORECASE,
)
_WANTED = "laps such as 20, or a time such as 45 min, 45 min + 1 lap, 2 h 30 or 24 h"


def read_length(text: str) -> dict[str, float]:
    """What the rules say for a typed length: `laps`, `minutes` and `laps_after`.

    A race over time has 1 lap in them, until its plan tells how many it comes to.

    :raises InputError: naming the value and what was expected
    """
    said = " ".join(text.split())
    if whole := _LAPS.fullmatch(said):
        laps = int(whole[1])
        if not 1 <= laps <= MOST_LAPS:
            raise InputError("Race length", text, f"1 to {MOST_LAPS} laps")
        return {"laps": laps, "minutes": 0.0, "laps_after": 0}
    timed = _TIME.fullmatch(said)
    if timed is None or not (timed[1] or timed[2]) or not re.search(r"[hm]", said, re.IGNORECASE):
        raise InputError("Race length", text, _WANTED)
    hours, minutes = (float((part or "0").replace(",", ".")) for part in (timed[1], timed[2]))
    total = 60.0 * hours + minutes
    after = int(timed[3] or 1) if re.search(r"lap", said, re.IGNORECASE) else 0
    if not 1.0 <= total <= MOST_MINUTES or after > 5:
        raise InputError("Race length", text, f"1 to {MOST_MINUTES} min, and at most 5 laps after it")
    return {"laps": 1, "minutes": total, "laps_after": after}


def length_words(rules: RaceRules) -> str:
    """The length as it is typed."""
    if not rules.minutes:
        return f"{rules.laps} lap{'s' if rules.laps > 1 else ''}"
    hours, minutes = divmod(rules.minutes, 60.0)
    parts = [f"{hours:g} h"] if hours else []
    if minutes or not hours:
        parts.append(f"{minutes:g} min" if not hours else f"{minutes:g}")
    after = f" + {rules.laps_after} lap{'s' if rules.laps_after > 1 else ''}" if rules.laps_after else ""
    return " ".join(parts) + after


def distance_laps(rules: RaceRules, lap_s: float) -> float:
    """Laps of a race before anything is planned: of one over time as many as fit at a pace.

    :param lap_s: a lap [s]
    """
    return math.ceil(60.0 * rules.minutes / lap_s) + rules.laps_after if rules.minutes else rules.laps


_STRETCH = re.compile(r"(?:laps?\s*)?(\d{1,4})(?:\s*(?:-|–|to)\s*(\d{1,4}))?", re.IGNORECASE)


def _parts(text: str) -> list[str]:
    """What is typed in one box, part by part: behind commas, semicolons and `and`."""
    return [said for part in re.split(r"[,;]|\band\b", text) if (said := " ".join(part.split()))]


def read_stretches(text: str, what: str) -> list[Laps]:
    """Laps as typed, `12-15, 30`: stretches that do not touch, the first one first.

    :param what: what they are, for an error
    :raises InputError: naming the value and what was expected
    """
    laps = set[int]()
    for said in _parts(text):
        told = _STRETCH.fullmatch(said)
        first, last = (int(told[1]), int(told[2] or told[1])) if told else (0, 0)
        if not 1 <= first <= last <= MOST_LAPS:
            raise InputError(what, said, f"laps such as 12-15, 30, each from 1 to {MOST_LAPS}")
        laps |= set(range(first, last + 1))
    found = list[Laps]()
    for lap in sorted(laps):
        if found and found[-1].last == lap - 1:
            found[-1] = Laps(first=found[-1].first, last=lap)
        else:
            found.append(Laps(first=lap, last=lap))
    return found


def stretches_words(stretches: Sequence[Laps]) -> str:
    """Stretches of laps as they are typed."""
    return ", ".join(f"{one.first}-{one.last}" if one.last > one.first else f"{one.first}" for one in stretches)


_MINUTES = re.compile(r"(?:min(?:utes?)?\s*)?([\d:.]+)\s*(?:-|–|to)\s*([\d:.]+)\s*(?:min(?:utes?)?)?", re.IGNORECASE)


def read_minutes(text: str, what: str) -> list[Minutes]:
    """Stretches of the race's clock as typed, `0-25, 35-60` or `1:30-1:45` in hours and minutes: those that do not touch, the first first.

    :param what: what they are, for an error
    :raises InputError: naming the value and what was expected
    """
    expected = f"minutes such as 0-25, 35-60, or 1:30-1:45, each from 0 to {MOST_MINUTES}"
    told = list[tuple[float, float]]()
    for said in _parts(text):
        found = _MINUTES.fullmatch(said)
        first, last = (_clock_min(found[1]), _clock_min(found[2])) if found else (None, None)
        if first is None or last is None or not 0.0 <= first < last <= MOST_MINUTES:
            raise InputError(what, said, expected)
        told.append((first, last))
    joined = list[tuple[float, float]]()
    for first, last in sorted(told):
        if joined and first <= joined[-1][1]:
            joined[-1] = joined[-1][0], max(joined[-1][1], last)
        else:
            joined.append((first, last))
    return [Minutes(first=first, last=last) for first, last in joined]


def _clock_min(text: str) -> float | None:
    """Minutes, or hours and minutes with a colon between them [min]; None where it is neither."""
    told = re.fullmatch(r"(?:(\d{1,2}):(?=\d\d(?!\d)))?(\d{1,4}(?:\.\d+)?)", text)
    return None if told is None else 60.0 * float(told[1] or 0) + float(told[2])


def minutes_words(stretches: Sequence[Minutes]) -> str:
    """Stretches of the clock as they are typed."""
    return ", ".join(f"{one.first:g}-{one.last:g}" for one in stretches)


_SET = re.compile(r"(\d{1,2})\s*(?:sets?)?\s*(?:(new)|(?:at|of|with)?\s*(\d{1,3})\s*(?:laps?)?)?", re.IGNORECASE)


def read_sets(text: str) -> list[tuple[int, int]]:
    """Sets of a compound as typed, as (how many, laps driven): `2 new, 1 at 6 laps`.

    :raises InputError: naming the value and what was expected
    """
    found: dict[int, int] = {}
    for part in text.replace(";", ",").replace(" and ", ",").split(","):
        said = " ".join(part.split())
        if not said:
            continue
        told = _SET.fullmatch(said)
        if told is None:
            raise InputError("tyre sets", said, "such as 2 new, 1 at 6 laps")
        age = int(told[3] or 0)
        if age > 200:
            raise InputError("tyre sets", said, "an age of at most 200 laps")
        found[age] = min(found.get(age, 0) + int(told[1]), 99)
    return [(count, age) for age, count in sorted(found.items())]


def sets_words(sets: Sequence[TyreSets]) -> str:
    """The same written back."""
    return ", ".join(f"{one.count} new" if not one.age else f"{one.count} at {one.age} laps" for one in sorted(sets, key=lambda s: s.age))
