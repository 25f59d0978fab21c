"""A sheet made for other weather: what today's changes about it, and what that is worth."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from ...circuit.conditions import Conditions
from ...lap.solver import Lap, LapCase, solve_lap
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from ...vehicle.tyres import cold_pressure_kpa
from .effects import StepEffect, lowest_steps, sheets_spread_s, step_effects

#: What weather may move besides pressures, by what an item sets.
_MOVED = ("aero.wing_position", "aero.front_wing_position", "brakes.front_share", "powertrain.final_drive", "aero.ride")
#: Most steps that weather moves such an item.
_MOST_STEPS = 4
#: Half the 95 % interval of a modelled shift of lap time between two weathers: a share of it and a rest [s].
#: Source: an assumption of this product (docs/model.md, "How sure"); only your own laps on both days tell.
SHIFT_SHARE, SHIFT_REST_S = 0.5, 0.08


@dataclass(frozen=True)
class Adjustment:
    """One change that today's weather asks for.

    :param why: the reason in words
    :param value: the item's value after it, in its unit
    :param gain_s: lap time of this change alone, today [s]; negative is quicker
    """

    item: Item
    why: str
    before: float
    value: float
    gain_s: float

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `gain_s` [s]."""
        return sheets_spread_s(self.gain_s)


@dataclass(frozen=True)
class Carried:
    """A sheet carried over.

    :param then_s: lap time in the weather it was made for [s]
    :param today_s: lap time today, unchanged [s]
    :param after_s: lap time today with every part [s]
    :param parts: the changes
    :param sheet: the sheet with every part
    """

    then_s: float
    today_s: float
    after_s: float
    parts: tuple[Adjustment, ...]
    sheet: Sheet

    @property
    def shift_spread_s(self) -> float:
        """Half the width of the 95 % interval of the shift of lap time [s]."""
        return float(np.hypot(SHIFT_SHARE * (self.today_s - self.then_s), SHIFT_REST_S))


def carry_over(lap_case: LapCase, sheet: Sheet, then: Conditions) -> Carried:
    """What to change of a sheet that was made for other weather.

    Cold pressures are set so that each tyre is as far from its best hot pressure as it was then (ideal gas law with the
    modelled carcass temperatures of both days). Wings, ride heights, bias and final drive move by as much as the lowest
    point of the lap time over that item moves between the two weathers, so that what the racer chose on purpose stays.

    :param lap_case: today's
    :param then: the weather the sheet was made for
    :raises SolverError: if the car cannot take the circuit
    """
    before = replace(lap_case, conditions=then)
    old, new = solve_lap(before, sheet), solve_lap(lap_case, sheet)
    parts = [*_pressures(lap_case, sheet, old, new)]
    items = [item for item in lap_case.car.items if item.sets.startswith(_MOVED) and not item.locked]
    effects = zip(_pairs(step_effects(before, sheet, items, old)), _pairs(step_effects(lap_case, sheet, items, new)), strict=True)
    for item, (was, now) in zip(items, effects, strict=True):
        steps = round(float(np.clip(_near(*now) - _near(*was), -_MOST_STEPS, _MOST_STEPS)))
        value = sheet.values[item.key] + steps * item.step
        if steps and item.low - 1e-9 <= value <= item.high + 1e-9:
            parts.append(Adjustment(item, "the optimum has moved", sheet.values[item.key], item.nearest_allowed(value), 0.0))
    again = solve_lap(lap_case, sheet, initial_guess=new)
    judged = [replace(part, gain_s=_alone(lap_case, sheet, part, new) - again.time_s) for part in parts]
    kept = [part for part in judged if "kPa" in part.item.unit or part.gain_s < 0.0]
    moved = Sheet(sheet.car_key, {**sheet.values, **{part.item.key: part.value for part in kept}})
    if not is_drivable(lap_case.car, moved):
        kept = [part for part in kept if "kPa" in part.item.unit]
        moved = Sheet(sheet.car_key, {**sheet.values, **{part.item.key: part.value for part in kept}})
    return Carried(old.time_s, again.time_s, solve_lap(lap_case, moved, initial_guess=new).time_s, tuple(kept), moved)


def _pressures(lap_case: LapCase, sheet: Sheet, old: Lap, new: Lap) -> list[Adjustment]:
    parts = []
    for wheel in range(4):
        item = lap_case.car.free_item(f"tyres.cold_kpa.{wheel}")
        if item is None:
            continue
        wanted = cold_pressure_kpa(old.hot_kpa[wheel], lap_case.car.tyres.cold_at_c, new.tyres.carcass_c[wheel])
        value = item.nearest_allowed((wanted - item.offset) / item.scale)
        if abs(value - sheet.values[item.key]) > 1e-9:
            parts.append(Adjustment(item, "the same hot pressure as then", sheet.values[item.key], value, 0.0))
    return parts


def _pairs(effects: Iterable[StepEffect]) -> list[tuple[StepEffect, StepEffect]]:
    found = list(effects)
    return list(zip(found[::2], found[1::2], strict=True))


def _near(down: StepEffect, up: StepEffect) -> float:
    """Steps to the lowest lap time, within what a parabola through two neighbours can tell."""
    return float(np.clip(lowest_steps(down, up), -30.0, 30.0))


def _alone(lap_case: LapCase, sheet: Sheet, part: Adjustment, initial_guess: Lap) -> float:
    return solve_lap(lap_case, Sheet(sheet.car_key, {**sheet.values, part.item.key: part.value}), initial_guess=initial_guess).time_s
