"""What every event of the demo is made with: weather, a clock, and the product's own actions in the order in which a racer takes them."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any

from apexcore.judge.plan import TestPlan
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.events.models import Event
from apextrim.lap import tasks
from apextrim.modelling import cases
from apextrim.runs.actions import send_virtual_driver
from apextrim.sheets.actions import put_in_car, save_sheet
from apextrim.sheets.models import Sheet
from apextrim.verdicts.actions import keep_test, keep_verdict
from apextrim.verdicts.differences import Difference, Side
from apextrim.verdicts.queries import Judged, judged
from apextrim.verdicts.sides import SHEET

FRIDAY = datetime(2026, 6, 12, 14, 0, tzinfo=UTC)

COOL = {
    "air_c": 17.0,
    "track_c": 24.0,
    "humidity_pct": 62.0,
    "pressure_hpa": 1009.0,
    "wind_ms": 2.5,
    "wind_from_deg": 250.0,
    "rubber_pct": 35.0,
}
HOT = {**COOL, "air_c": 26.0, "track_c": 39.0, "humidity_pct": 44.0, "wind_ms": 3.5, "rubber_pct": 60.0}


def pressures(front: float, rear: float) -> dict[str, float]:
    """Cold pressures of both axles [kPa]."""
    return {"pressure_fl": front, "pressure_fr": front, "pressure_rl": rear, "pressure_rr": rear}


def on_its_lines(event: Event) -> None:
    """Every bench of an event stands on the quickest lines of its day, as the work beside the requests would have found them."""
    if tasks.ensure(event) is None:
        tasks.find(event)


class Weekend:
    """An event as it comes about, with a clock."""

    def __init__(self, event: Event, start: datetime) -> None:
        self.event, self.at = event, start
        self.car = cases.car_of(event)

    def wait(self, minutes: float) -> datetime:
        self.at += timedelta(minutes=minutes)
        return self.at

    def sheet(self, parent: Sheet | None, changes: Mapping[str, float], reason: str) -> Sheet:
        before = parent.values if parent else base_sheet(self.car).values
        core = CoreSheet(self.car.key, {**before, **changes})
        return save_sheet(self.event, core, parent, reason, self.wait(6))

    def run(
        self, sheet: Sheet, compound: str, fuel_l: float, laps: int, seed: int, age: float = 0, note: str = "", **more: Any
    ) -> None:  # fmt: skip
        put_in_car(self.event, sheet)
        on_its_lines(self.event)
        values: dict[str, Any] = {
            "sheet": sheet, "session": self.event.session, "front": compound, "rear": compound, "tyre_age": age, "fuel_l": fuel_l, "note": note, **more,
        }  # fmt: skip
        send_virtual_driver(self.event, values, laps, seed, self.wait(10))
        self.wait(1.25 * laps)

    def plan_test(self, a: Sheet, b: Sheet, order: tuple[tuple[int, ...], ...], laps: int) -> None:
        """Names the number of runs before they are driven, as who wants a verdict does."""
        tried = Difference(SHEET, Side(str(a.pk), a.name), Side(str(b.pk), b.name))
        keep_test(self.event, [tried], TestPlan(order, laps, 0.8, 120.0, True), 0.2, self.wait(1))

    def verdict(self, a: Sheet, b: Sheet) -> None:
        found = judged(self.event, a, b, 0.1)
        assert isinstance(found, Judged), found
        keep_verdict(self.event, ((str(a.pk), a.name), (str(b.pk), b.name)), found, self.wait(2))
