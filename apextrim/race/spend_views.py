"""Save, spend, and stop before a rival or after: a page of its own."""

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.quantities.words import counted
from apexcore.race.plans import Plan
from apexcore.race.rules import Level, Pace, RaceRules
from apexcore.race.spend import Saving, driven, duel, early_or_late, one_lap_more, saving
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS, Car
from apextrim.events.queries import event_for, frame
from apextrim.library.caches import MB, kept_within
from apextrim.modelling import answers, cases
from apextrim.sheets.queries import core_sheet_in_car
from apextrim.ui.fields import QuantityField
from apextrim.ui.units import one_of

from . import gap_presenters, presenters, queries
from .spend_picture import duel_picture, saving_curve

#: Savings that are tried [%].
_TRIED_PCT = (2.0, 4.0, 7.0, 10.0)


class RivalForm(forms.Form):
    """A rival ahead."""

    gap = QuantityField("s", 0, 120, label="Gap to the rival ahead")
    rival_age = QuantityField("", 0, 200, whole=True, label="Laps on their tyres")
    my_age = QuantityField("", 0, 200, whole=True, label="Laps on yours")
    rival = forms.ChoiceField(label="Their tyres")
    mine = forms.ChoiceField(label="Yours")
    fresh = forms.ChoiceField(label="Both will fit")

    def __init__(self, choices: list[tuple[str, str]], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("rival", "mine", "fresh"):
            self.fields[name].choices = choices  # type: ignore[attr-defined]


class FollowForm(forms.Form):
    """A car ahead that is followed."""

    follow_gap = QuantityField("m", 0, 200, decimals=0, label="Distance to the car ahead")
    follow_laps = QuantityField("", 2, 40, whole=True, label="Laps behind it")


@kept_within(1 * MB)
def _saving(rules: RaceRules, pace: Pace, levels: tuple[Level, ...]) -> Saving | None:
    return saving(rules, pace, levels)


@require_GET
def page(request: HttpRequest, event_id: int) -> HttpResponse:
    """What saving is worth, when to save, and stopping before or after a rival."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "race")}
    form = None
    try:
        view, car = queries.race_view(event), cases.car_of(event)
        pace = view.pace.pace
        choices = [(tyre.key, gap_presenters.tyre_names(car, tyre.key)[0]) for tyre in pace.tyres]
        plan = view.by_stops[0].plan
        first = plan.stints[0]
        last = plan.stints[-1].compound
        usual = {"gap": "2", "rival_age": "12", "my_age": "12", "rival": first.compound, "mine": first.compound, "fresh": last}
        form = RivalForm(choices, {**usual, **request.GET.dict()})
        case = cases.case_of(event, core_sheet_in_car(event))
        levels = tuple(answers.level_in(case, pct / 100.0) for pct in _TRIED_PCT)
        levels = tuple(level for level in levels if level.saved_pct > 0.2)
        found = _saving(view.rules, pace, levels)
        half = max(first.laps // 2, 1)
        context |= {
            "form": form, "levels": [_level_row(pace, level, first.laps) for level in levels], "first": first, "saving": found,
            "halves": early_or_late(pace, driven(pace, first.compound), levels[-1], first.laps, half) if levels else None, "half": half,
            "most": levels[-1] if levels else None, "curve": saving_curve(levels), "a_unit": one_of("l"),
            "plan_words": _words(found.plan, car) if found else "",
            "fewer_words": _words(found.fewer, car) if found and found.fewer else "",
            "fewer_s": abs(found.fewer_s) if found else 0.0,
            "savers": _savers(found) if found else "",
        }  # fmt: skip
        follow = FollowForm({"follow_gap": "10", "follow_laps": "8", **request.GET.dict()})
        context |= {
            "follow": follow, "kept_follow": [(name, request.GET[name]) for name in follow.fields if name in request.GET],
            "kept_duel": [(name, request.GET[name]) for name in form.fields if name in request.GET],
        }  # fmt: skip
        if follow.is_valid() and "follow_gap" in request.GET:  # some seconds of laps: for who asks
            context |= _followed(case, follow.cleaned_data)
        if form.is_valid():
            told = form.cleaned_data
            mine, fresh, rival = (driven(pace, told[name]) for name in ("mine", "fresh", "rival"))
            found_duels = duel(mine, fresh, rival, told["my_age"], told["rival_age"], told["gap"])
            duels = [(_stops(one.laps), one) for one in found_duels]
            context |= {"duels": duels, "duel_picture": duel_picture(duels, told["gap"])}
    except ApexError as error:
        context["problem"] = str(error)
    wrong = any(one is not None and one.errors for one in (form, context.get("follow")))
    return render(request, "race/spend.html", context, status=422 if wrong else 200)


def _stops(laps: int) -> str:
    """When one stops, against the rival."""
    return f"{counted(abs(laps), 'lap')} {'earlier' if laps > 0 else 'later'}" if laps else "the same lap"


def _followed(case: cases.Case, typed: dict[str, Any]) -> dict[str, Any]:
    """What following comes to, or why it cannot be told."""
    try:
        found = answers.following_in(case, typed["follow_gap"], int(typed["follow_laps"]))
    except ApexError as error:
        return {"follow_problem": str(error)}
    lifted = [(span, found.hidden.metres[span.number]) for span in case.spans() if span.number in found.hidden.metres]
    return {"followed": found, "lifted": lifted, "wheels": [WHEEL_WORDS[wheel] for wheel in WHEELS]}


def _words(plan: Plan, car: Car) -> str:
    return presenters.in_one_breath([(gap_presenters.tyre_names(car, stint.compound)[0], stint.laps) for stint in plan.stints])


def _savers(found: Saving) -> str:
    """What each stint saves."""
    said = [_pct(stint.level.saved_pct) for stint in found.plan.stints]
    if len(set(said)) == 1:
        return f"saving {said[0]} throughout"
    return "by stint " + ", ".join(said)


def _pct(saved: float) -> str:
    return "all out" if saved < 0.1 else f"{saved:.0f} %"


def _level_row(pace: Pace, level: Level, laps: int) -> tuple[Level, float, float | None]:
    """A level, what a litre saved by it costs [s], and what one lap more costs [s]."""
    litres = pace.fuel_l_per_lap * (1.0 - level.fuel_share)
    return level, level.cost_s / litres if litres > 0.0 else 0.0, one_lap_more(pace, level, laps)
