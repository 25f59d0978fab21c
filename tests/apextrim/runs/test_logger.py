"""The logger's door: tokens, repeats, broken messages, two loggers, and a server that dies in the middle."""

import json
import os
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from django.test import Client

from apexcore.formats.logger import Sent, read_json_lines
from apextrim.events.models import Event
from apextrim.runs import logger
from apextrim.runs.models import LapTrace, LoggerKey, Run
from apextrim.runs.recorded import samples_of
from apextrim.sheets.models import Sheet

ROOT = Path(__file__).parents[3]


@pytest.fixture
def key(event: Event, first: Sheet) -> tuple[LoggerKey, str]:
    event.refresh_from_db()
    return logger.make_key(event, "box")


def send(token: str, data: str | bytes, kind: str = "application/x-ndjson", run: str = "") -> Any:
    address = "/logger/" + (f"?run={run}" if run else "")
    return Client().post(address, data, content_type=kind, headers={"authorization": f"Bearer {token}"})


def line(**content: object) -> str:
    return json.dumps(content) + "\n"


def stint(run: str = "k1", laps: int = 6) -> str:
    text = line(type="run", run=run, fuel_l=30, front="marl", rear="marl")
    for n in range(1, laps + 1):
        text += line(type="sample", run=run, t_s=74.0 * n, channels={"speed_kmh": 180.5, "throttle": None})
        text += line(type="lap", run=run, lap=n, time_s=86.0 if n == 1 else 73.5 + 0.01 * n, fuel_l=1.9, top_kmh=236.5)
    return text


def test_laps_arrive_and_the_run_closes_at_the_pit(key: tuple[LoggerKey, str], event: Event) -> None:
    answer = send(key[1], stint()).json()
    run = event.runs.get()
    assert (answer["laps"], answer["samples"], answer["runs"]) == (6, 6, {"k1": "R1"})
    assert not run.closed and run.fuel_l == 30 and len(samples_of(run)[0]) == 6
    assert samples_of(run)[1]["speed_kmh"].tolist() == [180.5] * 6
    reading = {"hot_kpa": [190, 185, 195, 188], "cold_kpa": [140] * 4, "tread_c": [[95, 92, 88]] * 4, "left_pct": [92, 95, 90, 94]}
    assert send(key[1], line(type="pit", run="k1") + line(type="tyres", run="k1", **reading)).status_code == 200
    run.refresh_from_db()
    assert run.closed and [lap.kind for lap in run.laps.all()] == ["out", *["timed"] * 4, "in"]
    assert run.readings.get().values["left_rl"] == 90 and run.readings.get().sheet == run.sheet


def test_a_repeat_adds_nothing_and_what_was_lost_is_sent_again(key: tuple[LoggerKey, str], event: Event) -> None:
    whole = stint()
    cut = whole[: whole.rindex('"time_s"')]
    answer = send(key[1], cut).json()
    assert answer["laps"] == 5 and answer["send_again_from_line"] == 13
    answer = send(key[1], whole).json()
    assert (answer["laps"], answer["samples"], answer["passed_over"]) == (1, 0, 5)
    assert send(key[1], whole).json()["laps"] == 0
    assert Run.objects.count() == 1 and event.runs.get().laps.count() == 6


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (line(type="lap", run="k1", lap=2, time_s=99.0), "Run k1, lap 2: 1:39.000 is not valid; it is there already with 1:13.520"),
        (line(type="lap", run="k1", lap=7, time_s=-3), "Line 1, time_s"),
        (line(type="run", run="k9", front="soft"), "“soft” is no compound of this car"),
        ("not json\n", "Line 1: this is not valid JSON"),
        (b"\xff\xfe\n", "not UTF-8"),
        ("", "empty"),
    ],
)
def test_a_message_with_a_mistake_is_refused_as_a_whole(key: tuple[LoggerKey, str], event: Event, data: str | bytes, words: str) -> None:
    send(key[1], stint())
    good = line(type="lap", run="k1", lap=8, time_s=74.0)
    response = send(key[1], data if not isinstance(data, str) or not data else good + data)
    if isinstance(data, str) and data:
        words = words.replace("Line 1", "Line 2")
    assert response.status_code == 422 and words in " ".join(response.json()["problems"])
    assert event.runs.get().laps.count() == 6 and not Run.objects.filter(logger_run="k9").exists()


def test_a_wrong_or_withdrawn_token_is_told_apart(key: tuple[LoggerKey, str]) -> None:
    assert send("nonsense", stint()).status_code == 401 and "not known" in send("nonsense", stint()).json()["problems"][0]
    assert Client().post("/logger/", stint(), content_type="application/x-ndjson").status_code == 401
    logger.withdraw_key(key[0])
    response = send(key[1], stint())
    assert response.status_code == 403 and "was withdrawn" in response.json()["problems"][0] and not Run.objects.exists()
    assert LoggerKey.objects.get().digest != key[1]


def test_two_loggers_that_use_one_name_have_a_run_each(key: tuple[LoggerKey, str], event: Event) -> None:
    other = logger.make_key(event, "second box")
    assert send(key[1], stint()).json()["runs"] == {"k1": "R1"}
    assert send(other[1], stint(laps=3)).json()["runs"] == {"k1": "R2"}
    assert [run.laps.count() for run in event.runs.all()] == [6, 3]


def test_a_clock_that_goes_back_loses_nothing_and_is_noted(key: tuple[LoggerKey, str], event: Event) -> None:
    samples = "".join(line(type="sample", run="k1", t_s=t, channels={"speed_kmh": 100 + t}) for t in (1.0, 2.0, 0.5, 3.0))
    answer = send(key[1], samples).json()
    assert answer["samples"] == 4 and "went back from 2 s to 0.5 s" in answer["notes"][0]
    assert samples_of(event.runs.get())[0].tolist() == [1.0, 2.0, 0.5, 3.0]


def test_laps_come_as_csv_too(key: tuple[LoggerKey, str], event: Event) -> None:
    csv = "lap;lap_time;fuel_l\n1;1:25,1;1,9\n2;1:13,9;1,9\n"
    assert send(key[1], csv.encode(), "text/csv", "k3").json()["laps"] == 2
    assert send(key[1], csv.encode(), "text/csv").status_code == 422
    assert send(key[1], csv.replace("1:13,9", "quick").encode(), "text/csv", "k3").status_code == 422
    assert event.runs.get().laps.count() == 2


def test_the_weather_station_sets_the_conditions_of_now(key: tuple[LoggerKey, str], event: Event) -> None:
    knots = event.knots.count()
    assert send(key[1], line(type="weather", air_c=31.5, track_c=44)).status_code == 200
    event.refresh_from_db()
    assert event.conditions["air_c"] == 31.5 and event.conditions["track_c"] == 44 and event.knots.count() == knots
    assert send(key[1], line(type="weather", air_c=99)).status_code == 422


def test_an_event_without_a_sheet_in_the_car_says_so(event: Event) -> None:
    _, token = logger.make_key(event, "early")
    response = send(token, stint())
    assert response.status_code == 422 and "No sheet is in the car" in response.json()["problems"][0]


@pytest.mark.thorough_only
@pytest.mark.usefixtures("at_once", "key")
def test_the_simulated_senders_use_the_same_door(event: Event, client_in: Client) -> None:
    client_in.post(f"/events/{event.pk}/runs/live/simulate/")
    run = event.runs.get()
    lap = run.laps.all()[3]
    assert run.closed and run.laps.count() == 8 and (lap.top_ms or 0) > 50 and len(lap.sectors_s) == 3
    assert sum(lap.sectors_s) == pytest.approx(lap.time_s, abs=2e-3)
    assert LapTrace.objects.filter(lap__run=run).count() == run.laps.count() and {"hot_fl", "inner_rr", "left_rl"} <= set(
        run.readings.get().values
    )
    page = client_in.get(f"/events/{event.pk}/runs/live/").content.decode()
    assert "is back in the pit" in page and "every 400ms" in page


def test_a_key_is_shown_once_and_withdrawn(event: Event, client_in: Client) -> None:
    page = client_in.post(f"/events/{event.pk}/runs/live/key/", {"name": "pit box"}, follow=True).content.decode()
    row = LoggerKey.objects.get()
    token = page.split('<code class="num">')[1].split("</code>")[0]
    assert logger.digest(token) == row.digest
    assert token not in client_in.get(f"/events/{event.pk}/runs/live/").content.decode()
    client_in.post(f"/events/{event.pk}/runs/live/key/{row.pk}/withdraw/")
    row.refresh_from_db()
    assert row.withdrawn_at is not None


def test_a_long_message_takes_few_queries(key: tuple[LoggerKey, str], django_assert_max_num_queries: Any) -> None:
    text = "".join(line(type="sample", run="k1", t_s=t / 50, channels={"speed_kmh": 100.0}) for t in range(3000))
    with django_assert_max_num_queries(40):
        logger.take(key[0], Sent(read_json_lines(text.encode()).events, None))


@pytest.mark.thorough_only
@pytest.mark.django_db(transaction=True)
def test_a_server_killed_in_the_middle_of_an_import_keeps_all_or_nothing(tmp_path: Path) -> None:
    env = {**os.environ, "APEX_VAR": str(tmp_path), "DJANGO_SETTINGS_MODULE": "apextrim.settings"}
    subprocess.run([sys.executable, "manage.py", "migrate", "-v0"], cwd=ROOT, env=env, check=True)
    begin = (
        "import django, os, signal; django.setup()\n"
        "from django.contrib.auth.models import User\n"
        "from demo.loader import load_files\n"
        "from apextrim.events.actions import create_event\n"
        "from apextrim.modelling import cases\n"
        "from apextrim.sheets.actions import save_sheet\n"
        "from apexcore.vehicle.sheet import base_sheet\n"
        "from apexcore.judge.laps import DrivenLap\n"
        "from apextrim.runs import actions\n"
        "u = User.objects.create_user('r'); load_files(u)\n"
        "e = create_event(u, 'x', u.cars.get(key='wisp_125'), u.circuits.get(key='quernlow'), False)\n"
        "s = save_sheet(e, base_sheet(cases.car_of(e)), None, 'first')\n"
        "run = actions.add_run(e, dict(sheet=s, session=e.session, front='sole', rear='sole', tyre_age=0, fuel_l=4, note=''))\n"
        "from django.db import transaction\n"
    )
    killed = begin + (
        "with transaction.atomic():\n"
        "    actions.add_laps(run, [DrivenLap(n, 50.0) for n in range(1, 400)])\n"
        "    os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    done = subprocess.run([sys.executable, "-c", killed], cwd=ROOT, env=env, capture_output=True)
    assert done.returncode == -signal.SIGKILL, done.stderr.decode()[-600:]
    look = "import django; django.setup()\nfrom apextrim.runs.models import Lap, Run\nprint(Run.objects.count(), Lap.objects.count())"
    after = subprocess.run([sys.executable, "-c", look], cwd=ROOT, env=env, capture_output=True, check=True)
    assert after.stdout.split() == [b"1", b"0"]


def test_the_virtual_logger_speaks_to_the_door_from_outside(key: tuple[LoggerKey, str], event: Event, monkeypatch: Any) -> None:
    from django.core.management import CommandError, call_command

    from apextrim.runs.management.commands.virtual_logger import Command

    def posted(self: Command, options: dict[str, Any], text: str) -> str:
        return str(send(options["token"], text).content.decode())

    monkeypatch.setattr(Command, "_send", posted)
    call_command("virtual_logger", key[1], laps=4, pause=0.0, seed=3)
    run = event.runs.get()
    assert run.closed and run.laps.count() == 4 and LapTrace.objects.filter(lap__run=run).count() == 4 and run.readings.count() == 1
    call_command("virtual_logger", key[1], laps=4, pause=0.0, seed=3)
    assert [run.laps.count() for run in event.runs.all()] == [4, 4]  # it went out again: a run of its own
    with pytest.raises(CommandError, match="no logger key"):
        call_command("virtual_logger", "nonsense")
