"""Advice in units and words."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.trim.moves.advice import Candidate
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.sheets.proposed import set_query
from apextrim.ui.units import shown


@dataclass(frozen=True)
class AdviceCard:
    """A candidate as shown.

    :param letter: the key that puts it on the sheet
    :param query: what the address of the bench needs for it
    :param words: the first one as a sentence
    :param further: what one more step does; empty where a reading says how far to go
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
    further: str = ""


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
        parts = _parts(candidate, sheet)
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
        further = ""
        if candidate.next is not None:
            felt, lap_s = candidate.next
            further = f"one step more: {format_number(felt, 1, signed=True)} %, lap {format_number(lap_s, 3, signed=True)} s"
        words = words[0].upper() + words[1:]
        cards.append(AdviceCard(candidate, letter, "; ".join(parts), school, aside, tyres, query, words, id(candidate) in outside, further))
    return cards


def _parts(candidate: Candidate, sheet: CoreSheet) -> list[str]:
    """The moves in words, those of both wheels of an axle that go the same way as one."""
    told: dict[tuple[str, str, str, int], list[str]] = {}
    for item, steps, value in candidate.moves:
        kind, _, wheel = item.sets.rpartition(".")
        alike = kind if wheel.isdecimal() else item.key
        before, after = shown(item).text(sheet.values[item.key]), shown(item).text(value)
        told.setdefault((alike, before, after, steps), []).append(item.name)
    return [_move(_together(names), steps, before, after) for (_, before, after, steps), names in told.items()]


def _together(names: Sequence[str]) -> str:
    """Names that begin alike, with what differs: “Camber front left and front right”."""
    first = names[0].split()
    alike = 0
    while alike < len(first) and all(name.split()[: alike + 1] == first[: alike + 1] for name in names):
        alike += 1
    rests = [" ".join(name.split()[alike:]) for name in names]
    if len(names) == 1 or not alike or not all(rests):
        return " and ".join(names)
    return f"{' '.join(first[:alike])} {', '.join(rests[:-1])} and {rests[-1]}"


def if_free(found: Sequence[Candidate], sheet: CoreSheet) -> list[str]:
    """What would help if it were not locked, in words."""
    return [f"{'; '.join(_parts(one, sheet))} would take {format_number(one.change, 1)} % of it away" for one in found]


def _move(name: str, steps: int, before: str, after: str) -> str:
    count = f"{abs(steps)} step{'s' if abs(steps) != 1 else ''} {'up' if steps > 0 else 'down'}"
    return f"{name} {before} to {after} ({count})"
