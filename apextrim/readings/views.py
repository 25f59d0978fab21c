"""What gauge and pyrometer read at the wheels, and what to set next."""

from dataclasses import replace
from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from apexcore.circuit.conditions import Conditions
from apexcore.errors import ApexError
from apexcore.lap.solver import solve_lap
from apexcore.trim.reading.analysis import best_hot_kpa
from apexcore.trim.readings.next_setting import (
    Reading,
    WheelReading,
    doubts,
    heat_story,
    next_cambers,
    next_pressures,
    next_toes,
    wear_story,
)
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apexcore.vehicle.sheet import adjusted
from apextrim.accounts.owned import asked_for, owned_or_404
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.runs.models import TyreReading
from apextrim.runs.reading_actions import keep_reading
from apextrim.runs.reading_form import parsed_reading, reading_lines
from apextrim.sheets import queries
from apextrim.sheets.models import Sheet
from apextrim.sheets.proposed import set_query
from apextrim.ui.fields import QuantityField, quantity
from apextrim.ui.units import typed_as


def _core(row: TyreReading, cold_c: float) -> Reading:
    values = row.values
    wheels = []
    for wheel in WHEELS:
        tread = tuple(values[f"{key}_{wheel}"] for key in ("inner", "middle", "outer")) if f"inner_{wheel}" in values else None
        left = values.get(f"left_{wheel}")
        share = None if left is None else left / 100.0
        wheels.append(WheelReading(values.get(f"cold_{wheel}", 100.0), values.get(f"hot_{wheel}"), tread, share))
    conditions = facts.parsed_conditions(row.conditions)
    return Reading((wheels[0], wheels[1], wheels[2], wheels[3]), conditions, values.get("cold_c", cold_c))


class NextForm(forms.Form):
    """When the next run is: the weather then, and where the pressures are set."""

    air = quantity(Conditions, "air_c", "Air, next run", "°C")
    track = quantity(Conditions, "track_c", "Track, next run", "°C")
    set_at = QuantityField("°C", -20, 60, label="Pressures set at")


def _advice(event: Event, row: Sheet, form: NextForm) -> dict[str, Any]:
    """What the readings of this event's car say for this sheet, for the weather asked for."""
    lap_case, sheet = cases.lap_case_of(event), queries.core_sheet(event, row)
    lap, cold_c = answers.answer_of(event, sheet).lap, lap_case.car.tyres.cold_at_c
    rows = list(event.readings.select_related("sheet"))
    seen = [_core(row, cold_c) for row in rows]
    context: dict[str, Any] = {}
    if form.is_valid():
        asked = form.cleaned_data
        then = lap_case.conditions.model_copy(update={"air_c": asked["air"], "track_c": asked["track"]})
        later = replace(lap_case, conditions=then)
        lap_then = lap if then == lap_case.conditions else solve_lap(later, sheet)
        best = best_hot_kpa(later, lap_then)
        on_sheet = next_pressures(later, lap_then, seen, best, cold_c)
        items = [lap_case.car.free_item(f"tyres.cold_kpa.{wheel}") for wheel in range(4)]
        moves = [(item, pressure.cold_kpa) for item, pressure in zip(items, on_sheet, strict=True) if item is not None]
        context["pressures"] = next_pressures(later, lap_then, seen, best, asked["set_at"])
        context["query"] = set_query((item, item.nearest_allowed(kpa)) for item, kpa in moves)
    same = [_core(reading, cold_c) for reading in rows if reading.sheet_id == row.pk]
    newest = _core(rows[0], cold_c) if rows else None
    return context | {
        "toes": next_toes(lap_case, sheet, lap, same) if same else (),
        "wear": wear_story(lap_case, lap, newest) if newest else [],
        "cambers": next_cambers(lap_case, sheet, lap, same) if same else (),
        "story": heat_story(lap, newest) if newest else [],
        "doubts": doubts(lap, newest) if newest else [],
        "readings": rows,
    }


@require_http_methods(["GET", "POST"])
def readings(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Keeps a reading; says what to set next."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car = adjusted(cases.car_of(event), queries.core_sheet(event, row))
    usual = {f"cold_{wheel}": typed_as(value, "kPa") for wheel, value in zip(WHEELS, car.tyres.cold_kpa, strict=True)}
    typed = request.POST.dict() if request.method == "POST" else {**usual, "cold_c": typed_as(car.tyres.cold_at_c, "°C")}
    problems: list[str] = []
    if request.method == "POST":
        values, problems = parsed_reading(typed)
        if not problems:
            run = asked_for(event.runs.filter(deleted_at=None), request.GET.get("run", ""))
            keep_reading(event, row, values, run)
            messages.success(request, "Reading saved.")
            return redirect("sheet_readings", event.pk, row.pk)
    now = facts.conditions_of(event)
    usual_next = {"air": typed_as(now.air_c, "°C"), "track": typed_as(now.track_c, "°C"), "set_at": typed_as(car.tyres.cold_at_c, "°C")}
    form = NextForm({**usual_next, **{key: text for key, text in request.GET.items() if key in usual_next}})
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "lines": reading_lines(typed), "cold_c": typed.get("cold_c", ""),
        "errors": problems,
        "wheels": [WHEEL_WORDS[wheel] for wheel in WHEELS], "next_form": form,
    }  # fmt: skip
    try:
        context |= _advice(event, row, form)
        context["words"] = WHEEL_WORDS
    except ApexError as error:
        context["errors"] = [*problems, str(error)]
    return render(request, "readings/readings.html", context, status=422 if context["errors"] or form.errors else 200)
