"""The sheet bench."""

from collections.abc import Sequence
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.values_json import write_sheet
from apexcore.quantities.lexicon import entry_of_lever
from apexcore.trim.figures.gearing import shifts
from apexcore.trim.moves.aims import AIMS
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.moves.why import why
from apexcore.vehicle.limits import clamped, violations
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import adjusted, base_sheet, differences
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import answers, cases
from apextrim.ui.units import shown, told
from apextrim.ui.uploads import uploaded

from . import actions, presenters, queries
from .models import Sheet
from .proposed import read_proposed
from .queries import sheet_in_car
from .sheet_form import SheetForm, reason_of


def _answered(event: Event, saved: CoreSheet, now: CoreSheet) -> presenters.AnswerView:
    return presenters.answer_view(answers.answer_of(event, now), answers.answer_of(event, saved))


def _bench(
    request: HttpRequest,
    event: Event,
    row: Sheet | None,
    form: SheetForm | None = None,
    errors: list[str] | None = None,
    refused: Sequence[str] = (),
) -> HttpResponse:
    """The bench; with what was typed where a form came back wrong."""
    car, saved = cases.car_of(event), queries.core_sheet(event, row)
    typed, wrong = (form.typed, form.errors) if form else ({}, {})
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "sheet"),
        "car": car,
        "row": row,
        "sheets": queries.sheet_tree(event),
        "groups": presenters.item_groups(car, saved.values, typed, wrong),
        "reason": request.POST.get("reason", ""),
        "seen": request.POST.get("seen") or max((sheet.number for sheet in event.sheets.all()), default=0),
        "errors": errors or [],
        "refused": refused,
        "phases": ("entry", "mid", "exit"),
        "shape": presenters.shape_of(car),
        "aims": [(key, goal.words) for key, goal in AIMS.items()],
        "outside": violations(car, saved),
        "broken": queries.class_breaches(event, saved) if row else (),
        "proposed": form is not None and request.method == "GET",
    }
    now = form.sheet if form and form.sheet else saved
    try:
        context["view"] = _answered(event, saved, now)
        context["kept"] = queries.class_kept(event, now)
    except ApexError as error:
        context["problem"] = str(error)
    return render(request, "sheets/bench.html", context, status=422 if errors else 200)


@require_GET
def bench(request: HttpRequest, event_id: int) -> HttpResponse:
    """The bench with one sheet on it."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, request.GET.get("sheet"))
    form, refused = _proposed(event, row, request.GET.getlist("set"))
    return _bench(request, event, row, form, refused=refused)


def _proposed(event: Event, row: Sheet | None, asked: list[str]) -> tuple[SheetForm | None, tuple[str, ...]]:
    """The sheet with values that an advice or the item limits propose, unsaved, None where nothing is proposed; and what of
    them was refused."""
    car, saved = cases.car_of(event), queries.core_sheet(event, row)
    if violations(car, saved):
        saved = clamped(car, saved)
    elif not asked:
        return None, ()
    proposed = read_proposed(car, saved, asked)
    unchanged = {item.key: shown(item).number(saved.values[item.key]) for item in car.items}
    return SheetForm(car, {**unchanged, **proposed.typed}), proposed.refused


@require_POST
def answer(request: HttpRequest, event_id: int) -> HttpResponse:
    """What the values typed would do; changes nothing."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, request.POST.get("sheet"))
    form = SheetForm(cases.car_of(event), request.POST)
    context: dict[str, Any] = {
        "event": event, "errors": list(form.errors.values()), "phases": ("entry", "mid", "exit"), "moved": form.moved,
    }  # fmt: skip
    if form.sheet is not None:
        try:
            context["view"] = _answered(event, queries.core_sheet(event, row), form.sheet)
            context["kept"] = queries.class_kept(event, form.sheet)
        except ApexError as error:
            context["problem"] = str(error)
    return render(request, "sheets/_answer.html", context)


@require_POST
def effect(request: HttpRequest, event_id: int) -> HttpResponse:
    """What one step either way of the value in focus would do; its own request, so that the answer need not wait for it."""
    event = event_for(request.user, event_id)
    car = cases.car_of(event)
    form = SheetForm(car, request.POST)
    items = [item for item in car.items if item.key == request.POST.get("focused")]
    context: dict[str, Any] = {}
    if items and form.sheet is None:
        context["hint"] = "Correct the marked value to see its steps."
    elif items and form.sheet is not None:
        try:
            context |= {"shown": shown(items[0]), "word": entry_of_lever(items[0].sets)}
            case = cases.case_of(event, form.sheet)
            spans = case.spans()
            context["effects"] = step_effects(case.lap_case(), form.sheet, items, answers.answer_in(case).lap, spans, case.other_lines())
            context["effects"] = [(effect, why(effect, spans)) for effect in context["effects"]]
        except ApexError as error:
            context["hint"] = str(error)
    return render(request, "sheets/_effect.html", context)


@require_POST
def save(request: HttpRequest, event_id: int) -> HttpResponse:
    """Saves what was typed as a new sheet."""
    event = event_for(request.user, event_id)
    row = queries.sheet_for(request.user, event, request.POST.get("sheet"))
    form = SheetForm(cases.car_of(event), request.POST)
    errors = list(form.errors.values())
    reason = ""
    try:
        reason = reason_of(request.POST)
    except InputError as error:
        errors.append(str(error))
    if form.sheet is None or errors:
        return _bench(request, event, row, form, errors)
    if row is not None and not differences(form.car, queries.core_sheet(event, row), form.sheet):
        return _bench(request, event, row, form, [f"No change from {row.name}: nothing to save."])
    meanwhile = event.sheets.filter(number__gt=int(seen)) if (seen := request.POST.get("seen", "")[:8]).isdigit() else ()
    others = " and ".join(row.name for row in meanwhile)
    saved = actions.save_sheet(event, form.sheet, row, reason)
    where = "It is the first, and in the car." if saved.in_car else "It is not in the car until you put it there."
    messages.success(request, " ".join([f"{saved.name} is saved. {where}", *form.moved[:4]]))
    if others:
        messages.warning(
            request,
            f"{others} {'were' if ' and ' in others else 'was'} saved in another window meanwhile. {saved.name} does not include those"
            " changes; every sheet is kept.",
        )
    return redirect(f"{reverse('sheet_bench', args=[event.pk])}?sheet={saved.pk}")


@require_POST
def first(request: HttpRequest, event_id: int) -> HttpResponse:
    """The base sheet as the event's first, so that runs can be logged at once."""
    event = event_for(request.user, event_id)
    if not event.sheets.exists():
        saved = actions.save_sheet(event, base_sheet(cases.car_of(event)), None, "The base sheet, as the car comes")
        messages.success(request, f"{saved.name} is saved: the base sheet. It is in the car.")
    return redirect(f"{reverse('runs_bench', args=[event.pk])}#run_laps")


@require_POST
def fork(request: HttpRequest, event_id: int) -> HttpResponse:
    """A sheet for qualifying, race or practice, made from another, with its own fuel."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=request.POST.get("sheet", ""))
    purpose = request.POST.get("purpose", "")
    try:
        made = actions.fork_sheet(event, row, purpose)
    except ApexError as error:
        return _bench(request, event, row, None, [str(error)])
    messages.success(request, f"{made.name} is saved: {made.reason}")
    return redirect(f"{reverse('sheet_bench', args=[event.pk])}?sheet={made.pk}")


@require_POST
def in_car(request: HttpRequest, event_id: int) -> HttpResponse:
    """Puts a saved sheet into the car."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=request.POST.get("sheet", ""))
    actions.put_in_car(event, row)
    messages.success(request, f"{row.name} is in the car.")
    for words in violations(cases.car_of(event), queries.core_sheet(event, row)):
        messages.warning(request, f"{row.name} is outside the rules of this event. {words}.")
    for words in queries.class_breaches(event, queries.core_sheet(event, row)):
        messages.warning(request, f"{row.name} is outside the class limits. {told(words[0].upper() + words[1:])}.")
    return redirect(f"{reverse('sheet_bench', args=[event.pk])}?sheet={row.pk}")


@require_GET
def difference(request: HttpRequest, event_id: int) -> HttpResponse:
    """Two or three sheets item by item, with the modelled effect of each difference and of all together."""
    event = event_for(request.user, event_id)
    first = queries.sheet_for(request.user, event, request.GET.get("a"))
    second = queries.sheet_for(request.user, event, request.GET.get("b"))
    third = queries.sheet_for(request.user, event, request.GET["c"]) if request.GET.get("c") else None
    car = cases.car_of(event)
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "sheet"),
        "first": first,
        "second": second,
        "third": third,
        "sheets": event.sheets.all(),
    }
    if first is not None and second is not None:
        a = queries.core_sheet(event, first)
        try:
            context["pairs"] = [
                (other, presenters.difference_rows(differences(car, a, b), queries.single_effects(event, a, b)), _answered(event, a, b))
                for other in (second, third)
                if other is not None
                for b in (queries.core_sheet(event, other),)
            ]
        except ApexError as error:
            context["problem"] = str(error)
    return render(request, "sheets/difference.html", context)


@require_POST
def import_file(request: HttpRequest, event_id: int) -> HttpResponse:
    """A sheet from a JSON file."""
    event = event_for(request.user, event_id)
    try:
        saved, new = actions.import_sheet(event, uploaded(request, "a sheet in JSON"))
    except FileRejected as error:
        return _bench(request, event, sheet_in_car(event), None, error.problems)
    except ApexError as error:
        return _bench(request, event, sheet_in_car(event), None, [str(error)])
    messages.success(request, f"{saved.name} is imported." if new else f"This sheet is there already as {saved.name}; nothing was added.")
    return redirect(f"{reverse('sheet_bench', args=[event.pk])}?sheet={saved.pk}")


@require_GET
def export_file(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """The sheet as JSON."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    text = write_sheet(queries.core_sheet(event, row), row.name, row.reason)
    return HttpResponse(
        text, content_type="application/json", headers={"Content-Disposition": f'attachment; filename="{event.car.key}-{row.name}.json"'}
    )


@require_GET
def card(request: HttpRequest, event_id: int, sheet_id: int) -> HttpResponse:
    """The sheet as one page to print and take to the car."""
    event = event_for(request.user, event_id)
    row = owned_or_404(Sheet, request.user, event=event, pk=sheet_id)
    car = cases.car_of(event)
    stands = sheet_in_car(event)
    standing = queries.core_sheet(event, stands)
    now = queries.core_sheet(event, row)
    changed = {} if row.in_car else {d.item.key: shown(d.item).text(d.before) for d in differences(car, standing, now)}
    groups = [
        (group.place, group.title, [(view, changed.get(view.item.key, "")) for view in group.items])
        for group in presenters.item_groups(car, row.values, {}, {})
        if group.items
    ]
    ratios = shifts(adjusted(car, now))
    context = {"event": event, "row": row, "groups": groups, "changed": changed, "shifts": ratios, "frame": frame(event, "sheet")}
    context |= {"stands": stands, "places": event.car.places.all()}
    return render(request, "sheets/card.html", context)
