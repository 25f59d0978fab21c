"""What the class of an event allows of the whole car."""

from contextlib import nullcontext

from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from . import actions, facts, queries, signals
from .forms import ClassForm


@require_http_methods(["GET", "POST"])
def class_limits(request: HttpRequest, event_id: int) -> HttpResponse:
    """The limits, and how the sheets of the event stand to them."""
    posted = request.method == "POST"
    with transaction.atomic() if posted else nullcontext():
        event = queries.event_for(request.user, event_id)
        form = ClassForm(request.POST if posted else None, initial=facts.class_limits_of(event).model_dump())
        changed = posted and form.is_valid() and actions.change_class_limits(event, form.limits())
    if posted and form.is_valid():
        messages.success(request, "Class limits saved." if changed else "Nothing changed.")
        return redirect("class_limits", event.pk)
    context = {
        "event": event, "frame": queries.frame(event, "brief"), "form": form, "sheets": signals.class_rows(event),
        "limited": facts.class_limits_of(event).any,
    }  # fmt: skip
    return render(request, "events/class_limits.html", context, status=422 if posted else 200)
