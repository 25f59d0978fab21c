"""Answers that took long, kept on disk: a restart does not work them out anew, nor does another process of the same machine.

What an answer is found by is made from all that its function was given, value by value, and from the sources of the program, so that
another version has a shelf of its own. What cannot be told apart with certainty is not kept.
"""

import hashlib
import pickle
import struct
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import fields, is_dataclass
from enum import Enum
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from pydantic import BaseModel

#: What took less than this is worked out anew [s]; the room for all [bytes]; between two looks whether it is full [s].
WORTH_S, MOST_BYTES, _LOOK_S = 0.05, 200_000_000, 60.0
_SOURCES = ("apexcore", "apextrim")
_looked_at = [0.0]


class NotTellable(TypeError):
    """A value that cannot be told apart from others by its contents."""


def folder() -> Path | None:
    """Where answers are kept; None where they are not."""
    found: Path | None = getattr(settings, "ANSWERS", None)
    return None if found is None else found / _version()


@cache
def _version() -> str:
    """All sources of the program as a short text."""
    mark = hashlib.sha256(np.__version__.encode())
    for room in _SOURCES:
        for path in sorted((Path(settings.BASE_DIR) / room).rglob("*.py")):
            mark.update(str(path.relative_to(settings.BASE_DIR)).encode())
            mark.update(path.read_bytes())
    return mark.hexdigest()[:16]


def name_of(function: Callable[..., Any], key: object) -> str | None:
    """The name of an answer; None where what the function was given cannot be told apart with certainty."""
    mark = hashlib.sha256(f"{function.__module__}.{function.__qualname__}".encode())
    try:
        _tell(key, mark.update)
    except NotTellable:
        return None
    return mark.hexdigest()


def _tell(value: Any, tell: Callable[[bytes], object]) -> None:
    """Tells a value part by part: what differs in anything is told differently.

    :raises NotTellable: if it holds anything else than plain values, arrays, and records of such
    """
    if value is None or isinstance(value, bool | Enum):
        tell(f"<{type(value).__qualname__} {value!r}>".encode())
    elif isinstance(value, int | np.integer):
        tell(b"i%d;" % int(value))
    elif isinstance(value, float | np.floating):
        tell(b"f" + struct.pack("<d", float(value)))
    elif isinstance(value, str | bytes):
        held = value.encode("utf-8", "surrogatepass") if isinstance(value, str) else value
        tell(f"{type(value).__name__}{len(held)}:".encode() + held)
    elif isinstance(value, np.ndarray) and value.dtype.kind in "biufU":
        tell(f"a{value.dtype.str}{value.shape}:".encode() + np.ascontiguousarray(value).tobytes())
    elif isinstance(value, tuple | list):
        tell(f"{type(value).__qualname__}{len(value)}(".encode())
        for held in value:
            _tell(held, tell)
    elif isinstance(value, Mapping):
        tell(f"m{len(value)}(".encode())
        for key, held in value.items():
            _tell(key, tell)
            _tell(held, tell)
    elif isinstance(value, BaseModel):
        tell(f"<{type(value).__module__}.{type(value).__qualname__}".encode())
        _tell(dict(value), tell)
    elif is_dataclass(value) and not isinstance(value, type):
        tell(f"<{type(value).__module__}.{type(value).__qualname__}".encode())
        for field in fields(value):
            _tell(getattr(value, field.name), tell)
    else:
        raise NotTellable(type(value).__qualname__)


def taken(name: str) -> tuple[Any] | None:
    """The answer of a name, alone in a tuple; None where there is none."""
    place = folder()
    if place is None:
        return None
    path = place / name
    try:
        return (pickle.loads(path.read_bytes()),)
    except FileNotFoundError:
        return None
    except Exception:  # broken off, or not ours: as if it were not there
        with suppress(OSError):
            path.unlink()
        return None


def put(name: str, answer: object) -> None:
    """Keeps an answer; where there is no room or it cannot be written, nothing is said: it is worked out anew then."""
    place = folder()
    if place is None:
        return
    with suppress(OSError, pickle.PicklingError, TypeError, AttributeError):
        held = pickle.dumps(answer, protocol=5)
        if len(held) > MOST_BYTES // 20:
            return
        place.mkdir(mode=0o700, parents=True, exist_ok=True)
        part = place / f"{name}.{time.monotonic_ns():x}.part"
        part.write_bytes(held)
        part.replace(place / name)
        if time.monotonic() - _looked_at[0] > _LOOK_S:
            _looked_at[0] = time.monotonic()
            make_room()


def make_room(most_bytes: int = MOST_BYTES) -> None:
    """Removes the oldest answers beyond the room, and first those of other versions."""
    place = folder()
    if place is None or not place.parent.is_dir():
        return
    found = []
    for path in place.parent.glob("*/*"):
        with suppress(OSError):
            stat = path.stat()
            found.append((path.parent == place, stat.st_mtime, stat.st_size, path))
    room = most_bytes
    for is_own, _, size, path in sorted(found, key=lambda told: told[:2], reverse=True):
        room -= size
        if room < 0 or not is_own:
            path.unlink(missing_ok=True)


def clear() -> None:
    """Removes all answers: what is deleted for good is in none of them."""
    make_room(0)
