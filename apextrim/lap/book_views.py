"""The racer's book: the whole of it by way of driving, a corner's page saved, carried from another event, to and from a file."""

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.book_file import BookFile
from apexcore.formats.values_json import read_value, write_value
from apexcore.trim.book.fields import FIELDS, VARIANTS
from apexcore.trim.book.marks import Approach, read_place
from apexcore.trim.book.proposal import BookDesk
from apexcore.trim.corner import Told
from apexcore.trim.drawn import drawn_choice
from apextrim.accounts.owned import asked_for
from apextrim.book import actions
from apextrim.book.models import BookBefore
from apextrim.book.queries import Page, desk_in, driven_page, pages_of, told_by_book
from apextrim.events.models import Event
from apextrim.events.queries import event_for, events_of, frame
from apextrim.modelling import answers
from apextrim.ui.uploads import problems_of, uploaded

from . import asked, book_presenters, corner_views
from .told import told_of


@require_GET
def book(request: HttpRequest, event_id: int) -> HttpResponse:
    """The whole book for a way of driving."""
    return _book(request, event_for(request.user, event_id))


def _book(request: HttpRequest, event: Event, problems: list[str] | None = None) -> HttpResponse:
    variant = corner_views.variant_of(request)
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "lap"), "variant": variant, "way": VARIANTS[variant], "problems": problems or [],
        "variants": VARIANTS.items(), "can_undo": BookBefore.objects.filter(event=event).exists(),
        "others": [other for other in events_of(request.user).filter(circuit=event.circuit).exclude(pk=event.pk) if other.book.exists()],
    }  # fmt: skip
    try:
        case = asked.shown_case(event)
        pages, notes = pages_of(event), {note.number: note for note in event.circuit.notes.all()}
        rows = []
        for span in case.spans():
            desk = desk_in(case, span.number, variant)
            there = pages.get(span.number, {})
            note = notes.get(span.number)
            said = "" if note is None else (note.race if variant == "race" else note.qualifying)
            lost = _lost(desk.way, driven_page(there, variant))
            rows.append(book_presenters.book_line(span, there, variant, desk.proposal(), lost, said))
        driven = answers.variant_in(case, variant)
        told = told_by_book(event, case, variant)
        context |= {"rows": rows, "driven": driven, "told": told, "written": sum(bool(row.yours) for row in rows)}
        if driven is not None and not told.empty:
            context["by_book"] = answers.by_book_in(case, variant, told.orders)
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/book.html", context, status=422 if problems else 200)


def _lost(way: Approach, page: Page) -> list[str]:
    """Places of a page that the circuit has no more."""
    lost = []
    for entered in page.values():
        if entered.at_m is None:
            continue
        try:
            read_place(entered.text, way, "place")
        except InputError:
            lost.append(f"{entered.text} (was at {entered.at_m:.0f} m)")
    return lost


@require_POST
def save(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """Saves a corner's page for a way of driving."""
    event, variant = event_for(request.user, event_id), corner_views.variant_of(request)
    case = asked.shown_case(event)
    if number not in {span.number for span in case.spans()}:
        raise Http404
    typed = {field.key: request.POST[f"yours_{field.key}"][:600] for field in FIELDS if f"yours_{field.key}" in request.POST}
    was = {field.key: request.POST[f"was_{field.key}"] for field in FIELDS if f"was_{field.key}" in request.POST}
    try:
        desk = desk_in(case, number)
        gears = len(desk.desk.lap_case.car.powertrain.gears)
        saved = actions.save_page(event, number, variant, desk.way, gears, typed, was)
    except ApexError as error:
        return corner_views.page(request, event, number, typed=typed, problems={"way": str(error)})
    if saved.problems:
        return corner_views.page(request, event, number, typed=typed, problems=saved.problems)
    fields = f"{saved.changed} field{'s' if saved.changed != 1 else ''}"
    messages.success(request, f"Corner {number}, {VARIANTS[variant]}: {fields} saved." if saved.changed else "Nothing changed.")
    return redirect(f"{reverse('corner', args=[event.pk, number])}?for={variant}#book")


@require_POST
def keep_choice(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """Puts what was tried in a corner into its page."""
    event, variant = event_for(request.user, event_id), corner_views.variant_of(request)
    case = asked.shown_case(event)
    if number not in {span.number for span in case.spans()}:
        raise Http404
    try:
        desk = desk_in(case, number)
        values = _values(desk, request.POST.get("try", ""), request.POST.get("drag", ""))
        changed = actions.put_choice(event, number, variant, desk.way, len(desk.desk.lap_case.car.powertrain.gears), values)
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("corner", event.pk, number)
    undo = reverse("undo_book", args=[event.pk])
    fields = f"{changed} field{'s' if changed != 1 else ''}"
    messages.info(request, f"Corner {number}, {VARIANTS[variant]}: {fields} in your book.", extra_tags=undo)
    return redirect(f"{reverse('corner', args=[event.pk, number])}?for={variant}#book")


@require_POST
def keep_saving(request: HttpRequest, event_id: int) -> HttpResponse:
    """Puts the lifts of a saving into the book for the race."""
    event = event_for(request.user, event_id)
    typed = {span.number: request.POST.get(f"lift_{span.number}", "").strip() for span in asked.shown_case(event).spans()}
    try:
        changed = actions.put_lifts(event, {number: text for number, text in typed.items() if text})
    except ApexError as error:
        messages.error(request, str(error))
        return redirect("lap_costs", event.pk)
    words = f"{changed} corner{'s' if changed != 1 else ''} of your book for the race spare now." if changed else "Nothing changed."
    messages.info(request, words, extra_tags=reverse("undo_book", args=[event.pk]) if changed else "")
    return redirect(f"{reverse('lap_book', args=[event.pk])}?for=race")


def _values(desk: BookDesk, text: str, drag: str) -> dict[str, str]:
    """The fields that something tried in a corner says.

    :raises InputError: if it says nothing, or cannot be driven
    """
    if drag:
        moves = corner_views.moves_of(drag)
        if moves is None:
            raise InputError("line", drag, "five moves in metres")
        choice, line = drawn_choice(desk.desk, desk.circuit, moves)
        if choice.problem:
            raise InputError("line", drag, f"a line that the car can drive: {choice.problem}")
        return desk.on_line(line)
    told = told_of(text)
    if told is None:
        raise InputError("choice", text, "something that was tried on this page")
    return told_fields(told, desk)


def told_fields(told: Told, desk: BookDesk) -> dict[str, str]:
    """What the driver was told as fields of a page."""
    values: dict[str, str] = {}
    if told.through is not None:
        values |= {"throttle": desk.told(desk.technique.turn_in_m), "share": f"{100 * told.through:.0f}"}
    if told.lift_m:
        values |= {"way": "lift", "mark": desk.told((desk.technique.turn_in_m - told.lift_m) % desk.desk.lap_case.line.length_m)}
    if told.braking is not None:
        values["way"] = "lift" if told.braking == 0.0 else "brake"
        if told.braking > 0.0:
            values["brake"] = f"{100 * told.braking:.0f}"
    if told.coast_m:
        values["coast"] = f"{told.coast_m:.0f}"
    if told.gear is not None:
        values["gear"] = str(told.gear)
    if told.opening is not None:
        values["share"] = f"{100 * told.opening:.0f}"
    if told.leaning is not None:
        values["lean"] = f"{100 * told.leaning:.0f}"
    return values


@require_http_methods(["GET", "POST"])
def carry(request: HttpRequest, event_id: int) -> HttpResponse:
    """Another event's book of this circuit beside this one's, and carried over."""
    event = event_for(request.user, event_id)
    there = events_of(request.user).filter(circuit=event.circuit).exclude(pk=event.pk)
    key = request.GET.get("from") or request.POST.get("from") or ""
    other = asked_for(there, key)
    problems: list[str] = []
    if other is None:
        problems = ["No other event of this circuit is named; choose one in the book."]
        context = {"event": event, "frame": frame(event, "lap"), "problems": problems}
        return render(request, "lap/carry_book.html", context, status=422 if request.method == "POST" else 200)
    if request.method == "POST":
        corners = {int(text) for text in request.POST.getlist("corner") if text.isdecimal() and len(text) < 5}
        if not corners:
            problems = ["Tick at least one corner to carry over."]
        else:
            try:
                return _carried(request, event, actions.book_file(other), corners)
            except ApexError as error:
                problems = problems_of(error)
    mine, theirs = pages_of(event), pages_of(other)
    rows = book_presenters.compared(mine, theirs)
    context = {
        "event": event, "frame": frame(event, "lap"), "other": other, "rows": rows, "problems": problems,
        "corners": sorted(theirs), "names": {span.number: span.name for span in asked.shown_case(event).spans()},
    }  # fmt: skip
    return render(request, "lap/carry_book.html", context, status=422 if problems else 200)


def _carried(request: HttpRequest, event: Event, file: BookFile, corners: set[int] | None = None) -> HttpResponse:
    found = actions.carry(event, asked.shown_case(event), file, corners)
    words = f"{found.new} field{'s' if found.new != 1 else ''} added, {found.replaced} replaced."
    if not found.new and not found.replaced:
        words = "The book said all of that already; nothing was changed."
    for moved in found.moved[:8]:
        messages.warning(request, f"{moved[:1].upper()}{moved[1:]}.")
    messages.info(request, words, extra_tags=reverse("undo_book", args=[event.pk]) if found.new or found.replaced else "")
    return redirect("lap_book", event.pk)


@require_GET
def export(request: HttpRequest, event_id: int) -> HttpResponse:
    """The book with its circuit as a file."""
    event = event_for(request.user, event_id)
    headers = {"Content-Disposition": f'attachment; filename="book-{event.circuit.key}.json"'}
    return HttpResponse(write_value(actions.book_file(event)), content_type="application/json", headers=headers)


@require_POST
def bring_in(request: HttpRequest, event_id: int) -> HttpResponse:
    """A book from its file; all or nothing, and the same one again changes nothing."""
    event = event_for(request.user, event_id)
    try:
        return _carried(request, event, read_value(uploaded(request, "a book in JSON"), BookFile, "a book"))
    except FileRejected as error:
        return _book(request, event, error.problems)
    except ApexError as error:
        return _book(request, event, [str(error)])


@require_POST
def undo(request: HttpRequest, event_id: int) -> HttpResponse:
    """Brings the book back as it stood before something was carried into it."""
    event = event_for(request.user, event_id)
    done = actions.undo(event)
    messages.success(request, "The book is back as it stood before." if done else "Nothing to undo.")
    return redirect("lap_book", event.pk)
