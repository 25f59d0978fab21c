"""Changes to sheets: each one transaction with its knot."""

from datetime import datetime

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from apexcore.errors import ApexError, InputError
from apexcore.formats.values_json import read_sheet
from apexcore.race.fuel import sheet_fuel_l
from apexcore.race.length import distance_laps
from apexcore.vehicle.limits import clamped
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.facts import rules_of
from apextrim.events.models import Event
from apextrim.events.thread import tie
from apextrim.modelling import answers, cases

from .models import Sheet
from .queries import sheet_in_car


def _modelled_change(event: Event, parent: Sheet | None, sheet: CoreSheet) -> float | None:
    """Modelled lap against the parent's [s]; None where there is no parent or no solution."""
    if parent is None:
        return None
    try:
        before = answers.answer_of(event, CoreSheet(sheet.car_key, parent.values))
        return answers.answer_of(event, sheet).lap.time_s - before.lap.time_s
    except ApexError:
        return None


def save_sheet(event: Event, sheet: CoreSheet, parent: Sheet | None, reason: str, at: datetime | None = None) -> Sheet:
    """Saves a checked sheet as the next of the event; the first one goes into the car at once."""
    modelled_s = _modelled_change(event, parent, sheet)  # before the transaction: nobody waits for a lap
    with transaction.atomic():
        number = (Sheet.everything.filter(event=event).aggregate(last=Max("number"))["last"] or 0) + 1
        row = Sheet.objects.create(
            event=event, number=number, parent=parent, reason=reason, values=dict(sheet.values), modelled_s=modelled_s,
            made_at=at or timezone.now(),
        )  # fmt: skip
        if sheet_in_car(event) is None:
            put_in_car(event, row)
        tie(event, "sheet", row.name, reason, row.pk, at)
    return row


#: Timed laps that a sheet of this purpose is fuelled for, and a lap each to go out and come in.
_FORKS = {"qualifying": 3, "training": 12}


def fork_sheet(event: Event, row: Sheet, purpose: str) -> Sheet:
    """A sheet for a purpose, the same but for its fuel: enough for its laps at the modelled use, up to the next step.

    :param purpose: qualifying, race or training
    :raises InputError: for another purpose, or a tank that does not hold the race
    :raises SolverError: if the car cannot take the circuit
    """
    if purpose not in (*_FORKS, "race"):
        raise InputError("purpose", purpose, "qualifying, race or training")
    car, sheet = cases.car_of(event), CoreSheet(cases.car_of(event).key, row.values)
    rules = rules_of(event)
    lap = answers.answer_of(event, sheet).lap
    laps, use = distance_laps(rules, lap.time_s) + rules.formation_laps if purpose == "race" else _FORKS[purpose] + 2.0, lap.fuel_l
    item = car.free_item("fuel_l")
    values, words = dict(clamped(car, sheet).values), f"fuel for {laps:g} laps at {use:.2f} l"
    if item is not None:
        wanted = sheet_fuel_l(use, laps)
        if wanted > item.high:
            if purpose != "race" or not rules.refuelling:
                raise InputError("fuel", f"{wanted:.1f} l", f"at most {item.text(item.high)}, for {laps:g} laps of {use:.2f} l")
            wanted, words = item.high, "a full tank, to be refuelled"
        values[item.key] = item.at_least(wanted)
    return save_sheet(event, CoreSheet(car.key, values), row, f"{purpose.capitalize()}, from {row.name}: {words}")


@transaction.atomic
def put_in_car(event: Event, sheet: Sheet) -> None:
    """Says which sheet is in the car."""
    event.sheets.filter(in_car=True).exclude(pk=sheet.pk).update(in_car=False)
    sheet.in_car = True
    sheet.save(update_fields=["in_car"])


def import_sheet(event: Event, data: bytes) -> tuple[Sheet, bool]:
    """A sheet from its file as the next of the event; one with the same values and reason adds nothing.

    :returns: the sheet, and whether it is new
    :raises FileRejected: if the file is no sheet, or is not for this car
    """
    file, sheet = read_sheet(data, cases.car_of(event))
    reason = file.reason or "Imported"
    for row in event.sheets.all():
        if row.reason == reason and row.values == dict(sheet.values):
            return row, False
    return save_sheet(event, sheet, None, reason), True  # nobody knows what it was made from
