"""What the Lap bench answers the events."""

from collections.abc import Mapping
from typing import Any

from django.dispatch import receiver

from apextrim.events.models import Event
from apextrim.events.signals import event_made, facts_wanted
from apextrim.library.models import Circuit
from apextrim.library.signals import corners_moved

from . import tasks
from .models import TrainedMark


@receiver(event_made)
def begin_with_its_line(event: Event, **_: Any) -> None:
    """The quickest line takes its time: it is begun with when an event is made, unless the owner has enough under way."""
    tasks.ensure(event)


@receiver(facts_wanted)
def line_fact(event: Event, **_: Any) -> str:
    """That the benches do not stand on the day's quickest line yet; it is asked for by the first page that needs it."""
    if tasks.ensure(event) is not None:
        return ""
    return "lap times provisional: the quickest line is being found" if tasks.under_way(event) else "not on the quickest line of the day"


@receiver(corners_moved)
def trainer_begins_anew(row: Circuit, homes: Mapping[int, int], said: list[str], **_: Any) -> None:
    """What the trainer learned of corners that have another number now is of no use."""
    for event in row.events.all():
        gone = [mark.pk for mark in TrainedMark.objects.filter(event=event) if homes.get(mark.corner, mark.corner) != mark.corner]
        if gone:
            TrainedMark.objects.filter(pk__in=gone).delete()
            said.append(f"{event.name}: the trainer begins anew in corners that have another number now.")
