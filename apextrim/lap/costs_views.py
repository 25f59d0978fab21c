"""What doing it otherwise costs over the lap: misses ranked, choices and lines corner by corner, and where to lift for a saving."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from apexcore.circuit.line import CornerSpan
from apexcore.errors import ApexError
from apexcore.trim.corner import Told
from apexcore.trim.ways import Driven, Ways
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.book.queries import desk_in, ways_in
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.modelling.cases import Case
from apextrim.ui.circuit_map import map_view
from apextrim.ui.fields import QuantityField
from apextrim.ui.map_bars import BarsMap, bars_map
from apextrim.work.queue import TooMuchWork

from . import asked, corner_presenters, tasks

#: What is tried in every corner.
_TOLD_EVERYWHERE = (Told(braking=0.8), Told(coast_m=20.0))


@dataclass(frozen=True)
class ChoicesRow:
    """A corner with what doing it otherwise costs.

    :param ways: how it is driven, lifted for, and on part throttle
    :param cells: seconds to the next corner of each choice; None where there is none such
    :param lines: of each line that was made, how it is driven; None where it was not
    """

    span: CornerSpan
    ways: Ways
    cells: list[float | None]
    lines: list[tuple[corner_presenters.WishRow, Driven] | None]


def _choices(event: Event, case: Case, span: CornerSpan) -> ChoicesRow:
    """A corner's choices: what the driver is told where it is braked for, and the lines that were made."""
    desk, ways = desk_in(case, span.number), ways_in(case, span.number)
    told = [desk.desk.choice(one) for one in _TOLD_EVERYWHERE] if ways.driven.way == "brake" else []
    cells: list[float | None] = [None if one.problem else one.here_s for one in told] or [None] * len(_TOLD_EVERYWHERE)
    offers = asked.offers(event, case, span)
    rows, there = {row.key: row for row in corner_presenters.wish_rows(offers)}, asked.driven_on_lines(case, span, offers)
    return ChoicesRow(span, ways, cells, [(rows[key], there[key]) if key in there else None for key in asked.PLAIN])


def _on_map(event: Event, case: Case, spans: Sequence[CornerSpan], rows: Sequence[corner_presenters.CornerMisses]) -> BarsMap:
    """What misses cost, as bars at the corners."""
    view = map_view(parsed_circuit(event.circuit.data), case.lap_case().line, spans)
    pages = {span.number: reverse("corner", args=[event.pk, span.number]) for span in spans}
    return bars_map(view, [corner_presenters.miss_bars(row, pages[row.span.number]) for row in rows])


class SavingForm(forms.Form):
    """How much to save, and of what."""

    what = forms.ChoiceField(choices=[("fuel", "fuel"), *[(wheel, f"{WHEEL_WORDS[wheel]} tyre") for wheel in WHEELS]], label="Spare")
    share = QuantityField("%", 0.1, 60, decimals=1, label="By, of what a lap takes")


@require_GET
def costs(request: HttpRequest, event_id: int) -> HttpResponse:
    """Where a miss costs most, and where to lift for a saving."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap"), "heads": corner_presenters.MISS_HEADS}
    form = SavingForm(request.GET if "share" in request.GET else {"what": "fuel", "share": "3"})
    context |= {"form": form, "fields": list(form)}
    try:
        case = asked.shown_case(event)
        spans = case.spans()
        rows = corner_presenters.ranked_misses(answers.misses_in(case), spans)
        context |= {"rows": rows, "bars": _on_map(event, case, spans, rows), "dearest": corner_presenters.dearest_words(rows)}
        context["choices"] = [_choices(event, case, span) for span in spans]
        context["choice_heads"] = [told.words for told in _TOLD_EVERYWHERE]
        context["line_heads"] = [asked.words_of(key) for key in asked.PLAIN]
        context |= {"quickest": bool(case.line), "used_grip": case.lap_case().driver.ability}
        if form.is_valid():
            what, share = form.cleaned_data["what"], form.cleaned_data["share"] / 100.0
            lap = answers.answer_in(case).lap
            whole = lap.fuel_l if what == "fuel" else lap.slip_energy_j[WHEELS.index(what)]
            lifts = answers.lifts_in(case, what)
            way = answers.saving_in(case, what, share * whole)
            context["saving"] = corner_presenters.saving_view(what, whole, share, way, lifts, spans)
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/costs.html", context, status=422 if form.errors else 200)


@require_POST
def ask_all_lines(request: HttpRequest, event_id: int) -> HttpResponse:
    """Asks for the lines of every corner."""
    event = event_for(request.user, event_id)
    try:
        return redirect("job", tasks.ask_all_lines(event).pk)
    except TooMuchWork as error:
        messages.error(request, str(error))
    return redirect("lap_costs", event.pk)
