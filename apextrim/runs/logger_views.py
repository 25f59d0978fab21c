"""The logger's door, and the page on which its laps arrive."""

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, FileRejected
from apexcore.formats.logger import Sent, are_samples, read_csv_laps, read_csv_samples, read_json_lines
from apexcore.judge.laps import figures
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.sheets.queries import sheet_in_car
from apextrim.ui.faults import answered_when_busy
from apextrim.ui.uploads import problems_of
from apextrim.work import queue
from apextrim.work.queue import TooMuchWork

from . import logger, presenters, queries, recorded
from .models import LoggerKey


def _answer(status: int, **content: Any) -> JsonResponse:
    return JsonResponse(content, status=status)


@csrf_exempt  # a logger has no session; its token stands for it
@login_not_required
@require_POST
@answered_when_busy
def take(request: HttpRequest) -> HttpResponse:
    """Takes JSON lines, or laps or samples as CSV for the run named in `?run=`; all of a message or none of it."""
    try:
        key = logger.let_in(request.headers.get("Authorization", ""))
        sent = _read(request)
        taken = logger.take(key, sent)
    except logger.NotLetIn as error:
        return _answer(error.status, problems=[str(error)])
    except ApexError as error:
        return _answer(422, problems=problems_of(error))
    content: dict[str, Any] = {
        "laps": taken.laps, "samples": taken.samples, "passed_over": taken.passed_over, "runs": taken.runs, "notes": taken.notes,
    }  # fmt: skip
    if sent.cut is not None:
        content["send_again_from_line"] = sent.cut
    return _answer(200, **content)


def _read(request: HttpRequest) -> Sent:
    if request.content_type == "text/csv":
        run = request.GET.get("run", "")
        if not run:
            raise FileRejected(["run: the name of the run is missing; expected ?run=NAME for CSV."])
        return read_csv_samples(request.body, run) if are_samples(request.body) else read_csv_laps(request.body, run)
    return read_json_lines(request.body)


def _live(event: Event) -> dict[str, Any]:
    run = queries.runs_of(event).exclude(logger=None).order_by("-number").first()
    context: dict[str, Any] = {"event": event, "run": run}
    if run is not None:
        laps = queries.driven(run.laps.all())
        found = figures(laps)
        context |= {"laps": laps[::-1], "figures": found, "picture": presenters.lap_picture(laps, found.median_s), "now": timezone.now()}
    return context


@require_GET
def live(request: HttpRequest, event_id: int) -> HttpResponse:
    """Laps as they arrive, and the keys with which loggers sign in."""
    event = event_for(request.user, event_id)
    token = request.session.pop("logger_token", "")
    context = {**_live(event), "frame": frame(event, "runs"), "keys": event.logger_keys.all(), "token": token}
    return render(request, "runs/live.html", {**context, "has_sheet": sheet_in_car(event) is not None})


@require_GET
def live_part(request: HttpRequest, event_id: int) -> HttpResponse:
    """The part of the page that is asked for again while laps arrive."""
    return render(request, "runs/_live.html", _live(event_for(request.user, event_id)))


@require_POST
def make_key(request: HttpRequest, event_id: int) -> HttpResponse:
    """Makes a key; its token is shown once."""
    event = event_for(request.user, event_id)
    _, token = logger.make_key(event, request.POST.get("name", "").strip()[:40], "keep_samples" in request.POST)
    request.session["logger_token"] = token
    return redirect("live", event.pk)


@require_POST
def withdraw(request: HttpRequest, event_id: int, key_id: int) -> HttpResponse:
    """Lets a logger in no longer."""
    event = event_for(request.user, event_id)
    key = owned_or_404(LoggerKey, request.user, event=event, pk=key_id)
    logger.withdraw_key(key)
    messages.success(request, f"{key.name} is revoked. Laps it sent are kept.")
    return redirect("live", event.pk)


@require_POST
def close(request: HttpRequest, event_id: int) -> HttpResponse:
    """Closes runs whose logger will not come back."""
    event = event_for(request.user, event_id)
    recorded.build_all(logger.close_open(event))
    return redirect("live", event.pk)


@require_POST
def simulate(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sends the simulated logger, pyrometer and weather station out with the sheet in the car."""
    event = event_for(request.user, event_id)
    sheet = sheet_in_car(event)
    if sheet is None:
        messages.error(request, "No sheet is in the car; save one on the Sheet bench first.")
        return redirect("live", event.pk)
    key, _ = logger.make_key(event, "simulated logger")
    asked = {"key": key.pk, "sheet": sheet.pk, "next": 0}
    try:
        queue.ask(event.owner, "logger", f"{event.name}: simulated logger", asked)
    except TooMuchWork as error:
        logger.withdraw_key(key)
        messages.error(request, str(error))
    return redirect("live", event.pk)
