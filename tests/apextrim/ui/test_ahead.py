"""Pages that are fetched ahead: whole pages name the rules, and what is told once is not told to nobody."""

import json
from pathlib import Path
from typing import Any

import pytest
from django.contrib import messages
from django.contrib.messages.storage.base import Message
from django.http import HttpRequest
from django.test import Client, RequestFactory
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.ui.ahead import is_ahead
from apextrim.ui.message_storage import Storage

RULES = Path(__file__).parents[3] / "apextrim" / "ui" / "static" / "ui" / "ahead.rules"


@pytest.mark.django_db
def test_pages_name_the_rules_and_parts_do_not(client_in: Client, event: Event) -> None:
    page = reverse("runs_bench", args=[event.pk])
    assert client_in.get(page)["Speculation-Rules"] == '"/static/ui/ahead.rules"'
    assert "Speculation-Rules" not in client_in.get(page, headers={"HX-Request": "true"})
    assert "Speculation-Rules" not in client_in.get(reverse("export_all_laps", args=[event.pk]))  # a file
    assert "Speculation-Rules" not in client_in.post(page)


def test_the_rules_fetch_nothing_that_the_session_would_remember_and_nothing_too_early() -> None:
    (rule,) = json.loads(RULES.read_text())["prefetch"]
    assert rule["eagerness"] == "conservative"
    assert "[href*='?']" in rule["where"]["selector_matches"] and "form" not in rule["where"]["selector_matches"]


def asked(ahead: bool) -> HttpRequest:
    request = RequestFactory().get("/", headers={"Sec-Purpose": "prefetch"} if ahead else {})
    request.session = {}  # type: ignore[assignment]
    return request


def test_a_message_waits_for_somebody_who_reads_it() -> None:
    early: Any = Storage(asked(True))
    early._loaded_data = [Message(messages.SUCCESS, "S5 is saved.")]
    assert is_ahead(early.request) and list(early) == [] and not early.used
    read: Any = Storage(asked(False))
    read._loaded_data = [Message(messages.SUCCESS, "S5 is saved.")]
    assert [one.message for one in read] == ["S5 is saved."] and read.used
