"""The verdicts bench: the sentence first, then the evidence."""

from contextlib import suppress
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from apexcore.errors import ApexError
from apextrim.accounts.owned import owned_or_404
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.runs.queries import tyre_names

from . import actions, presenters, queries
from .forms import ASKED, JudgeForm
from .models import KeptVerdict
from .sides import EVERY, SEVERAL, SHEET, Kind, kinds_of

#: Where a session keeps what was compared last in each event, and of how many.
_ASKED_LAST, _MOST_EVENTS = "compared", 20
#: Pairs of sheets that are tried for the first view.
_MOST_TRIED = 4


def _first_choice(request: HttpRequest, event: Event, kinds: list[Kind]) -> tuple[JudgeForm, queries.Judged | None] | None:
    """What was compared last in this visit; else the newest pair of sheets that have laps to tell them apart, the older as A: with its
    verdict, where any of those that were tried has one. None with fewer than two driven sheets."""
    known = request.session.get(_ASKED_LAST, {}).get(str(event.pk))
    if known and (judged := _verdict(event, form := JudgeForm(kinds, known))):
        return form, judged
    pairs = queries.pairs_worth_comparing(event)
    forms = [JudgeForm(kinds, {"by": SHEET, "a": str(a.pk), "b": str(b.pk)}) for a, b in pairs[:_MOST_TRIED]]
    for form in forms:
        if judged := _verdict(event, form):
            return form, judged
    return (forms[0], None) if forms else None


def _verdict(event: Event, form: JudgeForm) -> queries.Judged | None:
    """The verdict of two sides; None where there is none yet."""
    with suppress(ApexError):
        if form.is_valid() and isinstance(judged := _judged(event, form), queries.Judged):
            return judged
    return None


def _judged(event: Event, form: JudgeForm) -> queries.Judged | queries.NotYet:
    """The verdict of two sides.

    :raises ApexError: if the vehicle model, which gives the priors, has no lap
    """
    values, names = form.cleaned_data, dict(form.kind.sides)
    sides = values["a"], values["b"]
    return queries.judged_sides(event, form.kind.key, sides, (names[sides[0]], names[sides[1]]), values["margin"], values["trust"])


def _remember(request: HttpRequest, event: Event, values: dict[str, Any]) -> None:
    """What was compared, for the next visit of the bench."""
    known = request.session.get(_ASKED_LAST, {})
    known.pop(str(event.pk), None)
    asked = {name: str(values[name]) for name in ASKED}
    request.session[_ASKED_LAST] = dict([*known.items(), (str(event.pk), asked)][-_MOST_EVENTS:])


def _judge(request: HttpRequest, event: Event, data: Any) -> tuple[dict[str, Any], int]:
    """The bench's context for a choice of sheets, and the status."""
    context: dict[str, Any] = {"event": event, "frame": frame(event, "verdicts"), "kept_list": event.verdicts.order_by("-made_at")}
    kinds = kinds_of(event)
    if "by" in data or "a" in data:
        first: tuple[JudgeForm, queries.Judged | None] | None = (JudgeForm(kinds, _sides_for(kinds, data)), None)
    else:
        first = _first_choice(request, event, kinds)
    if first is None:
        context["too_few"] = len(kinds) < 2
        context["form"] = JudgeForm(kinds, {} if not context["too_few"] else None)
        return context, 200
    form, known = first
    context["form"] = form
    if not form.is_valid():
        return context, 422
    values = form.cleaned_data
    names = dict(form.kind.sides)
    try:
        if form.kind.key == SEVERAL:
            return _several(context, queries.judged_several(event, values["margin"], values["trust"])), 200
        sides = values["a"], values["b"]
        if sides[1] == EVERY:
            return _several(context, queries.judged_every(event, form.kind.key, sides[0], names, values["margin"], values["trust"])), 200
        judged = known or _judged(event, form)
    except ApexError as error:
        context["problem"] = str(error)
        return context, 200
    context |= {"a": names[sides[0]], "b": names[sides[1]], "values": values}
    if isinstance(judged, queries.NotYet):
        context["missing"] = judged.why
        return context, 200
    if "a" in data:
        _remember(request, event, values)
    context |= {
        "judged": judged,
        "interval": presenters.interval_picture(judged.verdict),
        "evidence": presenters.evidence_picture(judged),
        "taken_out": presenters.taken_out(judged, tyre_names(event)),
        "corners_query": urlencode({name: values[name] for name in ASKED}),
    }
    return context, 200


def _sides_for(kinds: list[Kind], data: Any) -> dict[str, str]:
    """What was asked for; where the kind of difference was changed, its first two sides."""
    asked = {name: str(data.get(name, "")) for name in ASKED}
    kind = next((kind for kind in kinds if kind.key == (asked["by"] or SHEET)), None)
    keys = [key for key, _ in kind.sides] if kind else []
    if kind and len(keys) > 1 and kind.key != SHEET and asked["a"] not in keys and asked["b"] not in keys:
        asked["a"], asked["b"] = keys[0], keys[1]
    return asked


def _several(context: dict[str, Any], found: list[tuple[str, queries.Judged]] | queries.NotYet) -> dict[str, Any]:
    if isinstance(found, queries.NotYet):
        return {**context, "missing": found.why}
    pictures = [(name, judged, presenters.interval_picture(judged.verdict)) for name, judged in found]
    return {**context, "several": pictures}


@require_GET
def bench(request: HttpRequest, event_id: int) -> HttpResponse:
    """Judges two sheets."""
    event = event_for(request.user, event_id)
    context, status = _judge(request, event, request.GET)
    return render(request, "verdicts/bench.html", context, status=status)


@require_POST
def keep(request: HttpRequest, event_id: int) -> HttpResponse:
    """Keeps the verdict of two sheets."""
    event = event_for(request.user, event_id)
    context, status = _judge(request, event, request.POST)
    judged = context.get("judged")
    if judged is None:
        return render(request, "verdicts/bench.html", context, status=422 if status == 200 else status)
    values = context["values"]
    row = actions.keep_verdict(event, ((values["a"], context["a"]), (values["b"], context["b"])), judged, by=values["by"])
    messages.success(request, "Verdict saved to the thread.")
    return redirect("kept_verdict", event.pk, row.pk)


@require_GET
def kept(request: HttpRequest, event_id: int, verdict_id: int) -> HttpResponse:
    """A verdict as it was kept."""
    event = event_for(request.user, event_id)
    row = owned_or_404(KeptVerdict, request.user, event=event, pk=verdict_id)
    again = urlencode({"by": row.by, "a": row.key_a, "b": row.key_b, "margin": f"{row.margin_s:.2f}"})
    return render(request, "verdicts/kept.html", {"event": event, "frame": frame(event, "verdicts"), "row": row, "again": again})
