"""The line of least time of an event's sheet: known by what it was made from."""

import hashlib
import json
from dataclasses import replace
from datetime import datetime

import numpy as np

from apexcore.circuit.line import CornerSpan, Line, corners, offset_line
from apexcore.circuit.track import centre_line
from apexcore.lap.quickest import Quickest
from apexcore.lap.solver import LapCase
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import cases
from apextrim.runs.queries import rows_of
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet

from .models import FoundLine

#: Edition of the model that lines are found with: those of an earlier one are no longer a sheet's own.
_EDITION = 2
#: Lines of one event that are kept: the newest.
_KEPT = 6


def made_from(event: Event, sheet: Sheet | None) -> str:
    """Digest of all that a line of least time depends on."""
    case = cases.case_of(event, core_sheet(event, sheet))
    return hashlib.sha256(json.dumps([*case[:4], [list(pair) for pair in case.values], _EDITION]).encode()).hexdigest()


def newest(event: Event, sheet: Sheet | None) -> tuple[FoundLine | None, bool]:
    """The line found for this sheet, here and today, else the newest of the event; and whether it is the former."""
    lines = FoundLine.objects.filter(event=event)
    own = lines.filter(made_from=made_from(event, sheet)).first()
    return (own, True) if own is not None else (lines.first(), False)


def keep(event: Event, sheet: Sheet | None, digest: str, found: Quickest, at: datetime) -> FoundLine:
    """Keeps a line; the oldest ones of the event go."""
    row = FoundLine.objects.create(
        event=event, sheet=sheet, made_from=digest, offsets_m=[round(float(value), 6) for value in found.offset], time_s=found.time_s,
        before_s=found.before_s, made_at=at,
    )  # fmt: skip
    lines = FoundLine.objects.filter(event=event)
    lines.exclude(pk__in=list(lines.values_list("pk", flat=True)[:_KEPT])).delete()
    return row


def stand_on(event: Event, line: Quickest) -> bool:
    """Makes every bench of an event stand on a line, unless it has runs already: what was modelled beside them must not move.

    Returns whether they do.
    """
    if rows_of(event).exists():
        return False
    event.line = json.dumps([round(float(value), 6) for value in line.offset])  # a tenth of a millimetre bends a line
    event.save(update_fields=["line"])
    return True


@kept_within(16 * MB)
def _line(circuit: str, offsets: tuple[float, ...]) -> tuple[Line, tuple[CornerSpan, ...]]:
    core = parsed_circuit(circuit)
    line = offset_line(centre_line(core), np.array(offsets))
    return line, tuple(corners(core, line))


def case_on(event: Event, row: FoundLine) -> tuple[LapCase, tuple[CornerSpan, ...]]:
    """The lap case of an event on a line that was found, and the corners on it."""
    line, spans = _line(event.circuit.data, tuple(row.offsets_m))
    return replace(cases.lap_case_of(event), line=line), spans
