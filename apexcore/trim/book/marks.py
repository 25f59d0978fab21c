"""What a driver steers by on the way to a corner, and places told by it: `2nd board -8`, `joint`, `712`."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ...circuit.features import MARKER_WORDS, Marker
from ...circuit.moves import behind_m
from ...circuit.track import Circuit, centre_line
from ...errors import InputError
from ...quantities import format_number
from ...quantities.text import read_number

#: What one types for a marker of each kind.
_KIND_WORDS = {
    "board": "board", "seam": "joint", "shadow": "shadow", "patch": "change", "kerb": "kerb", "bump": "bump",
    "dirt": "dirt", "worn": "slide", "limit": "limit", "other": "mark",
}  # fmt: skip

#: Ordinals as people write them.
_ORDINALS = {
    "first": "1st", "second": "2nd", "third": "3rd", "fourth": "4th", "fifth": "5th", "sixth": "6th",
}  # fmt: skip

#: Farthest that a place is told from a mark, and how near a mark is for a model's place to be told from it [m].
MOST_FROM_MARK_M, _NEAR_M = 200.0, 60.0
#: Longest text of a place.
MOST_LETTERS = 80

_FROM_MARK = re.compile(r"(?P<mark>.*?\S) *(?P<sign>[+-]) *(?P<metres>[0-9.,]+ *(?:m|ft)?)")
_IN_WORDS = re.compile(r"(?P<metres>[0-9.,]+ *(?:m|ft)?) +(?P<side>before|after) +(?:the +)?(?P<mark>.+)")
_METRES = re.compile(r"[0-9][0-9.,]* *(?:m|ft)?")


@dataclass(frozen=True)
class Mark:
    """Something to steer by.

    :param key: what one types
    :param at_m: where it is, along the middle of the road [m]
    :param words: what it is, for people
    """

    key: str
    at_m: float
    words: str


@dataclass(frozen=True)
class Place:
    """A place of the road.

    :param text: as the book has it
    :param at_m: along the middle of the road from the start [m]
    """

    text: str
    at_m: float


@dataclass(frozen=True)
class Approach:
    """The part of a lap on which a corner's places lie.

    :param from_m: where it begins: the slowest part of the corner before [m]
    :param to_m: where it ends: that of the next corner; before its beginning it runs over the start line [m]
    :param length_m: of the lap along the middle of the road [m]
    :param closed: whether the lap runs over the start line
    :param marks: what there is to steer by, in the order in which it is passed
    """

    from_m: float
    to_m: float
    length_m: float
    closed: bool
    marks: tuple[Mark, ...]

    def holds(self, at_m: float) -> bool:
        """Whether a place lies on it."""
        if self.from_m < self.to_m:
            return self.from_m <= at_m <= self.to_m
        return at_m >= self.from_m or at_m <= self.to_m

    def along(self, at_m: float) -> float:
        """Distance of a place from the beginning [m]."""
        return (at_m - self.from_m) % self.length_m

    @property
    def words(self) -> str:
        """Where it lies, for people."""
        return f"{self.from_m:.0f} m to {self.to_m:.0f} m"


def approach_of(circuit: Circuit, from_m: float, to_m: float, middle_m: float) -> Approach:
    """The stretch of a circuit that belongs to a corner, with its marks; boards behind the corner's middle are the next one's.

    :param from_m: slowest part of the corner before [m]
    :param to_m: that of the corner behind [m]
    :param middle_m: the corner's own [m]
    """
    centre = centre_line(circuit)
    way = Approach(from_m, to_m, centre.length_m, centre.closed, ())
    there = sorted((marker for marker in circuit.markers if way.holds(marker.at_m)), key=lambda marker: way.along(marker.at_m))
    own = [marker for marker in there if marker.kind != "board" or way.along(marker.at_m) <= way.along(middle_m)]
    return Approach(from_m, to_m, centre.length_m, centre.closed, tuple(_named(own)))


def _named(markers: Sequence[Marker]) -> list[Mark]:
    """Markers by what one types: their kind, with its number in driving order where there are several, and their name.

    A name that reads like a number in order (`second board`) is that one's: the order then has no such number.
    """
    found: list[Mark] = []
    seen: dict[str, int] = {}
    names = {_folded(marker.name) for marker in markers if marker.name}
    for marker in markers:
        kind = _KIND_WORDS[marker.kind]
        seen[kind] = seen.get(kind, 0) + 1
        several = sum(1 for other in markers if other.kind == marker.kind) > 1
        key = f"{_ordinal(seen[kind])} {kind}" if several else kind
        name = f": {marker.name}" if marker.name else ""
        words = f"{MARKER_WORDS[marker.kind]}{name}, {marker.at_m:.0f} m"
        if key not in names:
            found.append(Mark(key, marker.at_m, words))
        if marker.name:
            found.append(Mark(_folded(marker.name), marker.at_m, words))
    return found


def _ordinal(number: int) -> str:
    ending = {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th") if number % 100 not in (11, 12, 13) else "th"
    return f"{number}{ending}"


def _folded(text: str) -> str:
    """A mark's name as it is compared: small letters, single spaces, ordinals in figures."""
    words = re.sub(r"\s+", " ", text.strip().lower()).split(" ")
    return " ".join(_ORDINALS.get(word, word) for word in words)


def read_place(text: str, way: Approach, place: str) -> Place:
    """A place as it was typed: a mark with metres before (-) or after (+) it, or metres from the start; feet where they are said.

    :param place: the words for this field in an error
    :raises InputError: for an unknown mark, a place beyond the lap, or one that belongs to another corner
    """
    bare = _folded(text.replace("\u2212", "-").replace("\u2013", "-")) if len(text) <= MOST_LETTERS else ""
    marks = {mark.key: mark for mark in way.marks}
    if not bare:
        raise InputError(place, text, "a mark such as 2nd board -8, or metres from the start")
    if bare not in marks and _METRES.fullmatch(bare):
        at = float(round(read_number(bare, "m", place, 0.0, way.length_m)))
        return _held(Place(f"{format_number(at, 0)} m", at), way, place, text)
    mark, metres = marks.get(bare), 0.0
    if mark is None and (parts := _FROM_MARK.fullmatch(bare)):
        mark = marks.get(parts["mark"])
        metres = _away_m(parts["metres"], place) * (-1.0 if parts["sign"] == "-" else 1.0)
    elif mark is None and (parts := _IN_WORDS.fullmatch(bare)):
        mark = marks.get(parts["mark"])
        metres = _away_m(parts["metres"], place) * (-1.0 if parts["side"] == "before" else 1.0)
    if mark is None:
        known = ", ".join(dict.fromkeys(mark.key for mark in way.marks))
        wanted = f"one of {known}, with metres such as -8 behind it, or metres from the start" if known else "metres from the start"
        raise InputError(place, text, f"{wanted} (there is no such mark between {way.words})")
    at = mark.at_m + metres
    if way.closed:
        at %= way.length_m
    elif not 0.0 <= at <= way.length_m:
        raise InputError(place, text, f"a place on the course, 0 m to {way.length_m:.0f} m")
    return _held(Place(text_from(mark, metres), at), way, place, text)


def _away_m(text: str, place: str) -> float:
    """How far from a mark, to what the book tells of it [m]."""
    return round(read_number(text, "m", place, 0.0, MOST_FROM_MARK_M), 1)


def _held(found: Place, way: Approach, place: str, text: str) -> Place:
    if not way.holds(found.at_m):
        raise InputError(place, text, f"a place of this corner, {way.words}")
    return found


def text_from(mark: Mark, metres: float) -> str:
    """A place told from a mark."""
    away = format_number(metres, 0 if metres == round(metres) else 1, signed=True)
    return f"{mark.key} {away} m" if abs(metres) >= 0.05 else mark.key


def told_by(at_m: float, way: Approach) -> Place:
    """A place told from the nearest mark, so that it can be found on the road; in metres where none is near."""

    def away(mark: Mark) -> float:
        return behind_m(at_m, mark.at_m, way.length_m)

    near = [mark for mark in way.marks if abs(away(mark)) <= _NEAR_M]
    if not near:
        return Place(f"{at_m:.0f} m", at_m)
    mark = min(near, key=lambda one: abs(away(one)))
    return Place(text_from(mark, float(round(away(mark)))), at_m)
