"""Preferences of an account: read, and changed."""

from collections.abc import Mapping

from django.contrib.auth.models import User
from django.db import transaction

from apexcore.quantities.units import CHOICES, PLAIN, SETS, UnitSet

from .models import Preferences
from .owned import Person, owned


def units_of(user: Person) -> UnitSet:
    """The units of an account; those of the core where it chose none."""
    row = owned(Preferences, user).only("units").first()
    return UnitSet(row.units) if row is not None and row.units else PLAIN


def chosen(data: Mapping[str, str]) -> dict[str, str]:
    """The units of a form: a whole set by its name, else unit by unit; what is unknown is left out."""
    if data.get("set") in SETS:
        return dict(SETS[data["set"]])
    return {name: data[name] for name, units in CHOICES.items() if data.get(name) in units}


@transaction.atomic
def choose_units(user: User, units: Mapping[str, str]) -> None:
    """Keeps the units of an account."""
    Preferences.objects.update_or_create(owner=user, defaults={"units": dict(units)})
