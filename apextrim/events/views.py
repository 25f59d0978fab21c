"""The list of events and the brief."""

from typing import Any

from django import forms
from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.core.paginator import Paginator
from django.db import transaction
from django.db.models import Count
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from pydantic import ValidationError

from apexcore.formats.text import problem_of
from apextrim.accounts import tour
from apextrim.accounts.owned import owned, owned_or_404
from apextrim.library.models import Car, Circuit
from apextrim.ui.cautions import CAUTIONS
from apextrim.ui.meanwhile import carried, merged

from . import actions, facts, queries, signals, thread
from .forms import ConditionsForm, EventForm, NowForm, RulesForm, SessionForm
from .models import Event, Session

#: Knots on one page of the whole thread.
_KNOTS_A_PAGE = 200
#: The front page's pictures, which `make screenshots` takes by day and night: what each shows, what it answers, and how.
_FRONT = (
    (
        "sheet", "The Sheet bench: balance on entry, mid-corner and exit of slow, medium and fast corners", "What does one click do?",
        "A model of your car drives your circuit in today's weather: lap time, balance and tyres for every step of the setup, each with "
        "how sure it is.",
    ),
    (
        "verdict", "The Verdicts bench: one sheet against another in seconds a lap, with the interval", "Was it quicker?",
        "Your own laps decide, with fuel, tyre age and the track taken out; where they cannot, it says how many more runs would.",
    ),
    (
        "race", "The Race bench: the best plan with one, two and three stops", "When do I stop?",
        "Tyres, fuel and stops are planned under your rulebook, and planned anew while you race.",
    ),
)  # fmt: skip


@login_not_required
@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """Straight to the events; an account without one is told how to begin, and a stranger what this is."""
    if not request.user.is_authenticated:
        return render(request, "events/front.html", {"demo": settings.DEMO, "benches": _FRONT, "themes": ("day", "night")})
    if queries.events_of(request.user).exists():
        return redirect("events")
    has = {"cars": owned(Car, request.user).exists(), "circuits": owned(Circuit, request.user).exists()}
    return render(request, "events/start.html", has)


@require_GET
def going_on(request: HttpRequest) -> HttpResponse:
    """The bench on which the last thing happened, in the event that has come farthest."""
    event = queries.events_of(request.user).alias(happened=Count("knots")).order_by("-happened", "pk").first()
    last = None if event is None else event.knots.filter(hidden=False).order_by("at", "pk").last()
    return redirect(queries.bench_of(last.kind), event.pk) if event and last else redirect("home")


@require_http_methods(["GET", "POST"])
def events(request: HttpRequest) -> HttpResponse:
    """The events of the racer, and a form for a new one."""
    form = EventForm(request.user, request.POST or None)  # type: ignore[arg-type]
    if request.method == "POST" and form.is_valid():
        first = not queries.events_of(request.user).exists()
        event = actions.create_event(request.user, **form.cleaned_data)  # type: ignore[arg-type]
        if first:
            tour.begin(request.user)  # type: ignore[arg-type]
        signals.event_made.send(Event, event=event)
        return redirect("brief", event.pk)
    status = 422 if form.errors else 200
    rows = list(queries.events_of(request.user))
    names = signals.sheet_names(rows)
    listed = [(row, names.get(row.pk, "")) for row in rows]
    return render(request, "events/events.html", {"events": listed, "form": form}, status=status)


# each with what stands now, also where it was sent: two may have the same open


def _conditions_form(event: Event, sent: QueryDict | None = None) -> ConditionsForm:
    return ConditionsForm(sent, initial=facts.conditions_of(event).model_dump())


def _rules_form(event: Event, sent: QueryDict | None = None) -> RulesForm:
    return RulesForm(facts.book_car_of(event), sent, initial=facts.rules_of(event).model_dump())


def _now_form(event: Event, sent: QueryDict | None = None) -> NowForm:
    now = {"session": event.session, "real_car": "yes" if event.real_car else "no", "driver": event.driver}
    return NowForm(event, sent, initial=now)


def _brief(request: HttpRequest, event: Event, status: int = 200, **forms_given: forms.Form) -> HttpResponse:
    """The brief, with the forms that came back wrong in place of fresh ones."""
    context: dict[str, Any] = {
        "event": event,
        "frame": queries.frame(event, "brief"),
        "car": facts.book_car_of(event),
        "sessions": [(session, carried(_session_texts(session))) for session in event.sessions.all()],
        "session_kinds": Session.KINDS,
        "conditions_form": _conditions_form(event),
        "class_words": facts.class_limits_of(event).words,
        "rules_form": _rules_form(event),
        "now_form": _now_form(event),
        "session_form": SessionForm(),
        "cautions": CAUTIONS if event.real_car else (),
        "panels": signals.panels(event),
        **forms_given,
    }
    return render(request, "events/brief.html", context, status=status)


@require_GET
def brief(request: HttpRequest, event_id: int) -> HttpResponse:
    """The brief of an event."""
    return _brief(request, queries.event_for(request.user, event_id))


@require_POST
def save_conditions(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sets the weather."""
    with transaction.atomic():  # nobody writes between what is compared and what is saved
        event = queries.event_for(request.user, event_id)
        form = _conditions_form(event, request.POST)
        saved = form.is_valid() and actions.change_conditions(event, form.cleaned_data)
    if not form.is_valid():
        return _brief(request, event, 422, conditions_form=form)
    messages.success(request, "Conditions saved; every modelled number now holds for them." if saved else "Nothing changed.")
    return redirect("brief", event.pk)


@require_POST
def save_rules(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sets the race rules."""
    with transaction.atomic():
        event = queries.event_for(request.user, event_id)
        form = _rules_form(event, request.POST)
        try:
            saved = form.is_valid() and actions.change_rules(event, form.cleaned_data)
        except ValidationError as error:  # what the core refuses of the rules as a whole
            for problem in error.errors():
                form.add_error(None, problem_of(problem))
    if not form.is_valid():
        return _brief(request, event, 422, rules_form=form)
    messages.success(request, "Race rules saved." if saved else "Nothing changed.")
    return redirect("brief", event.pk)


@require_POST
def save_now(request: HttpRequest, event_id: int) -> HttpResponse:
    """Sets the session that is on."""
    with transaction.atomic():
        event = queries.event_for(request.user, event_id)
        form = _now_form(event, request.POST)
        if form.is_valid():
            actions.change_now(event, **form.cleaned_data)
    if not form.is_valid():
        return _brief(request, event, 422, now_form=form)
    return redirect("brief", event.pk)


@require_POST
def save_session(request: HttpRequest, event_id: int) -> HttpResponse:
    """Adds a session."""
    event = queries.event_for(request.user, event_id)
    form = SessionForm(request.POST)
    if not form.is_valid():
        return _brief(request, event, 422, session_form=form)
    actions.add_session(event, **form.cleaned_data)
    messages.success(request, f"{form.cleaned_data['name']} added.")
    return redirect("brief", event.pk)


def _session_texts(session: Session) -> dict[str, list[str]]:
    """What the boxes of a session show."""
    return {"name": [session.name], "kind": [session.kind], "starts_at": [session.starts_at.strftime("%Y-%m-%dT%H:%M")]}


@require_POST
def change_session(request: HttpRequest, event_id: int, session_id: int) -> HttpResponse:
    """Renames or moves a session."""
    with transaction.atomic():
        event = queries.event_for(request.user, event_id)
        session = owned_or_404(Session, request.user, event=event, pk=session_id)
        whole, clashes = merged(request.POST, _session_texts(session))
        form = SessionForm(whole)
        problems = [" ".join(map(str, told)) for told in form.errors.values()]
        problems += [f"{form.fields[name].label}: {clash.words}" for name, clash in clashes.items()]
        if not problems:
            actions.change_session(session, **form.cleaned_data)
    if problems:
        for problem in problems:
            messages.error(request, f"{session.name}: {problem}")
        return redirect(f"{reverse('brief', args=[event.pk])}#sessions")
    messages.success(request, f"{session.name} saved.")
    return redirect(f"{reverse('brief', args=[event.pk])}#sessions")


@require_GET
def whole_thread(request: HttpRequest, event_id: int) -> HttpResponse:
    """Everything that happened, a page at a time; the newest page first."""
    event = queries.event_for(request.user, event_id)
    pages = Paginator(event.knots.filter(hidden=False), _KNOTS_A_PAGE)
    page = pages.get_page(request.GET.get("page") or pages.num_pages)
    context = {"event": event, "frame": queries.frame(event, ""), "page": page, "knots": thread.drawn(event, page.object_list)}
    return render(request, "events/thread.html", context)
