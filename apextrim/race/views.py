"""The race bench."""

from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError, NoLegalPlan
from apexcore.race.length import length_words
from apexcore.race.weather import crossover, wetness
from apextrim.accounts.owned import owned_or_404
from apextrim.events import facts
from apextrim.events.actions import change_rules
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases

from . import actions, card, gap_presenters, odds, presenters, queries
from .models import KeptPlan


def _bench(request: HttpRequest, event: Event, problem: str = "") -> HttpResponse:
    car = cases.car_of(event)
    context: dict[str, Any] = {
        "event": event,
        "frame": frame(event, "race"),
        "car": car,
        "rules": facts.rules_of(event),
        "problem": problem,
        "last_race": event.races.last(),
    }
    context["compulsory"] = [compound.name for compound in car.tyres.compounds if compound.key in context["rules"].compulsory]
    try:
        by_book = (request.GET.get("book") or request.POST.get("book")) == "race"
        view = queries.race_view(event, by_book)
        context["race_book"] = view.by_book or queries.by_race_book(event)
    except NoLegalPlan as error:
        context["collisions"] = error.collisions
    except ApexError as error:
        context["problem"] = str(error)
    else:
        plans = presenters.plan_views(view, view.by_stops, car)
        context |= {
            "view": view,
            "plans": plans,
            "others": presenters.plan_views(view, view.others, car),
            "fuel_rows": presenters.fuel_rows(
                view.by_stops[0].plan, view.pace.pace.fuel_l_per_lap, view.rules.formation_laps * view.pace.pace.fuel_l_per_lap
            ),
            "fuel_grid": presenters.fuel_grid(
                view.by_stops[0].plan, view.pace.pace, view.rules.formation_laps * view.pace.pace.fuel_l_per_lap, view.rules.tank_l
            ),
            "doubts": [*presenters.doubts(plans), *_further(view)],
            "crossover": crossover(view.rules),
            "wet_laps": int((wetness(view.rules, view.rules.laps) > 0.5).sum()),
            "length": length_words(facts.rules_of(event)),
            "lost": gap_presenters.lost_picture(view.rules, view.pace.pace, [(plan.title, plan.ranked.plan) for plan in plans]),
            "axis": presenters.lap_axis(view.rules.laps),
            "estimates": presenters.estimate_rows(view, car),
            "kept_list": event.plans.order_by("-made_at"),
        }
        if view.rules.heats > 1:
            try:
                context["heats"] = gap_presenters.heat_rows(queries.heats_of(view.rules, view.pace.pace), car)
            except ApexError as error:
                context["heats_problem"] = str(error)
        if view.rules.mixed:
            rows = gap_presenters.pair_rows(view, car, queries.pair_readings_of(event))
            context |= {"pairs": rows, "stable": gap_presenters.stable_against_quick(rows)}
    return render(request, "race/bench.html", context, status=422 if problem else 200)


def _further(view: queries.RaceView) -> list[str]:
    """Why fewer or more stops are not among the plans, and what an owed stop that waits would drive."""
    late = queries.late_of(view.rules, view.pace.pace)
    said = presenters.fewer_words(view), presenters.slower_words(view), presenters.late_words(late, view.rules)
    return [words for words in said if words]


def _reverses(view: queries.RaceView) -> list[presenters.ReverseRow]:
    """What would turn the order of the two best numbers of stops."""
    if len(view.by_stops) < 2:
        return []
    better, other = (ranked.plan.stops for ranked in view.by_stops[:2])
    return presenters.reverse_rows(view, queries.turning(view.rules, view.pace.pace, better, other))


@require_GET
def bench(request: HttpRequest, event_id: int) -> HttpResponse:
    """The best plan of each number of stops."""
    return _bench(request, event_for(request.user, event_id))


#: Laps times stops up to which a page says what a rule costs and which run decides.
_LONG = 8000


@require_GET
def turns(request: HttpRequest, event_id: int) -> HttpResponse:
    """The part of the bench that takes the longest: what would turn the plans, what rules cost, and which run decides."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event}
    shown = "race/_turns.html" if request.headers.get("HX-Request") else "race/turns.html"
    if shown == "race/turns.html":
        context["frame"] = frame(event, "race")
    try:
        view, car = queries.race_view(event, request.GET.get("book") == "race"), cases.car_of(event)
    except ApexError as error:
        return render(request, shown, context | {"problem": str(error)})
    rules, pace = view.rules, view.pace.pace
    plans = presenters.plan_views(view, view.by_stops[:2], car)
    context |= {"plans": plans, "reverses": _reverses(view), "long": rules.laps * rules.most_stops > _LONG}
    if not context["long"]:
        context["rid"] = presenters.rid_words(queries.rid_of(rules, pace), view.by_stops[0].plan.time_s, car)
        context["prices"] = gap_presenters.price_rows(queries.priced(rules, pace), car)
        if len(view.by_stops) > 1:
            better, other = (ranked.plan.stops for ranked in view.by_stops[:2])
            context["next_run"] = gap_presenters.next_words(queries.next_run(rules, view.pace, better, other), car)
    return render(request, shown, context)


@require_POST
def keep(request: HttpRequest, event_id: int) -> HttpResponse:
    """Keeps the best plan with a given number of stops."""
    event = event_for(request.user, event_id)
    try:
        plans = {str(ranked.plan.stops): ranked.plan for ranked in queries.race_view(event, request.POST.get("book") == "race").by_stops}
    except ApexError:
        return _bench(request, event)
    plan = plans.get(request.POST.get("stops", ""))
    if plan is None:
        return _bench(request, event, f"stops: there is no such plan; expected one of {', '.join(sorted(plans))}.")
    row = actions.keep_plan(event, plan)
    messages.success(request, "Plan saved to the thread.")
    return redirect("kept_plan", event.pk, row.pk)


@require_POST
def leave_out(request: HttpRequest, event_id: int) -> HttpResponse:
    """Leaves the nervous pairs out of the race's plans."""
    event = event_for(request.user, event_id)
    try:
        readings = queries.pair_readings_of(event)
    except ApexError:
        return _bench(request, event)
    change_rules(
        event, {**facts.rules_of(event).model_dump(), "barred": queries.barred_with(event, [one.key for one in readings if one.nervous])}
    )
    messages.success(request, "Nervous pairs are left out of the plans. The Brief lists what is not used.")
    return redirect("race_bench", event.pk)


@require_GET
def kept(request: HttpRequest, event_id: int, plan_id: int) -> HttpResponse:
    """A plan as it was kept."""
    event = event_for(request.user, event_id)
    row = owned_or_404(KeptPlan, request.user, event=event, pk=plan_id)
    car = cases.car_of(event)
    stints = [(gap_presenters.tyre_names(car, key)[0], laps, fuel) for key, laps, fuel, *_ in row.stints]
    context: dict[str, Any] = {"event": event, "frame": frame(event, "race"), "row": row, "stints": stints}
    try:
        view = queries.race_view(event)
        context["card"] = card.card_of(row, view, car, _reverses(view), odds.driver(queries.driver_of(event)))
    except ApexError as error:  # the plan stands as it was kept
        context["problem"] = str(error)
    return render(request, "race/kept.html", context)
