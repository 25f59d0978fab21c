"""The race as it is driven: a page to read at arm's length, its keys, and what came of it."""

import re
import time
from typing import Any
from uuid import uuid4

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, InputError
from apexcore.quantities import parse_lap, read_number
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.ui.units import read_typed

from . import after, live, live_presenters, queries, timing
from .after_picture import after_picture, part_bars
from .models import LiveRace

#: Most that a plan must gain to be taken, as it may be typed [s].
_MOST_THRESHOLD_S = 60.0


def _ms() -> int:
    return int(time.time() * 1000)


def _at(request: HttpRequest) -> int:
    """When a key was pressed, by the clock of who pressed it; now where it does not tell."""
    told = request.POST.get("at", "")
    return int(told) if re.fullmatch(r"\d{1,14}", told) else _ms()


def _begin(request: HttpRequest, event: Event, problem: str = "", typed: dict[str, str] | None = None) -> HttpResponse:
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "race"), "problem": problem, "typed": typed or {},
        "races": event.races.order_by("-started_at"),
    }  # fmt: skip
    try:
        view = queries.race_view(event)
        context["plans"] = live_presenters.choices(view, cases.car_of(event))
    except ApexError as error:
        context["problem"] = problem or str(error)
    return render(request, "race/begin.html", context, status=422 if problem else 200)


@require_GET
def begin(request: HttpRequest, event_id: int) -> HttpResponse:
    """Choosing the plan to begin with; the race that is on, if one is."""
    event = event_for(request.user, event_id)
    on = event.races.filter(ended_at=None).last()
    return redirect("live_race", event.pk, on.pk) if on is not None else _begin(request, event)


@require_POST
def start(request: HttpRequest, event_id: int) -> HttpResponse:
    """Begins the race."""
    event = event_for(request.user, event_id)
    typed = {name: str(value)[:40] for name, value in request.POST.items()}
    try:
        threshold = read_number(typed.get("threshold") or "1", "s", "Change the plan for", 0.0, _MOST_THRESHOLD_S)
        view = queries.race_view(event)
        plans = {str(ranked.plan.stops): ranked.plan for ranked in view.by_stops}
        if typed.get("stops") not in plans:
            raise InputError("plan", typed.get("stops", ""), ", ".join(f"{stops} stops" for stops in sorted(plans)))
        race = live.start(event, view, plans[typed["stops"]], queries.driver_of(event), threshold, _at(request))
    except ApexError as error:
        return _begin(request, event, str(error), typed)
    return redirect("live_race", event.pk, race.pk)


def _race(request: HttpRequest, event_id: int, race_id: int) -> tuple[Event, LiveRace]:
    event = event_for(request.user, event_id)
    return event, owned_or_404(LiveRace, request.user, event=event, pk=race_id)


def _part(event: Event, race: LiveRace, follows: bool) -> dict[str, Any]:
    if timing.own_laps(race, _ms()) if race.own_car else live.take_from_logger(race):
        live.follow(race)
    now = live.now_of(race)
    return {"event": event, "race": race, "follows": follows, "view": live_presenters.live_view(now, cases.car_of(event), _ms())}


@require_GET
def page(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """The race on one screen; with `?follow=1` without keys, for a second phone."""
    event, race = _race(request, event_id, race_id)
    if race.ended_at is not None:  # a race that is over shows how it went
        return redirect("race_after", event.pk, race.pk)
    context = _part(event, race, "follow" in request.GET) | {"frame": frame(event, "race")}
    return render(request, "race/live.html", context)


@require_GET
def part(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """What changes on that screen."""
    event, race = _race(request, event_id, race_id)
    return render(request, "race/_live.html", _part(event, race, "follow" in request.GET))


@require_POST
def mark(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """Takes a mark: from the keys as JSON, from a form without scripts with the page."""
    event, race = _race(request, event_id, race_id)
    kind, key, sure = request.POST.get("kind", "")[:8], request.POST.get("key", "")[:40] or uuid4().hex, request.POST.get("sure", "")
    try:
        values = _typed(request, kind)
        if kind == "fuel" and values["litres"] is None:
            raise InputError("Fuel on board", "", "litres, such as 18.5")
        if sure == "two":
            live.add_missed(race, key, _at(request))
        elif not sure and (asked := live.doubt(race, kind, _at(request), values))[0]:
            return _answered(request, event, race, "", asked)
        else:
            live.add_mark(race, kind, key, _at(request), values)
        live.follow(race)
    except ApexError as error:
        return _answered(request, event, race, str(error))
    return _answered(request, event, race, "")


def _typed(request: HttpRequest, kind: str) -> dict[str, Any]:
    """What a mark's form tells, read.

    :raises InputError: naming the field
    """
    text = {name: request.POST.get(name, "").strip() for name in ("litres", "time", "value", "laps")}
    compound, _, age = request.POST.get("compound", "")[:90].partition("@")
    name, unit, low, high = live.NUMBERS.get(kind, ("value", "", -1e5, 1e5))
    return {
        "litres": read_typed(text["litres"], "l", "Fuel", 0.0, 500.0) if text["litres"] else None,
        "time_s": parse_lap(text["time"], "Lap time") if text["time"] else None,
        "value": read_number(text["value"], unit, name, low, high) if text["value"] else None,
        "laps": int(read_number(text["laps"], "", "Laps", -99.0, 200.0, whole=True)) if text["laps"] else 0,
        "car": request.POST.get("car", "").strip()[:12],
        "compound": compound,
        "age": int(read_number(age, "", "Laps of the set", 0.0, 200.0)) if age else 0,
    }


@require_POST
def correct(request: HttpRequest, event_id: int, race_id: int, number: int) -> HttpResponse:
    """Changes what was entered before, or takes it back."""
    event, race = _race(request, event_id, race_id)
    there = race.marks.filter(number=number, undone=False).first()
    try:
        values = None if "remove" in request.POST or there is None else _typed(request, there.kind)
        if live.correct(race, number, values) is None:
            raise InputError("entry", number, "one that is there")
        live.follow(race)
    except ApexError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"Entry {number} {'is taken back' if values is None else 'is corrected'}; the plan is worked out anew.")
    return redirect("race_entries", event.pk, race.pk)


@require_GET
def entries(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """What was entered, each of it to be corrected or taken back."""
    event, race = _race(request, event_id, race_id)
    return render(request, "race/entries.html", _part(event, race, False) | {"frame": frame(event, "race")})


@require_POST
def undo(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """Takes the last mark back."""
    event, race = _race(request, event_id, race_id)
    taken = live.undo(race, request.POST.get("key", "")[:40] or uuid4().hex)
    return _answered(request, event, race, "" if taken else "There is nothing to take back.")


def _answered(request: HttpRequest, event: Event, race: LiveRace, problem: str, asked: tuple[str, bool] = ("", False)) -> HttpResponse:
    if request.headers.get("Accept") == "application/json":
        return JsonResponse({"problem": problem, "asked": asked[0], "two": asked[1]})  # told on the page; not a fault of the request
    problem = problem or (f"{asked[0]} If so, type its time." if asked[0] else "")
    if problem:
        messages.error(request, problem)
    return redirect("race_rivals" if request.POST.get("back") == "rivals" else "live_race", event.pk, race.pk)


@require_POST
def end(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """Ends the race."""
    event, race = _race(request, event_id, race_id)
    live.end(race)
    return redirect("race_after", event.pk, race.pk)


@require_GET
def afterwards(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """Planned against driven."""
    event, race = _race(request, event_id, race_id)
    found = after.compared(live.now_of(race))
    context = {
        "event": event, "frame": frame(event, "race"), "race": race, "view": live_presenters.after_view(found, cases.car_of(event)),
        "kept": after.kept_runs(race), "picture": after_picture(found), "parts": part_bars(found), "gap_s": found.gap_s,
    }  # fmt: skip
    return render(request, "race/after.html", context)


@require_POST
def keep_runs(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """Puts the laps of the race into the logbook, a run for each stint."""
    event, race = _race(request, event_id, race_id)
    try:
        count = after.keep_as_runs(race)
    except ApexError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{count} run{'s' if count != 1 else ''} in the logbook: the next plan knows these laps.")
    return redirect("race_after", event.pk, race.pk)
