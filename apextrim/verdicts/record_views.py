"""The track record of the model, its calibration, and visits of another day."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.judge.calibration import PRIOR_SD, SCALES, at_edge
from apexcore.judge.missed import LEAST_CHANGES
from apexcore.quantities.spread import half_interval
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, events_of, frame
from apextrim.work import queue

from . import presenters, record, visits
from .models import Calibration
from .queries import NotYet


def _page(request: HttpRequest, event: Event, problem: str = "") -> HttpResponse:
    newest = event.calibrations.first()
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "verdicts"),
        "problem": problem,
        "newest": newest,
        "least": LEAST_CHANGES,
    }
    try:
        context["record"] = record.track_record(event)
    except ApexError as error:
        context["problem"] = problem or str(error)
    if newest is not None:
        context["scales"] = [
            (words, newest.scales[name] - 1.0, newest.spread[name], half_interval(PRIOR_SD[name])) for name, words in SCALES.items()
        ]
        context["edge"] = at_edge(newest.scales, newest.driver)
        context["applied"] = event.calibration == {name: newest.scales[name] for name in SCALES}
    return render(request, "verdicts/record.html", context, status=422 if problem else 200)


@require_GET
def track_record(request: HttpRequest, event_id: int) -> HttpResponse:
    """What the model said beside what the laps measured."""
    return _page(request, event_for(request.user, event_id))


@require_POST
def hold(request: HttpRequest, event_id: int) -> HttpResponse:
    """Holds the model against the newest runs."""
    event = event_for(request.user, event_id)
    try:
        record.check_laps(event)
        job = queue.ask(event.owner, "calibration", f"{event.name}: calibrate the model to laps", {"event": event.pk})
    except ApexError as error:
        return _page(request, event, str(error))
    return redirect("job", job.pk)


@require_POST
def apply(request: HttpRequest, event_id: int, calibration_id: int) -> HttpResponse:
    """Applies a calibration."""
    event = event_for(request.user, event_id)
    record.apply_calibration(event, owned_or_404(Calibration, request.user, event=event, pk=calibration_id))
    messages.success(request, "Every modelled number of this event is calibrated to your laps now, and says so at the top.")
    return redirect("track_record", event.pk)


@require_POST
def take_back(request: HttpRequest, event_id: int) -> HttpResponse:
    """Takes a calibration back."""
    event = event_for(request.user, event_id)
    taken = record.take_back_calibration(event)
    messages.success(request, "Calibration removed." if taken else "Nothing was applied.")
    return redirect("track_record", event.pk)


@require_GET
def compare_visits(request: HttpRequest, event_id: int) -> HttpResponse:
    """The same car and circuit on another day, with conditions taken out."""
    event = event_for(request.user, event_id)
    others = list(events_of(request.user).filter(car=event.car, circuit=event.circuit).exclude(pk=event.pk))
    context: dict[str, Any] = {"event": event, "frame": frame(event, "verdicts"), "others": others}
    chosen = next((other for other in others if str(other.pk) == request.GET.get("other", "")), None)
    if chosen is not None:
        context["chosen"] = chosen
        try:
            found = visits.compared(event, chosen)
        except ApexError as error:
            context["problem"] = str(error)
        else:
            if isinstance(found, NotYet):
                context["missing"] = found.why
            else:
                context |= {"visit": found, "interval": presenters.interval_picture(found.verdict)}
    return render(request, "verdicts/visits.html", context)
