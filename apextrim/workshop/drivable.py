"""The bounds of what can be driven as forms offer them."""

from collections.abc import Collection

from apexcore.trim.reading.bounds import BOUNDS


def offered(eased: Collection[str]) -> list[tuple[str, str, bool]]:
    """Name, what is allowed where it is eased, and whether it is, of each bound."""
    return [(key, bound.may, key in eased) for key, bound in BOUNDS.items()]
