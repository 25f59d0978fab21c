"""Runs a search in a thread of the server; everything it knows and tells goes through its row."""

import threading
import time
from datetime import timedelta
from typing import cast

from django.db import connection
from django.utils import timezone

from apexcore.errors import ApexError
from apexcore.trim.moves.search import AimKey, Found, Limits, search
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.modelling import cases

from .models import Search

#: How often the row is written and read while a search runs [s], and the silence after which its worker is gone [s].
_BEAT_S, _GONE_S = 0.25, 30.0


class _Line:
    """The line between a worker and its row."""

    def __init__(self, pk: int) -> None:
        self.rows, self.last, self.asked = Search.objects.filter(pk=pk), 0.0, False

    def progress(self, share: float) -> None:
        now = time.monotonic()
        if now - self.last > _BEAT_S:
            self.last = now
            self.rows.update(progress=share, beat_at=timezone.now())
            self.asked = self.asked or bool(self.rows.values_list("stop", flat=True).first())

    def stopped(self) -> bool:
        return self.asked


def run(pk: int) -> None:
    """Works a search off; what ends it stands in its row."""
    row = Search.objects.select_related("event__car", "event__circuit", "sheet").get(pk=pk)
    line = _Line(pk)
    car = cases.car_of(row.event)
    items = [item for item in car.items if item.key in row.options["items"]]
    limits = Limits(row.options["top_ms"], row.options["entry_pct"], row.options["work"])
    try:
        found = search(
            cases.lap_case_of(row.event), cases.spans_of(row.event), CoreSheet(car.key, row.sheet.values), items,
            cast(AimKey, row.aim), limits, row.options["laps"], line.progress, line.stopped,
        )  # fmt: skip
    except ApexError as error:
        line.rows.update(state="failed", error=str(error)[:400], beat_at=timezone.now())
        return
    state = "done" if found.finished else "stopped"
    line.rows.update(state=state, progress=1.0, result=_result(found), beat_at=timezone.now())


def _result(found: Found) -> dict[str, object]:
    return {
        "changes": [[change.item.key, change.steps, change.value, change.gain_s] for change in found.changes],
        "before": [found.before.cost_s, found.before.lap_s, found.before.top_ms],
        "after": [found.after.cost_s, found.after.lap_s, found.after.top_ms],
        "excess": found.after.excess, "trade": [list(spot) for spot in found.trade], "tried": found.tried,
    }  # fmt: skip


def _work(pk: int) -> None:
    try:
        run(pk)
    except Exception:
        Search.objects.filter(pk=pk).update(state="failed", error="The search failed. The sheet is unchanged; start it again.")
        raise
    finally:
        connection.close()


def start(pk: int) -> None:
    """Runs a search beside the requests."""
    threading.Thread(target=_work, args=(pk,), daemon=True, name=f"search-{pk}").start()


def is_gone(row: Search) -> bool:
    """Whether a search that should be running lost its worker (the server was started anew)."""
    return row.state == "running" and timezone.now() - row.beat_at > timedelta(seconds=_GONE_S)
