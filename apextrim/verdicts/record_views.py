"""The track record of the model, its calibration, and visits of another day."""

from collections.abc import Sequence
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.judge.calibration import PRIOR_SD, SCALES, at_edge
from apexcore.judge.missed import LEAST_CHANGES
from apexcore.quantities import format_number
from apexcore.quantities.spread import half_interval
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, events_of, frame
from apextrim.ui.whisker_plot import Estimate, WhiskerPlot, WhiskerRow, whisker_plot
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
        found = context["record"] = record.track_record(event)
        context["said"] = _said_and_measured(event, found.changes)
    except ApexError as error:
        context["problem"] = problem or str(error)
    if newest is not None:
        context["scales"] = [
            (words, newest.scales[name] - 1.0, newest.spread[name], half_interval(PRIOR_SD[name])) for name, words in SCALES.items()
        ]
        context["scaled"] = _before_and_after(context["scales"])
        context["edge"] = at_edge(newest.scales, newest.driver)
        context["applied"] = event.calibration == {name: newest.scales[name] for name in SCALES}
    return render(request, "verdicts/record.html", context, status=422 if problem else 200)


def _said_and_measured(event: Event, changes: Sequence[record.Recorded]) -> WhiskerPlot | None:
    """What the model said of each change over what the laps measured."""
    bench, rows = reverse("verdicts_bench", args=[event.pk]), []
    for one in changes:
        low, high = one.modelled_s - one.spread_s, one.modelled_s + one.spread_s
        middle, least, most = one.measured_s
        name = f"{one.parent.name} → {one.sheet.name}"
        words = (
            f"{name}: modelled {format_number(one.modelled_s, 2, signed=True)} s, {format_number(low, 2, signed=True)} to "
            f"{format_number(high, 2, signed=True)}; measured {format_number(middle, 2, signed=True)} s, "
            f"{format_number(least, 2, signed=True)} to {format_number(most, 2, signed=True)}: {one.score.words}."
        )
        href = f"{bench}?a={one.parent.pk}&b={one.sheet.pk}&margin=0.10"
        rows.append(WhiskerRow(name, (Estimate(low, one.modelled_s, high), Estimate(least, middle, most)), words, href))
    label, x_words = "What the model said of each change, and what the laps measured", "seconds a lap: − quicker, + slower"
    kinds = ("modelled then", "from your laps")
    return whisker_plot(rows, kinds, label, x_words, lambda value: format_number(value, 2, signed=bool(value)), least=0.05)


def _before_and_after(scales: Sequence[tuple[str, float, float, float]]) -> WhiskerPlot | None:
    """What was thought of the car before these laps over what they leave of it, in per cent."""
    rows = []
    for words, size, spread, prior in scales:
        said = (
            f"{words.capitalize()}: within ± {format_number(100 * prior, 0)} % before, {format_number(100 * size, 1, signed=True)} % "
            f"± {format_number(100 * spread, 1)} by these laps."
        )
        before, after = Estimate(-100 * prior, 0.0, 100 * prior), Estimate(100 * (size - spread), 100 * size, 100 * (size + spread))
        rows.append(WhiskerRow(words, (before, after), said))
    label, kinds = "What was thought of the car before these laps, and what they leave of it", ("before your laps", "after")
    return whisker_plot(
        rows, kinds, label, "against the car as entered, %", lambda value: format_number(value, 0, signed=bool(value)), least=1.0
    )


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
