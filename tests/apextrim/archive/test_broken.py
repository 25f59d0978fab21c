"""Rows that cannot be read any more: their pages say so, and offer what can still be done."""

import json
from collections.abc import Callable

import pytest
from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.library.models import Car
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from apextrim.verdicts.models import KeptVerdict


@pytest.fixture
def browser(event: Event) -> Client:
    client = Client(raise_request_exception=False)
    client.force_login(event.owner)
    return client


BROKEN: dict[str, Callable[[Event], object]] = {
    "conditions": lambda event: Event.objects.filter(pk=event.pk).update(conditions={"air_c": "hot"}),
    "rules": lambda event: Event.objects.filter(pk=event.pk).update(rules=[1]),
    "car": lambda event: Car.objects.filter(pk=event.car_id).update(data="no car"),
    "circuit": lambda event: type(event.circuit).objects.filter(pk=event.circuit_id).update(data="{}"),
    "sheet": lambda event: Sheet.objects.filter(event=event).update(values={"sails": "three"}),
}


@pytest.mark.parametrize("what", BROKEN)
def test_an_event_that_cannot_be_shown_is_exported_and_deleted(browser: Client, event: Event, first: Sheet, what: str) -> None:
    BROKEN[what](event)
    failing = [
        page for page in ("", "lap/", "sheet/", "race/", "verdicts/") if browser.get(f"/events/{event.pk}/{page}").status_code == 500
    ]
    assert failing
    delete = reverse("delete", args=["event", event.pk])
    page = browser.get(f"/events/{event.pk}/{failing[0]}").content.decode()
    assert "cannot be shown" in page and f"/events/{event.pk}/rows/" in page and delete in page
    rows = [json.loads(line) for line in browser.get(f"/events/{event.pk}/rows/").getvalue().decode().splitlines()]
    assert {"events.event", "library.car", "sheets.sheet"} <= {row["model"] for row in rows}
    assert browser.get(delete).status_code == 200
    assert browser.post(delete, follow=True).status_code == 200
    assert browser.get("/events/").status_code == 200 and browser.get("/garage/").status_code == 200


def test_a_stranger_is_told_nothing_and_gets_no_rows(browser: Client, stranger: Client, event: Event, first: Sheet) -> None:
    BROKEN["conditions"](event)
    assert stranger.get(f"/events/{event.pk}/rows/").status_code == 404
    assert b"racer's weekend" not in stranger.get(f"/events/{event.pk}/lap/").content


def test_a_car_that_cannot_be_read_is_listed_and_brought_back(browser: Client, event: Event) -> None:
    row = event.car
    Car.objects.filter(pk=row.pk).update(data='{"name": 3}', previous=row.data)
    page = browser.get("/garage/").content.decode()
    assert "cannot be read any more" in page and f"/garage/cars/{row.pk}/file/" in page
    assert browser.get(f"/garage/cars/{row.pk}/file/").content == b'{"name": 3}'
    assert browser.post(f"/garage/cars/{row.pk}/undo/").status_code == 302
    assert "cannot be read any more" not in browser.get("/garage/").content.decode()


def test_an_event_that_does_not_fit_its_file_is_had_as_rows(browser: Client, event: Event, first: Sheet) -> None:
    KeptVerdict.objects.create(
        event=event, key_a="1", key_b="2", side_a="S1", side_b="S2", margin_s=-5, mean_s=1e9, low_s=0, high_s=0, sentence="?",
        made_at=event.made_at,
    )  # fmt: skip
    response = browser.get(f"/events/{event.pk}/file/")
    assert response.status_code == 302 and response["Location"] == f"/events/{event.pk}/rows/"
    assert "does not fit a file" in browser.get("/events/").content.decode()


def test_thousands_of_readings_and_verdicts_fit_the_file(browser: Client, event: Event, first: Sheet, drive: object) -> None:
    KeptVerdict.objects.bulk_create(
        KeptVerdict(
            event=event, key_a=str(first.pk), key_b=str(first.pk), side_a="S1", side_b="S1", margin_s=0.1, mean_s=0, low_s=-1, high_s=1,
            sentence="?", made_at=event.made_at,
        )
        for _ in range(5000)
    )  # fmt: skip
    assert len(browser.get(f"/events/{event.pk}/file/").json()["verdicts"]) == 5000 and not Run.objects.exists()
