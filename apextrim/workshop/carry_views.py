"""A sheet made for other weather: what today's weather changes about it."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.circuit.conditions import Conditions
from apexcore.errors import ApexError
from apextrim.accounts.owned import owned_or_404
from apextrim.events import facts
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers
from apextrim.sheets import queries
from apextrim.sheets.models import Sheet
from apextrim.sheets.proposed import set_query
from apextrim.ui.fields import quantity
from apextrim.ui.units import shown, typed_as

_FIELDS = {"air_c": "°C", "track_c": "°C", "humidity_pct": "%", "pressure_hpa": "hPa", "rubber_pct": "%", "wet_pct": "%"}


class ThenForm(forms.Form):
    """The weather that a sheet was made for."""

    air_c = quantity(Conditions, "air_c", "Air that day", "°C")
    track_c = quantity(Conditions, "track_c", "Track that day", "°C")
    humidity_pct = quantity(Conditions, "humidity_pct", "Humidity that day", "%")
    pressure_hpa = quantity(Conditions, "pressure_hpa", "Air pressure that day", "hPa")
    rubber_pct = quantity(Conditions, "rubber_pct", "Rubber that day", "%")
    wet_pct = quantity(Conditions, "wet_pct", "Track wetness that day", "%")


@require_GET
def carry(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """What to change of a sheet for today."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    today = facts.conditions_of(event)
    asked = "air_c" in request.GET
    form = ThenForm(request.GET if asked else {name: typed_as(getattr(today, name), unit) for name, unit in _FIELDS.items()})
    context: dict[str, Any] = {"event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "asked": asked, "today": today}
    if asked and form.is_valid():
        try:
            then = today.model_copy(update=form.cleaned_data)
            found = answers.carried_of(event, queries.core_sheet(event, row), then)
            context["found"] = found
            context["shift"] = found.today_s - found.then_s
            context["gain"] = found.after_s - found.today_s
            context["query"] = set_query((part.item, part.value) for part in found.parts)
            context["parts"] = [
                (part, shown(part.item).text(part.before), shown(part.item).text(part.value), f"{part.item.key}:{part.value:g}")
                for part in found.parts
            ]
        except ApexError as error:
            context["errors"] = [str(error)]
    wrong = asked and bool(form.errors or context.get("errors"))
    return render(request, "workshop/carry.html", context, status=422 if wrong else 200)
