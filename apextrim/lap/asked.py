"""Lines under a wish for one corner: asked for, kept by what they were made from, read back for the corner's page."""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from apexcore.circuit.line import CornerSpan, Line, offset_line
from apexcore.circuit.lines import groove_words
from apexcore.circuit.track import Circuit, centre_line
from apexcore.errors import SolverError
from apexcore.lap.quickest import Quickest
from apexcore.lap.wishes import WISH_WORDS, Asked, Wish
from apexcore.trim.ways import Driven
from apextrim.book.queries import driven_on
from apextrim.events.models import Event
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import cases
from apextrim.sheets.queries import core_sheet_in_car

from .models import AskedLine

#: Wishes that any corner may have, and those that need lanes.
PLAIN = ("early", "middle", "late", "tight", "wide")
#: Lines of one event that are kept: the newest.
KEPT = 160


@dataclass(frozen=True)
class Offer:
    """A wish that a corner's page offers.

    :param key: as a form sends it
    :param row: the line, if it was made or is being made
    """

    key: str
    words: str
    row: AskedLine | None


#: What a lane, a tight line, a shifted apex and a kerb mean: lines that were made when they meant something else are asked for anew.
_EDITION = 3


def made_from(case: cases.Case, corner: int, key: str) -> str:
    """What a line under a wish is known by."""
    return case.digest(corner, key, _EDITION)


def shown_case(event: Event) -> cases.Case:
    """The case that the Lap bench shows: of the sheet in the car."""
    return cases.case_of(event, core_sheet_in_car(event))


def free_of(case: cases.Case) -> Quickest | None:
    """The line that wishes start from; None where it is that of least curvature."""
    if not case.line:
        return None
    line = case.lap_case().line
    return Quickest(line.offset, line, 0.0, 0.0, 0)


def wish_of(key: str, corner: int) -> Wish | None:
    """The wish of a form's key; None where it is none."""
    kind, _, number = key.partition("-")
    if kind == "lane" and number.isdecimal() and len(number) < 4:
        return Wish("lane", corner, lane=int(number))
    if not number and kind in (*PLAIN, "kerb"):
        return Wish(kind, corner)  # type: ignore[arg-type]
    return None


def words_of(key: str, lanes: int = 0) -> str:
    """A wish in words.

    :param lanes: of the circuit
    """
    kind, _, number = key.partition("-")
    if kind != "lane":
        return WISH_WORDS[kind]
    name = groove_words(int(number), lanes)
    return name if "groove" in name else f"{name} groove"


def offers(event: Event, case: cases.Case, span: CornerSpan) -> list[Offer]:
    """The wishes that make sense for a corner, with the lines that are there."""
    circuit = parsed_circuit(case.circuit)
    lanes = [f"lane-{number + 1}" for number in range(circuit.lanes if circuit.lanes > 1 else 0)]
    keys = [*PLAIN, *(["kerb"] if _has_kerb(case, span) else []), *lanes]
    digests = {made_from(case, span.number, key): key for key in keys}
    rows = AskedLine.objects.filter(event=event, made_from__in=list(digests)).select_related("job")
    there = {digests[row.made_from]: row for row in rows}
    return [Offer(key, words_of(key, circuit.lanes), there.get(key)) for key in keys]


def _has_kerb(case: cases.Case, span: CornerSpan) -> bool:
    """Whether a kerb lies beside a corner or just behind it."""
    s, length = case.lap_case().line.s, case.lap_case().line.length_m
    first, last = float(s[span.first % len(s)]) - 30.0, float(s[span.last % len(s)]) + 60.0
    return any(
        marker.kind == "kerb" and marker.side != "across" and (marker.at_m - first) % length <= (last - first) % length
        for marker in parsed_circuit(case.circuit).markers
    )


def driven_on_lines(case: cases.Case, span: CornerSpan, offers: Sequence[Offer]) -> dict[str, Driven]:
    """How the corner is driven on each line that was made, by the key of its wish."""
    stations, found = len(centre_line(parsed_circuit(case.circuit)).x), {}
    for offer in offers:
        if offer.row is not None and len(offer.row.offsets_m) == stations:
            with suppress(SolverError):
                found[offer.key] = driven_on(case, span.number, tuple(offer.row.offsets_m))
    return found


def figures(asked: Asked) -> dict[str, Any]:
    """What a row keeps of a line."""
    return {"lap_s": asked.lap_s, "from_m": asked.from_m, "to_m": asked.to_m, "asked": asdict(asked.asked), "free": asdict(asked.free)}


def line_of(row: AskedLine, circuit: Circuit) -> Line | None:
    """The line of a row; None where the circuit has outgrown it."""
    centre = centre_line(circuit)
    return offset_line(centre, np.array(row.offsets_m, dtype=np.float64)) if len(row.offsets_m) == len(centre.x) else None
