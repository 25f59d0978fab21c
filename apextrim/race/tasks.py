"""The simulated timing service as a piece of work beside the requests."""

from django.urls import reverse

from apexcore.virtual.field import virtual_field
from apextrim.work.kinds import Again, Done, Line, work_of
from apextrim.work.models import Job

from . import live, timing
from .models import LiveRace

#: What one's own car is called where no other name is told, and the pause between two messages, each a lap of one's own car [s].
OWN_CAR = "7"
_PAUSE_S = 2.0


@work_of("timing", lane="devices")
def send_next_lap(job: Job, line: Line) -> Again | Done:
    """The next lap of a simulated race of twenty cars, through the same door as any timing service's."""
    asked = job.arguments
    race = LiveRace.objects.select_related("event").filter(pk=asked["race"], event__owner_id=job.owner_id).first()
    if race is None or race.ended_at is not None or not race.own_car:
        return Done(["The race is over, or no car is named as yours: the simulated timing has ended."])
    rows = virtual_field(live.setup_of(race), race.own_car, 20_000 + race.pk)
    ends = [0.0, *(row.clock_s for row in rows if row.car == race.own_car)]
    lap = int(asked["next"]) + 1
    timing.take(race, [row for row in rows if ends[lap - 1] < row.clock_s <= ends[lap]])
    if lap + 1 < len(ends):
        return Again(_PAUSE_S, {**asked, "next": lap}, lap / len(ends))
    return Done(["The simulated race is over."], reverse("live_race", args=[race.event_id, race.pk]))
