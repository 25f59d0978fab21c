"""Driving gently against driving hard: what it loses a lap, what it wins of the tyres, and from which race length on it pays."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.judge.breakeven import Known, Worn, break_even, break_even_sentence, life_of
from apexcore.quantities.spread import Z95
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.ui.fields import QuantityField
from apextrim.ui.pictures import Plot
from apextrim.ui.uploads import problems_of

from . import queries
from .forms import ASKED, JudgeForm, two_sides

#: Tread at which tyres are changed where nothing else was asked for [%].
_LEAST_PCT = 20.0
_PLOT = Plot(620, 230, left=62, right=606, top=16, bottom=196)


class LifeForm(forms.Form):
    """When tyres are changed, and what that costs."""

    least = QuantityField("%", 0, 90, label="Tyres are changed at tread left")
    stop = QuantityField("s", 0.1, 600, label="A stop costs")


def _worn(event: Event, judged: queries.Judged, level: int) -> list[Worn]:
    """What the runs of a side wore, by the readings of their tyres: the most worn wheel counts."""
    found = []
    for run in judged.runs:
        if run.laps[0].level != level:
            continue
        driven = run.run.tyre_age + run.run.laps.count()
        lefts = []
        for row in event.readings.filter(run=run.run):
            lefts += [row.values[key] for key in ("left_fl", "left_fr", "left_rl", "left_rr") if key in row.values]
        if lefts:
            found.append(Worn(driven, min(lefts) / 100.0))
    return found


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """Side B as the gentle one against side A."""
    event = event_for(request.user, event_id)
    asked = {name: request.GET[name] for name in ASKED if request.GET.get(name)}
    form = two_sides(event, request.GET)
    usual = {"least": f"{_LEAST_PCT:g}", "stop": f"{max(facts.rules_of(event).pit_loss_s, 0.1):g}"}
    life = LifeForm({**usual, **{name: request.GET[name] for name in usual if request.GET.get(name)}})
    context: dict[str, Any] = {
        "event": event, "frame": frame(event, "verdicts"), "form": form, "life": life, "asked": asked,
    }  # fmt: skip
    if form is None:
        context["missing"] = "Choose two sides on the Verdicts bench first: A driven hard, B driven gently."
    elif life.is_valid():
        try:
            context |= _told(event, form, life)
        except ApexError as error:
            context["missing"] = " ".join(problems_of(error))
    return render(request, "verdicts/break_even.html", context, status=422 if life.errors else 200)


def _told(event: Event, form: JudgeForm, life: LifeForm) -> dict[str, Any]:
    values, sides = form.cleaned_data, dict(form.kind.sides)
    names = (sides[values["a"]], sides[values["b"]])
    judged = queries.judged_sides(event, form.kind.key, (values["a"], values["b"]), names, values["margin"], values["trust"])
    if isinstance(judged, queries.NotYet):
        return {"missing": judged.why}
    least = life.cleaned_data["least"] / 100.0
    hard, gentle = (life_of(_worn(event, judged, level), least) for level in (0, 1))
    if hard is None or gentle is None:
        without = names[0] if hard is None else names[1]
        return {"missing": f"No reading tells what {without} wore. Read the tread left after a run of it, on the sheet's readings."}
    lost = Known(judged.verdict.mean_s, (judged.verdict.high_s - judged.verdict.low_s) / (2.0 * Z95))
    found = break_even(lost, hard, gentle, life.cleaned_data["stop"])
    x = _PLOT.x_axis(1, len(found.chance), 0, lambda v: f"{v:.0f}", step=20.0)
    y = _PLOT.y_axis(0.0, 100.0, 4, lambda v: f"{v:.0f}")
    path = "M" + " ".join(f"{x.at(k):.1f},{y.at(100 * one):.1f}" for k, one in enumerate(found.chance, start=1))
    rows = [(k, 100 * found.chance[k - 1], found.gain_s[k - 1]) for k in range(5, len(found.chance) + 1, 5)]
    return {
        "sentence": break_even_sentence(found, lost, hard, gentle), "names": names, "lost": lost, "lives": (hard, gentle), "rows": rows,
        "plot": _PLOT, "x": x, "y": y, "path": path, "pays": found.pays(), "costs": found.costs(),
    }  # fmt: skip
