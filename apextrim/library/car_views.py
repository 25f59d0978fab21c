"""A car's own page: every value, its torque curve, its figures; change it, or make another one from it."""

import re
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from apexcore.errors import ApexError, FileRejected
from apexcore.trim.figures.car_figures import car_figures, power_curve
from apexcore.vehicle.car import Car as CoreCar
from apextrim.accounts.owned import owned, owned_or_404
from apextrim.ui.value_form import ValueForm, carried_texts, flat, in_readers_units, sent_form, stored_form

from . import car_actions as actions
from . import presenters
from .models import Car
from .sources import SIMPLE, SOURCES
from .stored import parsed_car

_TITLES = {
    "": "The car", "mass": "Mass and centre of gravity", "ballast": "Ballast positions", "front": "Front axle", "rear": "Rear axle",
    "aero": "Aerodynamics", "powertrain": "Engine and drivetrain", "brakes": "Brakes", "tyres": "Tyres", "steering": "Steering",
    "items": "Adjustable items",
}  # fmt: skip


def _page(request: HttpRequest, row: Car, form: ValueForm[CoreCar], fresh: bool, checked: bool = False) -> HttpResponse:
    context: dict[str, Any] = {
        "row": row, "form": form, "fresh": fresh, "sections": form.sections(_TITLES, SIMPLE, SOURCES),
        "errors": form.all_problems(), "checked": checked,
        "carried": "" if fresh else carried_texts(in_readers_units(CoreCar, _texts(row)), request.method == "POST"),
    }  # fmt: skip
    if form.value is not None:
        context["figures"] = car_figures(form.value)
        context["curve"] = presenters.power_picture(*power_curve(form.value))
    return render(request, "library/car.html", context, status=422 if context["errors"] else 200)


def _texts(row: Car) -> dict[str, str]:
    """What the page of a car shows."""
    return dict(flat(parsed_car(row.data).model_dump(exclude={"key", "format"})))


def _form(texts: dict[str, str], fixed: dict[str, str] | None = None) -> ValueForm[CoreCar]:
    """The page of a car as it opens, in the reader's units."""
    return stored_form(CoreCar, texts, fixed)


def _typed(request: HttpRequest, row: Car, fixed: dict[str, str]) -> ValueForm[CoreCar]:
    """The form that was sent, checked: by its schema first, then as a car that can be.

    :param row: the car that it changes, or that another one is made from
    """
    form = sent_form(CoreCar, request.POST, _texts(row), fixed, by_reader=True)
    if form.check() is not None and form.value is not None:
        try:
            car_figures(form.value)
        except FileRejected as error:
            for problem in error.problems:
                form.refuse(problem)
        except ApexError as error:
            form.refuse(str(error))
    return form


@require_http_methods(["GET", "POST"])
def edit(request: HttpRequest, car_id: int) -> HttpResponse:
    """Shows a car, checks what was typed, or changes it."""
    row = owned_or_404(Car, request.user, pk=car_id)
    if request.method == "GET":
        return _page(request, row, _form(_texts(row), {"key": row.key}), fresh=False)
    form = _typed(request, row, {"key": row.key})
    if form.value is None or request.POST.get("do") != "save":
        return _page(request, row, form, fresh=False, checked=True)
    try:
        changed = actions.change_car(row, form.value)
    except FileRejected as error:
        form.refuse(error.problems[0])
        return _page(request, row, form, fresh=False)
    if changed:
        messages.info(request, f"{row.name} is saved; every modelled number now uses it.", extra_tags=reverse("undo_car", args=[row.pk]))
    else:
        messages.success(request, "Nothing changed.")
    return redirect("edit_car", row.pk)


@require_http_methods(["GET", "POST"])
def copy(request: HttpRequest, car_id: int) -> HttpResponse:
    """Another car made from this one."""
    row = owned_or_404(Car, request.user, pk=car_id)
    if request.method == "GET":
        core = parsed_car(row.data)
        core = core.model_copy(update={"name": f"{core.name[:52]}, copy", "key": _free_key(request, core.key)})
        return _page(request, row, _form(dict(flat(core.model_dump()))), fresh=True)
    form = _typed(request, row, {})
    if form.value is None or request.POST.get("do") != "save":
        return _page(request, row, form, fresh=True, checked=True)
    try:
        made, new = actions.keep_car(request.user, form.value)  # type: ignore[arg-type]
    except FileRejected as error:
        form.refuse(error.problems[0])
        return _page(request, row, form, fresh=True)
    messages.success(request, f"{made.name} is in your garage." if new else f"{made.name} is already in your garage; nothing was added.")
    return redirect("edit_car", made.pk)


def _free_key(request: HttpRequest, key: str) -> str:
    taken = set(owned(Car, request.user).values_list("key", flat=True))
    stem = re.sub(r"_\d+$", "", key)[:34]
    return next(f"{stem}_{n}" for n in range(2, 1000) if f"{stem}_{n}" not in taken)


@require_POST
def undo(request: HttpRequest, car_id: int) -> HttpResponse:
    """Brings back the values before the last change."""
    row = owned_or_404(Car, request.user, pk=car_id)
    try:
        done = actions.undo_car(row)
    except FileRejected as error:
        messages.error(request, error.problems[0])
        return redirect("edit_car", row.pk)
    messages.success(request, f"{row.name} is back to its previous version." if done else "Nothing to undo.")
    return redirect("edit_car", row.pk)
