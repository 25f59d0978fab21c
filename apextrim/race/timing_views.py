"""The timing service's door, and the page of the other cars."""

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, InputError
from apexcore.formats.timing import MOST_NAME, read_timing
from apextrim.accounts.owned import owned_or_404
from apextrim.events.queries import event_for, frame
from apextrim.runs.logger import NotLetIn, let_in, make_key
from apextrim.ui.faults import answered_when_busy
from apextrim.ui.uploads import problems_of
from apextrim.work import queue
from apextrim.work.queue import TooMuchWork

from . import live, timing
from .models import LiveRace
from .rival_presenters import rivals_view
from .tasks import OWN_CAR


@csrf_exempt  # a timing service has no session; its token stands for it
@login_not_required
@require_POST
@answered_when_busy
def take(request: HttpRequest) -> HttpResponse:
    """Takes crossings as CSV for the race that is on at the event of the token; all of a message or none of it."""
    try:
        key = let_in(request.headers.get("Authorization", ""))
        race = key.event.races.filter(ended_at=None).last()
        if race is None:
            return JsonResponse({"problems": ["race: none is on at this event; expected one that is begun in race mode."]}, status=409)
        taken = timing.take(race, read_timing(request.body))
    except NotLetIn as error:
        return JsonResponse({"problems": [str(error)]}, status=error.status)
    except ApexError as error:
        return JsonResponse({"problems": problems_of(error)}, status=422)
    return JsonResponse({**vars(taken), "own_car": race.own_car})


def _view(race: LiveRace) -> dict[str, Any]:
    return {"rivals": rivals_view(live.now_of(race))}


@require_GET
def page(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """The other cars: gaps, who comes out ahead, and what timing is connected."""
    event = event_for(request.user, event_id)
    race = owned_or_404(LiveRace, request.user, event=event, pk=race_id)
    cars = sorted(set(race.timing.values_list("car", flat=True)))
    context = {"event": event, "race": race, "frame": frame(event, "race"), "cars": cars, "token": request.session.pop("timing_token", "")}
    return render(request, "race/rivals.html", {**context, **_view(race)})


@require_GET
def part(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """What changes on that page."""
    event = event_for(request.user, event_id)
    race = owned_or_404(LiveRace, request.user, event=event, pk=race_id)
    return render(request, "race/_rivals.html", {"event": event, "race": race, **_view(race)})


@require_POST
def connect(request: HttpRequest, event_id: int, race_id: int) -> HttpResponse:
    """Names one's own car in the timing, or makes the token for a timing service."""
    event = event_for(request.user, event_id)
    race = owned_or_404(LiveRace, request.user, event=event, pk=race_id)
    try:
        if "token" in request.POST:
            request.session["timing_token"] = make_key(event, "timing")[1]
            return redirect("race_rivals", event.pk, race.pk)
        name = request.POST.get("own_car", "").strip()
        if len(name) > MOST_NAME:
            raise InputError("Our car", name[:40], f"at most {MOST_NAME} characters")
        live.name_own_car(race, name)
        if "simulate" in request.POST:
            if not name:
                live.name_own_car(race, OWN_CAR)
            queue.ask(event.owner, "timing", f"{event.name}: simulated timing", {"race": race.pk, "next": 0})
    except TooMuchWork as error:
        messages.error(request, str(error))
    except ApexError as error:
        messages.error(request, str(error))
    return redirect("race_rivals", event.pk, race.pk)
