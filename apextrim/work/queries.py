"""What the pages of the queue show."""

import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db.models import Q, QuerySet
from django.http import Http404
from django.utils import timezone

from apextrim.accounts.owned import Person, owned

from .models import Job

#: Jobs that the list shows.
MOST_SHOWN = 40
#: Jobs under way that every bench shows, and how long one that ended stays among them [s].
MOST_NOW, _JUST_S = 6, 20.0
#: Silence after which the workers of this server count as gone [s].
_SILENT_S = 20.0


def beat_file() -> Path:
    """A file that the workers touch while they are there."""
    return Path(settings.VAR) / "workers.beat"


def workers_answer() -> bool:
    """Whether workers were heard of lately, on this machine or in the rows."""
    try:
        if time.time() - beat_file().stat().st_mtime < _SILENT_S:
            return True
    except OSError:
        pass
    since = timezone.now() - timedelta(seconds=_SILENT_S)
    return Job.objects.filter(state="running", beat_at__gt=since).exists()


def jobs_of(user: Person) -> QuerySet[Job]:
    """The newest jobs of an owner, without their files."""
    return owned(Job, user).defer("data")[:MOST_SHOWN]


def has_open(user_id: int) -> bool:
    """Whether an owner has work that waits or runs."""
    return Job.objects.filter(owner_id=user_id, state__in=("waiting", "running")).exists()


def now_of(user: Person) -> list[Job]:
    """What waits or runs, and what ended just now, the oldest first."""
    since = timezone.now() - timedelta(seconds=_JUST_S)
    either = Q(state__in=("waiting", "running")) | Q(ended_at__gt=since)
    return list(owned(Job, user).defer("data").filter(either).order_by("pk")[:MOST_NOW])


def job_for(user: Person, job_id: int) -> Job:
    """One job of an owner without its file, which may be large and is asked for again and again.

    :raises Http404: if there is none, or it is somebody else's
    """
    job = owned(Job, user).defer("data").filter(pk=job_id).first()
    if job is None:
        raise Http404
    return job


def waits_for(job: Job) -> str:
    """Why a waiting job has not begun, as a sentence."""
    if not workers_answer():
        return "No worker is running on this server, so nothing starts. Workers start with “make serve”, or with “manage.py work”."
    before = Job.objects.filter(owner_id=job.owner_id, lane=job.lane, pk__lt=job.pk, state__in=("waiting", "running")).count()
    if before:
        return f"Waiting for {before} of your jobs: one runs at a time, up to four wait."
    return "Waiting for a free worker. Accounts take turns."
