"""Files of recordings, read beside the requests."""

from django.urls import reverse

from apexcore.errors import ApexError
from apextrim.runs.models import Upload
from apextrim.ui.uploads import problems_of
from apextrim.work.kinds import Done, Line, Refused, work_of
from apextrim.work.models import Job

from . import bring, uploads


@work_of("recording")
def import_recording(job: Job, line: Line) -> Done:
    """The laps of a recording with their channels."""
    upload = Upload.objects.select_related("event").get(pk=job.arguments["upload"], event__owner_id=job.owner_id)
    again = reverse("match_recording", args=[upload.event_id, upload.pk])
    try:
        matches = [None if told is None else uploads.match_of(told[0], told[1]) for told in job.arguments["columns"]]
        brought = bring.bring_in(upload, matches, line.progress)
    except ApexError as error:
        raise Refused(problems_of(error), again) from None
    uploads.forget(upload)
    return Done(brought.told(), reverse("run", args=[brought.run.event_id, brought.run.pk]))
