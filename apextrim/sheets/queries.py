"""Sheets of an event."""

from collections.abc import Callable, Iterable

from apexcore.judge.shift import Shift
from apexcore.lap.driver import LEVEL_WORDS
from apexcore.vehicle.class_limits import Kept, against, standing
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet, differences
from apextrim.accounts.owned import Person, owned_or_404
from apextrim.events.facts import class_limits_of
from apextrim.events.models import Event
from apextrim.modelling import answers, cases

from .models import Sheet


def class_kept(event: Event, sheet: CoreSheet) -> tuple[Kept, ...]:
    """Every limit of the event's class, with how a sheet stands to it; nothing where there is none."""
    limits = class_limits_of(event)
    return against(limits, standing(cases.car_of(event), sheet, limits)) if limits.any else ()


def leaves_class(event: Event, sheet: CoreSheet) -> Callable[[Iterable[tuple[str, float]]], bool]:
    """Whether values put on a sheet break a limit of the class, or break one further: asked of many changes of one sheet."""
    car, limits = cases.car_of(event), class_limits_of(event)
    before = {one.key: min(one.room, 0.0) for one in class_kept(event, sheet)}
    if not before:
        return lambda values: False

    def leaves(values: Iterable[tuple[str, float]]) -> bool:
        moved = CoreSheet(sheet.car_key, {**sheet.values, **dict(values)})
        return any(not one.ok and one.room < before[one.key] - 1e-9 for one in against(limits, standing(car, moved, limits)))

    return leaves


def class_breaches(event: Event, sheet: CoreSheet) -> list[str]:
    """What of the class's limits a sheet breaks, a sentence each, without its full stop."""
    return [one.sentence for one in class_kept(event, sheet) if not one.ok]


def sheet_in_car(event: Event) -> Sheet | None:
    """The sheet in the car; None before the first one is saved."""
    return event.sheets.filter(in_car=True).first()


def sheet_for(user: Person, event: Event, sheet_id: str | None) -> Sheet | None:
    """The sheet asked for; without a question the one in the car.

    :raises Http404: if there is no such sheet in this event
    """
    if not sheet_id:
        return sheet_in_car(event)
    return owned_or_404(Sheet, user, event=event, pk=sheet_id)


def core_sheet(event: Event, row: Sheet | None) -> CoreSheet:
    """The core's sheet of a row; the maker's where there is none."""
    car = cases.car_of(event)
    return base_sheet(car) if row is None else CoreSheet(car.key, row.values)


def core_base_sheet(event: Event) -> CoreSheet:
    """The core's sheet that an event began with; the maker's where there is none yet."""
    return core_sheet(event, event.sheets.order_by("number").first())


def core_sheet_in_car(event: Event) -> CoreSheet:
    """The core's sheet in the car; the base sheet where there is none."""
    return core_sheet(event, sheet_in_car(event))


def expected_times(event: Event, shift: Shift) -> list[tuple[str, float, float]]:
    """(who, lap time [s], half its 95 % interval [s]) for the levels of driver, with the sheet in the car.

    :param shift: of laps driven from the model
    :raises SolverError: if the car cannot take the circuit
    """
    times = answers.times_by_level(event, core_sheet_in_car(event))
    return [(LEVEL_WORDS[who], shift.expected_s(time), shift.half_s(time)) for who, time in times]


def sheet_tree(event: Event) -> list[Sheet]:
    """The event's sheets, each under the one it was made from, the newest branch first; `depth` tells how far in."""
    rows = list(event.sheets.select_related("parent").order_by("-number"))
    below: dict[int | None, list[Sheet]] = {}
    for row in rows:
        below.setdefault(row.parent_id, []).append(row)
    found: list[Sheet] = []

    def walk(parent: int | None, depth: int) -> None:
        for row in below.get(parent, []):
            row.depth = depth
            found.append(row)
            walk(row.pk, depth + 1)

    walk(None, 0)
    return found


def single_effects(event: Event, first: CoreSheet, second: CoreSheet) -> dict[str, float]:
    """Modelled change of lap time by each difference alone, on top of the first sheet [s].

    :raises SolverError: if the car cannot take the circuit
    """
    base = answers.answer_of(event, first).lap.time_s
    found = {}
    for difference in differences(cases.car_of(event), first, second):
        moved = CoreSheet(first.car_key, {**first.values, difference.item.key: difference.after})
        found[difference.item.key] = answers.lap_time_of(event, moved) - base
    return found
