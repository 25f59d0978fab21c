"""The braking-point trainer."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apextrim.accounts.owned import asked_for
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.runs import recorded
from apextrim.runs.actions import send_virtual_driver
from apextrim.runs.models import Run
from apextrim.sheets.queries import sheet_in_car

from . import asked, trainer
from .models import TrainedMark
from .trainer_presenters import lessons

#: Laps of a turn that the virtual driver drives, out- and in-lap included, and fuel on board beyond what they take [-, l].
_LAPS, _MORE_L = 7, 3.0
#: Runs offered whose samples can be read: the newest.
_MOST_RUNS = 20


def _page(request: HttpRequest, event: Event, problems: list[str] | None = None, typed: dict[str, str] | None = None) -> HttpResponse:
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap"), "problems": problems or []}
    try:
        rows = lessons(trainer.students(event, asked.shown_case(event)))
        context["rows"] = [(row, *_typed(row.student.number, typed)) for row in rows]
        context["others"] = any(row.student.others for row in rows)
    except ApexError as error:
        context["problem"] = str(error)
    context |= {
        "sheet": sheet_in_car(event), "last_turn": trainer.last_turn(event), "feelings": trainer.KEYS.items(),
        "runs": event.runs.filter(deleted_at=None, pk__in=recorded.has_samples(event.pk)).order_by("-number")[:_MOST_RUNS],
    }  # fmt: skip
    context["asks_runoff"] = event.real_car and not context["last_turn"] and not problems and "runoff" not in request.GET
    return render(request, "lap/trainer.html", context, status=422 if problems else 200)


def _typed(number: int, typed: dict[str, str] | None) -> tuple[str, str]:
    """Mark and feeling of a corner as they were typed."""
    return (typed or {}).get(f"mark_{number}", ""), (typed or {}).get(f"felt_{number}", "")


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """Marks for the next turn, corner by corner."""
    return _page(request, event_for(request.user, event_id))


@require_POST
def felt(request: HttpRequest, event_id: int) -> HttpResponse:
    """A turn as it felt: corners without a feeling were not tried."""
    event = event_for(request.user, event_id)
    typed = {key: str(value)[:80] for key, value in request.POST.items() if key.startswith(("mark_", "felt_"))}
    told, problems = [], []
    try:
        for student in trainer.students(event, asked.shown_case(event)):
            mark, feeling = _typed(student.number, typed)
            if not feeling.strip():
                continue
            try:
                told.append(trainer.felt(student, mark, feeling))
            except ApexError as error:
                problems.append(str(error))
    except ApexError as error:
        problems.append(str(error))
    if not told and not problems:
        problems = ["Say for at least one corner how it felt: early, good or late."]
    if problems:
        return _page(request, event, problems, typed)
    turn = trainer.add_turn(event, told)
    messages.success(request, f"Turn {turn}: {len(told)} corner{'s' if len(told) != 1 else ''} told. The next marks are below.")
    return redirect("trainer", event.pk)


@require_POST
def read(request: HttpRequest, event_id: int) -> HttpResponse:
    """A turn as the samples of a run have it."""
    event = event_for(request.user, event_id)
    run = asked_for(event.runs.filter(deleted_at=None), request.POST.get("run", ""))
    if run is None:
        return _page(request, event, ["Choose a run of this event whose samples are to be read."])
    return _read(request, event, run)


def _read(request: HttpRequest, event: Event, run: Run) -> HttpResponse:
    if TrainedMark.objects.filter(event=event, run=run).exists():
        return _page(request, event, [f"{run.name} was read already."])
    try:
        told = trainer.from_samples(event, run, trainer.students(event, asked.shown_case(event)))
    except ApexError as error:
        return _page(request, event, [f"{run.name}: {error}"])
    if not told:
        return _page(request, event, [f"{run.name}: its samples show no corner on a lap between out- and in-lap."])
    turn = trainer.add_turn(event, told, run)
    messages.success(request, f"Turn {turn}: {run.name}, {len(told)} corner{'s' if len(told) != 1 else ''} read. The next marks are below.")
    return redirect("trainer", event.pk)


@require_POST
def drive(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sends the virtual driver out with the next marks, and reads its samples."""
    event = event_for(request.user, event_id)
    sheet = sheet_in_car(event)
    if sheet is None:
        return _page(request, event, ["Save a sheet on the Sheet bench first: a run is driven with a sheet."])
    try:
        wanted = trainer.students(event, asked.shown_case(event))
        if not wanted:
            return _page(request, event, ["No corner here is braked for."])
        car = cases.car_of(event)
        first = car.tyres.compounds[0].key
        fuel = min(car.tank_l, _LAPS * wanted[0].desk.desk.lap.fuel_l * 1.15 + _MORE_L)
        values = {
            "sheet": sheet, "session": event.session, "front": first, "rear": first, "tyre_age": 0, "fuel_l": round(fuel, 1),
            "note": "braking-point trainer",
        }  # fmt: skip
        run = send_virtual_driver(event, values, _LAPS, marks={student.number: student.next_m for student in wanted})
    except ApexError as error:
        return _page(request, event, [str(error)])
    return _read(request, event, run)


@require_POST
def anew(request: HttpRequest, event_id: int) -> HttpResponse:
    """Conditions are others: what was learnt counts less, and the next marks begin farther back."""
    event = event_for(request.user, event_id)
    try:
        told = trainer.anew(trainer.students(event, asked.shown_case(event)))
    except ApexError as error:
        return _page(request, event, [str(error)])
    if not told:
        return _page(request, event, ["Nothing was learnt since conditions changed last."])
    turn = trainer.add_turn(event, told)
    messages.success(request, f"Turn {turn}: other conditions. The next marks begin farther back.")
    return redirect("trainer", event.pk)


@require_POST
def back(request: HttpRequest, event_id: int) -> HttpResponse:
    """Takes the last turn back."""
    event = event_for(request.user, event_id)
    turn = trainer.take_turn_back(event)
    messages.success(request, f"Turn {turn} is taken back." if turn else "There is no turn to take back.")
    return redirect("trainer", event.pk)
