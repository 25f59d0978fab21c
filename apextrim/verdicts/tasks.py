"""The calibration as a piece of work beside the requests."""

from django.urls import reverse

from apextrim.events.models import Event
from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job

from .record import hold_against_laps


@work_of("calibration")
def calibrate_event(job: Job, line: Line) -> Done:
    """Holds an event's model against its laps."""
    event = Event.objects.select_related("car", "circuit").get(pk=job.arguments["event"], owner_id=job.owner_id)
    row = hold_against_laps(event, line.progress)
    return Done([f"Model fitted to {row.laps} laps. Nothing changes until you apply it."], reverse("track_record", args=[event.pk]))
