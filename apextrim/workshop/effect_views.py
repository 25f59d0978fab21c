"""What to change: the effects of every step here and today, and advice from a feeling."""

import csv
import io
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.trim.moves.aims import AIMS, ranked
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.sheets import queries
from apextrim.sheets.sheet_form import SheetForm
from apextrim.work.models import Job

from . import effect_presenters as presenters
from . import own_lines, tasks
from .models import OwnLines
from .step_map import step_map
from .unsaved import asked_on

#: Steps shown on the bench.
_SHOWN = 8


def _effects(event: Event, sheet: CoreSheet, aim: str, row: OwnLines | None = None) -> list[presenters.EffectRow]:
    """The rows of the effects table, best for the aim first; with lap times on lines of their own as far as they are found."""
    effects = own_lines.refined(row, answers.effects_of(event, sheet))
    spans = cases.case_of(event, sheet).spans()
    return presenters.effect_rows(ranked(effects, aim), own_lines.steps_of(row), queries.leaves_class(event, sheet), spans)


@require_GET
def effects(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """What one step each way of every item does here today."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    aim = request.GET.get("by", "lap") if request.GET.get("by", "lap") in AIMS else "lap"
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "aims": [(key, goal.words) for key, goal in AIMS.items()], "aim": aim,
    }  # fmt: skip
    try:
        sheet, more = asked_on(request, event, row)
        refined = own_lines.found_for(event, sheet)
        rows = _effects(event, sheet, aim, refined)
        context |= {**more, "rows": rows, "refined": refined, "job": under_way(refined)}
        context |= _pictured(rows, reverse("sheet_bench", args=[event.pk]) + f"?sheet={row.pk}{more['kept_query']}", sheet_pk=row.pk)
    except ApexError as error:
        context["errors"] = [str(error)]
    return render(request, "workshop/effects.html", context, status=422 if "errors" in context else 200)


def _pictured(rows: list[presenters.EffectRow], bench: str, **more: Any) -> dict[str, Any]:
    """The map of these steps, those that can be told from nothing, and how many cannot.

    :param bench: page that puts a step on the sheet, which `EffectRow.query` is added to
    """
    pages = {id(one.effect): bench + one.query for one in rows}
    timed = [one for one in rows if not one.effect.item.damper_only]
    clear = sorted((one for one in timed if one.effect.is_clear), key=lambda one: one.effect.lap_s)
    barred = {id(one.effect): one.barred_words for one in rows}
    drawn = step_map([one.effect for one in rows], lambda one: pages[id(one)], lambda one: barred[id(one)])
    return {"map": drawn, "clear": clear, "even": len(timed) - len(clear), **more}


def under_way(row: OwnLines | None) -> Job | None:
    """The job that finds them now, if there is one."""
    return row.job if row is not None and row.job is not None and row.job.is_open else None


@require_POST
def refine(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Asks for every step on a line of its own."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    query = request.META.get("QUERY_STRING", "")
    page = reverse("sheet_effects", args=[event.pk, row.pk]) + (f"?{query}" if query else "")
    if not event.line:
        messages.error(request, "The benches stand on the line of least curvature: find the quickest line on the Lap bench first.")
        return redirect(page)
    try:
        sheet, _ = asked_on(request, event, row)
        asked = tasks.ask_own_lines(event, sheet, page)
    except ApexError as error:
        messages.error(request, str(error))
        return redirect(page)
    job = under_way(asked)
    return redirect(page) if job is None else redirect("job", job.pk)


@require_POST
def steps(request: HttpRequest, event_id: int) -> HttpResponse:
    """The best steps from the values typed on the bench, for what is asked for; changes nothing."""
    event = event_for(request.user, event_id)
    form = SheetForm(cases.car_of(event), request.POST)
    aim = request.POST.get("by", "lap") if request.POST.get("by", "lap") in AIMS else "lap"
    context: dict[str, Any] = {}
    if form.sheet is None:
        context["hint"] = "Correct the marked value to see its steps."
    else:
        try:
            rows = _effects(event, form.sheet, aim, own_lines.found_for(event, form.sheet))
            context["rows"] = [one for one in rows if not one.leaves_class and (aim != "lap" or one.is_gain)][:_SHOWN]
            if not context["rows"]:
                context["hint"] = "No single step is clearly quicker from here."
        except ApexError as error:
            context["hint"] = str(error)
    return render(request, "workshop/_steps.html", context)


@require_GET
def effects_file(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """The effects table as CSV."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(presenters.EFFECT_HEAD)
    sheet = queries.core_sheet(event, row)
    writer.writerows(effect.cells() for effect in _effects(event, sheet, "lap", own_lines.found_for(event, sheet)))
    name = f"{event.car.key}-{row.name}-effects.csv"
    return HttpResponse(text.getvalue(), content_type="text/csv", headers={"Content-Disposition": f'attachment; filename="{name}"'})
