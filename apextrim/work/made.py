"""Files that jobs make for their owner: kept beside the database for some days, a file each."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from apextrim.accounts.owned import Person, owned

from .models import Job

#: How long a file is kept.
KEPT = timedelta(days=3)


@dataclass(frozen=True)
class Made:
    """A file that a job has made.

    :param name: that it is downloaded by
    :param size: [bytes]
    :param until: when it is removed
    """

    job: Job
    name: str
    size: int
    until: datetime

    @property
    def megabytes(self) -> float:
        """Its size [MB]."""
        return self.size / 1e6


def folder() -> Path:
    """Where they lie."""
    found: Path = settings.VAR / "made"
    found.mkdir(mode=0o700, parents=True, exist_ok=True)
    return found


@contextmanager
def making(job: Job, name: str) -> Iterator[Path]:
    """A path to write to; it is the job's file once it is whole, and gone where it never is."""
    safe = "".join(letter if letter.isascii() and (letter.isalnum() or letter in ".-") else "-" for letter in name.lower())[-80:]
    path = folder() / f"{job.pk}-{safe}"
    part = path.with_suffix(path.suffix + ".part")
    try:
        yield part
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def file_of(job: Job) -> Path | None:
    """The file of a job; None where it made none, or it is removed."""
    return next((path for path in folder().glob(f"{job.pk}-*") if path.suffix != ".part"), None)


def made_for(user: Person) -> list[Made]:
    """What is there for an owner, the newest first."""
    there = {int(path.name.partition("-")[0]): path for path in folder().glob("*-*") if path.suffix != ".part"}
    found = []
    for job in owned(Job, user).filter(pk__in=list(there)).defer("data"):
        stat = there[job.pk].stat()
        until = datetime.fromtimestamp(stat.st_mtime, timezone.get_default_timezone()) + KEPT
        found.append(Made(job, there[job.pk].name.partition("-")[2], stat.st_size, until))
    return found


def remove_old() -> int:
    """Removes what was kept long enough, and what belongs to no job any more; returns how many files."""
    known = set(Job.objects.values_list("pk", flat=True))
    late, removed = time.time() - KEPT.total_seconds(), 0
    for path in list(folder().glob("*-*")):
        key = path.name.partition("-")[0]
        if path.stat().st_mtime < late or not key.isdecimal() or int(key) not in known:
            path.unlink(missing_ok=True)
            removed += 1
    return removed
