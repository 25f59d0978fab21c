"""The race card of a kept plan: stops, targets, fuel checks, plan B with its trigger, and calls under a safety car."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.race.course import course
from apexcore.race.fuel import filled_l
from apexcore.race.plans import Plan, Stint
from apexcore.race.rules import Level
from apexcore.race.simulation import Driver
from apexcore.vehicle.car import Car

from . import odds
from .gap_presenters import tyre_names
from .models import KeptPlan
from .presenters import ReverseRow, plan_views
from .queries import RaceView

#: Lines of targets on a card, at most.
_MOST_LINES = 24


@dataclass(frozen=True)
class StopRow:
    """:param lap: race lap at whose end to stop
    :param added_l: to add [l]
    :param leaves_l: on board as one leaves [l]"""

    lap: int
    tyres: str
    added_l: float
    leaves_l: float


@dataclass(frozen=True)
class TargetRow:
    """:param time_s: of the lap [s]
    :param left_l: fuel on board as it ends [l]
    :param passed_s: race time as it ends [s]
    :param stop: whether one stops behind it"""

    lap: int
    time_s: float
    left_l: float
    passed_s: float
    stop: bool


@dataclass(frozen=True)
class Card:
    """A race card.

    :param behind_s: what plan B loses as things stand [s]
    :param triggers: what would make it the better one
    """

    stops: list[StopRow]
    targets: list[TargetRow]
    other: str
    behind_s: float
    triggers: list[str]
    calls: list[odds.CallRange]


def kept_plan(row: KeptPlan, levels: Sequence[Level]) -> Plan:
    """A kept plan as the core has it."""
    stints, lap = list[Stint](), 1
    for told in row.stints:
        compound, laps, fuel, *more = told
        age, fitted, saved = more if len(more) == 3 else (0, 1, 0.0)
        level = min(levels, key=lambda one: abs(one.saved_pct - saved))
        stints.append(Stint(str(compound), lap, int(laps), float(fuel), int(age), bool(fitted), level))
        lap += int(laps)
    return Plan(tuple(stints), row.time_s, 0.0, 0.0, 0.0)


def card_of(row: KeptPlan, view: RaceView, car: Car, reverses: Sequence[ReverseRow], who: Driver) -> Card | None:
    """The card of a kept plan, with the pace as it is known now; None where the car has lost one of its tyres since."""
    pace = view.pace.pace
    plan = kept_plan(row, pace.levels)
    if {key for stint in plan.stints for key in (stint.compound,)} - {tyre.key for tyre in pace.tyres}:
        return None
    rules = view.rules.model_copy(update={"laps": sum(stint.laps for stint in plan.stints)})
    known = course(rules, pace, plan)
    stops = []
    for before, stint in zip(plan.stints, plan.stints[1:], strict=False):
        left = float(known.left_l[before.last_lap - 1])
        tyres = f"{tyre_names(car, stint.compound)[1]} {tyre_names(car, stint.compound)[0]}" if stint.fitted else "stay on"
        stops.append(StopRow(before.last_lap, tyres, filled_l(max(stint.fuel_l - left, 0.0)), stint.fuel_l))
    step = max(1, -(-rules.laps // _MOST_LINES))
    ends = {stint.last_lap for stint in plan.stints[:-1]}
    passed = known.passed_s
    targets = [
        TargetRow(lap, float(known.lap_s[lap - 1]), float(known.left_l[lap - 1]), float(passed[lap - 1]), lap in ends)
        for lap in range(1, rules.laps + 1)
        if lap % step == 0 or lap in ends or lap == rules.laps
    ]
    other, behind, triggers = _other(plan, view, car, reverses)
    return Card(stops, targets, other, behind, triggers, odds.call_ranges(odds.calls_of(rules, pace, view.pace.draws, plan, who)))


def _other(plan: Plan, view: RaceView, car: Car, reverses: Sequence[ReverseRow]) -> tuple[str, float, list[str]]:
    """The best plan with another number of stops, what it loses, and what would turn that."""
    others = [one for one in plan_views(view, view.by_stops, car) if one.ranked.plan.stops != plan.stops]
    mine = next((one for one in view.by_stops if one.plan.stops == plan.stops), None)
    if not others or mine is None:
        return "", 0.0, []
    triggers = [f"{row.what.lower()} at {row.turns} (today {row.today})" for row in reverses if row.turns != "nowhere near"]
    if {one.plan.stops for one in view.by_stops[:2]} != {plan.stops, others[0].ranked.plan.stops}:
        triggers = []
    return f"{others[0].title}: {others[0].short}", others[0].ranked.gap_s - mine.gap_s, triggers
