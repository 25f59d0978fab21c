"""What kinds of work there are: each app names its own in its `tasks.py`, which is loaded when the site starts."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Protocol

from apexcore.errors import FileRejected

from .models import Job


class Line(Protocol):
    """The line between a job under way and its row."""

    def progress(self, share: float) -> None:
        """Says how far it is, from 0 to 1."""

    def stopped(self) -> bool:
        """Whether its owner asked it to stop. One that does not look is ended from outside."""


@dataclass(frozen=True)
class Done:
    """How a job ended.

    :param told: sentences for its owner
    :param address: page of what came of it
    :param stopped: whether it ended early because it was asked to
    """

    told: list[str] = field(default_factory=list)
    address: str = ""
    stopped: bool = False


@dataclass(frozen=True)
class Again:
    """A job that goes on later and needs no worker until then.

    :param after_s: how much later [s]
    :param arguments: what it goes on with
    """

    after_s: float
    arguments: dict[str, Any]
    progress: float


class Refused(FileRejected):
    """A file that a job cannot take, with the page on which that is put right."""

    def __init__(self, problems: list[str], address: str) -> None:
        super().__init__(problems)
        self.address = address


Work = Callable[[Job, Line], Done | Again]


@dataclass(frozen=True)
class Kind:
    """A kind of work.

    :param lane: what an owner has only one of at a time: "bench" computes what the owner waits for, "devices" is what runs beside
        it: simulated devices, which mostly wait, and what an event begins with of itself
    """

    key: str
    lane: str
    run: Work


KINDS: dict[str, Kind] = {}


def work_of(key: str, lane: str = "bench") -> Callable[[Work], Work]:
    """Names a function as a kind of work.

    The function reads and computes first and writes last, in one transaction, and may be begun anew after a restart.
    """

    def named(function: Work) -> Work:
        KINDS[key] = Kind(key, lane, function)
        return function

    return named
