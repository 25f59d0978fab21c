"""A short form of `make fuzz`: hostile files at every door, and the pages that show what was taken."""

import random
from collections.abc import Callable

import pytest
from django.test import Client

from apextrim.archive.actions import write_event
from apextrim.events.models import Event
from apextrim.runs import logger
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from scripts.fuzz import Door, Tally, attack, doors, hostile, newest_pages, pages_of_event
from scripts.fuzz_forms import attacks, forms_of
from tests.apextrim.conftest import drive, event, first  # noqa: F401

pytestmark = pytest.mark.slow


@pytest.fixture
def client(event: Event) -> Client:  # noqa: F811
    client = Client(raise_request_exception=False)
    client.force_login(event.owner)
    return client


@pytest.fixture
def every_door(event: Event, first: Sheet, drive: Callable[..., Run]) -> dict[str, Door]:  # noqa: F811
    run = drive(first, 1)
    _, token = logger.make_key(event, "fuzz")
    text = write_event(event)
    run.laps.all().delete()  # laps that come in contradict none
    return doors(event.owner, event, run, token, text)


@pytest.mark.thorough_only
def test_no_door_breaks(client: Client, every_door: dict[str, Door]) -> None:
    sent = taken = 0
    for door in every_door.values():
        tally = attack(client, door, range(7_000, 7_006), newest_pages)
        assert tally.faults == [], tally.faults
        sent, taken = sent + tally.sent, taken + tally.taken
    assert sent == 6 * len(every_door) and taken > 1  # it does not only send rubbish


def test_a_fault_is_seen(client: Client, every_door: dict[str, Door], monkeypatch: pytest.MonkeyPatch) -> None:
    """The fuzzer itself: a door that breaks, and one that leaves half an import behind, are told."""
    door = every_door["circuit"]
    monkeypatch.setattr("apextrim.library.views.add_circuit", lambda *_: 1 / 0)
    assert [what for _, what in attack(client, door, range(3), newest_pages).faults] == ["status 500"] * 3


def test_the_same_seed_makes_the_same_file() -> None:
    good = b'{"a": [1, 2, {"b": "c"}], "d": 3.5}'
    assert [hostile(good, random.Random(k)) for k in range(50)] == [hostile(good, random.Random(k)) for k in range(50)]
    assert len({hostile(good, random.Random(k)) for k in range(50)}) > 30
    assert Tally().faults == []


@pytest.mark.thorough_only
def test_no_form_breaks(client: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:  # noqa: F811
    drive(first, 1)
    forms = forms_of(client, [*newest_pages(), *pages_of_event(event)])
    assert len(forms) > 30 and sum(form.method.lower() == "post" for form in forms) > 15
    assert [what for _, what, status, _ in attacks(client, forms, range(9_000, 9_060)) if status >= 500] == []
