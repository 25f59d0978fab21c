"""The lap bench: the circuit corner by corner."""

from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library import circuit_actions, stored
from apextrim.modelling import answers, cases
from apextrim.sheets.queries import core_sheet_in_car
from apextrim.ui.circuit_map import map_view, marker_words
from apextrim.ui.meanwhile import carried
from apextrim.work.queue import TooMuchWork

from . import lines, notes, presenters, tasks


def _bench(
    request: HttpRequest, event: Event, errors: list[str] | None = None, typed: dict[int, tuple[str, str]] | None = None
) -> HttpResponse:
    core = stored.parsed_circuit(event.circuit.data)
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "lap"),
        "circuit": core,
        "errors": errors or [],
    }
    try:
        case = cases.case_of(event, core_sheet_in_car(event))
        lap_case, spans = case.lap_case(), case.spans()
        answer = answers.answer_in(case)
        found = lines.of_today(event)
        if found is not None:
            context |= {"found": found, "gain_s": found.before_s - found.time_s, "lines": len(found.offsets_m)}
        context["job"] = tasks.under_way(event)
        line = lap_case.line
        context |= {"length_m": line.length_m, "height_m": float(line.z.max() - line.z.min())}
        written = {note.number: note for note in event.circuit.notes.all()}
        context["rows"] = presenters.corner_rows(answer.corners, written, typed)
        context["carried"] = carried(notes.texts(event, [span.number for span in spans]), typed is not None)
        context |= {"lap": answer.lap, "store": answer.store_kj is not None}
        lap = answer.lap
        context["map"] = map_view(
            core, line, spans, lap.column("brake"), lap.column("throttle"), zones=lap_case.car.aero.flap_drag_area_m2 > 0.0
        )
        context["marks"] = [marker_words(marker) for marker in sorted(core.markers, key=lambda marker: marker.at_m)]
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/bench.html", context, status=422 if errors else 200)


@require_GET
def bench(request: HttpRequest, event_id: int) -> HttpResponse:
    """Map, corner table and notes."""
    return _bench(request, event_for(request.user, event_id))


@require_POST
def find_line(request: HttpRequest, event_id: int) -> HttpResponse:
    """Asks for the quickest line of the day."""
    event = event_for(request.user, event_id)
    try:
        job = tasks.ask(event)
    except TooMuchWork as error:
        return _bench(request, event, [str(error)])
    return redirect("job", job.pk)


@require_POST
def save_notes(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sets the racer's notes."""
    event = event_for(request.user, event_id)
    spans = cases.spans_of(event)
    with transaction.atomic():  # nobody writes between what is compared and what is saved
        typed, errors = notes.sent(event, [span.number for span in spans], request.POST)
        changed = 0 if errors else circuit_actions.save_notes(event.circuit, typed)
    if errors:
        return _bench(request, event, errors, typed)
    messages.success(request, f"{changed} corner note{'s' if changed != 1 else ''} saved." if changed else "Nothing changed.")
    if len(typed) == 1 and request.POST.get("from") == "corner":
        return redirect("corner", event.pk, next(iter(typed)))
    return redirect("lap_bench", event.pk)
