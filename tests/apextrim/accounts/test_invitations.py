"""Accounts by invitation: one person by one link, while whoever made it may invite."""

import re
import shutil
import threading
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apextrim.accounts import invitations
from apextrim.accounts.models import Invitation
from apextrim.events.models import Event
from tests.apextrim.commands import manage
from tests.apextrim.conftest import owner_with_event
from tests.database import migrated

TYPED = {"username": "pit.wall", "password1": "osier-kerb-7", "password2": "osier-kerb-7"}


def link_of(page: str) -> str:
    found = re.search(r'href="http://[^/"]+(/join/[^"]+)"', page)
    assert found, page
    return found.group(1)


@pytest.fixture
def link(client_in: Client) -> str:
    return link_of(client_in.post("/account/invitations/", {"words": "Wren"}, follow=True).content.decode())


def test_a_link_makes_one_account_with_cars_in_its_garage(client_in: Client, event: Event, link: str) -> None:
    there = Client()
    page = there.get(link).content.decode()
    assert "racer invites you" in page
    done = there.post(link, TYPED, follow=True)
    assert "Welcome, pit.wall" in done.content.decode()
    made = User.objects.get(username="pit.wall")
    assert made.cars.exists() and made.circuits.exists() and not made.is_staff and not made.is_superuser
    assert b"racer's weekend" not in there.get("/events/").content
    assert Client().get(link).status_code == Client().post(link, {**TYPED, "username": "second"}).status_code == 404
    listed = client_in.get("/account/invitations/").content.decode()
    assert "by pit.wall" in listed and link not in listed
    assert "has been used" in client_in.post(f"/account/invitations/{Invitation.objects.get().pk}/end/", follow=True).content.decode()


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ({"username": "racer"}, "already exists"), ({"username": "RACER"}, "already exists"), ({"username": ""}, "required"),
        ({"username": "a b/<"}, "valid username"), ({"username": "x" * 41}, "at most 40"), ({"password2": "other-kerb-7"}, "match"),
        ({"password1": "short", "password2": "short"}, "too short"), ({"password1": "password1", "password2": "password1"}, "too common"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_and_uses_nothing_up(link: str, typed: dict[str, str], words: str) -> None:
    page = Client().post(link, {**TYPED, **typed})
    assert page.status_code == 422 and words in page.content.decode(), page.content.decode()
    assert User.objects.count() == 1 and Client().post(link, TYPED).status_code == 302


def test_a_link_that_is_old_ended_or_not_ours_opens_nothing(client_in: Client, event: Event, link: str) -> None:
    row = Invitation.objects.get()
    for token in ("x", "1.abc", link[6:-2], link[6:-1] + "x:", f"{row.pk}.{row.nonce}", f"{row.pk}.other:{link[6:-1].split(':')[1]}"):
        assert Client().get(reverse("join", args=[token])).status_code == 404, token
    Invitation.objects.update(until=timezone.now() - timedelta(seconds=1))
    assert Client().post(link, TYPED).status_code == 404
    Invitation.objects.update(until=timezone.now() + timedelta(days=1))
    assert Client().get(link).status_code == 200
    assert "You are signed in already" in client_in.get(link).content.decode()
    event.owner.is_active = False
    event.owner.save()
    assert Client().get(link).status_code == 404  # whoever made it may not invite any more
    event.owner.is_active = True
    event.owner.save()
    client_in.force_login(event.owner)
    client_in.post(f"/account/invitations/{row.pk}/end/")
    assert Client().post(link, TYPED).status_code == 404 and User.objects.count() == 1


def test_who_may_invite_is_the_keepers_to_say(client_in: Client, event: Event) -> None:
    other, _ = owner_with_event("stranger")
    theirs = Client()
    theirs.force_login(other)
    assert theirs.get("/account/invitations/").status_code == 404 and b"Invitations" not in theirs.get("/account/").content
    assert theirs.post("/account/inviters/", {"inviters": "everybody"}).status_code == 404
    assert "nothing was changed" in client_in.post("/account/inviters/", {"inviters": "all"}, follow=True).content.decode()
    client_in.post("/account/inviters/", {"inviters": "everybody"})
    link = link_of(theirs.post("/account/invitations/", {"words": ""}, follow=True).content.decode())
    assert link not in client_in.get("/account/invitations/").content.decode()
    client_in.post("/account/inviters/", {"inviters": "nobody"})
    assert Client().get(link).status_code == 404 and theirs.get("/account/invitations/").status_code == 404
    assert "Nobody may invite" in client_in.get("/account/invitations/").content.decode()
    assert client_in.post("/account/invitations/", {}).status_code == 404


def test_so_many_links_wait_and_the_demo_has_none(client_in: Client, event: Event, settings: Any) -> None:
    for _ in range(invitations.MOST_OPEN + 2):
        page = client_in.post("/account/invitations/", {"words": "x" * 300}, follow=True)
    assert Invitation.objects.count() == invitations.MOST_OPEN and "wait already" in page.content.decode()
    settings.DEMO, settings.DEMO_USER, settings.INVITES = True, "racer", True
    assert client_in.get("/account/invitations/").status_code == 404
    settings.DEMO, settings.INVITES = False, False
    row = Invitation.objects.all()[0]
    assert Client().get(reverse("join", args=[invitations.token_of(row)])).status_code == 404


@pytest.mark.django_db(transaction=True)
def test_two_at_once_make_one_account() -> None:
    maker = User.objects.create_user("racer", password="withy-bend-4")
    row = invitations.invite(maker)
    assert row is not None
    address, told, gate = reverse("join", args=[invitations.token_of(row)]), list[int](), threading.Barrier(3)

    def send(name: str) -> None:
        gate.wait()
        told.append(Client().post(address, {**TYPED, "username": name}).status_code)
        connection.close()

    threads = [threading.Thread(target=send, args=(f"wren{k}",)) for k in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(told) == [302, 404, 404] and User.objects.count() == 2


def test_a_name_taken_at_the_same_moment_is_told(link: str, monkeypatch: pytest.MonkeyPatch) -> None:
    real = invitations.make

    def late(user: User) -> None:
        User.objects.create_user(user.username, password="osier-kerb-8")
        real(user)

    monkeypatch.setattr(invitations, "make", late)
    told = Client().post(link, TYPED)
    assert told.status_code == 422 and "already exists" in told.content.decode() and User.objects.count() == 1
    monkeypatch.setattr(invitations, "make", real)
    assert Client().post(link, TYPED).status_code == 302  # the link still holds


@pytest.mark.thorough_only
def test_the_command_makes_one_for_the_keeper(tmp_path: Path) -> None:
    shutil.copy(migrated(), tmp_path / "apextrim.sqlite3")
    assert "no account yet" in manage(tmp_path, "invite").stderr
    made = manage(tmp_path, "new_owner", "first", "--password", "osier-kerb-7")
    assert made.returncode == 0, made.stderr
    told = manage(tmp_path, "invite", "--for", "Wren")
    assert re.match(r"http://localhost:8000/join/\d+\.[\w-]+:[\w-]+/\n", told.stdout), told
    assert "off" in manage(tmp_path, "invite", APEX_INVITES="0").stderr
    secured = manage(tmp_path, "invite", APEX_TLS="1", APEX_HOSTS="trim.example.org")
    assert secured.stdout.startswith("https://trim.example.org/join/")
