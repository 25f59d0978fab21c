"""Keeping a verdict, and a planned test."""

from collections.abc import Sequence
from datetime import datetime

from django.db import transaction
from django.utils import timezone

from apexcore.judge.plan import TestPlan
from apextrim.events.models import Event
from apextrim.events.thread import tie

from .differences import Difference
from .models import KeptVerdict, PlannedTest
from .queries import Judged
from .sides import SHEET

Sides = tuple[tuple[str, str], tuple[str, str]]


@transaction.atomic
def keep_verdict(event: Event, sides: Sides, judged: Judged, at: datetime | None = None, by: str = SHEET) -> KeptVerdict:
    """Keeps a verdict as it stands now, on the thread.

    :param sides: key and words of A and of B
    :param by: the kind of difference, of `sides.kinds_of`
    """
    verdict = judged.verdict
    (key_a, a), (key_b, b) = sides
    row = KeptVerdict.objects.create(
        event=event, by=by, key_a=key_a, key_b=key_b, side_a=a, side_b=b, margin_s=verdict.margin_s, mean_s=verdict.mean_s,
        low_s=verdict.low_s, high_s=verdict.high_s, sentence=judged.text, made_at=at or timezone.now(),
    )  # fmt: skip
    tie(event, "verdict", f"{a} : {b}"[:24], judged.text, row.pk, at)
    return row


@transaction.atomic
def keep_test(
    event: Event, differences: Sequence[Difference], plan: TestPlan, difference_s: float, at: datetime | None = None
) -> PlannedTest:
    """Keeps a plan of a test, on the thread.

    :param difference_s: that one cares about [s]
    """
    rows, order = [tried.to_row() for tried in differences], [list(marks) for marks in plan.order]
    made_at = at or timezone.now()
    row = PlannedTest.objects.create(
        event=event, differences=rows, order=order, laps=plan.laps, difference_s=difference_s, power=plan.power, made_at=made_at
    )
    tried = "; ".join(f"{difference.off.words} against {difference.on.words}" for difference in differences)
    tie(event, "brief", "Test", f"{len(order)} runs of {plan.laps} laps: {tried}", at=at)
    return row
