"""Circuits from recordings: of a file in the Garage, of a run's laps, and a circuit fitted to where it was driven."""

from pathlib import Path
from typing import Any

import numpy as np
from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from apexcore.circuit.fit import fitted
from apexcore.circuit.line import corners, offset_line
from apexcore.circuit.moves import behind_m
from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.circuit.track import centre_line
from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.circuits import key_of
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.corrected import corrected
from apexcore.judge.traces.cut import RecordedLap
from apexcore.judge.traces.frame import laid_on, metres_of
from apexcore.judge.traces.survey import Survey, lap_key, parted_alone, surveyed
from apexcore.quantities import format_number
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.circuit_actions import change_circuit, keep_circuit
from apextrim.library.stored import parsed_circuit
from apextrim.runs.models import LapTrace, Run
from apextrim.runs.queries import run_for
from apextrim.runs.recorded import build, recorded_lap
from apextrim.ui.circuit_map import MapView, map_view
from apextrim.ui.fields import quantity
from apextrim.ui.uploads import problems_of

from .apart import LAPS_S, header_of_file, kept_apart, recording_of_file
from .compare import ground_of
from .uploads import remembered_by

#: Largest file of which a circuit is made [bytes]: a few laps are enough. Laps of a run that are used at most.
MOST_SURVEY_BYTES, _MOST_LAPS = 60_000_000, 20
#: Width of the road in the picture of a survey [m].
_DRAWN_WIDTH_M = 9.0


class SurveyForm(forms.Form):
    """A circuit's names and width."""

    name = forms.CharField(max_length=60, label="Name")
    layout = forms.CharField(max_length=60, label="Layout", initial="as driven")
    width = quantity(CoreCircuit, "width_m", "Road width", "m")


def _circuit(form: SurveyForm, survey: Survey) -> CoreCircuit:
    """A survey as a circuit.

    :raises ApexError: if it is none
    """
    asked = form.cleaned_data
    names = {"key": key_of(asked["name"]), "name": asked["name"], "layout": asked["layout"]}
    core = CoreCircuit(
        **names, width_m=asked["width"], points_m=survey.points(), surveyed=survey.driven, lap_spread=survey.lap_spread
    )  # fmt: skip
    centre_line(core)
    return core


def told(survey: Survey) -> str:
    """What a survey is worth, as a sentence."""
    laps = f"{survey.laps} lap{'s' if survey.laps != 1 else ''}"
    closes = f"it closed to {format_number(survey.closes_m, 1)} m before it was made to"
    spread = (
        f", its laps lay {format_number(survey.spread_m, 1)} m from their mean" if survey.laps > 1 and survey.source == "positions" else ""
    )
    return f"{survey.length_m:.0f} m from {laps} by {survey.source}; {closes}{spread}. The line driven is taken for the middle of the road."


@require_http_methods(["GET", "POST"])
def from_file(request: HttpRequest) -> HttpResponse:
    """A circuit from a recording's file."""
    form = SurveyForm(request.POST or None, initial={"width": 8.0})
    errors: list[str] = []
    if request.method == "POST" and form.is_valid():
        try:
            survey = surveyed(_laps_of(request))
            row, new = keep_circuit(request.user, _circuit(form, survey))  # type: ignore[arg-type]
        except ApexError as error:
            errors = problems_of(error)
        else:
            words = "is there already, the same" if not new else "is in your garage"
            messages.success(request, f"{row.name} {words}: {told(survey)} {parsed_circuit(row.data).unsure_words()}".rstrip())
            return redirect("edit_circuit", row.pk)
    return render(request, "traces/survey.html", {"form": form, "errors": errors}, status=422 if errors or form.errors else 200)


def _laps_of(request: HttpRequest) -> list[RecordedLap]:
    """The laps of the file that was sent.

    :raises FileRejected: if it cannot be read, or is not a recording
    """
    file = request.FILES.get("file")
    if file is None:
        raise FileRejected(["No file chosen. Choose a recording of a lap or more."])
    size = file.size or 0
    if size > MOST_SURVEY_BYTES:
        raise FileRejected([f"{size / 1e6:.0f} MB are more than a circuit needs; expected at most {MOST_SURVEY_BYTES / 1e6:.0f} MB."])
    with kept_apart(file) as path:
        return _laps_in(request, path)


def _laps_in(request: HttpRequest, path: Path) -> list[RecordedLap]:
    header = header_of_file(path)
    matches = remembered_by(request.user, header) or header.guess()
    keys = {match.key for match in matches if match is not None}
    if "time_s" not in keys or not (
        {"latitude_deg", "longitude_deg"} <= keys or {"x_m", "y_m"} <= keys or {"speed_kmh", "accel_lat_ms2"} <= keys
    ):
        names = ", ".join(header.names[:20])
        wanted = "time_s, and latitude and longitude, x_m and y_m, or speed and lateral acceleration"
        raise FileRejected([f"Columns {names}: not enough of them is known. Call them {wanted}, or import the file into an event first."])
    found = recording_of_file(path, header, matches, LAPS_S)
    columns, _ = metres_of(found.columns)
    return list(parted_alone(cleaned(found.t, columns)).laps)


def _recorded(event: Event, run: Run) -> list[RecordedLap]:
    """The laps of a run, or of its whole event where it has few, as they were recorded."""
    build(run)
    rows = LapTrace.objects.filter(lap__run=run).exclude(lap__kind__in=("out", "in")).select_related("lap").order_by("lap__number")
    return [recorded_lap(row) for row in rows[:_MOST_LAPS]]


@require_http_methods(["GET", "POST"])
def from_run(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """A circuit of a run's laps, and how the event's own lies on them."""
    event = event_for(request.user, event_id)
    run = run_for(request.user, event, run_id)
    form = SurveyForm(request.POST or None, initial={"width": 8.0, "name": f"{event.circuit.name} as driven"[:60], "layout": run.name})
    errors: list[str] = []
    context: dict[str, Any] = {"event": event, "frame": frame(event, "runs"), "run": run, "form": form}
    try:
        laps = _recorded(event, run)
        survey = surveyed(laps)
        context |= {"survey": survey, "told": told(survey), "map": _map(survey), "new": _new_laps(event, survey)} | _fit(event, survey)
        if request.method == "POST" and form.is_valid():
            row, _ = keep_circuit(request.user, _circuit(form, survey))  # type: ignore[arg-type]
            messages.success(request, f"{row.name} is in your garage: {told(survey)}")
            return redirect("edit_circuit", row.pk)
    except ApexError as error:
        errors = problems_of(error)
    return render(request, "traces/survey_run.html", {**context, "errors": errors}, status=422 if errors or form.errors else 200)


def _new_laps(event: Event, survey: Survey) -> int | None:
    """Laps of a survey that an event's circuit is not made of yet; None where no laps made it."""
    known = parsed_circuit(event.circuit.data).surveyed
    return sum(key not in known for key in survey.driven) if known else None


@require_POST
def correct(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Takes a run's laps into the circuit that earlier ones made."""
    event = event_for(request.user, event_id)
    run = run_for(request.user, event, run_id)
    said: list[str] = []
    try:
        before = parsed_circuit(event.circuit.data)
        laps = [lap for lap in _recorded(event, run) if lap_key(lap) not in before.surveyed]
        core = corrected(before, surveyed(laps or _recorded(event, run)))
        change_circuit(event.circuit, core, said)
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("survey_run", event.pk, run.pk)
    lengths = centre_line(core).length_m - centre_line(before).length_m
    words = (
        f"{event.circuit} is the mean of {len(core.surveyed)} laps now, {format_number(lengths, 1, signed=True)} m long against before; "
        "its page can undo it."
    )
    messages.success(request, " ".join([words, *said[:4]]))
    return redirect("survey_run", event.pk, run.pk)


def _map(survey: Survey) -> MapView:
    """The survey as a picture: its own line on a road of a usual width.

    :raises ApexError: if it is no circuit
    """
    core = CoreCircuit(key="survey", name="as driven", layout="as driven", width_m=_DRAWN_WIDTH_M, points_m=survey.points())
    centre = centre_line(core)
    line = offset_line(centre, np.zeros(len(centre.x)))
    return map_view(core, line, corners(core, line))


def _fit(event: Event, survey: Survey) -> dict[str, Any]:
    """How the event's circuit lies on a survey: scale, start line, distance; empty where it does not."""
    ground = ground_of(event)
    try:
        frame_of = laid_on(survey.x, survey.y, ground.base)
    except InputError as error:
        return {"off": str(error)}
    length = ground.base.length_m
    start = behind_m(frame_of.start_m, 0.0, length)
    scale = survey.length_m / length
    return {
        "fit": {
            "scale": scale,
            "percent": 100.0 * (scale - 1.0),
            "start_m": start,
            "off_m": frame_of.off_m,
            "backwards": frame_of.backwards,
        }
    }


@require_POST
def fit(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Moves the event's circuit to where it was driven: its scale, its start line, or both."""
    event = event_for(request.user, event_id)
    run = run_for(request.user, event, run_id)
    said: list[str] = []
    if not {"scale", "start"} & set(request.POST):
        messages.info(request, "Nothing was chosen; the circuit is as it was.")
        return redirect("survey_run", event.pk, run.pk)
    try:
        found = _fit(event, surveyed(_recorded(event, run))).get("fit")
        if found is None or found["backwards"]:
            raise InputError(f"{run.name}", "laps that do not lie on this circuit", "laps of it, in its direction")
        scale = found["scale"] if "scale" in request.POST else 1.0
        start = found["start_m"] if "start" in request.POST else 0.0
        changed = change_circuit(event.circuit, fitted(parsed_circuit(event.circuit.data), scale, start), said)
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("survey_run", event.pk, run.pk)
    words = f"{event.circuit} is fitted to {run.name}; its page can undo it." if changed else f"{event.circuit} fits {run.name} already."
    messages.success(request, " ".join([words, *said[:4]]))
    return redirect("survey_run", event.pk, run.pk)
