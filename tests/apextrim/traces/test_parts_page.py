"""Verdicts by corner and by sector on pages."""

from collections.abc import Callable

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from apexcore.formats.packed import pack
from apextrim.events.models import Event
from apextrim.runs.models import LapTrace, Run
from apextrim.runs.recorded import recorded_lap
from apextrim.sheets.models import Sheet

from .test_bring import words


def slower_in(trace: LapTrace, low: float, high: float, factor: float) -> None:
    """The same lap, slower over a share of its way: its time grows with it."""
    lap = recorded_lap(trace)
    share = lap.columns["distance_m"] / lap.length_m
    inside = (share >= low) & (share < high)
    steps = np.diff(lap.t, prepend=0.0) * np.where(inside, factor, 1.0)
    columns = {**lap.columns, "speed_kmh": lap.columns["speed_kmh"] / np.where(inside, factor, 1.0)}
    t = np.cumsum(steps)
    LapTrace.objects.filter(pk=trace.pk).update(data=pack(t, columns))
    row = trace.lap
    row.time_s = round(float(t[-1]), 3)
    row.save()


def test_a_change_that_costs_in_one_corner_says_which(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]
) -> None:
    asked = {"by": "sheet", "a": str(first.pk), "b": str(second.pk), "margin": "0.1", "trust": "usual"}
    address = reverse("verdict_corners", args=[event.pk])
    assert "Choose two sides" in words(client_in.get(address))
    assert "has no timed lap yet" in words(client_in.get(address, asked))
    for seed in (1, 2, 3):
        drive(first, seed)
        slow = drive(second, seed)
        for trace in LapTrace.objects.filter(lap__run=slow).select_related("lap"):
            slower_in(trace, 0.25, 0.31, 1.12)
    page = client_in.get(address, asked)
    tables = dict(page.context["tables"])
    found = {line.title: line.found for line in tables["Corner by corner"].lines}
    worst = max(found, key=lambda title: found[title].mean_s)
    assert worst == "Heron Hook" and found[worst].sure and found[worst].low_s > 0.1
    expected = [line.modelled_s for line in tables["Corner by corner"].lines]
    whole = second.modelled_s
    assert whole is None or sum(expected) == pytest.approx(whole, abs=0.02)
    assert f"costs in {worst}" in page.context["tables"][0][1].text and "Sector by sector" in tables
    assert reverse("verdict_corners", args=[event.pk]) in client_in.get(reverse("verdicts_bench", args=[event.pk]), asked).content.decode()
    LapTrace.objects.all().delete()
    assert [title for title, _ in client_in.get(address, asked).context["tables"]] == ["Sector by sector"]
