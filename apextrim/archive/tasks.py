"""A large event file as a piece of work beside the requests."""

from django.urls import reverse

from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job

from .actions import brought_in, read_event


@work_of("event")
def import_event(job: Job, line: Line) -> Done:
    """Adds an event from its file."""
    event, new = read_event(job.owner, job.file)
    return Done([brought_in(event, new)], reverse("brief", args=[event.pk]))
