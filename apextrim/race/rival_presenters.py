"""The other cars in a race, in words and numbers."""

from dataclasses import dataclass, replace

from apexcore.quantities import format_number
from apexcore.quantities.words import counted
from apexcore.race.clock import pace_now, pace_told_s
from apexcore.race.course import course
from apexcore.race.plans import Plan, Stint
from apexcore.race.rivals import Duel, Rival, StopLap, Traffic, duels, rivals_of, stop_laps, traffic, typed

from .live import Now

#: Rivals that the race's own screen has.
_NEAREST = 5


@dataclass(frozen=True)
class RivalRow:
    """A rival in words.

    :param apart: ahead or behind, with how much
    :param pace: his last laps against one's own next one [s]
    :param age: laps that his tyres have done
    :param stops: that he made; None where nobody told
    :param first: chance to be ahead of him once both have stopped, where one stops a lap before him; empty where nobody fights
    :param then: the same where he stops a lap before
    :param met: where one comes out against one who has stopped already; empty for others
    """

    car: str
    group: str
    apart: str
    pace: str
    age: int
    stops: int | None
    first: str = ""
    then: str = ""
    met: str = ""


@dataclass(frozen=True)
class StopRow:
    """A lap behind which one may stop, in words."""

    lap: int
    cost_s: float
    places: int
    ahead: str
    behind: str


@dataclass(frozen=True)
class TrafficRow:
    """Cars of another class, in words."""

    group: str
    cars: int
    met: float
    lost: str
    share: str


@dataclass(frozen=True)
class RivalsView:
    """:param source: what gaps come from: timing, or entered"""

    rows: list[RivalRow]
    stops: list[StopRow]
    traffic: list[TrafficRow]
    source: str


def _found(now: Now) -> list[Rival]:
    """Rivals from timing where it is connected, those that were typed otherwise."""
    return rivals_of(now.lines, now.race.own_car) if now.lines else typed(now.setup, now.state)


def _own_lap_s(now: Now) -> float:
    """One's own next lap on the tyres that are on [s]."""
    at, pace = now.state.standing, pace_now(now.setup, now.state)
    lap = Stint(at.compound, at.laps_done + 1, 1, max(at.fuel_l, 0.0), at.age, fitted=False)
    rules = now.rules.model_copy(update={"laps": max(now.rules.laps, at.laps_done + 1)})
    return float(course(rules, pace, Plan((lap,), 0.0, 0.0, 0.0, 0.0)).lap_s[0]) + pace_told_s(now.setup, now.state)


def rivals_view(now: Now) -> RivalsView:
    """Everybody around, where one would come out of the pit, and what other classes cost."""
    found, over = _found(now), now.state.standing.laps_done >= now.rules.laps
    stops = [] if over or not found else stop_laps(now.setup, now.state, now.rules, found)
    return RivalsView(
        _rows(now, found), [_stop(one) for one in stops], [_traffic(one, now) for one in traffic(now.lines, now.race.own_car)],
        "timing" if now.lines else "entered",
    )  # fmt: skip


def nearest(now: Now) -> list[RivalRow]:
    """The rivals that are nearest at the line, from ahead to behind."""
    found = sorted(_found(now), key=lambda one: abs(one.gap_s))[:_NEAREST]
    return _rows(now, sorted(found, key=lambda one: -one.gap_s))


def _rows(now: Now, found: list[Rival]) -> list[RivalRow]:
    if not found:
        return []
    plan, own = now.advice.plan, _own_lap_s(now)
    group = next((line.group for line in now.lines if line.car == now.race.own_car), "")
    near = [one for one in found if one.group in ("", group) and abs(one.gap_s) < own]
    fought = {} if plan is None else {one.rival.car: one for one in duels(now.setup, now.state, now.rules, plan, near, now.advice.due)}
    return [_row(one, own, fought.get(one.car)) for one in found]


def _row(one: Rival, own_s: float, duel: Duel | None) -> RivalRow:
    laps = int(abs(one.gap_s) // own_s)
    apart = f"{counted(laps, 'lap')} {'ahead' if one.gap_s > 0 else 'behind'}" if laps else _apart(one.gap_s)
    pace = "" if one.lap_s is None else format_number(one.lap_s - own_s, 1, signed=True)
    row = RivalRow(one.car, one.group, apart, pace, one.age, one.stops)
    if duel is None:
        return row
    if duel.stopped_s is not None and duel.ahead is not None:
        where = f"{abs(duel.stopped_s):.1f} s {'behind him' if duel.stopped_s >= 0 else 'ahead of him'}"
        return replace(row, met=f"has stopped: out {where}, ahead {_chance(duel.ahead)}")
    return replace(row, first=_chance(duel.undercut), then=_chance(duel.overcut))


def _apart(gap_s: float) -> str:
    return f"{abs(gap_s):.1f} s {'ahead' if gap_s >= 0 else 'behind'}"


def _chance(share: float | None) -> str:
    """A chance in whole per cent; none is said to be certain."""
    if share is None:
        return ""
    return "under 1 %" if share < 0.01 else "over 99 %" if share > 0.99 else f"{100 * share:.0f} %"


def _stop(one: StopLap) -> StopRow:
    def car(told: tuple[str, float] | None) -> str:
        return f"{told[1]:.1f} s, car {told[0]}" if told else "nobody near"

    return StopRow(one.lap, one.cost_s, one.places, car(one.ahead), car(one.behind))


def _traffic(one: Traffic, now: Now) -> TrafficRow:
    if one.lost_s is None:
        return TrafficRow(one.group, one.cars, one.met, "too few laps yet", "")
    lost, error = one.lost_s
    share = 100.0 * one.met * lost / now.setup.pace.lap_s
    return TrafficRow(
        one.group, one.cars, one.met, f"{format_number(lost, 2, signed=True)} ± {error:.2f} s", f"{format_number(share, 1, signed=True)} %"
    )  # fmt: skip
