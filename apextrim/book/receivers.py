"""What books answer the library."""

from collections.abc import Mapping
from typing import Any

from django.dispatch import receiver

from apextrim.library.models import Circuit
from apextrim.library.signals import corners_moved

from . import actions


@receiver(corners_moved)
def books_follow(row: Circuit, homes: Mapping[int, int], said: list[str], **_: Any) -> None:
    """Every book of the circuit goes with its corners."""
    for event in row.events.all():
        said += actions.rehome(event, homes)
