"""What events answer the library."""

from typing import Any

from django.dispatch import receiver

from apextrim.library.models import Circuit
from apextrim.library.signals import circuit_changing
from apextrim.library.stored import driven_line, parsed_car


@receiver(circuit_changing)
def cars_still_fit(row: Circuit, text: str, **_: Any) -> None:
    """Every car that races here must fit on the changed road.

    :raises InputError: naming the place where one does not
    """
    for width in {parsed_car(event.car.data).width_m for event in row.events.select_related("car")}:
        driven_line(text, width)
