"""What a planned test tries: differences, each with a side that is off and one that is on."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from .models import PlannedTest


@dataclass(frozen=True)
class Side:
    """One side of a difference.

    :param key: as the address of the bench has it
    :param words: its name on the page
    """

    key: str
    words: str


@dataclass(frozen=True)
class Difference:
    """One difference that a test tries.

    :param kind: of `sides.kinds_of`
    :param off: the side to begin with
    :param on: the side that is tried
    """

    kind: str
    off: Side
    on: Side

    def side(self, on: int) -> Side:
        """The side that a run with this mark (0 or 1) is driven on."""
        return self.on if on else self.off

    def with_keys(self, changed: Callable[[str, str], str]) -> "Difference":
        """The same with other keys.

        :param changed: the new key of a kind's key
        """
        off, on = (Side(changed(self.kind, side.key), side.words) for side in (self.off, self.on))
        return Difference(self.kind, off, on)

    def to_row(self) -> list[str]:
        """As the database and files have it; the inverse of `from_row`."""
        return [self.kind, self.off.key, self.off.words, self.on.key, self.on.words]

    @classmethod
    def from_row(cls, row: Sequence[str]) -> "Difference":
        """A stored difference."""
        kind, off_key, off_words, on_key, on_words = row
        return cls(kind, Side(off_key, off_words), Side(on_key, on_words))


def differences_of(test: PlannedTest) -> list[Difference]:
    """The differences of a kept test."""
    return [Difference.from_row(row) for row in test.differences]
