"""Work on a sheet beside the requests: a search, and steps on lines of their own."""

from typing import cast

from django.urls import reverse
from django.utils import timezone

from apexcore.trim.moves.class_search import class_search, movable
from apexcore.trim.moves.own_lines import OnOwnLine, effects_on_own_lines
from apexcore.trim.moves.search import AIM_WORDS, AimKey, Found, Limits, search
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.facts import class_limits_of
from apextrim.events.models import Event
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers, cases
from apextrim.work import queue
from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job

from . import own_lines
from .class_presenters import stored
from .models import OwnLines, Search

#: Rows of one event with steps on lines of their own that are kept: the newest.
_KEPT_ROWS = 6


@work_of("search")
def run(job: Job, line: Line) -> Done:
    """Works a search off; what it found stands in its row."""
    row = Search.objects.select_related("event__car", "event__circuit", "sheet").get(job=job)
    car, of_class = cases.car_of(row.event), class_limits_of(row.event)
    case = cases.case_of(row.event, CoreSheet(car.key, row.sheet.values))
    if row.options.get("of_class"):
        chosen = class_search(
            case.lap_case(), case.sheet(), of_class,
            cast(AimKey, row.aim), row.options["laps"], line.progress, line.stopped, case.spans(), answers.bumps_of(case),
        )  # fmt: skip
        Search.objects.filter(pk=row.pk).update(result=stored(chosen, movable(car)))
        return Done(address=reverse("search", args=[row.event_id, row.pk]), stopped=not chosen.finished)
    items = [item for item in car.items if item.key in row.options["items"]]
    eased = frozenset(row.options.get("eased", ()))
    limits = Limits(row.options["top_ms"], row.options["entry_pct"], row.options["work"], of_class, eased)
    found = search(
        case.lap_case(), case.spans(), case.sheet(), items, cast(AimKey, row.aim), limits, row.options["laps"], line.progress,
        line.stopped, answers.bumps_of(case),
    )  # fmt: skip
    Search.objects.filter(pk=row.pk).update(result=_result(found))
    return Done(address=reverse("search", args=[row.event_id, row.pk]), stopped=not found.finished)


def _result(found: Found) -> dict[str, object]:
    return {
        "changes": [[change.item.key, change.steps, change.value, change.gain_s] for change in found.changes],
        "before": [found.before.cost_s, found.before.lap_s, found.before.top_ms],
        "after": [found.after.cost_s, found.after.lap_s, found.after.top_ms],
        "prices": [list(price) for price in found.prices], "excess": found.after.excess,
        "trade": [list(spot) for spot in found.trade], "tried": found.tried,
    }  # fmt: skip


def ask(row: Search) -> Search:
    """Asks for a search.

    :param row: not yet kept
    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    what = "ballast and restrictor" if row.options.get("of_class") else "search"
    words = f"{row.event.name}: {what} from {row.sheet.name} for {AIM_WORDS[cast(AimKey, row.aim)]}"

    def keep(job: Job) -> None:
        row.job = job
        row.save()

    queue.ask(row.event.owner, "search", words, {}, with_it=keep)
    return row


def ask_own_lines(event: Event, sheet: CoreSheet, address: str) -> OwnLines:
    """Asks for the effects of a sheet on lines of their own; what is found already, or under way, is not asked for again.

    :param address: of the page that shows them
    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    row = own_lines.found_for(event, sheet)
    if row is not None and ((row.job is not None and row.job.is_open) or len(row.effects_s) == row.asked):
        return row
    case, count = cases.case_of(event, sheet), len(own_lines.moves_of(event, sheet))

    def keep(job: Job) -> None:
        nonlocal row
        fresh = {"values": sheet.values, "asked": count, "job": job, "made_at": timezone.now()}
        row, _ = OwnLines.objects.update_or_create(event=event, made_from=own_lines.made_from(case), defaults=fresh)
        rows = OwnLines.objects.filter(event=event)
        rows.exclude(pk__in=list(rows.values_list("pk", flat=True)[:_KEPT_ROWS])).delete()

    queue.ask(event.owner, "own_lines", f"{event.name}: each step on its own line", {"address": address}, with_it=keep)
    assert row is not None
    return row


@work_of("own_lines", lane="devices")
def find_own_lines(job: Job, line: Line) -> Done:
    """Finds the effects; each is kept as it is found, so that the page shows it."""
    row = OwnLines.objects.select_related("event__car", "event__circuit").filter(job=job).first()
    if row is None:
        return Done(["Newer sheets were asked for since: this one is kept no more."], job.arguments["address"])
    sheet = CoreSheet(cases.car_of(row.event).key, row.values)
    case = cases.case_of(row.event, sheet)
    if own_lines.made_from(case) != row.made_from:
        return Done(["The event has changed since: ask again for each step on its own line."], job.arguments["address"])
    # those that a stopped search left first; all are driven again, since every line is tried on every step
    known = frozenset(row.effects_s)
    moves = sorted(own_lines.moves_of(row.event, sheet), key=lambda move: own_lines.step_key(move[0].key, move[1]) in known)

    def keep(one: OnOwnLine) -> None:
        apart = None if one.disagree_s is None else round(one.disagree_s, 6)
        row.effects_s[own_lines.step_key(one.item.key, one.steps)] = [round(one.lap_s, 6), apart]
        OwnLines.objects.filter(pk=row.pk, job=job).update(effects_s=row.effects_s)
        line.progress(len(row.effects_s) / max(row.asked, 1))

    circuit = parsed_circuit(row.event.circuit.data)
    effects_on_own_lines(circuit, case.lap_case(), sheet, moves, keep, line.stopped, case.other_lines())
    if line.stopped():
        return Done([f"Stopped: {len(row.effects_s)} of {row.asked} steps are kept."], job.arguments["address"], stopped=True)
    OwnLines.objects.filter(pk=row.pk).update(asked=len(row.effects_s))  # a step that no car can drive is not found at all
    return Done([f"{len(row.effects_s)} steps, each on its own line."], job.arguments["address"])
