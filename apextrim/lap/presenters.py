"""The corner table."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from apexcore.trim.reading.balance import CornerResult
from apextrim.library.models import CornerNote


@dataclass(frozen=True)
class CornerRow:
    """A line of the corner table; distances are from the start line, full throttle from the slowest point.

    :param way: left or right
    :param radius_m: least radius of the line [m]
    :param qualifying: the racer's note for qualifying
    :param race: for the race
    """

    result: CornerResult
    way: str
    radius_m: float
    qualifying: str
    race: str


def corner_rows(
    results: Sequence[CornerResult], notes: Mapping[int, CornerNote], typed: Mapping[int, tuple[str, str]] | None = None
) -> list[CornerRow]:
    """The corner table.

    :param typed: notes as typed where they came back wrong, by corner: qualifying and race
    """
    rows = []
    for result in results:
        corner, note = result.corner, notes.get(result.corner.number)
        saved = (note.qualifying, note.race) if note else ("", "")
        qualifying, race = (typed or {}).get(corner.number, saved)
        rows.append(CornerRow(result, "left" if corner.turn_deg > 0 else "right", corner.radius_m, qualifying, race))
    return rows
