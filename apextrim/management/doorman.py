"""The page that answers while the product gets ready: what is being done, in words. Nothing but Python's own library is needed for it.

The doorman is a process of its own beside whoever sets up. It answers on the same socket, with the progress that the other writes into a
file, and ends when it is told to, or when the other is gone.
"""

from __future__ import annotations

import argparse
import html
import json
import os
import signal
import socket
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from string import Template
from typing import Any

_HERE = Path(__file__).parent
_STATIC = _HERE.parent / "ui" / "static"
#: What the page itself asks for.
_FILES = {
    "/static/ui/css/app.css": "text/css", "/static/ui/fonts/next.woff2": "font/woff2", "/static/ui/fonts/mono.woff2": "font/woff2",
    "/static/ui/icon.svg": "image/svg+xml", "/static/ui/js/theme.js": "text/javascript",
}  # fmt: skip
#: As the site's own pages have it.
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self'; form-action 'self'; base-uri 'none'; "
    "frame-ancestors 'none'"
)
#: Before the page asks again [s].
AGAIN_S = 2

WAITING, UNDER_WAY, DONE = "waiting", "under way", "done"


#: Several threads tell steps; each change reads what the others wrote.
_TELLING = threading.Lock()


class Progress:
    """Steps with how far each is, kept in a file that another process reads.

    :param path: of the file; its folder is made
    """

    def __init__(self, path: Path) -> None:
        self.path = path

    def steps(self) -> dict[str, list[str]]:
        """State and words of each step, by its name in order."""
        try:
            found = json.loads(self.path.read_text())
        except (OSError, ValueError):
            return {}
        return found if isinstance(found, dict) else {}

    def plan(self, *names: str) -> None:
        """Adds steps that are to come, behind those that are known."""
        with _TELLING:
            there = self.steps()
            self._write({**there, **{name: [WAITING, ""] for name in names if name not in there}})

    def tell(self, name: str, state: str, words: str = "") -> None:
        """Says how far a step is."""
        with _TELLING:
            self._write({**self.steps(), name: [state, words]})

    def _write(self, steps: dict[str, list[str]]) -> None:
        self.path.parent.mkdir(parents=True, exist_ok=True)
        part = self.path.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
        part.write_text(json.dumps(steps))
        part.replace(self.path)


def page(steps: dict[str, list[str]], title: str = "Getting ready", text: str = "") -> str:
    """The page as text."""
    rows = "".join(
        f'<tr><th scope="row">{html.escape(name)}</th><td>{html.escape(f"{state}: {words}" if words else state)}</td></tr>\n'
        for name, (state, words) in steps.items()
    )
    told = text or "This page looks again every two seconds and opens by itself. The first start takes a minute or two."
    template = Template((_HERE / "getting_ready.page").read_text())
    return template.substitute(title=html.escape(title), text=html.escape(told), rows=rows, again=AGAIN_S)


class _Answer(BaseHTTPRequestHandler):
    """503 and the page for every address, but for the page's own files."""

    server: _Door
    protocol_version = "HTTP/1.1"
    timeout = 5  # a connection that says nothing must not hold up the next one

    def _say(self, status: int, kind: str, body: bytes) -> None:
        self.send_response(status)
        for name, value in (
            ("Content-Type", kind), ("Content-Length", str(len(body))), ("Cache-Control", "no-store"), ("Connection", "close"),
            ("Content-Security-Policy", POLICY), ("X-Content-Type-Options", "nosniff"),
            *((("Retry-After", str(AGAIN_S)),) if status == 503 else ()),
        ):  # fmt: skip
            self.send_header(name, value)
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(body)
        self.close_connection = True

    def _answer(self) -> None:
        address = self.path.partition("?")[0]
        if address in _FILES:
            self._say(200, _FILES[address], (_STATIC / address.removeprefix("/static/")).read_bytes())
        else:
            self._say(503, "text/html; charset=utf-8", page(self.server.progress.steps()).encode())

    do_GET = do_HEAD = do_POST = do_PUT = do_DELETE = do_OPTIONS = _answer  # noqa: N815 - names of the library

    def log_message(self, format: str, *args: Any) -> None:
        pass


class _Door(HTTPServer):
    """On a socket that is open already."""

    def __init__(self, listening: socket.socket, progress: Progress) -> None:
        super().__init__(listening.getsockname()[:2], _Answer, bind_and_activate=False)
        self.socket.close()
        self.socket, self.progress = listening, progress
        self.server_name, self.server_port = "localhost", listening.getsockname()[1]

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A visitor who left is no fault."""


def answer(listening: socket.socket, progress: Progress, parent: int) -> None:
    """Answers until it is told to end, or the process that started it is gone; whoever it is answering then gets the whole page."""
    ended = threading.Event()
    signal.signal(signal.SIGTERM, lambda *_: ended.set())
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl+C ends who started it, and that ends this
    door = _Door(listening, progress)
    door.timeout = 0.2
    listening.setblocking(False)  # whoever else listens may take a visitor first
    while os.getppid() == parent and not ended.is_set():
        door.handle_request()


def main() -> None:
    reader = argparse.ArgumentParser()
    reader.add_argument("--socket", type=int, required=True)
    reader.add_argument("--progress", type=Path, required=True)
    told = reader.parse_args()
    parent = os.getppid()
    answer(socket.socket(fileno=told.socket), Progress(told.progress), parent)


if __name__ == "__main__":
    main()
