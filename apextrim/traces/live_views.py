"""The gap to a reference while a lap is being driven, corner by corner."""

from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.judge.traces.frame import fits_length, frames_of
from apexcore.judge.traces.place import placed
from apexcore.judge.traces.underway import gap_under_way
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.runs.models import LapTrace
from apextrim.runs.queries import runs_of
from apextrim.runs.recorded import recorded_lap, under_way
from apextrim.ui.uploads import problems_of

from . import compare


def _context(request: HttpRequest, event: Event) -> dict[str, Any]:
    """What is on the track now."""
    traces = compare.traces_at(request.user, event)
    best = compare.best_of(traces, event)
    key = request.GET.get("reference") or (str(best.pk) if best else compare.MODEL)
    run = runs_of(event).exclude(logger=None).order_by("-number").first()
    context: dict[str, Any] = {"event": event, "reference_key": key, "run": run, "traces": traces, "model_key": compare.MODEL}
    try:
        ground = compare.ground_of(event)
        side = compare.side_of(request.user, event, key, ground)
        fits_length(side.lap, ground.line.length_m)
        context["reference"] = side
        lap = None if run is None or run.closed else under_way(run)
        if lap is not None and run is not None:
            frames, _ = frames_of([side.lap], ground.base)
            reference = placed([side.lap], ground.base, frames)[0]
            before = LapTrace.objects.filter(lap__run=run).order_by("-lap__number").select_related("lap").first()
            scale = ground.line.length_m / (recorded_lap(before).length_m or ground.line.length_m) if before else 1.0
            same = side.trace is not None and (side.trace.origin is not None) == ("x_m" in lap.columns and _in_degrees(event))
            now = gap_under_way(lap.t, lap.columns, ground.base, frames[0] if same else None, reference, ground.corners, scale)
            context |= {"lap": lap, "now": now, "clock": float(np.max(lap.t))}
    except ApexError as error:
        context["errors"] = problems_of(error)
    return context


def _in_degrees(event: Event) -> bool:
    """Whether positions at this circuit come in degrees."""
    return LapTrace.objects.filter(lap__run__event=event, origin__isnull=False).exists()


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """The gap as it grows."""
    event = event_for(request.user, event_id)
    return render(request, "traces/live.html", {**_context(request, event), "frame": frame(event, "runs")})


@require_GET
def part(request: HttpRequest, event_id: int) -> HttpResponse:
    """The part of the page that is asked for again."""
    return render(request, "traces/_live.html", _context(request, event_for(request.user, event_id)))
