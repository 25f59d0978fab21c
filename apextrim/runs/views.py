"""The runs bench: the logbook."""

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.db import transaction
from django.db.models import F
from django.http import HttpRequest, HttpResponse, QueryDict, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, FileRejected
from apexcore.formats.laps_csv import COLUMNS, read_table, write_laps
from apexcore.formats.pasted import Pasted, read_pasted
from apexcore.formats.text import decoded
from apexcore.judge.laps import KIND_WORDS, KINDS, DrivenLap, figures
from apexcore.vehicle.car import WHEEL_WORDS
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.runs.reading_form import parsed_reading, reading_lines, was_read
from apextrim.ui.uploads import is_long, problems_of, uploaded

from . import actions, presenters, queries, recorded
from .forms import OwnRunForm, VirtualForm, WeatherForm
from .match_views import ask_columns, import_beside
from .models import Lap, Run
from .report import read_run, words_of

#: Runs on one page of the list, and laps in one run's table unless all are asked for.
_RUNS_A_PAGE, _LAPS_SHOWN = 60, 300
#: Runs laid over another, at most: more could not be told apart.
_MOST_OVER = 4


def _bench(request: HttpRequest, event: Event, run_form: OwnRunForm | None = None, virtual_form: VirtualForm | None = None) -> HttpResponse:
    pages = Paginator(event.runs.filter(deleted_at=None), _RUNS_A_PAGE)
    page = pages.get_page(request.GET.get("page") or pages.num_pages)
    lines = queries.run_lines(event, _RUNS_A_PAGE * (page.number - 1), _RUNS_A_PAGE)
    left = queries.left_by_last(event)
    picked = next((line for line in reversed(lines) if line.laps), None)
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "runs"),
        "lines": lines,
        "page": page,
        "picked": picked,
        "picture": presenters.lap_picture(picked.laps, picked.figures.median_s) if picked else None,
        "tyre_names": queries.tyre_names(event),
        "has_sheets": event.sheets.exists(),
        "run_form": run_form or OwnRunForm(event, auto_id="run_%s", planned=request.GET, left=left),
        "reading_lines": reading_lines(request.POST if run_form else {}),
        "reading_open": was_read(request.POST),
        "wheels": WHEEL_WORDS.values(),
        "virtual_form": virtual_form or VirtualForm(event, auto_id="virtual_%s", planned=request.GET, left=left),
    }
    wrong = bool((run_form and run_form.errors) or (virtual_form and virtual_form.errors))
    return render(request, "runs/bench.html", context, status=422 if wrong else 200)


@require_GET
def bench(request: HttpRequest, event_id: int) -> HttpResponse:
    """All runs of the event."""
    return _bench(request, event_for(request.user, event_id))


@require_POST
def add(request: HttpRequest, event_id: int) -> HttpResponse:
    """A run whose laps are typed or imported next."""
    event = event_for(request.user, event_id)
    form = OwnRunForm(event, request.POST, auto_id="run_%s")
    if not form.is_valid():
        return _bench(request, event, run_form=form)
    reading, problems = parsed_reading(request.POST) if was_read(request.POST) else (None, [])
    if problems:
        form.add_error(None, problems)
        return _bench(request, event, run_form=form)
    try:
        run, passed_over = actions.add_own_run(event, form.run_values(), form.cleaned_data["laps"], reading)
    except FileRejected as error:
        form.add_error("laps", error.problems)
        return _bench(request, event, run_form=form)
    if passed_over:
        messages.info(request, " ".join(passed_over[:4]))
    return redirect("run", event.pk, run.pk)


@require_POST
def virtual(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sends the virtual driver out."""
    event = event_for(request.user, event_id)
    form = VirtualForm(event, request.POST, auto_id="virtual_%s")
    if not form.is_valid():
        return _bench(request, event, virtual_form=form)
    values = dict(form.cleaned_data)
    try:
        run = actions.send_virtual_driver(event, values, values.pop("laps"), book=values.pop("book"))
    except ApexError as error:
        form.add_error(None, str(error))
        return _bench(request, event, virtual_form=form)
    messages.success(request, f"{run.name}: the virtual driver is back.")
    return redirect("run", event.pk, run.pk)


def _laps_of(event: Event, run: Run, clean: bool) -> list[DrivenLap]:
    """The laps of a run that is laid over another, corrected where those are."""
    if clean:
        return list(read_run(event, run).cleaned)
    return queries.driven(run.laps.all())


def _weather_form(run: Run, sent: QueryDict | None = None) -> WeatherForm:
    return WeatherForm(sent, initial={**run.conditions, "wet_pct": run.wet_pct, "left_out": run.left_out})


def _run(
    request: HttpRequest, event: Event, run: Run, errors: list[str] | None = None, understood: Pasted | None = None,
    weather: WeatherForm | None = None,
) -> HttpResponse:  # fmt: skip
    """
    :param understood: laps that were pasted and are not kept yet
    :param weather: as it was typed, where something is wrong with it
    """
    recorded.build(run)
    rows = list(run.laps.annotate(trace_pk=F("trace__pk")))
    laps = queries.driven(rows)
    found = figures(laps)
    reading = read_run(event, run)
    clean = "clean" in request.GET and bool(reading.cleaned)
    shown = list(reading.cleaned) if clean else laps
    letters = iter("abcdefghij")
    beside = [(row, str(row.pk) in request.GET.getlist("over")) for row in queries.runs_beside(run)]
    over = [(row.name, _laps_of(event, row, clean)) for row, on in beside if on][:_MOST_OVER]
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "runs"),
        "run": run,
        "rows": rows,
        "shown": rows if "all" in request.GET else rows[:_LAPS_SHOWN],
        "figures": found,
        "picture": presenters.lap_picture(shown, figures(shown).median_s, over),
        "beside": beside,
        "tyre_names": queries.tyre_names(event),
        "over_names": [name for name, _ in over],
        "reading": reading,
        "clean": clean,
        "fade_words": words_of(reading.fade, reading.together),
        "aside": [(lap, next(letters, "")) for lap in rows if lap.kind != "timed"],
        "sectors": range(1, max((len(lap.sectors_s) for lap in rows), default=0) + 1),
        "kinds": [(kind, KIND_WORDS[kind]) for kind in KINDS],
        "traced": any(row.trace_pk for row in rows),
        "typed": request.POST.get("laps", "") if errors or understood else "",
        "understood": understood,
        "errors": errors or [],
        "weather": weather or _weather_form(run),
    }
    return render(request, "runs/run.html", context, status=422 if errors or weather else 200)


@require_GET
def run(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """One run: picture, table, and ways to add laps."""
    event = event_for(request.user, event_id)
    return _run(request, event, queries.run_for(request.user, event, run_id))


@require_POST
def type_laps(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Adds laps typed or pasted one a line; what was understood of a paste with more than laps in it is shown before it is kept."""
    event = event_for(request.user, event_id)
    row = queries.run_for(request.user, event, run_id)
    last = row.laps.order_by("-number").first()
    try:
        pasted = read_pasted(request.POST.get("laps", ""), last.number + 1 if last else 1)
        if pasted.told and "sure" not in request.POST:
            return _run(request, event, row, understood=pasted)
        new = actions.add_laps(row, pasted.laps)
    except ApexError as error:
        return _run(request, event, row, problems_of(error))
    messages.success(request, f"{new} lap{'s' if new != 1 else ''} added.")
    return redirect("run", event.pk, row.pk)


@require_POST
def weather(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Says what weather a run was driven in, and whether it is judged."""
    with transaction.atomic():
        event = event_for(request.user, event_id)
        row = queries.run_for(request.user, event, run_id)
        form = _weather_form(row, request.POST)
        if form.is_valid():
            actions.set_weather(row, **form.cleaned_data)
    if not form.is_valid():
        return _run(request, event, row, weather=form)
    messages.success(request, f"{row.name}: kept.")
    return redirect("run", event.pk, row.pk)


@require_POST
def import_file(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Adds the laps of a CSV file."""
    event = event_for(request.user, event_id)
    row = queries.run_for(request.user, event, run_id)
    try:
        data = uploaded(request, "a CSV of laps")
        table = read_table(data)
        own = any(name.lower() in COLUMNS for name in table.header)
        columns = None if own else actions.remembered_columns(row, table)
        if not own and columns is None:
            return ask_columns(request, event, row, table, decoded(data, "a CSV of laps"))
        if is_long(data):
            return import_beside(row, data, columns)
        new = actions.import_table(row, table, columns)
    except ApexError as error:
        return _run(request, event, row, problems_of(error))
    messages.success(request, presenters.imported(new))
    return redirect("run", event.pk, row.pk)


@require_GET
def export_file(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """The laps as CSV."""
    event = event_for(request.user, event_id)
    row = queries.run_for(request.user, event, run_id)
    headers = {"Content-Disposition": f'attachment; filename="{row.name}-laps.csv"'}
    return HttpResponse(write_laps(queries.driven(row.laps.all())), content_type="text/csv; charset=utf-8", headers=headers)


@require_GET
def export_all(request: HttpRequest, event_id: int) -> StreamingHttpResponse:
    """Every lap of the event as one CSV, with what its run carries."""
    event = event_for(request.user, event_id)
    headers = {"Content-Disposition": f'attachment; filename="laps-of-event-{event.pk}.csv"'}
    text = presenters.all_laps_csv(queries.all_run_lines(event), queries.most_sectors(event))
    return StreamingHttpResponse(text, content_type="text/csv; charset=utf-8", headers=headers)


@require_POST
def mark(request: HttpRequest, event_id: int, run_id: int, lap_id: int) -> HttpResponse:
    """Says what kind of lap one was."""
    event = event_for(request.user, event_id)
    row = queries.run_for(request.user, event, run_id)
    lap = owned_or_404(Lap, request.user, run=row, pk=lap_id)
    for kind in KINDS:
        if request.POST.get("kind") == kind:
            actions.mark_lap(lap, kind)
            return redirect("run", event.pk, row.pk)
    return _run(request, event, row, [f"Lap {lap.number}: “{request.POST.get('kind', '')[:20]}” is no kind; expected {', '.join(KINDS)}."])
