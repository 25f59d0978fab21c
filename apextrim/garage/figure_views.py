"""Gears, brake bias and weights of a sheet, and the check of what is in the car against it."""

from dataclasses import replace
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_http_methods

from apexcore.circuit.conditions import GRAVITY
from apexcore.errors import ApexError, InputError
from apexcore.lap.solver import Setting, solve_lap
from apexcore.quantities.text import has_other_unit, parse_number
from apexcore.trim.bias import bias_cases, locking
from apexcore.trim.effects import difference_spread_s
from apexcore.trim.gearing import final_drive_item, last_gear_words, ratio_sweep, shifts, thrust_curves
from apexcore.trim.scales import perches, read_scales
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import adjusted
from apexcore.vehicle.weights import weights
from apextrim.accounts.owned import owned_or_404
from apextrim.events import adapter
from apextrim.events.queries import event_for, frame
from apextrim.ui.fields import QuantityField

from . import figure_presenters as presenters
from . import queries
from .models import Sheet

#: Weight by which the cost of a heavier driver is tried [kg].
_DRIVER_KG = 10.0


class ScalesForm(forms.Form):
    """Four scales, the wanted cross weight and the perch."""

    fl = QuantityField("kg", 1, 1500, label="Front left")
    fr = QuantityField("kg", 1, 1500, label="Front right")
    rl = QuantityField("kg", 1, 1500, label="Rear left")
    rr = QuantityField("kg", 1, 1500, label="Rear right")
    target = QuantityField("%", 35, 65, label="Cross weight wanted")
    pitch = QuantityField("mm", 0.2, 5, label="Perch, one turn", decimals=2)


def _driver_cost_s(setting: Setting, sheet: CoreSheet) -> float:
    """Lap time of a driver `_DRIVER_KG` heavier [s]."""
    begin = solve_lap(setting, sheet)
    mass = setting.car.mass
    heavier = setting.car.model_copy(update={"mass": mass.model_copy(update={"driver_kg": mass.driver_kg + _DRIVER_KG})})
    same = solve_lap(setting, sheet, near=begin)
    return solve_lap(replace(setting, car=heavier), sheet, near=begin).time_s - same.time_s


@require_GET
def figures(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Gearing, brake bias and weights of a sheet, here and today."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    setting, sheet = adapter.setting_of(event), queries.core_sheet(event, row)
    car = adjusted(setting.car, sheet)
    static = [load / GRAVITY for load in weights(car).static_n]
    usual = {wheel: f"{load:.1f}" for wheel, load in zip(WHEELS, static, strict=True)}
    asked = {**usual, "target": "50", "pitch": "1.5", **request.GET.dict()}
    form = ScalesForm(asked)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "wheels": WHEEL_WORDS.values()}
    try:
        cases = bias_cases(setting, sheet)
        cost = _driver_cost_s(setting, sheet)
        context |= {
            "thrust": presenters.thrust_picture(*thrust_curves(car, setting.conditions)), "shifts": shifts(car),
            "last_gear": last_gear_words(car, setting.conditions),
            "sweep": presenters.sweep_rows(ratio_sweep(setting, sheet), final_drive_item(setting.car), sheet),
            "cases": cases, "share": car.brakes.front_share, "locking": locking(setting, adapter.spans_of(event), sheet),
            "per_10_l": 10.0 * (cases[2].ideal - cases[1].ideal) / (0.95 * car.tank_l),
            "driver_kg": _DRIVER_KG, "driver_s": cost, "driver_spread": difference_spread_s(cost),
        }  # fmt: skip
        if form.is_valid():
            values = form.cleaned_data
            loads = (values["fl"], values["fr"], values["rl"], values["rr"])
            context |= {"scales": read_scales(loads), "perches": perches(car, loads, values["target"] / 100.0, values["pitch"])}
    except ApexError as error:
        context["errors"] = [str(error)]
    wrong = bool(context.get("errors") or form.errors)
    return render(request, "garage/figures.html", context, status=422 if wrong else 200)


@require_http_methods(["GET", "POST"])
def check(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """What is in the car, typed item by item, against the sheet meant for the session."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car = adapter.car_of(event)
    typed = request.POST if request.method == "POST" else {}
    lines, wrong, different, missing = [], [], [], 0
    for item in car.items:
        text, error = str(typed.get(item.key, "")).strip(), ""
        value = None
        if text:
            try:
                number = parse_number(text.replace("−", "-"), item.unit, item.name)
                value = item.nearest(number) if has_other_unit(text, item.unit) else number
            except InputError as problem:
                error = str(problem)
                wrong.append(error)
        missing += not text
        meant = row.values[item.key]
        lines.append((item, text, error))
        if value is not None and abs(value - meant) > 1e-6:
            different.append(presenters.Mismatch(item.name, item.text(value), item.text(meant), (value - meant) / item.step))
    context = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "lines": lines, "errors": wrong, "different": different,
        "missing": missing, "asked": request.method == "POST", "count": len(car.items),
    }  # fmt: skip
    return render(request, "garage/check.html", context, status=422 if wrong else 200)
