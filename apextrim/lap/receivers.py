"""What the Lap bench answers the events."""

from typing import Any

from django.conf import settings
from django.dispatch import receiver

from apextrim.events.models import Event
from apextrim.events.signals import event_made
from apextrim.work.queue import TooMuchWork

from . import tasks


@receiver(event_made)
def begin_with_its_line(event: Event, **_: Any) -> None:
    """The quickest line takes its time: it is begun with when an event is made, unless the owner has enough under way."""
    if not settings.FIND_LINES:
        return
    try:
        tasks.ask(event)
    except TooMuchWork:
        return
