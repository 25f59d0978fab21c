"""One corner: how it is driven, what it costs to drive it otherwise, lines under a wish, and misses; and what a lap's misses and
savings come to."""

from dataclasses import dataclass
from typing import Any

from django import forms
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apexcore.trim.corner import Choice, CornerDesk, Told
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.sheets.queries import sheet_in_car
from apextrim.ui.circuit_map import corner_map, map_view
from apextrim.ui.fields import QuantityField
from apextrim.work.queue import TooMuchWork

from . import asked, corner_presenters, tasks
from .models import AskedLine

#: Choices that stand side by side at most.
_MOST_TRIED = 3


class ToldForm(forms.Form):
    """What the driver is told to do otherwise in a corner."""

    brake = QuantityField("%", 0, 100, required=False, decimals=0, label="Brake to, of the most (0: lift only)")
    coast = QuantityField("m", 0, 300, required=False, decimals=0, label="Roll before the brakes")
    gear = QuantityField("", 1, 10, required=False, whole=True, label="Hold gear")
    open = QuantityField("%", 0, 100, required=False, decimals=0, label="Throttle to, until the corner ends")
    lean = QuantityField("%", 5, 100, required=False, decimals=0, label="Lean on, of the grip across")

    def told(self) -> Told:
        """The order of a valid form."""
        v = self.cleaned_data
        share = {key: None if v[key] is None else v[key] / 100.0 for key in ("brake", "open", "lean")}
        return Told(share["brake"], share["open"], v["coast"], None if v["gear"] is None else int(v["gear"]), share["lean"])


@dataclass(frozen=True)
class Tried:
    """A choice that the racer asked for.

    :param without: address of the page without it
    """

    choice: Choice
    without: str


def told_text(told: Told) -> str:
    """An order as an address carries it."""
    parts = (
        ("b", told.braking, 100), ("o", told.opening, 100), ("c", told.coast_m, 1), ("g", told.gear, 1), ("l", told.leaning, 100)
    )  # fmt: skip
    return "-".join(f"{key}{value * times:.0f}" for key, value, times in parts if value is not None)


def told_of(text: str) -> Told | None:
    """The order of an address; None where it says nothing that can be told."""
    names = {"b": "brake", "o": "open", "c": "coast", "g": "gear", "l": "lean"}
    pairs = [(part[:1], part[1:]) for part in text[:60].split("-") if part]
    if any(key not in names for key, _ in pairs):
        return None
    form = ToldForm({names[key]: value for key, value in pairs})
    if not form.is_valid():
        return None
    told = form.told()
    return None if told.empty else told


@require_GET
def corner(request: HttpRequest, event_id: int, number: int) -> HttpResponse:
    """One corner's page."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap"), "number": number}
    status = 200
    try:
        status = _fill(request, event, number, context)
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/corner.html", context, status=status)


def _fill(request: HttpRequest, event: Event, number: int, context: dict[str, Any]) -> int:
    """Everything on the page; the status it is answered with."""
    case = asked.shown_case(event)
    lap_case, spans, circuit = case.lap_case(), case.spans(), parsed_circuit(case.circuit)
    place = next((k for k, span in enumerate(spans) if span.number == number), None)
    if place is None:
        raise Http404
    span, answer = spans[place], answers.answer_in(case)
    desk = CornerDesk(lap_case, case.sheet(), answer.lap, spans, number, 0.5 * circuit.width_m)
    technique = desk.technique()
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
    line = AskedLine.objects.filter(event=event, corner=number, pk=_whole(request.GET.get("line"))).exclude(offsets_m=[]).first()
    other = None if line is None else asked.line_of(line, circuit)
    lap = answer.lap
    note = event.circuit.notes.filter(number=number).first()
    context |= {
        "span": span, "before": spans[place - 1], "after": spans[(place + 1) % len(spans)], "technique": technique,
        "quickest": bool(case.line), "form": form, "fields": list(form), "texts": texts,
        "usual": desk.usual_choices(), "tried": [_tried(desk, text, texts) for text in texts],
        "misses": corner_presenters.miss_rows(answers.misses_in(case, number)), "shown_line": line,
        "kept": "".join(f"try={text}&" for text in texts), "wishes": corner_presenters.wish_rows(asked.offers(event, case, span)),
        "note": note,
        "map": corner_map(
            circuit, lap_case.line, span, lap.column("brake"), lap.column("throttle"), corner_presenters.places(technique), other
        ),
    }  # fmt: skip
    return status


def _whole(text: str | None) -> int:
    return int(text) if text and text.isdecimal() and len(text) < 10 else 0


def _tried(desk: CornerDesk, text: str, texts: list[str]) -> Tried:
    told = told_of(text)
    assert told is not None
    return Tried(desk.choice(told), "?" + "&".join(f"try={other}" for other in texts if other != text))


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
        problem = "Lines are made beside the quickest line: find that one on the Lap bench first."
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


@require_GET
def card(request: HttpRequest, event_id: int) -> HttpResponse:
    """The whole lap on one page, to print and to read in the paddock."""
    event = event_for(request.user, event_id)
    way = "race" if request.GET.get("for") == "race" else "qualifying"
    context: dict[str, Any] = {"event": event, "frame": frame(event, "lap"), "way": way, "row": sheet_in_car(event)}
    try:
        case = asked.shown_case(event)
        lap_case, spans, circuit = case.lap_case(), case.spans(), parsed_circuit(case.circuit)
        lap = answers.answer_in(case).lap
        notes = {note.number: getattr(note, way) for note in event.circuit.notes.all()}
        half = 0.5 * circuit.width_m
        desks = [CornerDesk(lap_case, case.sheet(), lap, spans, span.number, half) for span in spans]
        misses = {row.span.number: row.worst_s for row in corner_presenters.ranked_misses(answers.misses_in(case), spans)}
        context |= {
            "lap": lap, "map": map_view(circuit, lap_case.line, spans, lap.column("brake"), lap.column("throttle")),
            "rows": [corner_presenters.card_row(desk.technique(), notes.get(desk.span.number, ""), misses) for desk in desks],
        }  # fmt: skip
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "lap/card.html", context)


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
        context["rows"] = corner_presenters.ranked_misses(answers.misses_in(case), spans)
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
