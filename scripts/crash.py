"""Kills whoever writes, at any moment, and looks whether anything that was acknowledged is lost. `make crash` calls it.

A child process does one thing after another that racers and loggers do, and says what is done; the parent kills it (SIGKILL) at a
random moment. Then every row that was said to be there must be there, every run must have all of its laps or not exist, and SQLite
must find its file whole. With `--power` the power fails as well: every file goes back to what was last synchronised. A full disk is
played by a limit on the size of files: what does not fit is refused, and nothing breaks.
"""

import argparse
import itertools
import os
import random
import resource
import select
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
EXAMPLES = ROOT / "docs" / "examples"

#: Laps of a run that is added here.
LAPS = 12
#: Greatest size of any file where a full disk is played: less than the database has already.
_FULL_BYTES = 300_000


def prepared() -> dict[str, Callable[[], int]]:
    """One kind of write each: a function that does it once and returns the key of what is there then."""
    from django.contrib.auth.models import User

    from apexcore.formats.logger import LapEvent, RunEvent, Sent
    from apexcore.formats.values_json import read_value
    from apexcore.vehicle.car import Car as CoreCar
    from apexcore.vehicle.sheet import Sheet as CoreSheet
    from apextrim.archive.actions import read_event, write_event
    from apextrim.library.car_actions import keep_car
    from apextrim.runs.actions import add_own_run
    from apextrim.runs.logger import make_key, take
    from apextrim.sheets.actions import save_sheet

    user = User.objects.get(username="racer")
    event = user.events.order_by("pk").first()
    assert event is not None
    sheet = event.sheets.first()
    assert sheet is not None
    told = write_event(event)
    car = read_value((ROOT / "demo" / "cars" / "ferrow_lark.json").read_bytes(), CoreCar, "a car")
    values = {"sheet": sheet, "session": event.session, "front": "marl", "rear": "marl", "tyre_age": 0, "fuel_l": 30, "note": ""}
    typed = "\n".join(f"1:{13 + k % 5}.{k:03d}" for k in range(LAPS))
    key, _ = make_key(event, "crash")
    turn = itertools.count()

    def new() -> str:
        """A name that no other child takes."""
        return f"{os.getpid()}_{next(turn)}"

    def message() -> int:
        name = new()
        run = RunEvent(type="run", run=name)
        laps = [LapEvent(type="lap", run=name, lap=k + 1, time_s=73.0 + 0.01 * k) for k in range(LAPS)]
        take(key, Sent((run, *laps), None))
        return int(event.runs.get(logger_run=name).pk)

    def brought_in() -> int:
        there, _ = read_event(user, told.replace(event.name, f"Crash {new()}").encode())
        return there.pk

    acts: dict[str, Callable[[], int]] = {
        "run": lambda: add_own_run(event, dict(values), typed)[0].pk,
        "message": message,
        "sheet": lambda: save_sheet(event, CoreSheet(event.car.key, sheet.values), None, f"crash {new()}").pk,
        "car": lambda: keep_car(user, car.model_copy(update={"key": f"crash_{new()}"}))[0].pk,
        "event": brought_in,
    }
    for act in acts.values():  # what the first one alone has to load is loaded before anybody is killed
        act()
    return acts


def _child(acts: dict[str, Callable[[], int]], pipe: int, seed: int, most_bytes: int | None) -> None:
    """Writes for ever, and says what is done."""
    if most_bytes is not None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (most_bytes, most_bytes))
    rng = random.Random(seed)
    names = list(acts)
    os.write(pipe, b"ready 0\n")
    while True:
        name = rng.choice(names)
        try:
            os.write(pipe, f"{name} {acts[name]()}\n".encode())
        except Exception as error:
            os.write(pipe, f"refused:{type(error).__name__} 0\n".encode())
            if most_bytes is None:
                os._exit(3)


def killed(
    acts: dict[str, Callable[[], int]], seed: int, seconds: float | None = None, most_bytes: int | None = None
) -> tuple[list[tuple[str, int]], int]:
    """Lets a child write, kills it, and returns what it said is there, and how often it was refused.

    :param seconds: until it is killed; a random moment where it is None [s]
    :param most_bytes: size that no file may pass, as on a full disk
    """
    from django.db import connections

    connections.close_all()
    out, pipe = os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(out)
        try:
            _child(acts, pipe, seed, most_bytes)
        finally:
            os._exit(1)
    os.close(pipe)
    said, deadline = b"", None
    rng = random.Random(seed)
    while deadline is None or time.monotonic() < deadline:
        ready, _, _ = select.select([out], [], [], 0.002)
        part = os.read(out, 65536) if ready else b""
        if ready and not part:
            break
        said += part
        if deadline is None and b"ready" in said:
            deadline = time.monotonic() + (seconds or rng.uniform(0.005, 0.6))
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    while part := os.read(out, 65536):
        said += part
    os.close(out)
    lines = [line.split() for line in said.decode().split("\n")[:-1]]
    return [(name, int(key)) for name, key in lines if int(key)], sum(name.startswith("refused") for name, _ in lines)


def lost(said: list[tuple[str, int]]) -> list[str]:
    """What is not as it was said to be."""
    from django.db import connection
    from django.db.models import Count

    from apextrim.events.models import Event
    from apextrim.library.models import Car
    from apextrim.runs.models import Run
    from apextrim.sheets.models import Sheet

    models: dict[str, Any] = {"run": Run, "message": Run, "sheet": Sheet, "car": Car, "event": Event}
    found = [f"{name} {key} is lost" for name, key in said if not models[name].objects.filter(pk=key).exists()]
    mine = Run.objects.filter(event__name="The Sallowmere Trophy, round 2", by_virtual_driver=False).annotate(count=Count("laps"))
    found += [f"{run} has {run.count} of {LAPS} laps" for run in mine.exclude(count=LAPS)]
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA integrity_check")
        answer = cursor.fetchone()[0]
        cursor.execute("PRAGMA foreign_key_check")
        broken = cursor.fetchall()
    return found + ([f"SQLite: {answer}"] if answer != "ok" else []) + ([f"{len(broken)} broken references"] if broken else [])


def power_is_back() -> None:
    """The database as the disk holds it after a power failure: every file as it was last synchronised, the others gone."""
    from django.db import connections

    connections.close_all()
    live, synced = Path(os.environ["UNSYNCED_FROM"]), Path(os.environ["UNSYNCED_TO"])
    held = {path.name: path.read_bytes() for path in synced.glob("apextrim.sqlite3*") if ".part" not in path.name}
    for path in live.glob("apextrim.sqlite3*"):
        path.unlink()
    for name, content in held.items():
        for folder in (live, synced):
            (folder / name).write_bytes(content)


def with_power_failures(arguments: list[str]) -> int:
    """This command again, with a library before it that keeps what was synchronised; needs a C compiler."""
    with tempfile.TemporaryDirectory() as folder:
        library = f"{folder}/unsynced.so"
        subprocess.run(["cc", "-shared", "-fPIC", "-O1", "-o", library, str(ROOT / "scripts" / "unsynced.c"), "-ldl"], check=True)
        (Path(folder) / "synced").mkdir()
        live = str(Path(os.environ.get("APEX_VAR", "var")).resolve())
        env = {**os.environ, "LD_PRELOAD": library, "UNSYNCED_FROM": live, "UNSYNCED_TO": f"{folder}/synced"}
        return subprocess.run([sys.executable, "-m", "scripts.crash", *arguments], cwd=ROOT, env=env).returncode


def main(arguments: list[str]) -> int:
    """Kills so many times on the database of `APEX_VAR`, which has to be a new one, and prints what came of it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--first", type=int, default=0, help="first seed")
    parser.add_argument("--power", action="store_true", help="the power fails with every kill: what was not synchronised is gone")
    told = parser.parse_args(arguments)
    if told.power and "UNSYNCED_TO" not in os.environ:
        return with_power_failures(arguments)

    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    call_command("load_demo", verbosity=0)
    acts = prepared()
    acknowledged, faults = 0, []
    for seed in range(told.first, told.first + told.kills):
        said, refused = killed(acts, seed)
        if told.power:
            power_is_back()
        acknowledged += len(said)
        faults += [f"kill {seed}: {what}" for what in lost(said)] + ([f"kill {seed}: refused"] if refused else [])
    full, refused = killed(acts, told.first, 2.0, _FULL_BYTES)
    faults += [f"full disk: {what}" for what in lost(full)] + ([] if refused else ["full disk: nothing was refused"])
    again, refused_again = killed(acts, told.first + 1, 2.0)
    faults += [f"after the full disk: {what}" for what in lost(again)] + (["after the full disk: refused"] if refused_again else [])
    for fault in faults[:40]:
        print(f"    {fault}")
    print(f"full disk: {len(full)} acknowledged, {refused} refused, then {len(again)} acknowledged")
    what = "power failures" if told.power else "kills"
    print(f"crash: {told.kills} {what}, {acknowledged} writes acknowledged, {len(faults)} lost or broken")
    return 1 if faults else 0


if __name__ == "__main__":
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "apextrim.settings")
    django.setup()
    sys.exit(main(sys.argv[1:]))
