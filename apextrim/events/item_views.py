"""Which items the rules of an event hold, and which they narrow."""

from collections.abc import Mapping, Sequence

from django.contrib import messages
from django.db import transaction
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from apexcore.errors import FileRejected, InputError
from apexcore.vehicle.car import Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.limits import Limit
from apextrim.ui.meanwhile import carried, merged
from apextrim.ui.units import shown

from . import actions, facts, queries, signals
from .models import Event


def _texts(event: Event, items: Sequence[Item]) -> dict[str, str]:
    """What the page shows of the limits that are stored; an end that is the car's own is empty."""
    return {
        f"{name}-{item.key}": shown(item).number(end).replace("−", "-")
        for item in items
        if item.key in event.item_rules
        for name, end, own in zip(("low", "high"), event.item_rules[item.key], (item.low, item.high), strict=True)
        if end != own
    }


def _sent(event: Event, items: Sequence[Item], data: QueryDict) -> tuple[QueryDict, list[str]]:
    """What was sent, with what others changed meanwhile, and what they changed as well."""
    stored = _texts(event, items)
    names = [f"{end}-{item.key}" for item in items for end in ("low", "high")]
    whole, clashes = merged(data, {name: [stored[name]] if name in stored else [] for name in names})
    called = {f"{end}-{item.key}": f"{item.name}, {words}" for item in items for end, words in (("low", "minimum"), ("high", "maximum"))}
    return whole, [f"{called[name]}: {clash.words}" for name, clash in clashes.items()]


def _typed(car: Car, data: Mapping[str, str]) -> tuple[dict[str, Limit], list[str]]:
    """Limits typed, and what is wrong with them; an empty end is the car's own."""
    limits: dict[str, Limit] = {}
    problems = []
    for item in car.items:
        ends = []
        for name, usual in (("low", item.low), ("high", item.high)):
            text = data.get(f"{name}-{item.key}", "").strip()
            try:
                ends.append(shown(item).typed(text) if text else usual)
            except InputError as error:
                problems.append(str(error))
        if f"held-{item.key}" in data:
            limits[item.key] = (item.base, item.base)
        elif len(ends) == 2 and (ends[0] != item.low or ends[1] != item.high):
            limits[item.key] = (ends[0], ends[1])
    return limits, problems


@require_http_methods(["GET", "POST"])
def item_rules(request: HttpRequest, event_id: int) -> HttpResponse:
    """The list of items with what the rules leave of each."""
    event = queries.event_for(request.user, event_id)
    car = facts.book_car_of(event)
    free = tuple(item for item in car.items if not item.locked)
    problems: list[str] = []
    typed: Mapping[str, str] = request.POST
    if request.method == "POST":
        with transaction.atomic():  # nobody writes between what is compared and what is saved
            event.refresh_from_db(fields=["item_rules"])
            typed, clashes = _sent(event, free, request.POST)
            limits, problems = _typed(car.model_copy(update={"items": free}), typed)
            problems = clashes + problems
            if not problems:
                try:
                    changed = actions.change_item_rules(event, limits)
                except FileRejected as error:
                    problems = error.problems
        if not problems:
            messages.success(request, "Item limits saved." if changed else "Nothing changed.")
            return redirect("item_rules", event.pk)
    else:
        typed = _texts(event, free)
    lines = [
        (
            shown(item),
            shown(item).text(item.low),
            shown(item).text(item.high),
            typed.get(f"low-{item.key}", ""),
            typed.get(f"high-{item.key}", ""),
        )
        for item in free
    ]
    context = {
        "event": event, "frame": queries.frame(event, "brief"), "lines": lines, "errors": problems,
        "violations": signals.violations(event), "carried": carried(
            {name: [text] for name, text in _texts(event, free).items()}, request.method == "POST"
        ),
    }  # fmt: skip
    return render(request, "events/item_rules.html", context, status=422 if problems else 200)
