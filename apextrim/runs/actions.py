"""Changes to runs and laps: each one transaction with its knot. Every lap, typed, from a file or driven, enters by one door."""

import hashlib
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from apexcore.circuit.conditions import Conditions
from apexcore.errors import FileRejected
from apexcore.formats.laps_csv import Table, laps_of, own_columns, read_laps, write_laps
from apexcore.formats.pasted import Pasted, read_pasted
from apexcore.judge.laps import DrivenLap, LapKind, propose
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.cut import RecordedLap, cut
from apexcore.lap.solver import LapCase, also_told
from apexcore.lap.stint import colder
from apexcore.quantities import format_lap
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.virtual.marks import by_marks
from apexcore.virtual.senders import SAMPLE_HZ, lap_channels
from apexcore.virtual.world import VirtualRun, virtual_run
from apextrim.book.queries import told_by_book
from apextrim.events import thread
from apextrim.events.models import Event
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import cases
from apextrim.runs.reading_actions import keep_reading

from . import recorded
from .models import ColumnMatch, Lap, LapTrace, Run


def _next_number(event: Event) -> int:
    return int(event.runs.aggregate(last=Max("number"))["last"] or 0) + 1


@transaction.atomic
def add_run(event: Event, values: dict[str, Any], virtual: bool = False, at: datetime | None = None) -> Run:
    """A run without laps, under the conditions of now.

    :param values: the cleaned fields of `forms.RunForm`
    """
    run = Run.objects.create(
        event=event,
        number=_next_number(event),
        conditions=event.conditions,
        by_virtual_driver=virtual,
        made_at=at or timezone.now(),
        **values,
    )
    thread.tie(event, "run", run.name, f"{run.sheet.name} on {run.front}/{run.rear}, {run.fuel_l:.0f} l", run.pk, at)
    return run


def add_own_run(event: Event, values: dict[str, Any], typed: str, reading: dict[str, float] | None = None) -> tuple[Run, tuple[str, ...]]:
    """A run with the laps typed or pasted and what was read at the wheels; all or nothing.

    :param typed: laps one a line; may be empty, then they come later
    :param reading: of `garage.reading_form.parsed_reading`, None where nothing was read
    :returns: the run, and what of the typed was passed over, as sentences
    :raises FileRejected: naming every line that is no lap
    """
    pasted = read_pasted(typed, 1) if typed.strip() else Pasted((), ())
    with transaction.atomic():
        run = add_run(event, values)
        add_laps(run, pasted.laps)
        if reading is not None:
            keep_reading(event, run.sheet, reading, run)
    return run, pasted.told


def lap_row(run: Run, lap: DrivenLap, kind: LapKind, why: str) -> Lap:
    """A lap as a row, not yet kept.

    :param why: why it is set aside, empty for a timed one
    """
    return Lap(
        run=run, number=lap.number, time_s=lap.time_s, kind=kind, fuel_l=lap.fuel_l, sectors_s=list(lap.sectors_s), top_ms=lap.top_ms,
        why=why,
    )  # fmt: skip


@transaction.atomic
def add_laps(run: Run, laps: Sequence[DrivenLap], from_pit: bool = True) -> int:
    """Adds laps to a run; all or nothing. Laps that are there already, unchanged, are passed over.

    :param from_pit: whether the first and last lap may be out- and in-lap
    :returns: how many are new
    :raises FileRejected: naming each lap that is there with another time
    """
    there = {lap.number: lap for lap in run.laps.all()}
    problems = [
        f"Lap {lap.number}: {format_lap(lap.time_s)} is not valid; this run has it already with {format_lap(there[lap.number].time_s)}."
        for lap in laps
        if lap.number in there and abs(there[lap.number].time_s - lap.time_s) > 5e-4
    ]
    if problems:
        raise FileRejected(problems)
    new = [lap for lap in laps if lap.number not in there]
    marked = any(lap.kind != "timed" for lap in laps)
    kinds = [(lap.kind, "marked by you" if lap.kind != "timed" else "") for lap in new]
    if not marked:
        kinds = propose(new, from_pit and not there, False)
    Lap.objects.bulk_create(lap_row(run, lap, kind, why) for lap, (kind, why) in zip(new, kinds, strict=True))
    return len(new)


def header_digest(table: Table) -> str:
    """What a header is remembered by."""
    return hashlib.sha256("\n".join(table.header).encode()).hexdigest()


def import_matched(run: Run, table: Table, columns: Mapping[str, int]) -> int:
    """Adds the laps of a file whose columns the racer has named, and remembers which were which.

    :raises FileRejected: if the file is unusable or contradicts laps that are there
    """
    laps = laps_of(table, columns)
    with transaction.atomic():
        new = add_laps(run, laps)
        ColumnMatch.objects.update_or_create(owner=run.event.owner, header=header_digest(table), defaults={"columns": dict(columns)})
    return new


def import_table(run: Run, table: Table, columns: Mapping[str, int] | None) -> int:
    """Adds the laps of a file.

    :param columns: which column is which, as the racer named them; None where they carry our own names
    :raises FileRejected: if the file is unusable or contradicts laps that are there
    """
    return add_laps(run, laps_of(table, own_columns(table.header))) if columns is None else import_matched(run, table, columns)


def remembered_columns(run: Run, table: Table) -> dict[str, int] | None:
    """Which column was which when a file with this header came in last; None where none did."""
    row = ColumnMatch.objects.filter(owner=run.event.owner, header=header_digest(table)).first()
    return None if row is None else {name: int(index) for name, index in row.columns.items()}


def send_virtual_driver(
    event: Event, values: dict[str, Any], laps: int, seed: int | None = None, at: datetime | None = None, book: str = "",
    marks: Mapping[int, float] | None = None,
) -> Run:  # fmt: skip
    """A run of the virtual car: it writes a file of laps, which comes in as any other file, and the channels of its logger.

    :param book: the way of driving that the racer's book tells the driver; empty to drive as the model does
    :param marks: where to brake instead, by corner, along the middle of the road [m]
    :raises InputError: if the fuel does not last
    :raises SolverError: if the car cannot take the circuit
    """
    conditions = Conditions.model_validate(event.conditions)
    lap_case = cases.lap_case_of(event, values["front"], values["rear"], conditions, calibrated=False)
    sheet = CoreSheet(lap_case.car.key, values["sheet"].values)
    seed = seed if seed is not None else 1000 * event.pk + _next_number(event)
    driven = virtual_run(
        lap_case, sheet, values["fuel_l"], laps, seed, tyre_age=values["tyre_age"], sectors_at=cases.sectors_of(event),
        colder=colder(bool(values.get("scrubbed")), int(values.get("pace_laps") or 0)),
        told=_told(event, sheet, book, marks),
    )  # fmt: skip
    came_in = read_laps(write_laps(list(driven.laps)).encode())
    traces = _traces(driven, seed)
    with transaction.atomic():
        run = add_run(event, values, virtual=True, at=at)
        add_laps(run, came_in)
        rows = {lap.number: lap for lap in run.laps.all()}
        LapTrace.objects.bulk_create(recorded.trace_row(rows[one.number], one, SAMPLE_HZ, None, {}) for one in traces)
    return run


def _traces(driven: VirtualRun, seed: int) -> list[RecordedLap]:
    """What the logger in the virtual car recorded of each lap."""
    rng, found, began = np.random.default_rng([seed, 5]), [], 0.0
    for lap, real in zip(driven.laps, driven.stint, strict=True):
        t, columns = lap_channels(driven, lap, real, began, rng, beyond=1)
        parts = cut(cleaned(t, columns), (0.0, lap.time_s))
        found.append(RecordedLap(lap.number, parts.laps[0].t, parts.laps[0].columns))
        began += lap.time_s
    return found


def _told(event: Event, sheet: CoreSheet, book: str, marks: Mapping[int, float] | None) -> Callable[[LapCase], LapCase] | None:
    """What the virtual driver is told: the book's orders, and where to brake; None to drive as the model does.

    :raises ApexError: if the car cannot take the circuit
    """
    if not book and marks is None:
        return None
    case = cases.case_of(event, sheet)
    by_book = told_by_book(event, case, book, with_marks=False) if book else None
    circuit, spans = parsed_circuit(case.circuit), case.spans()
    places = {**(by_book.marks if by_book else {}), **(marks or {})}

    def told(lap_case: LapCase) -> LapCase:
        return by_marks(also_told(lap_case, by_book.orders if by_book else ()), circuit, sheet, spans, places)

    return told


@transaction.atomic
def set_weather(run: Run, track_c: float, wet_pct: float, left_out: str) -> None:
    """Says what weather a run was driven in, and why nothing is judged by it; it counts where no reason is told."""
    run.conditions = {**run.conditions, "track_c": track_c, "wet_pct": wet_pct}
    run.left_out = left_out
    run.save(update_fields=["conditions", "left_out"])


def mark_lap(lap: Lap, kind: LapKind) -> None:
    """Says what kind of lap it was; any mark can be taken back."""
    lap.kind, lap.why = kind, "" if kind == "timed" else "marked by you"
    lap.save(update_fields=["kind", "why"])


@transaction.atomic
def delete_run(run: Run) -> None:
    """Takes a run away; `restore_run` brings it back."""
    run.deleted_at = timezone.now()
    run.save(update_fields=["deleted_at"])
    thread.hide(run.event, "run", run.pk, True)


@transaction.atomic
def restore_run(run: Run) -> None:
    """Undoes `delete_run`."""
    run.deleted_at = None
    run.save(update_fields=["deleted_at"])
    thread.hide(run.event, "run", run.pk, False)
