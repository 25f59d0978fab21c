"""A circuit in two minutes: drawn with the mouse or typed a line each, its road growing meanwhile, then kept."""

from dataclasses import asdict
from typing import Any

from django.contrib import messages
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from apexcore.circuit.line import racing_line
from apexcore.circuit.sketch import as_far_as_it_goes, as_told, missing_words, read_lines, room_made, write_lines
from apexcore.circuit.track import Circuit, Corner, centre_line
from apexcore.errors import ApexError
from apexcore.quantities.words import counted
from apextrim.ui.circuit_map import road_view
from apextrim.ui.units import told
from apextrim.ui.uploads import problems_of

from . import circuit_actions
from .sketch_form import SketchForm, metre

#: What a new form says: a club circuit's usual size.
_BEGINNING = {"length_m": 1800.0, "width_m": 10.0, "closed": "lap", "how": "draw"}


@require_http_methods(["GET", "POST"])
def sketch(request: HttpRequest) -> HttpResponse:
    """The drawing board, and the circuit in the garage."""
    owner: User = request.user  # type: ignore[assignment]
    form = SketchForm(request.POST if request.method == "POST" else None, initial=_BEGINNING)
    problems: list[str] = []
    if request.method == "POST" and form.is_valid():
        try:
            core, _ = form.circuit()
            racing_line(core)  # a road that cannot be driven is refused here, not at the first use
            row, fresh = circuit_actions.keep_numbered(owner, core)
        except ApexError as error:
            problems = problems_of(error)
        else:
            messages.success(request, f"{row} is in your garage." if fresh else f"{row} is already in your garage; nothing was added.")
            return redirect("edit_circuit", row.pk) if owner.events.exists() else redirect("home")
    wrong = [str(text) for name, texts in form.errors.items() if name in ("bends", "how") for text in texts]
    context = {"form": form, "errors": [*problems, *wrong]}
    return render(request, "library/sketch.html", context, status=422 if request.method == "POST" else 200)


@require_POST
def drawn(request: HttpRequest) -> HttpResponse:
    """The road as far as it goes; keeps nothing."""
    form = SketchForm({**request.POST.dict(), "name": request.POST.get("name", "").strip() or "Sketch"})
    if not form.is_valid():
        return JsonResponse({"problem": " ".join(str(text) for texts in form.errors.values() for text in texts)})
    answer: dict[str, Any] = {}
    if begun := form.begun_words():
        return JsonResponse({"words": begun})
    try:
        core, laid = form.circuit()
    except ApexError as error:
        answer["problem"] = told(" ".join(problems_of(error)))
        if form.cleaned_data["how"] == "type":
            answer |= _grown(form)
        return JsonResponse(answer)
    where = None if laid is None else (laid.metre, (laid.start[0], -laid.start[1]))
    answer |= {
        "road": asdict(road_view(core, where)),
        "words": _words(core),
        "lines": write_lines(as_told(core.segments, core.closed), metre()),
    }
    return JsonResponse(answer)


def _grown(form: SketchForm) -> dict[str, Any]:
    """What there is of a circuit that is still typed."""
    segments = read_lines(form.cleaned_data["lines"], metre()).segments
    lap = form.is_lap and not missing_words(segments)
    core = as_far_as_it_goes(room_made(segments, lap), form.cleaned_data["width_m"])
    if core is None:
        return {}
    lacks = missing_words(segments) if form.is_lap else ""
    return {"road": asdict(road_view(core)), "words": f"{_words(core)} {lacks}".strip()}


def _words(core: Circuit) -> str:
    """The circuit in a sentence."""
    corners = counted(sum(isinstance(one, Corner) for one in core.segments), "corner")
    return told(f"{centre_line(core).length_m:.0f} m, {corners}{'; the lap closes' if core.closed else ', open so far'}.")
