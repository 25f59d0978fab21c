"""The garage: cars and circuits of the racer, in and out as files."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, FileRejected
from apextrim.accounts.owned import owned, owned_or_404
from apextrim.circuits.actions import add_circuit
from apextrim.circuits.models import Circuit
from apextrim.events.adapter import parsed_car
from apextrim.ui.uploads import uploaded

from .actions import add_car
from .models import Car


def _garage(request: HttpRequest, errors: list[str] | None = None) -> HttpResponse:
    cars = [(row, parsed_car(row.data)) for row in owned(Car, request.user)]
    context = {"cars": cars, "circuits": owned(Circuit, request.user), "errors": errors or []}
    return render(request, "garage/garage.html", context, status=422 if errors else 200)


@require_GET
def garage(request: HttpRequest) -> HttpResponse:
    """Cars and circuits."""
    return _garage(request)


def _import(request: HttpRequest, what: str) -> HttpResponse:
    add = add_car if what == "car" else add_circuit
    try:
        row, new = add(request.user, uploaded(request, f"a {what} in JSON"))  # type: ignore[arg-type]
    except FileRejected as error:
        return _garage(request, error.problems)
    except ApexError as error:
        return _garage(request, [str(error)])
    messages.success(request, f"{row} is in your garage." if new else f"{row} was there already; nothing was added.")
    return redirect("garage")


@require_POST
def import_car(request: HttpRequest) -> HttpResponse:
    """A car from a JSON file."""
    return _import(request, "car")


@require_POST
def import_circuit(request: HttpRequest) -> HttpResponse:
    """A circuit from a JSON file."""
    return _import(request, "circuit")


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
