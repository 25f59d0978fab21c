"""A race that was driven, as values: what it began with, and every mark of it."""

from typing import Annotated, Literal

from pydantic import Field

from ..quantities.values import Value
from ..race.happened import Mark, Setup
from ..race.plans import Plan, Stint
from ..race.rivals import AtLine
from ..race.rules import MOST_LAPS, Level, Pace, RaceRules, TyrePace
from .timing import MOST_CLOCK_S, MOST_NAME

_Word = Annotated[str, Field(max_length=81)]
_Seconds = Annotated[float, Field(ge=-1e6, le=1e6)]
_Laps = Annotated[float, Field(ge=0, le=1e6)]
_Litres = Annotated[float, Field(ge=0, le=500)]


class TyreFile(Value):
    """As `race.rules.TyrePace`."""

    key: _Word
    offset_s: _Seconds
    fade_s: _Seconds
    warm_s: _Seconds
    cliff_age: _Laps
    cliff_s: _Seconds


class LevelFile(Value):
    """As `race.rules.Level`."""

    saved_pct: float = Field(0.0, ge=-60, le=60)
    cost_s: _Seconds = 0.0
    fuel_share: float = Field(1.0, ge=0.1, le=3)
    tyre_share: float = Field(1.0, ge=0.1, le=3)


class StintFile(Value):
    """As `race.plans.Stint`."""

    compound: _Word
    first_lap: int = Field(ge=1, le=1300)
    laps: int = Field(ge=1, le=1300)
    fuel_l: _Litres
    age: int = Field(0, ge=0, le=1300)
    fitted: bool = True
    level: LevelFile = LevelFile()

    def stint(self) -> Stint:
        """As the core has it."""
        return Stint(**{**vars(self), "level": Level(**vars(self.level))})


class PlanValue(Value):
    """As `race.plans.Plan`."""

    stints: tuple[StintFile, ...] = Field(min_length=1, max_length=60)
    time_s: float = Field(0.0, ge=0, le=1e7)

    def plan(self) -> Plan:
        """As the core has it; what its parts came to is not kept."""
        return Plan(tuple(stint.stint() for stint in self.stints), self.time_s, 0.0, 0.0, 0.0)

    @classmethod
    def of(cls, plan: Plan) -> "PlanValue":
        """Of a plan."""
        stints = [StintFile(**{**vars(stint), "level": LevelFile(**vars(stint.level))}) for stint in plan.stints]
        return cls(stints=tuple(stints), time_s=plan.time_s)


class SetupFile(Value):
    """As `race.live.Setup`."""

    rules: RaceRules
    lap_s: float = Field(gt=0, le=1e5)
    tyres: tuple[TyreFile, ...] = Field(min_length=1, max_length=100)
    fuel_l_per_lap: float = Field(gt=0, le=500)
    fuel_s_per_l: _Seconds
    margin_l: _Litres
    levels: tuple[LevelFile, ...] = Field(min_length=1, max_length=8)
    plan: PlanValue
    scatter_s: float = Field(ge=0, le=100)
    safety_pit: float = Field(ge=0, le=1)

    def setup(self) -> Setup:
        """As the core has it."""
        tyres = tuple(TyrePace(**vars(tyre)) for tyre in self.tyres)
        levels = tuple(Level(**vars(level)) for level in self.levels)
        pace = Pace(self.lap_s, tyres, self.fuel_l_per_lap, self.fuel_s_per_l, self.margin_l, levels)
        return Setup(self.rules, pace, self.plan.plan(), self.scatter_s, self.safety_pit)

    @classmethod
    def of(cls, setup: Setup) -> "SetupFile":
        """Of a setup."""
        pace = setup.pace
        return cls(
            rules=setup.rules, lap_s=pace.lap_s, tyres=tuple(TyreFile(**vars(tyre)) for tyre in pace.tyres),
            fuel_l_per_lap=pace.fuel_l_per_lap, fuel_s_per_l=pace.fuel_s_per_l, margin_l=pace.margin_l,
            levels=tuple(LevelFile(**vars(level)) for level in pace.levels), plan=PlanValue.of(setup.plan), scatter_s=setup.scatter_s,
            safety_pit=setup.safety_pit,
        )  # fmt: skip


class MarkFile(Value):
    """As `race.live.Mark`, with when it was made."""

    kind: Literal[
        "lap", "pit", "fuel", "safety", "yellow", "green", "closed", "open", "red", "restart", "wet", "dry", "onlap", "distance", "minutes",
        "puncture", "penalty", "through", "stopgo", "served", "leader", "other", "rival", "mate",
        "joker",
    ]  # fmt: skip
    time_s: float | None = Field(None, gt=0, le=1e5)
    litres: _Litres | None = None
    compound: _Word = ""
    age: int = Field(0, ge=0, le=200)
    value: float | None = Field(None, ge=-1e5, le=1e5)
    laps: int = Field(0, ge=-99, le=200)
    car: str = Field("", max_length=MOST_NAME)
    at_ms: int = Field(0, ge=0, le=10**14)

    def mark(self) -> Mark:
        """As the core has it."""
        return Mark(self.kind, self.time_s, self.litres, self.compound, self.age, self.value, self.laps, self.car)


class AtLineFile(Value):
    """As `race.rivals.AtLine`."""

    car: str = Field(min_length=1, max_length=MOST_NAME)
    lap: int = Field(ge=1, le=MOST_LAPS)
    clock_s: float = Field(ge=0, le=MOST_CLOCK_S)
    pit: bool = False
    group: str = Field("", max_length=MOST_NAME)

    def line(self) -> AtLine:
        """As the core has it."""
        return AtLine(self.car, self.lap, self.clock_s, self.pit, self.group)
