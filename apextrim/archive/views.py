"""A whole event out, and in again; and what is left to do with one that cannot be shown."""

import sys
from pathlib import Path

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.template import loader
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from pydantic import ValidationError

from apexcore.errors import ApexError
from apexcore.formats.event_file import MOST_EVENT_BYTES
from apexcore.formats.text import problem_of
from apextrim.accounts import tour
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for
from apextrim.ui.faults import fault_page
from apextrim.ui.uploads import is_long, problems_of, uploaded
from apextrim.work import queue

from . import actions
from .rows import rows_as_json

#: The weekend that a new account may copy; `make sample` writes it.
SAMPLE = Path(__file__).parent / "sample" / "weekend.json"


@require_http_methods(["GET", "POST"])
def take_out(request: HttpRequest, event_id: int) -> HttpResponse:
    """The event as one JSON file; a long one is asked for, and written beside the requests."""
    event = event_for(request.user, event_id)
    if request.method == "POST":
        try:
            job = queue.ask(request.user, "event_file", f"Export {event.name}", {"event": event.pk})
        except ApexError as error:
            messages.error(request, str(error))
            return redirect("take_out_event", event.pk)
        return redirect("job", job.pk)
    if actions.is_long(event):
        return render(request, "archive/long_file.html", {"event": event})
    headers = {"Content-Disposition": f'attachment; filename="{actions.file_name(event)}"'}
    try:
        text = actions.write_event(event)
    except ValidationError as error:
        for problem in error.errors()[:5]:
            messages.error(request, f"The event does not fit a file: {problem_of(problem)} What is stored can be had as rows instead.")
        return redirect("event_rows", event.pk)
    return HttpResponse(text, content_type="application/json", headers=headers)


@require_GET
def take_rows(request: HttpRequest, event_id: int) -> StreamingHttpResponse:
    """What is stored for the event as it is, also where none of it can be read any more."""
    event = owned_or_404(Event, request.user, "car", "circuit", pk=event_id)
    headers = {"Content-Disposition": f'attachment; filename="event-{event.pk}-rows.jsonl"'}
    return StreamingHttpResponse(rows_as_json(event), content_type="application/x-ndjson", headers=headers)


@login_not_required
def server_error(request: HttpRequest) -> HttpResponse:
    """500; on a page of an event with what can still be done with it."""
    response = fault_page(sys.exc_info()[1])
    match = request.resolver_match
    if response.status_code != 500 or match is None or "event_id" not in match.kwargs:
        return response
    try:
        event = owned_or_404(Event, request.user, pk=match.kwargs["event_id"])
        page = loader.render_to_string("archive/broken.html", {"event": event})
    except Exception:  # whatever is wrong: the plain page stands on nothing
        return response
    return HttpResponse(page, status=500)


@require_POST
def copy_sample(request: HttpRequest) -> HttpResponse:
    """A finished weekend of the demo, copied into the account to look around in; a second time it is there already."""
    try:
        event, new = actions.read_event(request.user, SAMPLE.read_bytes())  # type: ignore[arg-type]
    except ApexError as error:  # another car or circuit of the account has its key
        for problem in problems_of(error):
            messages.error(request, problem)
        return redirect("home")
    if new:
        tour.begin(request.user)  # type: ignore[arg-type]
    words = "is copied into your account: look around, change it, delete it" if new else "is in your account already"
    messages.success(request, f"{event.name} {words}.")
    return redirect("brief", event.pk)


@require_POST
def bring_in(request: HttpRequest) -> HttpResponse:
    """An event from its file."""
    try:
        data = uploaded(request, "an event in JSON", MOST_EVENT_BYTES)
        if is_long(data):
            return redirect("job", queue.ask(request.user, "event", "Import an event from its file", {}, data).pk)
        event, new = actions.read_event(request.user, data)  # type: ignore[arg-type]
    except ApexError as error:
        for problem in problems_of(error):
            messages.error(request, problem)
        return redirect("events")
    messages.success(request, actions.brought_in(event, new))
    return redirect("brief", event.pk)
