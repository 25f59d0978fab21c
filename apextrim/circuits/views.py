"""The circuit bench."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame, sheet_values

from . import actions, presenters


def _bench(
    request: HttpRequest, event: Event, errors: list[str] | None = None, typed: dict[int, tuple[str, str]] | None = None
) -> HttpResponse:
    core = adapter.parsed_circuit(event.circuit.data)
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "circuit"),
        "circuit": core,
        "errors": errors or [],
    }
    try:
        line = adapter.setting_of(event).line
        context |= {"length_m": line.length_m, "height_m": float(line.z.max() - line.z.min())}
        answer = adapter.answer_of(event, sheet_values(event))
        notes = {note.number: note for note in event.circuit.notes.all()}
        rows = presenters.corner_rows(answer.corners, notes)
        for row in rows:
            number = row["result"].corner.number  # type: ignore[attr-defined]
            if typed and number in typed:
                row["qualifying"], row["race"] = typed[number]
        context["rows"] = rows
        context["lap"] = answer.lap
        spans, lap = adapter.spans_of(event), answer.lap
        context["map"] = presenters.map_view(core, line, spans, lap.column("brake"), lap.column("throttle"))
        context["marks"] = [presenters.marker_words(one) for one in sorted(core.markers, key=lambda one: one.at_m)]
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "circuits/bench.html", context, status=422 if errors else 200)


@require_GET
def bench(request: HttpRequest, event_id: int) -> HttpResponse:
    """Map, corner table and notes."""
    return _bench(request, event_for(request.user, event_id))


@require_POST
def save_notes(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sets the racer's notes."""
    event = event_for(request.user, event_id)
    typed: dict[int, tuple[str, str]] = {}
    errors = []
    for span in adapter.spans_of(event):
        pair = tuple(" ".join(request.POST.get(f"{kind}_{span.number}", "").split()) for kind in ("qualifying", "race"))
        typed[span.number] = (pair[0], pair[1])
        for kind, text in zip(("qualifying", "race"), pair, strict=True):
            if len(text) > 400:
                errors.append(f"Corner {span.number}, {kind}: the note has {len(text)} characters; expected at most 400.")
    if errors:
        return _bench(request, event, errors, typed)
    changed = actions.save_notes(event.circuit, typed)
    messages.success(request, f"{changed} corner note{'s' if changed != 1 else ''} saved." if changed else "Nothing changed.")
    return redirect("circuit_bench", event.pk)
