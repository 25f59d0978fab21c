"""A book as pages, the driver's orders and other rooms need it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from apexcore.circuit.line import offset_line
from apexcore.circuit.track import centre_line
from apexcore.lap.orders import Order
from apexcore.trim.book.fields import BASE, FIELDS, Entered
from apexcore.trim.book.proposal import BookDesk
from apexcore.trim.corner import Choice, CornerDesk
from apexcore.trim.obstacles import BumpCrossed, KerbTaken, Obstacles
from apexcore.trim.ways import Driven, Ways, driven, ways
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.modelling.cases import Case

from .models import BookEntry

#: A corner's page: what stands in each field.
Page = dict[str, Entered]


def pages_of(event: Event) -> dict[int, dict[str, Page]]:
    """What the racer wrote, by corner and way of driving."""
    found: dict[int, dict[str, Page]] = {}
    for row in BookEntry.objects.filter(event=event):
        found.setdefault(row.corner, {}).setdefault(row.variant, {})[row.field] = Entered(row.text, row.at_m)
    return found


def driven_page(pages: Mapping[str, Page], variant: str) -> Page:
    """A corner's page for a way of driving: what it does not tell is as in qualifying."""
    return {**pages.get(BASE, {}), **pages.get(variant, {})}


def texts(page: Page) -> dict[str, str]:
    """A page's values in the order of the fields."""
    return {field.key: page[field.key].text for field in FIELDS if field.key in page}


def desk_in(case: Case, number: int, variant: str = BASE) -> BookDesk:
    """A corner beside its page, as the model drives it in one way; as in qualifying where it has no way of its own.

    :raises InputError: if there is no such corner
    :raises SolverError: if the car cannot take the circuit
    """
    circuit = parsed_circuit(case.circuit)
    driven = None if variant == BASE else answers.variant_in(case, variant)
    lap_case, lap = (case.lap_case(), answers.answer_in(case).lap) if driven is None else (driven.lap_case, driven.lap)
    return BookDesk(circuit, CornerDesk(lap_case, case.sheet(), lap, case.spans(), number, 0.5 * circuit.width_m))


@kept_within(4 * MB)
def usual_choices_in(case: Case, number: int) -> tuple[Choice, ...]:
    """What is worth trying in a corner, quickest first.

    :raises ApexError: as `desk_in`
    """
    return tuple(desk_in(case, number).desk.usual_choices())


@kept_within(4 * MB)
def ways_in(case: Case, number: int) -> Ways:
    """The ways to drive a corner.

    :raises ApexError: as `desk_in`
    """
    return ways(desk_in(case, number).desk)


@kept_within(4 * MB)
def obstacles_in(case: Case, number: int, variant: str = BASE) -> tuple[tuple[BumpCrossed, ...], tuple[KerbTaken, ...]]:
    """The bumps and the kerbs of a corner, as one way of driving it meets them.

    :raises ApexError: as `desk_in`
    """
    there = Obstacles(desk_in(case, number, variant))
    return tuple(there.bumps()), tuple(there.kerbs())


@kept_within(4 * MB)
def driven_on(case: Case, number: int, offsets_m: tuple[float, ...]) -> Driven:
    """How a corner is driven on another line.

    :param offsets_m: of the line, left of the centre line at the circuit's even stations [m]
    :raises ApexError: as `desk_in`, also where the car cannot take the line
    """
    desk = desk_in(case, number).desk
    line = offset_line(centre_line(parsed_circuit(case.circuit)), np.array(offsets_m, dtype=np.float64))
    on_line = replace(desk.lap_case, line=line)
    return driven(CornerDesk(on_line, desk.sheet, desk.lap_on(line), desk.spans, number, desk.half_m))


@dataclass(frozen=True)
class ToldByBook:
    """What a book tells a driver.

    :param orders: for the case's line, marks left out
    :param marks: where to brake, by corner, along the middle of the road [m]
    :param left: what of it the model does not drive, in words
    """

    orders: tuple[Order, ...]
    marks: dict[int, float]
    left: tuple[str, ...]

    @property
    def empty(self) -> bool:
        """Whether the book tells nothing that can be driven."""
        return not self.orders and not self.marks


def told_by_book(event: Event, case: Case, variant: str, with_marks: bool = True) -> ToldByBook:
    """What the book of an event tells a driver in a case.

    :param with_marks: whether marks are turned into orders of the model, else they are told apart
    :raises ApexError: if the car cannot take the circuit
    """
    orders, marks, left = list[Order](), dict[int, float](), list[str]()
    numbers = {span.number for span in case.spans()}
    for number, pages in pages_of(event).items():
        page = driven_page(pages, variant)
        if number not in numbers or not page:
            continue
        desk = desk_in(case, number)
        if not with_marks and "mark" in page:
            mark = page.pop("mark")
            if mark.at_m is not None and desk.technique.way == "brake":
                marks[number] = mark.at_m
        told, without = desk.orders(page)
        orders += told
        left += [f"Corner {number}: {words[:1].lower()}{words[1:]}" for words in without]
    return ToldByBook(tuple(orders), marks, tuple(left))
