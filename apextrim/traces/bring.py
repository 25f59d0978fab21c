"""A recording's file as laps of a run: read, cleaned, parted, looked at for wrong units, and written in one transaction."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from django.db import transaction

from apexcore.errors import FileRejected, InputError
from apexcore.judge.laps import DrivenLap, propose
from apexcore.judge.traces.channels import Match
from apexcore.judge.traces.clean import Cleaned, cleaned
from apexcore.judge.traces.cut import Cut, RecordedLap, StartLine, cut, other_speed_unit
from apexcore.judge.traces.frame import LENGTH_OFF, Base, laid_on, metres_of, way_of
from apexcore.quantities import format_lap
from apextrim.events.models import Session
from apextrim.runs.actions import add_run, lap_row
from apextrim.runs.models import LapTrace, Run, Upload
from apextrim.runs.recorded import origin_at, trace_row
from apextrim.sheets.models import Sheet

from .apart import WORKER_S, header_of_file, recording_of_file
from .compare import ground_of
from .uploads import path_of, remember

#: Times of one lap that are the same within what a clock of so many samples a second tells [s].
_SAME_LAP_S = 0.12
#: Most laps of one recording.
_MOST_LAPS = 2_000


@dataclass(frozen=True)
class Brought:
    """What came of a file.

    :param new: laps that were added
    :param traced: laps that were there and now have a trace
    :param there: laps that were there with theirs
    :param notes: what was done to the samples, as sentences
    """

    run: Run
    new: int
    traced: int
    there: int
    notes: tuple[str, ...]

    def told(self) -> list[str]:
        """The same as sentences."""
        parts = [f"{self.new} lap{'s' if self.new != 1 else ''} added to {self.run.name}"]
        if self.traced:
            parts.append(f"{self.traced} that were there now have their channels")
        if self.there:
            parts.append(f"{self.there} were there already, unchanged")
        return ["; ".join(parts) + ".", *self.notes[:12]]


def bring_in(upload: Upload, matches: Sequence[Match | None], told: Callable[[float], None]) -> Brought:
    """Brings a file in; all or nothing, and a repeat adds nothing.

    :param matches: what each of its columns is
    :param told: is told the share done
    :raises ApexError: naming what is wrong with it
    """
    event, path = upload.event, path_of(upload)
    header = header_of_file(path, WORKER_S)
    if len(matches) != len(header.names):
        raise FileRejected([f"{upload.name}: {len(header.names)} columns, {len(matches)} chosen; choose the columns again."])
    found = recording_of_file(path, header, matches, WORKER_S)
    told(0.35)
    run = _target(upload)
    columns, origin = metres_of(found.columns, origin_at(event))
    recording = cleaned(found.t, columns)
    del found, columns
    told(0.6)
    ground = ground_of(event)
    length = ground.line.length_m
    _ask_unit(recording, length)
    parts = cut(recording, line=_start_line(recording, ground.base), length_m=length)
    laps, hz, cleaning = _whole(parts, length), recording.hz, recording.notes
    del recording
    told(0.8)
    units = {match.key: match.unit for match in matches if match is not None and match.unit}
    with transaction.atomic():
        brought = _write(upload, run, laps, hz, origin, units)
        remember(event, header, matches)
    notes = (*cleaning, *parts.notes, f"Laps begin by {parts.how}.")
    return Brought(brought.run, brought.new, brought.traced, brought.there, notes)


def _target(upload: Upload) -> Run | None:
    """The run that a file is for; None for a new one."""
    asked = upload.target.get("run")
    if asked:
        return Run.objects.select_related("event").get(pk=asked, event=upload.event, deleted_at=None)
    return Run.objects.select_related("event").filter(event=upload.event, file_digest=upload.digest, deleted_at=None).first()


def _ask_unit(recording: Cleaned, length_m: float) -> None:
    """Whether the speed is in km/h, as the lengths of laps that a lap number or a distance parts tell.

    :raises FileRejected: if they say that it is not
    """
    if "speed_kmh" not in recording.columns:
        return
    try:
        parts = cut(recording)
    except InputError:
        return
    driven = float(np.median([lap.length_m for lap in parts.laps]))
    unit = other_speed_unit(driven, length_m)
    if unit is not None:
        raise FileRejected([_looks_like(driven, length_m, unit)])


def _looks_like(driven: float, length_m: float, unit: str) -> str:
    return f"The speed sums up to {driven:.0f} m a lap; the circuit has {length_m:.0f} m. It looks like {unit}: choose that as its unit."


def _start_line(recording: Cleaned, base: Base) -> StartLine | None:
    """Where the circuit's start line lies among a recording's positions; None where they do not lie on it."""
    if "x_m" not in recording.columns or "y_m" not in recording.columns:
        return None
    x, y = recording.columns["x_m"], recording.columns["y_m"]
    driven = way_of(x, y)  # not by the speed, whose unit may be wrong
    if driven[-1] < 0.9 * base.length_m:
        return None
    # a lap's worth from where the car is at speed, so that a pit lane does not count
    begin = 0.3 * max(float(driven[-1]) - 1.02 * base.length_m, 0.0)
    part = (driven >= begin) & (driven <= begin + base.length_m)
    try:
        frame = laid_on(x[part], y[part], base)
    except InputError:
        return None
    if frame.backwards:
        raise InputError("positions", "a lap driven the other way round", "laps in the direction of this event's circuit")
    return frame.in_recording(base.start())


def _whole(parts: Cut, length_m: float) -> list[RecordedLap]:
    """The laps that went round the circuit.

    :raises FileRejected: if none did, or there are too many
    """
    laps = [lap for lap in parts.laps if lap.length_m <= 0.0 or abs(lap.length_m / length_m - 1.0) <= LENGTH_OFF]
    if not laps:
        driven = ", ".join(f"{lap.length_m:.0f} m" for lap in parts.laps[:5])
        unit = other_speed_unit(float(np.median([lap.length_m for lap in parts.laps])), length_m)
        if unit is not None:
            raise FileRejected([_looks_like(parts.laps[0].length_m, length_m, unit)])
        raise FileRejected([f"No lap is as long as the circuit of this event, {length_m:.0f} m: {driven}. Is it the right circuit?"])
    if len(laps) > _MOST_LAPS:
        raise FileRejected([f"The file has {len(laps)} laps; expected at most {_MOST_LAPS}."])
    return laps


def _write(
    upload: Upload, run: Run | None, laps: Sequence[RecordedLap], hz: float, origin: tuple[float, float] | None, units: dict[str, str]
) -> Brought:  # fmt: skip
    """The rows. Laps of the run with their number and time get their traces; others are new."""
    if run is None:
        run = add_run(upload.event, _values(upload))
        Run.objects.filter(pk=run.pk).update(file_digest=upload.digest)
    there = {lap.number: lap for lap in run.laps.select_related("trace")}
    wrong = [
        f"Lap {lap.number}: {format_lap(lap.time_s)} in the file, {format_lap(there[lap.number].time_s)} in {run.name}; expected the same."
        for lap in laps
        if lap.number in there and abs(there[lap.number].time_s - lap.time_s) > _SAME_LAP_S
    ]
    if wrong:
        raise FileRejected([*wrong[:12], *([f"… and {len(wrong) - 12} more."] if len(wrong) > 12 else [])])
    new = [lap for lap in laps if lap.number not in there]
    kinds = propose([DrivenLap(lap.number, round(lap.time_s, 3)) for lap in new], False, False)
    made = []
    for lap, (kind, why) in zip(new, kinds, strict=True):
        row = lap_row(run, DrivenLap(lap.number, round(lap.time_s, 3), top_ms=_top_ms(lap)), kind, why)
        row.save()
        made.append(trace_row(row, lap, hz, origin, units))
    bare = [lap for lap in laps if lap.number in there and not hasattr(there[lap.number], "trace")]
    made += [trace_row(there[lap.number], lap, hz, origin, units) for lap in bare]
    LapTrace.objects.bulk_create(made, batch_size=20)
    return Brought(run, len(new), len(bare), len(laps) - len(new) - len(bare), ())


def _top_ms(lap: RecordedLap) -> float | None:
    speed = lap.columns.get("speed_kmh")
    if speed is None or not np.isfinite(speed).any():
        return None
    top = float(np.nanmax(speed)) / 3.6
    return round(top, 2) if top > 2.8 else None


def _values(upload: Upload) -> dict[str, object]:
    """What a new run is made of, of what was typed with the file.

    :raises FileRejected: if its sheet is gone
    """
    target = upload.target
    sheet = Sheet.objects.filter(pk=target.get("sheet"), event=upload.event).first()
    if sheet is None:
        raise FileRejected(["The sheet that was chosen is gone; choose the file again."])
    session = Session.objects.filter(pk=target.get("session") or 0, event=upload.event).first()
    names = ("front", "rear", "tyre_age", "tyre_set", "scrubbed", "pace_laps", "fuel_l", "tags", "note")
    plain = {name: target[name] for name in names if name in target}
    return {**plain, "sheet": sheet, "session": session}
