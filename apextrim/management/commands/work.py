"""Works off what is asked for beside requests, in processes of its own."""

import logging
import os
import signal
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import connections
from huey import Huey
from huey.consumer import Consumer

from apexcore.compiled import watch
from apextrim.work import queries, queue

log = logging.getLogger("apextrim.work")

#: Between two looks for what was lost, and two for what has waited long enough to go [s]; the first of these comes later [s].
_SWEEP_S, _TIDY_S, _TIDY_FIRST_S = 5.0, 3600.0, 300.0


class Workers(Consumer):  # type: ignore[misc]
    """Huey's consumer, which also looks for lost jobs, says that it is there, and ends with the server that started it."""

    def __init__(self, huey: Huey, parent: int | None, **options: Any) -> None:
        super().__init__(huey, **options)
        self._parent, self._swept_at = parent, 0.0
        self._tidies_at = time.monotonic() + _TIDY_FIRST_S
        self._tidy: subprocess.Popen[bytes] | None = None

    def loop(self, health_check_ts: float | None = None) -> Any:
        """One turn of the process that watches over the workers."""
        if self._parent is not None and os.getppid() != self._parent:
            os.kill(os.getpid(), signal.SIGTERM)
        elif time.monotonic() - self._swept_at > _SWEEP_S:
            self._swept_at = time.monotonic()
            sweep()
            if time.monotonic() > self._tidies_at:
                self._tidies_at = time.monotonic() + _TIDY_S
                with suppress(OSError):  # no room for a process: an hour later there is
                    self._tidy = tidy(self._tidy)
        return super().loop(health_check_ts)

    def check_worker_health(self) -> bool:
        """Starts dead workers anew, at the next look where there is no room for a process now."""
        try:
            return bool(super().check_worker_health())
        except OSError as error:
            log.warning("workers: %s", error)
            return False


def sweep() -> None:
    """Says that workers are there, and puts right what was lost."""
    try:
        queries.beat_file().touch()
        queue.recover()
    except Exception as error:  # a full disk, a busy database, a queue that is held or away: the next sweep tries again
        log.warning("sweep: %s", error)
    finally:  # a worker that is forked later must inherit neither
        connections.close_all()
        with suppress(Exception):
            queue.ready().storage.close()


def tidy(before: subprocess.Popen[bytes] | None) -> subprocess.Popen[bytes]:
    """Begins to remove what has waited long enough, in a process of its own; while one is at it no other begins.

    :param before: the one before
    """
    if before is not None and before.poll() is None:
        return before
    return subprocess.Popen(["nice", sys.executable, str(settings.BASE_DIR / "manage.py"), "tidy"], stdout=subprocess.DEVNULL)


def step_aside() -> None:
    """Leaves most of the processor to requests when they want it: a tenth of their weight. Not only what nobody else wants, since
    a job would then never end beside a program that keeps the machine busy, such as a simulator."""
    os.nice(10)


class Command(BaseCommand):
    """`manage.py work`."""

    help = "Works off searches, calibrations and large files beside the requests. `serve` starts it by itself."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--workers", type=int, default=settings.WORKERS)
        parser.add_argument("--parent", type=int, help="process with which it ends")

    def handle(self, *args: Any, **options: Any) -> None:
        logging.getLogger("huey").setLevel(logging.ERROR)
        watch(lambda name: log.warning("compiled in a job: %s", name) if name.startswith("apexcore.") else None)
        Path(settings.VAR).mkdir(parents=True, exist_ok=True)
        carrier = queue.ready()
        carrier.on_startup()(step_aside)
        connections.close_all()
        Workers(
            carrier, options["parent"], workers=max(1, options["workers"]), worker_type="process", periodic=False, initial_delay=0.05,
            max_delay=0.25, backoff=1.2, scheduler_interval=1, shutdown_timeout=1, health_check_interval=2,
        ).run()  # fmt: skip
