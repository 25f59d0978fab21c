"""The palette's answers."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apextrim.accounts.owned import asked_for, owned
from apextrim.events.models import Event

from .finder import find


@require_GET
def answers(request: HttpRequest) -> HttpResponse:
    """What a few letters name, as a list of links."""
    rows = owned(Event, request.user).select_related("car", "circuit").filter(deleted_at=None)
    event = asked_for(rows, request.GET.get("event", ""))
    return render(request, "archive/_found.html", {"hits": find(request.user, event, request.GET.get("q", "")[:60])})
