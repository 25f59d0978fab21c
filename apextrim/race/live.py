"""A race as it is driven: taking marks, and what they come to."""

import time
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from apexcore.errors import InputError
from apexcore.formats.race_file import MarkFile, PlanValue, SetupFile
from apexcore.race.clock import rules_now, told_rules
from apexcore.race.fuel import filled_l
from apexcore.race.happened import KINDS, Happened, Leader, Mark, Setup, happened
from apexcore.race.live import Advice, SafetyAdvice, advise, under_safety_car
from apexcore.race.plans import Plan, Stint
from apexcore.race.rivals import AtLine, with_timing
from apexcore.race.rules import RaceRules
from apexcore.race.weather import WET
from apextrim.events.models import Event
from apextrim.events.thread import tie
from apextrim.library.caches import MB, kept_within
from apextrim.runs.models import Lap, Run

from .models import TIMED_PIT, LiveRace, RaceMark
from .queries import Known, RaceView

#: A lap that is shorter than this share of the plan's was entered twice; one that is longer than so many of them was missed.
_TWICE, _SILENT = 0.4, 1.6
#: A lap between these shares of the plan's is counted without a question.
_UNASKED = 0.8, 1.7
#: What makes a long lap no wonder.
_LONG = ("safety", "yellow", "red", "flat", "wet")
#: Marks that one race holds.
_MOST_MARKS = 5000


@dataclass(frozen=True)
class Now:
    """A race at this moment.

    :param rules: with the laps that it comes to
    :param following: the plan that is followed
    :param said: the last change of plan in one sentence, and the lap on which it was made
    :param lines: every car at the line, as timing tells
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
    lines: tuple[AtLine, ...] = ()


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


def core_marks(marks: list[RaceMark]) -> tuple[Mark, ...]:
    """Marks as the core has them."""
    return tuple(Mark(mark.kind, mark.time_s, mark.litres, mark.compound, mark.age, mark.value, mark.laps, mark.car) for mark in marks)


@kept_within(4 * MB)
def _advised(
    setup: Setup, marks: tuple[Mark, ...], leader: Leader | None, following: Plan, threshold_s: float
) -> tuple[Advice, SafetyAdvice | None]:
    state = replace(happened(setup, marks), leader=leader)
    return advise(setup, state, following, threshold_s), under_safety_car(setup, state) if state.safety else None


def now_of(race: LiveRace) -> Now:
    """A race at this moment."""
    setup, marks = setup_of(race), marks_of(race)
    told = race.timing.values_list("car", "lap", "clock_s", "pit", "group") if race.own_car else ()
    lines = tuple(AtLine(*row) for row in told)
    state = with_timing(happened(setup, core_marks(marks)), lines, race.own_car)
    following, said = _followed(race, setup)
    advice, safety = _advised(setup, core_marks(marks), state.leader, following, race.threshold_s)
    rules = told_rules(setup, state).model_copy(update={"laps": advice.laps})
    return Now(race, setup, rules, marks, state, following, advice, safety, said, lines)


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
    :param values: `time_s`, `litres`, `compound`, `age`, `value`, `laps`, `logger_lap` where they are told
    :raises InputError: where the race is over, a lap was entered twice, or what is told cannot be
    """
    there = race.marks.filter(key=key).first()
    if there is not None:
        return there
    if race.ended_at is not None:
        raise InputError("race", "ended", "one that is on; start it again to go on")
    setup, marks = setup_of(race), marks_of(race)
    if kind == "pit" and marks and marks[-1].told_by_timing and not key.startswith(TIMED_PIT):
        return correct(race, marks[-1].number, values) or marks[-1]  # the stop that timing told of, as it really was
    values = _checked(race, setup, marks, kind, at_ms, values)
    last = race.marks.aggregate(last=Max("number"))["last"] or 0
    if last >= _MOST_MARKS:
        raise InputError("marks", last + 1, f"at most {_MOST_MARKS} in a race")
    told = _file(kind, max(at_ms, 0), values)
    return RaceMark.objects.create(
        race=race, number=last + 1, key=key[:40], logger_lap=values.get("logger_lap"), timing_lap=values.get("timing_lap"), **vars(told)
    )  # fmt: skip


#: Laps beyond those that the race is thought to have, up to which one may say to be on.
_BEYOND = 20
#: What a mark may tell.
_TOLD = ("time_s", "litres", "compound", "age", "value", "laps", "car")


def _file(kind: str, at_ms: int, values: dict[str, Any]) -> MarkFile:
    """A mark as files have it, whose bounds hold; what is not told is left out."""
    return MarkFile(kind=kind, at_ms=at_ms, **{name: values[name] for name in _TOLD if values.get(name) is not None})


#: Kinds that tell a number: its name, unit, least and most.
NUMBERS = {
    "onlap": ("On lap", "", 1.0, 1200.0), "distance": ("Race now", "laps", 1.0, 1200.0), "minutes": ("Race now", "min", 0.1, 1500.0),
    "penalty": ("Penalty", "s", 0.0, 600.0), "stopgo": ("Stop and go", "s", 0.0, 600.0), "restart": ("Stood", "s", 0.0, 90_000.0),
    "leader": ("Leader ahead", "s", -3600.0, 3600.0), "rival": ("Ahead", "s", -3600.0, 3600.0), "mate": ("Lap", "", 0.0, 1200.0),
}  # fmt: skip


def _checked(race: LiveRace, setup: Setup, marks: list[RaceMark], kind: str, at_ms: int, values: dict[str, Any]) -> dict[str, Any]:
    """What a mark tells, with the time of a lap that a key ended.

    :raises InputError: where it cannot be
    """
    if kind not in KINDS:
        raise InputError("mark", kind, ", ".join(KINDS))
    state = happened(setup, core_marks(marks))
    compound, litres, tank = str(values.get("compound") or ""), values.get("litres"), setup.rules.tank_l
    if compound and compound not in {WET, *(tyre.key for tyre in setup.pace.tyres)}:
        raise InputError("tyres", compound, ", ".join(tyre.key for tyre in setup.pace.tyres))
    if litres is not None and litres > tank + 0.5:
        raise InputError("Fuel on board" if kind == "fuel" else "Added", f"{litres:g} l", f"at most the {tank:g} l of the tank")
    if kind == "other" and values.get("time_s") is None:
        raise InputError("Lap on the other tyres", "", "a lap time such as 1:32.405")
    if kind == "rival" and not values.get("car"):
        raise InputError("Car", "", "the rival's number or name, up to 12 characters")
    if kind == "served" and not state.penalties:
        raise InputError("penalty", "none is owed", "a penalty that is entered first")
    if kind in NUMBERS and values.get("value") is None and kind != "restart":
        name, unit, low, high = NUMBERS[kind]
        raise InputError(name, "", f"a number from {low:g} to {high:g} {unit}".strip())
    if kind in ("onlap", "distance") and values["value"] < len(state.times_s) - state.standing.since_stop + 1:
        raise InputError(NUMBERS[kind][0], f"{values['value']:g}", f"more than the {len(state.times_s)} laps that are done")
    if kind == "onlap" and values["value"] > (most := max(rules_now(setup, state).laps, len(state.times_s)) + _BEYOND):
        raise InputError("On lap", f"{values['value']:g}", f"at most {most}")
    if kind == "restart" and values.get("value") is None:
        red = next((mark.at_ms for mark in reversed(marks) if mark.kind == "red"), at_ms)
        return values | {"value": min(max((at_ms - red) / 1000.0, 0.0), 90_000.0)}
    if kind == "lap":
        laps = rules_now(setup, state).laps
        if len(state.times_s) >= laps:
            raise InputError("lap", len(state.times_s) + 1, f"at most {laps}: the race is over")
        if values.get("time_s") is None:
            time_s = _since(race, marks, at_ms)
            if time_s is not None and time_s < _TWICE * setup.pace.lap_s:
                raise InputError("lap", f"{time_s:.1f} s after the last", f"at least {_TWICE * setup.pace.lap_s:.0f} s; not counted")
            return values | {"time_s": time_s}
    return values


def doubt(race: LiveRace, kind: str, at_ms: int, values: dict[str, Any]) -> tuple[str, bool]:
    """What to ask before an odd lap is counted, and whether it may have been two: a key that was pressed early, or a lap that nobody
    counted; empty for nothing."""
    if kind != "lap" or values.get("time_s") is not None:
        return "", False
    setup, marks = setup_of(race), marks_of(race)
    since, lap = _since(race, marks, at_ms), setup.pace.lap_s
    if since is None or since < _TWICE * lap or not marks:
        return "", False
    state = happened(setup, core_marks(marks))
    slow = any(getattr(state, name) for name in _LONG) or marks[-1].kind in ("pit", "green", "restart", "dry")
    if since < _UNASKED[0] * lap:
        return f"{since:.1f} s since the last lap; one takes about {lap:.0f} s. Has a lap ended?", False
    if since > _UNASKED[1] * lap and not slow:
        return f"{since:.1f} s since the last lap; one takes about {lap:.0f} s. Was one missed?", True
    return "", False


@transaction.atomic
def add_missed(race: LiveRace, key: str, at_ms: int) -> RaceMark:
    """Two laps in the time that has passed since the last: one of them was missed."""
    since = _since(race, marks_of(race), at_ms)
    half = None if since is None else since / 2.0
    before = at_ms if half is None else at_ms - int(1000.0 * half)
    add_mark(race, "lap", f"{key[:36]}-one", before, {"time_s": half})
    return add_mark(race, "lap", key, at_ms, {"time_s": half})


@transaction.atomic
def correct(race: LiveRace, number: int, values: dict[str, Any] | None) -> RaceMark | None:
    """Another time, another fuel, another set for what was entered before, or nothing of it; plans taken since are forgotten.

    :param values: what it tells; None takes it back
    :raises InputError: where that cannot be
    """
    mark = race.marks.filter(undone=False, number=number).first()
    if mark is None:
        return None
    if values is None:
        mark.undone = True
    else:
        before = [one for one in marks_of(race) if one.number < number]
        told = _checked(race, setup_of(race), before, mark.kind, mark.at_ms, {name: getattr(mark, name) for name in _TOLD} | values)
        checked = _file(mark.kind, mark.at_ms, told)
        for name in _TOLD:
            setattr(mark, name, getattr(checked, name))
    mark.save()
    race.followed = [entry for entry in race.followed if entry[0] < number]
    race.save(update_fields=["followed"])
    return mark


def _since(race: LiveRace, marks: list[RaceMark], at_ms: int) -> float | None:
    """Time since the last lap ended, or the race began [s]; None where the clock was set back, or a lap's end was missed."""
    last = next((mark.at_ms for mark in reversed(marks) if mark.kind == "lap"), race.started_ms)
    since = (at_ms - last) / 1000.0
    return since if 0.0 < since < 3600.0 else None


def name_own_car(race: LiveRace, name: str) -> None:
    """Says what timing calls one's own car; empty for none."""
    race.own_car = name
    race.save(update_fields=["own_car"])


def next_stop(now: Now) -> tuple[Stint | None, float]:
    """The stint that the next stop begins, and what is filled before it [l]; None where none is planned."""
    plan, at = now.advice.plan, now.state.standing
    if plan is None or not (now.advice.due or plan.stops):
        return None, 0.0
    stint = plan.stints[0] if now.advice.due else plan.stints[1]
    left = at.fuel_l - (0 if now.advice.due else now.state.use_l * (stint.first_lap - 1 - at.laps_done))
    return stint, filled_l(max(stint.fuel_l - max(left, 0.0), 0.0))


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
    if advice.broken:
        why = f"no way on keeps all rules: {advice.broken[0].words}"
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
