"""The bin: deleting asks, nothing in use goes, what went comes back whole, and goes for good after thirty days."""

from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta

import pytest
from django.test import Client
from django.urls import reverse
from django.utils import timezone
from django.utils.html import escape

from apextrim.archive import bin as waste
from apextrim.archive.actions import write_event
from apextrim.events import actions as events
from apextrim.events.models import Event, Session
from apextrim.library.models import Car
from apextrim.runs.models import Run
from apextrim.sheets.actions import save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet
from tests.apextrim.traces.test_bring import words


def remove(client: Client, key: str, pk: int) -> str:
    address = reverse("delete", args=[key, pk])
    asked = client.get(address, follow=True)
    if "Delete" not in words(asked) or "Cancel" not in words(asked):
        return words(asked)
    return words(client.post(address, follow=True))


def bring_back(client: Client, key: str, pk: int) -> str:
    return words(client.post(reverse("restore", args=[key, pk]), follow=True))


def test_everything_goes_and_comes_back(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 1)
    added = events.add_session(event, "Warm-up", "practice", timezone.now())
    car = event.owner.cars.get(key="ferrow_lark")
    for key, row, page in (
        ("run", run, reverse("runs_bench", args=[event.pk])), ("sheet", second, reverse("sheet_bench", args=[event.pk])),
        ("session", added, reverse("brief", args=[event.pk])), ("car", car, reverse("garage")), ("event", event, reverse("events")),
    ):  # fmt: skip
        assert "is in the bin" in remove(client_in, key, row.pk)
        assert escape(str(row)) in words(client_in.get(reverse("bin"))), key
        assert client_in.get(page).status_code == 200
        assert "is back" in bring_back(client_in, key, row.pk) and "is not in the bin" in bring_back(client_in, key, row.pk)
        assert escape(str(row)) in words(client_in.get(page)), key
    assert "The bin is empty" in words(client_in.get(reverse("bin")))


def test_what_is_in_use_stays(client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]) -> None:
    assert "is in the car" in remove(client_in, "sheet", first.pk)
    run = drive(second, 1)
    assert "S2 stands in R1" in remove(client_in, "sheet", second.pk) and run.session is not None
    assert "stands in R1" in remove(client_in, "session", run.session.pk)
    assert event.sheets.count() == 2
    only = event.sessions.exclude(pk=run.session.pk)
    for row in only[1:]:
        remove(client_in, "session", row.pk)
    assert Session.objects.filter(event=event).count() >= 2


def test_a_sheet_in_the_bin_keeps_its_number_and_the_file_stays_whole(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    child = save_sheet(event, core_sheet(event, second), second, "child of one that goes")
    remove(client_in, "sheet", second.pk)
    third = save_sheet(event, core_sheet(event, first), first, "after it")
    assert (second.number, child.number, third.number) == (2, 3, 4)
    assert '"number":2' not in write_event(event).replace(" ", "").split('"sheets"')[1].split('"runs"')[0]
    bring_back(client_in, "sheet", second.pk)
    assert [row.number for row in event.sheets.all()] == [1, 2, 3, 4]


def test_the_key_of_a_car_in_the_bin_is_taken(client_in: Client, event: Event) -> None:
    car = event.owner.cars.get(key="ferrow_lark")
    remove(client_in, "car", car.pk)
    assert "ferrow_lark" not in words(client_in.get(reverse("garage")))
    from django.core.files.uploadedfile import SimpleUploadedFile

    again = client_in.post(reverse("import_car"), {"file": SimpleUploadedFile("c.json", car.data.encode())}, follow=True)
    assert "in the bin" in words(again) and Car.everything.filter(key="ferrow_lark").count() == 1


@pytest.mark.parametrize("days", [29, 31])
def test_it_goes_for_good_after_thirty_days(client_in: Client, event: Event, second: Sheet, first: Sheet, days: int) -> None:
    remove(client_in, "sheet", second.pk)
    Sheet.everything.filter(pk=second.pk).update(deleted_at=timezone.now() - timedelta(days=days))
    waste.empty_all(timezone.now() - waste.WAITS)
    assert Sheet.everything.filter(pk=second.pk).exists() == (days < 30)


def test_strangers_and_unknown_kinds_find_nothing(client_in: Client, stranger: Client, event: Event, first: Sheet) -> None:
    for key, pk in (("event", event.pk), ("sheet", first.pk), ("car", event.car_id), ("user", 1), ("sheet", 10**30)):
        address = f"/bin/{key}/{pk}/delete/"
        assert stranger.get(address).status_code == 404 and stranger.post(address).status_code == 404
    assert client_in.get("/bin/user/1/delete/").status_code == 404 and event.sheets.exists()


def test_a_session_is_renamed_and_moved(client_in: Client, event: Event) -> None:
    row = event.sessions.first()
    assert row is not None
    address = reverse("change_session", args=[event.pk, row.pk])
    client_in.post(address, {"name": "Night practice", "kind": "practice", "starts_at": "2026-07-04T21:15"})
    row.refresh_from_db()
    assert row.name == "Night practice" and row.starts_at.hour == 21
    wrong = words(client_in.post(address, {"name": "", "kind": "practice", "starts_at": "x"}, follow=True))
    row.refresh_from_db()
    assert "Night practice:" in wrong and row.name == "Night practice"


def test_what_is_deleted_for_good_asks_and_is_gone(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]
) -> None:
    run, address = drive(first, 1), reverse("for_good", args=["event", event.pk])
    assert "is not in the bin" in words(client_in.post(address, follow=True)) and Event.objects.filter(pk=event.pk).exists()
    remove(client_in, "run", run.pk)
    remove(client_in, "car", event.car.pk)
    held = words(client_in.post(reverse("for_good", args=["car", event.car.pk]), follow=True))
    assert "stays in the bin" in held and Car.everything.filter(pk=event.car.pk).exists()
    remove(client_in, "sheet", second.pk)
    assert "2 things went for good, 1 stays in the bin" in words(client_in.post(reverse("empty_bin"), follow=True))
    assert not Run.objects.filter(pk=run.pk).exists() and not Sheet.everything.filter(pk=second.pk).exists()
    remove(client_in, "event", event.pk)
    asked = words(client_in.get(address))
    assert "cannot be undone" in asked and "for good?" in asked and Event.objects.filter(pk=event.pk).exists()
    assert "is gone for good" in words(client_in.post(address, follow=True))
    assert "all 1" not in words(client_in.get(reverse("empty_bin"))) and not Event.objects.filter(pk=event.pk).exists()
    assert "The bin is empty" in words(client_in.post(reverse("empty_bin"), follow=True))
    assert client_in.get(reverse("empty_bin")).status_code == 302 and not Car.everything.filter(pk=event.car.pk).exists()


def test_what_is_brought_back_meanwhile_stays_and_what_is_going_comes_back_no_more(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run], monkeypatch: pytest.MonkeyPatch
) -> None:
    drive(first, 1)
    events.delete_event(event)
    stale = Event.objects.get(pk=event.pk)
    events.restore_event(event)
    assert not waste.for_good(waste.KINDS["event"], stale) and event.runs.count() == 1
    events.delete_event(event)

    def stopped(row: Event) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(waste, "let_go", stopped)
        with suppress(KeyboardInterrupt):
            waste.for_good(waste.KINDS["event"], Event.objects.get(pk=event.pk))
    assert client_in.post(reverse("restore", args=["event", event.pk])).status_code == 404
    assert "The bin is empty" in words(client_in.get(reverse("bin")))
    assert waste.empty_all(timezone.now() - waste.WAITS) == 1 and not Event.objects.exists()
