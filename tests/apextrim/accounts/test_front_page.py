"""The first page of a stranger, and the way from there into the demo."""

import re
from pathlib import Path
from typing import Any

import pytest
from django.contrib.staticfiles import finders
from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from tests.apextrim.traces.test_bring import words


@pytest.fixture
def demo(settings: Any, event: Event) -> None:
    settings.DEMO, settings.DEMO_USER = True, "racer"


@pytest.mark.django_db
def test_a_stranger_is_told_what_it_is_and_where_to_sign_in() -> None:
    answer = Client().get("/")
    page = answer.content.decode()
    assert answer.status_code == 200 and "race engineer" in words(answer) and 'href="/sign-in/"' in page
    assert "Open the demo" not in page  # somebody's own installation has none
    pictures = re.findall(r'src="/static/([^"]+\.png)" width="(\d+)" height="(\d+)"', page)
    assert len(pictures) == 6
    for name, width, height in pictures:  # each is there, and as large as it says, twice over
        data = Path(str(finders.find(name))).read_bytes()
        assert (int.from_bytes(data[16:20], "big"), int.from_bytes(data[20:24], "big")) == (2 * int(width), 2 * int(height))


def test_the_demo_opens_where_something_is_going_on(demo: None, event: Event, first: Sheet, drive: Any) -> None:
    run: Run = drive(first, 3)
    assert run.event == event
    stranger = Client()
    assert "Open the demo" in stranger.get("/").content.decode()
    page = stranger.post(reverse("enter_demo"), follow=True)
    assert page.redirect_chain[-1][0] == reverse("runs_bench", args=[event.pk])  # a run is what happened last
    assert "1 of 6, Brief." in words(page) and "Open Brief" in words(page)
    assert stranger.get("/")["Location"] == reverse("events")


def test_a_tour_of_everybodys_account_is_each_visits_own(demo: None, event: Event, first: Sheet) -> None:
    one, other = Client(), Client()
    for client in (one, other):
        client.post(reverse("enter_demo"))
    bench = reverse("lap_bench", args=[event.pk])
    assert "2 of 6, Lap." in words(one.post(reverse("go_on_tour"), {"to": "2", "next": bench}, follow=True))
    assert "1 of 6, Brief." in words(other.get(bench))
    other.post(reverse("go_on_tour"), {"to": "99", "next": bench})
    assert "of 6" not in words(other.get(bench)) and "2 of 6, Lap." in words(one.get(bench))
    for wrong in ("", "-1", "x", "9" * 50):
        assert one.post(reverse("go_on_tour"), {"to": wrong, "next": bench}).status_code == 302
    session = other.session
    session["tour"] = "two"
    session.save()
    assert other.get(bench).status_code == 200


def test_nothing_is_going_on_where_there_is_no_event(client_in: Client, event: Event) -> None:
    Event.objects.update(deleted_at="2026-01-01T00:00:00Z")
    assert client_in.get(reverse("going_on"))["Location"] == reverse("home")
