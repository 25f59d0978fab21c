"""A whole event out, and in again."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.formats.event_file import MOST_EVENT_BYTES
from apextrim.events.queries import event_for
from apextrim.ui.uploads import is_long, problems_of, uploaded
from apextrim.work import queue

from . import actions


@require_GET
def take_out(request: HttpRequest, event_id: int) -> HttpResponse:
    """The event as one JSON file."""
    event = event_for(request.user, event_id)
    name = "".join(letter if letter.isalnum() else "-" for letter in event.name.lower())[:60]
    headers = {"Content-Disposition": f'attachment; filename="{name}.json"'}
    return HttpResponse(actions.write_event(event), content_type="application/json", headers=headers)


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
