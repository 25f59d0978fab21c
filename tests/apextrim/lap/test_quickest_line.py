"""The quickest line by itself: asked for by the first page that needs it, kept by what it was made from, under every bench."""

import json
from typing import Any

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from apexcore.trim.moves.pool import Pool
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.archive.actions import read_event, write_event
from apextrim.book.models import BookEntry
from apextrim.events.models import Event
from apextrim.lap import lines, tasks
from apextrim.lap.models import FoundLine
from apextrim.modelling import answers, cases
from apextrim.sheets.actions import put_in_car, save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from apextrim.work.models import Job
from tests.apextrim.readings.test_readings import text_of
from tests.conftest import demo_circuit, demo_lap_case
from tests.lines import quickest


@pytest.fixture
def found(event: Event, monkeypatch: pytest.MonkeyPatch) -> Pool:
    """What a search finds here, without its time: a line that was searched for before, and one that is worse."""
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    first = quickest(demo_circuit("sallowmere_fen"), lap_case, core_sheet(event, None))
    pool = Pool((first.offset, 0.9 * first.offset), first.time_s, first.before_s, 1)

    def search(*args: object, told: object = None) -> Pool:
        return pool

    monkeypatch.setattr(tasks, "found_pool", search)
    return pool


def test_until_there_is_one_every_bench_says_that_its_times_are_provisional(client_in: Client, event: Event, first: Sheet) -> None:
    page = text_of(client_in.get(reverse("lap_bench", args=[event.pk])))
    assert "Shown is the <b>line of least curvature</b>" in page and "Find the quickest line" in page
    assert "not on the quickest line of the day" in page and not Job.objects.exists()
    assert "provisional line" in text_of(client_in.get(reverse("sheet_bench", args=[event.pk])))


@pytest.mark.usefixtures("at_once")
def test_the_first_page_asks_for_it_and_every_bench_stands_on_it(
    client_in: Client, event: Event, first: Sheet, found: Pool, settings: Any
) -> None:
    BookEntry.objects.create(event=event, corner=1, variant="best", field="brake", text="2nd board", at_m=210.0)
    before = answers.answer_of(event, core_sheet(event, first)).lap.time_s
    settings.FIND_LINES = True
    client_in.get(reverse("brief", args=[event.pk]))
    job, row = Job.objects.get(), FoundLine.objects.get()
    assert job.state == "done" and "Every bench uses it now." in " ".join(job.told)
    assert row.made_from == lines.made_from(event)
    event.refresh_from_db()
    usual = client_in.get(reverse("lap_bench", args=[event.pk]))
    assert "Shown is the <b>quickest line</b>" in text_of(usual) and "2 lines come so close" in text_of(usual)
    assert usual.context["lap"].time_s < before - 0.8
    assert "provisional" not in text_of(client_in.get(reverse("sheet_bench", args=[event.pk])))
    stepped = client_in.post(reverse("sheet_answer", args=[event.pk]), {**first.values, "sheet": first.pk})
    assert "on the quickest line" in text_of(stepped) and "provisional" not in text_of(stepped)
    assert "Show this page on it" in text_of(client_in.get(reverse("jobs_now")))
    assert BookEntry.objects.get().at_m == 210.0 and Job.objects.count() == 1  # a mark is a place on the road, and nothing is asked twice
    other = save_sheet(event, CoreSheet(event.car.key, {**first.values, "wing": 9}), first, "more wing")
    put_in_car(event, other)
    client_in.get(reverse("lap_bench", args=[event.pk]))
    assert Job.objects.count() == 1  # the line is that of the sheet that the event began with


@pytest.mark.usefixtures("at_once")
def test_another_day_has_a_line_of_its_own_and_the_first_comes_back_with_its_day(
    client_in: Client, event: Event, first: Sheet, found: Pool, settings: Any
) -> None:
    settings.FIND_LINES = True
    client_in.get(reverse("brief", args=[event.pk]))
    event.refresh_from_db()
    weather, line = event.conditions, event.line
    event.conditions = {**weather, "air_c": 5.0}
    event.line = "[0.0, 1.0]"  # one that the circuit has outgrown: least curvature serves until there is another
    event.save()
    assert lines.of_today(event) is None and cases.lap_case_of(event).line.length_m > 0
    client_in.get(reverse("brief", args=[event.pk]))
    assert Job.objects.count() == FoundLine.objects.count() == 2
    Event.objects.filter(pk=event.pk).update(conditions=weather, line="")
    client_in.get(reverse("brief", args=[event.pk]))
    event.refresh_from_db()
    assert Job.objects.count() == 2 and event.line == line


def test_what_was_stopped_or_failed_is_not_asked_for_again_by_itself(client_in: Client, event: Event, first: Sheet, settings: Any) -> None:
    settings.FIND_LINES = True
    page = reverse("lap_bench", args=[event.pk])
    assert "the quickest line is being found" in text_of(client_in.get(page))
    assert "The quickest line is being found" in text_of(client_in.get(page)) and Job.objects.count() == 1
    Job.objects.update(state="stopped")
    assert "Find the quickest line" in text_of(client_in.get(page)) and Job.objects.count() == 1
    client_in.post(reverse("find_line", args=[event.pk]))
    assert Job.objects.count() == 2


@pytest.mark.usefixtures("at_once")
def test_a_day_that_changes_while_its_line_is_found(
    client_in: Client, event: Event, first: Sheet, found: Pool, settings: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    event.line = json.dumps([0.0] * len(found.lines[0]))
    event.save()

    def search(*args: object, told: object = None) -> Pool:
        Event.objects.filter(pk=event.pk).update(driver="newcomer")
        return found

    monkeypatch.setattr(tasks, "found_pool", search)
    client_in.post(reverse("find_line", args=[event.pk]))
    event.refresh_from_db()
    assert "has changed since" in " ".join(Job.objects.get().told) and lines.of_today(event) is None
    assert np.abs(json.loads(event.line)).max() == 0.0


@pytest.mark.usefixtures("at_once")
def test_each_sheet_drives_the_line_that_suits_it_best(client_in: Client, event: Event, first: Sheet, second: Sheet, found: Pool) -> None:
    tasks.find(event)
    own = cases.case_of(event, core_sheet(event, first))
    assert own.line == event.line and len(own.other_lines()) == 1
    event.line = json.dumps([list(one) for one in reversed(found.lines)])
    again = cases.case_of(event, core_sheet(event, first))
    assert np.allclose(again.lap_case().line.offset, found.lines[0], atol=1e-5)
    assert np.allclose(again.other_lines()[0].offset, found.lines[1], atol=1e-5)


def test_lines_go_with_the_file_and_wrong_ones_are_found_anew(client_in: Client, event: Event, first: Sheet, found: Pool) -> None:
    tasks.find(event)
    text = write_event(event)
    stranger = event.owner.__class__.objects.create_user("other")
    there, new = read_event(stranger, text.encode())
    assert new and there.line == event.line and lines.of_today(there) is not None
    assert read_event(stranger, text.encode()) == (there, False)
    told = json.loads(text)
    zigzag = [[(-1) ** k * 2.0 for k in range(len(found.lines[0]))]]
    for number, wrong in enumerate((zigzag, [[50.0] * len(found.lines[0])], [[0.0, 0.1, 0.2, 0.1]])):
        told["lines"]["offsets_m"], told["name"] = wrong, f"again {number}"
        other, _ = read_event(stranger, json.dumps(told).encode())
        assert other.line == "" and lines.of_today(other) is None


def test_what_a_line_is_made_from_is_all_that_it_depends_on(event: Event, first: Sheet) -> None:
    digest = lines.made_from(event)
    assert digest == lines.made_from(event)
    event.driver = "newcomer"
    assert lines.made_from(event) != digest


def test_a_new_event_begins_with_its_line(client_in: Client, event: Event, settings: Any) -> None:
    settings.FIND_LINES = True
    values = {"name": "Next time", "car": str(event.car_id), "circuit": str(event.circuit_id), "real_car": "no"}
    client_in.post(reverse("events"), values)
    new = Event.objects.exclude(pk=event.pk).get()
    job = Job.objects.get()
    assert (job.kind, job.arguments["event"], job.owner) == ("line", new.pk, event.owner)


def test_a_line_belongs_to_its_owner(stranger: Client, event: Event, first: Sheet) -> None:
    assert stranger.post(reverse("find_line", args=[event.pk])).status_code == 404
    assert not Job.objects.exists()
