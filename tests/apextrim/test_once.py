"""Forms that come twice, at once or late, and sessions that end while something is typed."""

import json
import re
import threading
from collections.abc import Callable
from urllib.parse import parse_qs, urlsplit

import pytest
from django.db import connection
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apextrim.events.models import Event
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from apextrim.work.models import Job


def key_in(page: str, address: str) -> str:
    """The key of the form that goes to an address."""
    form = next(part for part in re.findall(r"<form.*?</form>", page, re.DOTALL) if f'action="{address}"' in part)
    return str(re.findall(r'name="once"\s+value="([^"]+)"', form)[0])


def told(first: Sheet, **more: str) -> dict[str, str]:
    """A run as its form sends it."""
    session = first.event.sessions.first()
    assert session is not None
    run = {"sheet": str(first.pk), "session": str(session.pk), "front": "marl", "rear": "marl", "fuel_l": "30", "tyre_age": "0"}
    return {**run, "laps": "1:20.1\n1:20.3", **more}


def test_every_form_has_a_key_of_its_own(client_in: Client, event: Event, first: Sheet) -> None:
    page = client_in.get(reverse("runs_bench", args=[event.pk])).content.decode()
    keys = re.findall(r'name="once"\s+value="([^"]+)"', page)
    assert len(keys) == len(set(keys)) == page.count('name="csrfmiddlewaretoken"') >= 2
    again = client_in.get(reverse("runs_bench", args=[event.pk])).content.decode()
    assert not set(keys) & set(re.findall(r'name="once"\s+value="([^"]+)"', again))


def test_a_repeat_is_done_once_and_led_to_the_same_place(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("add_run", args=[event.pk])
    key = key_in(client_in.get(reverse("runs_bench", args=[event.pk])).content.decode(), address)
    one, two = (client_in.post(address, told(first, once=key)) for _ in range(2))
    assert one.status_code == two.status_code == 302 and one["Location"] == two["Location"] and Run.objects.count() == 1
    assert key in one.cookies["apex-taken"].value.split(".")
    # gone back to, changed and sent again is another form; so is the same one from another account, or without a key
    client_in.post(address, told(first, once=key, laps="1:19.9"))
    client_in.post(address, told(first))
    client_in.post(address, told(first, once="!" * 9))
    assert Run.objects.count() == 4


def test_what_was_refused_may_be_sent_again(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("add_run", args=[event.pk])
    for _ in range(2):
        wrong = client_in.post(address, told(first, once="a-key-of-a-form", laps="fast"))
        assert wrong.status_code == 422 and "fast" in wrong.content.decode() and "apex-taken" not in wrong.cookies


@pytest.mark.django_db(transaction=True)
def test_six_at_once_make_one_run(client_in: Client, event: Event, first: Sheet) -> None:
    address, went = reverse("add_run", args=[event.pk]), list[str]()
    cookies = client_in.cookies

    def send() -> None:
        client = Client()
        client.cookies = cookies
        went.append(client.post(address, told(first, once="the-same-form"))["Location"])
        connection.close()

    threads = [threading.Thread(target=send) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(went) == 6 and len(set(went)) == 1 and Run.objects.count() == 1


def test_an_ended_session_leads_back_to_the_page_of_the_form(client_in: Client, event: Event, first: Sheet) -> None:
    page, address = reverse("runs_bench", args=[event.pk]), reverse("add_run", args=[event.pk])
    stranger = Client()
    answer = stranger.post(address, told(first), HTTP_REFERER=f"http://testserver{page}?sheet=1", HTTP_HOST="testserver")
    assert answer.status_code == 302 and parse_qs(urlsplit(answer["Location"]).query)["next"] == [f"{page}?sheet=1"]
    for referer in ("https://elsewhere.example/x/", ""):
        away = stranger.post(address, told(first), HTTP_REFERER=referer)
        assert parse_qs(urlsplit(away["Location"]).query)["next"] == [reverse("home")]
    part = stranger.post(
        reverse("sheet_answer", args=[event.pk]), {}, headers={"HX-Request": "true", "HX-Current-URL": f"http://testserver{page}"}
    )
    timer = stranger.get(reverse("jobs_now"), headers={"HX-Request": "true", "HX-Current-URL": f"http://testserver{page}"})
    for one in (part, timer):
        to = json.loads(one["HX-Trigger"])["signed-out"]["to"]
        assert one.status_code == 204 and "HX-Redirect" not in one and parse_qs(urlsplit(to).query)["next"] == [page]
    assert Run.objects.count() == 0
    plain = stranger.get(address)
    assert plain.status_code == 302 and parse_qs(urlsplit(plain["Location"]).query)["next"] == [address]


def test_a_form_out_of_date_says_the_way_back(event: Event, client_in: Client) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.cookies = client_in.cookies
    page = reverse("runs_bench", args=[event.pk])
    answer = strict.post(reverse("add_run", args=[event.pk]), {"laps": "1:20"}, HTTP_REFERER=f"http://testserver{page}")
    assert answer.status_code == 403 and f'href="{page}"' in answer.content.decode() and "What you typed is kept" in answer.content.decode()


@pytest.mark.parametrize(
    "there", ["1", "elsewhere.example", "//elsewhere.example/", "https://elsewhere.example/", "javascript:alert(1)", "", "/\\elsewhere"]
)
def test_a_way_that_is_none_leads_to_a_page_of_our_own(client_in: Client, event: Event, there: str) -> None:
    answer = client_in.post(reverse("go_on_tour"), {"to": "1", "next": there})
    assert answer.status_code == 302 and answer["Location"] == reverse("home")


@pytest.mark.parametrize("there", ["1", "nowhere", "https://elsewhere.example/", "/events/"])
def test_stopping_a_job_leads_to_a_page_of_our_own(client_in: Client, event: Event, there: str, job_of: Callable[[Event], int]) -> None:
    answer = client_in.post(reverse("stop_job", args=[job_of(event)]), {"back": there})
    assert answer.status_code == 302 and answer["Location"] == (there if there == "/events/" else reverse("jobs"))


@pytest.fixture
def job_of() -> Callable[[Event], int]:
    def made(event: Event) -> int:
        return Job.objects.create(owner=event.owner, kind="line", lane="search", words="to be stopped", made_at=timezone.now()).pk

    return made


def test_what_a_page_asks_while_one_types_takes_nothing(client_in: Client) -> None:
    """The drawing board sends its whole form again and again: the browser must not let go what was typed for that."""
    told = {
        "name": "Marsh Lane",
        "length_m": "1800",
        "width_m": "10",
        "closed": "lap",
        "how": "type",
        "lines": "420",
        "once": "drawing-board-1",
    }
    asked = client_in.post("/garage/circuits/quick/drawn/", told)
    assert asked.status_code == 200 and "apex-taken" not in asked.cookies
