"""What may be wrong with a car that somebody complains about: read from the lap and the sheet before any change is tried."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ...lap.solver import Lap, LapCase
from ...quantities.text import format_number
from ...vehicle.car import Car
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, base_sheet
from ...vehicle.tyres import ATMOSPHERE_KPA
from ..figures.bias import ideal_on_lap
from ..reading.analysis import best_hot_kpa
from ..reading.past import BIAS_OFF, brakes_both_ends, has_hard_stop
from ..reading.ride import clearances

#: Hot pressure off its best that is told of a tyre [kPa].
_PRESSURE_OFF_KPA = 8.0
#: Steps from the maker's value that are worth a word: as many at least, and as a share of the range [-].
_OFF_STEPS, _OFF_SHARE = 3, 0.12
#: Items of a kind that are set for one wheel each: front, rear.
_AXLES = ((0, 1), (2, 3))

Moves = tuple[tuple[Item, int], ...]


@dataclass(frozen=True)
class Suspect:
    """:param moves: what would put it right, as far as its reading asks
    :param reason: the reading, in words
    """

    moves: Moves
    reason: str


def grouped(items: Sequence[Item]) -> list[tuple[Item, ...]]:
    """What is moved at once: each item, both of an axle that are set for a wheel each, and all four tyres' pressures."""
    found: list[tuple[Item, ...]] = [(item,) for item in items]
    kinds: dict[str, dict[int, Item]] = {}
    for item in items:
        kind, _, wheel = item.sets.rpartition(".")
        if wheel.isdecimal() and (kind.startswith("tyres.") or kind.endswith("spring_n_per_mm")):
            kinds.setdefault(kind, {})[int(wheel)] = item
    for kind, there in kinds.items():
        found += [(there[left], there[right]) for left, right in _AXLES if left in there and right in there]
        if kind == "tyres.cold_kpa" and len(there) == 4:
            found.append(tuple(there[wheel] for wheel in range(4)))
    return found


def allowed(item: Item, sheet: Sheet, steps: int) -> int:
    """Steps that the item's range leaves of so many."""
    room = item.steps_from(sheet.values[item.key])
    return max(min(steps, room[-1]), room[0])


def suspects(
    lap_case: LapCase, car: Car, sheet: Sheet, lap: Lap, items: Sequence[Item], bumps: Sequence[tuple[float, float]] = ()
) -> list[Suspect]:
    """What the lap and the sheet show to be off, and what would put it right: hot pressures, brake bias, a floor that strikes, and items
    far from where the maker has them.

    :param car: as the sheet sets it
    :param items: those that may be moved
    :param bumps: distance along the lap [m] and height [mm] of each bump of the circuit
    """
    found: list[Suspect] = []

    def add(wanted: Sequence[tuple[Item, int]], reason: str) -> None:
        moves = tuple((item, count) for item, steps in wanted if (count := allowed(item, sheet, steps)))
        if moves and all(moves != one.moves for one in found):
            found.append(Suspect(moves, reason))

    def of(sets: str) -> Item | None:
        return next((item for item in items if item.sets == sets), None)

    pressures = {wheel: item for wheel in range(4) if (item := of(f"tyres.cold_kpa.{wheel}")) is not None}
    best = best_hot_kpa(lap_case, lap)
    over = {wheel: lap.hot_kpa[wheel] - best[wheel] for wheel in pressures}
    for wheels, name in ((range(4), "All four tyres are"), (_AXLES[0], "The front tyres are"), (_AXLES[1], "The rear tyres are")):
        there = [wheel for wheel in wheels if wheel in over]
        off = [over[wheel] for wheel in there]
        if len(there) == len(wheels) and (min(off) > _PRESSURE_OFF_KPA or max(off) < -_PRESSURE_OFF_KPA):
            # a gas keeps the ratio of its pressures
            kept = {
                wheel: (car.tyres.cold_kpa[wheel] + ATMOSPHERE_KPA) / (lap.hot_kpa[wheel] + ATMOSPHERE_KPA)
                / (pressures[wheel].step * pressures[wheel].scale) for wheel in there
            }  # fmt: skip
            wanted = [(pressures[wheel], round(-over[wheel] * kept[wheel])) for wheel in there]
            mean = sum(off) / len(off)
            side = "above" if mean > 0.0 else "below"
            add(wanted, f"{name} {format_number(abs(mean), 0)} kPa {side} their best when hot")
    bias = of("brakes.front_share")
    if bias is not None and brakes_both_ends(car) and has_hard_stop(lap):
        missing = ideal_on_lap(lap, car)[0] - car.brakes.front_share
        if abs(missing) > BIAS_OFF:
            end = "rear" if missing > 0.0 else "front"
            add([(bias, round(missing / (bias.step * bias.scale)))], f"The {end} locks first")
    for low in clearances(car, lap, lap_case.line, bumps):
        ride = of(f"aero.ride_{low.axle}_mm")
        struck = max(-low.least_mm, low.struck_mm)
        if ride is not None and struck > 0.0:
            add([(ride, math.ceil(struck / (ride.step * ride.scale)))], f"The floor strikes at the {low.axle}")
    maker = base_sheet(lap_case.car)
    for group in grouped(items):
        steps = [round((maker.values[item.key] - sheet.values[item.key]) / item.step) for item in group]
        room = [(item.high - item.low) / item.step for item in group]
        far = [abs(count) >= max(_OFF_STEPS, _OFF_SHARE * whole) for count, whole in zip(steps, room, strict=True)]
        if all(far) and len({count > 0 for count in steps}) == 1:
            count = f"{max(map(abs, steps))} steps" if len(group) == 1 else f"up to {max(map(abs, steps))} steps"
            add(list(zip(group, steps, strict=True)), f"It stands {count} from the maker’s value")
    return found
