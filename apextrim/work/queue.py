"""Asking for work, and the fair share: of each owner one job of a lane runs, four wait. The rows say what is so; the queue
carries no more than their keys, so that it may lose or repeat one."""

import os
import socket
from collections.abc import Callable
from datetime import timedelta
from functools import cache
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from huey import Huey, RedisHuey, SqliteHuey

from apexcore.errors import ApexError
from apextrim.accounts.owned import Person

from .kinds import KINDS
from .models import Job

#: Jobs of one owner that wait in one lane beside the one that runs.
MOST_WAITING = 4
#: Silence after which a worker of another machine counts as gone [s].
_GONE_S = 60.0
#: Times that a job is begun before it counts as what ends its workers.
_MOST_TRIES = 3

FULL = "One job of yours is running and four are waiting. Stop one of them, or wait until one is done."


class TooMuchWork(ApexError):
    """The owner's share of the queue is used up."""


@cache
def carrier() -> Huey:
    """What carries keys of jobs to the workers: a file beside the database, or Redis where a club outgrew one machine."""
    if settings.QUEUE:
        return RedisHuey("apextrim", url=settings.QUEUE, results=False)
    return SqliteHuey("apextrim", filename=str(settings.VAR / "queue.sqlite3"), results=False)


@cache
def _task() -> Any:
    from .worker import work_off

    return carrier().task(name="work_off")(work_off)


def carry(pk: int, after_s: float = 0.0) -> None:
    """Puts the key of a job into the queue."""
    if after_s:
        _task().schedule((pk,), delay=after_s)
    else:
        _task()(pk)


def ready() -> Huey:
    """The carrier with its task, for the workers."""
    _task()
    return carrier()


def ask(
    owner: Person, kind: str, words: str, arguments: dict[str, Any], data: bytes | None = None,
    with_it: Callable[[Job], None] | None = None,
) -> Job:  # fmt: skip
    """Asks for a piece of work.

    :param words: what it does, for its owner
    :param data: the file that it reads
    :param with_it: keeps rows that hang on the job, in the same transaction
    :raises TooMuchWork: if the owner has one running and four waiting
    """
    lane = KINDS[kind].lane
    with transaction.atomic():
        if Job.objects.filter(owner_id=owner.pk, lane=lane, state__in=("waiting", "running")).count() > MOST_WAITING:
            raise TooMuchWork(FULL)
        job = Job.objects.create(
            owner_id=int(owner.pk or 0), kind=kind, lane=lane, words=words[:160], arguments=arguments, data=data, made_at=timezone.now()
        )  # fmt: skip
        if with_it is not None:
            with_it(job)
    send_next(job.owner_id, lane)
    return job


def send_next(owner_id: int, lane: str) -> None:
    """Makes the owner's next job the one that takes its turn, unless one of theirs does already or is under way."""
    with transaction.atomic():
        mine = Job.objects.filter(owner_id=owner_id, lane=lane)
        if mine.filter(state="running").exists():
            return
        waiting = mine.filter(state="waiting").order_by("pk")
        if waiting.filter(sent_at__isnull=False).exists():
            return
        pk = waiting.values_list("pk", flat=True).first()
        if pk is None:
            return
        Job.objects.filter(pk=pk).update(sent_at=timezone.now())
    if lane == "bench":
        wake()
    else:
        carry(pk)


def _free_benches() -> int:
    """How many more benches may compute: one worker stays free for devices, where there is more than one."""
    most: int = max(settings.WORKERS - 1, 1)
    return most - Job.objects.filter(lane="bench", state="running").count()


def may_begin(job: Job) -> bool:
    """Whether it is a job's turn: on the benches first come, first served."""
    if job.lane != "bench":
        return True
    before = Job.objects.filter(lane="bench", state="waiting", sent_at__lt=job.sent_at or timezone.now())
    return before.count() < _free_benches()


def wake() -> None:
    """Puts the keys of the bench jobs whose turn it is into the queue; a key that is there twice does nothing."""
    free = _free_benches()
    if free > 0:
        turn = Job.objects.filter(lane="bench", state="waiting", sent_at__isnull=False).order_by("sent_at", "pk")
        for pk in list(turn.values_list("pk", flat=True)[:free]):
            carry(pk)


def end(rows: QuerySet[Job], state: str, told: list[str], address: str = "") -> int:
    """Ends these jobs, whose files are gone with that. Returns how many there were."""
    sentences = [text[:400] for text in told[:50]]
    return rows.update(state=state, told=sentences, address=address, progress=1.0, ended_at=timezone.now(), data=None)


def stop(job: Job) -> None:
    """Asks a job to stop: one that waits has ended with that, one that runs ends within two seconds."""
    waiting = Job.objects.filter(pk=job.pk, state="waiting")
    if end(waiting, "stopped", ["Stopped." if job.begun_at else "Stopped before it began."]):
        send_next(job.owner_id, job.lane)
    else:
        Job.objects.filter(pk=job.pk, state="running").update(stop=True)


def this_worker() -> str:
    """Machine and process, as rows name them."""
    return f"{socket.gethostname()[:60]}:{os.getpid()}"


def _is_lost(job: Job) -> bool:
    """Whether the worker of a running job is gone."""
    host, _, process = job.worker.rpartition(":")
    if host == socket.gethostname()[:60] and process.isdecimal():
        try:
            os.kill(int(process), 0)
        except ProcessLookupError:
            return True
        except PermissionError:
            pass
        return False
    return job.beat_at is None or timezone.now() - job.beat_at > timedelta(seconds=_GONE_S)


def put_back(job: Job, counted: bool = True) -> None:
    """A job whose worker is gone waits again; one that ended several workers has failed.

    :param counted: whether this try counts; a worker that was stopped in good order is no fault of the job
    """
    rows = Job.objects.filter(pk=job.pk, state="running", tries=job.tries)
    if counted and job.tries >= _MOST_TRIES:
        told = [f"Its worker ended {job.tries} times while it was at this, so it was given up. Nothing was changed."]
        end(rows, "failed", told)
    elif job.stop:
        end(rows, "stopped", ["Stopped."])
    else:
        rows.update(state="waiting", sent_at=None, worker="", tries=job.tries if counted else job.tries - 1)


def recover() -> None:
    """Puts right what a restart or a lost worker left behind."""
    for job in Job.objects.filter(state="running").defer("data"):
        if _is_lost(job):
            put_back(job)
    for owner_id, lane in set(Job.objects.filter(state="waiting").order_by().values_list("owner_id", "lane")):
        send_next(owner_id, lane)
    wake()  # keys that were lost
    late = timezone.now() - timedelta(seconds=_GONE_S)
    for pk in Job.objects.filter(lane="devices", state="waiting", sent_at__lt=late).values_list("pk", flat=True):
        carry(pk)
