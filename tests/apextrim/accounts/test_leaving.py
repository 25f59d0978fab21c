"""The end of an account: asked for with its password, thirty days in which it can be kept, then nothing of it is left in the database."""

import re
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing, suppress
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.utils import timezone

from apextrim.accounts import invitations, leaving
from apextrim.accounts.models import Preferences
from apextrim.archive.everything import end_accounts
from apextrim.events.models import Event
from apextrim.library.models import Car
from apextrim.runs.models import Run, Upload
from apextrim.sheets.models import Sheet
from apextrim.traces import uploads
from tests.apextrim.commands import manage
from tests.apextrim.conftest import owner_with_event
from tests.database import migrated


def late(user: User) -> None:
    """Thirty days later."""
    Preferences.objects.filter(owner=user, leaves_at__isnull=False).update(leaves_at=timezone.now() - timedelta(seconds=1))


def test_it_asks_for_the_password_waits_and_can_be_kept(client_in: Client, event: Event) -> None:
    wrong = client_in.post("/account/delete/", {"password": "guess"})
    assert wrong.status_code == 422 and "not the password" in wrong.content.decode() and leaving.leaves_at(event.owner) is None
    assert "goes for good on" in client_in.post("/account/delete/", {"password": "withy-bend-4"}, follow=True).content.decode()
    at = leaving.leaves_at(event.owner)
    assert at is not None and timedelta(days=29) < at - timezone.now() <= timedelta(days=30)
    assert leaving.leave(event.owner) == at  # asked again it waits no longer
    again = Client().post("/sign-in/", {"username": "racer", "password": "withy-bend-4"}, follow=True)
    assert "you can keep it" in again.content.decode()
    assert list(end_accounts()) == [] and Event.objects.exists()
    assert "The account stays" in client_in.post("/account/keep/", follow=True).content.decode()
    late(event.owner)  # changes nothing where nothing waits
    assert "Delete the account" in client_in.get("/account/").content.decode()


def test_after_thirty_days_all_of_it_is_gone_and_nothing_of_others(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]
) -> None:
    drive(first, 1)
    other, theirs = owner_with_event("stranger")
    Upload.objects.create(event=event, name="a.csv", stored="gone.rec", size=1, digest="x", made_at=event.made_at)
    file = uploads.folder() / "gone.rec"
    file.touch()
    Car.everything.filter(owner=event.owner, key="ferrow_lark").update(deleted_at=timezone.now())
    invitations.invite(event.owner)
    leaving.leave(event.owner)
    late(event.owner)
    assert list(end_accounts()) == ["racer"] and not file.exists()
    assert client_in.get("/events/").status_code == 302  # signed out everywhere
    assert list(User.objects.values_list("username", flat=True)) == ["stranger"]
    assert list(Event.objects.all()) == [theirs] and set(Car.everything.values_list("owner", flat=True)) == {other.pk}
    assert invitations.keeper() == other
    assert list(end_accounts()) == []


def test_what_ends_halfway_is_ended_the_next_time(event: Event, first: Sheet, drive: Callable[..., Run], monkeypatch) -> None:  # type: ignore[no-untyped-def]
    drive(first, 1)
    leaving.leave(event.owner)
    late(event.owner)

    def broken(self: Event) -> None:
        raise RuntimeError

    with monkeypatch.context() as patch:
        patch.setattr(Event, "delete", broken)
        with suppress(RuntimeError):
            list(end_accounts())
    signing_in = Client().post("/sign-in/", {"username": "racer", "password": "withy-bend-4"})
    assert signing_in.status_code == 200  # half an account lets nobody in
    assert list(end_accounts()) == ["racer"]


@pytest.mark.thorough_only
def test_deleted_words_leave_the_file(tmp_path: Path) -> None:
    """Under the product's own settings, in a database of its own: what was typed is found in the file before, and in none afterwards."""
    shutil.copy(migrated(), tmp_path / "apextrim.sqlite3")
    manage(tmp_path, "new_owner", "leaver", "--password", "osier-kerb-7")
    code = (
        "from django.contrib.auth.models import User; from django.db import connection; from django.utils import timezone; "
        "from apextrim.accounts import leaving; from apextrim.accounts.models import Preferences; "
        "from apextrim.library.models import CornerNote; "
        "user = User.objects.get(); "
        "[CornerNote.objects.create(circuit=user.circuits.all()[0], number=n, qualifying=f'withybed secret {n} ' * 9) for n in range(90, 400)]; "
        "leaving.leave(user); connection.cursor().execute('PRAGMA wal_checkpoint(TRUNCATE)'); "
    )
    assert manage(tmp_path, "shell", "-c", code).returncode == 0

    def found() -> int:
        return sum(len(re.findall(b"withybed secret", path.read_bytes())) for path in tmp_path.glob("apextrim.sqlite3*"))

    assert found() > 300
    with closing(sqlite3.connect(tmp_path / "apextrim.sqlite3")) as database, database:
        database.execute("UPDATE accounts_preferences SET leaves_at = '2020-01-01 00:00:00'")
    told = manage(tmp_path, "tidy")
    assert told.returncode == 0 and "1 of the accounts" in told.stdout, told.stderr
    assert found() == 0


def test_the_demos_account_stays_and_pages_are_kept_by_no_cache(client_in: Client, event: Event, settings: Any) -> None:
    for address in ("/events/", f"/events/{event.pk}/", "/account/", "/garage/"):
        assert client_in.get(address)["Cache-Control"] == "private, no-store", address
    assert "Cache-Control" not in Client().get("/health/")
    with connection.cursor() as cursor:
        assert cursor.execute("PRAGMA secure_delete").fetchone()[0] == 1
    settings.DEMO, settings.DEMO_USER = True, "racer"
    for address in ("/account/delete/", "/account/keep/", "/account/data/"):
        assert client_in.post(address, {"password": "withy-bend-4"}).status_code == 404
    event.deleted_at = timezone.now()  # what everybody uses is brought back by anybody, and removed by nobody
    event.save()
    assert client_in.post("/bin/empty/").status_code == client_in.post(f"/bin/event/{event.pk}/for-good/").status_code == 404
    page = client_in.get("/bin/").content.decode()
    assert "Bring back" in page and "for good</a>" not in page and "Empty the bin" not in page
