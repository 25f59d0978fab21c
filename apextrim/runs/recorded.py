"""Recorded channels of runs: a logger's samples kept in chunks as they come, and made into the traces of laps as soon as one is done."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from apexcore.errors import ApexError, InputError
from apexcore.formats.packed import MOST_COLUMNS, pack, unpack
from apexcore.judge.traces.channels import CHANNELS
from apexcore.judge.traces.clean import Cleaned, cleaned
from apexcore.judge.traces.cut import RecordedLap, begun_anew, cut
from apexcore.judge.traces.frame import metres_of
from apextrim.events.models import Event

from .models import Chunk, Lap, LapTrace, Run

Floats = NDArray[np.float64]

#: Moments of two samples that are the same [s].
_SAME_S = 5e-5
#: Silence at the end of a lap within which the samples of it may still come [s].
_LATE_S = 0.25
#: Share of a lap by which its time and that between two starts of the distance may differ for the two to be the same lap [-].
_LIKE = 0.02


@transaction.atomic
def put_samples(run: Run, t_s: Floats, channels: Mapping[str, Floats]) -> int:
    """Keeps samples of a run; those of moments that are there already are passed over.

    :param t_s: moments on the logger's clock [s]
    :param channels: by name, of the same length
    :returns: how many are new
    """
    new = np.isfinite(t_s)
    if run.sampled_to_s is not None:
        new &= t_s > run.sampled_to_s + _SAME_S
    _, first = np.unique(np.round(t_s / _SAME_S), return_index=True)
    once = np.zeros(len(t_s), dtype=bool)
    once[first] = True
    new &= once
    if new.any():
        low, high = float(t_s[new].min()), float(t_s[new].max())
        for chunk in run.chunks.filter(last_s__gte=low - _SAME_S, first_s__lte=high + _SAME_S):
            there = np.sort(unpack(bytes(chunk.data)).t)
            place = np.clip(np.searchsorted(there, t_s), 1, max(len(there) - 1, 1))
            near = np.minimum(np.abs(there[np.minimum(place, len(there) - 1)] - t_s), np.abs(there[place - 1] - t_s))
            new &= near > _SAME_S
    if not new.any():
        return 0
    columns = {name: np.asarray(column, dtype=np.float64)[new] for name, column in list(channels.items())[:MOST_COLUMNS]}
    moments = t_s[new]
    Chunk.objects.create(
        run=run, first_s=float(moments.min()), last_s=float(moments.max()), rows=len(moments), data=pack(moments, _without_lost(columns))
    )  # fmt: skip
    return int(new.sum())


def _without_lost(columns: Mapping[str, Floats]) -> dict[str, Floats]:
    """Positions in degrees in two columns each: 32 bits alone would round them to some decimetres."""
    found = dict(columns)
    for key in ("latitude_deg", "longitude_deg"):
        if key in found:
            whole = np.round(found[key] * 100.0) / 100.0
            found[f"{key}~"] = found[key] - whole
            found[key] = whole
    return found


def _with_lost(columns: Mapping[str, Floats]) -> dict[str, Floats]:
    found = dict(columns)
    for key in ("latitude_deg", "longitude_deg"):
        if f"{key}~" in found:
            found[key] = np.round(found[key] * 100.0) / 100.0 + found.pop(f"{key}~")
    return found


def samples_of(run: Run) -> tuple[Floats, dict[str, Floats]]:
    """The samples of a run that are in chunks, as they came."""
    return _joined(run.chunks.values_list("data", flat=True))


def _joined(chunks: Iterable[bytes | memoryview]) -> tuple[Floats, dict[str, Floats]]:
    """Chunks one after the other; a channel that some of them lack is not known there."""
    parts = [unpack(bytes(data)) for data in chunks]
    if not parts:
        return np.empty(0), {}
    names = dict.fromkeys(name for part in parts for name in part.columns)
    columns = {
        name: np.concatenate([part.columns.get(name, np.full(len(part.t), np.nan)) for part in parts]) for name in names
    }  # fmt: skip
    return np.concatenate([part.t for part in parts]), _with_lost(columns)


def origin_at(event: Event) -> tuple[float, float] | None:
    """The place from which positions at an event's circuit are told already; None where none are."""
    row = LapTrace.objects.filter(lap__run__event__owner=event.owner_id, lap__run__event__circuit=event.circuit_id, origin__isnull=False)
    found = row.values_list("origin", flat=True).first()
    return None if found is None else (float(found[0]), float(found[1]))


def trace_row(lap: Lap, recorded: RecordedLap, hz: float, origin: tuple[float, float] | None, units: Mapping[str, str]) -> LapTrace:
    """A recorded lap as a row, not yet kept.

    :param origin: that its positions are told from, if it has any
    """
    origin = origin if "x_m" in recorded.columns else None
    return LapTrace(
        lap=lap, data=pack(recorded.t, recorded.columns), rows=len(recorded.t), hz=round(hz, 3), keys=list(recorded.columns),
        units={key: unit for key, unit in units.items() if key in recorded.columns}, origin=None if origin is None else list(origin),
        notes=list(recorded.notes),
    )  # fmt: skip


def recorded_lap(trace: LapTrace) -> RecordedLap:
    """A trace as the core knows it."""
    packed = unpack(bytes(trace.data))
    return RecordedLap(trace.lap.number, packed.t, packed.columns, tuple(trace.notes))


def has_open_chunks(run: Run) -> bool:
    """Whether samples of a run wait to become traces."""
    return run.chunks.filter(last_s__gt=run.sampled_to_s or -1.0).exists()


@dataclass(frozen=True)
class _Ends:
    """A lap's row with when it began and ended on the logger's clock [s]."""

    row: Lap
    begin_s: float
    end_s: float


def _ends(rows: Sequence[Lap], t: Floats, columns: Mapping[str, Floats]) -> list[_Ends]:
    """When each lap began and ended: told by the logger, else by the times added up, moved to where the distance begins anew."""
    found, clock = [], 0.0
    for row in rows:
        end = row.at_s if row.at_s is not None else clock + row.time_s
        found.append(_Ends(row, end - row.time_s, end))
        clock = end
    if all(row.at_s is not None for row in rows):
        return found
    starts = begun_anew(t, columns)
    if starts is not None and len(starts) > 1:
        moved = []
        for one in found:
            if one.row.at_s is not None:
                moved.append(one)
                continue
            k = int(np.argmin(np.abs(starts - one.end_s)))
            lap_s = float(starts[k] - starts[k - 1]) if k > 0 else 0.0
            fits = abs(starts[k] - one.end_s) < 0.5 * one.row.time_s and (k == 0 or abs(lap_s - one.row.time_s) < _LIKE * one.row.time_s)
            end = float(starts[k]) if fits else one.end_s
            moved.append(_Ends(one.row, end - one.row.time_s, end))
        return moved
    return found


def build(run: Run) -> int:
    """Makes traces of the laps of a run whose samples are there; computes first, writes in one transaction.

    :returns: how many laps got one
    """
    if not has_open_chunks(run):
        return 0
    t, columns = samples_of(run)
    rows = list(run.laps.all())
    bare = set(rows) - set(Lap.objects.filter(run=run, trace__isnull=False))
    last = float(np.nanmax(t))
    origin = origin_at(run.event)
    columns, own_origin = metres_of(columns, origin)
    made = []
    ready = [one for one in _ends(rows, t, columns) if one.row in bare and (one.end_s <= last + _LATE_S or run.closed)]
    if ready:
        try:
            recording = cleaned(t, columns)
        except InputError:
            recording = None
        for one in ready:
            lap = None if recording is None else _lap_of(recording, one)
            if lap is not None and recording is not None:
                made.append(trace_row(one.row, lap, recording.hz, own_origin, {}))
    with transaction.atomic():
        LapTrace.objects.bulk_create(made, ignore_conflicts=True)
        if run.closed:
            Run.objects.filter(pk=run.pk).update(sampled_to_s=last)
            whole = not run.laps.filter(trace__isnull=True).exists()
            if whole and (run.logger is None or not run.logger.keep_samples):  # samples that became no trace stay as they came
                run.chunks.all().delete()
    return len(made)


def _lap_of(recording: Cleaned, one: _Ends) -> RecordedLap | None:
    """A lap of a recording; None where its samples do not reach from line to line."""
    try:
        parts = cut(recording, (one.begin_s, one.end_s))
    except ApexError:
        return None
    lap = parts.laps[0]
    return RecordedLap(one.row.number, lap.t, lap.columns, (*recording.notes, *lap.notes))


@dataclass(frozen=True)
class LapUnderWay:
    """What is recorded of a lap that is not over yet.

    :param number: of the lap
    :param t: since it began [s]
    """

    number: int
    t: Floats
    columns: dict[str, Floats]


def under_way(run: Run) -> LapUnderWay | None:
    """The lap that a run is on, as far as its samples have come; None where there are none."""
    rows = list(run.laps.order_by("number"))
    begin = rows[-1].at_s if rows else None
    if begin is None and rows:
        begin = sum(row.time_s for row in rows)
    t, columns = _joined(run.chunks.filter(last_s__gt=-1.0 if begin is None else begin).values_list("data", flat=True))
    order = np.argsort(t, kind="stable")
    order = order if begin is None else order[t[order] > begin]
    if len(order) < 2:
        return None
    columns, _ = metres_of({name: column[order] for name, column in columns.items()}, origin_at(run.event))
    start = float(t[order[0]]) if begin is None else begin
    return LapUnderWay(rows[-1].number + 1 if rows else 1, t[order] - start, columns)


def build_all(runs: Sequence[Run]) -> None:
    """Makes the traces of these runs."""
    for run in runs:
        build(run)


def run_channels(run: Run, length_m: float) -> dict[str, Floats]:
    """Channels of a whole run, lap after lap: of its traces, or of its samples as they came where there are none.

    :param length_m: of the lap, to which the way of each is closed [m]
    """
    build(run)
    traces = list(LapTrace.objects.filter(lap__run=run).select_related("lap").order_by("lap__number"))
    if not traces:
        return samples_of(run)[1]
    laps = [recorded_lap(trace) for trace in traces]
    keys = set.intersection(*(set(lap.columns) for lap in laps))
    columns = {key: np.concatenate([lap.columns[key][:-1] for lap in laps]) for key in keys}
    if "distance_m" in columns:
        columns["distance_m"] = np.concatenate([lap.columns["distance_m"][:-1] * (length_m / lap.length_m) for lap in laps])
    return columns


def has_samples(event_id: int) -> set[int]:
    """Keys of the runs of an event of which something is recorded."""
    traced = LapTrace.objects.filter(lap__run__event=event_id).order_by().values_list("lap__run", flat=True).distinct()
    return set(traced) | set(Chunk.objects.filter(run__event=event_id).order_by().values_list("run", flat=True).distinct())


def known_channels(keys: Sequence[str]) -> list[str]:
    """Channels in the order in which they are shown: those with a meaning here first."""
    order = {key: place for place, key in enumerate(CHANNELS)}
    return sorted(keys, key=lambda key: (order.get(key, len(order)), key))
