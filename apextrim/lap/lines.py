"""The line of least time of an event's sheet: known by what it was made from."""

import hashlib
import json
from dataclasses import replace
from datetime import datetime

from apexcore.circuit.line import CornerSpan
from apexcore.lap.quickest import Quickest
from apexcore.lap.solver import LapCase
from apextrim.events.models import Event
from apextrim.library.stored import driven_line
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


def text_of(row: FoundLine) -> str:
    """A line's offsets as the benches read them."""
    return json.dumps(row.offsets_m)


def stand_on(event: Event, row: FoundLine) -> bool:
    """Makes every bench of an event stand on a line, unless it has runs already: what was modelled beside them must not move.

    Returns whether they do.
    """
    if rows_of(event).exists():
        return False
    event.line = text_of(row)
    event.save(update_fields=["line"])
    return True


def case_on(event: Event, row: FoundLine) -> tuple[LapCase, tuple[CornerSpan, ...]]:
    """The lap case of an event on a line that was found, and the corners on it."""
    lap_case = cases.lap_case_of(event)
    line, spans = driven_line(event.circuit.data, lap_case.car.width_m, text_of(row))
    return replace(lap_case, line=line), spans
