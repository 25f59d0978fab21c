"""What a racer's book has of a corner: its fields, how what is typed in them is read, and the ways of driving it that it tells apart."""

from dataclasses import dataclass
from typing import Literal

from ...errors import InputError
from ...quantities import format_number
from ...quantities.text import read_number
from .marks import Approach, read_place

Kind = Literal["place", "choice", "share", "gear", "metres", "text"]

#: Longest text of a field in a racer's own words.
MOST_WORDS = 400


@dataclass(frozen=True)
class Field:
    """A field of a corner's page in the book.

    :param key: as files and rows have it
    :param words: what it is called
    :param short: what it is called on a card, before its value
    :param choices: values that can be chosen, with their words
    """

    key: str
    words: str
    kind: Kind
    short: str = ""
    choices: tuple[tuple[str, str], ...] = ()


FIELDS: tuple[Field, ...] = (
    Field("way", "Brake, lift or flat", "choice", "", (("brake", "brake"), ("lift", "lift"), ("flat", "flat"))),
    Field("mark", "Brake or lift at", "place", "at"),
    Field("brake", "Brake pressure", "share", "pressure"),
    Field("coast", "Coast before the brakes", "metres", "coast"),
    Field("gear", "Gear", "gear", "gear"),
    Field("turn_in", "Turn in at", "place", "turn in at"),
    Field("apex", "Apex", "choice", "apex", (("early", "early"), ("middle", "middle"), ("late", "late"))),
    Field("kerb_in", "Kerb on the inside", "choice", "inside kerb", (("use", "use it"), ("leave", "leave it"))),
    Field("kerb_out", "Kerb at the exit", "choice", "exit kerb", (("use", "use it"), ("leave", "leave it"))),
    Field("throttle", "Pick up the throttle at", "place", "throttle at"),
    Field("share", "How far, until full", "share", "to"),
    Field("full", "Full throttle at", "place", "full at"),
    Field("room", "Road left at the exit", "metres", "leave"),
    Field("lean", "Corner on, of the grip", "share", "grip"),
    Field("hazards", "Hazards", "text", ""),
    Field("stewards", "What the stewards police", "text", ""),
)  # fmt: skip

FIELD: dict[str, Field] = {field.key: field for field in FIELDS}

#: Ways of driving a corner that a book tells apart; what one does not tell is as in qualifying.
VARIANTS: dict[str, str] = {
    "qualifying": "qualifying", "race": "race", "cold": "cold tyres", "full": "full tank", "wet": "wet", "defending": "defending",
}  # fmt: skip

#: The way that the others differ from.
BASE = "qualifying"


@dataclass(frozen=True)
class Entered:
    """What stands in a field.

    :param text: as the book has it
    :param at_m: along the middle of the road, for a place [m]
    """

    text: str
    at_m: float | None = None

    @property
    def share(self) -> float:
        """Of a field of that kind [-]."""
        return read_number(self.text, "%", "share") / 100.0

    @property
    def number(self) -> float:
        """Of a field in metres, or of a gear."""
        return read_number(self.text.removesuffix(" m"), "", "number")


def read_field(key: str, text: str, way: Approach, gears: int) -> Entered | None:
    """What was typed in a field, put as the book has it; None where nothing was.

    :param key: of `FIELDS`
    :param way: the part of the lap that the corner's places lie on
    :param gears: of the car
    :raises InputError: naming the field and what was expected
    """
    field = FIELD[key]
    bare = " ".join(text.split())
    if not bare:
        return None
    if field.kind == "place":
        found = read_place(bare, way, field.words)
        return Entered(found.text, found.at_m)
    if field.kind == "choice":
        chosen = bare.lower()
        for value, words in field.choices:
            if chosen in (value, words):
                return Entered(value)
        raise InputError(field.words, text, f"one of {', '.join(words for _, words in field.choices)}")
    if field.kind == "share":
        return Entered(f"{format_number(read_number(bare, '%', field.words, 0, 100), 0)} %")
    if field.kind == "gear":
        return Entered(f"{read_number(bare, '', field.words, 1, gears, whole=True):.0f}")
    if field.kind == "metres":
        return Entered(f"{format_number(read_number(bare, 'm', field.words, 0, 300), 1).removesuffix('.0')} m")
    if len(bare) > MOST_WORDS:
        raise InputError(field.words, text, f"at most {MOST_WORDS} characters; these are {len(bare)}")
    return Entered(bare)


def shown(key: str, text: str) -> str:
    """A field's value in words."""
    return dict(FIELD[key].choices).get(text, text)


def sentence(page: dict[str, str]) -> str:
    """A corner's page as few words for a card: `Brake at 2nd board −8 m, gear 3, late apex, full at joint`.

    :param page: value of each field that has one
    """
    parts = []
    opening = {"brake": "brake", "lift": "lift", "flat": "flat"}.get(page.get("way", ""), "")
    begun = f"{opening} at {page['mark']}" if opening in ("brake", "lift") and "mark" in page else opening
    if not begun and "mark" in page:
        begun = f"mark {page['mark']}"
    if begun:
        parts.append(begun)
    for field in FIELDS:
        if field.key in ("way", "mark") or field.key not in page:
            continue
        value = shown(field.key, page[field.key])
        if field.key == "apex":
            parts.append(f"{value} apex")
        elif field.key in ("kerb_in", "kerb_out"):
            parts.append(f"{'use' if page[field.key] == 'use' else 'leave'} the {field.short}")
        elif field.key == "room":
            parts.append(f"leave {value} at the exit")
        elif field.kind == "text":
            parts.append(value)
        else:
            parts.append(f"{field.short} {value}")
    text = ", ".join(parts)
    return text[:1].upper() + text[1:]
