"""The product as a racer starts it, on the data of a folder: for whatever measures it, photographs it or tests it from outside."""

import os
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.request import urlopen

ROOT = Path(__file__).parents[1]
#: How long a server may take until it answers, on a busy machine [s].
_PATIENCE_S = 180.0


def free_port() -> int:
    """A port that nobody uses."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def running(folder: Path) -> Iterator[tuple[str, int]]:
    """A server in demo mode on the data of a folder: its address and process."""
    port = free_port()
    env = {**os.environ, "APEX_VAR": str(folder), "APEX_DEMO": "1"}
    command = [sys.executable, "manage.py", "serve", "--port", str(port)]
    server = subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    try:
        deadline = time.monotonic() + _PATIENCE_S
        while True:
            assert server.poll() is None, "the server ended"
            try:
                urlopen(f"{address}/sign-in/", timeout=30)
                break
            except OSError:
                assert time.monotonic() < deadline, "the server does not answer"
                time.sleep(0.1)
        yield address, server.pid
    finally:
        server.terminate()
        server.wait(30)
