"""Changes to cars and sheets: each one transaction with its knot."""

from __future__ import annotations

import math
from datetime import datetime
from typing import TYPE_CHECKING

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.values_json import read_sheet, read_value, write_value
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.ruled import within
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import checked_sheet
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.events.thread import tie

from .models import Car, Sheet, TyreReading

if TYPE_CHECKING:  # runs build on sheets, not the other way round
    from apextrim.runs.models import Run


@transaction.atomic
def add_car(owner: User, data: bytes) -> tuple[Car, bool]:
    """A car from its file; the same file again adds nothing.

    :returns: the car, and whether it is new
    :raises FileRejected: if the file is no car, or another car of this owner has its key
    """
    return keep_car(owner, read_value(data, CoreCar, "a car"))


@transaction.atomic
def keep_car(owner: User, core: CoreCar) -> tuple[Car, bool]:
    """A car of the core as a row; see `add_car`."""
    text = write_value(core)
    there = Car.objects.filter(owner=owner, key=core.key).first()
    if there is not None:
        if there.data == text:
            return there, False
        raise FileRejected([f"key: “{core.key}” is taken by {there.name} in your garage; expected a key of its own."])
    return Car.objects.create(owner=owner, key=core.key, name=core.name, data=text), True


@transaction.atomic
def change_car(row: Car, core: CoreCar) -> bool:
    """Changes the values of a car; what was before can be brought back. Returns whether anything changed.

    :raises FileRejected: if a saved sheet of this car would no longer be on its list
    """
    text = write_value(core)
    if text == row.data:
        return False
    problems = []
    for sheet in Sheet.objects.filter(event__car=row).select_related("event"):
        try:
            checked_sheet(core, sheet.values)
        except FileRejected as error:
            problems.append(f"{sheet.name} of {sheet.event.name}: {error.problems[0]}")
    if problems:
        more = f" And {len(problems) - 3} more sheets." if len(problems) > 3 else ""
        why = "Saved sheets would no longer fit this car; make another car from it instead. "
        raise FileRejected([why + " ".join(problems[:3]) + more])
    row.previous, row.data, row.name = row.data, text, core.name
    row.save(update_fields=["previous", "data", "name"])
    return True


@transaction.atomic
def undo_car(row: Car) -> bool:
    """Brings back the values before the last change. Returns whether there were any."""
    if not row.previous:
        return False
    return change_car(row, adapter.parsed_car(row.previous))


def _modelled_change(event: Event, parent: Sheet | None, sheet: CoreSheet) -> float | None:
    """Modelled lap against the parent's [s]; None where there is no parent or no solution."""
    if parent is None:
        return None
    try:
        before = adapter.answer_of(event, CoreSheet(sheet.car_key, parent.values))
        return adapter.answer_of(event, sheet).lap.time_s - before.lap.time_s
    except ApexError:
        return None


@transaction.atomic
def save_sheet(event: Event, sheet: CoreSheet, parent: Sheet | None, reason: str, at: datetime | None = None) -> Sheet:
    """Saves a checked sheet as the next of the event; the first one goes into the car at once."""
    number = (event.sheets.aggregate(last=Max("number"))["last"] or 0) + 1
    row = Sheet.objects.create(
        event=event, number=number, parent=parent, reason=reason, values=dict(sheet.values),
        modelled_s=_modelled_change(event, parent, sheet), made_at=at or timezone.now(),
    )  # fmt: skip
    if event.sheet_in_car_id is None:
        event.sheet_in_car = row
        event.save(update_fields=["sheet_in_car"])
    tie(event, "sheet", row.name, reason, row.pk, at)
    return row


#: Timed laps that a sheet of this purpose is fuelled for, and a lap each to go out and come in.
_FORKS = {"qualifying": 3, "training": 12}


@transaction.atomic
def fork_sheet(event: Event, row: Sheet, purpose: str) -> Sheet:
    """A sheet for a purpose, the same but for its fuel: enough for its laps at the modelled use, up to the next step.

    :param purpose: qualifying, race or training
    :raises InputError: for another purpose, or a tank that does not hold the race
    :raises SolverError: if the car cannot take the circuit
    """
    if purpose not in (*_FORKS, "race"):
        raise InputError("purpose", purpose, "qualifying, race or training")
    car, sheet = adapter.car_of(event), CoreSheet(adapter.car_of(event).key, row.values)
    rules = adapter.rules_of(event)
    laps = rules.laps + rules.formation_laps if purpose == "race" else _FORKS[purpose] + 2.0
    use = adapter.answer_of(event, sheet).lap.fuel_l
    item = next((one for one in car.items if one.sets == "fuel_l" and not one.locked), None)
    values, words = dict(within(car, sheet).values), f"fuel for {laps:g} laps at {use:.2f} l"
    if item is not None:
        wanted = laps * use * 1.03
        if wanted > item.high:
            if purpose != "race" or not rules.refuelling:
                raise InputError("fuel", f"{wanted:.1f} l", f"at most {item.text(item.high)}, for {laps:g} laps of {use:.2f} l")
            wanted, words = item.high, "a full tank, to be refuelled"
        steps = math.ceil((max(wanted, item.low) - item.low) / item.step - 1e-9)
        values[item.key] = item.held(item.low + steps * item.step)
    return save_sheet(event, CoreSheet(car.key, values), row, f"{purpose.capitalize()}, from {row.name}: {words}")


@transaction.atomic
def keep_reading(event: Event, sheet: Sheet, values: dict[str, float], run: Run | None) -> TyreReading:
    """Keeps what was read at the wheels, with the weather of now.

    :param values: of `reading_form.parsed_reading`
    :param run: the run after which it was read, None for none
    """
    return TyreReading.objects.create(event=event, sheet=sheet, run=run, values=values, conditions=event.conditions, made_at=timezone.now())


@transaction.atomic
def put_in_car(event: Event, sheet: Sheet) -> None:
    """Says which sheet is in the car."""
    event.sheet_in_car = sheet
    event.save(update_fields=["sheet_in_car"])


@transaction.atomic
def import_sheet(event: Event, data: bytes) -> tuple[Sheet, bool]:
    """A sheet from its file as the next of the event; one with the same values and reason adds nothing.

    :returns: the sheet, and whether it is new
    :raises FileRejected: if the file is no sheet, or is not for this car
    """
    file, sheet = read_sheet(data, adapter.car_of(event))
    reason = file.reason or "Imported"
    for row in event.sheets.all():
        if row.reason == reason and row.values == dict(sheet.values):
            return row, False
    return save_sheet(event, sheet, event.sheet_in_car, reason), True
