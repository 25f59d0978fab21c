"""Lap times by how wet the road is, a compound at a time, and what of it the race rules take over."""

from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from apexcore.errors import ApexError
from apexcore.lap.wetness import WETNESSES, WetLaps, losses
from apexcore.race.weather import crossing_wetness
from apextrim.events import actions, facts
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.sheets.queries import core_sheet_in_car


@dataclass(frozen=True)
class WetRow:
    """:param cells: lap time at each wetness [s], and whether it is the least there
    :param path: of them in a picture of 320 by 160
    :param end: where it ends there"""

    laps: WetLaps
    cells: list[tuple[float, bool]]
    path: str
    end: tuple[float, float]


#: The picture of lap times against wetness [px].
_WIDE, _HIGH = 320.0, 160.0


def _row(one: WetLaps, least: list[float], low_s: float, high_s: float) -> WetRow:
    spots = [
        (_WIDE * wet, _HIGH * (1.0 - (time - low_s) / max(high_s - low_s, 1e-9))) for wet, time in zip(WETNESSES, one.times_s, strict=True)
    ]
    path = "M" + " ".join(f"{x:.1f},{y:.1f}" for x, y in spots)
    return WetRow(one, [(time, time == least[k]) for k, time in enumerate(one.times_s)], path, spots[-1])


@require_http_methods(["GET", "POST"])
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """The table; sent, its losses become the race rules'."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "race"), "wetnesses": [100.0 * wet for wet in WETNESSES]}
    try:
        laps = answers.wet_laps_in(cases.case_of(event, core_sheet_in_car(event)))
    except ApexError as error:
        return render(request, "race/wet.html", {**context, "problem": str(error)}, status=422 if request.method == "POST" else 200)
    found, rules = losses(laps), facts.rules_of(event)
    if request.method == "POST":
        if not found:
            problem = "This car has no tyres that are quicker on a soaked road; add a compound for the wet to it first."
            return render(request, "race/wet.html", {**context, "problem": problem}, status=422)
        changed = actions.change_rules(event, {**rules.model_dump(exclude={"around", "tank_l"}), "wet_losses": found})
        messages.success(request, "These losses by wetness are in the race rules." if changed else "Nothing changed.")
        return redirect("race_wet", event.pk)
    least = [min(one.times_s[k] for one in laps) for k in range(len(WETNESSES))]
    low_s, high_s = min(min(one.times_s) for one in laps), max(max(one.times_s) for one in laps)
    rows = [_row(one, least, low_s, high_s) for one in laps]
    context |= {"low_s": low_s, "high_s": high_s, "wettest": min(laps, key=lambda one: one.times_s[-1]).compound.name}
    with_them = rules.model_copy(update={"wet_losses": found})
    context |= {"rows": rows, "losses": found, "taken": bool(found) and rules.wet_losses == found}
    crossing = crossing_wetness(with_them) if found else None
    context |= {"crossing": crossing, "crossing_x": None if crossing is None else _WIDE * crossing}
    return render(request, "race/wet.html", context)
