"""Plans as stint bars, and the estimates behind them."""

from collections.abc import Sequence
from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.quantities.spread import half_interval
from apexcore.quantities.words import counted
from apexcore.race.fuel import filled_l
from apexcore.race.pace import Estimate
from apexcore.race.plans import Plan
from apexcore.race.reverses import Reverse
from apexcore.vehicle.car import Car
from apextrim.ui.pictures import Axis, linear_axis

from .queries import RaceView, RankedPlan

WIDTH, BAR = 620.0, 34.0
#: Litres that are worth saying.
_ADDED_L = 0.05


@dataclass(frozen=True)
class StintBar:
    """A stint in the picture, with the hatch and letter of its compound."""

    x: float
    width: float
    hatch: str
    letter: str
    name: str
    laps: int
    words: str


@dataclass(frozen=True)
class PlanView:
    """A plan as drawn.

    :param title: number of stops in words
    :param why: where the gap to the best comes from
    """

    ranked: RankedPlan
    title: str
    verb: str
    bars: list[StintBar]
    why: str
    said: str


def lap_axis(laps: int) -> Axis:
    """The axis of race laps under the bars."""
    return linear_axis(0, laps, 0, WIDTH, 8, lambda v: f"{v:.0f}")


def plan_views(view: RaceView, plans: list[RankedPlan], car: Car) -> list[PlanView]:
    """The plans as stint bars."""
    axis = lap_axis(view.rules.laps)
    best = view.by_stops[0]
    found = []
    for ranked in plans:
        bars = list[StintBar]()
        before: float | None = None
        for stint in ranked.plan.stints:
            compound = car.tyres.compound(stint.compound)
            left, right = axis.at(stint.first_lap - 1), axis.at(stint.first_lap - 1 + stint.laps)
            added = "" if before is None or stint.fuel_l - before < _ADDED_L else f", {stint.fuel_l - before:.1f} l of them added"
            before = stint.fuel_l - stint.laps * view.pace.pace.fuel_l_per_lap
            if not bars:
                before -= view.rules.formation_laps * view.pace.pace.fuel_l_per_lap
            words = f"{stint.laps} laps on {compound.name}, {filled_l(stint.fuel_l):.1f} l at its start{added}"
            bars.append(StintBar(left, right - left - 2, compound.hatch, compound.letter, compound.name, stint.laps, words))
        stops = ranked.plan.stops
        title = "non-stop" if not stops else f"{stops} stop{'s' if stops > 1 else ''}"
        said = f"{title.capitalize()}: " + ", then ".join(bar.words for bar in bars) + "."
        found.append(PlanView(ranked, title, "are" if stops > 1 else "is", bars, _why(ranked, best), said))
    return found


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
            left = leaves - use_l * (lap - stint.first_lap + 1)
            after = plan.stints[index + 1] if lap == end and end < last else None
            stop = "" if after is None else f"stop: {after.compound}, add {max(after.fuel_l - left, 0.0):.1f} l"
            rows.append(FuelRow(lap, left, use_l * (end - lap), stop))
    return rows


def _why(ranked: RankedPlan, best: RankedPlan) -> str:
    """Where the gap to the best plan comes from, part by part."""
    if ranked is best:
        return "the best plan"
    parts = []
    for name, here, there in (
        ("stops", ranked.plan.pit_s, best.plan.pit_s),
        ("tyres", ranked.plan.tyre_s, best.plan.tyre_s),
        ("fuel weight", ranked.plan.fuel_s, best.plan.fuel_s),
    ):
        if abs(here - there) >= 0.05:
            parts.append(f"{name} {format_number(here - there, 1, signed=True)} s")
    return ", ".join(parts) or "equal in every part"


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
    rows = [
        _row("Fuel per lap", f"{use.mean_l:.2f} l", f"± {half_interval(use.error_l):.2f} l", use.laps),
        _row("Weight of a litre", _ms_a_lap(weight.mean), f"± {1000 * half_interval(weight.sd):.0f} ms", weight.laps),
    ]
    for index, compound in enumerate(car.tyres.compounds):
        fade, offset = pace.fade[index], pace.offset[index]
        rows.append(_row(f"{compound.name}: fade", _ms_a_lap(fade.mean), f"± {1000 * half_interval(fade.sd):.0f} ms", fade.laps))
        if index:
            value = f"{format_number(offset.mean, 2, signed=True)} s against {car.tyres.compounds[0].name}"
            rows.append(_row(f"{compound.name}: new", value, f"± {half_interval(offset.sd):.2f} s", offset.laps))
        cliff = pace.cliff[index]
        rows.append(_row(f"{compound.name}: cliff", f"after {cliff.mean:.0f} laps", f"± {half_interval(cliff.sd):.0f} laps", cliff.laps))
    return rows


def _ms_a_lap(seconds: float) -> str:
    return f"{1000 * seconds:.0f} ms a lap"


def _row(what: str, value: str, spread: str, laps: int) -> EstimateRow:
    """:param laps: 0 where the vehicle model gives the value"""
    return EstimateRow(what, value, spread, "laps" if laps else "modelled", counted(laps, "lap") if laps else "")
