"""Signing in under attack, the password, and what whoever runs the server relies on."""

import re
import stat
from pathlib import Path

import pytest
from django.conf import settings
from django.db import OperationalError
from django.test import Client

from apextrim.accounts.browsers import words_of
from apextrim.events.models import Event
from tests.apextrim.commands import manage

ROOT = Path(__file__).parents[3]


def signed_in(password: str, name: str = "racer") -> bool:
    return Client().post("/sign-in/", {"username": name, "password": password}).status_code == 302


def test_a_name_has_to_wait_after_failed_sign_ins_and_others_do_not(event: Event) -> None:
    assert signed_in("withy-bend-4")
    for _ in range(settings.AXES_FAILURE_LIMIT):
        assert not signed_in("guess")
    response = Client().post("/sign-in/", {"username": "racer", "password": "withy-bend-4"})
    assert response.status_code == 429 and "Wait 15 minutes" in response.content.decode() and int(response["Retry-After"]) == 900
    event.owner.__class__.objects.create_user("another", password="withy-bend-5")
    assert signed_in("withy-bend-5", "another")


def test_a_new_password_ends_every_other_session(event: Event) -> None:
    here, there = Client(), Client()
    for client in (here, there):
        assert client.post("/sign-in/", {"username": "racer", "password": "withy-bend-4"}).status_code == 302
    page = here.get("/password/").content.decode()
    assert "Change your password" in page and re.search(r'href="/account/"', page)
    assert re.search(r'href="/password/"', here.get("/account/").content.decode())
    wrong = here.post("/password/", {"old_password": "x", "new_password1": "marsh-bend-9", "new_password2": "marsh-bend-9"})
    assert wrong.status_code == 200 and "incorrect" in wrong.content.decode()
    done = here.post(
        "/password/", {"old_password": "withy-bend-4", "new_password1": "marsh-bend-9", "new_password2": "marsh-bend-9"}, follow=True
    )
    assert "Your password is changed" in done.content.decode()
    assert here.get("/events/").status_code == 200 and there.get("/events/").status_code == 302
    assert signed_in("marsh-bend-9") and not signed_in("withy-bend-4")


def test_the_demos_password_is_everybodys_and_stays(event: Event, settings) -> None:  # type: ignore[no-untyped-def]
    settings.DEMO, settings.DEMO_USER = True, "racer"
    client = Client()
    client.force_login(event.owner)
    assert client.get("/password/").status_code == 404 and b'href="/account/"' not in client.get("/events/").content
    assert client.get("/account/").status_code == client.post("/account/end/", {"browser": "others"}).status_code == 404


def test_browsers_are_listed_and_signed_out_one_by_one_or_all(event: Event) -> None:
    clients = [Client(HTTP_USER_AGENT=f"pit wall {k}") for k in range(4)]
    for client in clients:
        client.post("/sign-in/", {"username": "racer", "password": "withy-bend-4"})
    event.owner.__class__.objects.create_user("other", password="withy-bend-5")
    other = Client(HTTP_USER_AGENT="a stranger")
    other.post("/sign-in/", {"username": "other", "password": "withy-bend-5"})
    page = clients[0].get("/account/").content.decode()
    assert all(f"pit wall {k}" in page for k in range(4)) and "a stranger" not in page
    assert page.index("pit wall 0") < page.index("pit wall 3") and page.count("Sign out there") == 3
    assert not any(str(client.session.session_key) in page for client in clients)
    named = re.findall(r'name="browser" value="([0-9a-f]{24})"', page)
    assert clients[0].post("/account/end/", {"browser": named[0]}).status_code == 302
    assert [client.get("/events/").status_code for client in clients].count(302) == 1
    other.post("/account/end/", {"browser": named[1]})  # not theirs to end
    assert [client.get("/events/").status_code for client in clients].count(302) == 1
    clients[0].post("/account/end/", {"browser": "others"})
    assert [client.get("/events/").status_code for client in clients] == [200, 302, 302, 302] and other.get("/events/").status_code == 200


def test_health_is_public_and_tells_a_busy_database(db: None, monkeypatch: pytest.MonkeyPatch) -> None:
    response = Client().get("/health/")
    assert response.status_code == 200 and response.content == b"ok\n"

    def busy(*_: object) -> None:
        raise OperationalError("database is locked")

    monkeypatch.setattr("apextrim.accounts.views.get_user_model", busy)
    response = Client().get("/health/")
    assert response.status_code == 503 and response.content == b"The database is busy\n"


@pytest.mark.thorough_only
def test_the_settings_behind_tls_pass_djangos_own_review(tmp_path: Path) -> None:
    done = manage(tmp_path, "check", "--deploy", "--fail-level", "WARNING", APEX_TLS="1", APEX_HOSTS="trim.example.org")
    assert done.returncode == 0, done.stderr


@pytest.mark.thorough_only
def test_folder_and_files_are_nobody_elses(tmp_path: Path) -> None:
    var = tmp_path / "var"
    assert manage(var, "migrate", "-v0").returncode == 0
    assert stat.S_IMODE(var.stat().st_mode) == 0o700
    assert {stat.S_IMODE(path.stat().st_mode) for path in var.iterdir() if path.is_file()} == {0o600}


@pytest.mark.parametrize(
    ("agent", "words"),
    [
        ("Wanderer/5.0 (Phone; Marsh 14) Engine/537.36 (and others) Wanderer/156", "Phone; Marsh 14"),
        ("", "unknown"),
        ("a plain logger", "a plain logger"),
        ("(" * 300, "(" * 80),
    ],
)
def test_a_browser_is_told_by_its_system(agent: str, words: str) -> None:
    assert words_of(agent) == words
