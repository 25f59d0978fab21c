"""The next event made from one that was: the same car elsewhere, or the same place another day, in one step."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from apexcore.errors import ApexError
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import check_consistency
from apextrim.book import actions as book
from apextrim.events import actions as events
from apextrim.events.models import Event, Session
from apextrim.lap.asked import shown_case
from apextrim.library.models import Car, Circuit
from apextrim.modelling import cases
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import sheet_in_car


@dataclass(frozen=True)
class Wanted:
    """What the next event is.

    :param conditions: as the core has them
    :param starts: when its first session starts
    :param sheets: whether the sheet in the car is carried over
    :param book: whether the racer's book is
    :param rules: whether race rules and item limits are
    """

    name: str
    car: Car
    circuit: Circuit
    conditions: dict[str, float]
    starts: datetime
    sheets: bool
    book: bool
    rules: bool


@dataclass(frozen=True)
class Again:
    """What came of it.

    :param sheet: the one carried over, None where there was none, or it does not fit
    :param left: what could not be carried, as sentences
    """

    event: Event
    sheet: Sheet | None
    left: tuple[str, ...]


def again(owner: User, before: Event, wanted: Wanted) -> Again:
    """Makes an event from another; what cannot be carried is told, the rest is there.

    :raises ApexError: if the rules of the one before cannot be read
    """
    left: list[str] = []
    with transaction.atomic():
        event = events.create_event(owner, wanted.name, wanted.car, wanted.circuit, before.real_car)
        events.change_conditions(event, wanted.conditions)
        event.driver = before.driver
        same_car = before.car_id == wanted.car.pk
        if same_car and before.calibration:
            event.calibration = dict(before.calibration)
        if wanted.rules:
            event.rules = dict(before.rules)
            event.item_rules = dict(before.item_rules) if same_car else {}
            event.class_limits = dict(before.class_limits)
        event.save(update_fields=["driver", "calibration", "rules", "item_rules", "class_limits"])
        _sessions(event, before, wanted.starts)
    sheet = _sheet(event, before, left) if wanted.sheets else None
    if wanted.book and before.book.exists() and before.circuit_id == wanted.circuit.pk:
        try:
            left += book.carry(event, shown_case(event), book.book_file(before)).moved
        except ApexError as error:
            left.append(f"The book stays behind: {error}")
    return Again(event, sheet, tuple(left))


def _sessions(event: Event, before: Event, starts: datetime) -> None:
    """The sessions of the one before, as far apart as they were."""
    rows = list(before.sessions.all())
    if not rows:
        return
    event.session = None
    event.save(update_fields=["session"])
    event.sessions.all().delete()
    first = min(row.starts_at for row in rows)
    made = [
        Session.objects.create(event=event, name=row.name, kind=row.kind, starts_at=starts + (row.starts_at - first)) for row in rows
    ]  # fmt: skip
    event.session = made[0]
    event.save(update_fields=["session"])


def _sheet(event: Event, before: Event, left: list[str]) -> Sheet | None:
    row, car = sheet_in_car(before), cases.car_of(event)
    if row is None:
        return None
    values = {item.key: row.values.get(item.key, item.base) for item in car.items}
    lacking = sorted(set(row.values) - set(values))
    try:
        checked = {item.key: item.check(item.nearest_allowed(values[item.key])) for item in car.items}
        core = CoreSheet(car.key, checked)
        check_consistency(car, core)
    except ApexError as error:
        left.append(f"{row.name} stays behind: {error}")
        return None
    if lacking:
        left.append(f"{row.name}: {len(lacking)} values are not on {car.name}'s list and stay behind.")
    return save_sheet(event, core, None, f"{before.name}: {row.name}"[:200])


def usual_start(before: Event) -> datetime:
    """When the next event probably starts: a week from now, at the hour of the first session before."""
    first = before.sessions.order_by("starts_at").first()
    day = timezone.now() + timedelta(days=7)
    return day if first is None else day.replace(hour=first.starts_at.hour, minute=first.starts_at.minute, second=0, microsecond=0)
