"""Several server processes on one port: both answer, a form sent to both is done once, one that is killed comes back, and none outlives the
first."""

import os
import re
import signal
import socket
import time
from collections.abc import Callable, Iterator
from http.client import HTTPConnection
from pathlib import Path
from urllib.parse import urlencode, urlsplit

import pytest

from scripts.servers import running

#: How long a second server may take to come, on a busy machine [s].
_PATIENCE_S = 120.0


def helpers_of(pid: int) -> list[int]:
    """Servers beside the first one, of which that is the parent."""
    found = []
    for path in Path("/proc").glob("[0-9]*"):
        try:
            words = (path / "cmdline").read_bytes().split(b"\0")
            parent = int((path / "stat").read_text().rsplit(")", 1)[1].split()[1])
        except (OSError, ValueError, IndexError):
            continue
        if parent == pid and b"--helper" in words:
            found.append(int(path.name))
    return found


def until(told: Callable[[], bool], seconds: float = _PATIENCE_S) -> bool:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if told():
            return True
        time.sleep(0.1)
    return False


class Line:
    """One kept connection: everything on it goes to the same server."""

    def __init__(self, port: int) -> None:
        self.connection = HTTPConnection("127.0.0.1", port, timeout=60)
        self.cookies: dict[str, str] = {}

    def ask(self, path: str, form: dict[str, str] | None = None) -> tuple[int, str, str]:
        headers = {"Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items())}
        if form is not None:
            headers["Content-Type"] = "application/x-www-form-urlencoded"
        self.connection.request("GET" if form is None else "POST", path, None if form is None else urlencode(form), headers)
        answer = self.connection.getresponse()
        for line in answer.headers.get_all("Set-Cookie") or []:
            name, _, value = line.partition(";")[0].partition("=")
            self.cookies[name] = value
        return answer.status, answer.headers.get("Location", ""), answer.read().decode()

    def server(self) -> int:
        """The process at the other end."""
        name = self.connection.sock.getsockname()
        wanted = f"{int.from_bytes(socket.inet_aton('127.0.0.1'), 'little'):08X}:{name[1]:04X}"
        inode = next(
            words[9] for words in map(str.split, Path("/proc/net/tcp").read_text().splitlines()[1:]) if words[2] == wanted
        )  # fmt: skip
        for link in Path("/proc").glob("[0-9]*/fd/*"):
            try:
                if os.readlink(link) == f"socket:[{inode}]":
                    return int(link.parts[2])
            except OSError:
                continue
        raise AssertionError("nobody is at the other end")


@pytest.fixture(scope="module", autouse=True)
def two() -> Iterator[None]:
    """Servers of these tests are two, whatever the machine has."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("APEX_SERVERS", "2")
        yield


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[int, int]]:
    with running(tmp_path_factory.mktemp("servers")) as (address, pid):
        assert until(lambda: len(helpers_of(pid)) == 1)
        yield urlsplit(address).port or 0, pid


def two_servers(port: int) -> dict[int, Line]:
    """A kept connection to each of two servers."""
    found: dict[int, Line] = {}

    def both() -> bool:
        lines = [Line(port) for _ in range(6)]
        for line in lines:  # whoever is free takes the next one
            line.connection.connect()
        for line in lines:
            line.ask("/sign-in/")
            found.setdefault(line.server(), line)
        return len(found) == 2

    assert until(both)
    return found


def key_of(page: str, field: str) -> str:
    return str(re.findall(rf'name="{field}"\s+value="([^"]+)"', page)[0])


def test_both_answer_and_a_form_that_is_sent_to_both_is_done_once(site: tuple[int, int]) -> None:
    port, pid = site
    lines = two_servers(port)
    assert set(lines) == {pid, *helpers_of(pid)}
    first, second = lines.values()
    page = first.ask("/sign-in/")[2]
    form = {"csrfmiddlewaretoken": key_of(page, "csrfmiddlewaretoken"), "username": "racer", "password": "sallowmere"}
    assert first.ask("/sign-in/", form)[0] == 302
    second.cookies = first.cookies
    runs = second.ask("/events/1/runs/")[2]
    sheet, session = (
        re.findall(rf'<select[^>]*name="{name}".*?<option value="(\d+)"', runs, re.DOTALL)[0] for name in ("sheet", "session")
    )
    told = {
        "csrfmiddlewaretoken": key_of(runs, "csrfmiddlewaretoken"), "once": "a-form-for-both", "sheet": sheet, "session": session,
        "front": "marl", "rear": "marl", "fuel_l": "30", "tyre_age": "0", "laps": "1:20.1\n1:20.3",
    }  # fmt: skip
    one, two = (line.ask("/events/1/runs/add/", told) for line in (first, second))
    assert one[:2] == two[:2] and one[0] == 302 and re.search(r"/runs/\d+/", one[1])
    assert first.ask(one[1])[0] == second.ask(one[1])[0] == 200


def test_one_that_is_killed_comes_back(site: tuple[int, int]) -> None:
    port, pid = site
    (helper,) = helpers_of(pid)
    os.kill(helper, signal.SIGKILL)
    assert until(lambda: helpers_of(pid) not in ([], [helper]))
    assert len(two_servers(port)) == 2


def test_none_outlives_the_first_however_that_ends(site: tuple[int, int]) -> None:
    port, pid = site
    two_servers(port)
    (helper,) = helpers_of(pid)
    os.kill(pid, signal.SIGKILL)

    def is_gone() -> bool:
        stat = Path(f"/proc/{helper}/stat")
        return not stat.exists() or stat.read_text().rsplit(")", 1)[1].split()[0] == "Z"

    assert until(is_gone, 5.0)
    with socket.socket() as probe:  # and the port is free
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        probe.bind(("127.0.0.1", port))
