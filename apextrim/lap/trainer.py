"""The braking-point trainer of an event: what it was told, turn by turn, and what it advises."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.moves import behind_m
from apexcore.errors import InputError
from apexcore.judge.passes import Pass, channels_of, passes
from apexcore.judge.trainer import FEELINGS, LEVELS, Advice, Tried, advise, late_by_exit, others, scale_of
from apexcore.trim.book.marks import read_place
from apexcore.trim.book.proposal import BookDesk, along_line, along_middle
from apextrim.book.queries import desk_in
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling.cases import Case
from apextrim.runs import recorded
from apextrim.runs.models import Run

from .models import TrainedMark

#: Keys that say a feeling.
KEYS = {"e": "early", "g": "good", "l": "late"}
#: What stands for word that conditions are others.
ANEW = "anew"
#: Laps of a run that show a corner, from which on where it was braked for is believed rather than the mark, if the two differ by more
#: than the samples lie apart and the driver scatters.
_MEASURED_FROM = 3


@dataclass(frozen=True)
class Student:
    """A corner in the trainer.

    :param desk: the corner beside its page
    :param model_m: the model's braking point along the middle of the road [m]
    :param told: what was said of it, in the order driven
    :param advice: marks in it lie behind the model's braking point positive [m]
    :param next_m: the next mark along the middle of the road [m]
    :param words: the same as the book tells it
    :param others: whether the weather is another than when the corner was told of last
    """

    desk: BookDesk
    model_m: float
    told: tuple[TrainedMark, ...]
    advice: Advice
    next_m: float
    words: str
    others: bool = False

    @property
    def number(self) -> int:
        """Of the corner."""
        return self.desk.desk.span.number


def students(event: Event, case: Case) -> list[Student]:
    """The corners that are braked for, with the trainer's advice.

    :raises ApexError: if the car cannot take the circuit
    """
    rows: dict[int, list[TrainedMark]] = {}
    for row in TrainedMark.objects.filter(event=event).select_related("run"):
        rows.setdefault(row.corner, []).append(row)
    found = []
    for span in case.spans():
        desk = desk_in(case, span.number)
        start = desk.technique.read.brake_start_m
        if desk.technique.way == "brake" and start is not None:
            found.append(_student(event, desk, start, rows.get(span.number, [])))
    return found


def mark_m(row: TrainedMark, model_m: float, length_m: float) -> float:
    """A mark behind the model's braking point of its own turn: when the model moves, its marks move with it [m].

    :param model_m: the model's braking point now, for turns that did not keep theirs [m]
    """
    return behind_m(row.at_m, model_m if row.model_m is None else row.model_m, length_m)


def _student(event: Event, desk: BookDesk, start_m: float, rows: Sequence[TrainedMark]) -> Student:
    """:param start_m: the model's braking point along its line [m]"""
    line, length = desk.desk.lap_case.line, desk.way.length_m
    model_m = along_middle(line, start_m, desk.ds)
    behind = [mark_m(row, model_m, length) for row in rows]
    tried, other = _tried(event, rows, behind)
    seen = [metres for metres, row in zip(behind, rows, strict=True) if not row.felt]
    braking = behind_m(desk.technique.apex_m, start_m, line.length_m)
    advice = advise(LEVELS[event.driver], tried, scale_of(braking), event.real_car, max(seen, default=None))
    first = behind_m(desk.way.from_m, model_m, length)  # nobody brakes in the corner before
    advice = replace(advice, mark_m=max(advice.mark_m, first)) if first < 0.0 else advice
    at = model_m + advice.mark_m
    text = desk.told(along_line(line, at % length, desk.ds))
    return Student(desk, model_m, tuple(rows), advice, at % length, text, other)


def _tried(event: Event, rows: Sequence[TrainedMark], behind: Sequence[float]) -> tuple[list[Tried], bool]:
    """What turns said, with word that conditions are others wherever one was told in other weather than the one before; whether that of the
    event is another than the last.

    :param behind: marks behind the model's braking point [m]
    """
    found = list[Tried]()
    before: Conditions | None = None
    for metres, row in zip(behind, rows, strict=True):
        then = facts.parsed_conditions(row.conditions) if row.conditions else before
        if before is not None and then is not None and others(before, then) and row.felt != ANEW:
            found.append(Tried(found[-1].mark_m, 0.0, None, True, row.board))
        found.append(Tried(metres, row.late, row.felt == "early" if row.felt else None, row.felt == ANEW, row.board))
        before = then
    now = before is not None and others(before, facts.conditions_of(event))
    if now:
        found.append(Tried(found[-1].mark_m, 0.0, None, True))
    return found, now


@dataclass(frozen=True)
class Told:
    """What a turn says of one corner.

    :param at_m: the mark, along the middle of the road [m]
    :param felt: early, good or late; empty where samples speak
    :param late: chance that it was too late [-]
    :param model_m: the model's braking point then [m]
    :param board: whether the mark is one that a driver sees
    """

    corner: int
    at_m: float
    felt: str
    late: float
    exits_ms: tuple[float, ...] = ()
    model_m: float | None = None
    board: bool = True


def felt(student: Student, mark: str, feeling: str) -> Told:
    """A corner as it felt.

    :param mark: from which it was braked, as typed
    :param feeling: a word or a key of `KEYS`
    :raises InputError: naming the corner and what was expected
    """
    place = f"corner {student.number}"
    word = KEYS.get(feeling.strip().lower(), feeling.strip().lower())
    if word not in FEELINGS:
        raise InputError(f"{place}, how it felt", feeling, "early, good or late (e, g or l)")
    at = read_place(mark, student.desk.way, f"{place}, mark") if mark.strip() else None
    board = at is None or not at.text.endswith(" m")
    return Told(student.number, student.next_m if at is None else at.at_m, word, float(word == "late"), (), student.model_m, board)


def anew(wanted: Sequence[Student]) -> list[Told]:
    """Word that conditions are others: for every corner of which anything was told."""
    return [Told(one.number, one.next_m, ANEW, 0.0, (), one.model_m) for one in wanted if one.told and one.told[-1].felt != ANEW]


def from_samples(event: Event, run: Run, wanted: Sequence[Student]) -> list[Told]:
    """What a run's samples say of each corner; those that they do not show are left out.

    :raises InputError: if they have no channels for it
    """
    channels, found = channels_of(recorded.run_channels(run, wanted[0].desk.desk.lap_case.line.length_m if wanted else 1.0)), []
    for student in wanted:
        there = [one for one in _passes(student, channels) if one.lap > 1]
        if there and there[-1].lap > 2:
            there = [one for one in there if one.lap < there[-1].lap]  # the last one is the in-lap
        if not there:
            continue
        line, ds = student.desk.desk.lap_case.line, student.desk.ds
        braked = [along_middle(line, one.brake_m, ds) for one in there if one.brake_m is not None]
        within = max((one.within_m for one in there), default=0.0) + LEVELS[event.driver].scatter_m
        at = student.next_m
        if len(braked) >= _MEASURED_FROM and abs(behind_m(float(np.median(braked)), at, student.desk.way.length_m)) > within:
            at = float(np.median(braked))  # elsewhere than at the mark that was asked for
        exits = [one.exit_ms for one in there]
        before = [speed for row in student.told if row.late < 0.5 or row.felt in ("early", "good") for speed in row.exits_ms]
        late = late_by_exit(exits, before) if before else _FIRST_LATE
        found.append(Told(student.number, at % student.desk.way.length_m, "", late, tuple(exits), student.model_m))
    return found


#: Chance that the first turn was too late where nothing is there to compare it with: it began early [-].
_FIRST_LATE = 0.1


def _passes(student: Student, channels: np.ndarray) -> list[Pass]:
    desk, technique = student.desk.desk, student.desk.technique
    line = desk.lap_case.line
    first = along_line(line, student.desk.way.from_m, student.desk.ds)
    return passes(channels, line.length_m, first, technique.apex_m, technique.read.full_m)


def last_turn(event: Event) -> int:
    """Number of the trainer's last turn; 0 without one."""
    return int(TrainedMark.objects.filter(event=event).aggregate(last=Max("turn"))["last"] or 0)


@transaction.atomic
def add_turn(event: Event, told: Sequence[Told], run: Run | None = None) -> int:
    """A turn of the trainer. Returns its number."""
    turn = last_turn(event) + 1
    weather = event.conditions if run is None else run.conditions
    TrainedMark.objects.bulk_create(
        TrainedMark(
            event=event, run=run, turn=turn, corner=one.corner, at_m=one.at_m, model_m=one.model_m, felt=one.felt, late=one.late,
            board=one.board, conditions=weather,
            exits_ms=[round(value, 3) for value in one.exits_ms], made_at=timezone.now(),
        ) for one in told
    )  # fmt: skip
    return turn


@transaction.atomic
def take_turn_back(event: Event) -> int:
    """Takes the trainer's last turn away. Returns its number; 0 without one."""
    turn = last_turn(event)
    TrainedMark.objects.filter(event=event, turn=turn).delete()
    return turn
