"""Compiled functions: how they are made, where their code is kept, and who may wait for the compiler.

Compiled code holds the values of the constants that its source imports, so what is kept is known by those too: a kernel's file may import
plain values only (a test holds it), and each of them is part of the name of the folder that its code is kept in. One folder serves all
clones of the same sources on a machine, and several processes may fill it at once.
"""

import ast
import hashlib
import os
import platform
import shutil
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import numba
import numpy as np
from numba.core import event, types
from numba.core.caching import _CacheLocator

#: Folders of one kernel that are kept, the newest: as many clones may work at once.
_MOST = 6
_PACKAGE = __name__.partition(".")[0]
_USUAL = {"cache": True, "nogil": True, "error_model": "numpy", "no_cfunc_wrapper": True}
#: Marks found already, by a file's path, time and size.
_MARKS: dict[tuple[str, int, int], str] = {}


def store() -> Path:
    """The folder of all compiled code of this machine."""
    place = os.environ.get("APEX_KERNELS")
    return Path(place) if place else Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "apex-trim" / "kernels"


def folder_of(file: Path, names: dict[str, Any]) -> Path:
    """Where the compiled code of a file is kept."""
    return store() / f"{file.parent.name}-{file.stem}-{mark_of(file, names)}"


def mark_of(file: Path, names: dict[str, Any]) -> str:
    """What the compiled code of a file depends on, as a short text.

    :param names: the file's own globals, of which those that it imports from elsewhere in the core count by their value
    :raises TypeError: if the file imports anything else than a plain value from there
    """
    known = (str(file), (stat := file.stat()).st_mtime_ns, stat.st_size)
    if known in _MARKS:
        return _MARKS[known]
    source = file.read_bytes()
    mark = hashlib.sha256(source)
    for part in (numba.__version__, np.__version__, platform.python_version(), platform.machine()):
        mark.update(f"{part}|".encode())
    for name in _imported(source):
        mark.update(f"{name}={_written(name, names[name])}|".encode())
    return _MARKS.setdefault(known, mark.hexdigest()[:24])


def _imported(source: bytes) -> list[str]:
    """Names that a file imports from the core, but for what this module lends it."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.ImportFrom) or not (node.level or (node.module or "").partition(".")[0] == _PACKAGE):
            continue
        if (node.module or "").rpartition(".")[2] == "compiled":
            continue
        found += [alias.asname or alias.name for alias in node.names]
    return sorted(found)


def _written(name: str, value: Any) -> str:
    """A plain value as text that differs where it differs."""
    if isinstance(value, np.dtype):
        return f"{value.descr} {value.itemsize}"
    if isinstance(value, tuple):
        return f"({', '.join(_written(name, part) for part in value)})"
    if isinstance(value, (bool, int, float, str)):
        return f"{type(value).__name__} {value!r}"
    raise TypeError(f"{name}: a file of compiled functions may import plain values only, not a {type(value).__name__}")


class Locator(_CacheLocator):
    """Tells the compiler where to keep a function."""

    def __init__(self, folder: Path) -> None:
        self._path = folder

    def get_cache_path(self) -> str:
        return str(self._path)

    def get_source_stamp(self) -> str:
        return self._path.name

    def get_disambiguator(self) -> str:
        return ""

    @classmethod
    def from_function(cls, py_func: Callable[..., Any], py_file: str) -> "Locator | None":
        """None where the store cannot be written to: the compiler then looks for another place."""
        locator = cls(folder_of(Path(py_file), py_func.__globals__))
        try:
            locator.ensure_cache_path()
        except OSError:
            return None
        return locator


setattr(numba.config, "CACHE_LOCATOR_CLASSES", f"{__name__}.Locator,InTreeCacheLocator,UserWideCacheLocator")  # noqa: B010


def _plain(kind: Any) -> Any:
    """The kind of an argument without its value."""
    return types.unliteral(kind)


def compiled(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """A decorator: compiled at its first call for each kind of arguments, and kept.

    Divisions are not checked for zero unless `error_model="python"`. A whole number written in a call is a number like any other: the
    compiler would else make a body of its own for each one.
    """

    def made(function: Callable[..., Any]) -> Any:
        dispatcher = numba.njit(**{**_USUAL, **options})(function)
        ask = dispatcher.get_call_template

        def template(args: tuple[Any, ...], kws: dict[str, Any]) -> Any:
            return ask(tuple(_plain(arg) for arg in args), {name: _plain(arg) for name, arg in kws.items()})

        dispatcher.get_call_template = template
        return dispatcher

    return made


class _Watch(event.Listener):
    """Tells each compilation, before it begins, to whoever asked."""

    def __init__(self, told: Callable[[str], None]) -> None:
        self._told = told

    def on_start(self, event: Any) -> None:
        function = event.data["dispatcher"].py_func
        self._told(f"{function.__module__}.{function.__qualname__}")

    def on_end(self, event: Any) -> None:
        pass


def watch(told: Callable[[str], None]) -> Callable[[], None]:
    """Calls `told` with the name of each function before it is compiled, until what is returned is called; an error that `told` raises
    reaches the caller of that function, which is then not compiled."""
    listener = _Watch(told)
    event.register("numba:compile", listener)
    return lambda: event.unregister("numba:compile", listener)


def tidy() -> None:
    """Removes compiled code of older sources, but for the newest of each kernel."""
    kinds: dict[str, list[Path]] = {}
    with suppress(OSError):
        for folder in store().iterdir():
            if not folder.is_dir():
                continue
            kinds.setdefault(folder.name.rpartition("-")[0], []).append(folder)
        for folders in kinds.values():
            for old in sorted(folders, key=lambda folder: folder.stat().st_mtime, reverse=True)[_MOST:]:
                shutil.rmtree(old, ignore_errors=True)
