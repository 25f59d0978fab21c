"""The garage: cars and circuits of the racer, in and out as files."""

from collections.abc import Callable

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, FileRejected
from apexcore.vehicle.car import Car as CoreCar
from apextrim.accounts.owned import owned, owned_or_404
from apextrim.ui.uploads import called, is_long, problems_of, uploaded
from apextrim.work import queue

from .car_actions import add_car
from .circuit_actions import add_circuit, add_reversed
from .forms import CircuitForm
from .models import Car, Circuit
from .stored import parsed_car, parsed_circuit


def _readable(row: Car) -> CoreCar | None:
    """The core's car of a row; None where its file cannot be read any more."""
    try:
        return parsed_car(row.data)
    except ValueError:
        return None


def _garage(request: HttpRequest, errors: list[str] | None = None, form: CircuitForm | None = None) -> HttpResponse:
    cars = [(row, _readable(row)) for row in owned(Car, request.user)]
    context = {
        "cars": cars,
        "circuits": owned(Circuit, request.user),
        "errors": errors or [],
        "form": form or CircuitForm(initial={"width": 10.0}),
    }
    return render(request, "library/garage.html", context, status=422 if errors else 200)


@require_GET
def garage(request: HttpRequest) -> HttpResponse:
    """Cars and circuits."""
    return _garage(request)


#: Size of a file of points from which on its laps are averaged beside the requests: some hundred points take a second or two [bytes].
_LONG_TRACK = 40_000


def _added(request: HttpRequest, add: Callable[[], tuple[Car | Circuit, bool]]) -> HttpResponse:
    """Runs an action that adds to the garage, and says what came of it."""
    try:
        row, new = add()
    except FileRejected as error:
        return _garage(request, error.problems)
    except ApexError as error:
        return _garage(request, [str(error)])
    told = f" {parsed_circuit(row.data).unsure_words()}".rstrip() if isinstance(row, Circuit) else ""
    messages.success(request, f"{row} is in your garage.{told}" if new else f"{row} is already in your garage; nothing was added.")
    return redirect("garage")


@require_POST
def import_car(request: HttpRequest) -> HttpResponse:
    """A car from a JSON file."""
    return _added(request, lambda: add_car(request.user, uploaded(request, "a car in JSON")))  # type: ignore[arg-type]


@require_POST
def import_circuit(request: HttpRequest) -> HttpResponse:
    """A circuit from a file of any format that is read."""
    form = CircuitForm(request.POST)
    if not form.is_valid():
        return _garage(request, [str(error) for errors in form.errors.values() for error in errors], form)
    values = form.cleaned_data
    typed, width, closed = values["name"].strip(), values["width"], not values["open_course"]
    name = typed or called(request) or "Imported circuit"
    try:
        data = uploaded(request, "a circuit: JSON, GeoJSON, GPX or CSV of points")
        if is_long(data) or (len(data) > _LONG_TRACK and b'"apex-trim circuit' not in data[:4000]):
            asked = {"name": name, "width_m": width, "closed": closed, "typed": bool(typed)}
            return redirect("job", queue.ask(request.user, "circuit", f"Import the circuit {name}", asked, data).pk)
    except ApexError as error:
        return _garage(request, problems_of(error), form)
    return _added(request, lambda: add_circuit(request.user, data, name, width, closed, bool(typed)))  # type: ignore[arg-type]


@require_POST
def reverse_circuit(request: HttpRequest, circuit_id: int) -> HttpResponse:
    """The other way round, as a circuit of its own."""
    row = owned_or_404(Circuit, request.user, pk=circuit_id)
    return _added(request, lambda: add_reversed(row))


def _file(text: str, name: str) -> HttpResponse:
    headers = {"Content-Disposition": f'attachment; filename="{name}.json"'}
    return HttpResponse(text, content_type="application/json", headers=headers)


@require_GET
def export_car(request: HttpRequest, car_id: int) -> HttpResponse:
    """A car as JSON."""
    row = owned_or_404(Car, request.user, pk=car_id)
    return _file(row.data, row.key)


@require_GET
def export_circuit(request: HttpRequest, circuit_id: int) -> HttpResponse:
    """A circuit as JSON."""
    row = owned_or_404(Circuit, request.user, pk=circuit_id)
    return _file(row.data, row.key)
