"""A whole event as one file: car, circuit, sheets, runs with their laps, readings, verdicts, plans, tests and the thread."""

from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field

from ..circuit.conditions import Conditions
from ..circuit.track import Circuit
from ..judge.laps import LapKind
from ..quantities.values import Value
from ..race.rules import RaceRules
from ..vehicle.car import Car

#: Largest file of an event; samples of a logger make them large [bytes].
MOST_EVENT_BYTES = 60_000_000

Text = Annotated[str, Field(max_length=240)]
Number = Annotated[int, Field(ge=1, le=100_000)]
Numbers = dict[Annotated[str, Field(max_length=60)], float]


class SessionFile(Value):
    """:param kind: practice, qualifying or race"""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    kind: Literal["practice", "qualifying", "race"]
    starts_at: AwareDatetime


class SheetOfEvent(Value):
    """:param parent: number of the sheet it was made from"""

    number: Number
    parent: Number | None = None
    reason: Annotated[str, Field(max_length=200)]
    values: Numbers
    modelled_s: float | None = None
    made_at: AwareDatetime


class LapFile(Value):
    """A lap as `judge.laps.DrivenLap` has it, with why it was set aside."""

    number: Number
    time_s: float = Field(gt=0, le=1800)
    kind: LapKind = "timed"
    fuel_l: float | None = None
    sectors_s: tuple[float, ...] = ()
    top_ms: float | None = None
    why: Annotated[str, Field(max_length=80)] = ""


class SampleFile(Value):
    """Channels at one moment of a run."""

    t_ms: int = Field(ge=0)
    channels: Numbers


class RunFile(Value):
    """:param sheet: number of its sheet
    :param session: place of its session in the list, from 0"""

    number: Number
    sheet: Number
    session: int | None = None
    front: Text
    rear: Text
    tyre_age: float = Field(ge=0)
    fuel_l: float = Field(ge=0)
    fuel_end_l: float | None = None
    tyre_set: Annotated[str, Field(max_length=24)] = ""
    note: Annotated[str, Field(max_length=200)] = ""
    tags: dict[str, str] = {}
    words: dict[str, str] = {}
    conditions: Conditions
    by_virtual_driver: bool = False
    made_at: AwareDatetime
    laps: tuple[LapFile, ...] = ()
    samples: tuple[SampleFile, ...] = ()


class ReadingFile(Value):
    """:param run: number of its run, None where it is of none"""

    sheet: Number
    run: Number | None = None
    values: Numbers
    conditions: Conditions
    made_at: AwareDatetime


class VerdictFile(Value):
    """A kept verdict. Sides that are sheets stand by their numbers."""

    by: Annotated[str, Field(max_length=60)]
    key_a: Annotated[str, Field(max_length=90)]
    key_b: Annotated[str, Field(max_length=90)]
    side_a: Annotated[str, Field(max_length=90)]
    side_b: Annotated[str, Field(max_length=90)]
    margin_s: float
    mean_s: float
    low_s: float
    high_s: float
    sentence: Annotated[str, Field(max_length=400)]
    made_at: AwareDatetime


class PlanFile(Value):
    """A kept race plan."""

    stints: tuple[tuple[str, int, float], ...]
    time_s: float
    start_fuel_l: float
    text: Annotated[str, Field(max_length=200)]
    made_at: AwareDatetime


class TestFile(Value):
    """A planned test. Sides that are sheets stand by their numbers."""

    __test__ = False  # not one of pytest's

    differences: tuple[tuple[str, str, str, str, str], ...]
    order: tuple[tuple[int, ...], ...]
    laps: Number
    difference_s: float
    power: float
    made_at: AwareDatetime


class CalibrationFile(Value):
    """A calibration as it was found."""

    scales: Numbers
    spread: Numbers
    driver: float
    driver_spread: float
    laps: Number
    before_s: float
    after_s: float
    level_before_s: float
    level_after_s: float
    made_at: AwareDatetime


class KnotFile(Value):
    """:param target: of a sheet or run its number, of a verdict or plan its place in the list, from 0"""

    at: AwareDatetime
    kind: Literal["brief", "sheet", "run", "verdict", "plan"]
    label: Annotated[str, Field(max_length=24)]
    text: Text
    target: int | None = None
    hidden: bool = False


class NoteFile(Value):
    """What the racer does in a corner."""

    number: Number
    qualifying: Annotated[str, Field(max_length=400)] = ""
    race: Annotated[str, Field(max_length=400)] = ""


class EventFile(Value):
    """One event.

    :param sheet_in_car: number of the sheet in the car
    :param session: place of the session that is on, from 0
    :param rules: the race rules without the tank, which is the car's
    """

    format: Literal["apex-trim event 1"] = "apex-trim event 1"
    name: Annotated[str, Field(min_length=1, max_length=80)]
    car: Car
    circuit: Circuit
    notes: tuple[NoteFile, ...] = ()
    real_car: bool = False
    driver: Annotated[str, Field(max_length=20)]
    conditions: Conditions
    rules: dict[str, Any]
    item_rules: dict[str, tuple[float, float]] = {}
    calibration: Numbers = {}
    made_at: AwareDatetime
    session: int | None = None
    sheet_in_car: Number | None = None
    sessions: tuple[SessionFile, ...] = ()
    sheets: tuple[SheetOfEvent, ...] = ()
    runs: tuple[RunFile, ...] = ()
    readings: tuple[ReadingFile, ...] = ()
    verdicts: tuple[VerdictFile, ...] = ()
    plans: tuple[PlanFile, ...] = ()
    tests: tuple[TestFile, ...] = ()
    calibrations: tuple[CalibrationFile, ...] = ()
    knots: tuple[KnotFile, ...] = ()

    def problems(self) -> list[str]:
        """What does not fit together: numbers that stand twice or point at nothing, values off the car's list."""
        found = []
        sheets, runs = [sheet.number for sheet in self.sheets], [run.number for run in self.runs]
        for what, numbers in (("sheets", sheets), ("runs", runs)):
            twice = sorted({number for number in numbers if numbers.count(number) > 1})
            found += [f"{what}: number {number} stands there twice." for number in twice]
        keys = {item.key for item in self.car.items}
        for sheet in self.sheets:
            if set(sheet.values) != keys:
                odd = sorted(set(sheet.values) ^ keys)[0]
                found.append(f"sheets, {sheet.number}: the item “{odd}” is on only one of the sheet and the car's list.")
            if sheet.parent is not None and sheet.parent not in sheets:
                found.append(f"sheets, {sheet.number}: its parent {sheet.parent} is not in the file.")
        for run in self.runs:
            if run.sheet not in sheets:
                found.append(f"runs, {run.number}: its sheet {run.sheet} is not in the file.")
            if run.session is not None and not 0 <= run.session < len(self.sessions):
                found.append(f"runs, {run.number}: its session {run.session} is not in the file.")
        compounds = {compound.key for compound in self.car.tyres.compounds}
        found += [
            f"runs, {run.number}: “{name}” is no compound of the car." for run in self.runs for name in {run.front, run.rear} - compounds
        ]
        for reading in self.readings:
            if reading.sheet not in sheets or (reading.run is not None and reading.run not in runs):
                found.append(f"readings: one of sheet {reading.sheet} and run {reading.run} is not in the file.")
        if self.sheet_in_car is not None and self.sheet_in_car not in sheets:
            found.append(f"sheet_in_car: {self.sheet_in_car} is not in the file.")
        return found

    def race_rules(self) -> RaceRules:
        """The rules with the car's tank.

        :raises ValidationError: where they are none
        """
        return RaceRules.model_validate({"tank_l": self.car.tank_l, **self.rules})
