"""A corner's page of the book, and the whole book, as they are shown."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from apexcore.circuit.line import CornerSpan
from apexcore.trim.book.fields import BASE, FIELDS, VARIANTS, Field, sentence, shown
from apextrim.book.queries import Page, driven_page, texts


@dataclass(frozen=True)
class BookRow:
    """A field of a corner's page.

    :param yours: as the racer has it, or as it was typed
    :param was: what stood there when the page was made
    :param usual: what it is in qualifying, where another way of driving does not tell it
    :param model: the model's value, empty where it has none
    """

    field: Field
    yours: str
    was: str
    usual: str
    model: str
    error: str

    @property
    def picked(self) -> str:
        """The choice's key, also where its words were typed."""
        return next((value for value, words in self.field.choices if self.yours.strip().lower() in (value, words)), "")


def book_rows(
    pages: Mapping[str, Page], variant: str, model: Mapping[str, str], typed: Mapping[str, str], problems: Mapping[str, str]
) -> list[BookRow]:
    """The fields of a corner's page for a way of driving.

    :param typed: what was typed where the page came back
    :param problems: what was wrong with it, by field
    """
    own, base = texts(pages.get(variant, {})), texts(pages.get(BASE, {}))
    return [
        BookRow(
            field, typed.get(field.key, own.get(field.key, "")), own.get(field.key, ""),
            shown(field.key, base.get(field.key, "")) if variant != BASE else "", shown(field.key, model.get(field.key, "")),
            problems.get(field.key, ""),
        ) for field in FIELDS
    ]  # fmt: skip


@dataclass(frozen=True)
class VariantLink:
    """:param filled: fields that the racer wrote for it"""

    key: str
    words: str
    filled: int


def variant_links(pages: Mapping[str, Page]) -> list[VariantLink]:
    """The ways of driving, with how much is written for each."""
    return [VariantLink(key, words, len(pages.get(key, {}))) for key, words in VARIANTS.items()]


@dataclass(frozen=True)
class BookLine:
    """A corner in the whole book.

    :param yours: what the racer wrote for this way of driving, in words; what it does not tell is as in qualifying
    :param own: fields of it that differ from qualifying, in words
    :param model: the model's page in words
    :param lost: places that the circuit no longer has, in words
    :param note: the racer's note
    """

    span: CornerSpan
    yours: str
    own: str
    model: str
    lost: str
    note: str


def book_line(
    span: CornerSpan, pages: Mapping[str, Page], variant: str, model: Mapping[str, str], lost: Sequence[str], note: str
) -> BookLine:  # fmt: skip
    """A corner in the whole book."""
    base, own = texts(pages.get(BASE, {})), texts(pages.get(variant, {}))
    differs = {key: text for key, text in own.items() if variant != BASE and base.get(key) != text}
    return BookLine(span, sentence(texts(driven_page(pages, variant))), sentence(differs), sentence(dict(model)), ", ".join(lost), note)


@dataclass(frozen=True)
class ComparedLine:
    """A field that two books tell differently.

    :param here: in this event, empty where nothing
    :param there: in the other
    """

    corner: int
    way: str
    words: str
    here: str
    there: str


def compared(here: Mapping[int, Mapping[str, Page]], there: Mapping[int, Mapping[str, Page]]) -> list[ComparedLine]:
    """Every field that two books of one circuit tell differently, in driving order."""
    rows = []
    for number in sorted({*here, *there}):
        for variant, way in VARIANTS.items():
            mine, other = (texts(book.get(number, {}).get(variant, {})) for book in (here, there))
            for field in FIELDS:
                one, two = mine.get(field.key, ""), other.get(field.key, "")
                if one != two:
                    rows.append(ComparedLine(number, way, field.words, shown(field.key, one), shown(field.key, two)))
    return rows


@dataclass(frozen=True)
class BigLine:
    """A line of a corner's large card.

    :param own: whether the racer wrote it, else the model proposes it
    """

    words: str
    value: str
    own: bool


#: What a large card has at most: few words, read while walking.
_ON_CARD = ("way", "mark", "gear", "turn_in", "apex", "throttle", "share", "full", "room", "hazards", "stewards")


def card_lines(yours: Mapping[str, str], model: Mapping[str, str]) -> list[BigLine]:
    """The lines of a corner's large card: yours, and the model's where you wrote nothing."""
    rows = []
    for field in FIELDS:
        if field.key in yours or (field.key in _ON_CARD and field.key in model):
            own = field.key in yours
            rows.append(BigLine(field.words, shown(field.key, yours[field.key] if own else model[field.key]), own))
    return rows
