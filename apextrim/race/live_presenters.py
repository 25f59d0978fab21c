"""A race as it is driven, in words and numbers that are read at arm's length."""

from dataclasses import dataclass

from apexcore.quantities import format_lap, format_number
from apexcore.quantities.words import counted
from apexcore.race.clock import pace_now
from apexcore.race.course import course
from apexcore.race.crossing import crossing
from apexcore.vehicle.car import Car
from apextrim.ui.units import told

from .after import Compared
from .entry_presenters import KIND_NAMES, Entry, entries
from .gap_presenters import tyre_names
from .live import Now, next_stop, silent_s
from .owed_presenters import TyreChoice, owed_lines, set_key, set_words, sets_left
from .presenters import plan_views
from .queries import RaceView
from .rival_presenters import RivalRow, nearest


@dataclass(frozen=True)
class Choice:
    """A plan to begin with."""

    stops: int
    title: str
    said: str


def choices(view: RaceView, car: Car) -> list[Choice]:
    """The plans that a race can begin with."""
    return [Choice(one.ranked.plan.stops, one.title, one.said) for one in plan_views(view, view.by_stops, car)]


@dataclass(frozen=True)
class LiveView:
    """The race on one screen.

    :param command: what to do, in a few words
    :param detail: how, in a sentence
    :param urgent: whether it is for this lap
    :param lap: laps done, of how many
    :param fuel: on board, litres with their unit
    :param fuel_laps: laps that it lasts, and how many they are more than the next stop or flag needs
    :param target: time of the next lap
    :param pace: driven against planned
    :param said: the last change of plan
    :param safety: what to do behind the safety car
    :param warning: what is wrong: fuel that does not last, a logger that is silent
    :param litres: to add at the next stop
    :param wanted: tyres to fit there; empty where they stay on
    :param owed: what the rules still ask for and still allow, a line each, with whether it presses
    :param entries: what was entered, newest first
    :param flag: what the marshals show, in words; empty for green
    :param weather: when to change between dry and wet tyres; empty where nothing tells
    :param rivals: the nearest cars
    :param flags: entries that tell nothing but themselves: kind and what their button says
    """

    command: str
    detail: str
    urgent: bool
    laps_done: int
    laps: int
    fuel: str
    fuel_laps: str
    fuel_against: str
    tyres: str
    target: float | None
    pace: str
    said: str
    safety: str
    safety_out: bool
    yellow: bool
    wet: bool
    warning: str
    litres: float
    choices: list[TyreChoice]
    wanted: str
    last: str
    over: bool
    rest: list[str]
    owed: list[tuple[str, bool]]
    entries: list[Entry]
    flag: str
    flags: tuple[tuple[str, str], ...]
    weather: str
    rivals: list[RivalRow]
    jokers: bool


#: From which chance on a lap more is said.
_SAID = 0.02
#: Entries that tell nothing but themselves, beside those with a key.
FLAGS = (
    ("closed", "Pit lane closed"), ("open", "Pit lane open"), ("red", "Red flag"), ("through", "Drive-through"),
    ("served", "Penalty served"),
)  # fmt: skip


def live_view(now: Now, car: Car, at_ms: int) -> LiveView:
    """The race on one screen."""
    at, plan = now.state.standing, now.advice.plan
    over = at.laps_done >= now.rules.laps or now.race.ended_at is not None
    command, detail, urgent = ("Race over", "", False) if over else _command(now, car)
    use = now.state.use_l
    to_stop = (now.rules.laps if plan is None else plan.stints[0].last_lap) - at.laps_done
    if now.advice.due:
        to_stop = 0
    lasts, aim = at.fuel_l / use, "flag" if plan is not None and not plan.stops else "stop"
    stop, litres = next_stop(now)
    planned = course(now.setup.rules, now.setup.pace, now.setup.plan)
    by_plan = float(planned.left_l[at.laps_done - 1]) if 0 < at.laps_done <= len(planned.left_l) else None
    against = ""
    if by_plan is not None and at.stops == sum(one.last_lap < at.laps_done for one in now.setup.plan.stints[:-1]):
        apart = round(at.fuel_l - by_plan, 1)
        laps = format_number(apart / use, 1, signed=True)
        gap = f"{format_number(apart, 1, signed=True)} l against the first plan, {laps} laps"
        against = told(gap) if apart else "as the first plan has it"
    wanted = set_key(stop.compound, stop.age) if stop is not None and stop.fitted else ""
    tyres = sets_left(now, car, wanted)
    return LiveView(
        command, detail, urgent, at.laps_done, now.rules.laps, told(f"{at.fuel_l:.1f} l"),
        f"lasts {lasts:.1f} laps, {format_number(lasts - to_stop, 1, signed=True)} beyond the {aim}",
        against, _on(car, at.compound, at.age), _target(now), _pace(now), now.said, _safety(now),
        now.state.safety, now.state.yellow, now.state.wet, _warning(now, at_ms), litres, tyres, wanted, _last(now), over,
        _rest(now, car), owed_lines(now, car), entries(now), _flag(now), FLAGS, _weather(now), nearest(now),
        now.setup.rules.jokers > 0,
    )  # fmt: skip


def _on(car: Car, compound: str, age: int) -> str:
    """The tyres that are on."""
    return set_words(car, compound, age) if age else f"{tyre_names(car, compound)[0]}, new"


def _weather(now: Now) -> str:
    """When to change between dry and wet tyres."""
    found = crossing(now.setup, now.state)
    if found is None or now.state.standing.laps_done >= now.rules.laps:
        return ""
    others = "dry" if found.on_wet else "wet"
    source = f"by laps on {others} tyres" if found.measured else "by the Brief's losses"
    level = "" if found.lap_s is None else f" Both are as quick at {format_lap(found.lap_s, 1)}."
    if found.laps is None:
        return f"{others.capitalize()} tyres: not yet, {-found.behind_s:.1f} s a lap slower {source}.{level}"
    if found.laps <= 0.0:
        return f"{others.capitalize()} tyres now: {found.behind_s:.1f} s a lap quicker {source}; each lap more costs that.{level}"
    laps = f"in about {max(round(found.laps), 1)} lap{'s' if round(found.laps) > 1 else ''}"
    costs = f"a lap too early costs {found.early_s:.1f} s, one too late as much"
    return f"{others.capitalize()} tyres {laps} {source}: {-found.behind_s:.1f} s a lap slower now; {costs}.{level}"


def _flag(now: Now) -> str:
    state = now.state
    said = [words for shown, words in (
        (state.red, "Red flag"), (state.safety and now.safety is None, "Safety car"), (state.yellow, "Full-course yellow"),
        (state.closed, "Pit lane closed"), (state.flat, "Flat tyre"),
    ) if shown]  # fmt: skip
    return ", ".join(said)


def _command(now: Now, car: Car) -> tuple[str, str, bool]:
    plan, at = now.advice.plan, now.state.standing
    if now.state.red:
        return "Red flag", "Enter the restart when it comes, with the tyres that are then on.", True
    if plan is None:
        if now.advice.short_l > 0.0:
            return "No way on", told(f"{now.advice.short_l:.1f} l lack to the flag, and no rule lets them in."), True
        return "No way on", "No plan for the rest can be driven: see what is owed below.", True
    stop, added = next_stop(now)
    if stop is None:
        left = now.rules.laps - at.laps_done
        return f"To the flag: {left} lap{'s' if left != 1 else ''}", "No further stop.", False
    fit = f"fit {tyre_names(car, stop.compound)[0]}" if stop.fitted else "tyres stay on"
    if stop.fitted and stop.age:
        fit += f", {counted(stop.age, 'lap')} old"
    how = told(f"{fit[0].upper()}{fit[1:]}, add {added:.1f} l.") if added >= 0.05 else f"{fit[0].upper()}{fit[1:]}, no fuel."
    laps = 0 if now.advice.due else stop.first_lap - 1 - at.laps_done
    if laps <= 1 and now.state.closed:
        return "Stay out: pit lane closed", f"When it opens: {how[0].lower()}{how[1:]}", True
    if now.advice.due:
        return "Pit now", how, True
    if laps <= 1:
        return "Pit this lap", how, True
    return f"Stop in {laps} laps", f"At the end of lap {stop.first_lap - 1}. {how}", False


def _target(now: Now) -> float | None:
    plan = now.advice.plan
    if plan is None or now.state.standing.laps_done >= now.rules.laps:
        return None
    first = course(now.rules, pace_now(now.setup, now.state), plan)
    return float(first.lap_s[0])


def _pace(now: Now) -> str:
    """Median of the last five laps over the plan's."""
    planned = course(now.setup.rules, now.setup.pace, now.setup.plan).lap_s
    gaps = [time - float(planned[lap]) for lap, time in enumerate(now.state.times_s) if time is not None and lap < len(planned)]
    last = sorted(gaps[-5:])
    if len(last) < 3:
        return ""
    fade = f"; tyres fade {now.state.fade:.1f} times as fast as planned" if abs(now.state.fade - 1.0) > 0.1 else ""
    return f"{format_number(last[len(last) // 2], 1, signed=True)} s a lap against the first plan, last {len(last)} laps{fade}"


def _safety(now: Now) -> str:
    call = now.safety
    if call is None:
        return ""
    if call.gain_s is None:
        return "Safety car: stay out, a stop is not allowed now."
    places = f" and {abs(call.places):.1f} places" if abs(call.places) >= 0.05 and (call.places > 0.0) == (call.gain_s > 0.0) else ""
    if call.gain_s > 0.0:
        return f"Safety car: stop at the end of this lap, worth {call.gain_s:.1f} s{places}."
    return f"Safety car: stay out; a stop now would lose {-call.gain_s:.1f} s{places}."


def _warning(now: Now, at_ms: int) -> str:
    said = []
    if now.advice.broken:
        rules = "; ".join(breach.words for breach in now.advice.broken)
        said.append(f"No way on keeps all rules. This one is the least bad: {rules}. What it costs, the rulebook says.")
    if now.advice.lap_more > _SAID:
        said.append(f"One lap more is possible, {100 * now.advice.lap_more:.0f} %: its fuel is in the plan.")
    if now.marks and now.marks[-1].told_by_timing:
        said.append("The stop came from the timing and is entered as planned: press p to say what was done.")
    if now.state.doubts:
        said.append(told(f"Fuel to look at: {now.state.doubts[-1]}."))
    if now.advice.short_l > 0.0:
        said.append(told(f"{now.advice.short_l:.1f} l short of the flag."))
    if (late := silent_s(now, at_ms)) is not None:
        said.append(f"No lap for {int(late // 60)}:{int(late % 60):02d}: press l if one has ended, or see whether the logger still sends.")
    if now.state.wet:
        lost = now.setup.rules.dry_on_wet_s
        said.append(f"Wet: planned as if it stayed so, dry tyres losing {lost:g} s a lap as the Brief has it. What you feel goes first.")
    return " ".join(said)


def _last(now: Now) -> str:
    if not now.marks:
        return ""
    mark = now.marks[-1]
    words = KIND_NAMES[mark.kind].lower()
    if mark.kind == "lap":
        words = f"lap {now.state.standing.laps_done}"
    return f"{words}, {mark.time_s:.1f} s" if mark.kind == "lap" and mark.time_s else words


def _rest(now: Now, car: Car) -> list[str]:
    plan = now.advice.plan
    if plan is None:
        return []
    return [
        told(
            f"laps {stint.first_lap} to {stint.last_lap}: {tyre_names(car, stint.compound)[0]}"
            f"{'' if stint.fitted or not index else ', the same'}, {stint.fuel_l:.1f} l at the start"
        )
        for index, stint in enumerate(plan.stints)
    ]


@dataclass(frozen=True)
class AfterRow:
    """:param apart: driven over planned, in words"""

    what: str
    planned: str
    driven: str
    apart: str


@dataclass(frozen=True)
class AfterView:
    """A race against its plan, in words."""

    headline: str
    rows: list[AfterRow]
    laps: list[tuple[int, float | None, float | None]]
    changes: list[str]


def after_view(found: Compared, car: Car) -> AfterView:
    """A race against its plan, in words."""
    now = found.now
    done = len(now.state.times_s)
    gap = "" if found.gap_s is None else f", {format_number(found.gap_s, 1, signed=True)} s against the plan over the laps that are known"
    use, real = found.use_l
    rows = [
        AfterRow(
            "Fuel of a lap", told(f"{use:.2f} l"), told(f"{real:.2f} l"), f"{format_number(100 * (real / use - 1.0), 1, signed=True)} %"
        ),
        AfterRow("Tyre fade, last stint", "1.0 ×", f"{found.fade:.2f} ×", f"{format_number(100 * (found.fade - 1.0), 0, signed=True)} %"),
    ]
    if found.pace_s is not None:
        rows.append(AfterRow("Pace of a clean lap", "as planned", "", f"{format_number(found.pace_s, 2, signed=True)} s"))
    for lap, planned, lost in found.stops_s:
        rows.append(
            AfterRow(
                f"Stop behind lap {lap}", "not planned there" if planned is None else f"{planned:.1f} s",
                "" if lost is None else f"{lost:.1f} s",
                "" if planned is None or lost is None else f"{format_number(lost - planned, 1, signed=True)} s",
            )
        )  # fmt: skip
    headline = f"{done} of {now.rules.laps} laps driven{gap}."
    return AfterView(headline, rows, found.laps, [entry[2] for entry in now.race.followed])
