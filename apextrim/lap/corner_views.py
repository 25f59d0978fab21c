"""One corner: how it is driven, the racer's book beside it, what driving it otherwise costs, lines under a wish or drawn by hand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.circuit.line import Line
from apexcore.errors import ApexError, InputError
from apexcore.quantities import read_number
from apexcore.trim.book.fields import BASE, VARIANTS
from apexcore.trim.book.proposal import BookDesk
from apexcore.trim.corner import Choice, CornerDesk
from apexcore.trim.drawn import PLACES, drawn_choice, handles
from apexcore.trim.hazards import hazards
from apextrim.book.queries import desk_in, obstacles_in, pages_of, usual_choices_in, ways_in
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers
from apextrim.modelling.answers import STINT_LAPS, StintBy, stint_by
from apextrim.modelling.cases import Case
from apextrim.ui.circuit_map import CornerMap, corner_map
from apextrim.ui.meanwhile import carried
from apextrim.work.queue import TooMuchWork

from . import asked, corner_presenters, notes, tasks
from .book_presenters import book_rows, variant_links
from .models import AskedLine
from .told import ToldForm, told_of, told_text

#: Choices that stand side by side at most.
_MOST_TRIED = 3


@dataclass(frozen=True)
class Tried:
    """A choice that the racer asked for.

    :param text: what was told, as an address carries it
    :param without: address of the page without it
    :param stint: what a stint driven so comes to; None where it was not asked for
    """

    text: str
    choice: Choice
    without: str
    stint: StintBy | None = None


def moves_of(text: str) -> list[float] | None:
    """Moves of a drawn line as an address carries them, `0,0.3,-0.8,0,0`; None where they are none."""
    parts = text[:80].split(",")
    if len(parts) != PLACES:
        return None
    try:
        moves = [read_number(part or "0", "m", "line", -60.0, 60.0) for part in parts]
    except InputError:
        return None
    return moves if any(moves) else None


def variant_of(request: HttpRequest) -> str:
    """The way of driving that an address or a form asks for."""
    asked_for = request.GET.get("for") or request.POST.get("for") or BASE
    return asked_for if asked_for in VARIANTS else BASE


@require_GET
def corner(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """One corner's page."""
    return page(request, event_for(request.user, event_id), number)


def page(
    request: HttpRequest, event: Event, number: int, typed: Mapping[str, str] | None = None, problems: Mapping[str, str] | None = None
) -> HttpResponse:
    """One corner's page, also where its book came back.

    :param typed: of the book's fields, as typed
    :param problems: what was wrong with them, by field
    """
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap"), "number": number}
    status = 200
    try:
        status = _fill(request, event, number, context)
        _fill_book(request, event, number, context, typed or {}, problems or {})
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/corner.html", context, status=422 if problems else status)


def _fill_book(
    request: HttpRequest, event: Event, number: int, context: dict[str, Any], typed: Mapping[str, str], problems: Mapping[str, str]
) -> None:
    """The book's part of the page: yours beside the model's, for one way of driving."""
    variant, case = variant_of(request), context["case"]
    desk, pages = desk_in(case, number, variant), pages_of(event).get(number, {})
    driven = answers.variant_in(case, variant)
    context |= {
        "variant": variant, "way": VARIANTS[variant], "variants": variant_links(pages),
        "hazards": hazards(desk), "book_rows": book_rows(pages, variant, desk.proposal(), typed, problems), "marks": desk.way.marks,
        "assumed": "" if driven is None else driven.words,
    }  # fmt: skip


def map_of(
    book: BookDesk, other: Line | None = None, handles: Sequence[tuple[int, float, float]] = (), keys: Mapping[float, str] | None = None
) -> CornerMap:
    """The corner's map; see `corner_map`."""
    desk, places = book.desk, corner_presenters.places(book.technique, book.told)
    columns = desk.lap.column("brake"), desk.lap.column("throttle")
    return corner_map(book.circuit, desk.lap_case.line, desk.span, *columns, places, other, handles, keys)


def _drawn(request: HttpRequest, book: BookDesk, context: dict[str, Any]) -> Line | None:
    """The line drawn by hand, as the address has it: place by place, or as one list."""
    desk, circuit = book.desk, book.circuit
    places = handles(desk, circuit)
    texts = [request.GET.get(f"d{k}", "").strip() for k in range(1, PLACES + 1)]
    if not any(texts) and (given := request.GET.get("drag", "")):
        texts = [part.strip() for part in given[:80].split(",")][:PLACES]
    texts += [""] * (PLACES - len(texts))
    context["handles"] = [(k, place, text) for k, (place, text) in enumerate(zip(places, texts, strict=True), start=1)]
    if not any(texts):
        return None
    try:
        moves = [
            read_number(text or "0", "m", f"Line at place {k}, {place.at_m:.0f} m", round(place.low_m, 2), round(place.high_m, 2))
            for k, place, text in context["handles"]
        ]
        if not any(moves):
            return None
        choice, line = drawn_choice(desk, circuit, moves)
    except InputError as error:
        context["drawn_problem"] = str(error)
        return None
    kept = "&".join(f"try={text}" for text in request.GET.getlist("try") if told_of(text) is not None)
    context |= {"drawn": choice, "without_drag": f"?{kept}#else", "drag": ",".join(f"{move:.2f}" for move in moves)}
    return line


def _fill(request: HttpRequest, event: Event, number: int, context: dict[str, Any]) -> int:
    """Everything on the page; the status it is answered with."""
    case = asked.shown_case(event)
    spans = case.spans()
    place = next((k for k, span in enumerate(spans) if span.number == number), None)
    if place is None:
        raise Http404
    span, book = spans[place], desk_in(case, number)
    desk = book.desk
    texts = [text for text in request.GET.getlist("try") if told_of(text) is not None][:_MOST_TRIED]
    form, status = ToldForm(request.GET if "ask" in request.GET else None), 200
    if form.is_bound:
        if form.is_valid():
            new = form.told()
            if new.empty:
                context["hint"] = "Type at least one thing to do otherwise."
            elif (text := told_text(new)) not in texts:
                texts = [*texts[-(_MOST_TRIED - 1) :], text]
        else:
            status = 422
    drawn = _drawn(request, book, context)
    line = AskedLine.objects.filter(event=event, corner=number, pk=_whole(request.GET.get("line"))).exclude(offsets_m=[]).first()
    other = drawn if drawn is not None else None if line is None else asked.line_of(line, book.circuit)
    note = event.circuit.notes.filter(number=number).first()
    places = [place for _, place, _ in context["handles"]]
    if context.get("drawn_problem"):
        status = 422
    offers = asked.offers(event, case, span)
    wishes = corner_presenters.wish_rows(offers)
    kerb_s = next((row.here_s for row in wishes if row.key == "kerb" and row.state == "found"), None)
    bumps, kerbs = obstacles_in(case, number)
    there = asked.driven_on_lines(case, span, offers)
    stint_case = case if "stint" in request.GET else None
    context |= {
        "case": case, "span": span, "before": spans[place - 1], "after": spans[(place + 1) % len(spans)], "technique": book.technique,
        "quickest": bool(case.line), "form": form, "fields": list(form), "texts": texts,
        "usual": usual_choices_in(case, number), "tried": [_tried(desk, text, texts, stint_case) for text in texts],
        "misses": corner_presenters.miss_rows(answers.misses_in(case, number)), "shown_line": line, "stint_laps": STINT_LAPS,
        "kept": "".join(f"try={text}&" for text in texts), "note": note,
        "notes_carried": carried(notes.texts(event, [number])), "ways": ways_in(case, number),
        "wishes": [(row, there.get(row.key)) for row in wishes],
        "obstacles": [*map(corner_presenters.bump_row, bumps), *(corner_presenters.kerb_row(kerb, kerb_s) for kerb in kerbs)],
        "map": map_of(
            book, other, [(place.station, place.low_m, place.high_m) for place in places],
            {mark.at_m: mark.key for mark in reversed(book.way.marks)},
        ),
    }  # fmt: skip
    return status


def _whole(text: str | None) -> int:
    return int(text) if text and text.isdecimal() and len(text) < 10 else 0


def _tried(desk: CornerDesk, text: str, texts: list[str], case: Case | None) -> Tried:
    """:param case: to drive a stint in, None where none is asked for"""
    told = told_of(text)
    assert told is not None
    choice = desk.choice(told, spread=True)
    stint = None if case is None or choice.problem else stint_by(case, tuple(desk.orders(told)))
    return Tried(text, choice, "?" + "&".join(f"try={other}" for other in texts if other != text), stint)


@require_GET
def draw(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """What a line drawn by hand comes to, while it is drawn."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "number": number}
    try:
        case = asked.shown_case(event)
        book = desk_in(case, number)
        line = _drawn(request, book, context)
        if line is not None:
            context["path"] = map_of(book, line).other
    except InputError:
        raise Http404 from None
    except ApexError as error:
        context["drawn_problem"] = str(error)
    return render(request, "lap/_drawn.html", context)  # a problem is an answer too: it is asked for while one drags


@require_POST
def ask_line(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """Asks for a line under a wish."""
    event = event_for(request.user, event_id)
    key = request.POST.get("wish", "")[:20]
    case = asked.shown_case(event)
    span = next((span for span in case.spans() if span.number == number), None)
    if span is None:
        raise Http404
    problem, known = "", {offer.key: offer.words for offer in asked.offers(event, case, span)}
    if key not in known:
        problem = f"Line “{key}”: corner {number} has no such wish; expected one of {', '.join(known.values())}."
    elif asked.free_of(case) is None:
        problem = "These need the quickest line first: find it on the Lap bench."
    else:
        try:
            row = tasks.ask_line(event, number, key)
            if row.job is not None and row.job.is_open:
                return redirect("job", row.job.pk)
        except TooMuchWork as error:
            problem = str(error)
    if problem:
        context = {"event": event, "frame": frame(event, "lap"), "number": number, "problem": problem}
        return render(request, "lap/corner.html", context, status=422)
    return redirect("corner", event.pk, number)
