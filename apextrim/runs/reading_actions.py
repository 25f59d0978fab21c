"""Keeping what was read at the wheels."""

from django.db import transaction
from django.utils import timezone

from apextrim.events.models import Event
from apextrim.sheets.models import Sheet

from .models import Run, TyreReading


@transaction.atomic
def keep_reading(event: Event, sheet: Sheet, values: dict[str, float], run: Run | None) -> TyreReading:
    """Keeps what was read at the wheels, with the weather of now.

    :param values: of `reading_form.parsed_reading`
    :param run: the run after which it was read, None for none
    """
    return TyreReading.objects.create(event=event, sheet=sheet, run=run, values=values, conditions=event.conditions, made_at=timezone.now())
