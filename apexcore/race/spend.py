"""Saving and spending: what saving buys, when in a stint to save, and stopping before or after a rival."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from .options import at_level, tyre_time_s
from .plans import Plan, search
from .rules import ALL_OUT, Level, Pace, RaceRules, TyrePace


@dataclass(frozen=True)
class Saving:
    """What saving is worth to a race.

    :param without: the best plan that saves nothing
    :param plan: the best that may save in any stint
    :param gain_s: by which it is quicker [s]
    :param fewer: the best plan with a stop less than `without`, saving where it must; None where there is none
    :param fewer_s: by which that is quicker, slower where negative [s]
    """

    without: Plan
    plan: Plan
    gain_s: float
    fewer: Plan | None
    fewer_s: float


def saving(rules: RaceRules, pace: Pace, levels: Sequence[Level]) -> Saving | None:
    """What saving is worth; None where no plan is legal without.

    :param levels: of saving, beside driving all out
    """
    usual = search(rules, replace(pace, levels=(ALL_OUT,)))
    if not usual:
        return None
    may_save = replace(pace, levels=(ALL_OUT, *levels))
    best = search(rules, may_save)[0]
    stops = usual[0].stops
    fewer = None
    if stops > rules.least_stops:
        found = search(rules.model_copy(update={"most_stops": stops - 1}), may_save)
        fewer = next((plan for plan in found if plan.stops == stops - 1), None)
    behind = usual[0].time_s - fewer.time_s if fewer is not None else 0.0
    return Saving(usual[0], best, usual[0].time_s - best.time_s, fewer, behind)


@dataclass(frozen=True)
class EarlyOrLate:
    """The same saving in the first or in the last laps of a stint.

    :param fuel_s: by which late is quicker, as less fuel is carried [s]
    :param tyre_s: by which early is quicker, as tyres that were spared fade less on every later lap [s]
    """

    fuel_s: float
    tyre_s: float


def early_or_late(pace: Pace, tyre: TyrePace, level: Level, laps: int, saved: int) -> EarlyOrLate:
    """Saving on the first or on the last `saved` of a stint's laps.

    Saved early, what is saved is carried over the other laps; and the tyres' age is less by what they were spared.

    :param laps: of the stint
    """
    litres = saved * pace.fuel_l_per_lap * (1.0 - level.fuel_share)
    others = laps - saved
    return EarlyOrLate(pace.fuel_s_per_l * litres * others, tyre.fade_s * (1.0 - level.tyre_share) * saved * others)


@dataclass(frozen=True)
class Duel:
    """Stopping some laps before or after a rival who is ahead.

    :param laps: by which one stops earlier, or later where negative
    :param gain_s: gained on the rival by the time both have stopped [s]
    :param ahead: whether that is more than the gap
    """

    laps: int
    gain_s: float
    ahead: bool


def lap_s(tyre: TyrePace, age: int) -> float:
    """What a lap loses to a tyre of an age [s]."""
    return tyre_time_s(tyre, 1, age) - (tyre.warm_s if age else 0.0)


def duel(mine: TyrePace, fresh: TyrePace, rival: TyrePace, my_age: int, rival_age: int, gap_s: float, reach: int = 6) -> list[Duel]:
    """Undercut and overcut: the laps on which one is on new tyres and the rival is not, or the other way round.

    :param mine: tyres that are on, `my_age` laps old
    :param fresh: tyres that both will fit
    :param rival: tyres of the rival, `rival_age` laps old
    :param gap_s: to the rival ahead [s]
    """
    found = []
    for laps in range(-reach, reach + 1):
        if laps > 0:  # on new tyres for so many laps, the rival on old ones; then the rival's new ones against mine of that age
            gain = sum(lap_s(rival, rival_age + k) - lap_s(fresh, k) for k in range(laps))
        elif laps < 0:
            gain = sum(lap_s(fresh, k) - lap_s(mine, my_age + k) for k in range(-laps))
        else:
            continue
        found.append(Duel(laps, gain, gain > gap_s))
    return found


def one_lap_more(pace: Pace, level: Level, laps: int) -> float | None:
    """What it costs to make a stint's fuel last one lap more, saving as a level does on as many of its laps as needed [s]; None where it
    does not save enough.

    :param laps: of the stint, driven all out
    """
    saved = pace.fuel_l_per_lap * (1.0 - level.fuel_share)
    if saved <= 0.0:
        return None
    needed = pace.fuel_l_per_lap / saved
    return needed * level.cost_s if needed <= laps + 1 else None


def driven(pace: Pace, key: str, level: Level = ALL_OUT) -> TyrePace:
    """The pace of a tyre by its key, driven so."""
    return at_level(next(tyre for tyre in pace.tyres if tyre.key == key), level)
