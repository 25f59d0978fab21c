"""Forms that were sent lately, a small file each: every server of this machine sees them, and a restart forgets none."""

import fcntl
import hashlib
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from django.conf import settings

#: How long a form is known [s].
KNOWN_S = 6 * 3600
#: Before the number of the process that is at it; no address begins so.
_UNDER_WAY = "!"


def folder() -> Path:
    """Where they are kept."""
    found: Path = settings.VAR / "sent"
    found.mkdir(mode=0o700, parents=True, exist_ok=True)
    return found


def _path(name: str) -> Path:
    return folder() / hashlib.sha256(name.encode()).hexdigest()


@contextmanager
def _alone() -> Iterator[None]:
    """One at a time, among all threads and processes."""
    with (folder() / ".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def _is_alive(process: str) -> bool:
    try:
        os.kill(int(process), 0)
    except (ProcessLookupError, ValueError, OverflowError):
        return False
    except PermissionError:
        pass
    return True


def where(name: str) -> str | None:
    """Where a form led; empty while it is under way, None where it is not known (any more)."""
    try:
        path = _path(name)
        text = path.read_text()
        if time.time() - path.stat().st_mtime > KNOWN_S:
            return None
    except FileNotFoundError:
        return None
    if text.startswith(_UNDER_WAY) or not text:
        return "" if _is_alive(text[1:]) else None  # a server that was killed at it is not waited for
    return text


def begin(name: str) -> bool:
    """Marks a form as under way here; false where it is under way elsewhere, or was taken."""
    with _alone():
        if where(name) is not None:
            return False
        _write(name, f"{_UNDER_WAY}{os.getpid()}")
    return True


def take_over(name: str) -> None:
    """Marks a form as under way here, whoever was at it."""
    with _alone():
        _write(name, f"{_UNDER_WAY}{os.getpid()}")


def led(name: str, to: str) -> None:
    """Remembers where a form led."""
    with _alone():
        _write(name, to)


def forget(name: str) -> None:
    """A form that was refused may be sent again."""
    _path(name).unlink(missing_ok=True)


def _write(name: str, text: str) -> None:
    part = _path(name).with_suffix(".part")
    part.write_text(text)
    part.replace(_path(name))


def tidy() -> None:
    """Removes what is too old to be known."""
    late = time.time() - KNOWN_S
    for path in folder().iterdir():
        with suppress(FileNotFoundError):
            if path.name != ".lock" and path.stat().st_mtime < late:
                path.unlink()
