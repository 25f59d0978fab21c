"""Advice in units and words."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.trim.moves.advice import Candidate
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.sheets.proposed import set_query
from apextrim.ui.units import shown


@dataclass(frozen=True)
class AdviceCard:
    """A candidate as shown.

    :param letter: the key that puts it on the sheet
    :param query: what the address of the bench needs for it
    :param words: the first one as a sentence
    """

    one: Candidate
    letter: str
    moves: str
    school: str
    elsewhere: str
    tyres: str
    query: str
    words: str
    leaves_class: bool = False


def advice_cards(
    found: Sequence[Candidate],
    sheet: CoreSheet,
    before: str = "",
    leaves: Callable[[Iterable[tuple[str, float]]], bool] = lambda values: False,
) -> list[AdviceCard]:
    """Candidates in words; those that break a limit of the class come last.

    :param before: what the address of the bench needs for what is unsaved already
    :param leaves: whether values put on the sheet break a limit of the class
    """
    cards = []
    outside = {id(one) for one in found if leaves([(item.key, value) for item, _, value in one.moves])}
    for letter, candidate in zip("abcdef", sorted(found, key=lambda one: id(one) in outside), strict=False):
        parts = [_move(item, steps, sheet.values[item.key], value) for item, steps, value in candidate.moves]
        school = "adds grip at the sliding end" if candidate.adds_grip else "takes grip from the other end"
        speed, phase = candidate.where
        aside = "no change you would feel"
        if speed and abs(candidate.elsewhere) >= 0.1:
            sense = "more understeer" if candidate.elsewhere > 0 else "more oversteer"
            aside = f"{speed} {phase} {format_number(abs(candidate.elsewhere), 1)} % {sense}"
        share, wheel = candidate.work
        tyres = f"{WHEEL_WORDS[WHEELS[wheel]]} tyre works {format_number(100 * abs(share), 1)} % {'harder' if share > 0 else 'less'}"
        query = before + set_query((item, value) for item, _, value in candidate.moves)
        words = f"{' and '.join(parts)}: {school} by {format_number(candidate.change, 1)} % of grip."
        cards.append(
            AdviceCard(
                candidate, letter, "; ".join(parts), school, aside, tyres, query, words[0].upper() + words[1:], id(candidate) in outside
            )
        )
    return cards


def if_free(found: Sequence[Candidate], sheet: CoreSheet) -> list[str]:
    """What would help if it were not locked, in words."""
    return [
        f"{'; '.join(_move(item, steps, sheet.values[item.key], value) for item, steps, value in one.moves)} would take "
        f"{format_number(one.change, 1)} % of it away"
        for one in found
    ]


def _move(item: Item, steps: int, before: float, after: float) -> str:
    count = f"{abs(steps)} step{'s' if abs(steps) != 1 else ''} {'up' if steps > 0 else 'down'}"
    return f"{item.name} {shown(item).text(before)} to {shown(item).text(after)} ({count})"
