"""Compiled kernels kept outside the tree, so that a fresh clone of the same sources need not compile them again.

The compiler's cache lies beside each source file and knows its entries by the content of the source. They may be copied to
any clone whose sources, compiler and processor are the same.
"""

import hashlib
import os
import platform
import shutil
from collections.abc import Iterator
from pathlib import Path

import numba
import numpy as np

_CORE = Path(__file__).parents[2] / "apexcore"

#: Sets of compiled kernels that are kept, the newest.
_MOST = 6


def _store() -> Path:
    place = os.environ.get("APEX_KERNELS")
    return Path(place) if place else Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "apex-trim" / "kernels"


def _key(core: Path) -> str:
    """What the compiled code depends on."""
    mark = hashlib.sha256()
    for part in (numba.__version__, np.__version__, platform.python_version(), platform.machine()):
        mark.update(f"{part}|".encode())
    mark.update(_processor().encode())
    for path in sorted(core.rglob("*.py")):
        mark.update(str(path.relative_to(core)).encode() + path.read_bytes())
    return mark.hexdigest()[:32]


def _processor() -> str:
    from llvmlite import binding  # type: ignore[import-untyped]

    return str(binding.get_host_cpu_name()) + str(sorted(binding.get_host_cpu_features().items()))


def _compiled(folder: Path) -> Iterator[Path]:
    return (path for path in folder.rglob("*.nb*") if path.suffix in (".nbi", ".nbc"))


def _copy(source: Path, target: Path) -> None:
    """Copies all compiled kernels of one tree to their places in another."""
    for path in _compiled(source):
        place = target / path.relative_to(source)
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(path, place)


def restore(core: Path = _CORE) -> bool:
    """Puts compiled kernels of the same sources beside them, unless some are there. Returns whether any were put."""
    there = _store() / _key(core)
    if not there.is_dir() or any(_compiled(core)):
        return False
    _copy(there, core)
    return True


def save(core: Path = _CORE) -> bool:
    """Keeps the compiled kernels for other clones. Returns whether they were not kept yet; a store that cannot be written is
    left alone."""
    store, key = _store(), _key(core)
    if (store / key).is_dir():
        return False
    try:
        part = store / f"{key}.{os.getpid()}"
        _copy(core, part)
        part.rename(store / key)
        kept = sorted((path for path in store.iterdir() if path.is_dir()), key=lambda path: path.stat().st_mtime)
        for old in kept[:-_MOST]:
            shutil.rmtree(old, ignore_errors=True)
    except OSError:
        return False
    return True
