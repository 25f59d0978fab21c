"""What to change: the effects of every step here and today, and advice from a feeling."""

import csv
import io
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from apexcore.circuit.line import CornerSpan
from apexcore.errors import ApexError
from apexcore.trim.advice import WANTED, Feeling, advise
from apexcore.trim.aims import AIMS, ranked
from apexcore.trim.balance import SPEEDS
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import differences
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame

from . import ask_presenters as presenters
from . import queries
from .models import Sheet
from .sheet_form import SheetForm, set_query

#: Steps shown on the bench.
_SHOWN = 8

_PHASES = [("braking", "under braking"), ("entry", "on entry"), ("mid", "in mid-corner"), ("exit", "on exit")]
_SLIDES = [("front", "the nose washes wide"), ("rear", "the rear steps out")]


def _effects(event: Event, sheet: CoreSheet, aim: str) -> list[presenters.EffectRow]:
    """The rows of the effects table, best for the aim first."""
    return presenters.effect_rows(ranked(adapter.effects_of(event, sheet), aim))


def _asked(request: HttpRequest, event: Event, row: Sheet) -> tuple[CoreSheet, dict[str, Any]]:
    """The sheet with what is unsaved on it, and what the page needs to say so and to keep it."""
    asked = request.GET.getlist("set")
    sheet = queries.asked_sheet(event, row, asked)
    unsaved = differences(adapter.car_of(event), queries.core_sheet(event, row), sheet)
    return sheet, {"unsaved": unsaved, "kept": asked, "kept_query": set_query((one.item, one.after) for one in unsaved)}


@require_GET
def effects(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """What one step each way of every item does here today."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    aim = request.GET.get("by", "lap") if request.GET.get("by", "lap") in AIMS else "lap"
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "aims": [(key, one.words) for key, one in AIMS.items()], "aim": aim,
    }  # fmt: skip
    try:
        sheet, more = _asked(request, event, row)
        context |= {**more, "rows": _effects(event, sheet, aim)}
    except ApexError as error:
        context["errors"] = [str(error)]
    return render(request, "garage/effects.html", context, status=422 if "errors" in context else 200)


@require_POST
def steps(request: HttpRequest, event_id: int) -> HttpResponse:
    """The best steps from the values typed on the bench, for what is asked for; changes nothing."""
    event = event_for(request.user, event_id)
    form = SheetForm(adapter.car_of(event), request.POST)
    aim = request.POST.get("by", "lap") if request.POST.get("by", "lap") in AIMS else "lap"
    context: dict[str, Any] = {}
    if form.sheet is None:
        context["hint"] = "Steps are shown again when every value is on the car's list."
    else:
        try:
            context["rows"] = _effects(event, form.sheet, aim)[:_SHOWN]
        except ApexError as error:
            context["hint"] = str(error)
    return render(request, "garage/_steps.html", context)


@require_GET
def effects_file(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """The effects table as CSV."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(presenters.EFFECT_HEAD)
    writer.writerows(one.cells() for one in _effects(event, queries.core_sheet(event, row), "lap"))
    name = f"{event.car.key}-{row.name}-effects.csv"
    return HttpResponse(text.getvalue(), content_type="text/csv", headers={"Content-Disposition": f'attachment; filename="{name}"'})


class FeelingForm(forms.Form):
    """What the car does, in the racer's words."""

    slides = forms.ChoiceField(choices=_SLIDES, label="What it does")
    phase = forms.ChoiceField(choices=_PHASES, label="Where in the corner")
    where = forms.ChoiceField(label="In which corners")
    how = forms.ChoiceField(choices=[(words, words) for words in WANTED], label="How bad")
    tyres = forms.ChoiceField(choices=[("warm", "warm tyres"), ("cold", "cold tyres, first lap out"), ("worn", "worn tyres")], label="On")

    def __init__(self, spans: tuple[CornerSpan, ...], data: Any) -> None:
        super().__init__(data)
        field = self.fields["where"]
        assert isinstance(field, forms.ChoiceField)
        named = [(str(span.number), f"{span.number} {span.name}".strip()) for span in spans]
        field.choices = [("", "all corners"), *[(speed, f"{speed} corners") for speed in SPEEDS], *named]
        field.required = False

    def feeling(self) -> Feeling:
        """The core's feeling of a valid form."""
        values = self.cleaned_data
        where = values["where"]
        corners = (int(where),) if where.isdigit() else ()
        speed = where if where in SPEEDS else ""
        return Feeling(values["phase"], values["slides"], values["how"], corners, speed, values["tyres"])


@require_GET
def advice(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Changes that answer what the driver feels."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    asked = bool(request.GET.get("slides"))
    usual = {"slides": "front", "phase": "mid", "where": "", "how": "clearly", "tyres": "warm"}
    form = FeelingForm(adapter.spans_of(event), {**usual, **request.GET.dict()})
    context: dict[str, Any] = {"event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "asked": asked}
    sheet, more = _asked(request, event, row)
    context |= more
    if asked and form.is_valid():
        try:
            found = advise(adapter.setting_of(event), adapter.spans_of(event), sheet, form.feeling(), adapter.car_of(event).items)
            context["cards"] = presenters.advice_cards(found, sheet, more["kept_query"])
            context["wanted"] = WANTED[form.cleaned_data["how"]]
        except ApexError as error:
            context["errors"] = [str(error)]
    wrong = bool(form.errors or context.get("errors"))
    return render(request, "garage/advice.html", context, status=422 if wrong else 200)
