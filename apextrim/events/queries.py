"""Events as pages need them."""

from django.db.models import QuerySet
from django.urls import reverse

from apexcore.quantities import format_number
from apextrim.accounts.owned import Person, owned, owned_or_404
from apextrim.ui.frame import Bench, Frame
from apextrim.work.queries import has_open

from . import signals, thread
from .facts import conditions_of
from .models import Event

_RELATED = ("car", "circuit", "session")

_BENCHES = [
    ("brief", "Brief", "brief"),
    ("lap", "Lap", "lap_bench"),
    ("sheet", "Sheet", "sheet_bench"),
    ("runs", "Runs", "runs_bench"),
    ("verdicts", "Verdicts", "verdicts_bench"),
    ("race", "Race", "race_bench"),
]


#: The bench that a knot of the thread stands for.
_BENCH_OF = {"brief": "brief", "sheet": "sheet_bench", "run": "runs_bench", "verdict": "verdicts_bench", "plan": "race_bench"}


def bench_of(kind: str) -> str:
    """The name of the address of the bench on which something of a kind of knot happens."""
    return _BENCH_OF[kind]


def events_of(user: Person) -> QuerySet[Event]:
    """The events of a user that are not deleted."""
    return owned(Event, user).filter(deleted_at=None).select_related(*_RELATED)


def event_for(user: Person, event_id: int) -> Event:
    """One event of a user.

    :raises Http404: if there is none, it is deleted, or it is somebody else's
    """
    return owned_or_404(Event, user, *_RELATED, pk=event_id, deleted_at=None)


def frame(event: Event, current: str) -> Frame:
    """The top of an event's pages."""
    now = conditions_of(event)
    weather = f"air {now.air_c:.0f} °C, track {now.track_c:.0f} °C, wind {format_number(now.wind_ms, 1)} m/s"
    session = event.session.name if event.session else "no session"
    benches = tuple(Bench(key, name, reverse(url, args=[event.pk])) for key, name, url in _BENCHES)
    told = [event.car.name, str(event.circuit), weather, session, *signals.facts(event)]
    if event.calibration:
        told.append("model calibrated to your laps")
    knots, earlier = thread.marks(event)
    url = reverse("thread", args=[event.pk])
    working = reverse("jobs_now") if has_open(event.owner_id) else ""
    return Frame(event.name, tuple(told), knots, earlier, url, benches, current, event.real_car, working)
