"""Cars and circuits that a new account begins with."""

from pathlib import Path

from django.contrib.auth.models import User

from .car_actions import add_car
from .circuit_actions import add_circuit


def add_folder(owner: User, folder: Path) -> None:
    """Adds every car of `folder/cars` and every circuit of `folder/circuits`; those that are there already add nothing.

    :raises FileRejected: if a file is no car or no circuit
    """
    for path in sorted((folder / "cars").glob("*.json")):
        add_car(owner, path.read_bytes())
    for path in sorted((folder / "circuits").glob("*.json")):
        add_circuit(owner, path.read_bytes())
