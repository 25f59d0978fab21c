"""Advice from what the driver feels."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from apexcore.circuit.line import CornerSpan
from apexcore.errors import ApexError
from apexcore.trim.moves.advice import SEVERITY_PCT, HandlingReport
from apexcore.trim.reading.balance import SPEEDS
from apexcore.trim.reading.bounds import BOUNDS
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.runs.queries import last_felt
from apextrim.sheets import queries

from . import advice_presenters as presenters
from .drivable import offered
from .step_map import advice_map
from .unsaved import asked_on

_PHASES = [("braking", "under braking"), ("entry", "on entry"), ("mid", "in mid-corner"), ("exit", "on exit")]
_SLIDES = [("front", "understeer (the nose runs wide)"), ("rear", "oversteer (the rear steps out)")]


class FeelingForm(forms.Form):
    """What the car does, in the racer's words."""

    slides = forms.ChoiceField(choices=_SLIDES, label="What it does")
    phase = forms.ChoiceField(choices=_PHASES, label="Where in the corner")
    where = forms.ChoiceField(label="In which corners")
    how = forms.ChoiceField(choices=[(words, words) for words in SEVERITY_PCT], label="How much")
    tyres = forms.ChoiceField(
        choices=[("warm", "warm tyres"), ("cold", "cold tyres, first lap out"), ("worn", "worn tyres")], label="Tyres"
    )

    def __init__(self, spans: tuple[CornerSpan, ...], data: Any) -> None:
        super().__init__(data)
        field = self.fields["where"]
        assert isinstance(field, forms.ChoiceField)
        named = [(str(span.number), f"{span.number} {span.name}".strip()) for span in spans]
        field.choices = [("", "all corners"), *[(speed, f"{speed} corners") for speed in SPEEDS], *named]
        field.required = False

    def report(self) -> HandlingReport:
        """The core's feeling of a valid form."""
        values = self.cleaned_data
        where = values["where"]
        corners = (int(where),) if where.isdigit() else ()
        speed = where if where in SPEEDS else ""
        return HandlingReport(values["phase"], values["slides"], values["how"], corners, speed, values["tyres"])


@require_GET
def advice(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Changes that answer what the driver feels."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    assert row is not None
    felt = None if request.GET.get("slides") else last_felt(event, row.pk)
    asked = bool(request.GET.get("slides")) or felt is not None
    usual = {"slides": "front", "phase": "mid", "where": "", "how": "clearly", "tyres": "warm"}
    if felt is not None:
        usual |= {"phase": felt[1], "slides": felt[2]}
    form = FeelingForm(cases.spans_of(event), {**usual, **request.GET.dict()})
    context: dict[str, Any] = {"event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "asked": asked}
    context["felt"] = felt[0] if felt is not None else None
    sheet, more = asked_on(request, event, row)
    eased = tuple(key for key in BOUNDS if key in request.GET.getlist("may"))
    context |= {**more, "bounds": offered(eased), "eased": eased}
    if asked and form.is_valid():
        try:
            found = answers.advice_of(event, sheet, form.report(), eased)
            context["cards"] = presenters.advice_cards(list(found), sheet, more["kept_query"], queries.leaves_class(event, sheet))
            if found:
                context["map"] = advice_map(context["cards"], reverse("sheet_bench", args=[event.pk]) + f"?sheet={row.pk}")
            else:
                context["if_free"] = presenters.if_free(answers.advice_if_free_of(event, sheet, form.report(), eased), sheet)
            context["wanted"] = SEVERITY_PCT[form.cleaned_data["how"]]
        except ApexError as error:
            context["errors"] = [str(error)]
    wrong = bool(form.errors or context.get("errors"))
    return render(request, "workshop/advice.html", context, status=422 if wrong else 200)
