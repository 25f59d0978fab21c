"""One corner to learn and decide on: what the driver does there, what limits it, and what doing it otherwise costs.

Every choice is a lap of its own on the same tyres, with an order for this corner alone; its seconds are counted from well before the
corner to where the next one is braked for.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..circuit.line import CornerSpan, Line
from ..errors import InputError, SolverError
from ..lap.orders import Order
from ..lap.solver import Lap, LapCase, Ready, also_told, ready, run_at, spending_as
from ..quantities.spread import half_interval
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import Four, four
from ..vehicle.weights import weights
from .reading.balance import PHASES, CornerResult, Ints, braking_steps, read_corner, slowest_station

#: Share of the brakes from which on a place is braked, of the throttle below which it is lifted, and margin at which an axle is held [-].
BRAKED, LIFTED, _HELD = 0.02, 0.98, 0.005
#: Lateral acceleration over the corner's greatest at which the wheel is turned [-].
_TURNED = 0.15
#: Way before a corner's braking from which its seconds are counted [m].
_BEFORE_M = 60.0
#: Differences that are none: a gear, say, that the corner turns too fast for [s, m/s].
_SAME_S, _SAME_MS = 5e-4, 0.01
#: Standard deviations of what the model does not know exactly: grip used, braking used, the engine's torque [-]. Source: assumptions of
#: this product (docs/model.md, how sure).
_GRIP_SD, _BRAKING_SD, _POWER_SD = 0.02, 0.03, 0.012
#: Orders that are tried in every corner.
_SHARES, _ROLLS_M = (0.9, 0.8), (20.0, 40.0)


@dataclass(frozen=True)
class Phase:
    """The car in a phase of a corner: over the whole phase, and where it is hardest.

    :param words: `entry`, `mid` or `exit`
    :param axle: the axle that is nearer to its limit where it is hardest
    :param left_pct: what that one has left [%]
    :param other_pct: what the other one has left [%]
    :param kept_pct: what this driver leaves unused [%]
    :param balance_pct: over the whole phase, as `balance.read_corner` has it; None where it has no such phase [%]
    :param at_m: how far from the slowest place the hardest is, before it on entry and behind it on exit [m]
    """

    words: str
    axle: str
    left_pct: float
    other_pct: float
    kept_pct: float = 0.0
    balance_pct: float | None = None
    at_m: float = 0.0

    @property
    def pinned(self) -> bool:
        """Whether throttle, brake or the corner holds that axle at its limit."""
        return self.left_pct < self.kept_pct + 100.0 * _HELD


@dataclass(frozen=True)
class Technique:
    """What the lap does in a corner; distances along the line from the start.

    :param way: `brake`, `lift` or `flat`
    :param read: the corner as the corner table has it
    :param brake_share: greatest share of the brakes used [-]
    :param turn_in_m: where the wheel is first turned [m]
    :param apex_m: where it is slowest [m]
    :param inside_m: room left to the inner edge where the line is nearest to it [m]
    :param inside_at_m: where that is [m]
    :param entry_ms: speed before it is braked or lifted [m/s]
    :param exit_ms: speed where the throttle is wide open [m/s]
    :param phases: what limits in each phase that there is
    """

    way: str
    read: CornerResult
    brake_share: float
    turn_in_m: float
    apex_m: float
    inside_m: float
    inside_at_m: float
    entry_ms: float
    exit_ms: float
    phases: tuple[Phase, ...]


@dataclass(frozen=True)
class Told:
    """Something that the driver may be told in a corner.

    :param braking: share of the greatest braking at most [-]
    :param opening: share of the throttle at most, until the corner's end [-]
    :param coast_m: metres rolled before the brakes [m]
    :param gear: held through the corner
    :param leaning: share of the grip used across at most [-]
    :param through: share of the throttle at most, from where the wheel is first turned to the corner's end [-]
    :param lift_m: metres with the throttle shut before the wheel is first turned [m]
    """

    braking: float | None = None
    opening: float | None = None
    coast_m: float | None = None
    gear: int | None = None
    leaning: float | None = None
    through: float | None = None
    lift_m: float | None = None

    @property
    def empty(self) -> bool:
        """Whether nothing is told."""
        return self == Told()

    @property
    def words(self) -> str:
        """The same in words."""
        parts = []
        if self.braking is not None:
            parts.append("lift, do not brake" if self.braking == 0.0 else f"brakes at {100 * self.braking:.0f} % at most")
        if self.coast_m:
            parts.append(f"coast {self.coast_m:.0f} m before the brakes")
        if self.gear is not None:
            parts.append(f"hold gear {self.gear}")
        if self.opening is not None:
            parts.append(
                "keep the throttle shut" if self.opening == 0.0 else f"throttle to {100 * self.opening:.0f} % until the corner ends"
            )
        if self.leaning is not None:
            parts.append(f"corner on {100 * self.leaning:.0f} % of the grip")
        if self.through is not None:
            parts.append(f"throttle at {100 * self.through:.0f} % at most all the way through")
        if self.lift_m:
            parts.append(f"lift for {self.lift_m:.0f} m before turning in")
        return ", ".join(parts)


@dataclass(frozen=True)
class Choice:
    """What doing something else in a corner comes to, against the lap as it is.

    :param here_s: time until the next corner is braked for [s]
    :param lap_s: over the lap [s]
    :param least_ms: change of the least speed [m/s]
    :param end_ms: change of the speed where the next corner is braked for [m/s]
    :param work: change of each tyre's sliding work over the lap, as a share [-]
    :param fuel_l: change of fuel in a lap [l]
    :param problem: why the car cannot do that, else empty
    :param spread_s: half the 95 % interval of `here_s`, from what the model knows of grip, braking and engine; 0 where it was not asked [s]
    :param longer_m: change of the way, where the line is another [m]
    """

    told: Told
    here_s: float = 0.0
    lap_s: float = 0.0
    least_ms: float = 0.0
    end_ms: float = 0.0
    work: Four = (0.0, 0.0, 0.0, 0.0)
    fuel_l: float = 0.0
    problem: str = ""
    spread_s: float = 0.0
    longer_m: float = 0.0


class CornerDesk:
    """A lap in its case, and laps with an order in one corner."""

    def __init__(self, lap_case: LapCase, sheet: Sheet, lap: Lap, spans: Sequence[CornerSpan], number: int, half_m: float) -> None:
        """
        :param lap: of the sheet in this case
        :param number: of the corner
        :param half_m: half the road's width [m]
        :raises InputError: if there is no such corner
        """
        place = next((k for k, span in enumerate(spans) if span.number == number), None)
        if place is None:
            raise InputError("corner", number, f"1 to {len(spans)}" if spans else "a circuit with corners")
        lap_case = spending_as(lap_case, lap)
        self.lap_case, self.sheet, self.lap, self.half_m, self.spans = lap_case, sheet, lap, half_m, spans
        self.span, self.before, self.following = spans[place], spans[place - 1], spans[(place + 1) % len(spans)]
        self.ready = ready(lap_case, adjusted(lap_case.car, sheet))
        self.n, self.s, self.closed = len(lap.data), lap_case.line.s, lap_case.line.closed
        self.inside = np.arange(self.span.first, self.span.last + 1) % self.n
        self.apex = slowest_station(lap, self.span)
        self.begin, self.until = self._counted()

    def technique(self) -> Technique:
        """What the lap does here."""
        lap, n = self.lap, self.n
        read = read_corner(lap, self.span, self.s)
        since = self.stations(self.begin, self.apex)
        brake, speed = lap.column("brake"), lap.column("speed")
        until = self.stations(self.apex, (self.span.last + 1) % n)
        around = np.concatenate([since, until])
        most = float(brake[since].max())
        way = "brake" if most > BRAKED else "lift" if len(self.lifted(lap, self.inside)) else "flat"
        room = self.half_m - math.copysign(1.0, self.span.turn_deg) * self.lap_case.line.offset[self.inside]
        nearest = int(self.inside[np.argmin(room)])
        full = int(np.searchsorted(self.s, read.full_m))
        return Technique(
            way, read, most, float(self.s[self.turned_in()]), float(self.s[self.apex]), float(room.min()),
            float(self.s[nearest]), float(speed[around].max()), float(speed[min(full, n - 1)]), self._phases(read),
        )  # fmt: skip

    def _phases(self, read: CornerResult) -> tuple[Phase, ...]:
        """What limits on the way in, where it is slowest, and behind it: the mean that the Sheet bench has, and the hardest moment."""
        front, rear = self.lap.column("front_utilisation"), self.lap.column("rear_utilisation")
        lateral = np.abs(self.lap.column("lateral"))
        turning = lateral > 0.3 * float(lateral[self.inside].max())
        place = int(np.flatnonzero(self.inside == self.apex)[0])
        parts = {"entry": self.inside[:place], "mid": self.inside[place : place + 1], "exit": self.inside[place + 1 :]}
        found = []
        for words, stations in parts.items():
            there = stations[turning[stations]]
            if not len(there):
                continue
            hard = int(there[np.argmax(np.maximum(front[there], rear[there]))])
            left = {"front": 100.0 * max(1.0 - float(front[hard]), 0.0), "rear": 100.0 * max(1.0 - float(rear[hard]), 0.0)}
            axle = min(left, key=lambda end: left[end])
            driver = self.lap_case.driver
            kept = 100.0 * (1.0 - driver.ability * (driver.braking if float(self.lap.column("brake")[hard]) > 0.0 else 1.0))
            balance = read.balance[PHASES.index(words)]
            between = self.stations(hard, self.apex) if words == "entry" else self.stations(self.apex, hard)
            at = float(self.lap_case.line.ds[between[:-1]].sum())
            found.append(Phase(words, axle, left[axle], left["rear" if axle == "front" else "front"], kept, balance, at))
        return tuple(found)

    def stations(self, first: int, last: int) -> np.ndarray:
        """Stations from one to another, over the start line where the course is closed."""
        if last >= first:
            return np.arange(first, last + 1)
        return np.arange(first, last + self.n + 1) % self.n if self.closed else np.arange(first, self.n)

    def _counted(self) -> tuple[int, int]:
        """The stations from which and up to which a choice is counted."""
        ds = float(np.median(self.lap_case.line.ds))
        span, n = self.span, self.n
        back = round(_BEFORE_M / ds)
        brake, speed = self.lap.column("brake"), self.lap.column("speed")
        start = self.apex - braking_steps(self.lap, self.apex, n // 3 if self.closed else min(n // 3, self.apex + 1))
        begin = min(start, span.first) - back
        if self.before is not span and (self.closed or self.before.first < span.first):
            # what belongs to the corner before, up to its slowest place, is not this one's
            begin = max(begin, self.apex - (self.apex - slowest_station(self.lap, self.before)) % n + 1)
        end = self.following.first if self.following is not span else span.first + n
        steps = (end - self.apex) % n if self.closed else max(end - self.apex, 0) or n - 1 - self.apex
        until = self.apex + steps
        for k in range(2, steps):
            place = (self.apex + k) % n
            if brake[place] > BRAKED and speed[place] > speed[self.apex] + 0.7:
                until = self.apex + k
                break
        if not self.closed:
            return max(begin, 0), min(until, n - 1)
        return begin % n, until % n

    def orders(self, told: Told) -> list[Order]:
        """The orders of what is told, for the stretch of this corner."""
        s, n = self.s, self.n
        first, last = float(s[self.begin]), float(s[self.span.last % n])
        apex = float(s[self.apex])
        found = []
        if told.braking is not None or told.coast_m is not None:
            found.append(Order(first, apex, braking=told.braking, coast_m=told.coast_m))
        if told.gear is not None:
            turn = float(s[self.span.first % n])
            found.append(Order(turn, last, gear=told.gear))
        if told.opening is not None:
            found.append(Order(apex, last, opening=told.opening))
        if told.leaning is not None:
            found.append(Order(float(s[self.span.first % n]), last, leaning=told.leaning))
        turned = float(s[self.turned_in()])
        if told.through is not None:
            found.append(Order(turned, last, opening=told.through))
        if told.lift_m:
            length = self.lap_case.line.length_m
            begin = (turned - told.lift_m) % length if self.closed else max(turned - told.lift_m, 0.0)
            found.append(Order(begin, turned, opening=0.0))
        return found

    def lifted(self, lap: Lap, there: Ints) -> Ints:
        """Those of these stations at which the throttle is not wide open; a gear change is no lift."""
        closed = lap.column("throttle")[there] < LIFTED
        higher = np.append(np.diff(lap.column("gear")[there]) > 0, False)
        time, pause = lap.column("time")[there], self.lap_case.car.powertrain.shift_s
        edges = np.flatnonzero(np.diff(np.concatenate([[0], closed.astype(int), [0]])))
        for first, after in zip(edges[::2], edges[1::2], strict=True):
            # the pause begins and ends within a station
            lasts = float(time[first:after].sum()) - 2.0 * float(time[first:after].max())
            if higher[max(first - 1, 0) : after + 1].any() and lasts <= pause:
                closed[first:after] = False
        return there[closed]

    def turned_in(self) -> int:
        """The station at which the wheel is first turned for the corner."""
        lateral, since = np.abs(self.lap.column("lateral")), self.stations(self.begin, self.apex)
        turned = since[lateral[since] > _TURNED * float(lateral[self.inside].max())]
        return int(turned[0]) if len(turned) else self.apex

    @cached_property
    def mass_kg(self) -> float:
        """Of the car as it drives here, with fuel and driver [kg]."""
        return weights(self.ready.car).mass_kg

    def choice(self, told: Told, spread: bool = False) -> Choice:
        """What a choice comes to; with the reason where the car cannot do it.

        :param spread: whether it is asked how sure its seconds are
        """
        gears = len(self.lap_case.car.powertrain.gears)
        if told.gear is not None and not 1 <= told.gear <= gears:
            return Choice(told, problem=f"Gear {told.gear}: the car has gears 1 to {gears}.")
        try:
            lap = self._run(self.lap_case, self.ready, told)
        except SolverError as error:
            return Choice(told, problem=str(error))
        sure = self.spread_of(lambda case, car: self._run(case, car, told), lap) if spread else 0.0
        return self.against(told, lap, sure)

    def lap_by(self, told: Told) -> Lap:
        """The lap with a choice in it.

        :raises SolverError: if the car cannot do it
        """
        return self._run(self.lap_case, self.ready, told)

    def lap_on(self, line: Line) -> Lap:
        """The lap on another line over the same stations.

        :raises SolverError: if the car cannot take it
        """
        return run_at(replace(self.lap_case, line=line), self.ready, self.lap.tyres, line, self.lap.ripple)

    def _run(self, lap_case: LapCase, car: Ready, told: Told | None = None) -> Lap:
        """A lap on the same line and tyres."""
        case = lap_case if told is None else also_told(lap_case, self.orders(told))
        return run_at(case, car, self.lap.tyres, lap_case.line, self.lap.ripple)

    @cached_property
    def _unsure(self) -> list[tuple[LapCase, Ready, Lap]]:
        """The case with each of what the model does not know exactly as far off as is usual, and its lap."""
        case, driver = self.lap_case, self.lap_case.driver
        drive = case.car.powertrain
        weaker = tuple((speed, value * (1.0 - _POWER_SD)) for speed, value in drive.torque_nm)
        car = case.car.model_copy(update={"powertrain": drive.model_copy(update={"torque_nm": weaker})})
        others = [
            replace(case, driver=replace(driver, ability=driver.ability - _GRIP_SD)),
            replace(case, driver=replace(driver, braking=driver.braking - _BRAKING_SD)),
            replace(case, car=car),
        ]
        found = []
        for other in others:
            there = ready(other, adjusted(other.car, self.sheet))
            found.append((other, there, self._run(other, there)))
        return found

    def spread_of(self, run: Callable[[LapCase, Ready], Lap], chosen: Lap) -> float:
        """Half the 95 % interval of what a choice costs to the next corner: how its seconds move as grip, braking and engine do [s].

        :param run: the choice's lap in another case
        :param chosen: it in this one
        """
        there = self.stations(self.begin, self.until)
        here_s = float((chosen.column("time")[there] - self.lap.column("time")[there]).sum())
        try:
            laps = [(run(case, car), usual) for case, car, usual in self._unsure]
        except SolverError:
            return 0.0
        moved = [float((lap.column("time")[there] - other.column("time")[there]).sum()) - here_s for lap, other in laps]
        return half_interval(math.hypot(*moved))

    def touched(self, lap: Lap) -> Ints:
        """The stations on which a lap is counted against the lap as it is: those of the corner, and as far before and behind as it is
        another speed there."""
        other = np.abs(lap.column("speed") - self.lap.column("speed")) > 0.02
        begin, until, reach = self.begin, self.until, self.n // 3
        for _ in range(reach):
            if not other[(begin - 1) % self.n] or (not self.closed and begin == 0) or (begin - 1) % self.n == until % self.n:
                break
            begin -= 1
        for _ in range(reach):
            if not other[until % self.n] or (not self.closed and until >= self.n - 1) or (until + 1) % self.n == begin % self.n:
                break
            until += 1
        return self.stations(begin % self.n, until % self.n)

    def against(self, told: Told, lap: Lap, spread_s: float = 0.0, longer_m: float = 0.0, there: Ints | None = None) -> Choice:
        """A lap with a choice in it beside the lap as it is.

        :param there: the stations on which it is counted; those of the corner if not given
        """
        there = self.stations(self.begin, self.until) if there is None else there
        time, usual = lap.column("time"), self.lap
        work = four(a / max(b, 1e-9) - 1.0 for a, b in zip(lap.slip_energy_j, usual.slip_energy_j, strict=True))
        least = float(lap.column("speed")[self.inside].min() - usual.column("speed")[self.inside].min())
        return Choice(
            told, float((time[there] - usual.column("time")[there]).sum()), lap.time_s - usual.time_s, least,
            float(lap.column("speed")[self.until] - usual.column("speed")[self.until]), work, lap.fuel_l - usual.fuel_l,
            "", spread_s, longer_m,
        )  # fmt: skip

    def usual_choices(self) -> list[Choice]:
        """What is worth trying in this corner, quickest first."""
        technique = self.technique()
        asked = []
        if technique.way == "brake":
            asked += [Told(braking=0.0), *[Told(braking=share) for share in _SHARES], *[Told(coast_m=metres) for metres in _ROLLS_M]]
        if technique.way != "flat":
            asked += [Told(opening=share) for share in _SHARES]
        else:
            asked += [Told(lift_m=metres) for metres in _ROLLS_M]
        asked += [Told(through=share) for share in _SHARES]
        gear, gears = technique.read.gear, len(self.lap_case.car.powertrain.gears)
        asked += [Told(gear=other) for other in (gear - 1, gear + 1) if 1 <= other <= gears]
        found = [self.choice(told) for told in asked]
        there = [one for one in found if not one.problem and (abs(one.lap_s) > _SAME_S or abs(one.end_ms) > _SAME_MS)]
        return sorted(there, key=lambda one: one.lap_s)


def summary(technique: Technique) -> str:
    """The technique as one sentence of a corner's card."""
    read = technique.read
    if technique.way == "flat":
        return f"Flat, gear {read.gear}: {3.6 * read.apex_ms:.0f} km/h at {technique.apex_m:.0f} m."
    begun = "Lift" if technique.way == "lift" else f"Brake at {read.brake_start_m or 0.0:.0f} m, {100 * technique.brake_share:.0f} %"
    picked_up = f", throttle from {read.throttle_m:.0f} m" if read.throttle_m != technique.apex_m else ""
    slowest = f"{3.6 * read.apex_ms:.0f} km/h at {technique.apex_m:.0f} m"
    return f"{begun}, gear {read.gear}, {slowest}{picked_up}, wide open at {read.full_m:.0f} m."
