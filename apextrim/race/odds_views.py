"""Ten thousand races with the field, safety cars and mistakes: what each plan comes to, and what to do under a safety car."""

import re
from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.race.rules import Surroundings
from apextrim.events import facts
from apextrim.events.actions import change_rules
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.ui.fields import numbers_of, quantity

from . import odds, presenters, queries
from .odds_picture import call_strip, odds_picture


class FieldForm(forms.Form):
    """What the race is driven among."""

    cars = quantity(Surroundings, "cars", "Other cars", "", whole=True)
    grid = quantity(Surroundings, "grid", "Your place on the grid", "", whole=True)
    ahead_s = quantity(Surroundings, "ahead_s", "Quickest of them, quicker than you by", "s")
    spread_s = quantity(Surroundings, "spread_s", "Quickest to slowest", "s")
    passing_s = quantity(Surroundings, "passing_s", "Quicker by this passes in half the laps", "s")
    safety_cars = quantity(Surroundings, "safety_cars", "Safety cars a race", "")
    safety_laps = quantity(Surroundings, "safety_laps", "Laps behind each", "", whole=True)
    safety_slow = quantity(Surroundings, "safety_slow", "A lap behind it takes, times", "")
    safety_pit = quantity(Surroundings, "safety_pit", "Pit loss under it, times", "", decimals=2)
    counted = forms.BooleanField(required=False, label="Laps behind it count")
    yellows = quantity(Surroundings, "yellows", "Full-course yellows a race", "")
    troubles = quantity(Surroundings, "troubles", "Spins and punctures in 100 laps", "")
    trouble_s = quantity(Surroundings, "trouble_s", "Each costs", "s")
    points = forms.CharField(required=False, max_length=400, label="Points from the first place on, such as 25 18 15")

    results = forms.CharField(required=False, max_length=400, label="Your points so far this season, race by race")
    best_results = quantity(Surroundings, "best_results", "Results that count (0: all)", "", whole=True, required=False)

    def clean_points(self) -> tuple[float, ...]:
        """The table of points."""
        return self._row("points", "Points of place", 61)

    def clean_results(self) -> tuple[float, ...]:
        """Points of the races before."""
        return self._row("results", "Points of race", 60)

    def clean_best_results(self) -> int:
        """All where nothing is typed."""
        return int(self.cleaned_data["best_results"] or 0)

    def _row(self, name: str, what: str, most: int) -> tuple[float, ...]:
        """Points in a row, as people type them."""
        parts = re.split(r"[\s;/]+|,(?!\d)", self.cleaned_data[name].strip())
        return tuple(numbers_of(parts, "", lambda k: f"{what} {k + 1}", 0.0, 10_000.0, most))


def _as_typed(around: Surroundings) -> dict[str, Any]:
    rows = {name: " ".join(f"{value:g}" for value in getattr(around, name)) for name in ("points", "results")}
    return around.model_dump() | rows


def _page(request: HttpRequest, event: Event, form: FieldForm | None = None) -> HttpResponse:
    around = facts.rules_of(event).around
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "race"), "form": form or FieldForm(initial=_as_typed(around)), "around": around,
    }  # fmt: skip
    try:
        view = queries.race_view(event)
        known = queries.driver_of(event)
        found = odds.odds_of(view, known)
    except ApexError as error:
        context["problem"] = str(error)
    else:
        plans = presenters.plan_views(view, view.by_stops, cases.car_of(event))
        rows = [odds.odds_row(plan.title, plan.verb, one) for plan, one in zip(plans, found.outcomes, strict=True)]
        context |= {
            "rows": rows, "known": known, "wins": max(rows, key=lambda row: row.outcome.wins),
            "tail": min(rows, key=lambda row: row.outcome.bad_s), "place": min(rows, key=lambda row: row.outcome.place),
            "points": odds.points_words(rows), "calls": (calls := odds.call_ranges(found.calls)), "picture": odds_picture(rows),
            "strip": call_strip(calls), "first": plans[0].title, "long": not found.calls,
        }  # fmt: skip
    return render(request, "race/odds.html", context, status=422 if form is not None else 200)


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """What each plan comes to over ten thousand races."""
    return _page(request, event_for(request.user, event_id))


#: What a turn is called, and the unit of its values.
_TURNS = {"cars": ("Safety cars a race", ""), "place": ("Place on the grid", ""), "passing": ("Hard to pass: half at", " s a lap")}


@require_GET
def turns(request: HttpRequest, event_id: int) -> HttpResponse:
    """At how many safety cars, which place and how hard a field to pass the two best plans change places: the slow part of the page."""
    event = event_for(request.user, event_id)
    shown = "race/_odds_turns.html" if request.headers.get("HX-Request") else "race/odds_turns.html"
    context: dict[str, Any] = {"event": event}
    if shown == "race/odds_turns.html":
        context["frame"] = frame(event, "race")
    try:
        view, known = queries.race_view(event), queries.driver_of(event)
        plans = presenters.plan_views(view, view.by_stops[:2], cases.car_of(event))
        if len(plans) > 1 and view.rules.laps <= odds.MOST_TURNED:
            pair = tuple(plan.ranked.plan for plan in plans)
            driver = odds.driver(known)
            found = odds.turns_of(view.rules, view.pace.pace, view.pace.draws, pair, driver)
            context |= {"plans": plans, "turns": [(*_TURNS[turn.what], turn) for turn in found]}
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, shown, context)


@require_POST
def save(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sets what the race is driven among."""
    event = event_for(request.user, event_id)
    form = FieldForm(request.POST)
    if form.is_valid() and form.cleaned_data["grid"] > form.cleaned_data["cars"] + 1:
        form.add_error("grid", f"Your place on the grid: {form.cleaned_data['grid']}; expected at most {form.cleaned_data['cars'] + 1}.")
    if not form.is_valid():
        return _page(request, event, form)
    saved = change_rules(event, {**facts.rules_of(event).model_dump(exclude={"tank_l"}), "around": form.cleaned_data})
    messages.success(request, "Field and safety cars saved." if saved else "Nothing changed.")
    return redirect("race_odds", event.pk)
