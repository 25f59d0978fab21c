"""An event to and from one file. Reading it is one transaction; the same file again adds nothing."""

from collections.abc import Callable, Iterable
from typing import Any, TypeVar

import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Sum
from django.db.models.functions import Length
from pydantic import ValidationError

from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.circuit.track import centre_line
from apexcore.errors import FileRejected
from apexcore.formats.event_file import (
    MOST_EVENT_BYTES,
    MOST_TRACE_BYTES,
    BookEntryOfEvent,
    CalibrationFile,
    EventFile,
    KnotFile,
    LapFile,
    LinesFile,
    NoteFile,
    PlanFile,
    RaceFile,
    ReadingFile,
    RunFile,
    SessionFile,
    SheetOfEvent,
    TestFile,
    TraceFile,
    TrainedFile,
    VerdictFile,
)
from apexcore.formats.race_file import AtLineFile, MarkFile
from apexcore.formats.text import problem_of, rejected
from apexcore.formats.values_json import read_value, write_value
from apexcore.lap.driver import LEVELS
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.sheet import base_sheet, check_consistency
from apextrim.book.models import BookEntry
from apextrim.events import facts
from apextrim.events.models import Event, Knot, Session
from apextrim.lap import lines
from apextrim.lap.models import TrainedMark
from apextrim.library import stored
from apextrim.library.car_actions import put_car
from apextrim.library.circuit_actions import put_circuit
from apextrim.library.models import Car, Circuit, CornerNote
from apextrim.race.models import KeptPlan, LiveRace, RaceMark, TimedLine
from apextrim.runs import recorded
from apextrim.runs.models import Lap, LapTrace, Run, TyreReading
from apextrim.sheets.actions import put_in_car
from apextrim.sheets.models import Sheet
from apextrim.verdicts.differences import Difference, differences_of
from apextrim.verdicts.models import Calibration, KeptVerdict, PlannedTest

Core = TypeVar("Core", CoreCar, CoreCircuit)
Row = TypeVar("Row", Car, Circuit)


def _told(row: object, names: Iterable[str], *without: str) -> dict[str, Any]:
    """What the file tells of a row under the row's own names.

    :param without: those that the file tells in its own way
    """
    return {name: getattr(row, name) for name in names if name not in without}


def _number_of(row: Sheet | None) -> int | None:
    """The number of a sheet that is not in the bin."""
    return None if row is None or row.deleted_at is not None else row.number


def event_file(event: Event, traces: bool = True) -> EventFile:
    """The event as its file has it; deleted runs stay behind.

    :param traces: whether the laps' traces are in it, as far as a file holds them
    """
    sessions, sheets = list(event.sessions.all()), list(event.sheets.select_related("parent"))
    runs = list(event.runs.filter(deleted_at=None).select_related("sheet").prefetch_related("laps"))
    verdicts, plans = list(event.verdicts.all()), list(event.plans.all())
    number = {row.pk: row.number for row in sheets}
    places = {row.pk: index for index, row in enumerate(sessions)}

    def sides(kind: str, key: str) -> str:
        return str(number.get(int(key), key)) if kind == "sheet" and key.isdecimal() else key

    found, left_out = _traces(event) if traces else ({}, 0)
    targets: dict[str, dict[int, int]] = {
        "sheet": number, "run": {row.pk: row.number for row in runs}, "verdict": {row.pk: n for n, row in enumerate(verdicts)},
        "plan": {row.pk: n for n, row in enumerate(plans)},
    }  # fmt: skip
    content = {
        **_told(event, ("name", "real_car", "driver", "conditions", "rules", "item_rules", "class_limits", "calibration", "made_at")),
        "car": facts.book_car_of(event), "circuit": stored.parsed_circuit(event.circuit.data),
        "notes": [_told(row, NoteFile.model_fields) for row in event.circuit.notes.all()],
        "lines": _lines(event),
        "session": places.get(event.session_id or 0), "sheet_in_car": next((row.number for row in sheets if row.in_car), None),
        "sessions": [_told(row, SessionFile.model_fields) for row in sessions],
        "sheets": [
            {**_told(row, SheetOfEvent.model_fields, "parent"), "parent": _number_of(row.parent)}
            for row in sheets
        ],
        "runs": [
            {
                **_told(row, RunFile.model_fields, "sheet", "session", "laps", "samples"),
                "sheet": row.sheet.number, "session": places.get(row.session_id or 0),
                "laps": [{**_told(lap, LapFile.model_fields, "trace"), "trace": found.get(lap.pk)} for lap in row.laps.all()],
            } for row in runs
        ],
        "readings": [
            {
                **_told(row, ReadingFile.model_fields, "sheet", "run"), "sheet": number[row.sheet_id],
                "run": targets["run"].get(row.run_id or 0),
            } for row in event.readings.order_by("pk")
        ],
        "verdicts": [
            {
                **_told(row, VerdictFile.model_fields, "key_a", "key_b"),
                "key_a": sides(row.by, row.key_a), "key_b": sides(row.by, row.key_b),
            } for row in verdicts
        ],
        "plans": [_told(row, PlanFile.model_fields) for row in plans],
        "races": [
            {
                **_told(row, RaceFile.model_fields, "marks", "timing"),
                "timing": [_told(line, AtLineFile.model_fields) for line in row.timing.all()],
                "marks": [_told(mark, MarkFile.model_fields) for mark in row.marks.filter(undone=False)],
            } for row in event.races.all()
        ],
        "tests": [
            {
                **_told(row, TestFile.model_fields, "differences"),
                "differences": [tried.with_keys(sides).to_row() for tried in differences_of(row)],
            } for row in event.tests.order_by("pk")
        ],
        "calibrations": [_told(row, CalibrationFile.model_fields) for row in event.calibrations.order_by("pk")],
        "book": [_told(row, BookEntryOfEvent.model_fields) for row in event.book.order_by("corner", "variant", "field")],
        "trained": [
            {**_told(row, TrainedFile.model_fields, "run"), "run": targets["run"].get(row.run_id or 0)} for row in event.trained.all()
        ],
        "knots": [
            {**_told(knot, KnotFile.model_fields, "target"), "target": targets.get(knot.kind, {}).get(knot.target or 0)}
            for knot in event.knots.all() if knot.kind == "brief" or knot.target in targets[knot.kind]
        ],
        "traces_left_out": left_out,
    }  # fmt: skip
    return EventFile.model_validate(content)


def _lines(event: Event) -> LinesFile | None:
    """The quickest lines of the day, if they are found; longer ones than a file holds are found anew where it is read."""
    row = lines.of_today(event)
    try:
        return None if row is None else LinesFile(offsets_m=row.offsets_m, time_s=row.time_s, before_s=row.before_s)
    except ValidationError:
        return None


def _traces(event: Event) -> tuple[dict[int, TraceFile], int]:
    """The traces of an event by the keys of their laps, the newest runs first as far as a file holds them, and how many it does not."""
    rows = LapTrace.objects.filter(lap__run__event=event, lap__run__deleted_at=None).order_by("-lap__run__number", "lap__number")
    found: dict[int, TraceFile] = {}
    room, left_out = MOST_TRACE_BYTES, 0
    for row in rows.iterator(chunk_size=20):
        data = bytes(row.data)
        room -= len(data)
        if room < 0:
            left_out += 1
        else:
            found[row.lap_id] = TraceFile.of(data, row.units, row.origin, row.notes)
    return found, left_out


#: Bytes of recorded laps, and laps, from which on a file is written beside the requests.
_LONG_BYTES, _LONG_LAPS = 2_000_000, 2_000


def is_long(event: Event) -> bool:
    """Whether an event's file takes longer than a page may."""
    laps = Lap.objects.filter(run__event=event, run__deleted_at=None)
    if laps.count() > _LONG_LAPS:
        return True
    size = LapTrace.objects.filter(lap__in=laps).aggregate(size=Sum(Length("data")))["size"]
    return (size or 0) > _LONG_BYTES


def file_name(event: Event) -> str:
    """What an event's file is called."""
    return "".join(letter if letter.isalnum() else "-" for letter in event.name.lower())[:60] + ".json"


def write_event(event: Event) -> str:
    """The event as one JSON text."""
    return write_value(event_file(event))


def read_event(owner: User, data: bytes) -> tuple[Event, bool]:
    """An event from its file.

    :returns: the event, and whether it is new
    :raises FileRejected: with every problem found; nothing is added then
    """
    file = read_value(data, EventFile, "an event", MOST_EVENT_BYTES)
    problems = file.problems()
    if file.driver not in LEVELS:
        problems.append(f"driver: “{file.driver}” is not valid; expected one of {', '.join(LEVELS)}.")
    try:
        file.race_rules()
    except ValidationError as error:
        problems += [f"rules, {problem_of(problem)}" for problem in error.errors()]
    if problems:
        raise rejected(problems)
    if (there := _there_already(owner, file)) is not None:
        return there, False
    check_consistency(file.car, base_sheet(file.car))
    centre_line(file.circuit)
    with transaction.atomic():
        return _added(owner, file), True


def brought_in(event: Event, new: bool) -> str:
    """What is said of an event that came in."""
    return f"{event.name} is imported." if new else f"{event.name} is there already, the same; nothing was added."


#: What may be stored otherwise than in a file, or follows from the rest.
_NOT_COMPARED = {"car", "circuit", "notes", "lines"}


def _there_already(owner: User, file: EventFile) -> Event | None:
    """The owner's event that this very file was read into, or written from."""
    for there in Event.objects.filter(owner=owner, name=file.name, made_at=file.made_at, deleted_at=None).select_related("car", "circuit"):
        if event_file(there).model_dump(exclude=_NOT_COMPARED) == file.model_dump(exclude=_NOT_COMPARED):
            return there
    return None


def _added(owner: User, file: EventFile) -> Event:
    """The rows of a checked file."""
    car, _ = _with_own_key("car", file.car, put_car, owner)
    event = Event.objects.create(
        owner=owner, name=file.name, car=car, circuit=_circuit(owner, file), real_car=file.real_car, driver=file.driver,
        conditions=file.conditions.model_dump(), rules=file.rules, made_at=file.made_at, calibration=dict(file.calibration),
        item_rules={key: list(limit) for key, limit in file.item_rules.items()},
        class_limits=file.class_limits.model_dump(exclude_defaults=True),
    )  # fmt: skip
    _fill(event, file)
    return event


def _with_own_key(what: str, core: Core, keep: Callable[[User, Core], tuple[Row, bool]], owner: User) -> tuple[Row, bool]:
    """The owner's car or circuit; one with this key but other values stays, and this one gets a key of its own.

    :returns: its row, and whether it is new
    """
    for number in range(1, 100):
        key = core.key if number == 1 else f"{core.key[:36]}_{number}"
        try:
            return keep(owner, core.model_copy(update={"key": key}))
        except FileRejected:
            continue
    raise FileRejected([f"{what}: a hundred {what}s called “{core.key}” are in your garage."])


def _circuit(owner: User, file: EventFile) -> Circuit:
    row, new = _with_own_key("circuit", file.circuit, put_circuit, owner)
    if new:
        CornerNote.objects.bulk_create(CornerNote(circuit=row, **note.model_dump()) for note in file.notes)
    return row


def _add_laps(row: Run, run: RunFile) -> None:
    """The laps of a run with what was recorded of them."""
    laps = Lap.objects.bulk_create(
        Lap(run=row, **{**lap.model_dump(exclude={"trace"}), "sectors_s": list(lap.sectors_s)}) for lap in run.laps
    )  # fmt: skip
    made = []
    for lap, file in zip(laps, run.laps, strict=True):
        if file.trace is not None:
            data, packed = file.trace.packed()
            hz = (len(packed.t) - 1) / lap.time_s if lap.time_s else 0.0
            made.append(
                LapTrace(
                    lap=lap, data=data, rows=len(packed.t), hz=round(hz, 3), keys=list(packed.columns), units=file.trace.units,
                    origin=None if file.trace.origin is None else list(file.trace.origin), notes=list(file.trace.notes),
                )
            )  # fmt: skip
    LapTrace.objects.bulk_create(made, batch_size=50)
    if run.samples:  # of a file of before
        names = dict.fromkeys(name for sample in run.samples for name in sample.channels)
        t = np.array([sample.t_ms / 1000.0 for sample in run.samples])
        recorded.put_samples(row, t, {name: np.array([one.channels.get(name, np.nan) for one in run.samples]) for name in names})


def _fill(event: Event, file: EventFile) -> None:
    """Everything that hangs on an event."""
    sessions = [Session.objects.create(event=event, **session.model_dump()) for session in file.sessions]
    sheets: dict[int, Sheet] = {}
    for sheet_file in sorted(file.sheets, key=lambda sheet: sheet.number):
        sheets[sheet_file.number] = Sheet.objects.create(event=event, **sheet_file.model_dump(exclude={"parent"}))
    for sheet_file in file.sheets:
        if sheet_file.parent is not None:
            Sheet.objects.filter(pk=sheets[sheet_file.number].pk).update(parent=sheets[sheet_file.parent])
    runs = {}
    for run in file.runs:
        values = run.model_dump(exclude={"sheet", "session", "laps", "samples"})
        session = None if run.session is None else sessions[run.session]
        runs[run.number] = row = Run.objects.create(event=event, sheet=sheets[run.sheet], session=session, **values)
        _add_laps(row, run)
    for reading in file.readings:
        values = reading.model_dump(exclude={"sheet", "run"})
        of_run = None if reading.run is None else runs[reading.run]
        TyreReading.objects.create(event=event, sheet=sheets[reading.sheet], run=of_run, **values)

    def key(kind: str, told: str) -> str:
        return str(sheets[int(told)].pk) if kind == "sheet" and told.isdecimal() and int(told) in sheets else told

    verdicts = [
        KeptVerdict.objects.create(
            event=event, **{**verdict.model_dump(), "key_a": key(verdict.by, verdict.key_a), "key_b": key(verdict.by, verdict.key_b)}
        )
        for verdict in file.verdicts
    ]
    plans = [
        KeptPlan.objects.create(event=event, **{**plan.model_dump(), "stints": [list(stint) for stint in plan.stints]})
        for plan in file.plans
    ]
    for race in file.races:
        told = race.model_dump(mode="json", exclude={"marks", "timing", "started_at", "ended_at"})
        begun = LiveRace.objects.create(event=event, **told, started_at=race.started_at, ended_at=race.ended_at)
        RaceMark.objects.bulk_create(
            RaceMark(race=begun, number=number, key=f"file-{number}", **mark.model_dump())
            for number, mark in enumerate(race.marks, start=1)
        )
        timed = {(line.car, line.lap): line for line in race.timing}  # the same line twice is one
        TimedLine.objects.bulk_create([TimedLine(race=begun, **line.model_dump()) for line in timed.values()], batch_size=500)
    for test in file.tests:
        differences = [Difference.from_row(tried).with_keys(key).to_row() for tried in test.differences]
        order = [list(marks) for marks in test.order]
        PlannedTest.objects.create(event=event, **{**test.model_dump(), "differences": differences, "order": order})
    for calibration in file.calibrations:
        Calibration.objects.create(event=event, **calibration.model_dump())
    BookEntry.objects.bulk_create(BookEntry(event=event, **entry.model_dump()) for entry in file.book)
    TrainedMark.objects.bulk_create(
        TrainedMark(
            event=event, run=None if one.run is None else runs[one.run],
            **{**one.model_dump(exclude={"run"}), "exits_ms": list(one.exits_ms)},
        ) for one in file.trained
    )  # fmt: skip
    targets: dict[str, Any] = {"sheet": sheets, "run": runs, "verdict": dict(enumerate(verdicts)), "plan": dict(enumerate(plans))}
    for knot in file.knots:
        row = targets.get(knot.kind, {}).get(knot.target)
        if knot.kind == "brief" or row is not None:
            Knot.objects.create(event=event, **{**knot.model_dump(), "target": row.pk if row else None})
    if (found := file.lines) is not None and lines.fit(event, found.offsets_m):
        lines.stand_on(event, lines.keep_told(event, lines.made_from(event), found.offsets_m, found.time_s, found.before_s, event.made_at))
    event.session = None if file.session is None or file.session >= len(sessions) else sessions[file.session]
    event.save(update_fields=["session"])
    if file.sheet_in_car is not None:
        put_in_car(event, sheets[file.sheet_in_car])
