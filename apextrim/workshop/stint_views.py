"""A sheet over a stint: lap times, tyres and balance as fuel burns off and tyres warm up and wear."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.trim.moves.effects import lap_spread_s
from apexcore.trim.reading.drift import balance_drift, drift, limiting_wheel
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS, Car
from apexcore.vehicle.sheet import adjusted
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.sheets import queries
from apextrim.ui.fields import QuantityField
from apextrim.ui.units import typed_as

from . import stint_presenters as presenters

MAX_LAPS = 80


class StintForm(forms.Form):
    """How long, on what, with how much fuel."""

    laps = QuantityField("", 3, MAX_LAPS, whole=True, label="Laps")
    fuel = QuantityField("l", 0, 500, label="Fuel at the start")
    front = forms.ChoiceField(label="Front tyres")
    rear = forms.ChoiceField(label="Rear tyres")

    def __init__(self, car: Car, data: Any) -> None:
        super().__init__(data)
        choices = [(compound.key, f"{compound.name} ({compound.letter})") for compound in car.tyres.compounds]
        for name in ("front", "rear"):
            field = self.fields[name]
            assert isinstance(field, forms.ChoiceField)
            field.choices = choices
        self.fields["fuel"].high = car.tank_l  # type: ignore[attr-defined]


@require_GET
def stint(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """The modelled stint of a sheet."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, str(sheet_id))
    car, sheet = cases.car_of(event), queries.core_sheet(event, row)
    first = car.tyres.compounds[0].key
    asked = {"laps": "20", "fuel": typed_as(adjusted(car, sheet).fuel_l, "l"), "front": first, "rear": first, **request.GET.dict()}
    form = StintForm(car, asked)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "wheels": WHEELS}
    if form.is_valid():
        values = form.cleaned_data
        lap_case = cases.lap_case_of(event, values["front"], values["rear"])
        try:
            stint_laps = answers.stint_of(event, sheet, (values["front"], values["rear"]), values["fuel"], values["laps"])
            laps = drift(stint_laps, cases.spans_of(event), lap_case.line)
        except ApexError as error:
            context["errors"] = [str(error)]
        else:
            cliff = lap_case.compounds[0].cliff_wear, lap_case.compounds[1].cliff_wear
            wheel, left = limiting_wheel(laps, cliff)
            best = min(laps[1:], key=lambda lap: lap.time_s)
            first_out = WHEEL_WORDS[WHEELS[wheel]]
            context |= {
                "laps": laps, "picture": presenters.stint_picture(laps, cliff), "drift": balance_drift(laps), "best": best,
                "fade": laps[-1].time_s - best.time_s, "spread": lap_spread_s(best.time_s), "wheel": first_out, "left": left,
            }  # fmt: skip
    wrong = bool(form.errors or context.get("errors"))
    return render(request, "workshop/stint.html", context, status=422 if wrong else 200)
