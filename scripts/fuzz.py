"""Hostile files and forms at every door, as a racer's browser would send them. `make fuzz` calls it.

Each file is a good one with something done to it, drawn from a seed, so that what fails can be sent again. A door may refuse, and
must then have added nothing; it may accept, and every page that shows what came in must then open. An error 500, an answer that
takes over five seconds, or a refusal that left rows behind is a fault.
"""

import argparse
import json
import random
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
EXAMPLES = ROOT / "docs" / "examples"

#: Longest that an answer may take [s].
PATIENCE_S = 5.0

#: Values that nobody expects.
VALUES: tuple[object, ...] = (
    None, True, "", "x", [], {}, [[]], -1, 0, 2**63, 10**30, 10**400, 1e308, -1e308, 5e-324, 1e18, 0.1 + 0.2, "1e308", "NaN",
    "\u0000", "\ud800",
    "=1+1", "+SUM(A1)", "@x", "a" * 5000, "\u202e", "0001-01-01T00:00:00Z", "9999-12-31T23:59:59Z", "1,000", [1] * 2000, -273.15,
    "../../etc", "<script>", 1.5, 99_999, float("nan"), float("inf"),
)  # fmt: skip

#: Pieces of text that are put into, or in place of, parts of a file.
PIECES = (
    b"", b"\x00", b"\xff\xfe", b"\xef\xbb\xbf", b"\r", b"\r\r\r", b"\n\n", b"\x0b\x0c\x1c",
    "\u2028\u0085".encode(), b'"', b'""', b"'", b",,,,", b";;", b"\t",
    b"9" * 5000, b"1" + b"0" * 400, b"1e308", b"-1e309", b"nan", b"inf", b"4" + b" " * 20_000 + b"4",
    b"1:" * 3000, b"(" * 30_000, b"[" * 30_000,
    b"{" * 3000, b"a" * 140_000, b"=cmd|' /C calc'!A0", b"\\ud800", b"\xed\xa0\x80", b"-0", b"1,000", b"0x10",
    b"1_000", "\u0664\u0662".encode(), b"<!DOCTYPE x>",
    b"<a>" * 2000, b"&lt;", b"]]>", b"%s%n", b"${x}", b"\xf0\x9f\x8f\x81",
)  # fmt: skip


def _places(content: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where in a JSON value something stands."""
    found = [path] if path else []
    steps = list(content) if isinstance(content, dict) else range(min(len(content), 4)) if isinstance(content, list) else ()
    for step in steps:
        found += _places(content[step], (*path, step))
    return found


def hostile_json(good: bytes, rng: random.Random) -> bytes:
    """The JSON with a few of its values exchanged, repeated, dropped or renamed."""
    content = json.loads(good)
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        path = rng.choice(_places(content))
        inside: Any = content
        for step in path[:-1]:
            inside = inside[step]
        last, act = path[-1], rng.random()
        if act < 0.5 and isinstance(inside[last], int | float):  # a number of another size, which the door may well take
            inside[last] = inside[last] * rng.choice((0.5, 0.97, 1.03, 2, 10, 1e3, 1e6, 1e-6, -1, 0)) + rng.choice((0, 0, 0.001, 1))
        elif act < 0.65:
            inside[last] = rng.choice(VALUES)
        elif act < 0.75 and isinstance(inside, dict):
            inside[rng.choice(("", "x", str(last) * 2, "\ud800"))] = inside.pop(last)
        elif act < 0.85:
            del inside[last]
        elif isinstance(inside, list):
            inside.extend([inside[last]] * rng.choice((1, 30, 3000)))
        else:
            inside[last] = [inside[last]] * rng.choice((1, 8, 500))
        if not content:
            break
    return json.dumps(content).encode()


def hostile_bytes(good: bytes, rng: random.Random, most: int = 400_000) -> bytes:
    """The file with pieces cut out, repeated, moved, or put in."""
    data = good
    for _ in range(rng.choice((1, 1, 2, 5))):
        at, act = rng.randrange(len(data) + 1), rng.random()
        to = min(at + rng.choice((1, 3, 20, 400)), len(data))
        if act < 0.45:
            data = data[:at] + rng.choice(PIECES) + data[to if rng.random() < 0.5 else at :]
        elif act < 0.6:
            data = data[:at] + data[to:]
        elif act < 0.7:
            data = data[:at]
        elif act < 0.8:
            data = data[:to] + data[at:to] * rng.choice((1, 50)) + data[to:]
        elif act < 0.9:
            data = rng.choice(PIECES) * rng.choice((1, 1, 20))
        else:
            data = data.replace(rng.choice((b".", b",", b"\n", b"1", b'"', b":")), rng.choice(PIECES[:20]), rng.choice((1, 3, -1)))
        data = data[:most]
    return data


def hostile(good: bytes, rng: random.Random) -> bytes:
    """A hostile file made of a good one."""
    if good.lstrip().startswith(b"{") and b"\n{" not in good and rng.random() < 0.7:
        return hostile_json(good, rng)
    if b"\n{" in good and rng.random() < 0.5:  # a JSON value a line
        lines = good.strip().split(b"\n")
        at = rng.randrange(len(lines))
        return b"\n".join([*lines[:at], hostile_json(lines[at], rng), *lines[at + 1 :]]) + b"\n"
    return hostile_bytes(good, rng)


@dataclass(frozen=True)
class Door:
    """One way in.

    :param address: that files are sent to
    :param good: files that it takes
    :param fields: what is sent beside the file
    :param body: content type where the file is the whole body, "" where it is a field of a form
    :param headers: sent with it
    """

    address: str
    good: tuple[bytes, ...]
    fields: Mapping[str, str] = field(default_factory=dict)
    body: str = ""
    headers: Mapping[str, str] = field(default_factory=dict)


@dataclass
class Tally:
    """What came of the files of one door.

    :param faults: (seed, what went wrong)
    """

    sent: int = 0
    taken: int = 0
    slowest_s: float = 0.0
    faults: list[tuple[int, str]] = field(default_factory=list)


def _renamed(folder: str) -> tuple[bytes, ...]:
    """Files of the demo under keys that the garage does not have yet."""
    found = []
    for path in sorted((ROOT / "demo" / folder).glob("*.json")):
        content = json.loads(path.read_bytes())
        found.append(json.dumps({**content, "key": f"fuzz_{content['key']}"[:40]}).encode())
    return tuple(found)


def doors(user: Any, event: Any, run: Any, token: str, event_text: str) -> dict[str, Door]:
    """Every door at which files come in."""
    circuits = tuple((EXAMPLES / name).read_bytes() for name in ("circuit.geojson", "circuit_points.csv", "lap.gpx"))
    demo, cars = _renamed("circuits"), _renamed("cars")
    laps = tuple((EXAMPLES / name).read_bytes() for name in ("laps.csv", "laps_semicolon.csv"))
    at, told = f"/events/{event.pk}", {"Authorization": f"Bearer {token}"}
    return {
        "circuit": Door("/garage/circuits/import/", (*circuits, *demo), {"name": "Fuzz", "width": "11"}),
        "car": Door("/garage/cars/import/", cars),
        "laps": Door(f"{at}/runs/{run.pk}/import/", laps),
        "book": Door(f"{at}/lap/book/import/", ((EXAMPLES / "book.json").read_bytes(),)),
        "sheet": Door(f"{at}/sheet/import/", ((EXAMPLES / "sheet.json").read_bytes(),)),
        "event": Door("/events/bring-in/", (event_text.encode(),)),
        "logger": Door(
            "/logger/", ((EXAMPLES / "logger.jsonl").read_bytes(),), {}, "application/x-ndjson", {"Authorization": f"Bearer {token}"}
        ),
        "logger csv": Door("/logger/?run=f", laps, {}, "text/csv", told),
        "timing": Door("/timing/", ((EXAMPLES / "timing.csv").read_bytes(),), {}, "text/csv", told),
    }


def rows() -> int:
    """Rows of everything that a racer owns."""
    from django.apps import apps

    return sum(
        model._default_manager.count()
        for model in apps.get_models()
        if model._meta.app_label not in ("sessions", "contenttypes", "auth", "work")
    )


def send(client: Any, door: Door, data: bytes) -> Any:
    """Sends a file to a door."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    if door.body:
        return client.generic("POST", door.address, data, content_type=door.body, headers=dict(door.headers))
    return client.post(door.address, {**door.fields, "file": SimpleUploadedFile("file", data)})


@contextmanager
def undone() -> Iterator[None]:
    """A context in which what was added does not last."""
    from django.db import transaction

    with transaction.atomic():
        yield
        transaction.set_rollback(True)


@contextmanager
def carried() -> Iterator[list[int]]:
    """Keys of jobs that would go into the queue."""
    from apextrim.work import queue

    keys: list[int] = []
    real, queue.carry = queue.carry, lambda pk, after_s=0.0: keys.append(pk)
    try:
        yield keys
    finally:
        queue.carry = real


def worked_off(key: int) -> str:
    """How a job ended: its state, or "broken" by a fault of the program."""
    from apextrim.work.models import Job
    from apextrim.work.worker import BROKEN, work_off

    with carried():
        work_off(key, beats=False)
    job = Job.objects.get(pk=key)
    return "broken" if BROKEN in job.told else job.state


def attack(client: Any, door: Door, seeds: range, pages_of: Callable[[], list[str]]) -> Tally:
    """Sends hostile files to a door.

    :param client: signed in, and not raising what a page raises
    :param pages_of: addresses of the pages that show what came in
    """
    tally = Tally()
    for address in pages_of():  # what the first visit alone has to load is none of a file's doing
        client.get(address, follow=True)
    for seed in seeds:
        rng = random.Random(seed)
        data = hostile(rng.choice(door.good), rng)
        with undone():
            before, begin = rows(), time.perf_counter()
            with carried() as keys:
                answer = send(client, door, data)
            took = time.perf_counter() - begin
            ends = [worked_off(key) for key in keys]  # a long file is read beside the requests
            tally.sent, tally.slowest_s = tally.sent + 1, max(tally.slowest_s, took)
            if answer.status_code >= 500:
                tally.faults.append((seed, f"status {answer.status_code}"))
            if took > PATIENCE_S:
                tally.faults.append((seed, f"{took:.1f} s"))
            if any(end == "broken" for end in ends):
                tally.faults.append((seed, "a worker broke"))
            after = rows()
            if (answer.status_code >= 400 or "failed" in ends) and after != before:
                tally.faults.append((seed, f"refused, and {after - before} rows left"))
            tally.taken += after != before
            for address in pages_of() if after != before else ():
                begin = time.perf_counter()
                page = client.get(address, follow=True)
                took = time.perf_counter() - begin
                if page.status_code >= 500 or took > PATIENCE_S:
                    tally.faults.append((seed, f"then {address}: status {page.status_code} in {took:.1f} s"))
    return tally


#: Pages of a car, a circuit and an event that show what a file brought.
CAR_PAGES, CIRCUIT_PAGES = ("", "copy/"), ("",)
EVENT_PAGES = (
    "", "lap/", "sheet/", "runs/", "verdicts/", "race/", "race/qualifying/", "verdicts/record/", "verdicts/visits/", "items/", "file/",
)  # fmt: skip


def newest_pages() -> list[str]:
    """The pages of the newest car, circuit and event of the racer."""
    from apextrim.events.models import Event
    from apextrim.library.models import Car, Circuit
    from apextrim.race.models import LiveRace

    found = ["/garage/", "/events/"]
    for model, address, pages in (
        (Car, "/garage/cars/", CAR_PAGES), (Circuit, "/garage/circuits/", CIRCUIT_PAGES), (Event, "/events/", EVENT_PAGES),
    ):  # fmt: skip
        row = model._default_manager.order_by("-pk").first()
        found += [f"{address}{row.pk}/{page}" for page in pages] if row is not None else []
    event = Event.objects.order_by("-pk").first()
    if event is not None:
        found += [f"/events/{event.pk}/runs/{run.pk}/" for run in event.runs.filter(deleted_at=None)[:2]]
        found += [f"/events/{event.pk}/race/{plan.pk}/" for plan in event.plans.all()[:1]]
        found += [f"/events/{event.pk}/verdicts/plan/{test.pk}/" for test in event.tests.all()[:1]]
    for race in LiveRace.objects.filter(ended_at=None)[:1]:
        found += [f"/events/{race.event_id}/race/live/{race.pk}/{page}" for page in ("", "rivals/")]
    return found


def main(arguments: list[str]) -> int:
    """Attacks every door, or those named, on a database of its own, and prints what came of it."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=10_000, help="for each door")
    parser.add_argument("--first", type=int, default=0, help="first seed")
    parser.add_argument("--door", action="append", default=[])
    told = parser.parse_args(arguments)

    from django.conf import settings
    from django.test import Client
    from django.test.utils import get_runner, setup_test_environment

    setup_test_environment()
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    runner = get_runner(settings)(verbosity=0, interactive=False)
    held = runner.setup_databases()

    try:
        user, event, run, token, text = scenario()
        client = Client(raise_request_exception=False)
        client.force_login(user)
        faults = 0
        for name, door in doors(user, event, run, token, text).items():
            if told.door and name not in told.door:
                continue
            faults += _said(name, attack(client, door, range(told.first, told.first + told.files), newest_pages))
        if not told.door or "recordings" in told.door:
            faults += recordings_attacked(client, event, range(told.first, told.first + told.files))
        if not told.door or "forms" in told.door:
            faults += forms_attacked(client, event, range(told.first, told.first + told.files))
    finally:
        runner.teardown_databases(held)
    print(f"fuzz: {faults} faults")
    return 1 if faults else 0


def _said(name: str, tally: Tally) -> int:
    """Prints what came of a door's files, and returns the number of faults."""
    print(f"{name:12} {tally.sent} files, {tally.taken} taken, slowest {tally.slowest_s:.2f} s, {len(tally.faults)} faults", flush=True)
    for seed, what in tally.faults[:20]:
        print(f"    seed {seed}: {what}")
    return len(tally.faults)


def recordings_attacked(client: Any, event: Any, seeds: range) -> int:
    """Attacks the door of recordings, prints what came of it, and returns the number of faults."""
    from .fuzz_recordings import attacked

    return _said("recordings", attacked(client, event, seeds, newest_pages))


def forms_attacked(client: Any, event: Any, seeds: range) -> int:
    """Attacks every form of the racer's pages, prints what came of it, and returns the number of faults."""
    from .fuzz_forms import attacks, forms_of

    forms = forms_of(client, [*newest_pages(), *pages_of_event(event)])
    slowest, faults = 0.0, []
    for seed, sent, status, took in attacks(client, forms, seeds):
        slowest = max(slowest, took)
        if status >= 500 or took > PATIENCE_S:
            faults.append(f"    seed {seed}: status {status} in {took:.1f} s, {sent}")
    print(f"{'forms':12} {len(seeds)} sent to {len(forms)} forms and queries, slowest {slowest:.2f} s, {len(faults)} faults", flush=True)
    print("\n".join(faults[:20]))
    return len(faults)


def pages_of_event(event: Any) -> list[str]:
    """Pages of an event that ask for something."""
    at, sheet, run = f"/events/{event.pk}", event.sheets.first().pk, event.runs.first().pk
    asking = (
        *EVENT_PAGES[:-1], f"sheet/{sheet}/effects/", f"sheet/{sheet}/advice/?slides=front&phase=mid&where=&how=clearly&tyres=warm",
        f"sheet/{sheet}/search/", f"sheet/{sheet}/figures/", f"sheet/{sheet}/stint/", f"sheet/{sheet}/carry/", f"sheet/{sheet}/readings/",
        f"sheet/{sheet}/check/", f"sheet/{sheet}/card/", "sheet/difference/", f"runs/{run}/", "runs/live/", "verdicts/plan/", "thread/",
    )  # fmt: skip
    races = [f"{at}/race/live/{race.pk}/{page}" for race in event.races.all()[:1] for page in ("", "rivals/", "marks/")]
    own = ("/jobs/", "/jobs/files/", "/bin/", "/account/", "/account/delete/", "/account/invitations/", "/password/")
    return [*own, "/garage/circuits/new/", *races, *(f"{at}/{page}" for page in asking)]


def scenario() -> tuple[Any, Any, Any, str, str]:
    """A racer with an event that has one of most things; (user, event, run, token of a logger, the event's file)."""
    from django.contrib.auth.models import User
    from django.core.management import call_command

    from apextrim.archive.actions import write_event
    from apextrim.race import live, queries
    from apextrim.runs.logger import make_key

    call_command("load_demo", verbosity=0)
    user = User.objects.get(username="racer")
    event = user.events.order_by("pk").first()
    assert event is not None
    _, token = make_key(event, "fuzz")
    run = event.runs.filter(deleted_at=None).first()
    assert run is not None
    text = write_event(event)
    view = queries.race_view(event)
    live.name_own_car(live.start(event, view, view.by_stops[0].plan, queries.driver_of(event), 1.0, 0), "7")
    run.laps.all().delete()  # laps that come in contradict none
    return user, event, run, token, text


if __name__ == "__main__":
    import os

    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "apextrim.settings")
    with tempfile.TemporaryDirectory() as folder:  # a database of its own, whatever else is tested meanwhile
        os.environ["APEX_VAR"] = folder
        django.setup()
        code = main(sys.argv[1:])
    sys.exit(code)
