"""Faults: the page of an error stands alone, and a database that cannot work is said in one sentence."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from django.test import Client

from apextrim.events.models import Event
from apextrim.runs import logger
from tests.apextrim.runs.test_logger import stint


def broken(*args: object, **kwargs: object) -> None:
    raise OperationalError("database is locked")


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ("database is locked", "The database is busy"),
        ("attempt to write a readonly database", "cannot be written"),
        ("database or disk is full", "The disk is full"),
        ("unable to open database file", "cannot be opened"),
        ("database disk image is malformed", "make restore"),
        ("file is not a database", "make restore"),
        ("disk I/O error", "The disk does not answer"),
    ],
)
def test_a_fault_of_the_database_is_one_sentence(event: Event, said: str, words: str, monkeypatch: pytest.MonkeyPatch) -> None:
    client = Client(raise_request_exception=False)
    client.force_login(event.owner)

    def fails(*args: object, **kwargs: object) -> None:
        raise OperationalError(said)

    monkeypatch.setattr("apextrim.lap.views.event_for", fails)
    response = client.get(f"/events/{event.pk}/lap/")
    assert response.status_code == 503 and words in response.content.decode()


def test_the_error_page_needs_neither_database_nor_session(monkeypatch: pytest.MonkeyPatch) -> None:
    """Without the `db` fixture every query raises, that of the session included."""
    client = Client(raise_request_exception=False)
    client.cookies["sessionid"] = "x" * 32
    response = client.get("/events/")
    assert response.status_code == 500 and "Something went wrong" in response.content.decode()


def test_half_a_character_in_a_file_does_not_lock_the_browser_out(client_in: Client) -> None:
    car = json.dumps({"format": "apex-trim car 1", "key": "a\ud800b", "name": "\udfff", "\ud83c": 1})
    response = client_in.post(
        "/garage/cars/import/", {"file": SimpleUploadedFile("\ud800.json".encode("utf-8", "replace").decode(), car.encode())}
    )
    assert response.status_code == 422
    event = json.dumps({"format": "apex-trim event 1", "name": "\ud800"})
    client_in.post("/events/bring-in/", {"file": SimpleUploadedFile("e.json", event.encode())})
    for page in ("/garage/", "/events/", "/"):
        assert client_in.get(page, follow=True).status_code == 200


def test_a_logger_that_finds_the_database_busy_is_told_to_send_again(event: Event, first: object, monkeypatch: pytest.MonkeyPatch) -> None:
    _, token = logger.make_key(event, "box")
    monkeypatch.setattr(logger, "take", broken)
    response = Client().post(
        "/logger/", stint().encode(), content_type="application/x-ndjson", headers={"Authorization": f"Bearer {token}"}
    )
    assert response.status_code == 503 and response["Retry-After"] == "2"
    assert response.json()["retry_after_s"] == 2 and "Send it again" in response.json()["problems"][0]
