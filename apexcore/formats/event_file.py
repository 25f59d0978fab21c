"""A whole event as one file: car, circuit, sheets, runs with their laps, readings, verdicts, plans, tests and the thread."""

from base64 import b64decode, b64encode
from collections import Counter
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from typing import Annotated, Any, Literal, Self

from pydantic import AwareDatetime, Field

from ..circuit.conditions import Conditions
from ..circuit.track import Circuit
from ..errors import ApexError, FileRejected
from ..judge.calibration import SCALES
from ..judge.laps import LapKind
from ..quantities.values import Value
from ..race.rules import RaceRules
from ..vehicle.car import Car
from ..vehicle.class_limits import ClassLimits
from ..vehicle.limits import with_limits
from ..vehicle.pair import axles_of
from .book_file import BookEntryFile
from .laps_csv import MAX_LAPS, MOST_FUEL_L, MOST_SECTORS
from .logger import MOST_CHANNELS, Channel
from .packed import Packed, unpack
from .race_file import AtLineFile, MarkFile, PlanValue, SetupFile
from .timing import MOST_CROSSINGS, MOST_NAME, disorder

#: Largest file of an event; what loggers recorded makes them large [bytes]. Traces of laps are in it as long as they are no more than
#: this in all, the newest runs first; and letters of one of them.
MOST_EVENT_BYTES, MOST_TRACE_BYTES, MOST_TRACE_LETTERS = 60_000_000, 24_000_000, 16_000_000

#: Most runs, and most of anything else that hangs on an event.
MOST_RUNS, MOST_ROWS = 20_000, 20_000

Text = Annotated[str, Field(max_length=240)]
Word = Annotated[str, Field(max_length=60)]
Number = Annotated[int, Field(ge=1, le=100_000)]
Place = Annotated[int, Field(ge=0, le=100_000)]
Amount = Annotated[float, Field(ge=-1e6, le=1e6)]
Seconds = Annotated[float, Field(ge=-1e6, le=1e6)]
Litres = Annotated[float, Field(ge=0, le=500)]
Share = Annotated[float, Field(ge=0, le=1)]
Numbers = Annotated[dict[Word, Amount], Field(max_length=200)]
Words = Annotated[dict[Word, Text], Field(max_length=40)]
Channels = Annotated[dict[Annotated[str, Field(max_length=40)], Channel], Field(max_length=MOST_CHANNELS)]
#: A moment that a calendar and every time zone can show.
Moment = Annotated[AwareDatetime, Field(ge=datetime(1970, 1, 2, tzinfo=UTC), le=datetime(2200, 1, 1, tzinfo=UTC))]


class SessionFile(Value):
    """:param kind: practice, qualifying or race"""

    name: Annotated[str, Field(min_length=1, max_length=40)]
    kind: Literal["practice", "qualifying", "race"]
    starts_at: Moment


class SheetOfEvent(Value):
    """:param parent: number of the sheet it was made from"""

    number: Number
    parent: Number | None = None
    reason: Annotated[str, Field(max_length=200)]
    values: Numbers
    modelled_s: Seconds | None = None
    made_at: Moment


class TraceFile(Value):
    """The channels of a lap.

    :param data: packed columns (`formats.packed`), as Base64
    :param units: units of channels that are not the product's own
    :param origin: latitude and longitude that positions are told from
    """

    data: Annotated[str, Field(max_length=MOST_TRACE_LETTERS, pattern=r"^[A-Za-z0-9+/=]*$")]
    units: Annotated[dict[Annotated[str, Field(max_length=40)], Annotated[str, Field(max_length=20)]], Field(max_length=200)] = {}
    origin: tuple[Annotated[float, Field(ge=-90, le=90)], Annotated[float, Field(ge=-180, le=180)]] | None = None
    notes: tuple[Annotated[str, Field(max_length=300)], ...] = Field((), max_length=200)

    @classmethod
    def of(cls, data: bytes, units: dict[str, str], origin: Sequence[float] | None, notes: Sequence[str]) -> Self:
        """A trace as its row has it."""
        place = None if origin is None else (float(origin[0]), float(origin[1]))
        return cls(data=b64encode(data).decode(), units=units, origin=place, notes=tuple(note[:300] for note in notes[:200]))

    def packed(self) -> tuple[bytes, Packed]:
        """Its bytes, and what is in them.

        :raises FileRejected: if they are no packed lap
        """
        try:
            data = b64decode(self.data, validate=True)
        except ValueError:
            raise FileRejected(["trace: this is no Base64."]) from None
        return data, unpack(data)


class LapFile(Value):
    """A lap as `judge.laps.DrivenLap` has it, with why it was set aside."""

    number: Number
    time_s: float = Field(gt=0, le=1800)
    kind: LapKind = "timed"
    fuel_l: Annotated[float, Field(ge=0, le=MOST_FUEL_L)] | None = None
    sectors_s: tuple[Annotated[float, Field(gt=0, le=1800)], ...] = Field((), max_length=MOST_SECTORS)
    top_ms: Annotated[float, Field(ge=0, le=200)] | None = None
    why: Annotated[str, Field(max_length=80)] = ""
    at_s: Annotated[float, Field(ge=0, le=200_000)] | None = None
    trace: TraceFile | None = None


class SampleFile(Value):
    """Channels at one moment of a run, as files of before have them."""

    t_ms: int = Field(ge=0, le=200_000_000)
    channels: Channels


class RunFile(Value):
    """:param sheet: number of its sheet
    :param session: place of its session in the list, from 0"""

    number: Number
    sheet: Number
    session: Place | None = None
    front: Text
    rear: Text
    tyre_age: float = Field(ge=0, le=500)
    fuel_l: Litres
    fuel_end_l: Litres | None = None
    tyre_set: Annotated[str, Field(max_length=24)] = ""
    scrubbed: bool = False
    pace_laps: int = Field(0, ge=0, le=30)
    note: Annotated[str, Field(max_length=200)] = ""
    tags: Words = {}
    words: Words = {}
    conditions: Conditions
    by_virtual_driver: bool = False
    left_out: Annotated[str, Field(max_length=120)] = ""
    made_at: Moment
    laps: tuple[LapFile, ...] = Field((), max_length=MAX_LAPS)
    samples: tuple[SampleFile, ...] = Field((), max_length=1_000_000)


class ReadingFile(Value):
    """:param run: number of its run, None where it is of none"""

    sheet: Number
    run: Number | None = None
    values: Numbers
    conditions: Conditions
    made_at: Moment


class VerdictFile(Value):
    """A kept verdict. Sides that are sheets stand by their numbers."""

    by: Annotated[str, Field(max_length=60)]
    key_a: Annotated[str, Field(max_length=90)]
    key_b: Annotated[str, Field(max_length=90)]
    side_a: Annotated[str, Field(max_length=90)]
    side_b: Annotated[str, Field(max_length=90)]
    margin_s: Annotated[float, Field(ge=0, le=60)]
    mean_s: Seconds
    low_s: Seconds
    high_s: Seconds
    sentence: Annotated[str, Field(max_length=600)]
    made_at: Moment


#: A stint's tyres, laps and litres, and since pairs are known the age of its tyres, whether they were changed (1 or 0), and fuel saved [%].
_Laps = Annotated[int, Field(ge=1, le=1200)]
KeptStint = (
    tuple[Word, _Laps, Litres]
    | tuple[
        Word, _Laps, Litres, Annotated[int, Field(ge=0, le=400)], Annotated[int, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=60)]
    ]
)


class PlanFile(Value):
    """A kept race plan."""

    stints: tuple[KeptStint, ...] = Field(min_length=1, max_length=60)
    time_s: Seconds
    start_fuel_l: Litres
    text: Annotated[str, Field(max_length=200)]
    made_at: Moment


class RaceFile(Value):
    """A race that was driven.

    :param followed: plans taken since it began, as (mark, plan, what was said)
    """

    setup: SetupFile
    followed: tuple[tuple[Annotated[int, Field(ge=0, le=10_000)], PlanValue, Annotated[str, Field(max_length=400)]], ...] = Field(
        (), max_length=200
    )
    threshold_s: float = Field(1.0, ge=0, le=60)
    started_ms: int = Field(ge=0, le=10**14)
    started_at: Moment
    ended_at: Moment | None = None
    marks: tuple[MarkFile, ...] = Field((), max_length=5000)
    own_car: str = Field("", max_length=MOST_NAME)
    timing: tuple[AtLineFile, ...] = Field((), max_length=MOST_CROSSINGS)


class TestFile(Value):
    """A planned test. Sides that are sheets stand by their numbers."""

    __test__ = False  # not one of pytest's

    differences: tuple[tuple[Text, Text, Text, Text, Text], ...] = Field(min_length=1, max_length=6)
    order: tuple[Annotated[tuple[Annotated[int, Field(ge=0, le=1)], ...], Field(max_length=6)], ...] = Field(min_length=1, max_length=200)
    laps: Number
    difference_s: Annotated[float, Field(gt=0, le=60)]
    power: Share
    made_at: Moment


class CalibrationFile(Value):
    """A calibration as it was found."""

    scales: Numbers
    spread: Numbers
    driver: Annotated[float, Field(ge=-1, le=1)]
    driver_spread: Annotated[float, Field(ge=0, le=10)]
    laps: Number
    before_s: Seconds
    after_s: Seconds
    level_before_s: Seconds
    level_after_s: Seconds
    made_at: Moment


class KnotFile(Value):
    """:param target: of a sheet or run its number, of a verdict or plan its place in the list, from 0"""

    at: Moment
    kind: Literal["brief", "sheet", "run", "verdict", "plan"]
    label: Annotated[str, Field(max_length=24)]
    text: Text
    target: Place | None = None
    hidden: bool = False


class NoteFile(Value):
    """What the racer does in a corner."""

    number: Number
    qualifying: Annotated[str, Field(max_length=400)] = ""
    race: Annotated[str, Field(max_length=400)] = ""


class BookEntryOfEvent(BookEntryFile):
    """:param at_m: of a place, along the middle of the road [m]"""

    at_m: Annotated[float, Field(ge=0, le=60_000)] | None = None


class TrainedFile(Value):
    """What a turn of the braking-point trainer said of a corner.

    :param run: number of its run, None where it was felt
    :param late: chance that the mark was too late [-]
    """

    run: Number | None = None
    turn: Number
    corner: Annotated[int, Field(ge=1, le=400)]
    at_m: float = Field(ge=0, le=60_000)
    model_m: float | None = Field(None, ge=0, le=60_000)
    felt: Literal["", "early", "good", "late", "anew"] = ""
    board: bool = True
    late: Share
    exits_ms: tuple[Annotated[float, Field(ge=0, le=200)], ...] = Field((), max_length=400)
    made_at: Moment


#: Lines of one file, and stations of one line.
_MOST_LINES, _MOST_STATIONS = 12, 40_000


class LinesFile(Value):
    """The quickest lines that were found for the car, its base sheet and the day; where they do not fit the circuit they are found anew.

    :param offsets_m: of each line, the base sheet's best first: left of the centre line at even stations [m]
    :param time_s: lap of the base sheet on the first [s]
    :param before_s: on the line of least curvature [s]
    """

    offsets_m: Annotated[
        tuple[Annotated[tuple[Annotated[float, Field(ge=-200.0, le=200.0)], ...], Field(min_length=4, max_length=_MOST_STATIONS)], ...],
        Field(min_length=1, max_length=_MOST_LINES),
    ]
    time_s: Annotated[float, Field(gt=0.0, le=86_400.0)]
    before_s: Annotated[float, Field(gt=0.0, le=86_400.0)]


class EventFile(Value):
    """One event.

    :param sheet_in_car: number of the sheet in the car
    :param session: place of the session that is on, from 0
    :param rules: the race rules without the tank, which is the car's
    :param traces_left_out: laps whose traces were too much for one file
    """

    format: Literal["apex-trim event 1"] = "apex-trim event 1"
    name: Annotated[str, Field(min_length=1, max_length=80)]
    car: Car
    circuit: Circuit
    notes: tuple[NoteFile, ...] = Field((), max_length=400)
    real_car: bool = False
    driver: Annotated[str, Field(max_length=20)]
    conditions: Conditions
    rules: dict[Word, Any] = Field(max_length=80)
    item_rules: dict[Word, tuple[Amount, Amount]] = Field({}, max_length=200)
    class_limits: ClassLimits = ClassLimits()
    calibration: Numbers = {}
    made_at: Moment
    lines: LinesFile | None = None
    session: Place | None = None
    sheet_in_car: Number | None = None
    sessions: tuple[SessionFile, ...] = Field((), max_length=MOST_ROWS)
    sheets: tuple[SheetOfEvent, ...] = Field((), max_length=MOST_ROWS)
    runs: tuple[RunFile, ...] = Field((), max_length=MOST_RUNS)
    readings: tuple[ReadingFile, ...] = Field((), max_length=MOST_ROWS)
    verdicts: tuple[VerdictFile, ...] = Field((), max_length=MOST_ROWS)
    plans: tuple[PlanFile, ...] = Field((), max_length=MOST_ROWS)
    races: tuple[RaceFile, ...] = Field((), max_length=MOST_ROWS)
    tests: tuple[TestFile, ...] = Field((), max_length=MOST_ROWS)
    calibrations: tuple[CalibrationFile, ...] = Field((), max_length=MOST_ROWS)
    knots: tuple[KnotFile, ...] = Field((), max_length=2 * MOST_RUNS)
    book: tuple[BookEntryOfEvent, ...] = Field((), max_length=MOST_ROWS)
    trained: tuple[TrainedFile, ...] = Field((), max_length=MOST_ROWS)
    traces_left_out: int = Field(0, ge=0, le=10_000_000)

    def problems(self) -> list[str]:
        """What does not fit together: numbers that stand twice or point at nothing, values off the car's list."""
        sheets, runs = {sheet.number for sheet in self.sheets}, {run.number for run in self.runs}
        found = _twice("sheets", "number", (sheet.number for sheet in self.sheets)) + _twice(
            "runs", "number", (run.number for run in self.runs)
        )
        found += _twice("notes", "corner", (note.number for note in self.notes))
        found += _twice("book", "entry", (f"{one.corner} {one.variant} {one.field}" for one in self.book))
        found += _twice("trained", "turn and corner", (f"{one.turn} {one.corner}" for one in self.trained))
        found += [f"trained: run {one.run} is not in the file." for one in self.trained if one.run is not None and one.run not in runs]
        found += self._problems_of_sheets(sheets) + self._problems_of_runs(sheets) + self._problems_of_plans(sheets)
        for reading in self.readings:
            if reading.sheet not in sheets or (reading.run is not None and reading.run not in runs):
                found.append(f"readings: one of sheet {reading.sheet} and run {reading.run} is not in the file.")
        found += self._problems_of_traces()
        found += [f"races[{k}], {words}" for k, race in enumerate(self.races) for words in disorder(line.line() for line in race.timing)]
        if self.sheet_in_car is not None and self.sheet_in_car not in sheets:
            found.append(f"sheet_in_car: {self.sheet_in_car} is not in the file.")
        if self.session is not None and self.session >= len(self.sessions):
            found.append(f"session: {self.session} is not in the file; expected less than {len(self.sessions)}.")
        return found

    def _problems_of_traces(self) -> list[str]:
        found = []
        for run in self.runs:
            for lap in run.laps:
                if lap.trace is not None:
                    try:
                        lap.trace.packed()
                    except FileRejected as error:
                        found.append(f"runs.{run.number}, lap {lap.number}: {error.problems[0]}")
        return found

    def _problems_of_sheets(self, numbers: set[int]) -> list[str]:
        found = []
        keys = {item.key for item in self.car.items}
        for sheet in self.sheets:
            if set(sheet.values) != keys:
                odd = sorted(set(sheet.values) ^ keys)[0]
                found.append(f"sheets, {sheet.number}: the item “{odd}” is on only one of the sheet and the car's list.")
            for item in self.car.items:
                value = sheet.values.get(item.key, item.base)
                if not item.low - 1e-6 <= value <= item.high + 1e-6:
                    allowed = f"{item.text(item.low)} to {item.text(item.high)}"
                    found.append(f"sheets, {sheet.number}, {item.key}: {value:g} is not valid; expected {allowed}.")
            if sheet.parent is not None and (sheet.parent not in numbers or sheet.parent == sheet.number):
                found.append(f"sheets, {sheet.number}: its parent {sheet.parent} is not in the file.")
        try:
            with_limits(self.car, self.item_rules)
        except ApexError as error:
            found.append(f"item_rules: {error}")
        return found

    def _problems_of_runs(self, sheets: set[int]) -> list[str]:
        found = []
        compounds = {compound.key for compound in self.car.tyres.compounds}
        for run in self.runs:
            if run.sheet not in sheets:
                found.append(f"runs, {run.number}: its sheet {run.sheet} is not in the file.")
            if run.session is not None and run.session >= len(self.sessions):
                found.append(f"runs, {run.number}: its session {run.session} is not in the file.")
            found += [f"runs, {run.number}: “{name}” is no compound of the car." for name in sorted({run.front, run.rear} - compounds)]
            found += _twice(f"runs, {run.number}", "lap", (lap.number for lap in run.laps))
        return found

    def _problems_of_plans(self, sheets: set[int]) -> list[str]:
        """Race plans, planned tests and calibrations."""
        compounds = {compound.key for compound in self.car.tyres.compounds}
        found = [
            f"plans, {number}: “{name}” is no compound of the car."
            for number, plan in enumerate(self.plans, start=1)
            for name in sorted({key for stint in plan.stints for key in axles_of(stint[0])} - compounds)
        ]
        for number, test in enumerate(self.tests, start=1):
            if any(len(marks) != len(test.differences) for marks in test.order):
                found.append(f"tests, {number}, order: expected one mark for each of {len(test.differences)} differences in every run.")
            for kind, off, _, on, _ in test.differences:
                if kind == "sheet" and not all(side.isdecimal() and int(side[:9]) in sheets for side in (off, on)):
                    found.append(f"tests, {number}: one of the sheets {off[:12]} and {on[:12]} is not in the file.")
        for number, held in enumerate(self.calibrations, start=1):
            for name, values in (("scales", held.scales), ("spread", held.spread)):
                if set(values) != set(SCALES):
                    found.append(f"calibrations, {number}, {name}: expected {', '.join(SCALES)}.")
        for name, values in (("calibration", self.calibration), *(("calibrations, scales", held.scales) for held in self.calibrations)):
            for scale, value in values.items():
                if scale not in SCALES or not 0.2 <= value <= 5.0:
                    found.append(f"{name}, {scale}: {value:g} is not valid; expected 0.2 to 5 for one of {', '.join(SCALES)}.")
        return found

    def race_rules(self) -> RaceRules:
        """The rules with the car's tank.

        :raises ValidationError: where they are none
        """
        return RaceRules.model_validate({"tank_l": self.car.tank_l, **self.rules})


def _twice(where: str, what: str, numbers: Iterable[int | str]) -> list[str]:
    """Numbers that stand there more than once."""
    return [f"{where}: {what} {number} stands there twice." for number, count in Counter(numbers).items() if count > 1]
