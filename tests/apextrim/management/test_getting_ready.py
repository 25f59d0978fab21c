"""What answers before all is there: the doorman before the server, and the server before its kernels."""

import http.client
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from django.http import HttpRequest, HttpResponse
from django.test import Client, RequestFactory
from django.urls import reverse

from apexcore.formats import recording
from apextrim.events.models import Event
from apextrim.management import engine, start
from apextrim.management.doorman import DONE, UNDER_WAY, Progress, page
from apextrim.management.engine import Engine, NotCompiled, UntilReady
from apextrim.runs.models import Run
from tests.apextrim.commands import ROOT


@pytest.fixture
def door(tmp_path: Path) -> Iterator[tuple[int, Progress, subprocess.Popen[bytes]]]:
    """A doorman on a port of its own."""
    listening = start.listening_on(0)
    progress = Progress(tmp_path / "deep" / "getting-ready.json")
    progress.plan("Packages", "Your data")
    command = [sys.executable, "-m", "apextrim.management.doorman", "--socket", str(listening.fileno()), "--progress", str(progress.path)]
    process = subprocess.Popen(command, cwd=ROOT, pass_fds=[listening.fileno()])
    yield listening.getsockname()[1], progress, process
    process.kill()
    process.wait()
    listening.close()


def asked(port: int, method: str = "GET", address: str = "/", body: bytes | None = None) -> tuple[int, str, dict[str, str]]:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    connection.request(method, address, body)
    answer = connection.getresponse()
    return answer.status, answer.read().decode(errors="replace"), {key.lower(): value for key, value in answer.getheaders()}


def test_the_doorman_says_how_far_it_is_whatever_is_asked(door: tuple[int, Progress, subprocess.Popen[bytes]]) -> None:
    port, progress, _ = door
    for method, address in (("GET", "/"), ("POST", "/events/7/sheet/?x=<b>"), ("PUT", "/logger/"), ("GET", "/static/ui/../../settings.py")):
        status, text, headers = asked(port, method, address, b"laps=1" if method != "GET" else None)
        assert status == 503 and headers["retry-after"] == "2" and "Your data" in text and "waiting" in text, (method, address)
        assert "default-src 'none'" in headers["content-security-policy"] and "<script>" not in text
    progress.tell("Packages", UNDER_WAY, "<b>12 & 13</b>")
    assert "under way: &lt;b&gt;12 &amp; 13&lt;/b&gt;" in asked(port)[1]
    assert asked(port, "HEAD")[:2] == (503, "")
    status, text, headers = asked(port, address="/static/ui/css/app.css")
    assert status == 200 and headers["content-type"] == "text/css" and "{" in text
    progress.path.write_text("half a fi")  # as a reader may find it
    assert asked(port)[0] == 503


@pytest.mark.thorough_only
def test_a_visitor_who_says_nothing_holds_up_nobody_for_long(door: tuple[int, Progress, subprocess.Popen[bytes]]) -> None:
    port, _, _ = door
    with socket.create_connection(("127.0.0.1", port)) as silent:
        silent.sendall(b"GET / HT")
        begin = time.monotonic()
        assert asked(port)[0] == 503
        assert time.monotonic() - begin < 15.0


def test_the_doorman_goes_when_told_and_answers_his_last_visitor(door: tuple[int, Progress, subprocess.Popen[bytes]]) -> None:
    port, _, process = door
    assert asked(port)[0] == 503
    process.send_signal(signal.SIGINT)  # Ctrl+C is for who started it
    assert asked(port)[0] == 503
    process.send_signal(signal.SIGTERM)
    assert process.wait(5) == 0


def test_the_doorman_goes_with_whoever_started_him(tmp_path: Path) -> None:
    """Killed without a word: the port must not stay taken."""
    code = (
        "import subprocess, sys\nfrom apextrim.management import start\n"
        "one = start.listening_on(0)\n"
        "words = [sys.executable, '-m', 'apextrim.management.doorman', '--socket', str(one.fileno()), '--progress', sys.argv[1]]\n"
        "door = subprocess.Popen(words, pass_fds=[one.fileno()])\n"
        "print(door.pid, one.getsockname()[1], flush=True)\nsys.stdin.read()\n"
    )
    parent = subprocess.Popen(
        [sys.executable, "-c", code, str(tmp_path / "p.json")], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert parent.stdout is not None
    door, port = (int(word) for word in parent.stdout.readline().split())
    assert asked(port)[0] == 503
    parent.kill()
    parent.wait()
    deadline = time.monotonic() + 10.0
    while time.monotonic() < deadline and Path(f"/proc/{door}").exists() and _state(door) != "Z":
        time.sleep(0.05)
    with pytest.raises(OSError, match="refused"):
        asked(port)


def _state(pid: int) -> str:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except OSError:
        return "Z"


def test_a_port_in_use_is_said_with_what_to_do() -> None:
    first = start.listening_on(0)
    with pytest.raises(SystemExit, match=r"Port \d+ cannot be used .*PORT=8010"):
        start.listening_on(first.getsockname()[1])
    with pytest.raises(SystemExit, match="Port 99999 cannot be used"):
        start.listening_on(99999)
    first.close()


def test_a_group_is_installed_when_its_stamp_is_newer_than_its_list(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(start, "ROOT", tmp_path)
    (tmp_path / "requirements").mkdir()
    (tmp_path / "requirements" / "runtime.txt").write_text("")
    (tmp_path / ".venv" / "bin").mkdir(parents=True)
    assert not start.is_installed("runtime")
    (tmp_path / ".venv" / "bin" / "python").write_text("")
    start.stamp("runtime").touch()
    assert start.is_installed("runtime")
    os.utime(tmp_path / "requirements" / "runtime.txt", (2e9, 2e9))
    assert not start.is_installed("runtime")


def test_what_a_page_says_is_escaped() -> None:
    text = page({"<i>": [DONE, "x"]}, "<h1>", "a < b")
    assert "&lt;i&gt;" in text and "&lt;h1&gt;" in text and "a &lt; b" in text and "<i>" not in text


# --- the server before its kernels


@pytest.fixture
def compiling(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Engine:
    """An engine whose kernels are still being made."""
    one = Engine()
    one.progress = Progress(tmp_path / "p.json")
    one.progress.tell("The lap model", UNDER_WAY, "compiling, 3 of about 50 functions")
    one._ended.clear()
    monkeypatch.setattr(engine, "ENGINE", one)
    return one


def test_a_page_that_needs_a_kernel_says_so_and_opens_by_itself(
    client_in: Client, event: Event, compiling: Engine, monkeypatch: pytest.MonkeyPatch
) -> None:
    from apextrim.events import views

    monkeypatch.setattr(views, "render", lambda *args, **kwargs: compiling._asked("apexcore.lap.kernel.solve"))
    response = client_in.get(reverse("brief", args=[event.pk]))
    assert response.status_code == 503 and response["Retry-After"] == "2"
    text = response.content.decode()
    assert "compiling, 3 of about 50 functions" in text and 'http-equiv="refresh"' in text
    assert client_in.get(reverse("glossary")).status_code == 200  # what needs none is there


def test_what_is_sent_waits_and_is_then_taken_once(compiling: Engine) -> None:
    taken: list[str] = []

    def view(request: HttpRequest) -> HttpResponse:
        taken.append(request.method or "")
        return HttpResponse("taken")

    view.__module__ = "apextrim.runs.views"
    middleware, request = UntilReady(view), RequestFactory().post("/")
    got: list[HttpResponse | None] = []
    waiting = threading.Thread(target=lambda: got.append(middleware.process_view(request, view, (), {})))
    waiting.start()
    time.sleep(0.1)
    assert waiting.is_alive() and not got
    compiling._ended.set()
    waiting.join(5)
    assert got == [None]  # goes on to the view


def test_only_few_wait_and_signing_in_never_does(compiling: Engine, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Engine.wait, "__defaults__", (0.4,))

    def view(request: HttpRequest) -> HttpResponse:
        return HttpResponse("")

    middleware, post = UntilReady(view), RequestFactory().post("/")
    view.__module__ = "apextrim.accounts.views"
    assert middleware.process_view(post, view, (), {}) is None
    view.__module__ = "apextrim.runs.views"
    assert middleware.process_view(RequestFactory().get("/"), view, (), {}) is None
    threads = [threading.Thread(target=middleware.process_view, args=(post, view, (), {})) for _ in range(2)]
    for thread in threads:
        thread.start()
    time.sleep(0.1)
    begin = time.monotonic()
    refused = middleware.process_view(post, view, (), {})
    assert refused is not None and refused.status_code == 503 and time.monotonic() - begin < 0.2
    for thread in threads:
        thread.join()


def test_the_server_outlasts_the_compiler_also_while_others_wait(compiling: Engine) -> None:
    waiting = [threading.Thread(target=compiling.wait, args=(5.0,)) for _ in range(2)]
    own = threading.Thread(target=compiling.outlast, args=(5.0,))
    for thread in (*waiting, own):
        thread.start()
    time.sleep(0.1)
    assert own.is_alive()
    compiling._ended.set()
    for thread in (*waiting, own):
        thread.join(5)
    assert not own.is_alive()


def test_steps_told_by_several_threads_are_all_kept(tmp_path: Path) -> None:
    progress = Progress(tmp_path / "p.json")

    def told(n: int) -> None:
        for k in range(20):
            progress.tell(f"{n}-{k}", DONE)

    threads = [threading.Thread(target=told, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(progress.steps()) == 80


def test_what_nobody_foresaw_is_compiled_and_logged(compiling: Engine, caplog: pytest.LogCaptureFixture) -> None:
    with pytest.raises(NotCompiled):
        compiling._asked("apexcore.lap.kernel.solve")
    compiling._ended.set()
    with caplog.at_level("WARNING", "apextrim.engine"):
        compiling._asked("apexcore.lap.kernel.solve")
        compiling._asked("numba.cpython.something")
    assert [record.getMessage() for record in caplog.records] == ["compiled in a request: apexcore.lap.kernel.solve"]


def test_a_compiler_that_fails_ends_the_waiting(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("apexcore.warm.waiting", lambda: ["laps", "plans"])
    monkeypatch.setattr(sys, "executable", "/bin/false")
    monkeypatch.setattr(engine, "watch", lambda told: None)
    one = Engine()
    one.begin(Progress(tmp_path / "p.json"))
    assert one._ended.wait(20) and one.is_ready


# --- libraries that come later


def test_recordings_say_what_is_missing_until_their_libraries_are_there(
    client_in: Client, event: Event, drive: object, first: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    from django.core.files.uploadedfile import SimpleUploadedFile

    run: Run = drive(first, 3, 3)  # type: ignore[operator]
    monkeypatch.setattr(recording, "_LIBRARIES", ("not_there_yet",))
    response = client_in.get(reverse("export_run_traces", args=[event.pk, run.pk, "parquet"]))
    assert response.status_code == 503 and "make recordings" in response.content.decode()
    assert client_in.get(reverse("export_run_traces", args=[event.pk, run.pk, "csv"])).status_code == 200
    assert "not installed yet" in client_in.get(reverse("choose_recording", args=[event.pk])).content.decode()
    file = SimpleUploadedFile("laps.csv", b"time,speed\n0,1\n1,2\n")
    form = {"file": file, "sheet": run.sheet_id, "session": "", "front": "marl", "rear": "marl", "tyre_age": "0", "fuel_l": "30"}
    response = client_in.post(reverse("choose_recording", args=[event.pk]), form)
    assert response.status_code == 422 and "not installed yet" in response.content.decode()
