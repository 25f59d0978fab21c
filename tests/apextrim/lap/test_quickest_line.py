"""The quickest line on the Lap bench: asked for, worked off, kept by what it was made from, shown beside the other."""

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.lap import lines
from apextrim.lap.models import FoundLine
from apextrim.sheets.actions import put_in_car, save_sheet
from apextrim.sheets.models import Sheet
from apextrim.work.models import Job
from tests.apextrim.readings.test_readings import text_of


def test_until_there_is_one_the_bench_says_which_line_serves(client_in: Client, event: Event, first: Sheet) -> None:
    page = text_of(client_in.get(reverse("lap_bench", args=[event.pk])))
    assert "Shown is the <b>line of least curvature</b>" in page and "Find the quickest line" in page
    asked = text_of(client_in.get(reverse("lap_bench", args=[event.pk]), {"line": "quickest"}))
    assert "Shown is the <b>line of least curvature</b>" in asked


@pytest.mark.usefixtures("at_once")
@pytest.mark.thorough_only
def test_it_is_found_in_the_background_kept_and_shown(client_in: Client, event: Event, first: Sheet) -> None:
    bench = reverse("lap_bench", args=[event.pk])
    sheet_bench = reverse("sheet_bench", args=[event.pk])
    before = client_in.get(bench).context["lap"].time_s
    assert "on the line of least curvature" in text_of(client_in.get(sheet_bench))
    answer = client_in.post(reverse("find_line", args=[event.pk]))
    job = Job.objects.get()
    assert answer.headers["Location"] == reverse("job", args=[job.pk]) and job.state == "done"
    assert "quicker than the line of least curvature" in " ".join(job.told) and job.address == f"{bench}?line=quickest"
    row = FoundLine.objects.get()
    assert row.before_s - row.time_s > 0.8 and row.sheet == first and row.made_from == lines.made_from(event, first)
    usual = client_in.get(bench)
    assert "Shown is the <b>quickest line</b> of S1" in text_of(usual) and "Find the quickest line" not in text_of(usual)
    assert usual.context["lap"].time_s == pytest.approx(row.time_s, abs=0.05) and len(usual.context["rows"]) == 9
    event.refresh_from_db()  # every bench stands on it from here on
    assert usual.context["lap"].time_s < before - 0.8
    assert event.line and "on the quickest line found" in text_of(client_in.get(sheet_bench))
    other = save_sheet(event, CoreSheet(event.car.key, {**first.values, "wing": 9}), first, "more wing")
    put_in_car(event, other)
    stale = " ".join(text_of(client_in.get(bench)).split())
    assert "It was made for another sheet, weather, car or driver than today's." in stale and "Find the quickest line" in stale
    event.line = "[0.0, 1.0]"  # one that the circuit has outgrown: least curvature serves
    event.save()
    assert "Which line" in text_of(client_in.get(bench))
    FoundLine.objects.update(offsets_m=[0.0, 1.0])
    assert "Which line" in text_of(client_in.get(bench, {"line": "quickest"}))


def test_what_a_line_is_made_from_is_all_that_it_depends_on(event: Event, first: Sheet, second: Sheet) -> None:
    digest = lines.made_from(event, first)
    assert digest == lines.made_from(event, first) != lines.made_from(event, second)
    event.driver = "newcomer"
    assert lines.made_from(event, first) != digest


def test_a_new_event_begins_with_its_line(client_in: Client, event: Event) -> None:
    values = {"name": "Next time", "car": str(event.car_id), "circuit": str(event.circuit_id), "real_car": "no"}
    client_in.post(reverse("events"), values)
    new = Event.objects.exclude(pk=event.pk).get()
    job = Job.objects.get()
    assert (job.kind, job.arguments, job.owner) == ("line", {"event": new.pk}, event.owner)
    page = text_of(client_in.get(reverse("lap_bench", args=[new.pk])))
    assert "The quickest line is being found" in page and "Find the quickest line" not in page


def test_a_line_belongs_to_its_owner(stranger: Client, event: Event, first: Sheet) -> None:
    assert stranger.post(reverse("find_line", args=[event.pk])).status_code == 404
    assert not Job.objects.exists()
