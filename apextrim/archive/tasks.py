"""Large files as pieces of work beside the requests: an event in and out, and all that an account has."""

from django.urls import reverse
from django.utils import timezone

from apextrim.events.queries import event_for
from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.made import making
from apextrim.work.models import Job

from .actions import brought_in, file_name, read_event, write_event
from .everything import write_everything


@work_of("event")
def import_event(job: Job, line: Line) -> Done:
    """Adds an event from its file."""
    event, new = read_event(job.owner, job.file)
    return Done([brought_in(event, new)], reverse("brief", args=[event.pk]))


@work_of("event_file")
def export_event(job: Job, line: Line) -> Done:
    """Writes an event to its file."""
    event = event_for(job.owner, int(job.arguments["event"]))
    with making(job, file_name(event)) as path:
        path.write_text(write_event(event))
    return Done([f"The file of {event.name} is ready."], reverse("made_files"))


@work_of("everything")
def all_my_data(job: Job, line: Line) -> Done:
    """Writes all that an account has to one archive."""
    with making(job, f"{job.owner.username}-{timezone.now():%Y-%m-%d}.zip") as path:
        left_out = write_everything(job.owner, path, line.progress)
    return Done(["The archive of your data is ready.", *left_out], reverse("made_files"))
