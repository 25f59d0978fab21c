"""A race as it is driven: what has happened, told by marks, and the rest planned anew from it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .course import course
from .options import filling_of
from .plans import Plan, Stint, stints_time_s
from .problem import NEVER_FROM
from .replan import Standing, count_driven, margin_left_l, replanned, stopping_now
from .rules import Pace, RaceRules
from .weather import with_wet

#: Laps that the use known before the race counts as beside what is read on the day, and laps of a stint from which its fade is read.
_USE_LAPS, _FADE_LAPS = 6.0, 5
#: A lap slower than the stint's median by more than this share is not one of pace.
_SLOW = 0.04
#: Spread of fade before the race, as a share, where it is not told.
_FADE_SPREAD = 0.3


@dataclass(frozen=True)
class Mark:
    """Something that happened.

    :param kind: `lap` as one ends, `pit` as one leaves the pit, `fuel` for a reading, `safety` and `green`, `wet` and `dry`
    :param time_s: of a lap, None where it is not known [s]
    :param litres: added at a stop, or on board by a reading [l]
    :param compound: fitted at a stop; empty where tyres stayed on
    """

    kind: str
    time_s: float | None = None
    litres: float | None = None
    compound: str = ""


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
class Happened:
    """What the marks come to.

    :param standing: where the race stands
    :param times_s: of the laps, None where one is not known [s]
    :param use_l: fuel of a lap, as far as readings tell [l]
    :param fade: how much faster tyres fade than was known before [-]
    :param safety: whether a safety car is out
    :param wet: whether the track is wet
    :param weather: laps done as it last became wet, and dry again; None where it did not
    :param stint_lap: race lap that the stint began on
    """

    standing: Standing
    times_s: tuple[float | None, ...]
    use_l: float
    fade: float
    safety: bool
    wet: bool
    stint_lap: int
    weather: tuple[int | None, int | None] = (None, None)

    @property
    def elapsed_s(self) -> float | None:
        """Time that is known; None where a lap's is not [s]."""
        return None if any(time is None for time in self.times_s) else sum(time or 0.0 for time in self.times_s)


def happened(setup: Setup, marks: Sequence[Mark]) -> Happened:
    """Goes through the marks in their order."""
    first = setup.plan.stints[0]
    use = setup.pace.fuel_l_per_lap
    fuel, compound, age = first.fuel_l - setup.rules.formation_laps * use, first.compound, first.age
    times, driven, fitted = list[float | None](), dict[str, int](), [(compound, age)]
    slow = list[bool]()
    stops = since = since_reading = 0
    last_reading, use_sum, use_laps = fuel, _USE_LAPS * use, _USE_LAPS
    safety = wet = False
    turned: tuple[int | None, int | None] = (None, None)
    for mark in marks:
        if mark.kind == "lap":
            times.append(mark.time_s)
            slow.append(safety or wet or (stops > 0 and since == 0))
            age, since, since_reading, fuel = age + 1, since + 1, since_reading + 1, fuel - use_sum / use_laps
            count_driven(driven, compound, 1)
        elif mark.kind == "pit":
            stops, since = stops + 1, 0
            fuel = min(fuel + (mark.litres or 0.0), setup.rules.tank_l)
            last_reading, since_reading = fuel, 0
            if mark.compound:
                compound, age = mark.compound, 0
                fitted.append((compound, 0))
        elif mark.kind == "fuel" and mark.litres is not None:
            if since_reading and 0.3 * use < (last_reading - mark.litres) / since_reading < 3.0 * use:
                use_sum, use_laps = use_sum + last_reading - mark.litres, use_laps + since_reading
            fuel, last_reading, since_reading = mark.litres, mark.litres, 0
        elif mark.kind in ("safety", "green"):
            safety = mark.kind == "safety"
        elif mark.kind in ("wet", "dry"):
            wet = mark.kind == "wet"
            turned = (len(times), None) if wet else (turned[0], len(times))
    standing = Standing(len(times), max(fuel, 0.0), compound, age, since, stops, tuple(driven.items()), tuple(fitted))
    use = use_sum / use_laps
    clean = [(age - since + k, time) for k, (time, bad) in enumerate(zip(times[-since:], slow[-since:], strict=True)) if time and not bad]
    fade = _fade(setup, compound, clean if since else [], use)
    return Happened(standing, tuple(times), use, fade, safety, wet, len(times) - since + 1, turned)


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


def pace_now(setup: Setup, now: Happened) -> Pace:
    """The pace with what the day has told."""
    tyres = tuple(replace(tyre, fade_s=tyre.fade_s * now.fade, cliff_age=tyre.cliff_age / now.fade**0.5) for tyre in setup.pace.tyres)
    share = now.use_l / setup.pace.fuel_l_per_lap
    tyres = with_wet(_weather_now(setup.rules, now), replace(setup.pace, tyres=tyres)).tyres
    return replace(setup.pace, tyres=tyres, fuel_l_per_lap=now.use_l, margin_l=setup.pace.margin_l * share)


def rules_now(setup: Setup, now: Happened) -> RaceRules:
    """The rules with the laps that the race comes to: of one over time from what has passed and the pace of the laps driven."""
    rules, passed = _weather_now(setup.rules, now), now.elapsed_s
    if not rules.minutes or passed is None or not now.times_s:
        return rules
    planned = course(rules, setup.pace, setup.plan).lap_s
    done = min(len(now.times_s), len(planned))
    slower = passed / max(float(planned[:done].sum()), 1e-9)
    lap = slower * float(planned[min(done, len(planned) - 1) :].mean())
    left = 60.0 * rules.minutes - passed
    laps = len(now.times_s) + (math.ceil(left / lap) if left > 0.0 else 0) + rules.laps_after
    return rules.model_copy(update={"laps": max(laps, len(now.times_s) + (1 if left > 0.0 else 0), 1)})


def _weather_now(rules: RaceRules, now: Happened) -> RaceRules:
    """The forecast with what the road has told: wet until it is said to be dry, and dry until it is said to be wet where it was."""
    began, ended = now.weather
    if began is None:
        return rules
    return rules.model_copy(
        update={"rain_from": float(began) or -1e-3, "rain_until": 0.0 if ended is None else float(ended) or -1e-3, "rain_spread": 0.1}
    )


def followed_s(rules: RaceRules, pace: Pace, standing: Standing, plan: Plan) -> float | None:
    """Time of the rest by a plan that was made before, filled at least cost [s]; None where it can no longer be driven."""
    rest = rest_of(plan, standing, rules.laps)
    if not rest or len(rest) - 1 + standing.stops > rules.most_stops:
        return None
    if any(stint.compound not in {tyre.key for tyre in pace.tyres} for stint in rest):
        return None
    filling = replace(
        filling_of(rules, replace(pace, margin_l=margin_left_l(rules, pace, standing))), start_l=standing.fuel_l,
        start_least_l=standing.fuel_l,
    )  # fmt: skip
    found = stints_time_s(rules, pace, rest, filling, exactly=True)
    return None if found >= NEVER_FROM else found


def rest_of(plan: Plan, standing: Standing, laps: int) -> list[Stint]:
    """What is left of a plan's stints: the one that is on as it stands, and those behind it, up to the race's end."""
    done, rest = standing.laps_done, list[Stint]()
    for index, stint in enumerate(plan.stints):
        end = laps if index == len(plan.stints) - 1 else min(stint.last_lap, laps)
        begin = max(stint.first_lap, done + 1)
        if end < begin:
            continue
        if not rest:
            stint = replace(stint, compound=standing.compound, age=standing.age, fuel_l=standing.fuel_l, fitted=False)
        rest.append(replace(stint, first_lap=begin, laps=end - begin + 1))
    return rest


@dataclass(frozen=True)
class Advice:
    """What to do from here.

    :param plan: of the rest; None where none is legal
    :param changed: whether it is another than the one that was followed
    :param gain_s: what the change is worth; None where the one before could not be driven on [s]
    :param short_l: what lacks to drive on at all, reserve left out; 0 where nothing does [l]
    :param due: whether the stop is now, as the lap has just ended
    """

    plan: Plan | None
    changed: bool
    gain_s: float | None
    short_l: float = 0.0
    due: bool = False


def advise(setup: Setup, now: Happened, following: Plan, threshold_s: float) -> Advice:
    """The rest of the race, by the plan that was followed unless another is worth more than the threshold."""
    rules, pace, at = rules_now(setup, now), pace_now(setup, now), now.standing
    if at.laps_done >= rules.laps:
        return Advice(None, False, 0.0)
    if at.since_stop and any(stint.last_lap == at.laps_done for stint in following.stints[:-1]):
        stop = stopping_now(rules, pace, at) or stopping_now(rules, replace(pace, margin_l=0.0), at)
        if stop is not None:
            return Advice(stop, False, 0.0, due=True)
    plans = replanned(rules, pace, at, 1)
    if not plans:  # drive on into the reserve before nothing is said
        bare = replace(pace, margin_l=0.0)
        plans = replanned(rules, bare, at, 1)
        if not plans:
            stop = stopping_now(rules, bare, at)
            need = now.use_l * (rules.laps - at.laps_done)
            return Advice(stop, stop is not None, None, max(need - at.fuel_l, 0.0), stop is not None)
    before = followed_s(rules, pace, at, following)
    best = plans[0]
    if before is not None and before - best.time_s <= threshold_s:
        rest = rest_of(following, at, rules.laps)
        return Advice(replace(best, stints=tuple(rest), time_s=before), False, before - best.time_s)
    return Advice(best, True, None if before is None else before - best.time_s)


@dataclass(frozen=True)
class SafetyAdvice:
    """Whether to stop at the end of the lap that is being driven behind a safety car.

    :param gain_s: gained by it, lost where negative [s]; None where it is not legal
    """

    lap: int
    gain_s: float | None
    stop: Plan | None


def under_safety_car(setup: Setup, now: Happened) -> SafetyAdvice | None:
    """What to do as the lap that is being driven ends; None on the last one."""
    rules, pace, at = rules_now(setup, now), pace_now(setup, now), now.standing
    lap = at.laps_done + 1
    if lap >= rules.laps:
        return None
    driven = dict(at.driven)
    count_driven(driven, at.compound, 1)
    then = replace(
        at, laps_done=lap, fuel_l=max(at.fuel_l - now.use_l, 0.0), age=at.age + 1, since_stop=at.since_stop + 1,
        driven=tuple(driven.items()),
    )  # fmt: skip
    stay = next(iter(replanned(rules, pace, then, 1)), None)
    stop = stopping_now(rules, pace, then, setup.safety_pit)
    gain = None if stop is None or stay is None else stay.time_s - stop.time_s
    return SafetyAdvice(lap, gain, stop)
