"""Two laps of an event's circuit as the core compares them: which laps there are, and what is said of a pair."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from django.http import Http404

from apexcore.circuit.line import CornerSpan, Line
from apexcore.errors import InputError
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.corner import Window, windows
from apexcore.judge.traces.cut import RecordedLap, cut
from apexcore.judge.traces.explain import Comparison, compared
from apexcore.judge.traces.frame import LENGTH_OFF, Base, base_of, fits_length, frames_of
from apexcore.judge.traces.habits import part_times, spread
from apexcore.judge.traces.place import placed
from apexcore.lap.solver import Lap
from apexcore.quantities import format_lap
from apexcore.vehicle.car import Car
from apexcore.virtual.recorder import Sensors, driven_course, recorded
from apextrim.accounts.owned import Person, owned
from apextrim.events.models import Event
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers, cases
from apextrim.runs.models import LapTrace
from apextrim.runs.recorded import recorded_lap
from apextrim.sheets.queries import core_sheet, sheet_in_car

#: The model's own lap, as a key.
MODEL = "model"
#: Laps that are offered at most, the newest runs first; samples a second of the model's lap.
_MOST_OFFERED, _MODEL_HZ = 400, 50.0
#: Other laps of a run by which its driver's scatter is told, at most and at least.
_MOST_SCATTER, _LEAST_SCATTER = 6, 3


@dataclass(frozen=True)
class Ground:
    """What every lap of an event is laid on.

    :param base: its line driven as the base of places
    """

    line: Line
    spans: tuple[CornerSpan, ...]
    base: Base

    @cached_property
    def corners(self) -> list[Window]:
        """The corners as stretches of the line."""
        return windows(self.line, self.spans)


def ground_of(event: Event) -> Ground:
    """The line of an event's benches.

    :raises ApexError: if the circuit has none
    """
    line, spans = cases.lap_case_of(event).line, cases.spans_of(event)
    return Ground(line, spans, base_of(line, parsed_circuit(event.circuit.data).width_m))


@dataclass(frozen=True)
class Side:
    """One of the two laps.

    :param key: of its trace, or `MODEL`
    :param words: what it is, whole
    :param short: the same in a few words
    """

    key: str
    words: str
    short: str
    lap: RecordedLap
    trace: LapTrace | None


def traces_at(user: Person, event: Event) -> list[LapTrace]:
    """The recorded laps at an event's circuit, of this event first, without their data."""
    rows = owned(LapTrace, user).filter(lap__run__deleted_at=None, lap__run__event__deleted_at=None)
    rows = rows.select_related("lap__run__event", "lap__run__sheet").defer("data")
    here = list(rows.filter(lap__run__event=event).order_by("-lap__run__number", "lap__number")[:_MOST_OFFERED])
    there = rows.filter(lap__run__event__circuit=event.circuit_id).exclude(lap__run__event=event)
    return here + list(there.order_by("-lap__run__made_at", "lap__number")[: _MOST_OFFERED - len(here)])


def words_of(trace: LapTrace, event: Event) -> str:
    """What a recorded lap is called."""
    lap, run = trace.lap, trace.lap.run
    elsewhere = f", {run.event.name}" if run.event_id != event.pk else ""
    kind = f", {lap.kind}" if lap.kind != "timed" else ""
    return f"{run.name} lap {lap.number}, {format_lap(lap.time_s)}, {run.sheet.name}{kind}{elsewhere}"


def marked(traces: Sequence[LapTrace]) -> dict[int, str]:
    """What the lists say besides of the best and the middle timed lap of one run, by key; nothing where there are fewer than three."""
    timed = sorted((trace for trace in traces if trace.lap.kind == "timed"), key=lambda trace: trace.lap.time_s)
    if len(timed) < 3:
        return {}
    return {timed[0].pk: ", best of the run", timed[(len(timed) - 1) // 2].pk: ", middle of the run"}


def best_of(traces: Sequence[LapTrace], event: Event) -> LapTrace | None:
    """The quickest timed lap of an event that was recorded."""
    timed = [trace for trace in traces if trace.lap.kind == "timed" and trace.lap.run.event_id == event.pk]
    return min(timed, key=lambda trace: trace.lap.time_s, default=None)


def usual_lap(traces: Sequence[LapTrace], event: Event) -> str:
    """The lap that is shown where none was asked for: the best of the newest run."""
    timed = [trace for trace in traces if trace.lap.run.event_id == event.pk and trace.lap.kind == "timed"]
    if not timed:
        return str(traces[0].pk) if traces else ""
    newest = max(trace.lap.run.number for trace in timed)
    return str(min((trace for trace in timed if trace.lap.run.number == newest), key=lambda trace: trace.lap.time_s).pk)


def usual_reference(traces: Sequence[LapTrace], event: Event, lap: str) -> str:
    """What a lap is held against where nothing was asked for: the best of the event, or the model's lap where that is the one."""
    best = best_of(traces, event)
    return MODEL if best is None or str(best.pk) == lap else str(best.pk)


def side_of(user: Person, event: Event, key: str, ground: Ground) -> Side:
    """One of the two laps.

    :raises Http404: if there is no such lap of this user at this circuit
    :raises ApexError: if the model has none, or its bytes cannot be read
    """
    if key == MODEL:
        return _modelled(event, ground)
    if not key.isdecimal() or len(key) > 12:
        raise Http404
    rows = owned(LapTrace, user).select_related("lap__run__event", "lap__run__sheet", "lap__run__logger")
    trace = rows.filter(pk=int(key), lap__run__event__circuit=event.circuit_id, lap__run__deleted_at=None).first()
    if trace is None:
        raise Http404
    run = trace.lap.run
    return Side(key, words_of(trace, event), f"{run.name} lap {trace.lap.number}", recorded_lap(trace), trace)


def _modelled(event: Event, ground: Ground) -> Side:
    """The model's lap with the sheet in the car, as a logger without scatter would record it."""
    row = sheet_in_car(event)
    if row is None:
        raise InputError("the model's lap", "no sheet in the car", "a sheet; save one on the Sheet bench first")
    lap = answers.answer_of(event, core_sheet(event, row)).lap
    words = f"the model with {row.name}, {format_lap(lap.time_s)}"
    return Side(MODEL, words, "the model", as_recorded(ground, cases.car_of(event), lap), None)


def as_recorded(ground: Ground, car: Car, lap: Lap) -> RecordedLap:
    """A lap of the model on an event's line as a logger without scatter would record it."""
    still = Sensors(0.0, 0.0, 0.0, 0.0)
    rng = np.random.default_rng(0)
    course = driven_course(ground.line, lap, lap.time_s, rng)
    t, columns = recorded(ground.line, car, lap, course, _MODEL_HZ, rng, still, beyond=1)
    part = cut(cleaned(t, columns), (0.0, lap.time_s)).laps[0]
    kept = {key: column for key, column in part.columns.items() if key != "fuel_l" and not key.startswith("tyre_")}
    return RecordedLap(0, part.t, kept)


@dataclass(frozen=True)
class Pair:
    """Two laps compared.

    :param notes: what was odd on one of them, as sentences
    """

    lap: Side
    reference: Side
    comparison: Comparison
    notes: tuple[str, ...]


def pair_of(ground: Ground, lap: Side, reference: Side) -> Pair:
    """Two laps side by side.

    :raises ApexError: if one cannot be laid on this circuit
    """
    for side in (lap, reference):
        fits_length(side.lap, ground.line.length_m)
    frames, told = frames_of([lap.lap, reference.lap], ground.base)
    one, other = placed([lap.lap, reference.lap], ground.base, frames)
    scatter = _scatter(ground, lap, reference)
    found = compared(one, other, ground.corners, ground.line.length_m, scatter)
    notes = [f"{side.short}: {note}" for side in (lap, reference) for note in side.lap.notes]
    return Pair(lap, reference, found, tuple(dict.fromkeys([*told, *notes])))


def _scatter(ground: Ground, lap: Side, reference: Side) -> dict[int, float]:
    """What the drivers of two laps scatter in each corner, by their other laps; empty where there are too few."""
    total: dict[int, float] = {}
    for side in (lap, reference):
        if side.trace is None:
            continue
        own = _run_scatter(ground, side.trace)
        if not own:
            return {}
        for number, sd in own.items():
            total[number] = total.get(number, 0.0) + sd**2
    return {number: variance**0.5 for number, variance in total.items()}


def _run_scatter(ground: Ground, trace: LapTrace) -> dict[int, float]:
    """Standard deviation of one lap's time in each corner, by the timed laps of its run nearest to it [s]."""
    rows = LapTrace.objects.filter(lap__run=trace.lap.run_id, lap__kind="timed").select_related("lap").order_by("lap__number")
    keys = sorted(rows.values_list("pk", "lap__number"), key=lambda one: abs(one[1] - trace.lap.number))[:_MOST_SCATTER]
    if len(keys) < _LEAST_SCATTER:
        return {}
    laps = [recorded_lap(row) for row in rows.filter(pk__in=[pk for pk, _ in keys])]
    laps = [one for one in laps if abs(one.length_m / ground.line.length_m - 1.0) <= LENGTH_OFF]
    if len(laps) < _LEAST_SCATTER:
        return {}
    alone = placed(laps, ground.base, [None] * len(laps))  # by the way alone: some centimetres do not matter here
    times = part_times(alone, ground.corners, ground.line.length_m)
    return {number: spread(times[:, number]).sd for number in range(times.shape[1])}
