"""Ballast and restrictor chosen together under the class limits: asked here, then watched and read like any search."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods

from apexcore.trim.moves.class_search import movable
from apexcore.trim.moves.search import AIM_WORDS
from apextrim.accounts.owned import owned_or_404
from apextrim.events.facts import class_limits_of
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.sheets import queries
from apextrim.sheets.models import Sheet
from apextrim.ui.fields import QuantityField
from apextrim.ui.units import shown
from apextrim.work.queue import TooMuchWork

from . import tasks
from .models import Search


class ClassSearchForm(forms.Form):
    """What it is to be best for."""

    aim = forms.ChoiceField(choices=[(key, AIM_WORDS[key]) for key in ("lap", "stint")], label="Best for")
    laps = QuantityField("", 4, 40, whole=True, label="Stint length, laps")


@require_http_methods(["GET", "POST"])
def ask(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """The limits, what may be moved, and for what; starts the search."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car, posted = cases.car_of(event), request.method == "POST"
    limits, items = class_limits_of(event), movable(cases.car_of(event))
    form = ClassSearchForm(request.POST if posted else None, initial={"aim": "lap", "laps": "12"})
    if posted and limits.any and items and form.is_valid():
        options = {"of_class": True, "laps": form.cleaned_data["laps"]}
        new = Search(event=event, sheet=row, aim=form.cleaned_data["aim"], options=options, made_at=timezone.now())
        try:
            return redirect("search", event.pk, tasks.ask(new).pk)
        except TooMuchWork as error:
            form.add_error(None, str(error))
    core = queries.core_sheet(event, row)
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "limits": limits, "car": car,
        "kept": queries.class_kept(event, core), "items": [(shown(item), shown(item).text(row.values[item.key])) for item in items],
    }  # fmt: skip
    return render(request, "workshop/class_ask.html", context, status=422 if posted else 200)
