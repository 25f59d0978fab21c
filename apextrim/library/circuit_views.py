"""A circuit's own page: built from straights and corners, named and marked on its map."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from apexcore.circuit.line import corners, racing_line
from apexcore.circuit.sketch import as_far_as_it_goes, missing_words
from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.circuit.track import Corner, Straight, centre_line, closed_segments
from apexcore.errors import ApexError, FileRejected
from apexcore.quantities import format_number
from apextrim.accounts.owned import owned_or_404
from apextrim.ui.circuit_map import map_view, road_view
from apextrim.ui.units import current, told
from apextrim.ui.value_form import ValueForm, carried_texts, flat, in_readers_units, sent_form, stored_form

from . import circuit_actions as actions
from .models import Circuit
from .stored import parsed_circuit

#: Sentences shown of what a change moved, at most.
_MOST_SAID = 8

_TITLES = {
    "": "The circuit", "segments": "Straights and corners", "heights_m": "Elevation", "sectors_m": "Sectors",
    "markers": "Boards, kerbs, bumps and other marks", "strips": "Grip strips", "falls": "Cross-fall, and bank of single grooves",
    "flap_zones": "Zones of a drag flap", "pools": "Where water stands first",
}  # fmt: skip

#: What a new circuit begins with: a lap that closes, to be changed.
_BEGINNING = CoreCircuit(
    key="my_circuit", name="My circuit", layout="full", width_m=11,
    segments=(
        Straight(length_m=400), Corner(angle_deg=-180, radius_m=60, name="First"), Straight(length_m=400),
        Corner(angle_deg=-180, radius_m=60, name="Last"),
    ),
)  # fmt: skip


def _form(texts: dict[str, str], core: CoreCircuit | None, fixed: dict[str, str]) -> ValueForm[CoreCircuit]:
    """The form of what was typed, in the reader's units; the points of a survey stay what they are."""
    return ValueForm(CoreCircuit, texts, fixed, {} if core is None else _beside(core), by_reader=True)


def _beside(core: CoreCircuit) -> dict[str, Any]:
    """What is not on the page."""
    beside: dict[str, Any] = {name: getattr(core, name) for name in ("surveyed", "lap_spread")}
    return beside | {"points_m": core.points_m, "segments": ()} if core.points_m else beside


def _page(request: HttpRequest, row: Circuit | None, form: ValueForm[CoreCircuit], checked: bool = False) -> HttpResponse:
    titles = {path: title for path, title in _TITLES.items() if path not in form.beside}
    core = None if row is None else parsed_circuit(row.data)
    context: dict[str, Any] = {
        "row": row, "form": form, "sections": form.sections(titles), "errors": form.all_problems(), "checked": checked,
        "carried": "" if core is None else carried_texts(in_readers_units(CoreCircuit, _texts(core)), request.method == "POST"),
    }  # fmt: skip
    hidden = _hidden(_BEGINNING if core is None else core)
    context["sections"][0].boxes = [box for box in context["sections"][0].boxes if box.path not in hidden]
    if form.value is not None:
        context |= _drawn(form)
    return render(request, "library/circuit.html", context, status=422 if context["errors"] else 200)


def _drawn(form: ValueForm[CoreCircuit]) -> dict[str, Any]:
    """The map of a valid form and what stands beside it."""
    core = form.value
    assert core is not None
    line = racing_line(core)
    spans = corners(core, line)
    return {
        "map": map_view(core, line, spans, zones=True), "circuit": core, "length_m": centre_line(core).length_m, "corners": len(spans),
        "closing": _closing(core), "names": _name_fields(form, core), "per_metre": current().value(1.0, "m"), "metres": current().unit("m"),
    }  # fmt: skip


def _name_fields(form: ValueForm[CoreCircuit], core: CoreCircuit) -> list[str]:
    """The box of each corner's name in driving order; one for all where the corners are those of points."""
    if core.points_m:
        return ["corner_names"]
    rows = zip(form.rows("segments"), core.segments, strict=True)
    return [f"segments.{row}.name" for row, segment in rows if isinstance(segment, Corner)]


def _grown(form: ValueForm[CoreCircuit]) -> dict[str, Any]:
    """What of a circuit that is still typed can be drawn: its straights and corners up to the first that is wrong."""
    segments: list[Straight | Corner] = []
    said = ""
    for number, row in enumerate(form.entries("segments"), start=1):
        texts = {key.removeprefix(f"segments.{row}."): text for key, text in form.texts.items() if key.startswith(f"segments.{row}.")}
        kind: type[Straight | Corner] = Corner if texts.get("kind") == "corner" else Straight
        one = ValueForm(kind, texts, by_reader=True)
        if not any(text.strip() for key, text in texts.items() if key != "kind"):
            continue
        if one.check() is None:
            said = f"Row {number}: {one.all_problems()[0].removeprefix('This corner: ')}"
            break
        assert one.value is not None
        segments.append(one.value)
    core = as_far_as_it_goes(segments)
    if core is None:
        return {}
    lacks = missing_words(segments) if form.texts.get("closed", "") else ""
    length = told(f"{centre_line(core).length_m:.0f} m.")
    return {"road": road_view(core), "grown": " ".join(part for part in (length, lacks, said) if part)}


def _growing(request: HttpRequest, core: CoreCircuit | None, fixed: dict[str, str]) -> HttpResponse:
    typed = request.POST.dict()
    form = _form(typed, core, fixed)
    context: dict[str, Any] = {}
    try:
        whole = form.check()
        if whole is None:  # a mark that is still being typed must not take the map away on which it is placed
            half = tuple({f"{name.rsplit('.', 1)[0]}." for name in form.errors if name.startswith("markers.")})
            form = _form({name: text for name, text in typed.items() if not (half and name.startswith(half))}, core, fixed)
            whole = form.check()
        if whole is not None:
            context = _drawn(form)
    except ApexError:
        pass  # it does not close yet
    if not context and "points_m" not in form.beside:
        context = _grown(form)
    return render(request, "library/_circuit_map.html", context) if context else HttpResponse(status=204)


@require_POST
def new_growing(request: HttpRequest) -> HttpResponse:
    """The map of what is being typed; keeps nothing."""
    return _growing(request, None, {})


@require_POST
def growing(request: HttpRequest, circuit_id: int) -> HttpResponse:
    """The same for a circuit that there is."""
    row = owned_or_404(Circuit, request.user, pk=circuit_id)
    return _growing(request, parsed_circuit(row.data), {"key": row.key})


def _closing(core: CoreCircuit) -> str:
    """By how much the straights change so that the lap closes."""
    if not core.closed or not core.segments:
        return ""
    pairs = zip(core.segments, closed_segments(core).segments, strict=True)
    changes = [b.length_m - a.length_m for a, b in pairs if isinstance(a, Straight) and isinstance(b, Straight)]
    most = max(changes, key=abs)
    if abs(most) < 0.05:
        return "The lap closes as it is written."
    return told(f"To close the lap, its straights change by up to {format_number(most, 1, signed=True)} m.")


def _texts(core: CoreCircuit) -> dict[str, str]:
    """What the page of a circuit shows."""
    return dict(flat(core.model_dump(exclude={"points_m", "key", "format", *_hidden(core)})))


def _hidden(core: CoreCircuit) -> set[str]:
    """Fields that the page of a circuit does not show: corners of a list carry their own names."""
    return {"surveyed", "lap_spread"} if core.points_m else {"surveyed", "lap_spread", "corner_names"}


def _typed(request: HttpRequest, core: CoreCircuit | None, fixed: dict[str, str]) -> ValueForm[CoreCircuit]:
    if core is None:
        form = _form(request.POST.dict(), core, fixed)
    else:
        form = sent_form(CoreCircuit, request.POST, _texts(core), fixed, _beside(core), by_reader=True)
    if form.check() is not None and form.value is not None:
        try:
            racing_line(form.value)
        except ApexError as error:
            form.refuse(str(error))
    return form


@require_http_methods(["GET", "POST"])
def new(request: HttpRequest) -> HttpResponse:
    """A circuit from straights and corners."""
    if request.method == "GET":
        return _page(request, None, stored_form(CoreCircuit, dict(flat(_BEGINNING.model_dump())), {}))
    form = _typed(request, None, {})
    if form.value is None or request.POST.get("do") != "save":
        return _page(request, None, form, checked=True)
    try:
        made, fresh = actions.keep_circuit(request.user, form.value)  # type: ignore[arg-type]
    except FileRejected as error:
        form.refuse(error.problems[0])
        return _page(request, None, form)
    messages.success(request, f"{made} is in your garage." if fresh else f"{made} is already in your garage; nothing was added.")
    return redirect("edit_circuit", made.pk)


@require_http_methods(["GET", "POST"])
def edit(request: HttpRequest, circuit_id: int) -> HttpResponse:
    """Shows a circuit, draws what was typed, or changes it."""
    row = owned_or_404(Circuit, request.user, pk=circuit_id)
    core, fixed = parsed_circuit(row.data), {"key": row.key}
    if request.method == "GET":
        return _page(request, row, stored_form(CoreCircuit, _texts(core), fixed, _beside(core)))
    form = _typed(request, core, fixed)
    if form.value is None or request.POST.get("do") != "save":
        return _page(request, row, form, checked=True)
    try:
        said: list[str] = []
        changed = actions.change_circuit(row, form.value, said)
    except ApexError as error:
        form.refuse(str(error))
        return _page(request, row, form)
    if changed:
        for sentence in said[:_MOST_SAID]:
            messages.warning(request, sentence)
        messages.info(request, f"{row} is saved; every modelled number now uses it.", extra_tags=reverse("undo_circuit", args=[row.pk]))
    else:
        messages.success(request, "Nothing changed.")
    return redirect("edit_circuit", row.pk)


@require_POST
def undo(request: HttpRequest, circuit_id: int) -> HttpResponse:
    """Brings back the circuit before its last change."""
    row = owned_or_404(Circuit, request.user, pk=circuit_id)
    try:
        said: list[str] = []
        done = actions.undo_circuit(row, said)
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("edit_circuit", row.pk)
    for sentence in said[:_MOST_SAID]:
        messages.warning(request, sentence)
    messages.success(request, f"{row} is back to its previous version." if done else "Nothing to undo.")
    return redirect("edit_circuit", row.pk)
