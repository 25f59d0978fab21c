"""What the pages of an event ask of those who build on it (sheets, runs, ...), so that the event need not know them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.dispatch import Signal

from apexcore.judge.shift import Shift, shift_of
from apexcore.vehicle.class_limits import Kept, Standing

from .models import Event

#: The top of an event's pages is drawn. Argument: `event`. A receiver returns a fact for it, empty where there is none.
facts_wanted = Signal()

#: Events are listed. Argument: `events`. A receiver returns the name of the sheet in the car by the event's key.
sheet_names_wanted = Signal()

#: The brief is drawn. Argument: `event`. A receiver returns a `Panel`.
panels_wanted = Signal()

#: The item limits of an event are drawn. Argument: `event`. A receiver returns a list of `Violation`.
violations_wanted = Signal()

#: The class limits of an event are drawn. Argument: `event`. A receiver returns a list of `ClassRow`.
class_rows_wanted = Signal()

#: Lap times to expect are drawn. Argument: `event`. A receiver returns the `judge.shift.Shift` of its laps.
pace_shift_wanted = Signal()

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


@dataclass(frozen=True)
class ClassRow:
    """A sheet as its class sees it.

    :param key: of its row
    :param kept: every limit with how it stands to it
    """

    key: int
    name: str
    in_car: bool
    stands: Standing
    kept: tuple[Kept, ...]

    @property
    def broken(self) -> tuple[Kept, ...]:
        """The limits that it breaks."""
        return tuple(one for one in self.kept if not one.ok)


def _answers(signal: Signal, **asked: Any) -> list[Any]:
    return [answer for _, answer in signal.send(sender=Event, **asked)]


def facts(event: Event) -> list[str]:
    """Facts of others for the top of an event's pages."""
    return [fact for fact in _answers(facts_wanted, event=event) if fact]


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


def class_rows(event: Event) -> Sequence[ClassRow]:
    """The sheets of an event as its class sees them."""
    return [row for found in _answers(class_rows_wanted, event=event) for row in found]


def pace_shift(event: Event) -> Shift:
    """How far the laps of an event are from the model; what is assumed before any lap without."""
    return next(iter(_answers(pace_shift_wanted, event=event)), shift_of(()))
