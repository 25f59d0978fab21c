"""Rules and pace as the numbers of the exact plan: its options are tyres of a kind, new or driven, and ways of driving a stint on them."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .crew import read_work
from .problem import NEVER, Filling, Limited, Needed, Problem, stop_terms
from .rules import Level, Pace, RaceRules, TyrePace
from .weather import lost_s, rains

Floats = NDArray[np.float64]

#: More than any tank holds [l].
_ALL_L = 1e4
#: Parts of a lap's fuel that savings are counted in.
_PARTS = 1000


@dataclass(frozen=True)
class Option:
    """What a stint may be driven on, and how.

    :param tyre: its pace when it is driven so
    :param age: laps that it has been driven before [laps]
    :param level: the way of driving
    """

    tyre: TyrePace
    age: int
    level: Level

    @property
    def wear(self) -> float:
        """What it has been driven, in laps of this way of driving: laps that were driven all out stay worn as they are."""
        return self.age / self.level.tyre_share


@dataclass(frozen=True)
class Stock:
    """Sets of which there are only so many.

    :param compound: its key
    :param axle: 0 front, 1 rear
    """

    compound: str
    age: int
    axle: int
    count: int

    def takes(self, option: Option) -> bool:
        """Whether an option needs one of them."""
        return option.age == self.age and option.tyre.axles[self.axle] == self.compound


def at_level(tyre: TyrePace, level: Level) -> TyrePace:
    """A tyre's pace when every lap is driven so: it fades by its work and reaches its cliff with it.

    Source: wear goes with sliding work (docs/model.md, tyres over a run).
    """
    share = level.tyre_share
    return replace(
        tyre, offset_s=tyre.offset_s + level.cost_s, fade_s=tyre.fade_s * share, cliff_age=tyre.cliff_age / share,
        cliff_s=tyre.cliff_s * share,
    )  # fmt: skip


def tyre_time_s(tyre: TyrePace, laps: int, age: float = 0.0) -> float:
    """Time that a stint of this length loses to its tyres [s]: sums over the ages `age` to `age` + `laps` - 1, in closed form.

    :param age: in laps of the way of driving that the tyre's pace is told for, not whole where laps before were driven another way
    """
    if not laps:
        return 0.0
    before = min(max(math.floor(tyre.cliff_age - age) + 1, 0), laps)  # laps of the stint that begin within the cliff's age
    beyond = laps - before
    over = beyond * (age + 0.5 * (before + laps - 1) - tyre.cliff_age)
    return laps * tyre.offset_s + tyre.fade_s * laps * (age + 0.5 * (laps - 1)) + tyre.cliff_s * over + tyre.warm_s


def usable(rules: RaceRules, pace: Pace) -> list[TyrePace]:
    """The tyres that the rules let a stint be driven on."""
    found = []
    for tyre in pace.tyres:
        front, rear = tyre.axles
        if (front != rear and not rules.mixed) or {front, rear, tyre.key} & set(rules.barred):
            continue
        found.append(tyre)
    return found


def ages(rules: RaceRules, tyre: TyrePace) -> list[int]:
    """Ages in which there are sets for both axles of a tyre; 0 where its sets are not counted."""
    told = [{one.age for one in rules.sets if one.compound == key and one.count} for key in tyre.axles]
    named = [any(one.compound == key for one in rules.sets) for key in tyre.axles]
    front, rear = (have if name else {0} for have, name in zip(told, named, strict=True))
    return sorted(front & rear)


def options_of(rules: RaceRules, pace: Pace) -> list[Option]:
    """All that a stint may be driven on, and how."""
    return [Option(at_level(tyre, level), age, level) for tyre in usable(rules, pace) for age in ages(rules, tyre) for level in pace.levels]


def stocks_of(rules: RaceRules) -> list[Stock]:
    """The sets of which there are only so many, by axle where the axles may differ."""
    axles = (0, 1) if rules.mixed else (0,)
    return [Stock(one.compound, one.age, axle, one.count) for one in rules.sets if one.count for axle in axles]


def _costs(rules: RaceRules, pace: Pace, options: list[Option]) -> Floats:
    """Time of a set by option and laps, without fuel and stops, shape [options, laps + 1] [s]; where it may rain by the lap that it
    begins behind as well, shape [options, laps, laps + 1]."""
    found = np.full((len(options), rules.laps + 1), NEVER)
    for o, option in enumerate(options):
        for laps in range(1, rules.laps + 1):
            found[o, laps] = laps * pace.lap_s + tyre_time_s(option.tyre, laps, option.wear)
    if not rains(rules):
        return found
    by_lap = np.repeat(found[:, None, :], rules.laps, axis=1)
    for o, option in enumerate(options):
        sums = np.concatenate([[0.0], np.cumsum(lost_s(rules, option.tyre.key, rules.laps))])
        for behind in range(rules.laps):
            reach = rules.laps - behind
            by_lap[o, behind, : reach + 1] += sums[behind:] - sums[behind]
            by_lap[o, behind, reach + 1 :] = NEVER
    return np.asarray(np.minimum(by_lap, NEVER))


def filling_of(rules: RaceRules, pace: Pace) -> Filling:
    """What fuel costs and how it is filled."""
    rate = rules.refuel_l_per_s if rules.refuelling else 0.0
    least, stay_free = rules.least_stand_s, None
    standing, free = stop_terms(rules.tyre_change_s, least, rate, rules.in_parallel)
    stay = least
    if rules.crew_work:
        changed, kept = (read_work(rules.crew_work, tyres, rules.change_s) for tyres in (rules.tyre_change_s, 0.0))
        standing, stay = max(changed.standing_s, least), max(kept.standing_s, least)
        free, stay_free = (min(one.free_l(rate, least), _ALL_L) for one in (changed, kept))
    return Filling(
        use_l=pace.fuel_l_per_lap, weight_s=pace.fuel_s_per_l, least_l=pace.margin_l, tank_l=rules.tank_l,
        start_l=rules.tank_l - rules.formation_laps * pace.fuel_l_per_lap, pit_s=rules.pit_loss_s, standing_s=standing, free_l=free,
        rate=rate, stay_s=stay if rules.tyres_may_stay else None, stay_free_l=stay_free,
    )  # fmt: skip


def saved_laps(rules: RaceRules, pace: Pace, options: Sequence[Option], laps: int, burnt_l: float = 0.0) -> Needed | None:
    """What must be saved so that the race's fuel is kept to, in parts of a lap's; None where nothing has to be.

    :param laps: that are still driven
    :param burnt_l: on the laps before [l]
    """
    if not rules.race_l:
        return None
    lacking = laps - (rules.race_l - burnt_l) / pace.fuel_l_per_lap
    worth = np.array([math.floor(_PARTS * (1.0 - option.level.fuel_share) + 1e-6) for option in options], dtype=np.int64)
    worth = np.maximum(worth, 0)
    unit = max(int(np.gcd.reduce(worth)), 1)
    parts = math.ceil(_PARTS * lacking / unit - 1e-6)
    return Needed(worth > 0, parts, np.maximum(worth // unit, 0)) if parts > 0 else None


def problem_of(rules: RaceRules, pace: Pace, stocks: Iterable[Stock] = (), options: list[Option] | None = None) -> Problem:
    """Rules and pace as numbers.

    :param stocks: sets that are counted
    :param options: what a stint may be driven on; as the rules have it where not given
    """
    options = options_of(rules, pace) if options is None else options
    wanted = sorted(set(rules.compulsory))
    uses = [np.array([key in option.tyre.axles for option in options], dtype=bool) for key in wanted]
    single = rules.compulsory_laps <= 1
    saving = [one for one in (saved_laps(rules, pace, options, rules.laps),) if one is not None]
    adds = np.array([sum(1 << bit for bit in range(len(wanted)) if uses[bit][o]) if single else 0 for o in range(len(options))], np.int64)
    return Problem(
        cost=_costs(rules, pace, options), adds=adds, wanted=(1 << len(wanted)) - 1 if single else 0,
        stop_laps=np.array([rules.stop_allowed(lap) for lap in range(rules.laps + 1)]), least_stops=rules.least_stops,
        most_stops=min(rules.most_stops, rules.laps - 1), use_shares=np.array([option.level.fuel_share for option in options]),
        needs=(*saving, *(() if single else (Needed(use, rules.compulsory_laps) for use in uses))),
        limited=tuple(Limited(np.array([one.takes(option) for option in options], dtype=bool), one.count) for one in stocks),
        leg_laps=rules.longest_stint or None, leg_l=rules.stint_l or NEVER, leg_s=60.0 * rules.wheel_minutes or NEVER,
        track_s=rules.track_s, late=(min(rules.jokers, rules.laps), rules.joker_s),
        **vars(filling_of(rules, pace)),
    )  # fmt: skip
