"""What is in the car against the sheet meant for the session."""

from collections.abc import Mapping
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods

from apexcore.errors import FileRejected, InputError
from apexcore.formats.values_json import SheetFile, read_value
from apexcore.quantities import format_number
from apexcore.vehicle.car import Car
from apextrim.accounts.owned import owned_or_404
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.ui.units import shown
from apextrim.ui.uploads import uploaded

from .models import Sheet
from .queries import class_breaches, core_sheet


@dataclass(frozen=True)
class Mismatch:
    """A value in the car that is not the sheet's.

    :param there: what is in the car
    :param meant: what the sheet says
    :param correction: by how many steps, and which way, the car is to be moved
    """

    name: str
    there: str
    meant: str
    correction: str


def _correction(steps: float) -> str:
    """Steps from the car to the sheet, in words; a value between two steps is told in parts of one."""
    count = format_number(abs(steps), 0 if abs(steps - round(steps)) < 1e-6 else 1)
    return f"{count} step{'' if count == '1' else 's'} {'up' if steps > 0 else 'down'}"


def _values_of_file(request: HttpRequest, car: Car) -> dict[str, str]:
    """What a sheet file says is in the car, as if it were typed.

    :raises FileRejected: if it is no sheet, or is for another car
    """
    file = read_value(uploaded(request, "a sheet in JSON"), SheetFile, "a sheet")
    if file.car != car.key:
        raise FileRejected([f"car: this file is from “{file.car}”; expected one from “{car.key}” ({car.name})."])
    return {item.key: shown(item).number(file.values[item.key]) for item in car.items if item.key in file.values}


@require_http_methods(["GET", "POST"])
def check(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """What is in the car, typed item by item, against the sheet meant for the session."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car = cases.car_of(event)
    typed: Mapping[str, str] = request.POST if request.method == "POST" else {}
    lines, wrong, different, missing = [], [], [], 0
    if "file" in request.FILES:
        try:
            typed = _values_of_file(request, car)
        except FileRejected as refused:
            wrong = list(refused.problems)
    for item in car.items:
        text, error = str(typed.get(item.key, "")).strip(), ""
        value = None
        if text:
            try:
                value = shown(item).typed(text)
            except InputError as problem:
                error = str(problem)
                wrong.append(error)
        missing += not text
        meant = row.values[item.key]
        lines.append((shown(item), text, error))
        if value is not None and abs(value - meant) > 1e-6:
            different.append(
                Mismatch(item.name, shown(item).text(value), shown(item).text(meant), _correction((meant - value) / item.step))
            )
    context = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "lines": lines, "errors": wrong, "different": different,
        "places": event.car.places.all(), "missing": missing, "asked": request.method == "POST", "count": len(car.items),
        "broken": class_breaches(event, core_sheet(event, row)),
    }  # fmt: skip
    return render(request, "sheets/check.html", context, status=422 if wrong else 200)
