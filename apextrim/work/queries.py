"""What the pages of the queue show."""

import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db.models import QuerySet
from django.http import Http404
from django.utils import timezone

from apextrim.accounts.owned import Person, owned

from .models import Job

#: Jobs that the list shows.
MOST_SHOWN = 40
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
