"""Where an energy store is spent on a lap, and what more or less of it would be worth."""

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.trim.deployment import used_along
from apextrim.events.queries import event_for, frame
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.ui.circuit_map import map_view

from . import asked, energy_presenters


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """The map with its stretches, each with what it saves, and lap times by what is spent."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap")}
    try:
        case = asked.shown_case(event)
        lap_case, spans = case.lap_case(), case.spans()
        if answers.answer_in(case).store_kj is None:
            return render(request, "lap/energy.html", context)
        found, by_energy = answers.deployment_in(case)
        lap = found.lap
        used = used_along(lap_case, lap)
        context |= {
            "found": found, "rows": energy_presenters.rows(found, spans, lap_case.line), "picture": energy_presenters.picture(by_energy),
            "gain_s": by_energy[0][1] - lap.time_s, "by_energy": by_energy,
            "map": map_view(
                parsed_circuit(case.circuit), lap_case.line, spans, lap.column("brake"), lap.column("throttle"), used,
                lap_case.car.aero.flap_drag_area_m2 > 0.0,
            ),
        }  # fmt: skip
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/energy.html", context)
