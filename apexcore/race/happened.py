"""What has happened in a race, told by marks: laps, stops, flags and readings come to where it stands."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from .plans import Plan, stop_s
from .replan import Standing, count_driven
from .rules import Pace, RaceRules
from .weather import WET

#: Laps that the use known before the race counts as beside what is read on the day, and laps of a stint from which its fade is read.
_USE_LAPS, _FADE_LAPS = 6.0, 5
#: A lap slower than the stint's median by more than this share is not one of pace.
_SLOW = 0.04
#: Spread of fade before the race, as a share, where it is not told.
_FADE_SPREAD = 0.3
#: How much more than what should be on board a reading may be [l], and how far off the use that it means [-].
_READ_L, _READ_USE = 0.5, (0.3, 3.0)
#: What makes a lap no measure of pace.
_SLOWING = ("safety", "yellow", "red", "flat")
#: Everything that may be told: `lap` as one ends, `pit` as one leaves the pit, `fuel` for a reading; a safety car (`safety`), a full-course
#: yellow (`yellow`) and their end (`green`); a pit lane that is `closed` and `open`; `red` and `restart`; `wet` and `dry`; `onlap` for the
#: lap that is being driven; `distance` and `minutes` for a race that has become another; `puncture` on the lap that is driven; a `penalty`
#: in seconds, a drive-through (`through`), a stop with seconds (`stopgo`), and that what is owed was `served`; the `leader`; a lap of an
#: `other` car like one's own, on the other kind of tyres; a `rival` with his gap; and the lap as whose end a car that shares one's pit box
#: stops (`mate`); a
#: `joker` lap, which is driven by the longer way.
KINDS = (
    "lap", "pit", "fuel", "safety", "yellow", "green", "closed", "open", "red", "restart", "wet", "dry", "onlap", "distance", "minutes",
    "puncture", "penalty", "through", "stopgo", "served", "leader", "other", "rival", "mate",
    "joker",
)  # fmt: skip


@dataclass(frozen=True)
class Mark:
    """Something that happened.

    :param kind: one of `KINDS`
    :param time_s: of a lap, of the leader's or a rival's laps; None where it is not known [s]
    :param litres: added at a stop, or on board by a reading [l]
    :param compound: fitted at a stop; empty where tyres stayed on
    :param age: laps that the fitted set was driven before
    :param value: the lap of `onlap`; laps of `distance`, `minutes` of that; seconds of a penalty; seconds that the race stood before a
        `restart`; seconds that the leader is ahead on the road, or a rival at the line, negative behind; the lap of `mate`, 0 for none
    :param laps: whole laps that the leader is ahead; laps that a rival's tyres have done
    :param car: which rival
    """

    kind: str
    time_s: float | None = None
    litres: float | None = None
    compound: str = ""
    age: int = 0
    value: float | None = None
    laps: int = 0
    car: str = ""


@dataclass(frozen=True)
class Setup:
    """What a race began with.

    :param rules: with its laps
    :param pace: as known before
    :param plan: the plan that it began with
    :param scatter_s: of the driver's laps [s]
    :param safety_pit: loss in the pit lane under a safety car over the usual [-]
    """

    rules: RaceRules
    pace: Pace
    plan: Plan
    scatter_s: float
    safety_pit: float


@dataclass(frozen=True)
class RaceLap:
    """A race lap as it was begun.

    :param time_s: None where it is not known [s]
    :param compound: tyres that were on, `age` laps old as it began
    :param fuel_l: on board as it began [l]
    :param stop_l: filled at the stop before it [l]; None where there was none
    :param fitted: whether that stop fitted tyres
    :param green: whether neither a safety car nor another trouble slowed any part of it
    :param wet: whether it was wet for a part of it
    """

    time_s: float | None
    compound: str
    age: int
    fuel_l: float
    stop_l: float | None
    fitted: bool
    green: bool
    wet: bool = False

    @property
    def pace_s(self) -> float | None:
        """Its time where that is one of pace [s]: a green lap without a stop; None of others."""
        return self.time_s if self.green and self.stop_l is None else None


@dataclass(frozen=True)
class Leader:
    """The leader as a lap of one's own ended.

    :param behind: that lap of one's own
    :param laps: whole laps that he was ahead, and `ahead_s` on the road [s]
    :param lap_s: of his laps; None where it is not told [s]
    """

    behind: int
    laps: int
    ahead_s: float
    lap_s: float | None


@dataclass(frozen=True)
class ToldRival:
    """A rival as a lap of one's own ended, typed.

    :param behind: that lap of one's own
    :param gap_s: by which he was ahead, negative behind [s]
    :param lap_s: of his laps; None where it is not told [s]
    :param age: laps that his tyres had done
    """

    car: str
    behind: int
    gap_s: float
    lap_s: float | None
    age: int


@dataclass(frozen=True)
class Happened:
    """What the marks come to.

    :param standing: where the race stands
    :param times_s: of the laps, None where one is not known [s]
    :param use_l: fuel of a lap, as far as readings tell [l]
    :param fade: how much faster tyres fade than was known before [-]
    :param safety: whether a safety car is out
    :param wet: whether the track is wet
    :param stint_lap: race lap that the stint began on
    :param weather: laps done as it last became wet, and dry again; None where it did not
    :param driven: each lap as it was begun
    :param yellow: whether there is a full-course yellow
    :param closed: whether the pit lane is closed
    :param red: whether the race is stopped
    :param slow_laps: laps behind the safety car so far, or under the yellow
    :param flat: whether a tyre is flat
    :param stood_s: time that the race was stopped, which its clock does not count [s]
    :param distance: laps that it has come to, told; None where as the rules have it
    :param minutes: the same in time [min]
    :param penalties: what is owed: kind and seconds
    :param leader: the leader, as told last
    :param doubts: readings that cannot be
    :param others: laps of a car on the other kind of tyres: one's own lap by then, and its time [s]
    :param rivals: those that were typed, each as told last
    :param mate: lap as whose end a car that shares the pit box stops; None where none does
    :param jokers: laps by the longer way so far
    """

    standing: Standing
    times_s: tuple[float | None, ...]
    use_l: float
    fade: float
    safety: bool
    wet: bool
    stint_lap: int
    weather: tuple[int | None, int | None] = (None, None)
    driven: tuple[RaceLap, ...] = ()
    yellow: bool = False
    closed: bool = False
    red: bool = False
    slow_laps: int = 0
    flat: bool = False
    stood_s: float = 0.0
    distance: int | None = None
    minutes: float | None = None
    penalties: tuple[tuple[str, float], ...] = ()
    leader: Leader | None = None
    doubts: tuple[str, ...] = ()
    others: tuple[tuple[int, float], ...] = ()
    rivals: tuple[ToldRival, ...] = ()
    mate: int | None = None
    jokers: int = 0

    @property
    def elapsed_s(self) -> float | None:
        """Time that is known; None where a lap's is not [s]."""
        return None if any(time is None for time in self.times_s) else sum(time or 0.0 for time in self.times_s)


@dataclass
class _Road:
    """What the marks have come to so far."""

    setup: Setup
    fuel: float
    compound: str
    age: int
    known_l: float
    use_sum: float
    use_laps: float
    laps: list[RaceLap] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=dict)
    fitted: list[tuple[str, int]] = field(default_factory=list)
    stops: int = 0
    since: int = 0
    since_reading: int = 0
    wheel_s: float = 0.0
    stop: tuple[float, bool] | None = None
    flags: dict[str, bool] = field(default_factory=lambda: dict.fromkeys(("safety", "yellow", "closed", "red", "wet", "flat"), False))
    turned: tuple[int | None, int | None] = (None, None)
    told: dict[str, Any] = field(default_factory=dict)
    penalties: list[tuple[str, float]] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
    others: list[tuple[int, float]] = field(default_factory=list)
    rivals: dict[str, ToldRival] = field(default_factory=dict)
    slow_laps: int = 0
    stood_s: float = 0.0
    jokers: int = 0
    added_l: float = 0.0
    left_l: float = 0.0
    slowed: bool = False
    wetted: bool = False
    saved: bool = False

    @property
    def use(self) -> float:
        return self.use_sum / self.use_laps

    def lap(self, time_s: float | None) -> None:
        """A lap has ended."""
        filled, fitted = self.stop if self.stop is not None else (None, False)
        self.saved |= self.slowed
        begun = RaceLap(time_s, self.compound, self.age, self.fuel, filled, fitted, not self.slowed, self.wetted)
        self.laps.append(begun)
        driving = time_s if time_s is not None else self.setup.pace.lap_s
        self.wheel_s += driving - (stop_s(self.setup.rules, filled, fitted) if filled is not None else 0.0)
        self.stop = None
        self.age, self.since, self.since_reading, self.fuel = self.age + 1, self.since + 1, self.since_reading + 1, self.fuel - self.use
        count_driven(self.counts, self.compound, 1)
        self.slow_laps += self.flags["safety"] or self.flags["yellow"]
        self.slowed, self.wetted = any(self.flags[name] for name in _SLOWING), self.flags["wet"]

    def flagged(self, **flags: bool) -> None:
        """Flags go up or down; the lap that is being driven is no whole green one any more."""
        self.flags |= flags
        self.slowed |= any(flags.get(name, False) for name in _SLOWING)
        self.wetted |= flags.get("wet", False)

    def pit(self, mark: Mark) -> None:
        """The pit was left."""
        filled = min(mark.litres or 0.0, max(self.setup.rules.tank_l - self.fuel, 0.0))
        if (mark.litres or 0.0) > filled + _READ_L:
            self.doubts.append(f"{mark.litres:.1f} l were added where the tank had room for {filled:.1f}")
        self.stops, self.since, self.wheel_s = self.stops + 1, 0, 0.0
        self.fuel += filled
        self.added_l, self.left_l = self.added_l + filled, self.fuel
        self.known_l, self.since_reading, self.saved = self.fuel, 0, self.slowed
        self.stop = (filled, bool(mark.compound))
        self.flags["flat"] = False
        if mark.compound:
            if (mark.compound == WET) != (self.compound == WET):
                self.others.clear()  # what was the other kind is now one's own
            self.compound, self.age = mark.compound, mark.age
            self.fitted.append((self.compound, self.age))

    def reading(self, litres: float) -> None:
        """Fuel on board was read: counted where tank and use allow it, else doubted."""
        use = self.setup.pace.fuel_l_per_lap
        if litres > self.setup.rules.tank_l + _READ_L:
            self.doubts.append(f"{litres:.1f} l on board, the tank holds {self.setup.rules.tank_l:g}: not counted")
            return
        if self.since_reading and not self.saved:  # laps behind a safety car burn less, and say nothing of a green one
            burnt = (self.known_l - litres) / self.since_reading
            if not _READ_USE[0] * use < burnt < _READ_USE[1] * use:
                self.doubts.append(f"{litres:.1f} l on board would be {burnt:.2f} l a lap, planned {use:.2f}: not counted to the use")
            else:
                self.use_sum, self.use_laps = self.use_sum + self.known_l - litres, self.use_laps + self.since_reading
        self.fuel, self.known_l, self.since_reading, self.saved = litres, litres, 0, self.slowed

    def on_lap(self, lap: int) -> None:
        """The lap that is being driven: laps that nobody counted are added, those that were counted twice taken away."""
        while len(self.laps) < lap - 1:
            self.lap(None)
        while len(self.laps) > max(lap - 1, 0) and self.since:
            gone = self.laps.pop()
            self.age, self.since, self.since_reading = gone.age, self.since - 1, max(self.since_reading - 1, 0)
            self.fuel = gone.fuel_l
            count_driven(self.counts, self.compound, -1)


def happened(setup: Setup, marks: Sequence[Mark]) -> Happened:
    """Goes through the marks in their order."""
    first = setup.plan.stints[0]
    use = setup.pace.fuel_l_per_lap
    fuel = first.fuel_l - setup.rules.formation_laps * use
    road = _Road(
        setup, fuel, first.compound, first.age, fuel, _USE_LAPS * use, _USE_LAPS, fitted=[(first.compound, first.age)], left_l=fuel
    )  # fmt: skip
    for mark in marks:
        _take(road, mark)
    standing = Standing(
        len(road.laps), max(road.fuel, 0.0), road.compound, road.age, road.since, road.stops, tuple(road.counts.items()),
        tuple(road.fitted), road.wheel_s, max(fuel + road.added_l - road.fuel, 0.0), max(road.left_l - road.fuel, 0.0),
    )  # fmt: skip
    now = Happened(
        standing, tuple(lap.time_s for lap in road.laps), road.use, 1.0, road.flags["safety"], road.flags["wet"],
        len(road.laps) - road.since + 1, road.turned, tuple(road.laps), road.flags["yellow"], road.flags["closed"], road.flags["red"],
        road.slow_laps, road.flags["flat"], road.stood_s, road.told.get("distance"), road.told.get("minutes"), tuple(road.penalties),
        road.told.get("leader"), tuple(road.doubts), tuple(road.others), tuple(road.rivals.values()), road.told.get("mate"),
        road.jokers,
    )  # fmt: skip
    began = max(len(road.laps) - road.since, 1)  # the race's first lap is driven on cold tyres, as the first one of each stint
    stint = [(lap.age, lap.pace_s) for lap in road.laps[began:] if lap.pace_s and not lap.wet]
    return replace(now, fade=_fade(setup, road.compound, stint, road.use))


def _take(road: _Road, mark: Mark) -> None:
    kind, laps, value = mark.kind, len(road.laps), mark.value or 0.0
    if kind == "lap":
        road.lap(mark.time_s)
    elif kind == "pit":
        road.pit(mark)
    elif kind == "fuel" and mark.litres is not None:
        road.reading(mark.litres)
    elif kind in ("safety", "yellow"):
        road.flagged(safety=kind == "safety", yellow=kind == "yellow")
        road.slow_laps = 0
    elif kind == "green":
        road.flagged(safety=False, yellow=False)
    elif kind in ("closed", "open"):
        road.flags["closed"] = kind == "closed"
    elif kind == "red":
        road.flagged(red=True, safety=False, yellow=False)
    elif kind == "restart":
        road.flags["red"] = False
        road.stood_s += value
        if mark.compound:
            road.compound, road.age = mark.compound, mark.age
            road.fitted.append((mark.compound, mark.age))
    elif kind in ("wet", "dry"):
        road.flagged(wet=kind == "wet")
        road.turned = (laps, None) if kind == "wet" else (road.turned[0], laps)
    elif kind == "onlap":
        road.on_lap(int(value))
    elif kind == "distance":
        road.told |= {"distance": int(value), "minutes": None}
    elif kind == "minutes":
        road.told |= {"minutes": value, "distance": None}
    elif kind == "joker":
        road.jokers += 1
        road.slowed = True
    elif kind == "puncture":
        road.flagged(flat=True)
    elif kind in ("penalty", "through", "stopgo"):
        road.penalties.append((kind, value))
    elif kind == "served" and road.penalties:
        road.penalties.pop(0)
    elif kind == "leader":
        road.told["leader"] = Leader(laps, mark.laps, value, mark.time_s)
    elif kind == "rival":
        road.rivals[mark.car] = ToldRival(mark.car, laps, value, mark.time_s, mark.laps)
    elif kind == "mate":
        road.told["mate"] = int(value) or None
    elif kind == "other" and mark.time_s is not None:
        road.others.append((max(laps, 1), mark.time_s))


def _fade(setup: Setup, compound: str, laps: Sequence[tuple[int, float]], use_l: float) -> float:
    """How much faster the tyres that are on fade than was known: normal prior and normal slope (Gelman and others, ch. 2)."""
    tyre = next((one for one in setup.pace.tyres if one.key == compound), None)
    if tyre is None or tyre.fade_s <= 1e-3 or len(laps) < _FADE_LAPS:
        return 1.0
    age, time = (np.array(column, dtype=float) for column in zip(*laps, strict=True))
    good = time < (1.0 + _SLOW) * np.median(time)
    if good.sum() < _FADE_LAPS:
        return 1.0
    age, time = age[good], time[good] + setup.pace.fuel_s_per_l * use_l * (age[good] - age[good][0])  # what burns off is no fade
    spread = float(((age - age.mean()) ** 2).sum())
    slope = float(((age - age.mean()) * time).sum()) / spread
    error = max(setup.scatter_s, 0.02) / math.sqrt(spread) / tyre.fade_s
    weight = 1.0 / error**2
    return min(max((slope / tyre.fade_s * weight + 1.0 / _FADE_SPREAD**2) / (weight + 1.0 / _FADE_SPREAD**2), 0.3), 3.0)
