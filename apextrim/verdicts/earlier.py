"""What is known of a driver beside the runs that are judged: their other runs here, and those of earlier events."""

import statistics
from collections.abc import Iterable
from functools import partial

from apexcore.judge.history import History
from apexcore.judge.model import Observed, Priors, history_from
from apextrim.events.models import Event
from apextrim.runs.models import Run
from apextrim.runs.queries import observed_by, rows_of, with_laps

#: Earlier events that are looked at, the newest, and laps of each.
_EVENTS, _LAPS = 3, 120


def history_of(event: Event, judged: Iterable[Run], laps: list[Observed], priors: Priors, fuel_l_per_lap: float) -> History | None:
    """What the owner's other runs say of their spread from run to run.

    :param judged: runs that are judged, which are not their own history
    :param laps: of those runs, whose length tells how the book's effects change on other circuits
    :param priors: of this event's book
    """
    judged_keys = [run.pk for run in judged]
    usual = statistics.median(lap.time_s for lap in laps)
    found = None
    others = Event.objects.filter(owner=event.owner, deleted_at=None, runs__deleted_at=None).exclude(pk=event.pk).distinct().order_by("-pk")
    for other, rows in [
        (event, rows_of(event).exclude(pk__in=judged_keys)),
        *[(other, rows_of(other)) for other in others[:_EVENTS]],
    ]:
        levels = {key: index for index, key in enumerate(rows.order_by().values_list("sheet_id", flat=True).distinct())}
        runs = observed_by(other, with_laps(rows, _LAPS), partial(_level_of, levels), fuel_l_per_lap)
        by_day: dict[int, list[list[Observed]]] = {}
        for run in runs:
            by_day.setdefault(run.laps[0].day, []).append([lap for lap in run.laps if lap.compound < len(priors.fade)])
        for day in by_day.values():
            own = [lap.time_s for run in day for lap in run]
            one = history_from(day, priors, statistics.median(own) / usual) if own else None
            found = one if found is None else found if one is None else found + one
    return found


def _level_of(levels: dict[int, int], run: Run) -> int | None:
    return levels.get(run.sheet_id)
