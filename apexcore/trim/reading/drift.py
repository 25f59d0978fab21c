"""What a stint does to the car: lap by lap time, tyres and balance."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...circuit.line import CornerSpan, Line
from ...lap.stint import StintLap
from ...vehicle.tyres import Four
from .balance import SPEEDS, balance_grid, read_corner


@dataclass(frozen=True)
class DriftLap:
    """One lap of a stint, read.

    :param number: from 1; the first begins on cold tyres at the pit exit
    :param time_s: lap time on the road, without what the pit lane costs [s]
    :param fuel_l: fuel at its start [l]
    :param tread_c: surface temperature of each tyre [degC]
    :param hot_kpa: pressure of each tyre [kPa]
    :param wear: worn share of each tread at its start [-]
    :param balance: mid-corner balance in slow, medium and fast corners [%]; None where there are none
    """

    number: int
    time_s: float
    fuel_l: float
    tread_c: Four
    hot_kpa: Four
    wear: Four
    balance: tuple[float | None, float | None, float | None]


def drift(stint: Sequence[StintLap], spans: Sequence[CornerSpan], line: Line) -> list[DriftLap]:
    """Every lap of a stint, read."""
    laps = []
    for number, stint_lap in enumerate(stint, start=1):
        grid = balance_grid([read_corner(stint_lap.lap, span, line.s) for span in spans])
        slow, medium, fast = (grid[speed, "mid"] for speed in SPEEDS)
        lap = stint_lap.lap
        laps.append(
            DriftLap(number, lap.time_s, stint_lap.fuel_l, lap.tyres.temperature_c, lap.hot_kpa, stint_lap.wear, (slow, medium, fast))
        )
    return laps


def balance_drift(laps: Sequence[DriftLap], warm_from: int = 4) -> list[tuple[str, float]]:
    """Change of mid-corner balance from the first warm lap to the last, by corner speed [%]; + more understeer.

    :param warm_from: number of the first lap whose tyres count as warm
    """
    first, last = laps[min(warm_from, len(laps)) - 1], laps[-1]
    pairs = zip(SPEEDS, first.balance, last.balance, strict=True)
    return [(speed, b - a) for speed, a, b in pairs if a is not None and b is not None]


def limiting_wheel(laps: Sequence[DriftLap], cliff: tuple[float, float]) -> tuple[int, float]:
    """The wheel whose tread reaches its cliff first (0 to 3), and the laps it has until then from new [laps].

    :param cliff: worn share at which grip falls away, front and rear [-]
    """
    worn = np.array([laps[-1].wear[w] - laps[0].wear[w] for w in range(4)]) / max(len(laps) - 1, 1)
    left = np.array([cliff[w // 2] / max(worn[w], 1e-9) for w in range(4)])
    wheel = int(left.argmin())
    return wheel, float(left[wheel])
