"""Bumps and kerbs with a price: how often a bump throws the car as it is crossed, what crossing it easier costs, what a kerb asks for.

A bump takes grip of each wheel by the square of its load's swing (`vehicle.bumps`). A driver keeps a share of the grip in hand; how
much of it is needed scatters from lap to lap with the driver, and with how squarely the bump is hit.
"""

import math
from dataclasses import dataclass

from ..circuit.features import Marker
from ..errors import ApexError
from ..lap.orders import Order
from ..lap.solver import Lap, also_told, run_at
from ..vehicle.bumps import BUMP_LASTS_S, BUMP_M, LOSS, load_swing_n
from ..vehicle.car import Car
from ..vehicle.items import Item
from ..vehicle.sheet import adjusted
from ..vehicle.tyres import wear_grip
from .book.proposal import BookDesk
from .corner import BRAKED
from .reading.balance import Ints
from .reading.ride import sunk_mm

#: A driver keeps in hand as much as this many standard deviations of what is used, and at least this scatter [-]; how far the height that
#: is met scatters over itself [-]. Source: assumptions of this product (docs/model.md, bumps and kerbs).
_IN_HAND_SDS, _LEAST_SD, _HIT_SD = 3.0, 0.004, 0.15
#: How rarely an eased crossing may go wrong [laps]; throttles and shares of the grip that are tried for it [-].
SAFE_LAPS, _HALF = 500.0, 0.5
_LEANS = (1.0, 0.98, 0.96, 0.94, 0.92, 0.9, 0.87, 0.84, 0.8, 0.75, 0.7, 0.65, 0.6, 0.5, 0.4)
_BRAKINGS = (0.95, 0.9, 0.85, 0.8, 0.75, 0.7, 0.6, 0.5, 0.4)
#: Way before a bump from which it is crossed easier [m].
_BEFORE_M = 8.0
#: Share of their cliff to which tyres are worn in the middle of a stint [-].
_HALF_WORN = 0.5
#: What is told as never.
_NEVER = 1e6
#: Height from which on a kerb gives nothing whatever the car [mm], and swing of a wheel's load from which on it throws the car [-].
NO_GAIN_MM, _THROWN = 50.0, 1.0
#: Levers that may make a car take a kerb.
_TAKERS = ("spring_n_per_mm", "damper", "aero.ride", "stop_mm")


@dataclass(frozen=True)
class Eased:
    """The quickest crossing of those tried that goes wrong rarely enough.

    :param lean: share of the grip used across, of what the driver uses [-]
    :param opening: throttle at most [-]
    :param braking: share of the greatest braking at most; 1 where it is not braked softer [-]
    :param lock_deg: of the steering wheel at most, at the same speed [deg]
    :param slower_ms: how much slower it is crossed on the same line instead [m/s]
    :param cost_s: time to the next corner [s]
    :param once_in: how often it still goes wrong [laps]
    """

    lean: float
    opening: float
    braking: float
    lock_deg: float
    slower_ms: float
    cost_s: float
    once_in: float


@dataclass(frozen=True)
class BumpCrossed:
    """A bump as the lap crosses it.

    :param lock_deg: of the steering wheel, without the tyres' slip [deg]
    :param throttle: where it lies [-]
    :param swing: of a wheel's load over that load, the worst wheel [-]
    :param once_in: laps in which the car breaks away once; infinite where it never does
    :param worn_once_in: the same at this speed on tyres half worn to their cliff
    :param eased: None where it need not be, or nothing that was tried helps
    """

    marker: Marker
    speed_ms: float
    lock_deg: float
    throttle: float
    braked: bool
    swing: float
    once_in: float
    worn_once_in: float
    eased: Eased | None


@dataclass(frozen=True)
class Mend:
    """A step that lets the car take a kerb.

    :param steps: the fewest that do, by themselves
    :param value: of the item then
    """

    item: Item
    steps: int
    value: float


@dataclass(frozen=True)
class KerbTaken:
    """What riding a kerb asks of the car.

    :param swing: of a wheel's load over what that axle's wheels carry on average, the worse axle [-]
    :param axle: that one
    :param left_mm: room under the floor above the kerb, the lower end [mm]; None for a car without springs
    :param problem: why the car does not take it, empty where it does
    :param mends: single items that would let it
    """

    marker: Marker
    swing: float
    axle: str
    left_mm: float | None
    problem: str
    mends: tuple[Mend, ...]


class Obstacles:
    """The bumps and kerbs of a corner under a lap."""

    def __init__(self, desk: BookDesk) -> None:
        self.book, self.desk = desk, desk.desk
        self.car: Car = self.desk.ready.car
        driver = self.desk.lap_case.driver
        self.used, self.braking = driver.ability, driver.braking

    def there(self, kind: str) -> list[Marker]:
        """Markers of a kind with a height between the corner's braking and the next, in driving order."""
        inside = set(self.desk.stations(self.desk.begin, self.desk.until).tolist())
        found = [
            marker for marker in self.book.circuit.markers
            if marker.kind == kind and marker.height_mm > 0.0 and self.book.way.holds(marker.at_m) and self._station(marker) in inside
        ]  # fmt: skip
        return sorted(found, key=lambda marker: self.book.way.along(marker.at_m))

    def _station(self, marker: Marker) -> int:
        return round(marker.at_m / self.book.ds) % self.desk.n

    def _load_n(self, lap: Lap, station: int, wheel: int) -> float:
        return float(lap.column(("load_fl", "load_fr", "load_rl", "load_rr")[wheel])[station])

    def _reach(self, lap: Lap, station: int) -> Ints:
        """Stations over which a bump acts: its length and a tenth of a second beyond."""
        ds = self.book.ds
        reach = BUMP_M + BUMP_LASTS_S * float(lap.column("speed")[station])
        return self.desk.stations(station, (station + math.ceil(reach / ds)) % self.desk.n)

    def _braked(self, lap: Lap, station: int) -> bool:
        """Whether the car is braked over a bump."""
        return float(lap.column("brake")[self._reach(lap, station)].max()) > BRAKED

    def _swings(self, lap: Lap, station: int, height_mm: float) -> list[float]:
        """Swing of each wheel's load over that load, at most 1 [-]."""
        v, loads = float(lap.column("speed")[station]), [self._load_n(lap, station, wheel) for wheel in range(4)]
        return [min(load_swing_n(self.car, wheel, height_mm, v, load) / max(load, 1.0), 1.0) for wheel, load in enumerate(loads)]

    def risk(self, lap: Lap, marker: Marker, more: float = 1.0) -> float:
        """The share of laps in which the car breaks away over a bump.

        An axle that uses the share u of the grip that the bump leaves needs q = u (1 - k e2) of what it would have on a smooth road; it
        breaks away where q (1 + x) > 1 - k e2 (1 + y), x and y normal: what the driver keeps in hand is three standard deviations of x,
        and y is twice the scatter of the height that is met. Source: definition of this product; e and k of `vehicle.bumps`.

        :param more: what the grip is less by otherwise, at the same speed, such as that of worn tyres [-]
        """
        station = self._station(marker)
        swings, there = self._swings(lap, station, marker.height_mm), self._reach(lap, station)
        in_hand = 1.0 - self.used * (self.braking if self._braked(lap, station) else 1.0)
        worst = 0.0
        for axle, wheels in (("front", (0, 1)), ("rear", (2, 3))):
            loads = [self._load_n(lap, station, wheel) for wheel in wheels]
            square = sum(load * swings[wheel] ** 2 for load, wheel in zip(loads, wheels, strict=True)) / max(sum(loads), 1.0)
            lost = LOSS * square
            needed = float(lap.column(f"{axle}_utilisation")[there].max()) * (1.0 - lost) * more
            spread = math.hypot(needed * max(in_hand / _IN_HAND_SDS, _LEAST_SD), 2.0 * _HIT_SD * lost)
            worst = max(worst, 0.5 * math.erfc((1.0 - lost - needed) / spread / math.sqrt(2.0)))
        return worst

    def bumps(self) -> list[BumpCrossed]:
        """Every bump of the corner that has a height."""
        return [self.crossed(marker) for marker in self.there("bump")]

    def crossed(self, marker: Marker) -> BumpCrossed:
        """A bump as the lap crosses it."""
        lap, station = self.desk.lap, self._station(marker)
        state, compounds = self.desk.lap.tyres, self.desk.lap_case.compounds
        half = [max(_HALF_WORN * compound.cliff_wear, state.wear[2 * end]) for end, compound in enumerate(compounds)]
        worn = max(wear_grip(c, state.wear[2 * end]) / wear_grip(c, half[end]) for end, c in enumerate(compounds))
        risk, worn_risk = self.risk(lap, marker), self.risk(lap, marker, worn)
        return BumpCrossed(
            marker, float(lap.column("speed")[station]), self._lock_deg(station), float(lap.column("throttle")[station]),
            self._braked(lap, station), max(self._swings(lap, station, marker.height_mm)),
            _laps(risk), _laps(worn_risk), self._eased(marker) if _laps(risk) < SAFE_LAPS else None,
        )  # fmt: skip

    def _lock_deg(self, station: int) -> float:
        """Turn of the steering wheel that the line's curvature asks for [deg]: ratio times wheelbase over radius, small angles."""
        bend = abs(float(self.desk.lap_case.line.road[station, 0]))
        return self.car.steering.ratio * math.degrees(self.car.wheelbase_m * bend)

    def _eased(self, marker: Marker) -> Eased | None:
        desk, lap, station = self.desk, self.desk.lap, self._station(marker)
        ds, s = self.book.ds, desk.s
        first = (station - math.ceil(_BEFORE_M / ds)) % desk.n if desk.closed else max(station - math.ceil(_BEFORE_M / ds), 0)
        last = int(self._reach(lap, station)[-1]) + 2  # orders end before it
        last = last % desk.n if desk.closed else min(last, desk.n - 1)
        opening = min(_HALF, float(lap.column("throttle")[station]))
        braked = self._braked(lap, station)
        tried = [(1.0, share) for share in _BRAKINGS] if braked else [(lean, 1.0) for lean in _LEANS]
        for lean, braking in tried:
            order = Order(float(s[first]), float(s[last]), opening=opening, leaning=lean, braking=braking if braked else None)
            try:
                other = run_at(also_told(desk.lap_case, [order]), desk.ready, lap.tyres, desk.lap_case.line, lap.ripple)
            except ApexError:
                continue
            often = _laps(self.risk(other, marker))
            if often >= SAFE_LAPS:
                there = desk.stations(desk.begin, desk.until)
                cost = float((other.column("time")[there] - lap.column("time")[there]).sum())
                speed, slower = float(lap.column("speed")[station]), float(other.column("speed")[station])
                # at the same speed as much less across is as much less curvature over it
                lock = self._lock_deg(station) * min((slower / speed) ** 2, 1.0)
                return Eased(lean, opening, braking, lock, speed - slower, cost, often)
        return None

    def kerbs(self) -> list[KerbTaken]:
        """Every kerb beside the corner that has a height."""
        return [self.taken(marker) for marker in self.there("kerb") if marker.side != "across"]

    def taken(self, marker: Marker) -> KerbTaken:
        """What riding a kerb asks of the car."""
        swing, axle, left = self._asked(self.car, marker)
        problem = _problem(marker, swing, axle, left)
        mends: tuple[Mend, ...] = ()
        if problem and marker.height_mm < NO_GAIN_MM:
            mends = tuple(sorted(self._mends(marker), key=lambda mend: abs(mend.steps)))
        return KerbTaken(marker, swing, axle, left, problem, mends)

    def _asked(self, car: Car, marker: Marker) -> tuple[float, str, float | None]:
        """The worse axle's swing over its mean load, which axle that is, and the room under the floor above the kerb [mm]."""
        lap, station = self.desk.lap, self._station(marker)
        v, side = float(lap.column("speed")[station]), 0 if marker.side == "left" else 1
        swings, lefts = {}, []
        for number, (name, axle) in enumerate((("front", car.front), ("rear", car.rear))):
            pair = [self._load_n(lap, station, 2 * number + k) for k in (0, 1)]
            mean = 0.5 * sum(pair)
            swings[name] = load_swing_n(car, 2 * number + side, marker.height_mm, v, mean, own_damper=True) / max(mean, 1.0)
            if not axle.rigid:
                height = (car.aero.ride_front_mm, car.aero.ride_rear_mm)[number]
                lefts.append(height - sunk_mm(car, number, sum(pair)) - 0.5 * marker.height_mm)
        worse = max(swings, key=lambda name: swings[name])
        return swings[worse], worse, min(lefts) if lefts else None

    def _mends(self, marker: Marker) -> list[Mend]:
        """Of each item that bears on it the fewest steps that let the car take a kerb."""
        found = []
        core, sheet = self.desk.lap_case.car, self.desk.sheet
        for item in core.items:
            if item.locked or not any(part in item.sets for part in _TAKERS):
                continue
            for steps in sorted((way * k for k in range(1, 41) for way in (1, -1)), key=abs):
                moved = sheet.stepped(item, steps)
                if moved is None:
                    continue
                if not _problem(marker, *self._asked(adjusted(core, moved), marker)):
                    found.append(Mend(item, steps, moved.values[item.key]))
                    break
        return found


def _problem(marker: Marker, swing: float, axle: str, left_mm: float | None) -> str:
    """Why a car does not take a kerb; empty where it does."""
    if marker.height_mm >= NO_GAIN_MM:
        return f"from {NO_GAIN_MM:.0f} mm on a kerb gives nothing"
    if left_mm is not None and left_mm < 0.0:
        return f"the floor strikes it by {-left_mm:.0f} mm"
    if swing >= _THROWN:
        return f"the {axle} wheel on it leaves the road"
    return ""


def _laps(risk: float) -> float:
    """Laps in which something of a risk happens once."""
    return 1.0 / risk if risk > 1.0 / _NEVER else math.inf
