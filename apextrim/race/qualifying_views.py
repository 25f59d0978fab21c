"""Qualifying: on which flying lap, with how much fuel, on new or scrubbed tyres."""

from typing import Any

import numpy as np
from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError, InputError
from apexcore.judge.qualifying import Form
from apexcore.judge.scrubbing import LEAST_LAPS
from apexcore.quantities.text import parse_lap
from apexcore.race.rules import Pace, TyrePace
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.modelling import cases, fits
from apextrim.runs.queries import set_runs
from apextrim.sheets.queries import sheet_in_car
from apextrim.ui.fields import QuantityField

from .queries import driver_of, pace_of


class QualifyingForm(forms.Form):
    """A time to beat, and how often a flying lap is spoiled."""

    beat = forms.CharField(max_length=20, required=False, label="Time to beat")
    mistakes = QuantityField("%", 0, 90, label="Laps that you spoil", decimals=0)

    def clean_beat(self) -> float | None:
        """The time [s]."""
        text = self.cleaned_data["beat"].strip()
        if not text:
            return None
        try:
            return parse_lap(text, "Time to beat")
        except InputError as error:
            raise forms.ValidationError(str(error)) from None


#: Laps of the stints that scrubbing is weighed over.
_STINTS = (3, 10, 20, 30)
#: Chance from which one of the two is said to be better.
_SAID = 0.9


def _scrub_or_save(event: Event, tyre: TyrePace, pace: Pace) -> dict[str, Any]:
    """What runs on new and on scrubbed sets of a compound tell of scrubbing another."""
    kg_per_l = cases.car_of(event).mass.fuel_kg_per_l
    runs = set_runs(event, tyre.key, pace.fuel_l_per_lap)
    found = fits.scrubbing_of(tuple(runs), pace.fuel_s_per_l / kg_per_l, tyre.fade_s)
    counts = [sum(run.scrubbed == kind and len(run.laps) >= LEAST_LAPS for run in runs) for kind in (False, True)]
    stints = []
    if found is not None:
        for laps in _STINTS:
            chance = found.chance(laps)
            words = "scrub" if chance > _SAID else "keep new" if chance < 1.0 - _SAID else "cannot be told"
            stints.append((laps, *found.over(laps), chance, words))
    return {"scrubbing": found, "set_counts": counts, "scrub_stints": stints, "least_laps": LEAST_LAPS}


@require_GET
def qualifying(request: HttpRequest, event_id: int) -> HttpResponse:
    """The best lap to expect and its chances, by the number of flying laps."""
    event = event_for(request.user, event_id)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "race"), "sheet": sheet_in_car(event)}
    try:
        known = driver_of(event)
        pace, _ = pace_of(event, facts.rules_of(event))
    except ApexError as error:
        return render(request, "race/qualifying.html", {**context, "problem": str(error)})
    form = QualifyingForm({"mistakes": f"{100 * known.mistakes:.0f}", **request.GET.dict()})
    context |= {"form": form, "known": known}
    if form.is_valid():
        mean, best = pace.pace, min(pace.pace.tyres, key=lambda tyre: tyre.offset_s)
        base = np.array([draw.lap_s for draw in pace.draws])
        ask = Form(
            (float(base.mean()), float(base.std())), best.warm_s, best.fade_s, mean.fuel_l_per_lap * mean.fuel_s_per_l, known.scatter_s,
            form.cleaned_data["mistakes"] / 100.0, known.shift_s,
        )  # fmt: skip
        found = fits.flying_laps(ask, wanted_s=form.cleaned_data["beat"])
        compound = cases.car_of(event).tyres.compound(best.key)
        context |= {
            "attempts": [(attempt, (attempt.laps + 2) * mean.fuel_l_per_lap) for attempt in found], "first": found[0], "compound": compound,
            "beat": form.cleaned_data["beat"],
        }  # fmt: skip
        context |= _scrub_or_save(event, best, mean)
    return render(request, "race/qualifying.html", context, status=422 if form.errors else 200)
