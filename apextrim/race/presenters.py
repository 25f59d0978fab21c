"""Plans as stint bars, and the estimates behind them."""

from dataclasses import dataclass

from apexcore.quantities import format_number
from apexcore.quantities.spread import half_interval
from apexcore.vehicle.car import Car
from apextrim.ui.pictures import Axis, linear_axis

from .queries import RaceView, RankedPlan

WIDTH, BAR = 620.0, 34.0


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
        bars = []
        for stint in ranked.plan.stints:
            compound = car.tyres.compound(stint.compound)
            left, right = axis.at(stint.first_lap - 1), axis.at(stint.first_lap - 1 + stint.laps)
            words = f"{stint.laps} laps on {compound.name}, {stint.fuel_l:.1f} l at its start"
            bars.append(StintBar(left, right - left - 2, compound.hatch, compound.letter, compound.name, stint.laps, words))
        stops = ranked.plan.stops
        title = "non-stop" if not stops else f"{stops} stop{'s' if stops > 1 else ''}"
        said = f"{title.capitalize()}: " + ", then ".join(bar.words for bar in bars) + "."
        found.append(PlanView(ranked, title, "are" if stops > 1 else "is", bars, _why(ranked, best), said))
    return found


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


def estimate_rows(view: RaceView, car: Car) -> list[dict[str, str]]:
    """What the plans are computed from: what, value, spread, source."""
    pace = view.pace
    rows = [
        _row("Fuel per lap", f"{pace.fuel.mean_l:.2f} l", f"± {half_interval(pace.fuel.error_l):.2f} l", pace.fuel.laps),
        _row(
            "Weight of a litre",
            f"{1000 * pace.fuel_s_per_l.mean:.0f} ms a lap",
            f"± {1000 * half_interval(pace.fuel_s_per_l.sd):.0f} ms",
            pace.fuel_s_per_l.laps,
        ),
    ]
    for place, compound in enumerate(car.tyres.compounds):
        fade, offset, tyre = pace.fade[place], pace.offset[place], pace.pace.tyres[place]
        rows.append(
            _row(f"{compound.name}: fade", f"{1000 * fade.mean:.0f} ms a lap", f"± {1000 * half_interval(fade.sd):.0f} ms", fade.laps)
        )
        if place:
            first = car.tyres.compounds[0].name
            value = f"{format_number(offset.mean, 2, signed=True)} s against {first}"
            rows.append(_row(f"{compound.name}: new", value, f"± {half_interval(offset.sd):.2f} s", offset.laps))
        rows.append(_row(f"{compound.name}: cliff", f"after {tyre.cliff_age:.0f} laps", f"± {0.3 * tyre.cliff_age:.0f} laps", 0))
    return rows


def _row(what: str, value: str, spread: str, laps: int) -> dict[str, str]:
    """`laps` is 0 where the vehicle model gives the value."""
    return {
        "what": what,
        "value": value,
        "spread": spread,
        "source": "laps" if laps else "modelled",
        "laps": f"{laps} laps" if laps else "",
    }
