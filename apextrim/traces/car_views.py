"""What a run's traces say of the car."""

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.judge.traces.habits import Spread
from apexcore.judge.traces.limits import CornerUse, sure
from apexcore.quantities.spread import Z95
from apextrim.events.queries import event_for, frame
from apextrim.runs.queries import run_for
from apextrim.runs.recorded import build
from apextrim.ui.uploads import problems_of
from apextrim.ui.whisker_plot import Estimate, WhiskerPlot, WhiskerRow, whisker_plot

from .car_reading import CarReading, reading_of


@require_GET
def car(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Power and drag by the straights, shift points, fuel, and what was asked of the tyres."""
    event = event_for(request.user, event_id)
    run = run_for(request.user, event, run_id)
    build(run)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "runs"), "run": run, "errors": []}
    try:
        reading = reading_of(request.user, event, run)
        context["reading"] = reading
        if reading is not None:
            context |= {
                "opening": _opening(run.name, reading),
                "uses": _use_lines(reading),
                "used": _used(reading),
                "floor": reading.floor,
                "scales": [(one, 100 * (one.value - 1), 100 * Z95 * one.sd) for one in reading.scales],
            }
    except ApexError as error:
        context["errors"] = problems_of(error)
    return render(request, "traces/car.html", context, status=422 if context["errors"] else 200)


@dataclass(frozen=True)
class UseLine:
    """A corner in the table.

    :param across: share of the cornering force with its interval, in per cent; empty where it is not told
    :param braking: the same of the brakes
    :param said: what it means
    """

    use: CornerUse
    across: str
    braking: str
    said: str


def _use_lines(reading: CarReading) -> list[UseLine]:
    """The corners with what is to be said of each."""
    return [UseLine(one, _share(one.across), _share(one.braking), _said(one)) for one in reading.uses]


def _used(reading: CarReading) -> WhiskerPlot | None:
    """Shares of the model's limit in each corner, braking over cornering, in per cent."""
    rows = []
    for one in reading.uses:
        if one.across is None and one.braking is None:
            continue
        name = one.window.name or str(one.window.number)
        told = [f"{what} {_share(share)} %" for what, share in (("cornering", one.across), ("braking", one.braking)) if share is not None]
        rows.append(
            WhiskerRow(name, (_estimate(one.braking), _estimate(one.across)), f"{name}: {', '.join(told)} of the limit; {_said(one)}.")
        )
    label = "Share of the car's limit in each corner"
    return whisker_plot(
        rows, ("braking", "cornering"), label, "of the model's limit, %", lambda value: f"{value:.0f}", zero=100.0, least=5.0
    )


def _estimate(share: Spread | None) -> Estimate | None:
    if share is None:
        return None
    middle, half = 100 * share.middle, 200 * sure(share)
    return Estimate(middle - half, middle, middle + half)


def _share(share: Spread | None) -> str:
    return "" if share is None else f"{100 * share.middle:.0f} ±\u00a0{200 * sure(share):.0f}"


def _said(use: CornerUse) -> str:
    if use.across is None:
        return "flat for the model: grip is not told here"
    if use.beyond:
        return "more than the model has: line, circuit or grip as entered is off"
    if use.unasked:
        return "not all asked for"
    return "no difference seen"


def _opening(name: str, reading: CarReading) -> str:
    """The first sentence of the page."""
    parts = []
    for one in reading.scales:
        percent, half = 100 * (one.value - 1), 100 * Z95 * one.sd
        if abs(percent) <= half:
            parts.append(f"{one.name} as entered, within ±\u00a0{half:.1f}\u00a0%")
        else:
            side = "above" if percent > 0 else "below"
            parts.append(f"{one.name} {abs(percent):.1f} % {side} the car as entered, ±\u00a0{half:.1f}\u00a0%")
    opening = f"{name} on its straights: {'; '.join(parts)}." if parts else f"{name} has too little full throttle to tell power and drag."
    least = max((one for one in reading.uses if one.unasked), key=lambda one: one.left or 0.0, default=None)
    if least is None or least.left is None:
        return opening
    title = least.window.name or f"corner {least.window.number}"
    return f"{opening} Most is left in {title}: {100 * least.left:.0f} % of the cornering force that the model has there."
