"""Everything that is stored for an event, as it is: for an event whose pages cannot be shown any more."""

from collections.abc import Iterator
from itertools import islice

from django.core import serializers
from django.db.models import Model

from apextrim.events.models import Event
from apextrim.race.models import RaceMark, TimedLine
from apextrim.runs.models import Chunk, Lap, LapTrace

#: What hangs on an event, by the names under which it does.
_PARTS = (
    "sessions", "knots", "sheets", "runs", "readings", "verdicts", "plans", "races", "tests", "calibrations", "searches",
    "book", "trained", "uploads", "lines", "asked_lines", "own_lines",
)  # fmt: skip

#: Rows that are written at once.
_AT_ONCE = 500


def _rows(event: Event) -> Iterator[Model]:
    yield event
    yield event.car
    yield event.circuit
    yield from event.circuit.notes.all()
    for name in _PARTS:
        yield from getattr(event, name).order_by("pk").iterator()
    yield from Lap.objects.filter(run__event=event).order_by("pk").iterator()
    for of_race in (RaceMark, TimedLine):
        yield from of_race.objects.filter(race__event=event).order_by("pk").iterator()
    for model, path in ((Chunk, "run__event"), (LapTrace, "lap__run__event")):
        yield from model.objects.filter(**{path: event}).order_by("pk").iterator(chunk_size=20)


def rows_as_json(event: Event) -> Iterator[str]:
    """Every row of an event as Django's serializer writes it, one a line, some at a time; nothing of it is read or checked."""
    rows = _rows(event)
    while some := list(islice(rows, _AT_ONCE)):
        yield str(serializers.serialize("jsonl", some))
