"""What the pages of an event ask of those who build on it (sheets, runs, ...), so that the event need not know them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.dispatch import Signal

from .models import Event

#: The top of an event's pages is drawn. Argument: `event`. A receiver returns a fact for it.
facts_wanted = Signal()

#: Events are listed. Argument: `events`. A receiver returns the name of the sheet in the car by the event's key.
sheet_names_wanted = Signal()

#: The brief is drawn. Argument: `event`. A receiver returns a `Panel`.
panels_wanted = Signal()

#: The item limits of an event are drawn. Argument: `event`. A receiver returns a list of `Violation`.
violations_wanted = Signal()

#: An event was made by its owner and is stored: benches that need time for it begin. Argument: `event`.
event_made = Signal()


@dataclass(frozen=True)
class Panel:
    """A part of the brief that another app draws.

    :param template: what draws it
    :param context: what the template needs, as `panel`
    """

    template: str
    context: dict[str, Any]


@dataclass(frozen=True)
class Violation:
    """Something that breaks the item limits.

    :param name: what it is called
    :param words: a sentence for each item, without its full stop
    """

    name: str
    words: tuple[str, ...]


def _answers(signal: Signal, **asked: Any) -> list[Any]:
    return [answer for _, answer in signal.send(sender=Event, **asked)]


def facts(event: Event) -> list[str]:
    """Facts of others for the top of an event's pages."""
    return _answers(facts_wanted, event=event)


def sheet_names(events: Iterable[Event]) -> dict[int, str]:
    """Name of the sheet in the car, by the key of its event."""
    found: dict[int, str] = {}
    for names in _answers(sheet_names_wanted, events=list(events)):
        found |= names
    return found


def panels(event: Event) -> list[Panel]:
    """Panels of others on the brief."""
    return _answers(panels_wanted, event=event)


def violations(event: Event) -> Sequence[Violation]:
    """All that breaks the item limits of an event."""
    return [violation for found in _answers(violations_wanted, event=event) for violation in found]
