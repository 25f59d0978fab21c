"""Events as pages need them."""

from dataclasses import replace

from django.db.models import QuerySet
from django.urls import reverse

from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import solve_lap
from apexcore.quantities import format_number
from apexcore.vehicle.sheet import Sheet, base_sheet
from apextrim.accounts.owned import Person, owned, owned_or_404
from apextrim.ui.frame import Bench, Frame

from . import adapter, thread
from .models import Event

#: Half the width of the 95 % interval of a book car's lap time, relative: two standard deviations over the virtual cars
#: (docs/model.md, "How sure").
LAP_SPREAD = 0.006

_RELATED = ("car", "circuit", "session", "sheet_in_car")

_BENCHES = [
    ("brief", "Brief", "brief"),
    ("circuit", "Circuit", "circuit_bench"),
    ("sheet", "Sheet", "sheet_bench"),
    ("runs", "Runs", "runs_bench"),
    ("verdicts", "Verdicts", "verdicts_bench"),
    ("race", "Race", "race_bench"),
]


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
    now = adapter.conditions_of(event)
    weather = f"air {now.air_c:.0f} °C, track {now.track_c:.0f} °C, wind {format_number(now.wind_ms, 1)} m/s"
    session = event.session.name if event.session else "no session"
    sheet = f"{event.sheet_in_car.name} in the car" if event.sheet_in_car else "no sheet in the car"
    benches = tuple(Bench(key, name, reverse(url, args=[event.pk])) for key, name, url in _BENCHES)
    facts = [event.car.name, str(event.circuit), weather, session, sheet]
    if event.calibration:
        facts.append("model calibrated to your laps")
    return Frame(event.name, tuple(facts), thread.marks(event), benches, current, event.real_car)


def sheet_values(event: Event) -> Sheet:
    """The sheet in the car, the maker's where there is none."""
    car = adapter.car_of(event)
    if event.sheet_in_car is None:
        return base_sheet(car)
    return Sheet(car.key, event.sheet_in_car.values)


def expected_times(event: Event) -> list[tuple[str, float, float]]:
    """(who, modelled lap time [s], half its 95 % interval [s]) for the levels of driver, with the sheet in the car.

    :raises SolverError: if the car cannot take the circuit
    """
    setting, sheet = adapter.setting_of(event), sheet_values(event)
    times = [(who, solve_lap(replace(setting, driver=driver), sheet).time_s) for who, driver in LEVELS.items()]
    return [(who, time, LAP_SPREAD * time) for who, time in times]
