"""What to change: the effects of every step here and today, and advice from a feeling."""

import csv
import io
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.trim.moves.aims import AIMS, ranked
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.sheets import queries
from apextrim.sheets.sheet_form import SheetForm

from . import effect_presenters as presenters
from .unsaved import asked_on

#: Steps shown on the bench.
_SHOWN = 8


def _effects(event: Event, sheet: CoreSheet, aim: str) -> list[presenters.EffectRow]:
    """The rows of the effects table, best for the aim first."""
    return presenters.effect_rows(ranked(answers.effects_of(event, sheet), aim))


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
        context |= {**more, "rows": _effects(event, sheet, aim)}
    except ApexError as error:
        context["errors"] = [str(error)]
    return render(request, "workshop/effects.html", context, status=422 if "errors" in context else 200)


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
            context["rows"] = _effects(event, form.sheet, aim)[:_SHOWN]
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
    writer.writerows(effect.cells() for effect in _effects(event, queries.core_sheet(event, row), "lap"))
    name = f"{event.car.key}-{row.name}-effects.csv"
    return HttpResponse(text.getvalue(), content_type="text/csv", headers={"Content-Disposition": f'attachment; filename="{name}"'})
