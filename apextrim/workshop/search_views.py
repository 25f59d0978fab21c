"""A search for a better sheet: asked, watched, stopped, and read."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from apexcore.trim.moves.search import AIM_WORDS
from apexcore.trim.reading.bounds import BOUNDS
from apexcore.vehicle.car import Car
from apexcore.vehicle.items import Item
from apextrim.accounts.owned import owned_or_404
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases
from apextrim.sheets import queries
from apextrim.sheets.models import Sheet
from apextrim.ui.fields import QuantityField
from apextrim.work import queue
from apextrim.work.queries import waits_for
from apextrim.work.queue import TooMuchWork

from . import search_presenters as presenters
from . import tasks
from .class_presenters import class_view
from .drivable import offered
from .models import Search
from .search_stairs import search_stairs


def _usual(item: Item) -> bool:
    """Whether an item is free in a search unless the racer says otherwise: what the rules or the race decide is not."""
    return item.tunes_lap and not item.sets.startswith(
        ("fuel_l", "ballast", "mass.driver", "powertrain.map", "powertrain.gears", "powertrain.restrictor")
    )


class SearchForm(forms.Form):
    """The aim, what must not get worse, and which items are free."""

    aim = forms.ChoiceField(choices=[(key, words) for key, words in AIM_WORDS.items()], label="Best for")
    laps = QuantityField("", 4, 40, whole=True, label="Stint length, laps")
    top = QuantityField("km/h", 0, 60, required=False, label="Lose no more top speed than")
    entry = QuantityField("%", 0, 20, required=False, label="Add no more entry oversteer than")
    work = QuantityField("%", 0, 100, required=False, label="Add no more work to the hardest-worked tyre than")
    items = forms.MultipleChoiceField(widget=forms.CheckboxSelectMultiple, label="Free items")
    eased = forms.MultipleChoiceField(choices=[(key, bound.may) for key, bound in BOUNDS.items()], required=False, label="May be eased")

    def __init__(self, car: Car, data: Any) -> None:
        super().__init__(data)
        free = [item for item in car.items if item.tunes_lap]
        field = self.fields["items"]
        assert isinstance(field, forms.MultipleChoiceField)
        field.choices = [(item.key, item.name) for item in free]
        field.error_messages["required"] = "Free items: none is chosen; expected at least one."

    def options(self) -> dict[str, Any]:
        """What the worker needs, in SI, of a valid form."""
        values = self.cleaned_data
        return {
            "items": values["items"], "laps": values["laps"],
            "top_ms": None if values["top"] is None else values["top"] / 3.6,
            "eased": values["eased"], "entry_pct": values["entry"], "work": None if values["work"] is None else values["work"] / 100.0,
        }  # fmt: skip


@require_http_methods(["GET", "POST"])
def ask(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """What to search for; starts it."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car = cases.car_of(event)
    usual = {"aim": "lap", "laps": "12", "top": "", "entry": "", "work": "", "items": [item.key for item in car.items if _usual(item)]}
    form = SearchForm(car, request.POST if request.method == "POST" else usual)
    if request.method == "POST" and form.is_valid():
        new = Search(event=event, sheet=row, aim=form.cleaned_data["aim"], options=form.options(), made_at=timezone.now())
        try:
            return redirect("search", event.pk, tasks.ask(new).pk)
        except TooMuchWork as error:
            form.add_error(None, str(error))
    chosen = set(request.POST.getlist("items") if request.method == "POST" else usual["items"])
    ticks = [(key, words, key in chosen) for key, words in form.fields["items"].choices]  # type: ignore[attr-defined]
    asked = [form[name] for name in ("aim", "laps", "top", "entry", "work")]
    eased = request.POST.getlist("eased")
    wrong = form["items"].errors if request.method == "POST" else []
    earlier = event.searches.select_related("sheet", "job")[:8]
    context = {
        "event": event, "frame": frame(event, "sheet"), "row": row, "form": form, "ticks": ticks, "fields": asked, "item_errors": wrong,
        "earlier": earlier, "bounds": offered(eased), "eased": eased,
    }  # fmt: skip
    return render(request, "workshop/search_ask.html", context, status=422 if request.method == "POST" else 200)


def _context(request: HttpRequest, event_id: int, search_id: int) -> dict[str, Any]:
    event = event_for(request.user, event_id)
    row = owned_or_404(Search, request.user, "sheet", "job", event=event, pk=search_id)
    context: dict[str, Any] = {"event": event, "search": row, "sheet": row.sheet, "aim": AIM_WORDS[row.aim], "job": row.job}
    if row.job.state == "waiting":
        context["waits"] = waits_for(row.job)
    context["of_class"] = bool(row.options.get("of_class"))
    context["again"] = reverse("class_search" if context["of_class"] else "search_sheet", args=[event.pk, row.sheet_id])
    if row.result is not None and context["of_class"]:
        found = class_view(row.result, row.aim, cases.car_of(event), queries.core_sheet(event, row.sheet), row.sheet.name)
        context["found"] = context["class"] = found
    elif row.result is not None:
        view = presenters.search_view(row.result, row.aim, cases.car_of(event), queries.core_sheet(event, row.sheet))
        bench = reverse("sheet_bench", args=[event.pk]) + f"?sheet={row.sheet.pk}"
        changes = [(one.name, one.steps, one.gain, bench + one.query) for one in view.rows]
        context |= {"found": view, "stairs": search_stairs(changes, view.unit, row.aim == "top")}
    return context


@require_GET
def show(request: HttpRequest, event_id: int, search_id: int) -> HttpResponse:
    """A search under way or its result."""
    context = _context(request, event_id, search_id)
    return render(request, "workshop/search.html", {**context, "frame": frame(context["event"], "sheet")})


@require_GET
def part(request: HttpRequest, event_id: int, search_id: int) -> HttpResponse:
    """The part of the page that is asked for again while a search runs."""
    return render(request, "workshop/_search.html", _context(request, event_id, search_id))


@require_POST
def stop(request: HttpRequest, event_id: int, search_id: int) -> HttpResponse:
    """Asks a search to stop; the best so far is kept."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Search, request.user, "job", event=event, pk=search_id)
    queue.stop(row.job)
    return redirect("search", event.pk, row.pk)
