"""Searches for lines as pieces of work beside the requests: the quickest, and those under a wish for one corner."""

from collections.abc import Callable
from contextlib import suppress
from typing import Any

from django.conf import settings
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from apexcore.errors import ApexError
from apexcore.lap.wishes import Asked, asked_for
from apexcore.trim.moves.pool import found_pool
from apextrim.events.models import Event
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import cases
from apextrim.sheets.queries import core_base_sheet
from apextrim.work import queue
from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job
from apextrim.work.queue import TooMuchWork

from . import asked, lines
from .models import AskedLine, FoundLine


@work_of("line", lane="devices")
def find_line(job: Job, line: Line) -> Done:
    """Finds the quickest lines of the car, its base sheet and the day; every bench stands on them from then on."""
    event = Event.objects.select_related("car", "circuit").get(pk=job.arguments["event"], owner_id=job.owner_id)

    def told(share: float) -> bool:
        line.progress(share)
        return line.stopped()

    address, row = reverse("lap_bench", args=[event.pk]), find(event, told)
    if row is None:
        return Done(["Stopped: no line was kept."], address, stopped=True)
    if lines.text_of(row) != Event.objects.get(pk=event.pk).line:
        return Done(["A quickest line was found, but the day, the car or the circuit has changed since."], address)
    gain = row.before_s - row.time_s
    words = "No quicker line than that of least curvature was found."
    if gain > 0.005:
        words = f"The quickest line is {gain:.2f} s a lap quicker than the line of least curvature."
    return Done([f"{words} Every bench uses it now."], address)


def find(event: Event, told: Callable[[float], bool] = lambda _: False) -> FoundLine | None:
    """Finds the lines of the day, keeps them, and makes the benches stand on them unless the day has changed meanwhile.

    :param told: is told the share done, and answers whether to stop
    :returns: None where it was stopped
    :raises SolverError: if the car cannot take the circuit
    """
    digest, circuit = lines.made_from(event), parsed_circuit(event.circuit.data)
    found = found_pool(circuit, cases.lap_case_of(event), core_base_sheet(event), told=told)
    if told(1.0):
        return None
    row = lines.keep(event, digest, found, timezone.now())
    now = Event.objects.select_related("car", "circuit").get(pk=event.pk)
    if lines.made_from(now) == digest or not now.line:
        lines.stand_on(now, row)
        event.line = now.line
    return row


def _jobs(event: Event) -> list[Job]:
    """The jobs that found or find lines of an event, the newest first."""
    jobs = Job.objects.filter(owner_id=event.owner_id, kind="line").defer("data").order_by("-pk")
    return [job for job in jobs if job.arguments.get("event") == event.pk]


def under_way(event: Event) -> Job | None:
    """The job that finds a line of this event now, if there is one."""
    return next((job for job in _jobs(event) if job.is_open), None)


def ensure(event: Event) -> FoundLine | None:
    """The lines of today, on which the benches then stand; where they are still to be found they are asked for, but not again where that
    was stopped or failed."""
    row = lines.of_today(event)
    if row is not None:
        if lines.text_of(row) != event.line:
            lines.stand_on(event, row)
        return row
    if settings.FIND_LINES and _may_ask(event):
        with suppress(TooMuchWork), transaction.atomic():  # two windows ask once
            if _may_ask(event):
                ask(event)
    return None


def _may_ask(event: Event) -> bool:
    """Whether nothing finds the event's lines now, and nothing has tried to find those of today in vain."""
    digest = lines.made_from(event)
    in_vain = ("stopped", "failed")
    return not any(job.is_open or (job.state in in_vain and job.arguments.get("made_from") == digest) for job in _jobs(event))


def ask(event: Event) -> Job:
    """Asks for the quickest lines of the day.

    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    told = {"event": event.pk, "made_from": lines.made_from(event)}
    return queue.ask(event.owner, "line", f"{event.name}: the quickest line", told)


def ask_line(event: Event, corner: int, key: str) -> AskedLine:
    """Asks for the line of the sheet in the car under a wish; one that is there or under way is not asked for again.

    :param key: of `asked.wish_of`
    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    digest = asked.made_from(asked.shown_case(event), corner, key)
    row = AskedLine.objects.select_related("job").filter(event=event, made_from=digest).first()
    if row is not None and (row.offsets_m or (row.job is not None and row.job.is_open)):
        return row

    def keep(job: Job) -> None:
        nonlocal row
        fresh = {"corner": corner, "wish": key, "job": job, "problem": "", "made_at": timezone.now()}
        row, _ = AskedLine.objects.update_or_create(event=event, made_from=digest, defaults=fresh)
        rows = AskedLine.objects.filter(event=event)
        rows.exclude(pk__in=list(rows.values_list("pk", flat=True)[: asked.KEPT])).delete()

    words = f"{event.name}: corner {corner}, {asked.words_of(key, parsed_circuit(event.circuit.data).lanes)}"
    queue.ask(event.owner, "asked_line", words, {}, with_it=keep)
    assert row is not None
    return row


@work_of("asked_line")
def make_line(job: Job, line: Line) -> Done:
    """Makes the line of least time under a wish."""
    row = AskedLine.objects.select_related("event__car", "event__circuit").filter(job=job).first()
    if row is None:
        return Done(["Newer lines were asked for since: this one is kept no more."])
    event, address = row.event, f"{reverse('corner', args=[row.event_id, row.corner])}?line={row.pk}#lines"
    case, wish = asked.shown_case(event), asked.wish_of(row.wish, row.corner)
    free = asked.free_of(case)
    if free is None or wish is None or asked.made_from(case, row.corner, row.wish) != row.made_from:
        return Done(["The event has changed since: ask for the line again."], address)

    def told(share: float) -> bool:
        line.progress(share)
        return line.stopped()

    try:
        found = asked_for(parsed_circuit(case.circuit), case.lap_case(), case.sheet(), free, [wish], told)
    except ApexError as error:
        AskedLine.objects.filter(pk=row.pk).update(problem=str(error))
        return Done([str(error)], address)
    if line.stopped():
        return Done(["Stopped: no line was kept."], address, stopped=True)
    AskedLine.objects.filter(pk=row.pk, job=job).update(offsets_m=_offsets(found), figures=asked.figures(found))
    cost = found.asked.time_s - found.free.time_s
    words = asked.words_of(row.wish, parsed_circuit(case.circuit).lanes)
    return Done([f"Corner {row.corner}, {words}: {cost:+.2f} s to the end of the next straight."], address)


def _offsets(found: Asked) -> list[float]:
    """A line as a row has it."""
    return [round(float(value), 6) for value in found.line.offset]


def ask_all_lines(event: Event) -> Job:
    """Asks for the lines of every corner, early to wide; those that are there are not made again.

    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    return queue.ask(event.owner, "asked_lines", f"{event.name}: the lines of every corner", {"event": event.pk})


@work_of("asked_lines", lane="devices")
def make_all_lines(job: Job, line: Line) -> Done:
    """Makes the lines of least time under each wish and in each groove of each corner, one after another; what is made stays."""
    event = Event.objects.select_related("car", "circuit").get(pk=job.arguments["event"], owner_id=job.owner_id)
    address, case = f"{reverse('lap_costs', args=[event.pk])}#ways", asked.shown_case(event)
    free, circuit, made = asked.free_of(case), parsed_circuit(case.circuit), 0
    if free is None:
        return Done(["These need the quickest line first: find it on the Lap bench."], address)
    wanted = [
        (span, offer)
        for span in case.spans()
        for offer in asked.offers(event, case, span)
        if offer.key in asked.PLAIN or offer.key.startswith("lane-")
    ]
    for count, (span, offer) in enumerate(wanted):
        line.progress(count / len(wanted))
        wish = asked.wish_of(offer.key, span.number)
        if (offer.row is not None and (offer.row.offsets_m or offer.row.problem)) or wish is None:
            continue
        fresh: dict[str, Any] = {"corner": span.number, "wish": offer.key, "job": None, "problem": "", "made_at": timezone.now()}
        try:
            found = asked_for(circuit, case.lap_case(), case.sheet(), free, [wish], lambda _: line.stopped())
            fresh |= {"offsets_m": _offsets(found), "figures": asked.figures(found)}
        except ApexError as error:
            fresh["problem"] = str(error)
        if line.stopped():
            return Done([f"Stopped: {made} lines were made."], address, stopped=True)
        AskedLine.objects.update_or_create(event=event, made_from=asked.made_from(case, span.number, offer.key), defaults=fresh)
        made += not fresh["problem"]
    return Done([f"{made} line{'s' if made != 1 else ''} made for {len(case.spans())} corners."], address)
