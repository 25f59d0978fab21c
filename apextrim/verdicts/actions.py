"""Keeping a verdict."""

from datetime import datetime

from django.db import transaction
from django.utils import timezone

from apextrim.events.models import Event
from apextrim.events.thread import tie
from apextrim.garage.models import Sheet

from .models import KeptVerdict
from .queries import Judged


@transaction.atomic
def keep_verdict(event: Event, a: Sheet, b: Sheet, judged: Judged, at: datetime | None = None) -> KeptVerdict:
    """Keeps a verdict as it stands now, on the thread."""
    verdict = judged.verdict
    row = KeptVerdict.objects.create(
        event=event, sheet_a=a, sheet_b=b, margin_s=verdict.margin_s, mean_s=verdict.mean_s, low_s=verdict.low_s,
        high_s=verdict.high_s, sentence=judged.text, made_at=at or timezone.now(),
    )  # fmt: skip
    tie(event, "verdict", f"{a.name} : {b.name}", judged.text, row.pk, at)
    return row
