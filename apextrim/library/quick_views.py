"""A car in two minutes: shown as the model has it, with what was assumed, then kept."""

import math
import re
from typing import Any

from django.contrib import messages
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from apexcore.circuit.line import racing_line
from apexcore.circuit.usual import usual_course
from apexcore.errors import ApexError
from apexcore.lap.warmth import USUAL_DAY, Warmed, could_warm
from apexcore.trim.figures.car_figures import car_figures, power_curve
from apexcore.trim.figures.known import Pull, pulled
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.quick import Assumed, quick_car
from apextrim.ui.uploads import problems_of

from . import car_actions, presenters
from .models import Car
from .quick_form import QuickCarForm

#: What a new form says of a car: a driver's usual weight.
_BEGINNING = {"driver_kg": 80.0, "front": 55.0, "move_pressure": True, "move_bias": True}


def _made(owner: User, form: QuickCarForm) -> tuple[CoreCar, tuple[Assumed, ...], tuple[Pull, ...]]:
    """The car of a valid form.

    :raises ApexError: naming what cannot be
    """
    car, assumed = quick_car(form.told(), free_key(owner, form.cleaned_data["name"]))
    course = form.course()
    there = racing_line(usual_course(form.cleaned_data["kind"]), car_width_m=car.width_m) if course is None else course.line
    warm = could_warm(car, there)
    car, pulls = pulled(warm.car, form.known(), course)
    if math.isfinite(warm.off_k):
        assumed = tuple(one for one in assumed if one.path != "tyres.cold_kpa") + _warm_words(warm, course is None)
    moved = {pull.path: pull for pull in pulls if pull.before != pull.after}
    return car, tuple(one for one in assumed if one.path not in moved), pulls


def _warm_words(warm: Warmed, usual: bool) -> tuple[Assumed, ...]:
    """What was assumed of the tyres' heat and pressures.

    :param usual: whether on a course of the kind, not on one that the racer named
    """
    best, day = warm.car.tyres.compounds[0].temperature_opt_c, USUAL_DAY
    where = "a usual course of the kind" if usual else "the circuit of the known lap"
    why = f"a front runner's tyres settle at {best:.0f} °C in the mean, air {day.air_c:.0f} °C, track {day.track_c:.0f} °C, on {where}"
    if not warm.near:
        why = f"as far as it goes: {warm.off_k:+.0f} K off {best:.0f} °C in the mean on {where}"
    text = f"× {warm.scale[0]:.2f} front, × {warm.scale[1]:.2f} rear"
    filled = ", ".join(f"{kpa:.0f} kPa" for kpa in warm.car.tyres.cold_kpa)
    return (
        Assumed("tyres.heat", "Heat that the tyres give off, over usual of their size", text, "± 20 %", why),
        Assumed(
            "tyres.cold_kpa", "Cold pressures FL, FR, RL, RR", filled, "± 15 kPa", "the best pressure of each tyre once it is hot; gas law"
        ),
    )


def free_key(owner: User, name: str) -> str:
    """A key for a car of this name that no car of the owner has."""
    stem = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:34] or "car"
    stem = stem if stem[0].isalpha() else f"c_{stem}"[:34]
    taken = set(Car.everything.filter(owner=owner).values_list("key", flat=True))
    return stem if stem not in taken else next(f"{stem}_{n}" for n in range(2, 1000) if f"{stem}_{n}" not in taken)


@require_http_methods(["GET", "POST"])
def quick(request: HttpRequest) -> HttpResponse:
    """The form, the car that it makes, and the car in the garage."""
    owner: User = request.user  # type: ignore[assignment]
    form = QuickCarForm(owner, request.POST if request.method == "POST" else None, initial=_BEGINNING)
    context: dict[str, Any] = {"form": form, "errors": []}
    if request.method == "POST" and form.is_valid():
        try:
            car, assumed, pulls = _made(owner, form)
            if request.POST.get("do") == "save":
                row, _ = car_actions.keep_car(owner, car, assumed)
                messages.success(request, f"{row.name} is in your garage.")
                return redirect("edit_car", row.pk) if owner.events.exists() else redirect("home")
            curve = presenters.power_picture(*power_curve(car))
            rows = [(one.words, one.text, one.spread, one.why) for one in assumed]
            context |= {"figures": car_figures(car), "curve": curve, "assumed": assumed, "assumed_rows": rows, "pulls": pulls}
        except ApexError as error:
            context["errors"] = problems_of(error)
    return render(request, "library/quick_car.html", context, status=422 if context["errors"] or form.errors else 200)
