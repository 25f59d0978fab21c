"""The other cars, from what timing says of everybody or what was typed of a few: gaps and pace, who leads, who comes out ahead after the
stops, where one comes out, and what cars of another class cost."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .clock import pace_now, pace_told_s, standing_now
from .course import course
from .happened import Happened, Leader, Setup
from .options import tyre_time_s
from .plans import Plan, Stint, stop_s
from .replan import after_laps, stopping_now
from .rules import RaceRules, TyrePace

#: A lap slower than a car's quick ones by more than this share is not one of pace; which of them is quick, as a share of its laps.
_SLOW, _QUICK = 0.04, 0.25
#: The same of a lap that traffic may have held up.
_HELD_UP = 0.12
#: Laps that a car's pace is read from.
_PACE_LAPS = 5
#: Least scatter of a lap, and what a stop is off by where nobody knows [s].
_LEAST_SCATTER_S, _STOP_S = 0.1, 1.5
#: Laps of one's own from which the cost of another class is told, and those among them with a car of it.
_LAPS_TOLD, _MET_TOLD = 8, 3


@dataclass(frozen=True)
class AtLine:
    """A car as it crosses the line.

    :param lap: of its laps, from 1, that ends by it
    :param clock_s: since the race began [s]
    :param pit: whether it came into the pit as that lap ended; the stop's time is in the next one
    :param group: its class, empty where there is but one
    """

    car: str
    lap: int
    clock_s: float
    pit: bool = False
    group: str = ""


@dataclass(frozen=True)
class Rival:
    """Another car as one's own last lap ended.

    :param gap_s: by which it is ahead at the last lap that both have ended, negative behind [s]
    :param lap_s: median of its last laps at pace; None where too little is known [s]
    :param scatter_s: of these laps [s]
    :param age: laps since its last stop, or since the start
    :param stops: that it made; None where nobody told
    :param laps: laps that it has ended more than one's own car
    """

    car: str
    gap_s: float
    lap_s: float | None
    scatter_s: float = 0.0
    age: int = 0
    stops: int | None = None
    laps: int = 0
    group: str = ""


class _Times:
    """What timing says of one car."""

    def __init__(self, crossings: Sequence[AtLine]) -> None:
        self.at = {one.lap: one.clock_s for one in crossings}
        self.pits = {one.lap for one in crossings if one.pit}
        self.group = next((one.group for one in reversed(crossings) if one.group), "")
        self.last = max(self.at)

    def laps(self) -> dict[int, float]:
        """Time of each lap whose begin and end are known, stops' and the first lap left out [s]."""
        return {lap: clock - self.at[lap - 1] for lap, clock in self.at.items() if lap - 1 in self.at and lap - 1 not in self.pits}

    def at_pace(self, slow: float = _SLOW) -> dict[int, float]:
        """Those of them that are laps of pace [s]: slower than quick ones by no more than a share."""
        laps = self.laps()
        if not laps:
            return {}
        quick = float(np.quantile(list(laps.values()), _QUICK))
        return {lap: time for lap, time in laps.items() if time < (1.0 + slow) * quick}

    def pace(self) -> tuple[float | None, float]:
        """Median of the last laps at pace, and their scatter [s]."""
        last = [time for _, time in sorted(self.at_pace().items())][-_PACE_LAPS:]
        if not last:
            return None, 0.0
        return float(np.median(last)), float(np.std(last, ddof=1)) if len(last) > 2 else 0.0


def by_car(crossings: Sequence[AtLine]) -> dict[str, list[AtLine]]:
    """What is told of each car, lap after lap."""
    found: dict[str, list[AtLine]] = {}
    for one in sorted(crossings, key=lambda one: one.lap):
        found.setdefault(one.car, []).append(one)
    return found


def rivals_of(crossings: Sequence[AtLine], own: str) -> list[Rival]:
    """The other cars as timing has them, the one that is furthest ahead first; none before one's own car has crossed the line."""
    cars = {car: _Times(told) for car, told in by_car(crossings).items()}
    us, found = cars.pop(own, None), list[Rival]()
    if us is None:
        return []
    for car, times in cars.items():
        both = sorted(set(us.at) & set(times.at))
        if not both:
            continue
        lap_s, scatter = times.pace()
        stop = max((lap for lap in times.pits), default=0)
        found.append(
            Rival(
                car,
                us.at[both[-1]] - times.at[both[-1]],
                lap_s,
                scatter,
                times.last - stop,
                len(times.pits),
                times.last - us.last,
                times.group,
            )
        )
    return sorted(found, key=lambda one: -one.gap_s)


def typed(setup: Setup, now: Happened) -> list[Rival]:
    """The rivals that were typed, as they are thought to be by now: they go on at the pace that was told, one's own car at its own."""
    found = list[Rival]()
    for one in now.rivals:
        since = len(now.times_s) - one.behind
        own = [time if time is not None else setup.pace.lap_s for time in now.times_s[one.behind :]]
        gap = one.gap_s + (sum(own) - one.lap_s * since if one.lap_s is not None else 0.0)
        found.append(Rival(one.car, gap, one.lap_s, 0.0, one.age + since))
    return sorted(found, key=lambda one: -one.gap_s)


def leader_of(crossings: Sequence[AtLine], own: str) -> Leader | None:
    """The car that has ended most laps, the first of those: it ends the race; None where that is one's own, or nothing is known of it."""
    cars = {car: _Times(told) for car, told in by_car(crossings).items()}
    us = cars.get(own)
    if us is None:
        return None
    first = min(cars, key=lambda car: (-cars[car].last, cars[car].at[cars[car].last]))
    if first == own:
        return None
    him = cars[first]
    return Leader(us.last, him.last - us.last, us.at[us.last] - him.at[him.last], him.pace()[0])


def with_timing(now: Happened, crossings: Sequence[AtLine], own: str) -> Happened:
    """What has happened, with the leader that timing knows in place of the one that was typed."""
    if not any(one.car == own for one in crossings):
        return now
    return replace(now, leader=leader_of(crossings, own))


@dataclass(frozen=True)
class Duel:
    """Who is ahead once both have stopped.

    :param undercut: chance to be ahead where one stops as this lap ends, and the rival a lap later; None where he has stopped already
    :param overcut: the same where he stops as this lap ends, and one's own car a lap later; None likewise
    :param stopped_s: by which he is ahead after one's own stop as this lap ends, where he has stopped already [s]
    :param ahead: chance to be ahead of him then
    """

    rival: Rival
    undercut: float | None
    overcut: float | None
    stopped_s: float | None = None
    ahead: float | None = None


@dataclass(frozen=True)
class _Ours:
    """One's own laps from here: on the tyres that are on, and on those that are fitted next.

    :param old_s: of the next three laps on the tyres that are on [s]
    :param new_s: of the first two laps on the next ones [s]
    :param stop_s: the stop before them [s]
    :param on: pace of the tyres that are on, and of those that come next
    """

    old_s: tuple[float, float, float]
    new_s: tuple[float, float]
    stop_s: float
    on: TyrePace
    fitted: TyrePace


def _ours(setup: Setup, now: Happened, rules: RaceRules, plan: Plan, due: bool) -> _Ours | None:
    """None where no further stop is planned."""
    pace, at = pace_now(setup, now), now.standing
    after = plan.stints[0] if due else plan.stints[1] if plan.stops else None
    if after is None:
        return None
    own = pace_told_s(setup, now)
    length = 3
    on = Stint(at.compound, at.laps_done + 1, length, max(at.fuel_l, 0.0), at.age, fitted=False)
    new = replace(after, first_lap=at.laps_done + 2, laps=length)
    longer = rules.model_copy(update={"laps": max(rules.laps, at.laps_done + 1 + length)})  # near the end, laps that nobody drives
    old_s = course(longer, pace, Plan((on,), 0.0, 0.0, 0.0, 0.0)).lap_s + own
    new_s = course(longer, pace, Plan((new,), 0.0, 0.0, 0.0, 0.0)).lap_s + own
    by_key = {tyre.key: tyre for tyre in pace.tyres}
    stop = stop_s(rules, max(after.fuel_l - max(at.fuel_l - now.use_l, 0.0), 0.0), after.fitted)
    fitted = by_key[after.compound if after.fitted else at.compound]
    return _Ours((float(old_s[0]), float(old_s[1]), float(old_s[2])), (float(new_s[0]), float(new_s[1])), stop, by_key[at.compound], fitted)


def duels(setup: Setup, now: Happened, rules: RaceRules, plan: Plan, rivals: Sequence[Rival], due: bool = False) -> list[Duel]:
    """How each rival and one's own car stand once both have stopped; none where no stop is planned, or of those whose pace nobody knows.

    He is taken to have tyres like one's own, as old as his last stop says, and to fit the same ones in a stop as long. Each lap scatters by
    itself, each stop too.

    :param rules: with the laps that the race comes to
    :param due: whether the plan is one of the rest that begins with a stop
    """
    ours, found = _ours(setup, now, rules, plan, due), list[Duel]()
    if ours is None:
        return []
    scatter, stops = max(setup.scatter_s, _LEAST_SCATTER_S), max(rules.pit_spread_s, _STOP_S)
    for one in rivals:
        if one.lap_s is None:
            continue
        his = max(one.scatter_s, _LEAST_SCATTER_S)
        known = his / math.sqrt(_PACE_LAPS)
        spread = math.sqrt(3 * scatter**2 + 3 * his**2 + (3 * known) ** 2 + 2 * stops**2)
        # his lap on the tyres that he has is what was measured; each lap more they fade as one's own do
        old = [one.lap_s + tyre_time_s(ours.on, 1, one.age + k) - tyre_time_s(ours.on, 1, one.age) for k in range(3)]
        fresh = one.lap_s - (tyre_time_s(ours.on, 1, one.age) - ours.on.warm_s) + (tyre_time_s(ours.fitted, 1, 0) - ours.fitted.warm_s)
        new = [fresh + ours.fitted.warm_s, fresh + ours.fitted.fade_s]
        if one.stops is not None and one.stops > now.standing.stops:
            apart = one.gap_s + ours.old_s[0] + ours.stop_s + ours.new_s[0] - old[0] - old[1]
            alone = math.sqrt(2 * scatter**2 + 2 * his**2 + (2 * known) ** 2 + stops**2)
            found.append(Duel(one, None, None, apart, _ahead(apart, alone)))
            continue
        under = one.gap_s + ours.old_s[0] + ours.stop_s + sum(ours.new_s) - old[0] - old[1] - ours.stop_s - new[0]
        over = one.gap_s + ours.old_s[0] + ours.old_s[1] + ours.stop_s + ours.new_s[0] - old[0] - ours.stop_s - sum(new)
        found.append(Duel(one, _ahead(under, spread), _ahead(over, spread)))
    return found


def _ahead(gap_s: float, spread_s: float) -> float:
    """Chance that a rival who is ahead by a gap, normal with this spread, is behind [-]."""
    return 0.5 * math.erfc(gap_s / spread_s / math.sqrt(2.0))


@dataclass(frozen=True)
class StopLap:
    """A lap behind which the next stop may be made.

    :param cost_s: against the best of them [s]
    :param ahead: the car ahead on the road as one comes out, and by how much [s]; None where nobody is within half a lap
    :param behind: the same of the car behind
    :param places: cars of one's own lap that pass during the stop
    """

    lap: int
    cost_s: float
    ahead: tuple[str, float] | None
    behind: tuple[str, float] | None
    places: int


def stop_laps(setup: Setup, now: Happened, rules: RaceRules, rivals: Sequence[Rival], count: int = 6) -> list[StopLap]:
    """The next laps behind which one may stop: what each costs, and where one comes out.

    :param rules: with the laps that the race comes to
    :param count: laps that are looked at
    """
    pace, at, found = pace_now(setup, now), standing_now(setup, now, rules), list[tuple[int, float, float, float]]()
    own = pace_told_s(setup, now)
    for laps in range(1, count + 1):
        lap = at.laps_done + laps
        if lap >= rules.laps:
            break
        on = Stint(at.compound, at.laps_done + 1, laps, max(at.fuel_l, 0.0), at.age, fitted=False)
        before = course(rules, pace, Plan((on,), 0.0, 0.0, 0.0, 0.0)).lap_s
        then = after_laps(at, laps, now.use_l, float(before.sum()))
        late = rules.longest_stint and then.since_stop > rules.longest_stint
        if late or at.fuel_l < now.use_l * laps or (rules.wheel_minutes and then.wheel_s > 60.0 * rules.wheel_minutes):
            break
        plan = stopping_now(rules, pace, then)
        if plan is None:
            continue
        standing = stop_s(rules, max(plan.stints[0].fuel_l - then.fuel_l, 0.0), plan.stints[0].fitted)
        found.append((lap, float(before.sum()) + plan.time_s, float(before.sum()) + own * laps, standing))
    best = min((total for _, total, _, _ in found), default=0.0)
    return [StopLap(lap, total - best, *_coming_out(now, rivals, setup, passed, standing, lap)) for lap, total, passed, standing in found]


def _coming_out(
    now: Happened, rivals: Sequence[Rival], setup: Setup, passed_s: float, stop: float, lap: int
) -> tuple[tuple[str, float] | None, tuple[str, float] | None, int]:
    """Who is around as one leaves the pit.

    :param passed_s: what one's own laps take until the stop [s]
    """
    laps, ahead, behind, places = lap - now.standing.laps_done, None, None, 0
    for one in rivals:
        pace = one.lap_s or setup.pace.lap_s
        before = one.gap_s + passed_s - pace * laps  # as one comes in, by how much he is ahead
        gap = before + stop
        places += before < 0.0 < gap
        on_road = gap % pace
        if on_road <= 0.5 * pace and (ahead is None or on_road < ahead[1]):
            ahead = one.car, on_road
        if pace - on_road < 0.5 * pace and (behind is None or pace - on_road < behind[1]):
            behind = one.car, pace - on_road
    return ahead, behind, places


@dataclass(frozen=True)
class Traffic:
    """What cars of another class cost.

    :param cars: of it
    :param met: that one's own car passes, or is passed by, in a lap
    :param lost_s: on a lap with one, and its standard error; None where too few laps tell [s]
    """

    group: str
    cars: int
    met: float
    lost_s: tuple[float, float] | None


def traffic(crossings: Sequence[AtLine], own: str) -> list[Traffic]:
    """What cars of each other class cost one's own laps: a linear fit of laps at pace on how many of each were met on them.

    Two cars met where one was ahead on the road as one's own lap began and behind as it ended, by whole laps counted.
    Source: ordinary least squares, as Gelman and others, ch. 14.
    """
    cars = {car: _Times(told) for car, told in by_car(crossings).items()}
    us = cars.pop(own, None)
    others = sorted({times.group for times in cars.values()} - ({us.group} if us is not None else set()))
    all_laps = us.laps() if us is not None else {}
    if us is None or not others or not all_laps:
        return []
    each = {lap: [_met(us, [one for one in cars.values() if one.group == group], lap) for group in others] for lap in all_laps}
    laps = us.at_pace(_HELD_UP)  # what is slower than any traffic makes it is another trouble
    met, times = np.array([each[lap] for lap in laps], float), np.array(list(laps.values()))
    design = np.column_stack([np.ones(len(times)), met])
    fit, _, rank, _ = np.linalg.lstsq(design, times, rcond=None)
    told = rank == design.shape[1] and len(times) >= max(_LAPS_TOLD, design.shape[1] + 2)
    left = times - design @ fit
    errors = np.zeros(design.shape[1])
    if told:
        errors = np.sqrt(float(left @ left) / (len(times) - design.shape[1]) * np.diag(np.linalg.inv(design.T @ design)))
    found = []
    for k, group in enumerate(others):
        enough = told and int((met[:, k] > 0).sum()) >= _MET_TOLD
        lost = (float(fit[k + 1]), float(errors[k + 1])) if enough else None
        mean = float(np.mean([counts[k] for counts in each.values()]))
        found.append(Traffic(group, sum(one.group == group for one in cars.values()), mean, lost))
    return found


def _met(us: _Times, cars: Sequence[_Times], lap: int) -> int:
    """Cars that one's own car passed on one of its laps, or that passed it."""
    begin, end = us.at[lap - 1], us.at[lap]
    count = 0
    for one in cars:
        apart = [_ended(one, clock) for clock in (begin, end)]
        if None not in apart:
            count += abs(math.floor(apart[1] - lap) - math.floor(apart[0] - (lap - 1)))  # type: ignore[operator]
    return count


def _ended(car: _Times, clock_s: float) -> float | None:
    """Laps that a car has ended at a moment, with the part of the one that it is on; None before its first and after its last crossing."""
    laps = sorted(car.at)
    clocks = [car.at[lap] for lap in laps]
    if not clocks[0] <= clock_s < clocks[-1]:
        return None
    return float(np.interp(clock_s, clocks, laps))
