"""How long whoever tries the product or changes a line waits: start, again, `make quick`, `make test`. `make times` calls it.

A fresh start is one of a new clone with empty caches, downloads included. Beside the times stands the machine's speed, as the time of five
million additions in a plain loop, since a time means nothing without it. Ends with the figures on one line.
"""

import http.cookiejar
import os
import re
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from urllib.error import HTTPError, URLError
from urllib.request import HTTPCookieProcessor, OpenerDirector, build_opener
from xml.etree import ElementTree

from scripts.servers import free_port

ROOT = Path(__file__).parents[1]
#: What is wanted [s].
WANTED = {"first page": 90.0, "first lap": 120.0, "again": 5.0, "quick": 60.0, "test": 480.0}
#: What is slow for `make quick`: one case of a test, all its cases [s].
_SLOW_S, _SLOW_IN_ALL_S = 0.25, 0.5
#: How long anything may take at all [s].
_PATIENCE_S = 1800.0


def loop_s() -> float:
    """Time of five million additions [s]."""
    begin, total = time.perf_counter(), 0
    for k in range(5_000_000):
        total += k
    return time.perf_counter() - begin


def _asked(browser: OpenerDirector, address: str, data: bytes | None = None) -> tuple[int, str]:
    try:
        with browser.open(address, data, timeout=120) as answer:
            return int(answer.status), answer.read().decode(errors="replace")
    except HTTPError as error:
        return error.code, error.read().decode(errors="replace")
    except (URLError, OSError):
        return 0, ""


def _until(good: Callable[[], bool], began: float) -> float:
    while not good():
        if time.monotonic() - began > _PATIENCE_S:
            sys.exit("times: no answer in half an hour")
        time.sleep(0.05)
    return time.monotonic() - began


def started(tree: Path, env: dict[str, str]) -> dict[str, float]:
    """Starts the demo in a tree and opens it as a visitor does, up to the first modelled lap; then stops it."""
    port = free_port()
    base, browser = f"http://localhost:{port}", build_opener(HTTPCookieProcessor(http.cookiejar.CookieJar()))
    began, found = time.monotonic(), {}
    server = subprocess.Popen(
        ["make", "demo", f"PORT={port}"], cwd=tree, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    try:
        found["answer"] = _until(lambda: _asked(browser, f"{base}/sign-in/")[0] > 0, began)
        found["first page"] = _until(lambda: _asked(browser, f"{base}/sign-in/")[0] == 200, began)
        text = _asked(browser, f"{base}/sign-in/")[1]
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', text)
        enter = re.search(r'action="([^"]*demo/)"', text)
        assert token is not None and enter is not None, "the sign-in page has no way into the demo"
        events = _asked(browser, base + enter[1], f"csrfmiddlewaretoken={token[1]}".encode())[1]
        number = min(int(one) for one in re.findall(r"/events/(\d+)/", events))
        found["first lap"] = _until(lambda: _asked(browser, f"{base}/events/{number}/sheet/")[0] == 200, began)
    finally:
        os.killpg(server.pid, signal.SIGTERM)
        server.wait(60)
    return found


def timed(tree: Path, env: dict[str, str], target: str) -> float:
    """Seconds of a make target; ends if it fails."""
    begin = time.monotonic()
    done = subprocess.run(["make", target], cwd=tree, env=env, capture_output=True, text=True)
    if done.returncode:
        sys.exit(f"times: make {target} failed\n{done.stdout[-3000:]}{done.stderr[-1000:]}")
    return time.monotonic() - begin


def slow_tests(report: Path) -> list[str]:
    """Tests that take too long for `make quick`, by a report of pytest's: a case over 0.25 s, or 0.5 s in all."""
    took: dict[str, list[float]] = {}
    for case in ElementTree.parse(report).iter("testcase"):
        name = f"{case.attrib['classname'].replace('.', '/')}.py::{case.attrib['name'].partition('[')[0]}"
        took.setdefault(name, []).append(float(case.attrib["time"]))
    return sorted(name for name, each in took.items() if max(each) > _SLOW_S or sum(each) > _SLOW_IN_ALL_S)


def measure_tests(folder: Path) -> None:
    """Runs `make test`'s tests here and writes down which of them are slow."""
    report = folder / "tests.xml"
    command = [sys.executable, "-m", "pytest", "-q", "-n", "2", "--dist", "loadgroup", f"--junitxml={report}"]
    if subprocess.run(command, cwd=ROOT).returncode:
        sys.exit("times: a test failed; tests/slow.txt stays as it is")
    (ROOT / "tests" / "slow.txt").write_text("\n".join(slow_tests(report)) + "\n")


def main(chosen: list[str]) -> int:
    """Measures all, or `start` or `suite` alone; `tests` measures each test and writes tests/slow.txt."""
    with tempfile.TemporaryDirectory() as temporary:
        if "tests" in chosen:
            measure_tests(Path(temporary))
            return 0
        tree = Path(temporary) / "clone"
        subprocess.run(["git", "clone", "-q", str(ROOT), str(tree)], check=True)
        env = {**os.environ, "XDG_CACHE_HOME": str(Path(temporary) / "cache"), "PIP_NO_CACHE_DIR": "1"}
        for name in ("APEX_VAR", "APEX_KERNELS", "MAKEFLAGS", "MAKELEVEL"):
            env.pop(name, None)
        found: dict[str, float] = {"loop": loop_s()}
        if not chosen or "start" in chosen:
            found |= started(tree, env)
            again = started(tree, env)
            found["again"] = again["first page"]
        if not chosen or "suite" in chosen:
            timed(tree, env, "setup")
            for target in ("quick", "test"):
                found[target] = timed(tree, env, target)
    late = [name for name, most in WANTED.items() if found.get(name, 0.0) > most]
    print(
        "times: " + ", ".join(f"{name} {seconds:.1f} s" for name, seconds in found.items()) + (f"; late: {', '.join(late)}" if late else "")
    )
    return 1 if late else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
