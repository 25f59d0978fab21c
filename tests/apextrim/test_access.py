"""Every address with every kind of visitor."""

from collections.abc import Callable, Iterator

import pytest
from django.conf import settings
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver, reverse

from apexcore.formats.race_file import SetupFile
from apexcore.judge.calibration import SCALES
from apexcore.race.happened import Setup
from apexcore.race.plans import Plan, Stint
from apexcore.race.rules import Pace, RaceRules, TyrePace
from apextrim.accounts.invitations import invite, token_of
from apextrim.events.models import Event
from apextrim.race.models import KeptPlan, LiveRace
from apextrim.runs.models import LoggerKey, Run, Upload
from apextrim.sheets.models import Sheet
from apextrim.verdicts.models import Calibration, KeptVerdict, PlannedTest
from apextrim.work import made
from apextrim.work.made import making
from apextrim.work.models import Job
from apextrim.workshop.models import Search

PUBLIC = {
    "home",
    "sign_in",
    "enter_demo",
    "sign_out",
    "logger",
    "timing",
    "health",
    "join",
}  # the doors of logger and timing ask for a token
#: Addresses of before: they lead on to today's, which asks whose it is.
MOVED = {"circuit_bench_of_before"}
#: Addresses without a row in them: a stranger sees his own things there.
OWN = {
    "leave",
    "stay",
    "my_data",
    "made_files",
    "empty_bin",
    "bin",
    "go_on_tour",
    "find",
    "glossary",
    "units",
    "quick_car",
    "copy_sample",
    "survey_file",
    "jobs",
    "jobs_now",
    "account",
    "end_session",
    "change_password",
    "bring_in_event",
    "new_circuit",
    "new_circuit_growing",
    "quick_circuit",
    "circuit_drawn",
    "going_on",
    "events",
    "garage",
    "import_car",
    "import_circuit",
}


def every_pattern(resolver: URLResolver) -> list[tuple[str, list[str]]]:
    found: list[tuple[str, list[str]]] = []

    def walk(node: URLResolver, args: list[str]) -> None:
        for pattern in node.url_patterns:
            names = args + list(pattern.pattern.converters)
            if isinstance(pattern, URLResolver):
                walk(pattern, names)
            elif isinstance(pattern, URLPattern):
                assert pattern.name, pattern
                found.append((pattern.name, names))

    walk(resolver, [])
    return found


PATTERNS = every_pattern(get_resolver())


def begun(event: Event) -> LiveRace:
    """A race of ten laps that has begun."""
    tyre = TyrePace("marl", 0.0, 0.1, 0.3, 20, 0.1)
    rules = RaceRules(laps=10, pit_loss_s=20, tank_l=60)
    plan = Plan((Stint("marl", 1, 10, 30.0),), 700.0, 0.0, 0.0, 0.0)
    setup = SetupFile.of(Setup(rules, Pace(70.0, (tyre,), 2.0, 0.01, 1.0), plan, 0.2, 0.6)).model_dump(mode="json")
    return LiveRace.objects.create(event=event, setup=setup, started_ms=1_000_000, started_at=event.made_at)


@pytest.fixture
def addresses(event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]) -> Iterator[dict[str, str]]:
    """Every address, filled with the racer's rows."""
    run = drive(first, 1)
    verdict = KeptVerdict.objects.create(
        event=event,
        key_a=str(first.pk),
        key_b=str(second.pk),
        side_a="S1",
        side_b="S2",
        margin_s=0.1,
        mean_s=0,
        low_s=-1,
        high_s=1,
        sentence="?",
        made_at=event.made_at,
    )
    plan = KeptPlan.objects.create(event=event, stints=[["marl", 20, 40.0]], time_s=1, start_fuel_l=40, text="?", made_at=event.made_at)
    race = begun(event)
    job = Job.objects.create(owner=event.owner, kind="search", lane="bench", words="?", state="failed", made_at=event.made_at)
    search = Search.objects.create(event=event, sheet=first, job=job, aim="lap", options={}, made_at=event.made_at)
    logger_key = LoggerKey.objects.create(event=event, name="box", digest="x", made_at=event.made_at)
    now = {"event": event, "made_at": event.made_at}
    test = PlannedTest.objects.create(
        differences=[["sheet", "1", "S1", "2", "S2"]], order=[[0], [1]], laps=3, difference_s=0.1, power=0.8, **now
    )
    scales = dict.fromkeys(SCALES, 1.0)
    held = Calibration.objects.create(
        scales=scales, spread=scales, driver=0, driver_spread=0.1, laps=5, before_s=1, after_s=1, level_before_s=1, level_after_s=1, **now
    )
    upload = Upload.objects.create(event=event, name="a.csv", stored="none.rec", size=1, digest="x", made_at=event.made_at)
    invitation = invite(event.owner)
    assert invitation is not None
    with making(job, "laps.json") as path:
        path.write_text("{}")
    keys = {
        "invitation_id": invitation.pk, "token": token_of(invitation),
        "kind_key": "event", "pk": event.pk, "session_id": event.sessions.all()[0].pk, "upload_id": upload.pk, "kind": "csv", "test_id": test.pk, "calibration_id": held.pk, "key_id": logger_key.pk, "search_id": search.pk, "job_id": job.pk, "event_id": event.pk, "sheet_id": first.pk, "run_id": run.pk, "lap_id": run.laps.all()[0].pk, "verdict_id": verdict.pk,
        "plan_id": plan.pk, "race_id": race.pk, "number": 1, "car_id": event.car.pk, "circuit_id": event.circuit.pk,
    }  # fmt: skip
    yield {name: reverse(name, kwargs={arg: keys[arg] for arg in args}) for name, args in PATTERNS}
    (made.folder() / f"{job.pk}-laps.json").unlink()


def test_nobody_sees_anything_without_signing_in(addresses: dict[str, str]) -> None:
    client = Client()
    for name, address in addresses.items():
        if name in PUBLIC:
            continue
        for response in (client.get(address), client.post(address)):
            assert response.status_code == 302, name
            assert response["Location"].startswith("/sign-in/"), name


def test_a_stranger_finds_nothing_of_the_racer(addresses: dict[str, str], stranger: Client, event: Event) -> None:
    laps_before = list(event.runs.get().laps.values_list("kind", flat=True))
    for name, address in addresses.items():
        if name in PUBLIC | OWN | MOVED:
            continue
        for response in (stranger.get(address), stranger.post(address, {"kind": "out"})):
            assert response.status_code in (404, 405), (name, response.status_code)
    event.refresh_from_db()
    assert event.deleted_at is None
    assert list(event.runs.get().laps.values_list("kind", flat=True)) == laps_before
    assert b"racer's weekend" not in stranger.get("/events/").content


@pytest.mark.thorough_only
def test_the_owner_reaches_every_page(addresses: dict[str, str], client_in: Client) -> None:
    for name, address in addresses.items():
        if name not in {"sign_out", "enter_demo"}:
            assert client_in.get(address).status_code in (200, 302, 405) or name in MOVED, name


def test_addresses_of_before_lead_on(addresses: dict[str, str], client_in: Client, stranger: Client, event: Event) -> None:
    for name in MOVED:
        response = client_in.get(addresses[name])
        assert response.status_code == 301
        assert client_in.get(response["Location"]).status_code == 200
        assert stranger.get(response["Location"]).status_code == 404


@pytest.mark.thorough_only
def test_an_empty_or_absurd_post_is_never_a_500(addresses: dict[str, str], client_in: Client) -> None:
    absurd = {
        "sheet": "x" * 50,
        "a": "-1",
        "b": "1e9",
        "margin": "\u221e",
        "laps": "\x00",
        "kind": "\u2603",
        "stops": "99",
        "air_c": "1" * 500,
    }
    for name, address in addresses.items():
        if name in {"sign_out"}:
            continue
        for data in ({}, absurd):
            assert client_in.post(address, data).status_code < 500, name
            assert client_in.get(address, data).status_code < 500, name


def test_a_stranger_cannot_name_the_racers_rows_in_his_own_event(stranger: Client, first: Sheet, second: Sheet) -> None:
    own = Event.objects.get(owner__username="stranger")
    for name in ("sheet_bench", "sheet_difference"):
        assert stranger.get(reverse(name, args=[own.pk]), {"sheet": first.pk, "a": first.pk, "b": second.pk}).status_code == 404
    assert stranger.post(reverse("put_in_car", args=[own.pk]), {"sheet": first.pk}).status_code == 404
    run = {"sheet": first.pk, "session": own.session_id, "front": "marl", "rear": "marl", "tyre_age": "0", "fuel_l": "30"}
    assert stranger.post(reverse("add_run", args=[own.pk]), run).status_code == 422
    data = {"name": "Mine?", "car": first.event.car_id, "circuit": first.event.circuit_id, "real_car": "no"}
    assert stranger.post("/events/", data).status_code == 422
    assert Event.objects.filter(owner__username="stranger").count() == 1


def test_signing_in_and_out(event: Event) -> None:
    client = Client()
    assert client.post("/sign-in/", {"username": "racer", "password": "wrong"}).status_code == 200
    assert client.post("/sign-in/", {"username": "racer", "password": "withy-bend-4"}).status_code == 302
    assert client.get("/events/").status_code == 200
    assert client.post("/sign-out/").status_code == 302
    assert client.get("/events/").status_code == 302


def test_the_demo_door_exists_in_demo_mode_only(event: Event, settings) -> None:  # type: ignore[no-untyped-def]
    assert Client().post("/sign-in/demo/").status_code == 404
    settings.DEMO, settings.DEMO_USER = True, "racer"
    client = Client()
    assert client.post("/sign-in/demo/").status_code == 302
    assert client.get("/events/").status_code == 200


def test_the_content_policy_allows_nothing_inline(client_in: Client) -> None:
    policy = client_in.get("/events/")["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy
    assert settings.DEBUG is False


def test_wrong_addresses_get_a_page_of_the_product(client_in: Client) -> None:
    response = client_in.get("/nowhere/")
    assert response.status_code == 404
    assert b"Page not found" in response.content
