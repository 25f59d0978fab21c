"""Changes to an event: each one transaction with its knot."""

from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from apexcore.circuit.conditions import Conditions
from apexcore.quantities import format_number
from apexcore.race.length import length_words
from apexcore.race.rules import RaceRules
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.limits import Limit, with_limits
from apextrim.library.models import Car, Circuit

from . import facts
from .models import Event, Session
from .thread import tie

_WORDS = {
    "air_c": ("air", "°C"), "track_c": ("track", "°C"), "humidity_pct": ("humidity", "%"), "pressure_hpa": ("pressure", "hPa"),
    "wind_ms": ("wind", "m/s"), "wind_from_deg": ("wind from", "°"), "rubber_pct": ("rubber", "%"), "wet_pct": ("wetness", "%"),
    "standing_mm": ("standing water", "mm"),
}  # fmt: skip

#: Rules of a new event: a short club race.
_FIRST_RULES = {"laps": 20, "pit_loss_s": 25.0}


@transaction.atomic
def create_event(owner: User, name: str, car: Car, circuit: Circuit, real_car: bool, at: datetime | None = None) -> Event:
    """A new event with a practice, a qualifying and a race, and book conditions."""
    now = at or timezone.now()
    event = Event.objects.create(
        owner=owner, name=name, car=car, circuit=circuit, real_car=real_car, made_at=now,
        conditions=Conditions().model_dump(), rules=_FIRST_RULES,
    )  # fmt: skip
    for kind in ("practice", "qualifying", "race"):
        session = Session.objects.create(event=event, name=kind.capitalize(), kind=kind, starts_at=now)
        if kind == "practice":
            event.session = session
    event.save()
    tie(event, "brief", "Brief", f"{name}: {car.name} at {circuit}", at=now)
    return event


@transaction.atomic
def change_conditions(event: Event, values: dict[str, float], at: datetime | None = None) -> bool:
    """Sets the conditions; ties a knot that names what changed. False if nothing did."""
    before, after = facts.conditions_of(event).model_dump(), Conditions.model_validate(values).model_dump()
    changed = [key for key in after if abs(after[key] - before[key]) > 1e-9]
    if not changed:
        return False
    event.conditions = after
    event.save(update_fields=["conditions"])
    parts = [f"{_WORDS[k][0]} {format_number(before[k], 0)} → {format_number(after[k], 0)} {_WORDS[k][1]}" for k in changed]
    tie(event, "brief", "Weather", ", ".join(parts), at=at)
    return True


@transaction.atomic
def read_weather(event: Event, values: dict[str, float]) -> None:
    """Takes over what a weather station read; it reads often, so that no knot is tied."""
    event.conditions = Conditions.model_validate({**event.conditions, **values}).model_dump()
    event.save(update_fields=["conditions"])


@transaction.atomic
def change_rules(event: Event, values: dict[str, Any], at: datetime | None = None) -> bool:
    """Sets the race rules. False if nothing changed."""
    told = {"around": facts.rules_of(event).around, **{name: value for name, value in values.items() if value is not None}}
    rules = RaceRules.model_validate({**told, "tank_l": facts.book_car_of(event).tank_l})
    if rules == facts.rules_of(event):
        return False
    event.rules = rules.model_dump(exclude={"tank_l"}, mode="json")
    event.save(update_fields=["rules"])
    needs = f", {' and '.join(rules.compulsory)} compulsory" if rules.compulsory else ""
    tie(event, "brief", "Rules", f"Race over {length_words(rules)}, pit lane {rules.pit_loss_s:.0f} s{needs}", at=at)
    return True


@transaction.atomic
def change_item_rules(event: Event, limits: dict[str, Limit], at: datetime | None = None) -> bool:
    """Sets which items the rules hold or narrow. False if nothing changed.

    :raises FileRejected: naming every limit that is none of the car's
    """
    with_limits(facts.book_car_of(event), limits)
    stored = {key: list(limit) for key, limit in limits.items()}
    if stored == event.item_rules:
        return False
    event.item_rules = stored
    event.save(update_fields=["item_rules"])
    held = sum(1 for low, high in limits.values() if low == high)
    tie(event, "brief", "Rules", f"Item limits: {held} fixed, {len(limits) - held} limited", at=at)
    return True


@transaction.atomic
def change_class_limits(event: Event, limits: ClassLimits, at: datetime | None = None) -> bool:
    """Sets what the class allows of the whole car. False if nothing changed."""
    if limits == facts.class_limits_of(event):
        return False
    event.class_limits = limits.model_dump(exclude_defaults=True)
    event.save(update_fields=["class_limits"])
    tie(event, "brief", "Rules", f"Class limits: {limits.words}", at=at)
    return True


@transaction.atomic
def change_now(event: Event, session: Session, real_car: bool, driver: str) -> None:
    """Sets the session that is on, whether a real car is driven, and the level of driver that the model assumes."""
    event.session, event.real_car, event.driver = session, real_car, driver
    event.save(update_fields=["session", "real_car", "driver"])


@transaction.atomic
def add_session(event: Event, name: str, kind: str, starts_at: datetime) -> Session:
    """A further session."""
    return Session.objects.create(event=event, name=name, kind=kind, starts_at=starts_at)


@transaction.atomic
def change_session(session: Session, name: str, kind: str, starts_at: datetime) -> None:
    """Renames a session, or moves it."""
    session.name, session.kind, session.starts_at = name, kind, starts_at
    session.save(update_fields=["name", "kind", "starts_at"])


@transaction.atomic
def delete_event(event: Event) -> None:
    """Takes an event away; `restore_event` brings it back."""
    event.deleted_at = timezone.now()
    event.save(update_fields=["deleted_at"])


@transaction.atomic
def restore_event(event: Event) -> None:
    """Undoes `delete_event`."""
    event.deleted_at = None
    event.save(update_fields=["deleted_at"])
