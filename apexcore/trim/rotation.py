"""High and low lanes over a run on an oval: what each does to the pace and to every tyre, and what alternating does."""

from collections.abc import Sequence
from dataclasses import dataclass

from ..circuit.line import Line
from ..circuit.lines import lane_line
from ..circuit.track import Circuit
from ..errors import InputError
from ..lap.solver import LapCase
from ..lap.stint import solve_stint
from ..vehicle.sheet import Sheet
from ..vehicle.tyres import Four, four


@dataclass(frozen=True)
class Rotation:
    """A run in lanes.

    :param words: which lanes
    :param total_s: time of the run [s]
    :param first_s: its second lap, the first at speed [s]
    :param last_s: its last lap [s]
    :param hot_c: temperature of each tyre's surface on the last lap [degC]
    :param worn: worn share of each tread after it [-]
    """

    words: str
    total_s: float
    first_s: float
    last_s: float
    hot_c: Four
    worn: Four

    @property
    def wheels(self) -> list[tuple[float, float]]:
        """Temperature [degC] and worn share [-], wheel by wheel."""
        return list(zip(self.hot_c, self.worn, strict=True))


def rotations(circuit: Circuit, lap_case: LapCase, sheet: Sheet, fuel_l: float, laps: int) -> list[Rotation]:
    """The run low, high, lap by lap in turn, and low first and high last; each lane in the middle of itself all the way round.

    :raises InputError: if the circuit has one lane, or the fuel does not last
    :raises SolverError: if the car cannot take a lane
    """
    if circuit.lanes < 2:
        raise InputError("lanes", circuit.lanes, "a circuit with two lanes or more")
    low, high = (lane_line(circuit, lane, circuit.lanes, car_width_m=lap_case.car.width_m) for lane in (1, circuit.lanes))
    half = laps // 2
    ways: list[tuple[str, Sequence[Line]]] = [
        ("low all the way", [low] * laps),
        ("high all the way", [high] * laps),
        ("low and high in turn", [low if lap % 2 == 0 else high for lap in range(laps)]),
        (f"low for {half} laps, then high", [low] * half + [high] * (laps - half)),
    ]
    return [_run(words, lines, lap_case, sheet, fuel_l) for words, lines in ways]


def _run(words: str, lines: Sequence[Line], lap_case: LapCase, sheet: Sheet, fuel_l: float) -> Rotation:
    stint = solve_stint(lap_case, sheet, fuel_l, len(lines), lines)
    last = stint[-1].lap
    worn = four(before + (before - then) for before, then in zip(stint[-1].wear, stint[-2].wear, strict=True))
    return Rotation(words, sum(one.lap.time_s for one in stint), stint[1].lap.time_s, last.time_s, last.tyres.temperature_c, worn)
