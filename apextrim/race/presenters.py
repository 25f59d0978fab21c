"""Plans as stint bars, and the estimates behind them."""

from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.quantities.spread import half_interval
from apexcore.quantities.words import counted
from apexcore.race.fuel import filled_l
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
