"""A plan lap by lap: what each lap takes, what it loses to what, and what is on board."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .plans import Plan, Stint, stop_s, tyre_of, wear_of
from .rules import Pace, RaceRules
from .weather import lost_s, rains

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Course:
    """What each lap of a plan takes and loses, shape [laps] each.

    :param lap_s: its time, the stop before it included [s]
    :param offset_s: lost to a slower compound [s]
    :param fade_s: to tyres that fade [s]
    :param cliff_s: to tyres beyond their cliff [s]
    :param warm_s: to cold tyres [s]
    :param saving_s: to driving that saves [s]
    :param weather_s: to the rain, or to wet tyres without it [s]
    :param track_s: to a track that changes [s]
    :param joker_s: to laps by the longer way, which are left to the last [s]
    :param fuel_s: to the weight of fuel [s]
    :param stop_s: to the stop before it [s]
    :param left_l: fuel on board as it ends [l]
    """

    lap_s: Floats
    offset_s: Floats
    fade_s: Floats
    cliff_s: Floats
    warm_s: Floats
    saving_s: Floats
    weather_s: Floats
    track_s: Floats
    joker_s: Floats
    fuel_s: Floats
    stop_s: Floats
    left_l: Floats

    @property
    def passed_s(self) -> Floats:
        """Time at which each lap ends [s]."""
        return np.cumsum(self.lap_s)


#: What a lap may be lost to, in the order in which it is told.
CAUSES = ("stop_s", "offset_s", "fade_s", "cliff_s", "warm_s", "saving_s", "weather_s", "track_s", "joker_s", "fuel_s")


def course(rules: RaceRules, pace: Pace, plan: Plan) -> Course:
    """A plan lap by lap.

    Source: the sums of docs/model.md, race plans, lap by lap.
    """
    laps = sum(stint.laps for stint in plan.stints)
    parts = {name: np.zeros(laps) for name in (*CAUSES, "left_l")}
    age = np.zeros(laps)
    before: Stint | None = None
    left = 0.0
    for index, (stint, wear) in enumerate(zip(plan.stints, wear_of(plan.stints), strict=True)):
        begin = stint.first_lap - plan.stints[0].first_lap
        at = np.arange(begin, begin + stint.laps)
        tyre = tyre_of(pace, stint)
        use = pace.fuel_l_per_lap * stint.level.fuel_share
        leaves = stint.fuel_l - (rules.formation_laps * pace.fuel_l_per_lap if not index and stint.first_lap == 1 else 0.0)
        age[at] = wear + np.arange(stint.laps)
        parts["offset_s"][at] = tyre.offset_s - stint.level.cost_s
        parts["saving_s"][at] = stint.level.cost_s
        parts["track_s"][at] = rules.track_s * (stint.first_lap - 1 + np.arange(stint.laps))
        parts["joker_s"][at] = rules.joker_s * (at + plan.stints[0].first_lap > rules.laps - rules.jokers)
        if rains(rules):
            parts["weather_s"][at] = lost_s(rules, stint.compound, max(rules.laps, stint.last_lap))[stint.first_lap - 1 : stint.last_lap]
        parts["fade_s"][at] = tyre.fade_s * age[at]
        parts["cliff_s"][at] = tyre.cliff_s * np.maximum(age[at] - tyre.cliff_age, 0.0)
        if stint.fitted:
            parts["warm_s"][begin] = tyre.warm_s
        board = leaves - use * np.arange(stint.laps)
        parts["fuel_s"][at] = pace.fuel_s_per_l * board
        if before is not None:
            parts["stop_s"][begin] = stop_s(rules, leaves - left, stint.fitted)
        parts["left_l"][at] = board - use
        before, left = stint, float(board[-1] - use)
    lap = pace.lap_s + sum((parts[name] for name in CAUSES), np.zeros(laps))
    return Course(lap_s=lap, **parts)


@dataclass(frozen=True)
class Gap:
    """Where a plan's gap to another comes from.

    :param causes: by cause, in the order of `CAUSES` [s]
    :param stints: by the plan's own stints, each against the same laps of the other [s]
    :param along_s: behind the other as each lap ends, shape [laps] [s]
    """

    causes: tuple[float, ...]
    stints: tuple[float, ...]
    along_s: Floats


def gap(rules: RaceRules, pace: Pace, plan: Plan, other: Plan) -> Gap:
    """A plan against another over the same laps."""
    mine, theirs = course(rules, pace, plan), course(rules, pace, other)
    causes = tuple(float((getattr(mine, name) - getattr(theirs, name)).sum()) for name in CAUSES)
    lap = mine.lap_s - theirs.lap_s
    first = plan.stints[0].first_lap
    stints = tuple(float(lap[stint.first_lap - first : stint.first_lap - first + stint.laps].sum()) for stint in plan.stints)
    return Gap(causes, stints, np.cumsum(lap))
