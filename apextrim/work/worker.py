"""One job, worked off in a worker process; everything it knows and tells goes through its row."""

import logging
import os
import signal
import threading
import time
from types import FrameType, TracebackType
from typing import Self

from django.core.exceptions import ObjectDoesNotExist
from django.db import connection, transaction
from django.utils import timezone

from apexcore.errors import ApexError, FileRejected

from . import queue
from .kinds import KINDS, Again, Done, Refused
from .models import Job

log = logging.getLogger("apextrim.work")

#: How often a row is read, and how often written where nothing changes [s].
_LOOK_S, _BEAT_S = 0.25, 5.0
#: Between the wish to stop and the end from outside of a job that does not look [s].
_GRACE_S = 1.2

BROKEN = "This failed because of a fault in the program; the log says where. Nothing was changed."


class Stopped(BaseException):
    """The job was ended from outside."""


class BeatingLine:
    """The line between a job and its row: a thread writes how far it is, and ends it when its owner asks for that."""

    def __init__(self, job: Job) -> None:
        self._rows, self._share = Job.objects.filter(pk=job.pk, tries=job.tries, state="running"), 0.0
        self._asked, self._over = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def progress(self, share: float) -> None:
        self._share = share

    def stopped(self) -> bool:
        return self._asked.is_set()

    def __enter__(self) -> Self:
        def end(_: int, __: FrameType | None) -> None:
            if not self._over.is_set():
                raise Stopped

        self._before = signal.signal(signal.SIGUSR1, end)
        self._thread.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._over.set()
        self._thread.join()
        signal.signal(signal.SIGUSR1, self._before)

    def _beat(self) -> None:
        written, written_at, asked_at = -1.0, 0.0, 0.0
        try:
            while not self._over.wait(_LOOK_S):
                now = time.monotonic()
                if self._share != written or now - written_at > _BEAT_S:
                    written, written_at = self._share, now
                    self._rows.update(progress=written, beat_at=timezone.now())
                if not asked_at and self._rows.values_list("stop", flat=True).first():
                    asked_at = now
                    self._asked.set()
                elif asked_at and now - asked_at > _GRACE_S and not self._over.is_set():
                    os.kill(os.getpid(), signal.SIGUSR1)
                    return
        except Exception:  # a busy database: the job goes on, it is only not heard of
            log.exception("beat")
        finally:
            connection.close()


class QuietLine:
    """A line that tells nothing, for where the job is worked off in the same thread."""

    def progress(self, share: float) -> None: ...

    def stopped(self) -> bool:
        return False


def _claim(pk: int) -> Job | None:
    """The job, if it is still to be done, no other of its owner runs in its lane, and it is its turn."""
    with transaction.atomic():
        job = Job.objects.filter(pk=pk, state="waiting").first()
        if job is None or Job.objects.filter(owner_id=job.owner_id, lane=job.lane, state="running").exists():
            return None
        if not queue.may_begin(job):
            return None
        now = timezone.now()
        job.state, job.tries, job.worker, job.beat_at = "running", job.tries + 1, queue.this_worker(), now
        job.begun_at = job.begun_at or now
        job.save(update_fields=["state", "tries", "worker", "beat_at", "begun_at"])
    return job


def _end(job: Job, state: str, told: list[str], address: str = "") -> None:
    queue.end(Job.objects.filter(pk=job.pk, tries=job.tries, state="running"), state, told, address)


def _run(job: Job, beats: bool) -> Done | Again:
    if not beats:
        return KINDS[job.kind].run(job, QuietLine())
    with BeatingLine(job) as line:
        return KINDS[job.kind].run(job, line)


def work_off(pk: int, beats: bool = True) -> None:
    """Works a job off; what ends it stands in its row. A key without a waiting job does nothing.

    :param beats: whether a thread tells how far it is
    """
    job = _claim(pk)
    if job is None:
        return
    try:
        end = _run(job, beats)
        if isinstance(end, Again):
            rows = Job.objects.filter(pk=pk, tries=job.tries, state="running", stop=False)
            now = timezone.now()
            if rows.update(state="waiting", arguments=end.arguments, progress=end.progress, tries=job.tries - 1, sent_at=now):
                queue.carry(pk, end.after_s)
                return
            _end(job, "stopped", ["Stopped."])
        else:
            _end(job, "stopped" if end.stopped else "done", end.told, end.address)
    except Stopped:
        _end(job, "stopped", ["Stopped; nothing was changed."])
    except ApexError as error:
        told = error.problems if isinstance(error, FileRejected) else [str(error)]
        _end(job, "failed", told, error.address if isinstance(error, Refused) else "")
    except ObjectDoesNotExist:
        _end(job, "failed", ["What this was asked for was deleted meanwhile."])
    except KeyboardInterrupt:  # the server is being stopped: the job waits for the next start
        queue.put_back(job, counted=False)
        raise
    except Exception:
        log.exception("job %s of kind %s", pk, job.kind)
        _end(job, "failed", [BROKEN])
    queue.send_next(job.owner_id, job.lane)
    queue.wake()
