"""Whether what is driven keeps the rules, read from the rules' own words.

Nothing of the search for plans is used here: a rest of a race is gone through lap by lap, and every rule is asked in turn. So it judges
plans that were made under another standing, says what is still owed, and proves the search.
"""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.words import counted
from ..vehicle.pair import axles_of
from .course import course
from .plans import Plan, Stint, stop_s
from .replan import Standing, count_driven
from .rules import Laps, Minutes, Pace, RaceRules

#: Litres and seconds that rounding may take.
_L, _S = 1e-5, 1e-5


@dataclass(frozen=True)
class Breach:
    """A rule that a race breaks.

    :param rule: the field of the rules that it is
    :param words: what the rule asks and what is driven instead
    :param by: how much lacks or is too much, in the rule's unit
    """

    rule: str
    words: str
    by: float


def breaches(rules: RaceRules, pace: Pace, at: Standing, rest: Sequence[Stint], stops_now: bool = False) -> tuple[Breach, ...]:
    """The rules that a race breaks if its rest is driven so, in the order of the rules.

    :param at: where it stands
    :param rest: what is still driven, the stint that is on first; it goes on as it stands unless one stops now
    :param stops_now: whether a stop stands before the first of these stints
    """
    found = list[Breach]()
    laps = [stint.last_lap for stint in rest[:-1]]
    if stops_now:
        laps.insert(0, at.laps_done)
    stops = at.stops + len(laps)
    if stops < rules.least_stops:
        found.append(Breach("least_stops", f"{counted(stops, 'stop')} instead of at least {rules.least_stops}", rules.least_stops - stops))
    if stops > rules.most_stops:
        found.append(Breach("most_stops", f"{counted(stops, 'stop')} instead of at most {rules.most_stops}", stops - rules.most_stops))
    for lap in laps:
        if lap < rules.first_stop_lap:
            found.append(
                Breach("first_stop_lap", f"a stop behind lap {lap}, allowed from lap {rules.first_stop_lap} on", rules.first_stop_lap - lap)
            )
        if rules.last_stop_lap and lap > rules.last_stop_lap:
            found.append(
                Breach("last_stop_lap", f"a stop behind lap {lap}, allowed up to lap {rules.last_stop_lap}", lap - rules.last_stop_lap)
            )
        for one in rules.no_stops:
            if one.first <= lap <= one.last:
                words = f"a stop behind lap {lap}, not allowed behind laps {one.first} to {one.last}"
                found.append(Breach("no_stops", words, min(lap - one.first, one.last - lap) + 1))
    found += _clock(rules, pace, at, rest, stops_now)
    found += _compulsory(rules, at, rest)
    found += _at_a_stretch(rules, pace, at, rest, stops_now)
    found += _tyres(rules, at, rest, stops_now)
    found += _fuel(rules, pace, at, rest, stops_now)
    return tuple(found)


def _clock(rules: RaceRules, pace: Pace, at: Standing, rest: Sequence[Stint], stops_now: bool) -> list[Breach]:
    """Stops while the pit is closed by the race's clock."""
    if not rules.no_stop_minutes or not rest:
        return []
    comes_in = [(at.laps_done, at.clock_s)] if stops_now else []
    begins = at.clock_s + at.late_s
    if stops_now:
        begins += stop_s(rules, max(rest[0].fuel_l - at.fuel_l, 0.0), rest[0].fitted)
    ends = begins + np.cumsum(course(rules, pace, Plan(tuple(rest), 0.0, 0.0, 0.0, 0.0)).lap_s + at.slower_s)
    comes_in += [(stint.last_lap, float(ends[stint.last_lap - rest[0].first_lap])) for stint in rest[:-1]]
    found = list[Breach]()
    for lap, clock in comes_in:
        one = rules.closed_at(clock)
        lacks = min(clock - 60.0 * one.first, 60.0 * one.last - clock) if one is not None else 0.0
        if one is not None and lacks > _S:
            words = f"a stop behind lap {lap} in minute {clock / 60.0:.1f}, not allowed in minutes {one.first:g} to {one.last:g}"
            found.append(Breach("no_stop_minutes", words, lacks / 60.0))
    return found


def _compulsory(rules: RaceRules, at: Standing, rest: Sequence[Stint]) -> list[Breach]:
    driven = dict(at.driven)
    for stint in rest:
        count_driven(driven, stint.compound, stint.laps)
    return [
        Breach(
            "compulsory",
            f"{counted(driven.get(key, 0), 'lap')} on {key} instead of at least {rules.compulsory_laps}",
            rules.compulsory_laps - driven.get(key, 0),
        )
        for key in sorted(set(rules.compulsory))
        if driven.get(key, 0) < rules.compulsory_laps
    ]


def _at_a_stretch(rules: RaceRules, pace: Pace, at: Standing, rest: Sequence[Stint], stops_now: bool) -> list[Breach]:
    """Laps from pit to pit, and time at the wheel, which every stop ends."""
    found = list[Breach]()
    for index, stint in enumerate(rest):
        laps = stint.laps + (at.since_stop if not index and not stops_now else 0)
        if rules.longest_stint and laps > rules.longest_stint:
            found.append(
                Breach("longest_stint", f"a stint of {laps} laps instead of at most {rules.longest_stint}", laps - rules.longest_stint)
            )
    if rules.wheel_minutes and rest:
        for index, seconds in enumerate(wheel_s(rules, pace, rest)):
            at_wheel = seconds + (at.wheel_s if not index and not stops_now else 0.0)
            if at_wheel > 60.0 * rules.wheel_minutes + _S:
                words = f"{at_wheel / 60.0:.1f} min at the wheel instead of at most {rules.wheel_minutes:g}"
                found.append(Breach("wheel_minutes", words, at_wheel / 60.0 - rules.wheel_minutes))
    return found


def wheel_s(rules: RaceRules, pace: Pace, stints: Sequence[Stint]) -> list[float]:
    """Time of each stint's laps, from leaving the pit to coming in [s]: tyres, fuel, weather and track are in it, the stops are not."""
    told = course(rules, pace, Plan(tuple(stints), 0.0, 0.0, 0.0, 0.0))
    driving, found, begin = told.lap_s - told.stop_s, list[float](), 0
    for stint in stints:
        found.append(float(driving[begin : begin + stint.laps].sum()))
        begin += stint.laps
    return found


def _tyres(rules: RaceRules, at: Standing, rest: Sequence[Stint], stops_now: bool) -> list[Breach]:
    found, fitted = list[Breach](), Counter[tuple[str, int, int]]()
    kinds = {(one.compound, one.age): one.count for one in rules.sets}
    counted_keys = {one.compound for one in rules.sets}
    for tyres, age in at.fitted:
        fitted.update((key, age, axle) for axle, key in enumerate(axles_of(tyres)))
    at_start = not at.laps_done and not at.fitted
    for index, stint in enumerate(rest):
        new = stint.fitted and (index > 0 or stops_now or at_start)
        stops = index > 0 or stops_now
        if stops and not new and not rules.tyres_may_stay:
            found.append(Breach("tyres_may_stay", f"tyres stay on at the stop before lap {stint.first_lap}", 1.0))
        if not new:
            continue
        front, rear = axles_of(stint.compound)
        if (front != rear and not rules.mixed) or {front, rear, stint.compound} & set(rules.barred):
            found.append(Breach("barred", f"{stint.compound} is not allowed", 1.0))
        fitted.update((key, stint.age, axle) for axle, key in enumerate((front, rear)))
    for (key, age, axle), count in sorted(fitted.items()):
        have = kinds.get((key, age), 0)
        if key in counted_keys and count > have and (rules.mixed or axle == 0):
            what = f"{key} {'new' if not age else f'{age} laps old'}"
            found.append(Breach("sets", f"{counted(count, 'set')} of {what} instead of {have}", count - have))
    return found


def _fuel(rules: RaceRules, pace: Pace, at: Standing, rest: Sequence[Stint], stops_now: bool) -> list[Breach]:
    found, board, burnt = list[Breach](), at.fuel_l, at.burnt_l
    for index, stint in enumerate(rest):
        leaves = stint.fuel_l
        if stint.first_lap == 1:  # the formation laps burn their own
            board = leaves = leaves - rules.formation_laps * pace.fuel_l_per_lap
        if stint.fuel_l > rules.tank_l + _L:
            found.append(Breach("tank_l", f"{stint.fuel_l:.1f} l on board, the tank holds {rules.tank_l:g}", stint.fuel_l - rules.tank_l))
        if leaves > board + _L and not (rules.refuelling and (index > 0 or stops_now)):
            found.append(Breach("refuelling", f"{leaves - board:.1f} l added before lap {stint.first_lap}", leaves - board))
        burns = pace.fuel_l_per_lap * stint.level.fuel_share * stint.laps
        since = burns + (at.since_l if not index and not stops_now else 0.0)
        burnt += burns
        if rules.stint_l and since > rules.stint_l + _L:
            found.append(Breach("stint_l", f"{since:.1f} l a stint instead of at most {rules.stint_l:g}", since - rules.stint_l))
        board = leaves - burns
        if board < -_L:
            found.append(Breach("tank_l", f"{-board:.1f} l lack by the end of lap {stint.last_lap}", -board))
    if rules.race_l and burnt > rules.race_l + _L:
        found.append(Breach("race_l", f"{burnt:.1f} l for the race instead of at most {rules.race_l:g}", burnt - rules.race_l))
    return found


@dataclass(frozen=True)
class Owed:
    """What a race still owes, and what it may still use.

    :param stops: compulsory stops to come
    :param compounds: compound and laps still to be driven on it
    :param stop_from: laps until a stop is allowed; 0 where it is now
    :param closed: stretches of laps without stops that are on or come
    :param stop_within: laps after which a stop is no longer allowed, negative where that is past; None without such a rule
    :param stint_laps: laps that this stint may still have, negative where it has too many; None without such a rule
    :param wheel_min: minutes that may still be driven before the next change of driver; None without such a rule
    :param sets: compound, age and sets that are still there
    :param stops_left: stops that are still allowed
    :param jokers: laps by the longer way that are still to be driven
    :param shut: stretches of the clock without stops that are on or come
    :param stint_l: fuel that may still be burnt before the next stop; None without such a rule [l]
    :param race_l: the same to the flag [l]
    """

    stops: int
    compounds: tuple[tuple[str, int], ...]
    stop_from: int
    stop_within: int | None
    stint_laps: int | None
    wheel_min: float | None
    sets: tuple[tuple[str, int, int], ...]
    stops_left: int
    closed: tuple[Laps, ...] = ()
    jokers: int = 0
    stint_l: float | None = None
    race_l: float | None = None
    shut: tuple[Minutes, ...] = ()


def owed(rules: RaceRules, at: Standing) -> Owed:
    """What a race still owes by its rules, in which joker laps that were driven no longer stand."""
    driven = dict(at.driven)
    lacking = tuple(
        (key, rules.compulsory_laps - driven.get(key, 0))
        for key in sorted(set(rules.compulsory))
        if driven.get(key, 0) < rules.compulsory_laps
    )
    used = Counter((key, age) for tyres, age in at.fitted for key in dict.fromkeys(axles_of(tyres)))
    return Owed(
        max(rules.least_stops - at.stops, 0), lacking, max(rules.first_stop_lap - at.laps_done, 0),
        rules.last_stop_lap - at.laps_done if rules.last_stop_lap else None,
        rules.longest_stint - at.since_stop if rules.longest_stint else None,
        rules.wheel_minutes - at.wheel_s / 60.0 if rules.wheel_minutes else None,
        tuple((one.compound, one.age, max(one.count - used[one.compound, one.age], 0)) for one in rules.sets),
        max(rules.most_stops - at.stops, 0),
        tuple(sorted((one for one in rules.no_stops if one.last >= at.laps_done), key=lambda one: one.first)),
        rules.jokers, rules.stint_l - at.since_l if rules.stint_l else None, rules.race_l - at.burnt_l if rules.race_l else None,
        tuple(one for one in rules.no_stop_minutes if 60.0 * one.last > at.clock_s),
    )  # fmt: skip
