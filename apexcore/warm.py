"""Compiles the core's kernels ahead, in groups that a process each can take: `python -m apexcore.warm laps`.

A group that is compiled leaves a stamp in the store, so that whoever starts next knows without asking the compiler.
"""

import fcntl
import importlib
import os
import subprocess
import sys
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from llvmlite import binding
from numba.core.dispatcher import Dispatcher

from .compiled import folder_of, store, tidy, watch

#: Groups that one process compiles, one after the other; the first one has what a first visitor needs.
TOGETHER = (("laps", "verdicts"), ("plans",))
#: Of each group: files of compiled functions, and what calls them as the product does.
GROUPS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "laps": (("lap.kernel", "lap.rows_kernel"), ("lap.kernel", "lap.rows_kernel")),
    "verdicts": (("judge.sampler",), ("judge.model",)),
    "plans": (("race.kernel", "race.races_kernel"), ("race.plans", "race.simulation")),
}


def warm(group: str, told: Callable[[str], None] | None = None) -> None:
    """Compiles a group, or loads it from the store, in this process.

    :param told: hears the name of each function before it is compiled
    """
    stop = watch(told) if told else lambda: None
    try:
        for name in GROUPS[group][1]:
            importlib.import_module(f"{__package__}.{name}").warm()
    finally:
        stop()
    with suppress(OSError):  # a store that cannot be written is asked again at the next start
        for stamp in _stamps(group):
            stamp.touch()


def is_ready(group: str) -> bool:
    """Whether all of a group is in the store, for these sources and this processor."""
    return all(stamp.exists() for stamp in _stamps(group))


def waiting() -> list[str]:
    """Groups that are yet to be compiled, in the order in which a first visitor needs them."""
    return [group for group in GROUPS if not is_ready(group)]


def size_of(group: str) -> int:
    """How many functions a group has."""
    modules = (importlib.import_module(f"{__package__}.{name}") for name in GROUPS[group][0])
    return sum(isinstance(value, Dispatcher) for module in modules for value in vars(module).values())


def _stamps(group: str) -> list[Path]:
    processor = f"{binding.get_host_cpu_name()} {sorted(binding.get_host_cpu_features().items())}"
    mark, found = zlib.crc32(processor.encode()), []
    for name in GROUPS[group][0]:
        module = importlib.import_module(f"{__package__}.{name}")
        found.append(folder_of(Path(str(module.__file__)), vars(module)) / f"ready-{mark:08x}")
    return found


@contextmanager
def _alone(group: str) -> Iterator[None]:
    """One process at a time compiles a group; the next one finds it in the store."""
    try:
        store().mkdir(parents=True, exist_ok=True)
        lock = (store() / f"lock-{group}").open("w")
    except OSError:
        yield
        return
    with lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def main(groups: list[str]) -> None:
    """Compiles groups one after the other, or all of them in two processes, saying each function on a line of its own."""
    parent = os.getppid()

    def told(name: str) -> None:
        if name.startswith(f"{__package__}."):
            with suppress(BrokenPipeError):
                print(name, flush=True)
        if os.getppid() != parent:
            sys.exit("Whoever asked for it is gone.")

    others = [] if groups else [subprocess.Popen([sys.executable, "-m", "apexcore.warm", *part]) for part in TOGETHER[1:] if waiting()]
    for group in groups or TOGETHER[0]:
        with _alone(group):
            if not is_ready(group):
                warm(group, told)
    for other in others:
        other.wait()
    tidy()
    if any(other.returncode for other in others):
        sys.exit("A group could not be compiled; its own words stand above.")


if __name__ == "__main__":
    main(sys.argv[1:])
