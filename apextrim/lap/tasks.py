"""The search for the line of least time as a piece of work beside the requests."""

from urllib.parse import urlencode

from django.urls import reverse
from django.utils import timezone

from apexcore.lap.quickest import quickest_line
from apextrim.events.models import Event
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import cases
from apextrim.sheets.queries import core_sheet, sheet_in_car
from apextrim.work import queue
from apextrim.work.kinds import Done, Line, work_of
from apextrim.work.models import Job

from . import lines


@work_of("line", lane="devices")
def find_line(job: Job, line: Line) -> Done:
    """Finds the quickest line of the sheet in the car, here and today."""
    event = Event.objects.select_related("car", "circuit").get(pk=job.arguments["event"], owner_id=job.owner_id)
    sheet = sheet_in_car(event)
    digest = lines.made_from(event, sheet)

    def told(share: float) -> bool:
        line.progress(share)
        return line.stopped()

    circuit, lap_case = parsed_circuit(event.circuit.data), cases.lap_case_of(event)
    found = quickest_line(circuit, lap_case, core_sheet(event, sheet), told=told)
    if line.stopped():
        return Done(["Stopped: no line was kept."], reverse("lap_bench", args=[event.pk]), stopped=True)
    row = lines.keep(event, sheet, digest, found, timezone.now())
    stands = lines.stand_on(event, row)
    gain = row.before_s - row.time_s
    words = "No quicker line than that of least curvature was found."
    if gain > 0.005:
        words = f"The quickest line is {gain:.2f} s a lap quicker than the line of least curvature."
    words += " Every bench now stands on it." if stands else " The benches keep their line, since this event has runs."
    return Done([words], f"{reverse('lap_bench', args=[event.pk])}?{urlencode({'line': 'quickest'})}")


def under_way(event: Event) -> Job | None:
    """The job that finds a line of this event now, if there is one."""
    jobs = Job.objects.filter(owner=event.owner, kind="line", state__in=("waiting", "running"))
    return next((job for job in jobs if job.arguments.get("event") == event.pk), None)


def ask(event: Event) -> Job:
    """Asks for the quickest line of the sheet in the car.

    :raises TooMuchWork: if the owner's share of the queue is used up
    """
    return queue.ask(event.owner, "line", f"{event.name}: the quickest line", {"event": event.pk})
