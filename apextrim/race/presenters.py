"""Plans as stint bars, and the estimates behind them."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.quantities.spread import half_interval
from apexcore.quantities.words import counted
from apexcore.race.course import course, gap
from apexcore.race.drivers import crew_of, seats
from apexcore.race.fuel import filled_l
from apexcore.race.kinds import Rid
from apexcore.race.legal import wheel_s
from apexcore.race.pace import Estimate
from apexcore.race.plans import FAR_S, MOST_KINDS, STAYING_KINDS, Plan, longest_stint
from apexcore.race.reverses import Reverse
from apexcore.race.rules import Pace, RaceRules
from apexcore.vehicle.car import Car
from apextrim.ui.pictures import Axis, linear_axis
from apextrim.ui.units import one_of, per_one, told

from .gap_presenters import causes_words, stints_words, tyre_names
from .queries import RaceView, RankedPlan

WIDTH, BAR = 620.0, 34.0
#: Litres that are worth saying.
_ADDED_L = 0.05


@dataclass(frozen=True)
class StintBar:
    """A stint in the picture, with the hatches of its tyres front and rear, and their letters."""

    x: float
    width: float
    hatch: str
    rear_hatch: str
    letter: str
    name: str
    laps: int
    words: str


@dataclass(frozen=True)
class PlanView:
    """A plan as drawn.

    :param title: number of stops in words
    :param why: where the gap to the best comes from
    :param by_stint: the same by stint
    :param seats: who drives, where several share the car
    :param clock: stops near where the pit opens or closes by the clock
    """

    ranked: RankedPlan
    title: str
    verb: str
    bars: list[StintBar]
    why: str
    said: str
    by_stint: str = ""
    seats: str = ""
    stops: str = ""
    clock: str = ""

    @property
    def short(self) -> str:
        """Laps and tyres in one breath."""
        return in_one_breath([(bar.name, bar.laps) for bar in self.bars])


def in_one_breath(stints: Sequence[tuple[str, int]]) -> str:
    """Laps and tyres, stints on the same tyres together."""
    groups: list[tuple[str, list[int]]] = []
    for name, laps in stints:
        if groups and groups[-1][0] == name:
            groups[-1][1].append(laps)
        else:
            groups.append((name, [laps]))
    return ", then ".join(f"{_listed(laps)} laps on {name}" for name, laps in groups)


def rid_words(found: Sequence[Rid], best_s: float, car: Car) -> list[str]:
    """The two ways to be rid of the unwanted compound, against the best plan."""
    said = []
    for one in found:
        gap_s = one.plan.time_s - best_s
        behind = "the best plan" if gap_s < _TIE_S else f"{format_number(gap_s, 1, signed=True)} s"
        stints = in_one_breath([(tyre_names(car, stint.compound)[0], stint.laps) for stint in one.plan.stints])
        said.append(f"Rid of {tyre_names(car, one.key)[0]} {'early' if one.early else 'late'}: {behind}. {stints}.")
    return said


def _listed(laps: Sequence[int]) -> str:
    """Numbers as one says them; many alike counted."""
    if len(laps) > 3 and len(set(laps)) == 1:
        return f"{len(laps)} times {laps[0]}"
    return " and ".join([", ".join(map(str, laps[:-1])), str(laps[-1])]) if len(laps) > 1 else str(laps[0])


def lap_axis(laps: int) -> Axis:
    """The axis of race laps under the bars."""
    return linear_axis(0, laps, 0, WIDTH, 8, lambda v: f"{v:.0f}")


def plan_views(view: RaceView, plans: list[RankedPlan], car: Car) -> list[PlanView]:
    """The plans as stint bars."""
    best, pace = view.by_stops[0], view.pace.pace
    found = []
    for ranked in plans:
        bars = stint_bars(view.rules, pace.fuel_l_per_lap, ranked.plan, car)
        stops = ranked.plan.stops
        title = "non-stop" if not stops else f"{stops} stop{'s' if stops > 1 else ''}"
        said = f"{title.capitalize()}: " + ", then ".join(bar.words for bar in bars) + "."
        why, by_stint = "the best plan", ""
        if ranked is not best:
            parts = gap(view.rules, pace, ranked.plan, best.plan)
            why, by_stint = causes_words(parts), stints_words(ranked.plan, parts)
        found.append(
            PlanView(
                ranked, title, "are" if stops > 1 else "is", bars, why, said, by_stint, _seats(view.rules, pace, ranked.plan),
                stops_words(view.rules, pace.fuel_l_per_lap, ranked.plan, car), clock_words(view.rules, pace, ranked.plan),
            )
        )  # fmt: skip
    return found


def stint_bars(rules: RaceRules, use_l: float, plan: Plan, car: Car) -> list[StintBar]:
    """A plan's stints as bars.

    :param use_l: fuel burnt on a lap driven all out [l]
    """
    axis, bars = lap_axis(rules.laps), list[StintBar]()
    before: float | None = None
    for stint in plan.stints:
        name, letters, front, rear = tyre_names(car, stint.compound)
        left, right = axis.at(stint.first_lap - 1), axis.at(stint.first_lap - 1 + stint.laps)
        parts = [f"{counted(stint.laps, 'lap')} on {'' if stint.fitted else 'the same '}{name}"]
        if stint.fitted and stint.age:
            parts.append(f"{stint.age} laps old")
        if stint.level.saved_pct:
            parts.append(f"saving {stint.level.saved_pct:.0f} % of the fuel")
        parts.append(told(f"{filled_l(stint.fuel_l):.1f} l at its start"))
        if before is not None and stint.fuel_l - before >= _ADDED_L:
            parts.append(told(f"{stint.fuel_l - before:.1f} l of them added"))
        before = stint.fuel_l - stint.laps * use_l * stint.level.fuel_share - (0.0 if bars else rules.formation_laps * use_l)
        bars.append(StintBar(left, right - left - 2, front, rear, letters, name, stint.laps, ", ".join(parts)))
    return bars


def stops_words(rules: RaceRules, use_l: float, plan: Plan, car: Car) -> str:
    """What a plan does at its stops, as one says it on the radio."""
    said, before = list[str](), 0.0
    for index, stint in enumerate(plan.stints):
        if index:
            fit = f"fit {tyre_names(car, stint.compound)[0]}" if stint.fitted else "tyres stay on"
            added = stint.fuel_l - before
            fuel = f", add {added:.1f} l" if added >= _ADDED_L else ""
            said.append(told(f"stop at the end of lap {stint.first_lap - 1}, {fit}{fuel}"))
        formation = rules.formation_laps * use_l if not index else 0.0
        before = stint.fuel_l - formation - stint.laps * use_l * stint.level.fuel_share
    words = "; ".join(said)
    return f"{words[0].upper()}{words[1:]}." if words else ""


#: A stop this near to where the pit closes or opens is said to be [s].
_NEAR_EDGE_S = 30.0


def clock_words(rules: RaceRules, pace: Pace, plan: Plan) -> str:
    """Which stops of a plan lie near where the pit closes or opens by the race's clock; empty without such a rule, or where none does."""
    if not rules.no_stop_minutes:
        return ""
    ends, edges = course(rules, pace, plan).passed_s, [60.0 * edge for one in rules.no_stop_minutes for edge in (one.first, one.last)]
    near = list[str]()
    for stint in plan.stints[:-1]:
        clock = float(ends[stint.last_lap - 1])
        apart = min((clock - edge for edge in edges), key=abs)
        if abs(apart) < _NEAR_EDGE_S:
            what = f"{abs(apart):.0f} s {'after the pit opens' if apart >= 0.0 else 'before the pit closes'}"
            near.append(f"lap {stint.last_lap} ends in minute {clock / 60.0:.1f}, {what}")
    return f"By the clock {'; '.join(near)}: a slower or quicker race moves that stop." if near else ""


def _seats(rules: RaceRules, pace: Pace, plan: Plan) -> str:
    """Who drives which stint; empty where one drives alone."""
    if rules.drivers < 2:
        return ""
    times, laps, crew = wheel_s(rules, pace, plan.stints), [stint.laps for stint in plan.stints], crew_of(rules)
    told = course(rules, pace, plan)
    who = seats(times, crew, laps, [*(float(told.stop_s[stint.last_lap]) for stint in plan.stints[:-1]), 0.0])
    if who is None:
        least = f"{rules.driver_least_minutes:g} min" if rules.driver_least_minutes else "a stint"
        return f"No split of these stints gives each of {rules.drivers} drivers {least}."
    driving = [time + crew.slower(one) * stint for time, one, stint in zip(times, who, laps, strict=True)]
    totals = [sum(time for time, one in zip(driving, who, strict=True) if one == driver) / 60.0 for driver in range(rules.drivers)]
    order = ", ".join(chr(65 + driver) for driver in who)
    each = ", ".join(f"{chr(65 + driver)} {total:.0f} min" for driver, total in enumerate(totals))
    lost = sum(driving) - sum(times)
    slower = "" if abs(lost) < 0.05 else f" Their pace makes it {abs(lost):.1f} s {'longer' if lost > 0 else 'shorter'} than planned."
    return f"Drivers by stint: {order}; at the wheel {each}.{slower}"


#: Race times nearer than this are the same [s], and how much likelier another plan must be to be said [-].
_TIE_S, _LIKELIER = 0.05, 0.05


def doubts(plans: list[PlanView]) -> list[str]:
    """What stands against the best plan: others that take as long, and one that is quickest more often."""
    if len(plans) < 2:
        return []
    best, said = plans[0], []
    ties = [plan.title for plan in plans[1:] if plan.ranked.gap_s < _TIE_S]
    if ties:
        several = len(ties) > 1 or ties[0].endswith("s")
        said.append(f"{' and '.join(ties).capitalize()} {'take' if several else 'takes'} as long, within {_TIE_S:g} s.")
    likeliest = max(plans, key=lambda plan: plan.ranked.chance or 0.0)
    ours, other = best.ranked.chance or 0.0, likeliest.ranked.chance or 0.0
    if likeliest is not best and other - ours >= _LIKELIER:
        share = f"{100 * other:.0f} % against {100 * ours:.0f} %"
        said.append(f"On average it is quickest; {likeliest.title} would be more often, {share} of what the laps leave open.")
    return said


def fewer_words(view: RaceView) -> str:
    """Why fewer stops than those shown are not among the plans; empty where none are missing."""
    rules, pace = view.rules, view.pace.pace
    least = min(ranked.plan.stops for ranked in view.by_stops)
    missing = list(range(rules.least_stops, least))
    if not missing:
        return ""
    stints, which = missing[-1] + 1, " and ".join(map(str, missing[-2:]))
    full = longest_stint(rules, pace, False)
    if rules.refuelling and longest_stint(rules, pace, True) + full * (stints - 1) < rules.laps:
        why = told(f"the tank of {rules.tank_l:g} l lasts {counted(full, 'lap')}")
    elif rules.longest_stint and rules.longest_stint * stints < rules.laps:
        why = f"a stint may have {counted(rules.longest_stint, 'lap')}"
    elif rules.wheel_minutes and 60.0 * rules.wheel_minutes * stints < rules.laps * pace.lap_s:
        why = f"a driver may drive {rules.wheel_minutes:g} min at a stretch"
    elif rules.no_stop_minutes:
        why = "the minutes without stops leave no plan with them, or none near those shown"
    elif len(view.by_stops) >= MOST_KINDS:
        why = "they take longer than those shown"
    else:
        why = "the rules on compounds, sets and the window leave no plan with them"
    return f"Not {which} stop{'s' if missing != [1] else ''}: {why}."


def slower_words(view: RaceView) -> str:
    """Numbers of stops that are not shown as they are far behind; empty where none is missing."""
    rules, most = view.rules, max(ranked.plan.stops for ranked in view.by_stops)
    if not rules.tyres_may_stay or rules.most_stops <= most:
        return ""
    if len(view.by_stops) >= STAYING_KINDS:
        return f"More than {counted(most, 'stop')} take longer than those shown."
    return f"With more than {counted(most, 'stop')} no plan comes within {FAR_S:g} s of the best."


def late_words(plan: Plan | None, rules: RaceRules) -> str:
    """What putting an owed stop off until the time is up would drive; empty where nothing."""
    if plan is None:
        return ""
    behind = plan.stints[-1].first_lap - 1
    return (
        f"An owed stop may wait: made only at the end of lap {behind}, as the time is up, it drives {rules.laps + 1} laps instead of "
        f"{rules.laps}. It has no margin: a lap slower, and the race has ended before it."
    )


@dataclass(frozen=True)
class ReverseRow:
    """:param turns: the value at which both plans take as long
    :param away: how far today's estimate is from it"""

    what: str
    today: str
    turns: str
    away: str


def reverse_rows(view: RaceView, found: Sequence[Reverse]) -> list[ReverseRow]:
    """What would turn the order of the two best plans, in units and words."""
    sds = {"fade": _relative_sd(view.pace.fade), "cliff": _relative_sd(view.pace.cliff)}
    rows = []
    for one in found:
        words, unit, decimals = {
            "pit": ("Pit lane", " s", 1), "rate": ("Refuelling rate", " l/s", 2), "fade": ("Tyre fade", " × today’s", 2),
            "cliff": ("Age of the cliff", " × today’s", 2),
        }[one.what]  # fmt: skip
        sd = sds.get(one.what, 0.0)
        today = f"± {100 * half_interval(sd):.0f} %" if one.what in sds else f"{format_number(one.today, decimals)}{unit}"
        turns = "nowhere near" if one.turns is None else f"{format_number(one.turns, decimals)}{unit}"
        away = ""
        if one.turns is not None and sd > 0.0:
            away = f"{format_number(abs(one.turns - 1.0) / sd, 1)} standard errors away"
        rows.append(ReverseRow(words, today, turns, away))
    return rows


def _relative_sd(estimates: Sequence[Estimate]) -> float:
    """Standard error of what is best known of the compounds, as a share [-]."""
    return min((one.sd / abs(one.mean) for one in estimates if abs(one.mean) > 1e-9), default=0.0)


@dataclass(frozen=True)
class FuelRow:
    """Fuel on board as a lap ends.

    :param planned_l: by the plan [l]
    :param least_l: what is needed to come to the next stop or the flag, reserve left out [l]
    """

    lap: int
    planned_l: float
    least_l: float
    stop: str


def fuel_rows(plan: Plan, use_l: float, formation_l: float, every: int = 5) -> list[FuelRow]:
    """Fuel checks of a plan at fixed laps and at its stops."""
    rows, last = [], sum(stint.laps for stint in plan.stints)
    for index, stint in enumerate(plan.stints):
        leaves = stint.fuel_l - (formation_l if not index else 0.0)
        end = stint.first_lap + stint.laps - 1
        for lap in range(stint.first_lap, end + 1):
            if lap % every and lap != end:
                continue
            left = leaves - use_l * stint.level.fuel_share * (lap - stint.first_lap + 1)
            after = plan.stints[index + 1] if lap == end and end < last else None
            tyres = "" if after is None else (after.compound if after.fitted else "tyres stay on")
            stop = "" if after is None else told(f"stop: {tyres}, add {max(after.fuel_l - left, 0.0):.1f} l")
            rows.append(FuelRow(lap, left, use_l * stint.level.fuel_share * (end - lap), stop))
    return rows


@dataclass(frozen=True)
class FuelGrid:
    """Laps done against litres left: whether that is on plan, and by how many laps it is short.

    :param litres: of the columns [l]
    :param rows: a lap, and for each column laps short of the next stop or flag with the reserve; 0 where it is on plan
    """

    litres: list[float]
    rows: list[tuple[int, list[float]]]


#: Columns of the grid, and lines at most.
_GRID_COLUMNS, _GRID_LINES = 9, 14


def fuel_grid(plan: Plan, pace: Pace, formation_l: float, tank_l: float) -> FuelGrid:
    """Where one stands with so much left after so many laps of a plan."""
    last = sum(stint.laps for stint in plan.stints)
    most = min(tank_l, max(stint.fuel_l - (0 if index else formation_l) for index, stint in enumerate(plan.stints)))
    step = max(1.0, round(most / _GRID_COLUMNS))
    litres = [step * k for k in range(_GRID_COLUMNS + 1)]
    every, rows = max(1, -(-last // _GRID_LINES)), []
    for stint in plan.stints:
        use = pace.fuel_l_per_lap * stint.level.fuel_share
        for lap in range(stint.first_lap, stint.last_lap + 1):
            if lap % every == 0 and lap < stint.last_lap:
                need = use * (stint.last_lap - lap) + pace.margin_l
                rows.append((lap, [max(need - have, 0.0) / use for have in litres]))
    return FuelGrid(litres, rows)


@dataclass(frozen=True)
class EstimateRow:
    """A quantity that the plans are based on.

    :param what: the quantity
    :param value: with its unit
    :param spread: half its 95 % interval, with its unit
    :param source: a kind of the `source` tag
    :param laps: how many laps gave it, in words; empty where the vehicle model does
    """

    what: str
    value: str
    spread: str
    source: str
    laps: str


def estimate_rows(view: RaceView, car: Car) -> list[EstimateRow]:
    """What the plans are computed from."""
    pace = view.pace
    use, weight = pace.fuel, pace.fuel_s_per_l
    litre, litre_spread = per_one(weight.mean, "l"), 1000.0 * per_one(half_interval(weight.sd), "l")
    rows = [
        _row("Fuel per lap", told(f"{use.mean_l:.2f} l"), told(f"± {half_interval(use.error_l):.2f} l"), use.laps),
        _row(f"Weight of {one_of('l')}", _ms_a_lap(litre), f"± {litre_spread:.0f} ms", weight.laps),
    ]
    first = tyre_names(car, pace.pace.tyres[0].key)[0]
    for index, tyre in enumerate(pace.pace.tyres[: len(pace.fade)]):
        name = tyre_names(car, tyre.key)[0]
        fade, offset = pace.fade[index], pace.offset[index]
        rows.append(_row(f"{name}: fade", _ms_a_lap(fade.mean), f"± {1000 * half_interval(fade.sd):.0f} ms", fade.laps))
        if index:
            value = f"{format_number(offset.mean, 2, signed=True)} s against {first}"
            rows.append(_row(f"{name}: new", value, f"± {half_interval(offset.sd):.2f} s", offset.laps))
        cliff = pace.cliff[index]
        rows.append(_row(f"{name}: cliff", f"after {cliff.mean:.0f} laps", f"± {half_interval(cliff.sd):.0f} laps", cliff.laps))
    return rows


def _ms_a_lap(seconds: float) -> str:
    return f"{1000 * seconds:.0f} ms a lap"


def _row(what: str, value: str, spread: str, laps: int) -> EstimateRow:
    """:param laps: 0 where the vehicle model gives the value"""
    return EstimateRow(what, value, spread, "laps" if laps else "modelled", counted(laps, "lap") if laps else "")
