"""Recordings from files: what a run of one is, which column is which, and the job that brings it in."""

from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from apexcore.errors import ApexError
from apexcore.formats.recording import Header, first_values, missing_libraries
from apexcore.judge.traces.channels import CHANNELS, Match
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.runs.forms import RunForm
from apextrim.runs.models import Run, Upload
from apextrim.runs.queries import left_by_last
from apextrim.ui.uploads import problems_of
from apextrim.work import queue

from . import uploads

#: What a column can be besides a channel: one of its own name, or none.
OWN, LEFT_OUT = "own", ""
#: Lines of a table that are shown.
_SHOWN = 4


class RecordingForm(RunForm):
    """What a recording is of: a run that is there, or a new one."""

    run = forms.ModelChoiceField(Run.objects.none(), required=False, label="Laps of", empty_label="a new run, as below")

    field_order = ("run", "sheet", "session", "front", "rear", "tyre_age", "tyre_set", "scrubbed", "pace_laps", "fuel_l", "tags", "note")

    def __init__(self, event: Event, *args: Any, **kwargs: Any) -> None:
        super().__init__(event, *args, left=left_by_last(event), auto_id="rec_%s", **kwargs)
        self.fields["run"].queryset = event.runs.filter(deleted_at=None).order_by("-number")  # type: ignore[attr-defined]

    def target(self) -> dict[str, Any]:
        """What the laps belong to, of a valid form, as it is kept beside the file."""
        values = dict(self.cleaned_data)
        run = values.pop("run")
        if run is not None:
            return {"run": run.pk}
        return {**values, "sheet": values["sheet"].pk, "session": values["session"].pk if values["session"] else None}


def _choose(request: HttpRequest, event: Event, form: RecordingForm, errors: list[str]) -> HttpResponse:
    context = {
        "event": event, "frame": frame(event, "runs"), "form": form, "errors": errors,
        "waiting": Upload.objects.filter(event=event), "has_sheets": event.sheets.exists(), "missing": missing_libraries(),
    }  # fmt: skip
    return render(request, "traces/bring.html", context, status=422 if errors or form.errors else 200)


@require_http_methods(["GET", "POST"])
def choose(request: HttpRequest, event_id: int) -> HttpResponse:
    """Takes a file; a header that is known goes straight on, another is asked about."""
    event = event_for(request.user, event_id)
    if request.method == "GET":
        return _choose(request, event, RecordingForm(event), [])
    form = RecordingForm(event, request.POST)
    if not form.is_valid():
        return _choose(request, event, form, ["The file was not kept: choose it again when the entries below are right."])
    upload = None
    try:
        upload = uploads.keep(event, request.FILES.get("file"), form.target())
        header = uploads.header_of(upload)
        known = uploads.remembered(event, header)
        return _ask(upload, known) if known else redirect("match_recording", event.pk, upload.pk)
    except ApexError as error:
        if upload is not None:
            uploads.forget(upload)
        return _choose(request, event, form, problems_of(error))


def _ask(upload: Upload, matches: list[Match | None]) -> HttpResponse:
    """Asks for the work.

    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    columns = [None if match is None else [match.key, match.unit] for match in matches]
    words = f"{upload.event.name}: import {upload.name}"
    return redirect("job", queue.ask(upload.event.owner, "recording", words, {"upload": upload.pk, "columns": columns}).pk)


@require_http_methods(["GET", "POST"])
def match(request: HttpRequest, event_id: int, upload_id: int) -> HttpResponse:
    """Which column is which, in what unit; the file waits meanwhile."""
    event = event_for(request.user, event_id)
    upload = owned_or_404(Upload, request.user, event=event, pk=upload_id)
    try:
        header = uploads.header_of(upload)
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("choose_recording", event.pk)
    errors: list[str] = []
    if request.method == "POST":
        try:
            return _ask(upload, _chosen(request, header))
        except ApexError as error:
            errors = problems_of(error)
    context = {
        "event": event, "frame": frame(event, "runs"), "upload": upload, "lines": _lines(request, event, header, upload), "errors": errors,
        "channels": [(key, f"{one.words}, {one.unit}" if one.unit else one.words) for key, one in CHANNELS.items()],
        "kind": {"csv": "CSV", "parquet": "Parquet", "mdf": "MDF 4"}[header.kind],
    }  # fmt: skip
    return render(request, "traces/match.html", context, status=422 if errors else 200)


def _chosen(request: HttpRequest, header: Header) -> list[Match | None]:
    """What was chosen for each column.

    :raises FileRejected: naming a unit that is none for its channel
    """
    found: list[Match | None] = []
    for place, name in enumerate(header.names):
        key, unit = request.POST.get(f"key-{place}", LEFT_OUT), request.POST.get(f"unit-{place}", "").strip()
        if key == OWN:
            guess = header.guess()[place]
            found.append(Match(guess.key if guess is not None and guess.key not in CHANNELS else name[:40], unit[:20]))
        elif key in CHANNELS:
            found.append(uploads.match_of(key, unit))
        else:
            found.append(None)
    return found


def _lines(request: HttpRequest, event: Event, header: Header, upload: Upload) -> list[dict[str, Any]]:
    """A line for each column: its name, what it is taken for, its unit, and its first values."""
    known = uploads.remembered(event, header) or header.guess()
    with uploads.path_of(upload).open("rb") as file:
        shown = first_values(file, header, _SHOWN)
    lines = []
    for place, name in enumerate(header.names):
        match = known[place]
        key = LEFT_OUT if match is None else match.key if match.key in CHANNELS else OWN
        unit = match.unit if match is not None else header.units[place]
        lines.append(
            {
                "place": place, "name": name, "values": ", ".join(row[place] for row in shown),
                "key": request.POST.get(f"key-{place}", key), "unit": request.POST.get(f"unit-{place}", unit),
            }
        )  # fmt: skip
    return lines


@require_http_methods(["POST"])
def forget(request: HttpRequest, event_id: int, upload_id: int) -> HttpResponse:
    """Lets a file go that waits for its columns."""
    event = event_for(request.user, event_id)
    upload = owned_or_404(Upload, request.user, event=event, pk=upload_id)
    uploads.forget(upload)
    messages.success(request, f"{upload.name} was not imported; nothing of it is kept.")
    return redirect("choose_recording", event.pk)
