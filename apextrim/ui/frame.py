"""What every page of an event shows at its top: facts, the thread, the benches. Knows no app: all addresses are given."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Bench:
    """:param key: its name in code
    :param name: its name on the screen
    :param url: its address"""

    key: str
    name: str
    url: str


@dataclass(frozen=True)
class KnotMark:
    """A knot as drawn.

    :param kind: what happened; decides the shape
    :param when: time in words
    :param url: where it opens
    :param day: day in words where a new day begins, else empty
    """

    kind: str
    label: str
    text: str
    when: str
    url: str
    day: str


@dataclass(frozen=True)
class Frame:
    """The top of an event's pages.

    :param facts: car, layout, conditions, session and sheet in the car, in this order
    :param knots: the newest of the thread
    :param earlier: how many lie before them
    :param thread_url: where those are
    :param current: key of the bench shown
    :param real_car: whether the cautions show
    :param working: address of what is under way for its owner; empty where nothing is
    """

    title: str
    facts: tuple[str, ...]
    knots: tuple[KnotMark, ...]
    earlier: int
    thread_url: str
    benches: tuple[Bench, ...]
    current: str
    real_car: bool
    working: str = ""
