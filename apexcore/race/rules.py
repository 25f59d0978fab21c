"""Rules of a race and the pace that a plan is computed from."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from ..quantities.values import Value

#: Longest race and most stops that a plan is worked out for: a day of short laps.
MOST_LAPS, MOST_STOPS = 1200, 40


class RaceRules(Value):
    """Rules of a race.

    :param laps: race distance
    :param compulsory: compounds that must each be used in at least one stint
    :param least_stops: fewest pit stops allowed
    :param most_stops: most pit stops considered or allowed
    :param pit_loss_s: time lost by driving through the pit lane [s]
    :param tyre_change_s: standing time of a tyre change [s]
    :param refuelling: whether fuel may be added at a stop
    :param refuel_l_per_s: rate of refuelling [l/s]
    :param in_parallel: whether tyres and fuel are done at the same time
    :param tank_l: what the tank holds [l]
    :param formation_laps: laps behind the starter before the race
    :param least_standing_s: least standing time of a stop, whatever is done [s]
    :param first_stop_lap: earliest lap behind which one may stop; 0 for any
    :param last_stop_lap: latest lap behind which one may stop; 0 for any
    :param longest_stint: most laps of a stint; 0 for any
    :param wear_factor: how much faster tyres wear in the race than in the laps that the pace comes from [-]
    :param fuel_factor: how much more fuel is burnt [-]
    """

    laps: int = Field(ge=1, le=MOST_LAPS)
    compulsory: tuple[Annotated[str, Field(max_length=40)], ...] = Field((), max_length=20)
    least_stops: int = Field(0, ge=0, le=MOST_STOPS)
    most_stops: int = Field(3, ge=0, le=MOST_STOPS)
    pit_loss_s: float = Field(ge=0, le=300)
    tyre_change_s: float = Field(0.0, ge=0, le=120)
    refuelling: bool = False
    refuel_l_per_s: float = Field(2.0, ge=0.01, le=20)
    in_parallel: bool = True
    tank_l: float = Field(gt=0, le=500)
    formation_laps: float = Field(1.0, ge=0, le=5)
    least_standing_s: float = Field(0.0, ge=0, le=300)
    first_stop_lap: int = Field(0, ge=0, le=MOST_LAPS)
    last_stop_lap: int = Field(0, ge=0, le=MOST_LAPS)
    longest_stint: int = Field(0, ge=0, le=MOST_LAPS)
    wear_factor: float = Field(1.0, ge=0.1, le=20)
    fuel_factor: float = Field(1.0, ge=0.1, le=20)


@dataclass(frozen=True)
class TyrePace:
    """Pace of a compound over its age.

    :param key: the compound
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


@dataclass(frozen=True)
class Pace:
    """What a plan is computed from.

    :param lap_s: lap time of the fastest compound, new and warm, without fuel [s]
    :param tyres: each compound that may be used
    :param fuel_l_per_lap: [l/lap]
    :param fuel_s_per_l: lap time added by one litre on board [s/l]
    :param margin_l: fuel that stays in the tank at each end of a stint [l]
    """

    lap_s: float
    tyres: tuple[TyrePace, ...]
    fuel_l_per_lap: float
    fuel_s_per_l: float
    margin_l: float
