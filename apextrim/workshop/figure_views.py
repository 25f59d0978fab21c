"""Gears, brake bias and weights of a sheet, and the check of what is in the car against it."""

from collections.abc import Sequence
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.circuit.conditions import GRAVITY
from apexcore.circuit.line import CornerSpan
from apexcore.errors import ApexError
from apexcore.lap.solver import Lap, LapCase
from apexcore.race.length import distance_laps
from apexcore.trim.figures.bias import BiasPlan, bias_item, locking
from apexcore.trim.figures.gearing import final_drive_item, last_gear_words, shifts, thrust_curves
from apexcore.trim.figures.scales import perches, read_scales
from apexcore.trim.moves.effects import difference_spread_s
from apexcore.trim.reading.past import brakes_both_ends, has_hard_stop
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS, Car
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import adjusted
from apexcore.vehicle.weights import weights
from apextrim.accounts.owned import owned_or_404
from apextrim.events import facts
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.sheets import queries
from apextrim.sheets.models import Sheet
from apextrim.sheets.proposed import set_query
from apextrim.ui.fields import QuantityField
from apextrim.ui.units import typed_as

from . import figure_presenters as presenters

#: Weight by which the cost of a heavier driver is tried [kg].
_DRIVER_KG = 10.0


class ScalesForm(forms.Form):
    """Four scales, the wanted cross weight and the perch."""

    fl = QuantityField("kg", 1, 1500, label="Front left")
    fr = QuantityField("kg", 1, 1500, label="Front right")
    rl = QuantityField("kg", 1, 1500, label="Rear left")
    rr = QuantityField("kg", 1, 1500, label="Rear right")
    target = QuantityField("%", 35, 65, label="Target cross weight")
    pitch = QuantityField("mm", 0.2, 5, label="Spring perch travel per turn", decimals=2)


def _gears(lap_case: LapCase, sheet: CoreSheet, car: Car, found: answers.Figures) -> dict[str, Any]:
    """Thrust, shifts, the gear of every corner and the sweep over the final drive."""
    return {
        "thrust": presenters.thrust_picture(*thrust_curves(car, lap_case.conditions)), "shifts": shifts(car),
        "last_gear": last_gear_words(car, lap_case.conditions), "corner_gears": found.corner_gears,
        "sweep": presenters.sweep_rows(list(found.sweep), final_drive_item(lap_case.car), sheet),
    }  # fmt: skip


def _brakes(lap_case: LapCase, car: Car, lap: Lap, spans: Sequence[CornerSpan], plan: BiasPlan) -> dict[str, Any]:
    """Where the bias should stand, in qualifying and over the race."""
    if not brakes_both_ends(car):
        end = "rear" if car.brakes.front_share < 0.5 else "front"
        return {"no_bias": f"This car brakes at the {end} only: there is nothing to balance."}
    if not has_hard_stop(lap):
        return {"no_bias": "Nothing on this circuit is braked for: no stop says where the bias should stand."}
    item = bias_item(lap_case.car)
    return {
        "cases": [(case, presenters.bias_link(item, case.ideal)) for case in plan.cases], "share": car.brakes.front_share,
        "locking": locking(lap, spans), "per_10_l": 10.0 * plan.per_litre, "bias_move": plan.move, "bias_item": item,
        "bias_picture": presenters.bias_picture(plan.curves, plan.cases, car.brakes.front_share),
    }  # fmt: skip


@require_GET
def figures(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Gearing, brake bias and weights of a sheet, here and today."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    lap_case, sheet = cases.lap_case_of(event), queries.core_sheet(event, row)
    car = adjusted(lap_case.car, sheet)
    static = [load / GRAVITY for load in weights(car).static_n]
    usual = {wheel: typed_as(load, "kg") for wheel, load in zip(WHEELS, static, strict=True)}
    asked = {**usual, "target": "50", "pitch": "1.5", **request.GET.dict()}
    form = ScalesForm(asked)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "wheels": WHEEL_WORDS.values()}
    try:
        lap, spans = answers.answer_of(event, sheet).lap, cases.spans_of(event)
        rules = facts.rules_of(event)
        found = answers.figures_of(event, sheet, distance_laps(rules, lap.time_s), rules.formation_laps, _DRIVER_KG)
        context |= {**_gears(lap_case, sheet, car, found), **_brakes(lap_case, car, lap, spans, found.bias)}
        context |= {"driver_kg": _DRIVER_KG, "driver_s": found.driver_s, "driver_spread": difference_spread_s(found.driver_s)}
        context["placed"] = found.placed
        context["placed_query"] = set_query((item, after) for item, _, after in context["placed"].moves) if context["placed"] else ""
        if form.is_valid():
            values = form.cleaned_data
            loads = (values["fl"], values["fr"], values["rl"], values["rr"])
            context |= {"scales": read_scales(loads), "perches": perches(car, loads, values["target"] / 100.0, values["pitch"])}
    except ApexError as error:
        context["errors"] = [str(error)]
    wrong = bool(context.get("errors") or form.errors)
    return render(request, "workshop/figures.html", context, status=422 if wrong else 200)
