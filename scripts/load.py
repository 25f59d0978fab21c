"""Fifty racers at once on a server of its own, and each page alone. `make load` calls it.

First every page of the demo event is asked for twice in a fresh server: the time of a first and of a second visit. Then fifty racers,
each with an account and an event, open benches, step items, watch live pages and run loggers for half a minute, with pauses
of 5 to 15 seconds between two acts, as people have; then once more while the machine does other work on four times its processors. Last,
the pages of an event of ten thousand runs. Printed are the 50 % and 95 % times by kind, errors, and the memory of server and workers.
"""

import argparse
import http.cookiejar
import json
import math
import os
import random
import re
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from .servers import running

ROOT = Path(__file__).parents[1]

#: Pages of the demo's event, by the words of the report.
PAGES = {
    "brief": "", "lap": "lap/", "sheet": "sheet/", "effects": "sheet/4/effects/", "figures": "sheet/4/figures/",
    "advice": "sheet/4/advice/?slides=front&phase=mid&where=slow&how=clearly&tyres=warm", "stint": "sheet/4/stint/",
    "card": "sheet/4/card/", "check": "sheet/4/check/", "readings": "sheet/4/readings/", "search": "sheet/4/search/",
    "carry": "sheet/1/carry/?air_c=12&track_c=16&humidity_pct=60&pressure_hpa=1005&rubber_pct=30&wet_pct=0",
    "difference": "sheet/difference/?a=1&b=4", "runs": "runs/", "run": "runs/13/", "live": "runs/live/",
    "verdict": "verdicts/?a=1&b=2&margin=0.10", "record": "verdicts/record/", "visits": "verdicts/visits/",
    "plan a test": "verdicts/plan/?a=1&b=2&difference=0.2&minutes=200&stop=200&scatter=0.15&shift=0.08",
    "race": "race/", "plan": "race/1/", "qualifying": "race/qualifying/?beat=1:13.2", "items": "items/", "thread": "thread/",
}  # fmt: skip

#: Of other work beside the racers: so many times the processors.
_BUSY = 4
#: Accounts beside the demo's own: each with the demo's event, by the one way in that racers have, its file.
_ACCOUNTS = """
import os, sys, django
django.setup()
from django.contrib.auth.models import User
from apextrim.archive.actions import read_event, write_event
from apextrim.runs.logger import make_key
from apextrim.sheets.queries import sheet_in_car
first = User.objects.get(username="racer").events.order_by("pk").first()
text = write_event(first).encode()
for number in range(int(sys.argv[1])):
    user = User.objects.create_user(f"{sys.argv[2]}{number}", password="withy-bend-4")
    event, _ = read_event(user, text)
    _, token = make_key(event, "load")
    print(user.username, event.pk, sheet_in_car(event).pk, token)
"""

#: Pages of an event of years, and what they may take on a first and a second visit [s].
YEARS = {
    **{name: PAGES[name] for name in ("brief", "lap", "sheet", "runs", "verdict", "record", "race", "thread")},
    "all laps": "runs/laps.csv",
}
_MOST_S = (3.0, 1.0)
#: One account with an event of so many runs.
_LONG = """
import sys, django
django.setup()
from datetime import timedelta
from django.contrib.auth.models import User
from django.utils import timezone
from apextrim.archive.actions import read_event, write_event
from apextrim.runs.models import Lap, Run
first = User.objects.get(username="racer").events.order_by("pk").first()
event, _ = read_event(User.objects.create_user("years", password="withy-bend-4"), write_event(first).encode())
begin, there, sheets = timezone.now() - timedelta(days=1000), event.runs.count(), list(event.sheets.order_by("number"))
rows = Run.objects.bulk_create([
    Run(event=event, number=there + k, sheet=sheets[k % 2], session=event.session, front="marl", rear="marl", fuel_l=30, tyre_age=0,
        note="", conditions=event.conditions, made_at=begin + timedelta(minutes=20 * k)) for k in range(1, int(sys.argv[1]) + 1)
], batch_size=2000)
Lap.objects.bulk_create((
    Lap(run=row, number=n, time_s=73.0 + 0.01 * (row.number * 7 % 13) + 0.02 * n, kind="timed", fuel_l=1.9)
    for row in rows for n in range(1, 7)
), batch_size=5000)
print(event.pk, sheets[0].pk, sheets[1].pk)
"""


@dataclass
class Times:
    """What was measured: milliseconds by kind of act, and what went wrong."""

    ms: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    errors: list[str] = field(default_factory=list)
    busy: int = 0
    slow: list[str] = field(default_factory=list)


class Browser:
    """A racer's browser: cookies, forms with their token, and a clock."""

    def __init__(self, address: str, times: Times) -> None:
        self.address, self.times = address, times
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))

    def ask(self, kind: str, path: str, data: bytes | None = None, **headers: str) -> str:
        """Text of a page; its time is kept under `kind`."""
        begin = time.perf_counter()
        try:
            request = urllib.request.Request(self.address + path, data, headers)
            with self._opener.open(request, timeout=60) as response:
                text = str(response.read().decode())
        except urllib.error.HTTPError as error:
            text = error.read().decode(errors="replace")
            self.times.busy += error.code == 503
            self.times.errors.append(f"{kind} {path}: {error.code}")
        except OSError as error:
            text = ""
            self.times.errors.append(f"{kind} {path}: {error}")
        self.times.ms[kind].append(1000 * (time.perf_counter() - begin))
        return text

    def send(self, kind: str, path: str, page: str, values: dict[str, str] | list[tuple[str, str]]) -> str:
        """Sends a form that stands on a page."""
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page)
        form = [("csrfmiddlewaretoken", token.group(1) if token else ""), *(values.items() if isinstance(values, dict) else values)]
        return self.ask(kind, path, urllib.parse.urlencode(form).encode(), Referer=self.address + path)

    def sign_in(self, name: str, password: str) -> None:
        """Signs in."""
        self.send("sign in", "/sign-in/", self.ask("sign in", "/sign-in/"), {"username": name, "password": password})


def memory_mb(pid: int) -> float:
    """Memory of a process and all below it [MB]."""
    kb = 0.0
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            parent = int(path.read_text().rsplit(")", 1)[1].split()[1])
            if pid in (int(path.parent.name), parent):
                kb += float(re.findall(r"VmRSS:\s+(\d+)", (path.parent / "status").read_text())[0])
        except (OSError, IndexError, ValueError):
            continue
    return kb / 1000


def alone(folder: Path) -> Times:
    """Every page of the demo event, a first and a second time, with nobody else there."""
    times = Times()
    with running(folder) as (address, _):
        browser = Browser(address, times)
        browser.sign_in("racer", "sallowmere")
        browser.ask("events", "/events/")
        time.sleep(10)  # the workers and the second server have started by then
        for name, path in PAGES.items():
            for visit in ("first", "second"):
                browser.ask(f"{visit} {name}", f"/events/1/{path}")
    return times


def drive(browser: Browser, account: list[str], until: float, rng: random.Random, pauses: tuple[float, float]) -> None:
    """One racer: acts with pauses, until the time is over."""
    _, event, _, token = account
    base = f"/events/{event}/"
    time.sleep(rng.uniform(0, pauses[1]))
    lap = 0
    bench = ""
    while time.monotonic() < until:
        act = rng.choices(("bench", "step", "page", "logger", "live"), (2, 6, 3, 3, 2))[0]
        if act == "step" and bench:
            browser.send("step", f"{base}sheet/answer/", bench, {**values_of(bench), "wing": str(rng.randint(2, 9))})
        elif act == "logger":
            lap += 1
            sent: list[dict[str, object]] = [{"type": "run", "run": f"l{event}"}] if lap == 1 else []
            sent += [{"type": "sample", "run": f"l{event}", "t_s": lap + k / 5, "channels": {"speed_kmh": 100.0 + k}} for k in range(5)]
            sent += [{"type": "lap", "run": f"l{event}", "lap": lap, "time_s": 73.0 + rng.random(), "fuel_l": 1.9}]
            body = "\n".join(map(json.dumps, sent)).encode()
            browser.ask("logger", "/logger/", body, Authorization=f"Bearer {token}", **{"Content-Type": "application/x-ndjson"})
        elif act == "live":
            browser.ask("live", f"{base}runs/live/part/")
        elif act == "page":
            browser.ask("page", base + rng.choice(("", "lap/", "runs/", "race/", "verdicts/", "verdicts/record/")))
        else:
            bench = browser.ask("page", f"{base}sheet/")
        time.sleep(rng.uniform(*pauses))


def values_of(page: str) -> dict[str, str]:
    """What stands in the inputs of a page."""
    return {
        name: value for name, value in re.findall(r'<input[^>]*?name="(\w+)"[^>]*?value="([^"]*)"', page) if name != "csrfmiddlewaretoken"
    }


def together(folder: Path, users: int, seconds: float, pauses: tuple[float, float]) -> tuple[Times, Times, list[float]]:
    """So many racers at once; what was measured, what while the machine does other work, and memory before and after [MB]."""
    accounts = made(folder, users, "user")
    times, busy = Times(), Times()
    with running(folder) as (address, pid):
        time.sleep(10)  # workers and the second server have come by then
        browsers = [Browser(address, times) for _ in accounts]
        for browser, account in zip(browsers, accounts, strict=True):  # as people who came in over the morning
            browser.sign_in(account[0], "withy-bend-4")
        memory = [memory_mb(pid)]
        race(browsers, accounts, seconds, pauses)
        others = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(_BUSY * (os.cpu_count() or 1))]
        try:
            for browser in browsers:
                browser.times = busy
            race(browsers, accounts, seconds, pauses)
        finally:
            for other in others:
                other.kill()
        memory.append(memory_mb(pid))
    return times, busy, memory


def done(folder: Path, script: str, *runs: list[str]) -> list[list[str]]:
    """What a script on a folder's data says, as words of its lines; each of its runs is a process of its own, all at once."""
    env = {**os.environ, "APEX_VAR": str(folder), "DJANGO_SETTINGS_MODULE": "apextrim.settings"}
    parts = [
        subprocess.Popen([sys.executable, "-c", script, *words], cwd=ROOT, env=env, stdout=subprocess.PIPE, text=True) for words in runs
    ]
    told = [part.communicate()[0] for part in parts]
    assert not any(part.returncode for part in parts), "the accounts cannot be made"
    return [line.split() for text in told for line in text.splitlines()]


def made(folder: Path, users: int, name: str) -> list[list[str]]:
    """Accounts beside the demo's: name, event, sheet and a logger's key of each. Two processes make them."""
    return done(folder, _ACCOUNTS, [str(users - users // 2), f"{name}-a"], [str(users // 2), f"{name}-b"])


def race(browsers: list[Browser], accounts: list[list[str]], seconds: float, pauses: tuple[float, float]) -> None:
    """All racers at once, for so long."""
    until = time.monotonic() + seconds
    racers = [
        threading.Thread(target=drive, args=(browser, account, until, random.Random(number), pauses))
        for number, (browser, account) in enumerate(zip(browsers, accounts, strict=True))
    ]
    for racer in racers:
        racer.start()
    for racer in racers:
        racer.join()


def of_years(folder: Path, runs: int) -> Times:
    """Pages of an event of so many runs, a first and a second time; what took too long is named, and no error: machines differ."""
    ((event, first, second),) = done(folder, _LONG, [str(runs)])
    times = Times()
    with running(folder) as (address, _):
        browser = Browser(address, times)
        browser.sign_in("years", "withy-bend-4")
        time.sleep(10)  # workers and the second server have come by then
        for name, path in YEARS.items():
            path = path.replace("a=1&b=2", f"a={first}&b={second}")
            for visit, most_s in zip(("first", "second"), _MOST_S, strict=True):
                kind = f"{visit} {name}"
                browser.ask(kind, f"/events/{event}/{path}")
                if times.ms[kind][0] > 1000 * most_s and name != "all laps":  # which is sent while it is read
                    times.slow.append(f"{kind}: {times.ms[kind][0]:.0f} ms, {1000 * most_s:.0f} asked")
    return times


def beside(folder: Path) -> tuple[list[float], list[float]]:
    """Times of one racer's steps with nobody else there, and while two others search for better sheets [ms]."""
    accounts = made(folder, 2, "other")
    times = Times()
    with running(folder) as (address, _):
        racer = Browser(address, times)
        racer.sign_in("racer", "sallowmere")
        bench = racer.ask("bench", "/events/1/sheet/")
        values = values_of(bench)
        time.sleep(10)  # workers and the second server have come by then

        def steps(kind: str, first: int) -> list[float]:
            for number in range(40):  # each on values that nobody asked about before
                moved = {"wing": str(2 + (number + first) % 8), "fuel": str(20 + number)}
                if "data-lap" not in racer.send(kind, "/events/1/sheet/answer/", bench, {**values, **moved}):
                    times.errors.append(f"a step without an answer: {moved}")
                time.sleep(0.1)
            return times.ms[kind]

        alone = steps("alone", 0)
        for name, event, sheet, _ in accounts:
            other = Browser(address, times)
            other.sign_in(name, "withy-bend-4")
            page = other.ask("search", f"/events/{event}/sheet/{sheet}/search/")
            form = [("aim", "forgiving"), ("laps", "12"), *(("items", key) for key in re.findall(r'name="items" value="(\w+)"', page))]
            other.send("search", f"/events/{event}/sheet/{sheet}/search/", page, form)
        time.sleep(3)
        return alone, steps("beside", 3) if not times.errors else [math.nan]


def told(times: Times) -> Iterator[str]:
    """Lines of the report."""
    for kind, ms in sorted(times.ms.items()):
        ordered = sorted(ms)
        yield f"{kind:18} {len(ms):5}   p50 {statistics.median(ms):6.0f} ms   p95 {ordered[int(0.95 * (len(ms) - 1))]:6.0f} ms"
    yield f"errors {len(times.errors)}, of them {times.busy} for a busy database"
    yield from (f"  {text}" for text in times.errors[:10])


def main(arguments: list[str]) -> int:
    """Measures and prints; 1 where anything failed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--users", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=30.0)
    parser.add_argument("--pause", type=float, nargs=2, default=(5.0, 15.0))
    parser.add_argument("--runs", type=int, default=10_000)
    parser.add_argument("--only", choices=("alone", "together", "beside", "years"))
    asked = parser.parse_args(arguments)
    failed = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        env = {**os.environ, "APEX_VAR": name}
        for words in (["migrate", "-v0"], ["load_demo"]):
            subprocess.run([sys.executable, "manage.py", *words], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL)
        print(f"load of the machine: {', '.join(f'{part:.2f}' for part in os.getloadavg())}; {os.cpu_count()} processors")
        if asked.only in (None, "alone"):
            times = alone(folder)
            failed += len(times.errors)
            for page in PAGES:
                print(
                    f"alone  {page:14} first {times.ms[f'first {page}'][0]:6.0f} ms   second {times.ms[f'second {page}'][0]:6.0f} ms",
                    flush=True,
                )
            print("\n".join(times.errors))
        if asked.only in (None, "beside"):
            alone_ms, beside_ms = map(statistics.median, beside(folder))
            print(f"a step: {alone_ms:.0f} ms alone, {beside_ms:.0f} ms while two others search, {beside_ms / alone_ms:.2f} times")
        if asked.only in (None, "together"):
            times, busy, memory = together(folder, asked.users, asked.seconds, (asked.pause[0], asked.pause[1]))
            failed += len(times.errors) + len(busy.errors)
            print("\n".join(told(times)))
            print(f"while {_BUSY} programs a processor compute beside:")
            print("\n".join(told(busy)))
            print(f"memory of server and workers: {memory[0]:.0f} MB before, {memory[1]:.0f} MB after")
        if asked.only in (None, "years"):
            times = of_years(folder, asked.runs)
            failed += len(times.errors)
            for name in YEARS:
                first, second = (times.ms[f"{visit} {name}"][0] for visit in ("first", "second"))
                print(f"{asked.runs} runs  {name:12} first {first:6.0f} ms   second {second:6.0f} ms")
            print("\n".join([*times.errors, *times.slow]))
    print(f"load: {failed} errors")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
