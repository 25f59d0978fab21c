"""Serves the product on this machine: what the first page needs is done before it answers, all else after."""

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import DatabaseError, connection

from apextrim.management import start
from apextrim.management.doorman import DONE, UNDER_WAY, WAITING, Progress

#: Of one connection and of all: threads, half-open and idle ones [s].
_LIMITS: dict[str, Any] = {
    "threads": 4, "ident": None, "connection_limit": 200, "channel_timeout": 30, "cleanup_interval": 10,
    "max_request_header_size": 32_768, "clear_untrusted_proxy_headers": True,
}  # fmt: skip
#: Before workers that ended are started anew [s].
_AGAIN_S = 2.0
#: Events whose lines are laid out before somebody asks.
_MOST_EVENTS = 20
DATA = "Your data"


class Command(BaseCommand):
    """`manage.py serve`."""

    help = "Serves the product on this machine."
    requires_system_checks = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--socket", type=int, help="a socket that is bound already")
        parser.add_argument("--doorman", type=int, help="process that answers on it until the server does")
        parser.add_argument("--helper", type=int, help="number of a server beside the first one, on its socket: --socket")
        parser.add_argument("--began", type=float, default=time.time(), help="when the start began, as seconds since 1970")

    def handle(self, *args: Any, **options: Any) -> None:
        listening = socket.socket(fileno=options["socket"]) if options["socket"] else start.listening_on(options["port"])
        if options["helper"]:
            _help(listening)
            return
        progress = Progress(Path(settings.VAR) / "getting-ready.json")
        try:
            self._serve(listening, progress, options)
        finally:
            _end(options["doorman"])
            progress.path.unlink(missing_ok=True)

    def _serve(self, listening: socket.socket, progress: Progress, options: dict[str, Any]) -> None:
        from apextrim.management.engine import ENGINE

        progress.plan(DATA)
        ENGINE.begin(progress)
        progress.tell(DATA, UNDER_WAY, "the database is set up")
        try:
            _set_up_database(progress)
        except DatabaseError as error:
            raise _told(error) from None
        server = _server(listening)
        progress.tell(DATA, DONE, "")
        _end(options["doorman"])
        options["doorman"] = None
        threading.Thread(target=_afterwards, args=(progress, listening), daemon=True, name="afterwards").start()
        self.stdout.write(f"\nApex Trim is at http://localhost:{options['port']}/ ({time.time() - options['began']:.0f} s)")
        if settings.DEMO:
            self.stdout.write(f"Press “Open the demo”, or sign in as {settings.DEMO_USER} with {settings.DEMO_PASSWORD}.")
        self.stdout.write("Stop it with Ctrl+C.\n")
        self.stdout.flush()
        server.run()


def _server(listening: socket.socket) -> Any:
    """The server of this process, with all pages there before the first visitor comes."""
    from waitress.server import create_server

    from apexcore.formats.recording import MOST_BYTES
    from apextrim import urls  # noqa: F401
    from apextrim.management.front import ByCost, Channel
    from apextrim.wsgi import application

    limits = {**_LIMITS, **_proxy(), "max_request_body_size": MOST_BYTES + 1_000_000}
    server = create_server(application, sockets=[listening], _dispatcher=ByCost(_LIMITS["threads"]), **limits)
    server.channel_class = Channel
    return server


def _help(listening: socket.socket) -> None:
    """Serves beside the first server, once everything is there, for as long as that one lives."""
    from apextrim.management.engine import ENGINE, load

    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the first one ends, and this one with it
    ENGINE.watch()
    load()
    _server(listening).run()


def _proxy() -> dict[str, Any]:
    """Whom the server believes that a request came over TLS: the proxy before it, where there is one."""
    if not settings.TLS:
        return {}
    return {"trusted_proxy": settings.PROXY, "trusted_proxy_count": 1, "trusted_proxy_headers": {"x-forwarded-proto"}}


def _told(error: DatabaseError) -> CommandError:
    from apextrim.ui.faults import cause_of

    title, text = cause_of(error) or ("The database does not answer", str(error))
    return CommandError(f"{title}: {settings.DATABASES['default']['NAME']}. {text}")


def _set_up_database(progress: Progress) -> None:
    """Brings the tables up to date, and puts in the demo where it is asked for."""
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        call_command("migrate", verbosity=0)
    if settings.DEMO:
        progress.tell(DATA, UNDER_WAY, "the demo's events are read")
        call_command("load_demo")


def _end(doorman: int | None) -> None:
    """Lets whoever answered until now go, once it has said its last page."""
    if doorman is not None:
        with suppress(ProcessLookupError, ChildProcessError):
            os.kill(doorman, signal.SIGTERM)
            os.waitpid(doorman, 0)


def _afterwards(progress: Progress, listening: socket.socket) -> None:
    """What nobody waits for."""
    from apextrim.events.models import Event
    from apextrim.management.engine import ENGINE, load
    from apextrim.modelling import cases

    with suppress(DatabaseError):
        for event in Event.objects.select_related("car", "circuit")[:_MOST_EVENTS]:
            cases.spans_of(event)  # racing lines before somebody asks for one
        call_command("clearsessions")
    connection.close()
    ENGINE.outlast(600.0)
    load()
    _keep("workers", ["manage.py", "work", "--parent", str(os.getpid())])
    alive, _held = os.pipe()  # the second end is held by this process alone, until it ends
    for number in range(2, settings.SERVERS + 1):
        words = [str(alive), "serve", "--socket", str(listening.fileno()), "--helper", str(number)]
        _keep(f"server-{number}", ["-m", "apextrim.management.helper", *words], (listening.fileno(), alive))
    if (start.ROOT / ".venv").exists() and Path(sys.prefix) == start.ROOT / ".venv" and not start.is_installed("recordings"):
        progress.plan(start.RECORDINGS)
        progress.tell(start.RECORDINGS, UNDER_WAY, "downloading and unpacking")
        with suppress(SystemExit):  # pip has said why; pages of recordings say what is missing
            start.install("recordings")
        progress.tell(start.RECORDINGS, DONE if start.is_installed("recordings") else WAITING, "")


def _keep(name: str, words: list[str], handed: tuple[int, ...] = ()) -> None:
    """A process beside the server, started anew if it ends; it ends by itself when the server is gone.

    :param words: what Python is called with
    :param handed: files that it gets from here
    """

    def keep() -> None:
        while True:
            subprocess.Popen([sys.executable, *words], cwd=settings.BASE_DIR, start_new_session=True, pass_fds=handed).wait()
            time.sleep(_AGAIN_S)

    threading.Thread(target=keep, daemon=True, name=name).start()
