"""Verdicts by corner and by sector on pages."""

from collections.abc import Callable

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from apexcore.formats.packed import pack
from apexcore.trim.corner import Told
from apextrim.book.queries import desk_in
from apextrim.events.models import Event
from apextrim.lap.asked import shown_case
from apextrim.modelling import cases
from apextrim.runs.models import LapTrace, Run
from apextrim.runs.recorded import recorded_lap
from apextrim.sheets.models import Sheet
from apextrim.verdicts.expected import guessed
from tests.conftest import demo_lap_case

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


@pytest.mark.thorough_only
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


@pytest.mark.thorough_only
def test_a_tag_stands_beside_what_the_model_expects_of_it(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    for seed in (1, 2, 3, 4):
        run = drive(first, seed)
        Run.objects.filter(pk=run.pk).update(tags={"heron hook": "lift" if seed % 2 else "braked"})
        if seed % 2:
            for trace in LapTrace.objects.filter(lap__run=run).select_related("lap"):
                slower_in(trace, 0.25, 0.31, 1.12)
    asked = {"by": "tag:heron hook", "a": "braked", "b": "lift", "margin": "0.1", "trust": "usual"}
    address = reverse("verdict_corners", args=[event.pk])
    page = client_in.get(address, asked)
    form, found = page.context["ways"], page.context["expected"]
    hook = next(span for span in cases.spans_of(event) if span.name == "Heron Hook")
    assert form.data == {"corner": str(hook.number), "way_a": "", "way_b": "b0"}  # told by the tag's own words
    case = shown_case(event)
    choice = desk_in(case, hook.number).desk.choice(Told(braking=0.0))
    assert found.lap_s == pytest.approx(choice.lap_s, abs=1e-6) and choice.lap_s > 0.05
    lines = {line.title: line for line in dict(page.context["tables"])["Corner by corner"].lines}
    modelled = [line.modelled_s or 0.0 for line in lines.values()]  # a lift begins so early that the part before pays for some of it
    assert sum(modelled[hook.number - 1 : hook.number + 1]) == pytest.approx(choice.here_s, abs=0.06)
    assert max(modelled) == lines["Heron Hook"].modelled_s
    assert "The model expects of lift against braked" in words(page)
    same = client_in.get(address, {**asked, "corner": str(hook.number), "way_a": "b0", "way_b": "b0"})
    assert "expected" not in same.context and "The model expects of" not in words(same)
    lacking = client_in.get(address, {**asked, "corner": str(hook.number), "way_a": "", "way_b": "line-late"})
    assert "no such line yet" in words(lacking) and reverse("corner", args=[event.pk, hook.number]) in lacking.content.decode()
    for corner, way in (("99", "b0"), ("x", "b0"), (str(hook.number), "b50"), (str(hook.number), "lower")):
        assert client_in.get(address, {**asked, "corner": corner, "way_a": "", "way_b": way}).status_code == 200


def test_what_a_tag_says_is_guessed_from_its_words() -> None:
    _, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    assert guessed(spans, "line 3", ("early apex", "late"))["corner"] == "3"
    assert guessed(spans, "line 3", ("early apex", "late"))["way_b"] == "line-late"
    assert guessed(spans, "seat", ("old", "new")) == {"corner": "1", "way_a": "", "way_b": ""}
    assert guessed((), "seat", ("old", "new")) == {}
