"""Cards to print and to read in the paddock: the whole lap, and one corner large."""

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.trim.book.fields import VARIANTS, sentence
from apexcore.trim.hazards import hazards
from apextrim.book.queries import desk_in, driven_page, pages_of, texts
from apextrim.events.queries import event_for, frame
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.sheets.queries import sheet_in_car
from apextrim.ui.circuit_map import map_view

from . import asked, corner_presenters
from .book_presenters import card_lines
from .corner_views import map_of, variant_of


@require_GET
def corner_card(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """One corner large, to print and to read in the paddock."""
    event = event_for(request.user, event_id)
    variant = variant_of(request)
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "lap"), "row": sheet_in_car(event), "variant": variant, "way": VARIANTS[variant],
        "variants": VARIANTS.items(), "number": number,
    }  # fmt: skip
    try:
        case = asked.shown_case(event)
        span = next((span for span in case.spans() if span.number == number), None)
        if span is None:
            raise Http404
        desk, pages = desk_in(case, number, variant), pages_of(event).get(number, {})
        note = event.circuit.notes.filter(number=number).first()
        context |= {
            "span": span, "big": card_lines(texts(driven_page(pages, variant)), desk.proposal()), "hazards": hazards(desk),
            "note": "" if note is None else (note.race if variant == "race" else note.qualifying),
            "map": map_of(desk),
        }  # fmt: skip
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/corner_card.html", context)


@require_GET
def card(request: HttpRequest, event_id: int) -> HttpResponse:
    """The whole lap on one page, to print and to read in the paddock."""
    event = event_for(request.user, event_id)
    variant = variant_of(request)
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "lap"), "variant": variant, "way": VARIANTS[variant], "variants": VARIANTS.items(),
        "row": sheet_in_car(event),
    }  # fmt: skip
    try:
        case = asked.shown_case(event)
        spans, circuit = case.spans(), parsed_circuit(case.circuit)
        notes = {note.number: note.race if variant == "race" else note.qualifying for note in event.circuit.notes.all()}
        desks, pages = [desk_in(case, span.number, variant) for span in spans], pages_of(event)
        driven = answers.variant_in(case, variant)
        lap_case, lap = (case.lap_case(), answers.answer_in(case).lap) if driven is None else (driven.lap_case, driven.lap)
        misses = {row.span.number: row.worst_s for row in corner_presenters.ranked_misses(answers.misses_in(case), spans)}
        context |= {
            "lap": lap, "map": map_view(circuit, lap_case.line, spans, lap.column("brake"), lap.column("throttle")),
            "rows": [
                corner_presenters.card_row(
                    desk.technique, sentence(texts(driven_page(pages.get(desk.desk.span.number, {}), variant))),
                    notes.get(desk.desk.span.number, ""), hazards(desk), misses,
                ) for desk in desks
            ],
        }  # fmt: skip
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/card.html", context)
