"""Changes to cars: each one transaction, begun when everything is read and checked, so that nobody waits for that."""

from collections.abc import Sequence

from django.contrib.auth.models import User
from django.db import transaction

from apexcore.errors import FileRejected
from apexcore.formats.values_json import read_value, write_value
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.quick import Assumed
from apexcore.vehicle.sheet import base_sheet, check_consistency

from .models import Car, Circuit
from .signals import car_changing
from .stored import parsed_car


def add_car(owner: User, data: bytes) -> tuple[Car, bool]:
    """A car from its file; the same file again adds nothing.

    :returns: the car, and whether it is new
    :raises FileRejected: if the file is no car, or another car of this owner has its key
    """
    return keep_car(owner, read_value(data, CoreCar, "a car"))


def keep_car(owner: User, core: CoreCar, assumed: Sequence[Assumed] = ()) -> tuple[Car, bool]:
    """A car of the core as a row; see `add_car`.

    :param assumed: what was not told of it
    :raises InputError: if the car cannot stand on its base sheet
    """
    check_consistency(core, base_sheet(core))
    return put_car(owner, core, assumed)


@transaction.atomic
def put_car(owner: User, core: CoreCar, assumed: Sequence[Assumed] = ()) -> tuple[Car, bool]:
    """A car that is known to be consistent as a row; see `add_car`."""
    text = write_value(core)
    there = Car.everything.filter(owner=owner, key=core.key).first()
    if there is not None and there.deleted_at is not None:
        raise FileRejected([f"key: “{core.key}” is that of {there.name} in the bin. Bring that one back, or choose another key."])
    if there is not None:
        if there.data == text:
            return there, False
        raise FileRejected([f"key: “{core.key}” is already used by {there.name}. Choose another key."])
    rows = [[one.words, one.text, one.spread, one.why] for one in assumed]
    return Car.objects.create(owner=owner, key=core.key, name=core.name, data=text, assumed=rows), True


def still_as_read(row: Car | Circuit) -> None:
    """Whether a car or a circuit is as it was when it was compared with what is to be stored; asked where nobody else writes.

    :raises FileRejected: if somebody changed it since
    """
    if type(row).everything.filter(pk=row.pk, data=row.data).first() is None:
        raise FileRejected([f"{row}: it was changed at this very moment, so that nothing was saved. Save again."])


def change_car(row: Car, core: CoreCar) -> bool:
    """Changes the values of a car; what was before can be brought back. Returns whether anything changed.

    :raises ApexError: if something that builds on this car, such as a saved sheet, would no longer fit it
    """
    text = write_value(core)
    if text == row.data:
        return False
    with transaction.atomic():
        still_as_read(row)
        car_changing.send(sender=Car, row=row, core=core)  # inside: no sheet may be saved between the check and the change
        row.previous, row.data, row.name = row.data, text, core.name
        row.save(update_fields=["previous", "data", "name"])
    return True


def undo_car(row: Car) -> bool:
    """Brings back the values before the last change. Returns whether there were any."""
    if not row.previous:
        return False
    return change_car(row, parsed_car(row.previous))
