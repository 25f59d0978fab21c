"""Which gear to hold in a corner: what the next gear up or down, held there, costs until the next braking."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...circuit.line import CornerSpan
from ...lap.assembly import aero_areas, gear_thrust
from ...lap.solver import Lap, LapCase
from ...vehicle.car import Car
from ...vehicle.sheet import Sheet, adjusted
from ...vehicle.weights import weights
from ..moves.effects import difference_spread_s
from ..reading.balance import slowest_station
from .gearing import limit_speed_ms, rpm_at

#: Throttle from which on the engine, not the grip, decides how hard the car pulls [-].
_WIDE_OPEN = 0.97
#: Share of the brakes at which the next braking begins, and share of the rev limit up to which a gear is held.
_BRAKING, _HELD_TO = 0.02, 0.995
#: A gear in which the engine turns slower than this share of its limit at the apex is not offered.
_LEAST_RPM = 0.35


@dataclass(frozen=True)
class HeldGear:
    """One gear held through a corner.

    :param gear: the gear, 1 first
    :param rpm: engine speed at the slowest point [rpm]
    :param cost_s: time until the next braking, against the gear that the lap takes [s]
    """

    gear: int
    rpm: float
    cost_s: float

    @property
    def spread_s(self) -> float:
        """Half the width of the 95 % interval of `cost_s` [s]."""
        return difference_spread_s(self.cost_s)


@dataclass(frozen=True)
class CornerGears:
    """The gears that a corner can be taken in.

    :param apex_ms: least speed [m/s]
    :param gears: the one that the lap takes first: the one that pulls hardest, or the next one where a shift is saved with it
    """

    number: int
    name: str
    apex_ms: float
    gears: tuple[HeldGear, ...]


def corner_gears(lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan]) -> tuple[CornerGears, ...]:
    """Every corner with the gear that the lap takes it in, and its neighbours held instead.

    From the slowest point to the next braking the car is followed twice over the lap's own resistance and grip (Newton's
    second law in steps of a station): a gear held longer pulls less, and one upshift fewer saves a pause without thrust.

    :param lap: of the sheet in this case
    """
    car = adjusted(lap_case.car, sheet)
    count, shift = len(car.powertrain.gears), car.powertrain.shift_s
    road = _Road(lap_case, car, lap)
    found = []
    for span in spans:
        apex = slowest_station(lap, span)
        speed = float(lap.column("speed")[apex])
        usual = int(lap.column("gear")[apex])
        reference = road.time_s(apex, usual, usual, shift)
        gears = [HeldGear(usual, rpm_at(car, usual, speed), 0.0)]
        for gear in (usual + 1, usual - 1):
            if 1 <= gear <= count and _LEAST_RPM < speed / limit_speed_ms(car, gear) < _HELD_TO:
                gears.append(HeldGear(gear, rpm_at(car, gear, speed), road.time_s(apex, gear, usual, shift) - reference))
        found.append(CornerGears(span.number, span.name, speed, tuple(gears)))
    return tuple(found)


class _Road:
    """What a lap says of the road and the air, apart from the gears."""

    def __init__(self, lap_case: LapCase, car: Car, lap: Lap) -> None:
        self.lap, self.line = lap, lap_case.line
        self.mass = weights(car).mass_kg
        self.air = 0.5 * lap_case.conditions.air_density * aero_areas(car, lap_case.tow)[0]
        self.limits = [limit_speed_ms(car, gear) for gear in range(1, len(car.powertrain.gears) + 1)]
        speed = lap.column("speed")
        self.pull = lap.column("engine_w") / np.maximum(speed + 0.5 * lap.column("accel") * lap.column("time"), 0.1)
        self.resist = self.pull / self.mass - lap.column("accel")
        self.speeds = np.arange(0.0, 1.2 * float(speed.max()), 0.1)
        self.thrust = gear_thrust(car, self.speeds, lap_case.conditions.power_factor * lap_case.driver.throttle)

    def time_s(self, apex: int, held: int, usual: int, shift_s: float) -> float:
        """Time from the slowest point to the next braking with this gear held until the next must or should be taken [s]."""
        speed, throttle, brake, n = self.lap.column("speed"), self.lap.column("throttle"), self.lap.column("brake"), len(self.lap.data)
        v, time, gear, pause = float(speed[apex]), 0.0, held, 0.0
        for k in range(n // 2):
            i = (apex + k) % n
            if (brake[i] > _BRAKING and k > 3) or (not self.line.closed and i == n - 1):
                break
            row = min(int(10.0 * v), len(self.speeds) - 1)
            wanted = int(np.argmax(self.thrust[:, row])) + 1
            if gear < len(self.limits) and (wanted > gear >= usual or v >= _HELD_TO * self.limits[gear - 1]):
                gear, pause = gear + 1, shift_s
            force = 0.0 if pause > 0.0 else float(self.thrust[gear - 1, row])
            if throttle[i] < _WIDE_OPEN:
                force = min(force, float(self.pull[i]))
            accel = force / self.mass - float(self.resist[i]) - self.air * (v * v - float(speed[i]) ** 2) / self.mass
            after = math.sqrt(max(v * v + 2.0 * accel * float(self.line.ds[i]), 1.0))
            step = 2.0 * float(self.line.ds[i]) / (v + after)
            time, pause, v = time + step, pause - step, after
        return time
