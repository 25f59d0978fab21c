"""What a logger sends while the car runs: JSON lines, or laps as CSV. The format is described in docs/formats.md."""

import json
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal, Self

from pydantic import Field, TypeAdapter, ValidationError, field_validator, model_validator

from ..errors import FileRejected, InputError
from ..judge.laps import DrivenLap, LapKind
from ..judge.traces.channels import Match, guessed
from ..quantities.text import read_number
from ..quantities.values import Value
from .guard import guarded
from .laps_csv import MAX_LAPS, MOST_FUEL_L, MOST_SECTORS, MOST_TOP_KMH, guessed_columns, laps_of, read_table
from .text import decoded, json_of, problem_of, rejected, rows_of

#: Most channels of one sample, and most moments of one batch.
MOST_CHANNELS, MOST_MOMENTS = 60, 2_000
#: Most runs and laps that one message tells of, channels of one run in it, moments and values in all: what is written in one transaction,
#: while which everybody else who writes waits (within 50 ms on two slow processors).
MOST_RUNS, MOST_TOLD_LAPS, MOST_NAMES, MOST_IN_ALL, MOST_VALUES = 4, 400, 120, 200_000, 400_000

RunKey = Annotated[str, Field(min_length=1, max_length=40, pattern=r"^[\w.-]+$")]
Pressure = Annotated[float, Field(ge=0, le=1000)]
Share = Annotated[float, Field(ge=0, le=100)]
Celsius = Annotated[float, Field(ge=-50, le=400)]
Pressures = tuple[Pressure, Pressure, Pressure, Pressure]
Shares = tuple[Share, Share, Share, Share]
Tread = tuple[Celsius, Celsius, Celsius]
Channel = Annotated[float, Field(ge=-1e12, le=1e12)]
Sector = Annotated[float, Field(gt=0, le=1800)]


class RunEvent(Value):
    """The car goes out. What is not told is taken from the sheet in the car."""

    type: Literal["run"]
    run: RunKey
    fuel_l: float | None = Field(None, ge=0, le=500)
    front: str = Field("", max_length=40)
    rear: str = Field("", max_length=40)
    tyre_age: float = Field(0, ge=0, le=500)
    note: str = Field("", max_length=200)


class LapEvent(Value):
    """A lap is done; `at_s` is when it ended on the clock of the samples, where the sender knows."""

    type: Literal["lap"]
    run: RunKey
    lap: int = Field(ge=1, le=MAX_LAPS)
    time_s: float = Field(ge=5, le=1800)
    kind: LapKind = "timed"
    fuel_l: float | None = Field(None, ge=0, le=MOST_FUEL_L)
    sectors_s: tuple[Sector, ...] = Field((), max_length=MOST_SECTORS)
    top_kmh: float | None = Field(None, ge=10, le=MOST_TOP_KMH)
    at_s: float | None = Field(None, ge=0, le=200_000)

    @classmethod
    def of(cls, run: str, lap: DrivenLap) -> Self:
        """The event of a lap that was driven."""
        top = None if lap.top_ms is None else 3.6 * lap.top_ms
        return cls(
            type="lap", run=run, lap=lap.number, time_s=lap.time_s, kind=lap.kind, fuel_l=lap.fuel_l, sectors_s=lap.sectors_s, top_kmh=top
        )

    def driven(self) -> DrivenLap:
        """The lap as the core knows it."""
        top = None if self.top_kmh is None else self.top_kmh / 3.6
        return DrivenLap(self.lap, self.time_s, self.kind, self.fuel_l, self.sectors_s, top)


class SampleEvent(Value):
    """Channels at one moment of a run; a channel that has no value then (null, NaN) is a gap."""

    type: Literal["sample"]
    run: RunKey
    t_s: float = Field(ge=0, le=200_000)
    channels: dict[Annotated[str, Field(max_length=40)], Channel | None] = Field(max_length=MOST_CHANNELS)

    @field_validator("channels", mode="before")
    @classmethod
    def _gaps(cls, value: object) -> object:
        return {name: _number_or_gap(channel) for name, channel in value.items()} if isinstance(value, dict) else value

    def present(self) -> dict[str, float]:
        """The channels without gaps."""
        return {name: value for name, value in self.channels.items() if value is not None}


def _number_or_gap(value: object) -> object:
    """NaN and infinity are how some senders write a gap."""
    return None if isinstance(value, float) and not math.isfinite(value) else value


class SamplesEvent(Value):
    """Channels at many moments of a run, column by column: what a sender collects for a second."""

    type: Literal["samples"]
    run: RunKey
    t_s: tuple[Annotated[float, Field(ge=0, le=200_000)], ...] = Field(min_length=1, max_length=MOST_MOMENTS)
    channels: dict[Annotated[str, Field(max_length=40)], tuple[Channel | None, ...]] = Field(max_length=MOST_CHANNELS)

    @field_validator("channels", mode="before")
    @classmethod
    def _gaps(cls, value: object) -> object:
        if not isinstance(value, dict):
            return value
        return {
            name: [_number_or_gap(one) for one in column] if isinstance(column, list | tuple) else column for name, column in value.items()
        }

    @model_validator(mode="after")
    def _as_long(self) -> Self:
        for name, column in self.channels.items():
            if len(column) != len(self.t_s):
                raise ValueError(f"channels.{name}: {len(column)} values at {len(self.t_s)} moments")
        return self


class TyresEvent(Value):
    """Gauge and pyrometer read the wheels, in the order front left, front right, rear left, rear right."""

    type: Literal["tyres"]
    run: RunKey
    cold_kpa: Pressures | None = None
    hot_kpa: Pressures | None = None
    tread_c: tuple[Tread, Tread, Tread, Tread] | None = None
    left_pct: Shares | None = None


class WeatherEvent(Value):
    """The weather station read."""

    type: Literal["weather"]
    air_c: float | None = Field(None, ge=-20, le=55)
    track_c: float | None = Field(None, ge=-20, le=80)
    humidity_pct: float | None = Field(None, ge=0, le=100)
    pressure_hpa: float | None = Field(None, ge=600, le=1100)
    wind_ms: float | None = Field(None, ge=0, le=30)
    wind_from_deg: float | None = Field(None, ge=0, le=360)

    def read(self) -> dict[str, float]:
        """What it read."""
        return {name: value for name, value in self.model_dump(exclude={"type"}).items() if value is not None}


class PitEvent(Value):
    """The car is back in the pit: the run is closed."""

    type: Literal["pit"]
    run: RunKey


LoggerEvent = RunEvent | LapEvent | SampleEvent | SamplesEvent | TyresEvent | WeatherEvent | PitEvent
_EVENT: TypeAdapter[LoggerEvent] = TypeAdapter(Annotated[LoggerEvent, Field(discriminator="type")])


@dataclass(frozen=True)
class Sent:
    """What a sender sent.

    :param events: in its order
    :param cut: number of a last line that broke off in the middle, to be sent again; None where none did
    """

    events: tuple[LoggerEvent, ...]
    cut: int | None


@guarded("JSON lines of a logger")
def read_json_lines(data: bytes) -> Sent:
    """The events of JSON lines; all or nothing, but for a last line without an end that is no JSON: the sender stopped in it.

    :raises FileRejected: with every problem found, each naming its line
    """
    text = decoded(data, "JSON lines of a logger")
    lines = text.split("\n")
    events: list[LoggerEvent] = []
    problems: list[str] = []
    cut = None
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        try:
            content: Any = json_of(line, "one object a line")
        except FileRejected as error:
            if number == len(lines) and _broke_off(line):
                cut = number
                break
            problems.append(f"Line {number}: {error.problems[0].partition(': ')[2]}")
            continue
        try:
            events.append(_EVENT.validate_python(content))
        except ValidationError as error:
            problems += [f"Line {number}, {_place(problem)}" for problem in error.errors()[:3]]
    if problems:
        raise rejected(problems)
    return bounded(Sent(tuple(events), cut))


def _broke_off(line: str) -> bool:
    """Whether a line may be the beginning of an object: whatever else it is, sending it again would not mend it."""
    if not line.lstrip().startswith("{"):
        return False
    try:
        json.loads(line)
    except json.JSONDecodeError as error:
        return error.pos >= len(line.rstrip()) - 1 or error.msg.startswith("Unterminated string")
    except (ValueError, RecursionError):
        return False
    return False


def bounded(sent: Sent) -> Sent:
    """The same message, where it is no longer than is written at once.

    :raises FileRejected: naming what it has too much of
    """
    runs = {event.run for event in sent.events if not isinstance(event, WeatherEvent)}
    laps = sum(isinstance(event, LapEvent) for event in sent.events)
    names: dict[str, set[str]] = {}
    counts: dict[str, int] = {}
    for event in sent.events:
        if isinstance(event, SampleEvent | SamplesEvent):
            names.setdefault(event.run, set()).update(event.channels)
            counts[event.run] = counts.get(event.run, 0) + (1 if isinstance(event, SampleEvent) else len(event.t_s))
    most = max((len(found) for found in names.values()), default=0)
    values = sum(count * len(names[run]) for run, count in counts.items())  # what a moment lacks is kept as lacking
    told = (
        (len(runs), MOST_RUNS, "runs"), (laps, MOST_TOLD_LAPS, "laps"), (most, MOST_NAMES, "channels of one run"),
        (sum(counts.values()), MOST_IN_ALL, "samples"), (values, MOST_VALUES, "values of all channels"),
    )  # fmt: skip
    over = [one for one in told if one[0] > one[1]]
    problems = [f"The message: {count:,} {words}; expected at most {limit:,}. Send it in parts." for count, limit, words in over]
    if problems:
        raise FileRejected(problems)
    return sent


def _place(error: Any) -> str:
    """The error with its place within the line."""
    location = error["loc"]  # begins with the type that the line says it is of
    return problem_of({**error, "loc": location[1:] if len(location) > 1 else location})


@guarded("a CSV of laps")
def read_csv_laps(data: bytes, run: str) -> Sent:
    """Laps of one run as CSV, its columns known by their names.

    :param run: the sender's name of the run
    :raises FileRejected: with every problem found, each naming line and column
    """
    table = read_table(data)
    laps = laps_of(table, guessed_columns(table.header))
    try:
        return bounded(Sent(tuple(LapEvent.of(run, lap) for lap in laps), None))
    except ValidationError as error:
        raise rejected([problem_of(problem) for problem in error.errors()]) from None


def are_samples(data: bytes) -> bool:
    """Whether a CSV holds samples rather than laps: a column for the time in its header, and none for the lap time."""
    keys = [match.key for match in guessed(re.split(r"[,;\t]", data[:4000].decode("utf-8-sig", "replace").split("\n")[0].strip())) if match]
    return "time_s" in keys and len(keys) > 1 and not re.search(rb"lap[_ ]?time", data[:4000].split(b"\n")[0], re.IGNORECASE)


@guarded("a CSV of samples")
def read_csv_samples(data: bytes, run: str) -> Sent:
    """Samples of one run as CSV: a column for the time, and one for each channel, known by their names and units.

    :param run: the sender's name of the run
    :raises FileRejected: with every problem found, each naming line and column
    """
    rows = rows_of(decoded(data, "a CSV of samples"), "a CSV of samples with the column time_s and one for each channel")
    matches = guessed(rows[0])
    times = next((place for place, match in enumerate(matches) if match is not None and match.key == "time_s"), None)
    if times is None:
        raise FileRejected(["Line 1: the column “time_s” is missing; expected the time since the run began."])
    problems: list[str] = []
    table: list[list[float | None]] = []
    for line, row in enumerate(rows[1:], start=2):
        if not any(cell.strip() for cell in row):
            continue
        if len(row) != len(rows[0]):
            problems.append(f"Line {line}: {len(row)} columns; expected {len(rows[0])}.")
            continue
        table.append(
            [
                _cell(cell, match, f"Line {line}, column {rows[0][k][:40]}", problems)
                for k, (cell, match) in enumerate(zip(row, matches, strict=True))
            ]
        )
    if problems:
        raise rejected(problems)
    batches = []
    for first in range(0, len(table), MOST_MOMENTS):
        part = [row for row in table[first : first + MOST_MOMENTS] if row[times] is not None]
        channels = {match.key[:40]: [row[k] for row in part] for k, match in enumerate(matches) if match is not None and k != times}
        if part:
            batches.append({"type": "samples", "run": run, "t_s": [row[times] for row in part], "channels": channels})
    try:
        return bounded(Sent(tuple(_EVENT.validate_python(batch) for batch in batches), None))
    except ValidationError as error:
        raise rejected([problem_of(problem) for problem in error.errors()]) from None


def _cell(cell: str, match: Match | None, place: str, problems: list[str]) -> float | None:
    """A cell of a CSV of samples in its channel's unit; None for a gap, and for what is no number, which is noted."""
    text = cell.strip()
    if match is None or text.lower() in ("", "nan", "null", "inf", "-inf"):
        return None
    try:
        return match.scale * read_number(text, "", place, comma_is_decimal=True) + match.shift
    except InputError as error:
        problems.append(str(error))
        return None


def json_lines(events: Sequence[LoggerEvent]) -> str:
    """The JSON lines of these events; `read_json_lines` gives them back."""
    return "".join(event.model_dump_json(exclude_none=True) + "\n" for event in events)
