"""The corner table."""

from collections.abc import Mapping, Sequence

from apexcore.trim.reading.balance import CornerResult
from apextrim.library.models import CornerNote


def corner_rows(results: Sequence[CornerResult], notes: Mapping[int, CornerNote]) -> list[dict[str, object]]:
    """The corner table; distances are from the start line, full throttle from the slowest point."""
    rows = []
    for one in results:
        note = notes.get(one.corner.number)
        rows.append(
            {
                "result": one,
                "radius_m": one.corner.radius_m,
                "way": "left" if one.corner.turn_deg > 0 else "right",
                "qualifying": note.qualifying if note else "",
                "race": note.race if note else "",
            }
        )
    return rows
