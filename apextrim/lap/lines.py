"""The lines of least time that an event's benches stand on: of its car, base sheet and day, known by what they were made from."""

import json
from collections.abc import Sequence
from datetime import datetime

import numpy as np

from apexcore.circuit.line import offset_line
from apexcore.circuit.track import centre_line
from apexcore.trim.moves.pool import Pool
from apextrim.events.models import Event
from apextrim.library.stored import found_lines, parsed_circuit
from apextrim.modelling import cases
from apextrim.sheets.queries import core_base_sheet

from .models import FoundLine

#: Edition of the model that lines are found with: those of an earlier one are no longer those of the day.
_EDITION = 3
#: Lines of one event that are kept: the newest.
_KEPT = 6


def made_from(event: Event) -> str:
    """Digest of all that an event's lines depend on: car, circuit, weather, driver, and the sheet that it began with."""
    return cases.on_no_line(event, core_base_sheet(event)).digest(_EDITION)


def of_today(event: Event) -> FoundLine | None:
    """The lines found for the car, base sheet and day as they are; None where they are still to be found."""
    return FoundLine.objects.filter(event=event, made_from=made_from(event)).first()


def keep(event: Event, digest: str, found: Pool, at: datetime) -> FoundLine:
    """Keeps lines; the oldest ones of the event go."""
    return keep_told(event, digest, [[round(float(value), 6) for value in one] for one in found.lines], found.time_s, found.before_s, at)


def keep_told(event: Event, digest: str, offsets_m: Sequence[Sequence[float]], time_s: float, before_s: float, at: datetime) -> FoundLine:
    """Keeps lines of any origin; the oldest ones of the event go."""
    told = {"offsets_m": [list(one) for one in offsets_m], "time_s": time_s, "before_s": before_s, "made_at": at}
    row, _ = FoundLine.objects.update_or_create(event=event, made_from=digest, defaults=told)
    lines = FoundLine.objects.filter(event=event)
    lines.exclude(pk__in=list(lines.values_list("pk", flat=True)[:_KEPT])).delete()
    return row


def text_of(row: FoundLine) -> str:
    """The offsets of lines as the benches read them."""
    return json.dumps(row.offsets_m)


#: Largest curvature of a line that comes from elsewhere: over that of the middle of the road [-], and beyond [1/m].
_MOST_BEND, _BEYOND = 1.5, 0.03


def fit(event: Event, offsets_m: Sequence[Sequence[float]]) -> bool:
    """Whether lines that come from elsewhere lie on the road and could be driven."""
    text, width = event.circuit.data, cases.car_of(event).width_m
    middle = np.abs(offset_line(centre := centre_line(parsed_circuit(text)), np.zeros(len(centre.x))).road[:, 0]).max()
    there = found_lines(text, width, json.dumps([list(one) for one in offsets_m]))
    return len(there) == len(offsets_m) and all(np.abs(line.road[:, 0]).max() <= _MOST_BEND * middle + _BEYOND for line in there)


def stand_on(event: Event, row: FoundLine) -> None:
    """Makes every bench of an event stand on these lines. Marks stay where they are: they are places along the middle of the road."""
    event.line = text_of(row)
    event.save(update_fields=["line"])
