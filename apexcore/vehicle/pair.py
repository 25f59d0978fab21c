"""How tyres front and rear are named together."""

from collections.abc import Mapping

#: Between the compounds of front and rear.
STROKE = "/"


def pair_key(front: str, rear: str) -> str:
    """How a pair is named: by its compound where both axles have the same."""
    return front if front == rear else f"{front}{STROKE}{rear}"


def pair_words(names: Mapping[str, str], front: str, rear: str) -> str:
    """What people call it.

    :param names: of the compounds, by their keys; one that the car no longer has is called by its key
    """
    first, last = names.get(front, front), names.get(rear, rear)
    return first if front == rear else f"{first} front, {last} rear"


def axles_of(key: str) -> tuple[str, str]:
    """Compounds of front and rear that a name stands for."""
    front, _, rear = key.partition(STROKE)
    return front, rear or front
