"""The bin: what was deleted waits there for thirty days and comes back whole."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Model, ProtectedError, QuerySet
from django.utils import timezone

from apexcore.errors import InputError
from apexcore.quantities.words import counted
from apextrim.accounts.owned import Person
from apextrim.events import actions as events
from apextrim.events import thread
from apextrim.events.models import Event, Session
from apextrim.library import shelf
from apextrim.library.models import Car, Circuit
from apextrim.runs import actions as runs
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet

#: How long something waits, and runs that go at once.
WAITS = timedelta(days=30)
_AT_ONCE = 100
#: What an event that is going for good carries as the day of its deletion: from then on nobody brings it back.
_GOING = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class Kind:
    """A kind of thing that can be deleted.

    :param words: what it is called
    :param model: of its rows
    :param rows: all of them, those in the bin as well
    :param refuses: why one stays, as a sentence; empty where it may go
    :param delete: puts one into the bin
    :param restore: takes it out again
    :param named: one with what goes along, for the question
    """

    words: str
    model: type[Model]
    rows: Callable[[], QuerySet[Any]]
    refuses: Callable[[Any], str]
    delete: Callable[[Any], None]
    restore: Callable[[Any], None]
    named: Callable[[Any], str] = str


def _mark(row: Any, at: datetime | None) -> None:
    row.deleted_at = at
    row.save(update_fields=["deleted_at"])


def _put(row: Any) -> None:
    _mark(row, timezone.now())


def _take(row: Any) -> None:
    _mark(row, None)


def _driven_in(row: Sheet | Session) -> str:
    """In which runs a sheet or a session is, which it would take along."""
    names = [run.name for run in Run.objects.filter(deleted_at=None, **{type(row)._meta.model_name or "": row}).order_by("number")[:6]]
    return f"{row} stands in {', '.join(names)}: delete {'that run' if len(names) == 1 else 'those runs'} first." if names else ""


def _sheet_refuses(row: Sheet) -> str:
    return f"{row.name} is in the car: put another sheet there first." if row.in_car else _driven_in(row)


def _session_refuses(row: Session) -> str:
    if row.event.sessions.count() < 2:
        return f"{row.name} is the only session of this event."
    return _driven_in(row)


def _delete_sheet(row: Sheet) -> None:
    _put(row)
    thread.hide(row.event, "sheet", row.pk, True)


def _restore_sheet(row: Sheet) -> None:
    _take(row)
    thread.hide(row.event, "sheet", row.pk, False)


def _delete_session(row: Session) -> None:
    _put(row)
    if row.event.session_id == row.pk:
        row.event.session = row.event.sessions.first()
        row.event.save(update_fields=["session"])


def _stays(row: Any) -> str:
    return ""


def _event_named(row: Event) -> str:
    return f"{row} with its sheets, runs, verdicts and plans"


def _run_named(row: Run) -> str:
    return f"{row} and its {counted(row.laps.count(), 'lap')}"


KINDS: dict[str, Kind] = {
    "event": Kind("Event", Event, lambda: Event.objects.all(), _stays, events.delete_event, events.restore_event, _event_named),
    "run": Kind("Run", Run, lambda: Run.objects.all(), _stays, runs.delete_run, runs.restore_run, _run_named),
    "sheet": Kind("Sheet", Sheet, lambda: Sheet.everything.all(), _sheet_refuses, _delete_sheet, _restore_sheet),
    "session": Kind("Session", Session, lambda: Session.everything.all(), _session_refuses, _delete_session, _take),
    "car": Kind("Car", Car, lambda: Car.everything.all(), _stays, _put, _take),
    "circuit": Kind("Circuit", Circuit, lambda: Circuit.everything.all(), _stays, _put, _take),
}


def rows_of(kind: Kind, user: Person) -> QuerySet[Any]:
    """All rows of a kind that somebody owns, but for those that are going for good."""
    return kind.rows().filter(**{kind.model.OWNER: user}).exclude(deleted_at=_GOING)  # type: ignore[attr-defined]


@transaction.atomic
def delete(kind: Kind, row: Any) -> None:
    """Puts a row into the bin.

    :raises InputError: where something stands on it
    """
    why = kind.refuses(row)
    if why:
        raise InputError(str(row), "something that is in use", why)
    kind.delete(row)


@transaction.atomic
def restore(kind: Kind, row: Any) -> None:
    """Takes a row out of the bin."""
    kind.restore(row)


@dataclass(frozen=True)
class Waiting:
    """Something in the bin.

    :param key: of its kind
    :param where: the event that it belongs to; empty where it stands alone
    :param until: when it goes for good
    """

    key: str
    words: str
    row: Any
    where: str
    until: datetime


def waiting(user: Person) -> list[Waiting]:
    """What waits in the bin, the newest first."""
    found = []
    for key, kind in KINDS.items():
        for row in rows_of(kind, user).filter(deleted_at__isnull=False):
            event = getattr(row, "event", None)
            if event is not None and event.deleted_at is not None:
                continue  # comes back with its event
            found.append(Waiting(key, kind.words, row, "" if event is None else event.name, row.deleted_at + WAITS))
    return sorted(found, key=lambda one: one.until, reverse=True)


def for_good(kind: Kind, row: Any) -> bool:
    """Lets something in the bin go for good; false where it was brought back meanwhile, or something outside of the bin stands on it."""
    gone = _gone(kind, row)
    if gone:
        shelf.clear()  # answers that were worked out from it
    return gone


def _gone(kind: Kind, row: Any) -> bool:
    with transaction.atomic():
        there = kind.rows().filter(pk=row.pk, deleted_at__isnull=False)
        if not there.exists():
            return False
        if not isinstance(row, Event):
            try:
                with transaction.atomic():
                    row.delete()
            except ProtectedError:
                return False
            return True
        there.update(deleted_at=_GOING)
    let_go(row)
    return True


def let_go(event: Event) -> None:
    """Removes an event for good, its runs first and some at a time, so that others write between."""
    keys = Run.objects.filter(event=event).order_by("pk").values_list("pk", flat=True)
    while some := list(keys[:_AT_ONCE]):
        with transaction.atomic():
            Run.objects.filter(pk__in=some).delete()
    with transaction.atomic():
        event.delete()


def empty(user: Person) -> tuple[int, int]:
    """Lets everything in a bin go for good, events first since cars, circuits, sheets and sessions are held by them.

    :returns: what went, and what stays since something outside of the bin stands on it
    """
    return _emptied(lambda kind: rows_of(kind, user).filter(deleted_at__isnull=False))


def empty_all(before: datetime) -> int:
    """The same for what was deleted before then, in every bin; returns what went."""
    return _emptied(lambda kind: kind.rows().filter(deleted_at__lt=before))[0]


def _emptied(rows: Callable[[Kind], QuerySet[Any]]) -> tuple[int, int]:
    went = stay = 0
    for kind in KINDS.values():
        for row in rows(kind):
            if for_good(kind, row):
                went += 1
            else:
                stay += 1
    return went, stay
