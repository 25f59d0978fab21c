"""Two laps side by side."""

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.stored import parsed_circuit
from apextrim.runs.models import LapTrace
from apextrim.runs.recorded import build_all
from apextrim.ui.circuit_map import map_view
from apextrim.ui.uploads import problems_of

from . import compare, presenters

#: Channels of one chart at most.
_MOST_CHANNELS = 12


def _asked(request: HttpRequest) -> list[str]:
    """The channels that are drawn, in their order."""
    keys = [key for key in request.GET.get("channels", "").split("|") if key][:_MOST_CHANNELS]
    return keys or list(presenters.USUAL)


def _keys(request: HttpRequest, event: Event, traces: list[LapTrace]) -> tuple[str, str]:
    """The lap and the reference that are asked for, the usual ones where none are.

    :param traces: that there are
    """
    lap = request.GET.get("lap") or compare.usual_lap(traces, event)
    return lap, request.GET.get("reference") or compare.usual_reference(traces, event, lap)


def _pair(request: HttpRequest, event: Event, lap: str, reference: str) -> tuple[compare.Ground, compare.Pair]:
    """The two laps that are asked for.

    :raises Http404: if one is not there
    :raises ApexError: if they cannot be compared
    """
    ground = compare.ground_of(event)
    one, other = (compare.side_of(request.user, event, key, ground) for key in (lap, reference))
    return ground, compare.pair_of(ground, one, other)


def _options(traces: list[LapTrace], event: Event) -> list[tuple[str, list[tuple[str, str]]]]:
    """Recorded laps by run, for a list to choose from; the best and the middle one of each run are marked."""
    groups: dict[str, list[LapTrace]] = {}
    for trace in traces:
        run = trace.lap.run
        name = f"{run.name}, {run.sheet.name}" + (f", {run.event.name}" if run.event_id != event.pk else "")
        groups.setdefault(name, []).append(trace)
    found = []
    for name, rows in groups.items():
        marks = compare.marked(rows)
        found.append((name, [(str(row.pk), compare.words_of(row, event) + marks.get(row.pk, "")) for row in rows]))
    return found


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """Two laps: the sentence, the corners, the charts."""
    event = event_for(request.user, event_id)
    build_all(list(event.runs.filter(deleted_at=None, chunks__isnull=False).distinct()))
    traces = compare.traces_at(request.user, event)
    lap, reference = _keys(request, event, traces)
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "runs"), "options": _options(traces, event), "lap_key": lap, "reference_key": reference,
        "model_key": compare.MODEL, "errors": [],
    }  # fmt: skip
    if lap and (traces or "lap" in request.GET):
        try:
            ground, pair = _pair(request, event, lap, reference)
            context |= _told(event, ground, pair, _asked(request))
        except ApexError as error:
            context["errors"] = problems_of(error)
    return render(request, "traces/compare.html", context, status=422 if context["errors"] else 200)


def _told(event: Event, ground: compare.Ground, pair: compare.Pair, wanted: list[str]) -> dict[str, Any]:
    circuit = parsed_circuit(event.circuit.data)
    names, table = presenters.place_table(pair, ground, wanted)
    return {
        "pair": pair, "opening": presenters.opening(pair), "lines": presenters.corner_lines(pair.comparison),
        "lags": presenters.lag_words(pair),
        "readings": presenters.readings(pair.comparison), "channels": presenters.shared_channels(pair), "wanted": wanted,
        "map": map_view(circuit, ground.line, ground.spans), "names": names, "table": table,
        "across": any(row.lap and row.lap.offset_m is not None for row in pair.comparison.rows),
    }  # fmt: skip


@require_GET
def data(request: HttpRequest, event_id: int) -> HttpResponse:
    """What the charts draw, as JSON."""
    event = event_for(request.user, event_id)
    told = request.GET.get("lap") and request.GET.get("reference")
    lap, reference = _keys(request, event, [] if told else compare.traces_at(request.user, event))
    try:
        ground, pair = _pair(request, event, lap, reference)
    except ApexError as error:
        return JsonResponse({"problems": problems_of(error)}, status=422)
    return JsonResponse(presenters.chart_data(pair, ground, parsed_circuit(event.circuit.data), _asked(request)))
