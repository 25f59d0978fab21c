"""A search as a piece of work beside the requests."""

from typing import cast

from django.urls import reverse

from apexcore.trim.moves.search import AIM_WORDS, AimKey, Found, Limits, search
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.modelling import cases
from apextrim.work import queue
from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job

from .models import Search


@work_of("search")
def run(job: Job, line: Line) -> Done:
    """Works a search off; what it found stands in its row."""
    row = Search.objects.select_related("event__car", "event__circuit", "sheet").get(job=job)
    car = cases.car_of(row.event)
    items = [item for item in car.items if item.key in row.options["items"]]
    limits = Limits(row.options["top_ms"], row.options["entry_pct"], row.options["work"])
    found = search(
        cases.lap_case_of(row.event), cases.spans_of(row.event), CoreSheet(car.key, row.sheet.values), items,
        cast(AimKey, row.aim), limits, row.options["laps"], line.progress, line.stopped,
    )  # fmt: skip
    Search.objects.filter(pk=row.pk).update(result=_result(found))
    return Done(address=reverse("search", args=[row.event_id, row.pk]), stopped=not found.finished)


def _result(found: Found) -> dict[str, object]:
    return {
        "changes": [[change.item.key, change.steps, change.value, change.gain_s] for change in found.changes],
        "before": [found.before.cost_s, found.before.lap_s, found.before.top_ms],
        "after": [found.after.cost_s, found.after.lap_s, found.after.top_ms],
        "excess": found.after.excess, "trade": [list(spot) for spot in found.trade], "tried": found.tried,
    }  # fmt: skip


def ask(row: Search) -> Search:
    """Asks for a search.

    :param row: not yet kept
    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    words = f"{row.event.name}: search from {row.sheet.name} for {AIM_WORDS[cast(AimKey, row.aim)]}"

    def keep(job: Job) -> None:
        row.job = job
        row.save()

    queue.ask(row.event.owner, "search", words, {}, with_it=keep)
    return row
