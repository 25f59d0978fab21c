"""How tyres front and rear are named together."""

#: Between the compounds of front and rear.
STROKE = "/"


def pair_key(front: str, rear: str) -> str:
    """How a pair is named: by its compound where both axles have the same."""
    return front if front == rear else f"{front}{STROKE}{rear}"


def axles_of(key: str) -> tuple[str, str]:
    """Compounds of front and rear that a name stands for."""
    front, _, rear = key.partition(STROKE)
    return front, rear or front
