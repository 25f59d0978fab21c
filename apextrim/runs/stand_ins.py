"""The stand-ins for logger, pyrometer and weather station, message by message, as a sender in the car would send them."""

from collections.abc import Iterator

from apexcore.formats.logger import LoggerEvent
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.virtual.senders import events_of
from apexcore.virtual.world import virtual_run
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.sheets.models import Sheet


def messages_of(event: Event, sheet: Sheet, name: str, laps: int, seed: int) -> Iterator[list[LoggerEvent]]:
    """A run of the virtual car with this sheet: one message as it goes out, one a lap, one after it is back.

    :param name: what the logger calls the run
    :raises ApexError: if the fuel does not last or the car cannot take the circuit
    """
    lap_case = cases.lap_case_of(event, calibrated=False)
    core = CoreSheet(lap_case.car.key, sheet.values)
    fuel = float(sheet.values.get("fuel", lap_case.car.fuel_l))
    run = virtual_run(lap_case, core, fuel, laps, seed, sectors_at=cases.sectors_of(event))
    waiting: list[LoggerEvent] = []
    for message in events_of(run, core, name, fuel, 0.0, seed):
        waiting.append(message)
        if message.type in ("run", "lap", "tyres"):
            yield waiting
            waiting = []
