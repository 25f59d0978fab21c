"""Files whose columns have other names than ours: which is which is asked once, and remembered."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from apexcore.errors import ApexError, FileRejected
from apexcore.formats.laps_csv import COLUMNS, Table, guessed_columns, read_table
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.ui.uploads import is_long, problems_of
from apextrim.work import queue

from . import actions, queries
from .models import Run

#: What our columns are called on the page.
COLUMN_WORDS: dict[str, str] = {
    "lap": "Lap number", "lap_time": "Lap time", "kind": "Lap type", "fuel_l": "Fuel burnt", "top_kmh": "Top speed, km/h",
    **{name: f"Sector {name[-1]}" for name in COLUMNS if name.startswith("sector_")},
}  # fmt: skip


def ask_columns(request: HttpRequest, event: Event, run: Run, table: Table, text: str, errors: list[str] | None = None) -> HttpResponse:
    """The page that asks which column is which; the file's text travels with it."""
    chosen: dict[str, str] = {name: str(index) for name, index in guessed_columns(table.header).items()}
    if request.POST.get("text"):
        chosen = {name: request.POST.get(f"col-{name}", "") for name in COLUMNS}
    rows = [(name, COLUMN_WORDS[name], chosen.get(name, "")) for name in COLUMNS]
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "runs"), "run": run, "rows": rows, "text": text, "errors": errors or [],
        "header": [(str(index), name or f"column {index + 1}") for index, name in enumerate(table.header)],
        "sample": [cells for _, cells in table.body[:4]], "count": len(table.body),
    }  # fmt: skip
    return render(request, "runs/match.html", context, status=422 if errors else 200)


def import_beside(run: Run, data: bytes, columns: dict[str, int] | None) -> HttpResponse:
    """Brings a large file in beside the requests.

    :param columns: which column is which; None where they carry our own names
    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    job = queue.ask(run.event.owner, "laps", f"{run.event.name}: laps of a file for {run.name}", {"run": run.pk, "columns": columns}, data)
    return redirect("job", job.pk)


@require_POST
def match(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Brings a file in with the columns chosen."""
    event = event_for(request.user, event_id)
    run = queries.run_for(request.user, event, run_id)
    text = request.POST.get("text", "")
    try:
        table = read_table(text.encode())
    except FileRejected as error:
        messages.error(request, str(error))
        return redirect("run", event.pk, run.pk)
    columns = {name: int(place) for name in COLUMNS if (place := request.POST.get(f"col-{name}", "")).isdecimal()}
    columns = {name: index for name, index in columns.items() if index < len(table.header)}
    try:
        if is_long(text.encode()):
            return import_beside(run, text.encode(), columns)
        new = actions.import_matched(run, table, columns)
    except ApexError as error:
        return ask_columns(request, event, run, table, text, problems_of(error))
    messages.success(request, f"{new} lap{'s' if new != 1 else ''} imported; these columns are remembered.")
    return redirect("run", event.pk, run.pk)
