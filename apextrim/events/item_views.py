"""Which items the rules of an event hold, and which they narrow."""

from collections.abc import Mapping

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from apexcore.errors import FileRejected, InputError
from apexcore.vehicle.car import Car
from apexcore.vehicle.limits import Limit
from apextrim.ui.units import shown

from . import actions, facts, queries, signals


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
        limits, problems = _typed(car.model_copy(update={"items": free}), typed)
        if not problems:
            try:
                changed = actions.change_item_rules(event, limits)
            except FileRejected as error:
                problems = error.problems
            else:
                messages.success(request, "Item limits saved." if changed else "Nothing changed.")
                return redirect("item_rules", event.pk)
    else:
        rules = {key: limit for key, limit in event.item_rules.items() if key in {item.key for item in free}}
        texts = {item.key: [shown(item).number(end).replace("−", "-") for end in rules[item.key]] for item in free if item.key in rules}
        typed = {f"low-{key}": low for key, (low, _) in texts.items()} | {f"high-{key}": high for key, (_, high) in texts.items()}
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
        "violations": signals.violations(event),
    }  # fmt: skip
    return render(request, "events/item_rules.html", context, status=422 if problems else 200)
