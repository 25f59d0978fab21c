"""Large files of laps, and the simulated devices, as pieces of work beside the requests."""

from django.urls import reverse

from apexcore.formats.laps_csv import read_table
from apexcore.formats.logger import Sent
from apextrim.sheets.models import Sheet
from apextrim.work.kinds import Again, Done, Line, work_of
from apextrim.work.models import Job

from . import actions, logger, presenters
from .models import Run
from .stand_ins import messages_of

#: Laps of the simulated logger's run, and the pause between two of its messages [s].
_LAPS, _PAUSE_S = 8, 1.2


@work_of("laps")
def import_laps(job: Job, line: Line) -> Done:
    """Adds the laps of a file to a run."""
    run = Run.objects.select_related("event").get(pk=job.arguments["run"], event__owner_id=job.owner_id)
    new = actions.import_table(run, read_table(job.file), job.arguments["columns"])
    return Done([presenters.imported(new)], reverse("run", args=[run.event_id, run.pk]))


@work_of("logger", lane="devices")
def send_next_message(job: Job, line: Line) -> Again | Done:
    """The next message of the simulated logger, pyrometer and weather station, through the same door as any logger's."""
    asked = job.arguments
    key = logger.key_of(pk=asked["key"])
    sheet = Sheet.objects.filter(pk=asked["sheet"]).first()
    if key is None or key.withdrawn_at is not None or sheet is None:
        return Done(["The simulated logger was revoked."])
    messages = list(messages_of(key.event, sheet, f"sim-{key.pk}", _LAPS, 77_000 + key.pk))
    index = int(asked["next"])
    logger.take(key, Sent(tuple(messages[index]), None))
    if index + 1 < len(messages):
        return Again(_PAUSE_S, {**asked, "next": index + 1}, (index + 1) / len(messages))
    logger.withdraw_key(key)
    return Done(["The simulated run is back in the pit."], reverse("live", args=[key.event_id]))
