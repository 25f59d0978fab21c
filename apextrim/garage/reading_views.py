"""What gauge and pyrometer read at the wheels, and what to set next."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods

from apexcore.errors import ApexError, InputError
from apexcore.quantities.text import parse_number
from apexcore.trim.readings import Reading, WheelReading, doubts, heat_story, next_cambers, next_pressures
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apexcore.vehicle.sheet import adjusted
from apexcore.vehicle.tyres import Four
from apextrim.accounts.owned import owned_or_404
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame

from . import queries
from .models import Sheet, TyreReading

#: Rows of the form: key, words, unit, least, greatest.
_ROWS = [
    ("cold", "Cold pressure", "kPa", 20.0, 600.0), ("hot", "Hot pressure", "kPa", 20.0, 700.0), ("inner", "Inner", "°C", -10.0, 250.0),
    ("middle", "Middle", "°C", -10.0, 250.0), ("outer", "Outer", "°C", -10.0, 250.0),
]  # fmt: skip


def _parsed(data: dict[str, str]) -> tuple[dict[str, float], list[str]]:
    """Numbers typed, by field, and what is wrong with the rest."""
    values, problems = {}, []
    fields = [
        (f"{key}_{wheel}", f"{words}, {WHEEL_WORDS[wheel]}", unit, low, high) for key, words, unit, low, high in _ROWS for wheel in WHEELS
    ]
    for name, words, unit, low, high in [*fields, ("cold_c", "Pressures set at", "°C", -20.0, 60.0)]:
        text = data.get(name, "").strip()
        if not text:
            continue
        try:
            number = parse_number(text.replace("−", "-"), unit, words)
            if not low <= number <= high:
                raise InputError(words, text, f"{low:g} to {high:g} {unit}")
            values[name] = number
        except InputError as error:
            problems.append(str(error))
    for wheel in WHEELS:
        thirds = [f"{key}_{wheel}" in values for key in ("inner", "middle", "outer")]
        if any(thirds) and not all(thirds):
            problems.append(f"Tread, {WHEEL_WORDS[wheel]}: a third is missing; expected inner, middle and outer, or none.")
        if f"hot_{wheel}" in values and f"cold_{wheel}" not in values:
            problems.append(f"Cold pressure, {WHEEL_WORDS[wheel]}: the value is missing; a hot one tells nothing without it.")
    if not problems and not any(key.startswith(("hot_", "inner_")) for key in values):
        problems.append("Nothing was read: expected a hot pressure or three tread temperatures at one wheel at least.")
    return values, problems


def _core(row: TyreReading, cold_c: float) -> Reading:
    values = row.values
    wheels = []
    for wheel in WHEELS:
        tread = tuple(values[f"{key}_{wheel}"] for key in ("inner", "middle", "outer")) if f"inner_{wheel}" in values else None
        wheels.append(WheelReading(values.get(f"cold_{wheel}", 100.0), values.get(f"hot_{wheel}"), tread))
    conditions = adapter.parsed_conditions(row.conditions)
    return Reading((wheels[0], wheels[1], wheels[2], wheels[3]), conditions, values.get("cold_c", cold_c))


def _advice(event: Event, row: Sheet, targets: Four) -> dict[str, Any]:
    """What the readings of this event's car say for this sheet today."""
    setting, sheet = adapter.setting_of(event), queries.core_sheet(event, row)
    lap, cold_c = adapter.answer_of(event, sheet).lap, setting.car.tyres.cold_at_c
    rows = list(event.readings.select_related("sheet"))
    pressures = next_pressures(setting, lap, [_core(one, cold_c) for one in rows], targets, cold_c)
    same = [_core(one, cold_c) for one in rows if one.sheet_id == row.pk]
    newest = _core(rows[0], cold_c) if rows else None
    return {
        "pressures": pressures,
        "cambers": next_cambers(setting, sheet, lap, same) if same else (),
        "story": heat_story(lap, newest) if newest else [],
        "doubts": doubts(lap, newest) if newest else [],
        "readings": rows,
    }


@require_http_methods(["GET", "POST"])
def readings(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """Keeps a reading; says what to set next."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car = adjusted(adapter.car_of(event), queries.core_sheet(event, row))
    usual = {f"cold_{wheel}": f"{value:g}" for wheel, value in zip(WHEELS, car.tyres.cold_kpa, strict=True)}
    typed = request.POST.dict() if request.method == "POST" else {**usual, "cold_c": f"{car.tyres.cold_at_c:g}"}
    problems: list[str] = []
    if request.method == "POST":
        values, problems = _parsed(typed)
        if not problems:
            TyreReading.objects.create(event=event, sheet=row, values=values, conditions=event.conditions, made_at=timezone.now())
            messages.success(request, "The reading is kept.")
            return redirect("sheet_readings", event.pk, row.pk)
    lines = [
        (key, words, unit, [(f"{key}_{wheel}", typed.get(f"{key}_{wheel}", "")) for wheel in WHEELS]) for key, words, unit, _, _ in _ROWS
    ]
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "lines": lines, "cold_c": typed.get("cold_c", ""), "errors": problems,
        "wheels": [WHEEL_WORDS[wheel] for wheel in WHEELS], "cold_at": car.tyres.cold_at_c,
    }  # fmt: skip
    try:
        best = {tyre.wheel: tyre.best_kpa for tyre in adapter.answer_of(event, queries.core_sheet(event, row)).tyres}
        context |= _advice(event, row, (best["fl"], best["fr"], best["rl"], best["rr"]))
        context["query"] = "".join(
            f"&set={item.key}:{item.held(one.cold_kpa):g}"
            for one, place in zip(context["pressures"], range(4), strict=True)
            for item in car.items
            if item.sets == f"tyres.cold_kpa.{place}" and not item.locked
        )
        context["words"] = WHEEL_WORDS
    except ApexError as error:
        context["errors"] = [*problems, str(error)]
    return render(request, "garage/readings.html", context, status=422 if context["errors"] else 200)
