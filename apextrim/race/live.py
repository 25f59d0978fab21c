"""A race as it is driven: taking marks, and what they come to."""

import time
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from apexcore.errors import InputError
from apexcore.formats.race_file import MarkFile, PlanValue, SetupFile
from apexcore.race.live import Advice, Happened, Mark, SafetyAdvice, Setup, advise, happened, rules_now, under_safety_car
from apexcore.race.plans import Plan
from apexcore.race.rules import RaceRules
from apexcore.race.weather import WET
from apextrim.events.models import Event
from apextrim.events.thread import tie
from apextrim.library.caches import MB, kept_within
from apextrim.runs.models import Lap, Run

from .models import LiveRace, RaceMark
from .queries import Known, RaceView

KINDS = ("lap", "pit", "fuel", "safety", "green", "wet", "dry")
#: A lap that is shorter than this share of the plan's was entered twice; one that is longer than so many of them was missed.
_TWICE, _SILENT = 0.4, 1.6
#: Marks that one race holds.
_MOST_MARKS = 5000


@dataclass(frozen=True)
class Now:
    """A race at this moment.

    :param rules: with the laps that it comes to
    :param following: the plan that is followed
    :param said: the last change of plan in one sentence, and the lap on which it was made
    """

    race: LiveRace
    setup: Setup
    rules: RaceRules
    marks: list[RaceMark]
    state: Happened
    following: Plan
    advice: Advice
    safety: SafetyAdvice | None
    said: str


@transaction.atomic
def start(
    event: Event, view: RaceView, plan: Plan, known: Known, threshold_s: float, at_ms: int, at: datetime | None = None
) -> LiveRace:  # fmt: skip
    """Begins a race with a plan; one that was still on is ended."""
    event.races.filter(ended_at=None).update(ended_at=at or timezone.now())
    setup = Setup(view.rules, view.pace.pace, plan, known.scatter_s, view.rules.around.safety_pit)
    row = LiveRace.objects.create(
        event=event, setup=SetupFile.of(setup).model_dump(mode="json"), threshold_s=threshold_s, started_ms=at_ms,
        started_at=at or timezone.now(),
    )  # fmt: skip
    tie(event, "brief", "Race", f"Race begun: {plan.stops} stop{'s' if plan.stops != 1 else ''} planned", at=at)
    return row


def setup_of(race: LiveRace) -> Setup:
    """What a race began with."""
    return SetupFile.model_validate(race.setup).setup()


def marks_of(race: LiveRace) -> list[RaceMark]:
    """The marks that count, in order."""
    return list(race.marks.filter(undone=False))


def _core(marks: list[RaceMark]) -> tuple[Mark, ...]:
    return tuple(Mark(mark.kind, mark.time_s, mark.litres, mark.compound) for mark in marks)


@kept_within(4 * MB)
def _advised(setup: Setup, marks: tuple[Mark, ...], following: Plan, threshold_s: float) -> tuple[Advice, SafetyAdvice | None]:
    state = happened(setup, marks)
    return advise(setup, state, following, threshold_s), under_safety_car(setup, state) if state.safety else None


def now_of(race: LiveRace) -> Now:
    """A race at this moment."""
    setup, marks = setup_of(race), marks_of(race)
    state = happened(setup, _core(marks))
    following, said = _followed(race, setup)
    advice, safety = _advised(setup, _core(marks), following, race.threshold_s)
    return Now(race, setup, rules_now(setup, state), marks, state, following, advice, safety, said)


def _followed(race: LiveRace, setup: Setup) -> tuple[Plan, str]:
    if not race.followed:
        return setup.plan, ""
    _, plan, said = race.followed[-1]
    return PlanValue.model_validate(plan).plan(), said


@transaction.atomic
def add_mark(race: LiveRace, kind: str, key: str, at_ms: int, values: dict[str, Any]) -> RaceMark:
    """Takes a mark, once.

    :param key: what the browser or logger calls it
    :param at_ms: when it happened, by the clock of who made it [ms]
    :param values: `time_s`, `litres`, `compound`, `logger_lap` where they are told
    :raises InputError: where the race is over, or a lap was entered twice
    """
    there = race.marks.filter(key=key).first()
    if there is not None:
        return there
    if kind not in KINDS:
        raise InputError("mark", kind, ", ".join(KINDS))
    if race.ended_at is not None:
        raise InputError("race", "ended", "one that is on; start it again to go on")
    setup, marks = setup_of(race), marks_of(race)
    state = happened(setup, _core(marks))
    laps = rules_now(setup, state).laps
    compound = str(values.get("compound") or "")
    if compound and compound not in {WET, *(tyre.key for tyre in setup.pace.tyres)}:
        raise InputError("tyres", compound, ", ".join(tyre.key for tyre in setup.pace.tyres))
    time_s = values.get("time_s")
    if kind == "lap":
        if len(state.times_s) >= laps:
            raise InputError("lap", len(state.times_s) + 1, f"at most {laps}: the race is over")
        if time_s is None:
            time_s = _since(race, marks, at_ms)
            if time_s is not None and time_s < _TWICE * setup.pace.lap_s:
                raise InputError("lap", f"{time_s:.1f} s after the last", f"at least {_TWICE * setup.pace.lap_s:.0f} s; not counted")
    last = race.marks.aggregate(last=Max("number"))["last"] or 0
    if last >= _MOST_MARKS:
        raise InputError("marks", last + 1, f"at most {_MOST_MARKS} in a race")
    told = MarkFile(kind=kind, time_s=time_s, litres=values.get("litres"), compound=compound, at_ms=max(at_ms, 0))
    row = RaceMark.objects.create(race=race, number=last + 1, key=key[:40], logger_lap=values.get("logger_lap"), **vars(told))
    return row


def _since(race: LiveRace, marks: list[RaceMark], at_ms: int) -> float | None:
    """Time since the last lap ended, or the race began [s]; None where the clock was set back, or a lap's end was missed."""
    last = next((mark.at_ms for mark in reversed(marks) if mark.kind == "lap"), race.started_ms)
    since = (at_ms - last) / 1000.0
    return since if 0.0 < since < 3600.0 else None


def follow(race: LiveRace) -> None:
    """Takes over another plan where it is worth more than the threshold, and keeps what is said of it."""
    now = now_of(race)
    if now.advice.changed and now.advice.plan is not None:
        said = change_words(now, now.advice)
        last = now.marks[-1].number if now.marks else 0
        race.followed = [*race.followed, [last, PlanValue.of(now.advice.plan).model_dump(mode="json"), said]][-200:]
        race.save(update_fields=["followed"])


def change_words(now: Now, advice: Advice) -> str:
    """What changes, in one sentence."""
    plan, lap = advice.plan, now.state.standing.laps_done
    if plan is None:
        return ""
    if advice.due:
        what = "Pit now"
    elif not plan.stops:
        what = "No further stop"
    else:
        before = next((stint.last_lap for stint in now.following.stints[:-1] if stint.last_lap > lap), None)
        stop = plan.stints[0].last_lap
        what = f"Next stop at the end of lap {stop}"
        if before is not None and before != stop:
            what += f" instead of {before}"
        if plan.stops > 1:
            what += f", {plan.stops} in all"
    if advice.gain_s is None:
        why = "the plan before can no longer be driven"
    else:
        why = f"worth {advice.gain_s:.1f} s"
    return f"After lap {lap}: {what[0].lower()}{what[1:]}, {why}."


@transaction.atomic
def undo(race: LiveRace, key: str) -> RaceMark | None:
    """Takes the last mark back, with the plan that was taken after it; once for each key. None where there is none."""
    there = race.marks.filter(undone_by=key).first()
    if there is not None:
        return there
    mark = race.marks.filter(undone=False).last()
    if mark is None:
        return None
    mark.undone, mark.undone_by = True, key
    mark.save(update_fields=["undone", "undone_by"])
    race.followed = [entry for entry in race.followed if entry[0] < mark.number]
    race.save(update_fields=["followed"])
    return mark


def end(race: LiveRace, at: datetime | None = None) -> None:
    """Ends a race."""
    race.ended_at = at or timezone.now()
    race.save(update_fields=["ended_at"])


def take_from_logger(race: LiveRace) -> int:
    """Laps that a logger sent since the race began, as marks: a lap that a key had told already only gets its time."""
    if race.ended_at is not None:
        return 0
    taken = set(race.marks.exclude(logger_lap=None).values_list("logger_lap", flat=True))
    runs = Run.objects.filter(event=race.event, deleted_at=None, made_at__gte=race.started_at).exclude(logger=None)
    fresh = [lap for lap in Lap.objects.filter(run__in=runs).order_by("run__number", "number") if lap.pk not in taken]
    count = 0
    for lap in fresh:
        count += _one_from_logger(race, lap)
    return count


def _one_from_logger(race: LiveRace, lap: Lap) -> int:
    at_ms = int(time.time() * 1000)
    near = 1000.0 * _TWICE * lap.time_s
    keyed = race.marks.filter(undone=False, kind="lap", logger_lap=None, at_ms__gte=at_ms - near).last()
    if keyed is not None:
        keyed.time_s, keyed.logger_lap = lap.time_s, lap.pk
        keyed.save(update_fields=["time_s", "logger_lap"])
        return 0
    try:
        add_mark(race, "lap", f"logger-{lap.pk}", at_ms, {"time_s": lap.time_s, "logger_lap": lap.pk})
    except InputError:  # laps after the flag
        return 0
    return 1


def silent_s(now: Now, at_ms: int) -> float | None:
    """How long no lap has come in, where that is longer than a lap should take [s]."""
    since = _since(now.race, now.marks, at_ms)
    wanted = _SILENT * now.setup.pace.lap_s * (2.0 if now.state.safety else 1.0)
    return since if since is not None and since > wanted and now.race.ended_at is None else None
