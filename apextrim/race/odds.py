"""What chance makes of the plans, kept; and what to do under a safety car, by ranges of laps."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from apexcore.race.plans import Plan
from apexcore.race.replan import SafetyCall, safety_calls
from apexcore.race.rules import Pace, RaceRules
from apexcore.race.simulation import Driver, Outcome, simulated, weighed
from apextrim.library.caches import MB, kept_within
from apextrim.ui.pictures import Tick

from .queries import Known, RaceView

#: Laps up to which every lap's call is worked out; a longer race is looked at in so many places.
_MOST_CALLS = 120
#: Plans that come as near the best have their calls from races of their own [s].
_NEAR_S = 12.0
#: Plans that are simulated, and laps up to which they may change under a safety car.
_MOST_PLANS, _CALLED_TO = 6, 120


@dataclass(frozen=True)
class Odds:
    """:param calls: of the best plan, by lap"""

    outcomes: tuple[Outcome, ...]
    calls: tuple[SafetyCall, ...]


def _by_clock(rules: RaceRules, pace: Pace, plan: Plan) -> list[SafetyCall]:
    """Calls that know nothing of the field."""
    step = max(1, rules.laps // _MOST_CALLS)
    return safety_calls(rules, pace, plan, rules.around.safety_pit, range(1, rules.laps, step))


@kept_within(8 * MB)
def calls_of(rules: RaceRules, pace: Pace, draws: tuple[Pace, ...], plan: Plan, who: Driver) -> tuple[SafetyCall, ...]:
    """What to do under a safety car, by lap of a plan: worth what it comes to in races in which one comes there."""
    calls = _by_clock(rules, pace, plan)
    return tuple(weighed(rules, draws, plan, calls, rules.around, who) if rules.laps <= _CALLED_TO else calls)


@kept_within(4 * MB)
def _simulated(rules: RaceRules, pace: Pace, draws: tuple[Pace, ...], plans: tuple[Plan, ...], who: Driver) -> tuple[Outcome, ...]:
    called = rules.laps <= _CALLED_TO and rules.around.safety_cars > 0.0
    calls = [_calls(rules, pace, draws, plan, plans[0], who) for plan in plans] if called else []
    return tuple(simulated(rules, draws, plans, rules.around, who, calls))


def _calls(rules: RaceRules, pace: Pace, draws: tuple[Pace, ...], plan: Plan, best: Plan, who: Driver) -> Sequence[SafetyCall]:
    """Calls of a plan: from races of its own where it comes near the best, else by the clock alone."""
    if plan.time_s - best.time_s <= _NEAR_S:
        return calls_of(rules, pace, draws, plan, who)
    return _by_clock(rules, pace, plan)


def driver(known: Known) -> Driver:
    """The driver of the races."""
    return Driver(known.scatter_s, known.mistakes)


def odds_of(view: RaceView, known: Known) -> Odds:
    """Ten thousand races of the shown plans; each stops under a safety car where that is worth it."""
    plans = tuple(ranked.plan for ranked in view.by_stops[:_MOST_PLANS])
    outcomes = _simulated(view.rules, view.pace.pace, view.pace.draws, plans, driver(known))
    return Odds(outcomes, calls_of(view.rules, view.pace.pace, view.pace.draws, plans[0], driver(known)))


#: Safety cars a race, and places as shares of the grid, at which the two best plans are compared.
_RATES, _PLACES = (0.0, 0.5, 1.0, 2.0, 3.0), (0.0, 0.25, 0.5, 0.75, 1.0)
_FEWER_RACES = 4000
#: Laps of a race up to which that is done.
MOST_TURNED = 400


@dataclass(frozen=True)
class Turn:
    """How the second plan stands against the first as something changes.

    :param what: `cars`, `place` or `passing`
    :param points: a value, the mean gap there, and its standard error [s]
    :param turns: the value at which both are as quick on average; None where there is none between
    """

    what: str
    points: list[tuple[float, float, float]]
    turns: float | None


@kept_within(1 * MB)
def turns_of(rules: RaceRules, pace: Pace, draws: tuple[Pace, ...], plans: tuple[Plan, ...], who: Driver) -> tuple[Turn, ...]:
    """At how many safety cars, which place on the grid and how hard a field to pass two plans are as quick."""
    around, calls = rules.around, list[tuple[SafetyCall, ...]]()
    if rules.laps <= _CALLED_TO:
        calls = [tuple(_calls(rules, pace, draws, plan, plans[0], who)) for plan in plans]
    grids = sorted({1 + round(share * around.cars) for share in _PLACES})
    found = []
    for what, values, name in (
        ("cars", _RATES, "safety_cars"), ("place", grids, "grid"), ("passing", (0.2, 0.5, 1.0, 2.0, 4.0), "passing_s"),
    ):  # fmt: skip
        points = []
        for value in values:
            changed = around.model_copy(update={name: value})
            _, second = simulated(rules, draws, plans, changed, who, calls, races=_FEWER_RACES)
            points.append((float(value), *second.against_s))
        crossing = None
        for (a, gap_a, _), (b, gap_b, _) in pairwise(points):
            if (gap_a < 0.0) != (gap_b < 0.0):
                crossing = a + (b - a) * gap_a / (gap_a - gap_b)
                break
        found.append(Turn(what, points, crossing))
    return tuple(found)


#: From which worth on a call is one [s].
_CLEAR_S = 1.0


@dataclass(frozen=True)
class CallRange:
    """Laps on which the call is the same.

    :param stops: whether to stop; None where one may not
    :param clear: whether it is worth a second or more; else it is as good to do the other
    :param low_s: least that the call is worth over them [s]
    :param high_s: most [s]
    :param places: most places that it is worth; None where no races tell
    """

    first: int
    last: int
    stops: bool | None
    clear: bool
    low_s: float
    high_s: float
    places: float | None = None


def call_ranges(calls: Sequence[SafetyCall]) -> list[CallRange]:
    """Calls, laps with the same one together."""
    found: list[CallRange] = []
    for call in calls:
        stops = None if call.gain_s is None else call.gain_s > 0.0
        worth, places = abs(call.gain_s or 0.0), None if call.places is None else abs(call.places)
        clear = worth >= _CLEAR_S
        before = found[-1] if found else None
        if before is not None and before.clear == clear and (before.stops == stops or (not clear and None not in (before.stops, stops))):
            most = places if before.places is None or places is None else max(before.places, places)
            found[-1] = CallRange(
                before.first, call.lap, stops, clear, min(before.low_s, worth), max(before.high_s, worth), most
            )  # fmt: skip
        else:
            found.append(CallRange(call.lap, call.lap, stops, clear, worth, worth, places))
    return found


@dataclass(frozen=True)
class PlaceBar:
    """A place's chance as it is drawn [px]."""

    x: int
    y: float
    height: float
    words: str


@dataclass(frozen=True)
class OddsRow:
    """A plan and what it comes to.

    :param words: the places in a sentence
    """

    title: str
    verb: str
    outcome: Outcome
    bars: list[PlaceBar]
    ticks: list[Tick]
    width: int
    words: str


def points_words(rows: Sequence[OddsRow]) -> str:
    """Which plan brings most points on average, against the quickest on average, and what its place for certain would bring; empty where
    no points were told."""
    told = [(row.outcome.points, row) for row in rows if row.outcome.points is not None]
    if not told:
        return ""
    (mean, _, _), best = max(told, key=lambda one: one[0][0])
    return f"{_most_points(rows, best, mean)} {_safe_words(best, mean)}".strip()


def _most_points(rows: Sequence[OddsRow], best: OddsRow, mean: float) -> str:
    quick = min(rows, key=lambda row: row.outcome.mean_s)
    if best is quick or len(rows) == 1:
        return f"{best.title.capitalize()} {'bring' if best.verb == 'are' else 'brings'} most points as well, {mean:.1f} on average."
    gap = mean - (quick.outcome.points or (0.0, 0.0, 0.0))[0]
    error = 1.96 * max(best.outcome.points[2] if best.outcome.points else 0.0, quick.outcome.points[2] if quick.outcome.points else 0.0)
    if gap <= error:
        return f"Points do not tell the plans apart: {mean:.1f} on average, within ± {error:.1f}."
    verb = "bring" if best.verb == "are" else "brings"
    return f"{best.title.capitalize()} {verb} most points, {mean:.1f} on average, {gap:.1f} more than the quickest, ± {error:.1f}."


def _safe_words(row: OddsRow, mean: float) -> str:
    """What the likely place for certain would bring."""
    if row.outcome.safe is None:
        return ""
    place, safe = row.outcome.safe
    apart = safe - mean
    if abs(apart) < 0.05:
        return f"Place {place} for certain would bring as much."
    more, why = ("more", "cost") if apart > 0 else ("less", "are worth")
    return f"Place {place} for certain would bring {safe:g}, {abs(apart):.1f} {more}: what the chances {why}."


#: Width of a place, and height of the likeliest [px].
_PLACE, _HIGHEST = 9, 24.0


def odds_row(title: str, verb: str, outcome: Outcome) -> OddsRow:
    """A plan's outcome with its places drawn."""
    top = max(outcome.places)
    bars, ticks, passed, half = list[PlaceBar](), list[Tick](), 0.0, list[int]()
    for place, chance in enumerate(outcome.places, start=1):
        height = _HIGHEST * chance / top
        bars.append(PlaceBar(_PLACE * (place - 1) + 1, 27.0 - height, height, f"place {place}: {100 * chance:.0f} %"))
        if passed < 0.9 and passed + chance > 0.1:
            half.append(place)
        passed += chance
        if place == 1 or place % 5 == 0:
            ticks.append(Tick(_PLACE * (place - 1) + 4.5, str(place)))
    words = f"place {half[0]} to {half[-1]} in eight of ten races; first in {100 * outcome.places[0]:.0f} %"
    return OddsRow(title, verb, outcome, bars, ticks, _PLACE * len(outcome.places), words)
