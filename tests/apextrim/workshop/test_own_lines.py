"""Steps on lines of their own: asked for, worked off, shown in place of those on the sheet's line."""

import json

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.trim.moves.own_lines import Move
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from apextrim.work.models import Job
from apextrim.workshop import own_lines
from apextrim.workshop.models import OwnLines
from tests.amounts import THOROUGH
from tests.apextrim.readings.test_readings import text_of


@pytest.fixture
def lined(event: Event) -> Event:
    """The event with its benches on a line, here that of least curvature."""
    event.line = json.dumps([round(float(value), 6) for value in cases.lap_case_of(event).line.offset])
    event.save()
    return event


@pytest.fixture
def few(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two steps instead of all."""

    def moves(event: Event, sheet: CoreSheet) -> list[Move]:
        car = cases.car_of(event)
        return [(car.item("wing"), -1), (car.item("bar_rear"), 1)]

    monkeypatch.setattr(own_lines, "moves_of", moves)


def test_without_a_quickest_line_nothing_is_begun(client_in: Client, event: Event, first: Sheet) -> None:
    page = reverse("sheet_effects", args=[event.pk, first.pk])
    assert "on the line of least curvature" in text_of(client_in.get(page))
    answer = client_in.post(reverse("refine_effects", args=[event.pk, first.pk]), follow=True)
    assert "find the quickest line on the Lap bench first" in text_of(answer) and not Job.objects.exists()


@pytest.mark.thorough_only
@pytest.mark.usefixtures("at_once", "few")
def test_they_are_found_in_the_background_and_shown(client_in: Client, lined: Event, first: Sheet) -> None:
    page = reverse("sheet_effects", args=[lined.pk, first.pk])
    assert "Make a line for each step" in text_of(client_in.get(page))
    client_in.post(reverse("refine_effects", args=[lined.pk, first.pk]))
    job, row = Job.objects.get(), OwnLines.objects.get()
    assert (job.state, job.kind, job.address) == ("done", "own_lines", page)
    assert set(row.effects_s) == {"wing-1", "bar_rear+1"} and row.asked == 2
    text = text_of(client_in.get(page))
    assert "is on the best of all lines" in text and text.count("each car on a line made for these steps") == 2
    effects = answers.effects_of(lined, core_sheet(lined, first))
    shown = {(one.item.key, one.steps): one.lap_s for one in own_lines.refined(row, effects)}
    assert [shown["wing", -1], True] == [row.effects_s["wing-1"][0], row.effects_s["wing-1"][1] is not None]
    assert shown["wing", 1] == next(one.lap_s for one in effects if (one.item.key, one.steps) == ("wing", 1))
    lines = client_in.get(reverse("sheet_effects_file", args=[lined.pk, first.pk])).content.decode().splitlines()
    column = lines[0].split(",").index("line")
    assert sorted(line.split(",")[column] for line in lines[1:]).count("own") == 2
    client_in.post(reverse("refine_effects", args=[lined.pk, first.pk]))
    assert Job.objects.count() == 1  # found already
    if THOROUGH:  # half a minute more
        client_in.post(reverse("refine_effects", args=[lined.pk, first.pk]) + "?set=wing:7")
        assert OwnLines.objects.count() == 2  # another sheet, unsaved as it is


@pytest.mark.usefixtures("at_once")
@pytest.mark.thorough_only
def test_a_sheet_that_nobody_asks_for_any_more_is_no_fault(
    client_in: Client, lined: Event, first: Sheet, monkeypatch: pytest.MonkeyPatch
) -> None:
    def none_left(event: Event, sheet: CoreSheet) -> list[Move]:
        OwnLines.objects.update(made_from="another")
        return []

    monkeypatch.setattr(own_lines, "moves_of", none_left)
    client_in.post(reverse("refine_effects", args=[lined.pk, first.pk]))
    assert Job.objects.get().state == "done"


def test_they_belong_to_their_owner(stranger: Client, lined: Event, first: Sheet) -> None:
    assert stranger.post(reverse("refine_effects", args=[lined.pk, first.pk])).status_code == 404
    assert not Job.objects.exists()
