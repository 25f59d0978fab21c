"""The workers as processes of their own: stopped, killed, started anew, and gone with the server that started them."""

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from pathlib import Path

import pytest

from tests.apextrim.commands import ROOT, manage

pytestmark = [pytest.mark.slow, pytest.mark.xdist_group("workers")]

#: A racer with a sheet, and as many long searches as are asked for.
_SCENARIO = """
import os, sys, django
django.setup()
from django.contrib.auth.models import User
from django.utils import timezone
from apexcore.vehicle.sheet import base_sheet
from apextrim.events.actions import create_event
from apextrim.modelling import cases
from apextrim.sheets.actions import save_sheet
from apextrim.workshop import tasks
from apextrim.workshop.models import Search
from demo.loader import load_files
user = User.objects.create_user("racer")
load_files(user)
event = create_event(user, "x", user.cars.get(key="brackendale_gt"), user.circuits.get(key="sallowmere_fen"), False)
car = cases.car_of(event)
sheet = save_sheet(event, base_sheet(car), None, "first")
options = {"items": [item.key for item in car.items if item.tunes_lap], "laps": 30, "top_ms": None, "entry_pct": None, "work": None}
for _ in range(2):
    tasks.ask(Search(event=event, sheet=sheet, aim="forgiving", options=options, made_at=timezone.now()))
"""


@pytest.fixture(scope="module")
def prepared(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("work")
    assert manage(folder, "migrate", "-v0").returncode == 0
    env = {**os.environ, "APEX_VAR": str(folder), "DJANGO_SETTINGS_MODULE": "apextrim.settings"}
    subprocess.run([sys.executable, "-c", _SCENARIO], cwd=ROOT, env=env, check=True)
    return folder


@pytest.fixture
def folder(prepared: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(prepared, tmp_path / "var"))


@contextmanager
def workers(folder: Path, *words: str) -> Iterator[subprocess.Popen[bytes]]:
    env = {**os.environ, "APEX_VAR": str(folder)}
    process = subprocess.Popen([sys.executable, "manage.py", "work", *words], cwd=ROOT, env=env, stderr=subprocess.DEVNULL)
    try:
        yield process
    finally:
        process.terminate()
        process.wait(20)


def jobs(folder: Path) -> list[tuple[str, str, int]]:
    """State, worker and tries of every job in order."""
    with closing(sqlite3.connect(folder / "apextrim.sqlite3", timeout=20)) as connection:
        return list(connection.execute("SELECT state, worker, tries FROM work_job ORDER BY id"))


def until(what: Callable[[], bool], most_s: float = 90.0, told: Callable[[], object] = lambda: "") -> float:
    """Waits for something, and says how long it took [s].

    :param told: what to say where it never comes
    """
    begin = time.monotonic()
    while not what():
        assert time.monotonic() - begin < most_s, f"it never came: {told()}"
        time.sleep(0.05)
    return time.monotonic() - begin


def ask_to_stop(folder: Path, key: int) -> None:
    with closing(sqlite3.connect(folder / "apextrim.sqlite3", timeout=20)) as connection, connection:
        connection.execute("UPDATE work_job SET stop = 1 WHERE id = ?", (key,))


@pytest.mark.thorough_only
def test_one_at_a_time_killed_begun_anew_and_stopped(folder: Path) -> None:
    with workers(folder, "--workers", "2"):
        until(lambda: jobs(folder)[0][0] == "running")
        assert jobs(folder)[1][0] == "waiting"  # one worker is free, but the owner has one under way
        worker = int(jobs(folder)[0][1].rpartition(":")[2])
        os.kill(worker, signal.SIGKILL)
        until(lambda: jobs(folder)[0][0] == "running" and jobs(folder)[0][2] == 2)
        time.sleep(1.0)
        ask_to_stop(folder, 1)
        until(lambda: jobs(folder)[0][0] == "stopped", 30.0)
        until(lambda: jobs(folder)[1][0] == "running", told=lambda: jobs(folder))


@pytest.mark.thorough_only
def test_a_queue_that_is_held_ends_no_workers(folder: Path) -> None:
    with workers(folder, "--workers", "2") as process:
        until(lambda: jobs(folder)[0][0] == "running")
        with closing(sqlite3.connect(folder / "queue.sqlite3", isolation_level=None)) as other:
            other.execute("BEGIN EXCLUSIVE")  # a copy of the disk, a check for viruses: longer than anybody waits for it
            ask_to_stop(folder, 1)
            until(lambda: jobs(folder)[0][0] == "stopped", 30.0)
            time.sleep(13.0)  # a sweep begins every five seconds, and waits for five
            assert process.poll() is None
            other.execute("ROLLBACK")
        until(lambda: jobs(folder)[1][0] == "running", told=lambda: jobs(folder))


@pytest.mark.thorough_only
def test_a_job_survives_a_restart(folder: Path) -> None:
    with workers(folder):
        until(lambda: jobs(folder)[0][0] == "running")
    assert jobs(folder)[0] == ("waiting", "", 0)  # put back in good order: no try is lost
    with workers(folder):
        until(lambda: jobs(folder)[0][0] == "running")


@pytest.mark.thorough_only
def test_workers_end_with_their_server(folder: Path) -> None:
    server = subprocess.Popen(["sleep", "600"])
    with workers(folder, "--parent", str(server.pid)) as process:  # not its parent: as if that were gone
        assert process.wait(60) in (0, -signal.SIGTERM)
    server.kill()
    server.wait()
