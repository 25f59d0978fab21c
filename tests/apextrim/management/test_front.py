"""Connections that drip, idle and hurry: whoever asks properly is answered whatever the others do."""

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import suppress
from http.client import HTTPConnection
from typing import Any

import pytest
from waitress import wasyncore
from waitress.server import create_server

from apextrim.management import front
from tests.amounts import many

LIMIT = 40
#: Connections that a test has opened.
_HELD = list[socket.socket]()
#: The beginning of a header that never ends.
_HEADER = b"GET / HTTP/1.1\r\nX: "


def application(environ: dict[str, Any], start_response: Any) -> list[bytes]:
    body = environ["wsgi.input"].read()
    if environ["PATH_INFO"] == "/slow":
        time.sleep(1.5)
    start_response("200 OK", [("Content-Type", "text/plain")])
    return [f"{len(body)}".encode()]


@pytest.fixture
def port(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    monkeypatch.setattr(front, "PATIENCE_S", 1.0)
    monkeypatch.setattr(front, "LEAST_RATE", 20_000.0)
    monkeypatch.setattr(front, "SPARE", 6)
    listening = socket.socket()
    listening.bind(("127.0.0.1", 0))
    limits = {"connection_limit": LIMIT, "channel_timeout": 30, "cleanup_interval": 5}
    server = create_server(application, sockets=[listening], _dispatcher=front.ByCost(4), **limits)
    server.channel_class = front.Channel
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield listening.getsockname()[1]
    while _HELD:
        _HELD.pop().close()
    server.trigger.pull_trigger(lambda: wasyncore.close_all(server._map))  # in its own thread, which ends with that
    thread.join(5.0)
    server.task_dispatcher.shutdown()


def asked(port: int, path: str = "/", body: bytes = b"") -> tuple[int, bytes]:
    connection = HTTPConnection("127.0.0.1", port, timeout=10)
    connection.request("POST", path, body)
    answer = connection.getresponse()
    found = answer.status, answer.read()
    connection.close()
    return found


def holding(port: int, count: int, first: bytes = b"") -> list[socket.socket]:
    found = []
    for _ in range(count):
        one = socket.create_connection(("127.0.0.1", port), timeout=5)
        if first:
            one.sendall(first)
        found.append(one)
    _HELD.extend(found)
    return found


def closed(one: socket.socket) -> bool:
    one.settimeout(0.05)
    try:
        return one.recv(100) == b""
    except TimeoutError:
        return False
    except OSError:
        return True


@pytest.mark.thorough
@pytest.mark.parametrize("first", many([_HEADER], [b"", _HEADER, b"POST / HTTP/1.1\r\nContent-Length: 900\r\n\r\n"]))
def test_whoever_holds_connections_shuts_nobody_out(port: int, first: bytes) -> None:
    """More connections than there are places: silent, dripping a header, dripping a body."""
    held = holding(port, LIMIT + 20, first)
    for _ in range(8):
        for one in held if first else ():
            with suppress(OSError):
                one.send(b"a")
        begin = time.monotonic()
        assert asked(port, "/", b"x" * 500) == (200, b"500")
        assert time.monotonic() - begin < 3.0
        time.sleep(0.25)
    if first:  # too slow: closed, however often a byte comes
        time.sleep(1.5)
        assert all(closed(one) for one in held)


def test_a_slow_but_steady_upload_is_taken_and_a_kept_connection_serves_again(port: int) -> None:
    (slow,) = holding(port, 1)
    slow.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 120000\r\n\r\n")
    for _ in range(12):  # 50 kB/s for longer than the patience for a request that stands still
        slow.sendall(b"y" * 10_000)
        time.sleep(0.2)
    assert b"120000" in slow.recv(4000)
    time.sleep(1.3)  # longer than the patience: no request is under way meanwhile
    slow.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
    assert b"200 OK" in slow.recv(4000)


def test_what_is_worked_on_is_never_given_up(port: int) -> None:
    told = list[tuple[int, bytes]]()
    threads = [threading.Thread(target=lambda: told.append(asked(port, "/slow"))) for _ in range(2)]
    for thread in threads:
        thread.start()
    time.sleep(0.3)
    holding(port, LIMIT + 30)
    for thread in threads:
        thread.join()
    assert told == [(200, b"0")] * 2


def _flood(port: int, path: str, count: int) -> list[threading.Thread]:
    threads = [threading.Thread(target=asked, args=(port, path)) for _ in range(count)]
    for thread in threads:
        thread.start()
    time.sleep(0.2)
    return threads


def test_what_is_quickly_done_passes_what_takes_long_and_that_is_done_too(port: int) -> None:
    """Twelve requests of 1.5 s each, with four threads: what takes a moment waits for none of them once it is known what they take."""
    asked(port, "/slow")
    threads = _flood(port, "/slow", 8)
    for number in range(10):
        begin = time.monotonic()
        assert asked(port, f"/quick/{number}") == (200, b"0")
        assert time.monotonic() - begin < 1.0
    for thread in threads:
        thread.join(15.0)
    assert not any(thread.is_alive() for thread in threads)


def test_long_ones_get_their_turn_beside_an_endless_line_of_quick_ones() -> None:
    """The line itself, without threads: quick ones come for ever, faster than they are taken."""
    line = front.ByCost(0)
    line.costs.took("GET /long/#", 2.0)
    line.queue.append(front._Waiting("long", "GET /long/#", 0.0))
    for now in range(10**6):
        line.queue.extend(front._Waiting(None, "GET /quick/", float(now) / 10.0) for _ in range(2))
        taken = line._turn()
        assert taken is not None
        if taken.task == "long":
            break
    assert now / 10.0 < 2 * front.WORTH * 2.0


def test_no_more_long_ones_at_once_than_leave_threads_free() -> None:
    line = front.ByCost(0)
    line._most_long = 2
    line.costs.took("GET /long/#", 2.0)
    line.queue.extend(front._Waiting(None, "GET /long/#", 0.0) for _ in range(5))
    assert [line._turn() is None for _ in range(3)] == [False, False, True] and len(line.queue) == 3
    line._long -= 1
    assert line._turn() is not None


def test_addresses_that_are_not_there_crowd_out_nothing_that_is_known() -> None:
    costs = front.Costs()
    costs.took("GET /events/#/race/", 3.0)
    for number in range(3 * front._KINDS):
        costs.took(f"GET /{number:x}x/", 0.001)
    assert costs.of("GET /events/#/race/") == 3.0 and costs.of("GET /never/") == front.USUAL_S
    for _ in range(20):  # shown from what is kept by now
        costs.took("GET /events/#/race/", 0.02)
    assert costs.of("GET /events/#/race/") == front.USUAL_S


def test_what_waits_is_given_up_where_the_server_ends() -> None:
    class Task:
        given_up = 0

        def cancel(self) -> None:
            Task.given_up += 1

    line = front.ByCost(0)
    line.queue.extend(front._Waiting(Task(), "GET /", 0.0) for _ in range(3))
    assert line.shutdown() and Task.given_up == 3 and not line.queue
