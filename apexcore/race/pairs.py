"""Unlike tyres front and rear: what each pair does to the balance, and which of them make the car nervous."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..circuit.line import CornerSpan
from ..judge.priors import Pair
from ..lap.solver import Lap, LapCase, solve_lap
from ..trim.reading.balance import balance_grid, read_corner
from ..vehicle.pair import pair_key
from ..vehicle.sheet import Sheet
from .rules import Surroundings

#: A pair is nervous where it turns the balance further to oversteer than this against every pair of one compound [%], and the rear then
#: slides more than the front. Source: a choice of this product.
NERVOUS_PCT = 4.0


@dataclass(frozen=True)
class PairReading:
    """A pair on new, warm tyres.

    :param key: as `vehicle.pair.pair_key` names it
    :param time_s: lap time [s]
    :param balance: by (corner speed, phase), understeer positive [%]
    :param work: share of the sliding work that the front axle does [-]
    :param nervous: where it is, as (corner speed, phase, further to oversteer than the pairs of one compound [%])
    """

    key: str
    time_s: float
    balance: dict[tuple[str, str], float | None]
    work: float
    nervous: tuple[tuple[str, str, float], ...]


#: Turning this much further to oversteer under braking or on entry doubles how often the car is spun [%]. Source: an assumption of this
#: product, on the side of caution; nobody has counted it.
DOUBLES_PCT = 4.0
#: How often it is doubled at most.
_MOST_DOUBLED = 5.0
#: Phases in which a rear that lets go spins the car.
_SPINS = ("braking", "entry")


def spin_price_s(one: PairReading, around: Surroundings) -> float:
    """What a nervous pair costs a lap by spins beyond those of a pair of one compound [s]: 0 for others.

    Troubles come as often as the field says to a car of usual balance, and twice as often for each `DOUBLES_PCT` further to oversteer.

    :param around: how often, and what one costs
    """
    further = max((more for _, phase, more in one.nervous if phase in _SPINS), default=0.0)
    return around.troubles / 100.0 * around.trouble_s * (math.pow(2.0, min(further / DOUBLES_PCT, _MOST_DOUBLED)) - 1.0)


def pair_readings(lap_case: LapCase, spans: Sequence[CornerSpan], sheet: Sheet, pairs: Sequence[Pair], guess: Lap) -> list[PairReading]:
    """Each pair's lap and balance.

    :param pairs: those of one compound among them
    :param guess: a lap of the sheet to start from
    :raises SolverError: if the car cannot take the circuit
    """
    read = []
    for front, rear in pairs:
        near = replace(guess, tyres=replace(guess.tyres, compounds=(front, rear)))  # the heat of that lap, in these tyres
        lap = solve_lap(replace(lap_case, compounds=(front, rear)), sheet, initial_guess=near)
        grid = balance_grid([read_corner(lap, span, lap_case.line.s) for span in spans])
        work = sum(lap.slip_energy_j[:2]) / max(sum(lap.slip_energy_j), 1e-9)
        read.append(PairReading(pair_key(front.key, rear.key), lap.time_s, grid, work, ()))
    alike = [one for one, (front, rear) in zip(read, pairs, strict=True) if front.key == rear.key]
    return [replace(one, nervous=_nervous(one, alike)) for one in read]


def _nervous(one: PairReading, alike: Sequence[PairReading]) -> tuple[tuple[str, str, float], ...]:
    found = []
    for cell, value in one.balance.items():
        known = [float(other.balance[cell] or 0.0) for other in alike if other.balance.get(cell) is not None]
        if value is not None and known and value < 0.0 and min(known) - value > NERVOUS_PCT:
            found.append((*cell, min(known) - value))
    return tuple(sorted(found, key=lambda row: -row[2]))
