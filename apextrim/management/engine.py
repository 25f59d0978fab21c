"""The compiled kernels of a server: made in processes beside it, never in a request.

While they are made, a page that needs one says so and opens by itself; what is sent waits for them. A function that nobody foresaw is
compiled where it is asked for, and the log of faults says which: better late than never.
"""

import logging
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterable
from importlib import import_module
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from apexcore import warm
from apexcore.compiled import watch
from apextrim.library import shelf

from .doorman import AGAIN_S, DONE, UNDER_WAY, Progress, page

log = logging.getLogger("apextrim.engine")

#: What a group of kernels is for, in the words of the page.
WORDS = {"laps": "The lap model", "verdicts": "Verdicts", "plans": "Race plans"}
#: How long what is sent may wait for the kernels [s], and how much of it at once.
_PATIENCE_S, _MOST_WAITING = 180.0, 2
_WHY = "What this page computes is being compiled for this machine, once. It looks again every two seconds and opens by itself."
#: Packages that a start does without.
_LATE = ("scipy.special", "scipy.linalg", "scipy.sparse", "scipy.interpolate", "scipy.optimize", "scipy.ndimage", "scipy.spatial", "pint")
#: Rooms whose pages need no kernel.
_WITHOUT = ("apextrim.accounts.", "apextrim.ui.")


class NotCompiled(RuntimeError):
    """A page asked for a kernel that the compiler has not reached yet."""


def _is_of(function: str, group: str) -> bool:
    return function.startswith(tuple(f"apexcore.{file}." for file in warm.GROUPS[group][0]))


class Engine:
    """Who compiles, and how far it is."""

    def __init__(self) -> None:
        self.progress: Progress | None = None
        self._ended = threading.Event()
        self._ended.set()
        self._waiting = threading.BoundedSemaphore(_MOST_WAITING)

    @property
    def is_ready(self) -> bool:
        """Whether nothing is being compiled any more."""
        return self._ended.is_set()

    def begin(self, progress: Progress) -> None:
        """Has compiled what is not in the store, and watches that no request does it."""
        self.progress = progress
        groups = warm.waiting()
        if groups:
            self._ended.clear()
            progress.plan(*(WORDS[group] for group in groups))
        self.watch()
        parts = [part for part in ([group for group in together if group in groups] for together in warm.TOGETHER) if part]
        following = [threading.Thread(target=self._follow, args=(part,), daemon=True) for part in parts]
        for thread in following:
            thread.start()
        if groups:
            threading.Thread(target=self._finish, args=(following,), daemon=True).start()

    def watch(self) -> None:
        """Has told what is compiled here from now on."""
        watch(self._asked)

    def _follow(self, groups: list[str]) -> None:
        """One process that compiles, and what it says."""
        assert self.progress is not None
        command = [sys.executable, "-m", "apexcore.warm", *groups]
        asked = subprocess.Popen(command, cwd=settings.BASE_DIR, stdout=subprocess.PIPE, text=True)
        assert asked.stdout is not None
        begin, group, done = time.monotonic(), groups[0], 0
        for line in asked.stdout:
            now = next((name for name in groups if _is_of(line, name)), group)
            if now != group:
                self.progress.tell(WORDS[group], DONE, f"{time.monotonic() - begin:.0f} s")
                begin, group, done = time.monotonic(), now, 0
            done += 1
            self.progress.tell(WORDS[group], UNDER_WAY, f"compiling, {done} of about {warm.size_of(group)} functions")
        if asked.wait():
            log.warning("compiling %s ended with %d", ", ".join(groups), asked.returncode)
        self.progress.tell(WORDS[group], DONE, f"{time.monotonic() - begin:.0f} s")

    def _finish(self, following: Iterable[threading.Thread]) -> None:
        for thread in following:
            thread.join()
        self._ended.set()

    def _asked(self, name: str) -> None:
        if not self.is_ready:
            raise NotCompiled(name)
        if name.startswith("apexcore."):
            log.warning("compiled in a request: %s", name)

    def wait(self, seconds: float = _PATIENCE_S) -> bool:
        """Waits until all is compiled; whether it is. Few may wait at once, so that pages that need no kernel still answer."""
        if self.is_ready:
            return True
        if not self._waiting.acquire(blocking=False):
            return False
        try:
            return self._ended.wait(seconds)
        finally:
            self._waiting.release()

    def outlast(self, seconds: float) -> None:
        """Waits for whoever compiles, beside what is sent: it takes none of its places."""
        self._ended.wait(seconds)

    def page(self) -> HttpResponse:
        """503: how far it is."""
        steps = self.progress.steps() if self.progress else {}
        told = page(steps, "Almost ready", _WHY)
        return HttpResponse(told, status=503, headers={"Retry-After": str(AGAIN_S), "Cache-Control": "no-store"})


ENGINE = Engine()


class UntilReady:
    """Middleware: what needs a kernel before it is there."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self._get_response(request)

    def process_view(self, request: HttpRequest, view: Callable[..., Any], args: Any, kwargs: Any) -> HttpResponse | None:
        """What is sent is taken when all is there: half of it must not have happened."""
        if ENGINE.is_ready or request.method in ("GET", "HEAD", "OPTIONS") or view.__module__.startswith(_WITHOUT):
            return None
        return None if ENGINE.wait() else ENGINE.page()

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        """A page that cannot be made yet."""
        return ENGINE.page() if isinstance(exception, NotCompiled) else None


def load() -> None:
    """Takes all kernels out of the store, and what is imported where it is used, so that no request waits for either."""
    begin = time.monotonic()
    for name in _LATE:
        import_module(name)
    for group in warm.GROUPS:
        warm.warm(group)
    shelf.folder()
    log.info("kernels in process %d after %.1f s", os.getpid(), time.monotonic() - begin)
