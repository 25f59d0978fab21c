"""What sheets answer the library and the events."""

from collections.abc import Sequence
from typing import Any

from django.dispatch import receiver

from apexcore.errors import ApexError, FileRejected
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.class_limits import against, standing
from apexcore.vehicle.limits import violations
from apexcore.vehicle.sheet import checked_sheet
from apextrim.events.facts import class_limits_of
from apextrim.events.models import Event
from apextrim.events.signals import (
    ClassRow,
    Panel,
    Violation,
    class_rows_wanted,
    facts_wanted,
    pace_shift,
    panels_wanted,
    sheet_names_wanted,
    violations_wanted,
)
from apextrim.library.models import Car
from apextrim.library.signals import car_changing
from apextrim.modelling import cases

from .models import Sheet
from .queries import core_sheet, expected_times, sheet_in_car

#: Sheets that no longer fit and are told in full.
_TOLD = 3


@receiver(car_changing)
def sheets_still_fit(row: Car, core: CoreCar, **_: Any) -> None:
    """Every saved sheet of a car must stay on its list.

    :raises FileRejected: naming the sheets that would not
    """
    problems = []
    for sheet in Sheet.objects.filter(event__car=row).select_related("event"):
        try:
            checked_sheet(core, sheet.values)
        except FileRejected as error:
            problems.append(f"{sheet.name} of {sheet.event.name}: {error.problems[0]}")
    if problems:
        more = f" And {len(problems) - _TOLD} more sheets." if len(problems) > _TOLD else ""
        why = "Saved sheets would no longer fit this car; make another car from it instead. "
        raise FileRejected([why + " ".join(problems[:_TOLD]) + more])


@receiver(facts_wanted)
def in_car_fact(event: Event, **_: Any) -> str:
    """Which sheet is in the car."""
    row = sheet_in_car(event)
    return f"{row.name} in the car" if row else "no sheet in the car"


@receiver(sheet_names_wanted)
def in_car_names(events: Sequence[Event], **_: Any) -> dict[int, str]:
    """Names of the sheets in the cars of these events, in one query."""
    return {row.event_id: row.name for row in Sheet.objects.filter(event__in=events, in_car=True)}


@receiver(panels_wanted)
def expected_panel(event: Event, **_: Any) -> Panel:
    """Lap times to expect with the sheet in the car."""
    try:
        shift = pace_shift(event)
        return Panel("sheets/_expected.html", {"expected": expected_times(event, shift), "shift": shift})
    except ApexError as error:
        return Panel("sheets/_expected.html", {"problem": str(error)})


@receiver(violations_wanted)
def sheets_outside(event: Event, **_: Any) -> list[Violation]:
    """Saved sheets that the item limits of their event do not allow."""
    car = cases.car_of(event)
    found = [(row.name, violations(car, core_sheet(event, row))) for row in event.sheets.all()]
    return [Violation(name, tuple(words)) for name, words in found if words]


@receiver(class_rows_wanted)
def sheets_in_class(event: Event, **_: Any) -> list[ClassRow]:
    """The sheets of an event, the newest first, as its class sees them."""
    car, limits = cases.car_of(event), class_limits_of(event)
    rows = [(row, standing(car, core_sheet(event, row), limits)) for row in event.sheets.order_by("-number")]
    return [ClassRow(row.pk, row.name, row.in_car, stands, against(limits, stands)) for row, stands in rows]
