"""Rules of a race and the pace that a plan is computed from."""

from dataclasses import dataclass
from typing import Annotated, Self

from pydantic import Field, model_validator

from ..errors import InputError
from ..quantities.values import Value
from ..quantities.words import counted
from ..vehicle.pair import axles_of
from .crew import names_fuel, read_work

#: Longest race and most stops that a plan is worked out for: a day of short laps.
MOST_LAPS, MOST_STOPS = 1200, 40
#: Longest race over time [min].
MOST_MINUTES = 1500
#: A race over time lasts longer than that by its last lap.
_WITH_THE_LAST_LAP = 1.05


class TyreSets(Value):
    """Sets of tyres of one kind that a race may use.

    :param compound: its key
    :param count: how many there are
    :param age: laps that they have been driven
    """

    compound: str = Field(min_length=1, max_length=40)
    count: int = Field(ge=0, le=99)
    age: int = Field(0, ge=0, le=200)


class Laps(Value):
    """Laps from one to another, both among them.

    :param first: from 1
    """

    first: int = Field(ge=1, le=MOST_LAPS)
    last: int = Field(ge=1, le=MOST_LAPS)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.last < self.first:
            raise ValueError(f"laps {self.first} to {self.last} end before they begin; expected the earlier one first")
        return self


class Minutes(Value):
    """A stretch of the race's clock, its end left out [min]."""

    first: float = Field(ge=0, le=MOST_MINUTES)
    last: float = Field(ge=0, le=MOST_MINUTES)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.last <= self.first:
            raise ValueError(f"minutes {self.first:g} to {self.last:g} end before they begin; expected the earlier one first")
        return self

    def holds(self, seconds: float) -> bool:
        """Whether the clock is within it [s]."""
        return 60.0 * self.first <= seconds < 60.0 * self.last


class Surroundings(Value):
    """What a race is driven among.

    :param cars: other cars
    :param grid: place on the grid, 1 the first
    :param ahead_s: how much quicker a lap the quickest of the others is; negative where all are slower [s]
    :param spread_s: from the quickest to the slowest of the others, a lap [s]
    :param passing_s: how much quicker a lap one must be for an even chance to pass in a lap [s]
    :param safety_cars: that come in a race, on average
    :param safety_laps: laps behind each
    :param safety_slow: a lap behind it over a usual one [-]
    :param safety_pit: loss in the pit lane under it over the usual one [-]
    :param counted: whether laps behind it count to the distance; else they are driven on top of it
    :param yellows: full-course yellows in a race, on average: everybody slows and gaps stay
    :param troubles: punctures and spins in a hundred laps
    :param trouble_s: what one costs [s]
    :param points: for each place, from the first on; those behind get none
    :param results: points of the season's races before
    :param best_results: of the season's results that many count, the best; 0 for all
    """

    cars: int = Field(15, ge=0, le=60)
    grid: int = Field(8, ge=1, le=61)
    ahead_s: float = Field(0.6, ge=-20, le=20)
    spread_s: float = Field(2.0, ge=0, le=40)
    passing_s: float = Field(0.8, ge=0, le=20)
    safety_cars: float = Field(0.5, ge=0, le=6)
    safety_laps: int = Field(3, ge=1, le=20)
    safety_slow: float = Field(1.6, ge=1, le=4)
    safety_pit: float = Field(0.6, ge=0, le=1)
    counted: bool = True
    yellows: float = Field(0.3, ge=0, le=6)
    troubles: float = Field(0.3, ge=0, le=20)
    trouble_s: float = Field(25.0, ge=0, le=300)
    points: tuple[Annotated[float, Field(ge=0, le=10_000)], ...] = Field((), max_length=61)
    results: tuple[Annotated[float, Field(ge=0, le=10_000)], ...] = Field((), max_length=60)
    best_results: int = Field(0, ge=0, le=60)

    def standing(self, *more: float) -> float:
        """Points of the season so far, and with results more."""
        each = sorted((*self.results, *more), reverse=True)
        return sum(each[: self.best_results] if self.best_results else each)

    def worth(self, place: int) -> float:
        """What a place adds to the season's points: its own, less those of a result that then no longer counts."""
        return self.standing(self.points[place - 1] if place <= len(self.points) else 0.0) - self.standing()


Share = Annotated[float, Field(ge=0, le=1)]
#: What a lap may lose to water [s].
LossS = Annotated[float, Field(ge=0, le=120)]


class RaceRules(Value):
    """Rules of a race.

    :param laps: race distance; where `minutes` is told, what follows from them
    :param minutes: length in time instead, after which so many laps more are driven; 0 for a race over laps [min]
    :param laps_after: laps that are driven to their end after the lap on which the time is up
    :param compulsory: compounds that must each be used, on one axle at least
    :param compulsory_laps: laps that each of them must be driven in all
    :param sets: sets that there are, of each compound that is named; of others as many new ones as one likes
    :param mixed: whether front and rear may carry unlike compounds
    :param barred: compounds and pairs that are not used: a key, or two with a stroke between them, front first
    :param tyres_may_stay: whether a stop may leave the tyres on
    :param least_stops: fewest pit stops allowed
    :param most_stops: most pit stops considered or allowed
    :param pit_loss_s: time lost by driving through the pit lane [s]
    :param pit_spread_s: standard deviation of a stop's time [s]
    :param tyre_change_s: standing time of a tyre change [s]
    :param refuelling: whether fuel may be added at a stop
    :param refuel_l_per_s: rate of refuelling [l/s]
    :param in_parallel: whether tyres and fuel are done at the same time
    :param crew_work: what the crew may do at once, as a formula of standing time in tyres, fuel, driver and seconds, such as
        max(tyres, fuel) + driver; where it is empty `in_parallel` says it, and drivers change meanwhile
    :param stint_l: most fuel burnt from pit to pit; 0 for any [l]
    :param race_l: most fuel burnt on the race's laps; 0 for any [l]
    :param jokers: laps by the longer way that each must drive once a race
    :param joker_s: what one of them takes over a usual lap [s]
    :param tank_l: what the tank holds [l]
    :param formation_laps: laps behind the starter before the race
    :param least_standing_s: least standing time of a stop, whatever is done [s]
    :param first_stop_lap: earliest lap behind which one may stop; 0 for any
    :param last_stop_lap: latest lap behind which one may stop; 0 for any
    :param no_stops: laps behind which one may not stop, beside those before the first and after the last one
    :param no_stop_minutes: stretches of the race's clock in which one may not come in; it runs from the start, and counts as the lap ends
    :param lane_s: driving through the pit lane at its limit, from line to line [s]
    :param least_lane_s: least time between these lines of a stop, whatever is done; 0 for any [s]
    :param longest_stint: most laps of a stint; 0 for any
    :param wheel_minutes: longest time at the wheel without a change of driver, which every stop then has; 0 for any [min]
    :param driver_change_s: standing time of a change of driver [s]
    :param drivers: how many share the car
    :param driver_least_minutes: time that each of them must drive at least [min]
    :param driver_most_minutes: time that each of them may drive at most; 0 for any [min]
    :param driver_rest_minutes: rest from leaving the wheel to taking it again [min]
    :param driver_slower_s: how much slower a lap each of them is than the pace, the first one first [s]
    :param ballast_kg: ballast beyond that of the laps that the pace comes from [kg]
    :param savings_pct: shares of a lap's fuel that a stint may save by lifting early, at what it costs [%]
    :param wear_factor: how much faster tyres wear in the race than in the laps that the pace comes from [-]
    :param fuel_factor: how much more fuel is burnt [-]
    :param heats: how many such races are driven on the same sets
    :param track_s: by how much the track changes the lap time from lap to lap, quicker where negative [s/lap]
    :param rain_from: lap on which it is expected to begin to rain; 0 for no rain
    :param rain_until: lap on which it is expected to end; 0 for the race's end
    :param rain_spread: how unsure both are, a standard deviation [laps]
    :param wet_lap_s: how much slower a lap is in the wet, on wet tyres [s]
    :param dry_on_wet_s: what dry tyres lose to wet ones on a lap in the wet [s]
    :param wet_on_dry_s: what wet tyres lose to dry ones on a dry lap [s]
    :param wet_losses: what dry and wet tyres lose to a dry lap by wetness (wetness [-], [s], [s]), straight between; empty: straight from
        the three losses above
    :param around: the field, safety cars and troubles
    """

    laps: int = Field(ge=1, le=MOST_LAPS)
    minutes: float = Field(0.0, ge=0, le=MOST_MINUTES)
    laps_after: int = Field(0, ge=0, le=5)
    compulsory: tuple[Annotated[str, Field(max_length=40)], ...] = Field((), max_length=20)
    compulsory_laps: int = Field(1, ge=1, le=60)
    sets: tuple[TyreSets, ...] = Field((), max_length=20)
    mixed: bool = False
    barred: tuple[Annotated[str, Field(max_length=81)], ...] = Field((), max_length=100)
    tyres_may_stay: bool = False
    least_stops: int = Field(0, ge=0, le=MOST_STOPS)
    most_stops: int = Field(3, ge=0, le=MOST_STOPS)
    pit_loss_s: float = Field(ge=0, le=300)
    pit_spread_s: float = Field(0.0, ge=0, le=60)
    tyre_change_s: float = Field(0.0, ge=0, le=120)
    refuelling: bool = False
    refuel_l_per_s: float = Field(2.0, ge=0.01, le=20)
    in_parallel: bool = True
    crew_work: str = Field("", max_length=80)
    stint_l: float = Field(0.0, ge=0, le=500)
    race_l: float = Field(0.0, ge=0, le=20_000)
    jokers: int = Field(0, ge=0, le=5)
    joker_s: float = Field(0.0, ge=0, le=120)
    tank_l: float = Field(gt=0, le=500)
    formation_laps: float = Field(1.0, ge=0, le=5)
    least_standing_s: float = Field(0.0, ge=0, le=300)
    first_stop_lap: int = Field(0, ge=0, le=MOST_LAPS)
    last_stop_lap: int = Field(0, ge=0, le=MOST_LAPS)
    no_stops: tuple[Laps, ...] = Field((), max_length=40)
    no_stop_minutes: tuple[Minutes, ...] = Field((), max_length=40)
    lane_s: float = Field(0.0, ge=0, le=300)
    least_lane_s: float = Field(0.0, ge=0, le=900)
    longest_stint: int = Field(0, ge=0, le=MOST_LAPS)
    wheel_minutes: float = Field(0.0, ge=0, le=MOST_MINUTES)
    driver_change_s: float = Field(0.0, ge=0, le=300)
    drivers: int = Field(1, ge=1, le=8)
    driver_least_minutes: float = Field(0.0, ge=0, le=MOST_MINUTES)
    driver_most_minutes: float = Field(0.0, ge=0, le=MOST_MINUTES)
    driver_rest_minutes: float = Field(0.0, ge=0, le=MOST_MINUTES)
    driver_slower_s: tuple[Annotated[float, Field(ge=-20, le=60)], ...] = Field((), max_length=8)
    ballast_kg: float = Field(0.0, ge=0, le=300)
    savings_pct: tuple[Annotated[float, Field(gt=0, le=30)], ...] = Field((), max_length=4)
    wear_factor: float = Field(1.0, ge=0.1, le=20)
    fuel_factor: float = Field(1.0, ge=0.1, le=20)
    heats: int = Field(1, ge=1, le=8)
    track_s: float = Field(0.0, ge=-1, le=1)
    rain_from: float = Field(0.0, ge=0, le=MOST_LAPS)
    rain_until: float = Field(0.0, ge=0, le=MOST_LAPS)
    rain_spread: float = Field(2.0, ge=0, le=60)
    wet_lap_s: float = Field(5.0, ge=0, le=120)
    dry_on_wet_s: float = Field(6.0, ge=0, le=120)
    wet_on_dry_s: float = Field(4.0, ge=0, le=120)
    wet_losses: tuple[tuple[Share, LossS, LossS], ...] = Field((), max_length=24)
    around: Surroundings = Surroundings()

    @model_validator(mode="after")
    def _whole(self) -> Self:
        at = [one[0] for one in self.wet_losses]
        if at and (at[0] != 0.0 or at[-1] != 1.0 or at != sorted(set(at))):
            raise ValueError("wet_losses: expected wetness rising from 0 to 1, both among them")
        kinds = [(one.compound, one.age) for one in self.sets]
        if len(set(kinds)) < len(kinds):
            raise ValueError("sets of the same compound and age stand twice; expected one line for each")
        if self.crew_work:
            try:
                read_work(self.crew_work, 0.0, 0.0)
            except InputError as error:
                raise ValueError(str(error)) from None
        return self

    @property
    def least_stand_s(self) -> float:
        """Least standing time of any stop [s]: what is asked for itself, for the pit lane as a whole, and by a change of driver."""
        change = 0.0 if self.crew_work else self.change_s
        return max(self.least_standing_s, self.least_lane_s - self.lane_s if self.least_lane_s else 0.0, change)

    @property
    def change_s(self) -> float:
        """Standing time of the change of driver that every stop has [s]; 0 where nobody changes."""
        return self.driver_change_s if self.wheel_minutes or self.drivers > 1 else 0.0

    @property
    def closed_words(self) -> str:
        """The laps behind which one may not stop, as one says them."""
        return "behind " + ", ".join(
            f"laps {one.first} to {one.last}" if one.last > one.first else f"lap {one.first}" for one in self.no_stops
        )

    @property
    def closed_minutes_words(self) -> str:
        """The minutes in which one may not stop, as one says them."""
        return "in minutes " + ", ".join(f"{one.first:g} to {one.last:g}" for one in self.no_stop_minutes)

    def closed_at(self, seconds: float) -> Minutes | None:
        """The stretch without stops that the race's clock is within [s]; None where one may come in by the clock."""
        return next((one for one in self.no_stop_minutes if one.holds(seconds)), None)

    def stop_allowed(self, lap: int) -> bool:
        """Whether one may stop behind a lap, by the laps alone."""
        within = self.first_stop_lap <= lap <= (self.last_stop_lap or lap)
        return within and not any(one.first <= lap <= one.last for one in self.no_stops)


def contradictions(rules: RaceRules) -> dict[str, str]:
    """What rules say that cannot be, by the field at which it is set right."""
    found = dict[str, str]()
    if rules.rain_from > 0.0 and 0.0 < rules.rain_until <= rules.rain_from:
        found["rain_until"] = f"Rain ends on lap {rules.rain_until:g} and begins on lap {rules.rain_from:g}; expected an end behind it."
    least = rules.drivers * rules.driver_least_minutes
    if rules.minutes and rules.drivers > 1 and least > rules.minutes * _WITH_THE_LAST_LAP:
        found["driver_least_minutes"] = (
            f"{rules.drivers} drivers of {rules.driver_least_minutes:g} min each drive {least:g} min; the race has {rules.minutes:g}."
        )
    each, most = rules.driver_most_minutes, rules.drivers * rules.driver_most_minutes
    if rules.minutes and each and most < rules.minutes:
        crew = counted(rules.drivers, "driver")
        found["driver_most_minutes"] = f"{crew} of at most {each:g} min drive {most:g} min; the race has {rules.minutes:g}."
    if each and each < rules.driver_least_minutes:
        least = rules.driver_least_minutes
        found["driver_most_minutes"] = f"Each may drive {each:g} min at most and must drive {least:g}; expected more at most."
    if rules.crew_work:
        try:
            if rules.refuelling and not names_fuel(rules.crew_work):
                found["crew_work"] = f"Refuelling is allowed and {rules.crew_work} says nothing of fuel; expected fuel in it."
        except InputError as error:
            found["crew_work"] = str(error)
    if rules.joker_s and not rules.jokers:
        found["jokers"] = f"A joker lap takes {rules.joker_s:g} s more, and none has to be driven; expected how many."
    if rules.least_lane_s and rules.least_lane_s < rules.lane_s:
        found["least_lane_s"] = (
            f"The least time in the pit lane is {rules.least_lane_s:g} s, and driving through it takes {rules.lane_s:g} s; expected more."
        )
    return found


@dataclass(frozen=True)
class TyrePace:
    """Pace of a compound, or of a pair, over its age.

    :param key: the compound; of a pair those of front and rear with a stroke between them
    :param offset_s: lap time on new, warm tyres against the fastest compound [s]
    :param fade_s: added by each lap of age [s/lap]
    :param warm_s: added on its first lap [s]
    :param cliff_age: age at which it falls off [laps]
    :param cliff_s: added by each lap beyond that, growing evenly [s/lap2]
    """

    key: str
    offset_s: float
    fade_s: float
    warm_s: float
    cliff_age: float
    cliff_s: float

    @property
    def axles(self) -> tuple[str, str]:
        """Compounds of front and rear."""
        return axles_of(self.key)


@dataclass(frozen=True)
class Level:
    """A way of driving a stint.

    :param saved_pct: fuel that it saves [%]
    :param cost_s: what it costs on a lap [s]
    :param fuel_share: fuel over that of driving all out [-]
    :param tyre_share: work of the tyre that works most over that [-]
    """

    saved_pct: float = 0.0
    cost_s: float = 0.0
    fuel_share: float = 1.0
    tyre_share: float = 1.0


#: Driving all out.
ALL_OUT = Level()


@dataclass(frozen=True)
class Pace:
    """What a plan is computed from.

    :param lap_s: lap time of the fastest compound, new and warm, without fuel [s]
    :param tyres: each compound that may be used
    :param fuel_l_per_lap: [l/lap]
    :param fuel_s_per_l: lap time added by one litre on board [s/l]
    :param margin_l: fuel that stays in the tank at each end of a stint [l]
    :param levels: ways in which a stint may be driven, all out among them
    """

    lap_s: float
    tyres: tuple[TyrePace, ...]
    fuel_l_per_lap: float
    fuel_s_per_l: float
    margin_l: float
    levels: tuple[Level, ...] = (ALL_OUT,)
