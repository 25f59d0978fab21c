"""Values of the sheet bench that are not saved, carried to the pages that are asked about a sheet."""

from typing import Any

from django.http import HttpRequest

from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import differences
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.sheets import queries
from apextrim.sheets.models import Sheet
from apextrim.sheets.proposed import read_proposed, set_query


def asked_on(request: HttpRequest, event: Event, row: Sheet) -> tuple[CoreSheet, dict[str, Any]]:
    """The sheet with what is unsaved on it, and what the page needs to say so and to keep it."""
    asked = request.GET.getlist("set")
    car, saved = cases.car_of(event), queries.core_sheet(event, row)
    proposed = read_proposed(car, saved, asked)
    unsaved = differences(car, saved, proposed.sheet)
    return proposed.sheet, {
        "unsaved": unsaved, "refused": proposed.refused, "kept": asked,
        "kept_query": set_query((change.item, change.after) for change in unsaved),
    }  # fmt: skip
