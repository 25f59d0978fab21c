"""Where the ballast that must be carried goes, and what weight costs."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

from ...lap.solver import Lap, LapCase, solve_lap
from ...vehicle.car import Car
from ...vehicle.items import Item
from ...vehicle.sheet import Sheet, is_drivable
from .effects import difference_spread_s

#: A better place is worth telling from here on [s].
_GAIN_S = 5e-4


@dataclass(frozen=True)
class Placed:
    """Ballast as it should lie.

    :param sheet: the sheet with it
    :param gain_s: lap time against the sheet as it was, negative is quicker [s]
    :param moves: each item with its value before and after [kg]
    """

    sheet: Sheet
    gain_s: float
    moves: tuple[tuple[Item, float, float], ...]

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `gain_s` [s]."""
        return difference_spread_s(self.gain_s)


def ballast_items(car: Car) -> list[Item]:
    """The free items that set ballast."""
    return [item for item in car.items if item.sets.startswith("ballast.") and not item.locked]


def best_placement(lap_case: LapCase, sheet: Sheet, initial_guess: Lap) -> Placed | None:
    """The same ballast, in the places where the lap is quickest; None for a car with fewer than two places.

    The total is what the rules ask for and stays. A step goes from one place to another for as long as that helps, several
    at once first (a descent by exchanges; a test holds it against every possible placement).

    :param initial_guess: a lap of the sheet in this case, to start from
    """
    items = ballast_items(lap_case.car)
    if len(items) < 2:
        return None
    known: dict[tuple[float, ...], float] = {}

    def lap_s(one: Sheet) -> float:
        key = tuple(one.values[item.key] for item in items)
        if key not in known:
            known[key] = solve_lap(lap_case, one, initial_guess=initial_guess).time_s if is_drivable(lap_case.car, one) else float("inf")
        return known[key]

    best = sheet
    with ThreadPoolExecutor(2) as pool:
        for kg in (16.0, 4.0, 1.0, 0.0):  # from coarse to single steps
            while True:
                moved = [one for a in items for b in items if a is not b and (one := _exchanged(best, a, b, kg)) is not None]
                times = list(pool.map(lap_s, moved))
                if not times or min(times) > lap_s(best) - _GAIN_S:
                    break
                best = moved[times.index(min(times))]
    moves = tuple(
        (item, sheet.values[item.key], best.values[item.key]) for item in items if best.values[item.key] != sheet.values[item.key]
    )
    return Placed(best, lap_s(best) - lap_s(sheet), moves)


def _exchanged(sheet: Sheet, source: Item, target: Item, kg: float) -> Sheet | None:
    """About that much ballast, one step at least, moved from one place to another; None where there is none or no room."""
    size = max(source.step, target.step)
    if abs(size / source.step - round(size / source.step)) > 1e-6 or abs(size / target.step - round(size / target.step)) > 1e-6:
        return None
    amount = max(round(kg / size), 1) * size
    less, more = sheet.values[source.key] - amount, sheet.values[target.key] + amount
    if less < source.low - 1e-9 or more > target.high + 1e-9:
        return None
    return Sheet(sheet.car_key, {**sheet.values, source.key: source.nearest_allowed(less), target.key: target.nearest_allowed(more)})


def driver_cost_s(lap_case: LapCase, sheet: Sheet, initial_guess: Lap, kg: float) -> float:
    """Lap time of a driver that much heavier [s].

    :param initial_guess: a lap of the sheet in this case, to start from
    """
    mass = lap_case.car.mass
    item = next((item for item in lap_case.car.items if item.sets == "mass.driver_kg"), None)
    if item is not None:  # the sheet names the driver's weight: it is the item's to move, on its steps or between them
        moved_case, moved = lap_case, Sheet(sheet.car_key, {**sheet.values, item.key: sheet.values[item.key] + kg / item.scale})
    else:
        heavier = lap_case.car.model_copy(update={"mass": mass.model_copy(update={"driver_kg": mass.driver_kg + kg})})
        moved_case, moved = replace(lap_case, car=heavier), sheet
    return solve_lap(moved_case, moved, initial_guess=initial_guess).time_s - solve_lap(lap_case, sheet, initial_guess=initial_guess).time_s
