"""The racer's notes of corners as boxes of a form, which two may have open."""

from collections.abc import Sequence

from django.http import QueryDict

from apextrim.events.models import Event
from apextrim.ui.meanwhile import merged


def texts(event: Event, numbers: Sequence[int]) -> dict[str, list[str]]:
    """What the boxes of notes show, by their names."""
    there = {note.number: note for note in event.circuit.notes.all()}
    return {f"{kind}_{n}": [getattr(there[n], kind) if n in there else ""] for n in numbers for kind in ("qualifying", "race")}


def sent(event: Event, numbers: Sequence[int], posted: QueryDict) -> tuple[dict[int, tuple[str, str]], list[str]]:
    """Notes as they were typed, with what others changed meanwhile; and what is wrong with them."""
    # a corner's own page sends its own alone
    numbers = [number for number in numbers if f"qualifying_{number}" in posted or f"race_{number}" in posted]
    whole, clashes = merged(posted, texts(event, numbers))
    typed, errors = dict[int, tuple[str, str]](), list[str]()
    for number in numbers:
        pair = tuple(" ".join(whole.get(f"{kind}_{number}", "").split()) for kind in ("qualifying", "race"))
        typed[number] = (pair[0], pair[1])
        for kind, text in zip(("qualifying", "race"), pair, strict=True):
            clash = clashes.get(f"{kind}_{number}")
            if len(text) > 400:
                errors.append(f"Corner {number}, {kind}: the note has {len(text)} characters; expected at most 400.")
            elif clash is not None:
                errors.append(f"Corner {number}, {kind}: {clash.words}")
    return typed, errors
