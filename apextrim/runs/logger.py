"""What a logger sends, put into the logbook: all of one message in one transaction, or none."""

import hashlib
import math
import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone
from numpy.typing import NDArray

from apexcore.errors import FileRejected
from apexcore.formats.logger import LapEvent, PitEvent, RunEvent, SampleEvent, SamplesEvent, Sent, TyresEvent, WeatherEvent
from apexcore.judge.laps import propose
from apexcore.quantities import format_lap
from apexcore.vehicle.car import WHEELS
from apextrim.events import thread
from apextrim.events.actions import read_weather
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.runs.models import TyreReading
from apextrim.runs.reading_actions import keep_reading
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import sheet_in_car

from . import recorded
from .actions import add_run, lap_row
from .models import Lap, LoggerKey, Run
from .queries import driven

Floats = NDArray[np.float64]


def digest(token: str) -> str:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


@transaction.atomic
def make_key(event: Event, name: str, keep_samples: bool = False) -> tuple[LoggerKey, str]:
    """A key for a logger of this event, and its token, which is told once.

    :param keep_samples: whether its samples stay as they came beside the laps' traces
    """
    token = "k" + secrets.token_urlsafe(24)  # a command line would take one that begins with a dash for an option
    row = LoggerKey.objects.create(
        event=event, name=name or "logger", digest=digest(token), made_at=timezone.now(), keep_samples=keep_samples
    )
    return row, token


def key_of(**lookup: Any) -> LoggerKey | None:
    """A key with the event it is for; None where there is none."""
    return LoggerKey.objects.select_related("event__car", "event__circuit").filter(**lookup).first()


class NotLetIn(Exception):
    """A sender whose key does not let it in.

    :param status: of the answer
    """

    def __init__(self, status: int, words: str) -> None:
        super().__init__(words)
        self.status = status


def let_in(authorization: str) -> LoggerKey:
    """The key that a sender's header names.

    :raises NotLetIn: where it names none, a withdrawn one, or one of an event that is deleted
    """
    scheme, _, token = authorization.partition(" ")
    key = key_of(digest=digest(token.strip()))
    if scheme.lower() != "bearer" or key is None:
        raise NotLetIn(401, "Authorization: this token is not known; expected “Bearer” and the token of a logger key.")
    if key.withdrawn_at is not None:
        raise NotLetIn(403, f"Authorization: the key “{key.name}” was withdrawn on {key.withdrawn_at:%d %B %Y}; make a new one.")
    if key.event.deleted_at is not None:
        raise NotLetIn(403, "Authorization: the event of this key is deleted.")
    return key


@transaction.atomic
def withdraw_key(key: LoggerKey) -> None:
    """Lets a logger in no longer; what it sent stays."""
    key.withdrawn_at = timezone.now()
    key.save(update_fields=["withdrawn_at"])


@dataclass
class Ingested:
    """What became of a message.

    :param laps: new laps
    :param samples: new samples
    :param passed_over: laps that were there already, unchanged
    :param runs: name of each run by the logger's name for it
    :param notes: what was odd but no reason to refuse
    """

    laps: int = 0
    samples: int = 0
    passed_over: int = 0
    runs: dict[str, str] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)


def take(key: LoggerKey, sent: Sent) -> Ingested:
    """Puts a message into the logbook; a repeat of it adds nothing. Laps whose samples are there have their traces then.

    :raises FileRejected: naming each lap that is there with another time, each unknown compound, and an event without a sheet
    """
    work = _Taking(key, key.event, Ingested())
    work.prepare(sent)
    with transaction.atomic():
        _put(work, sent)
    for run in work.rows.values():
        recorded.build(run)
    return work.taken


def _put(work: "_Taking", sent: Sent) -> None:
    """All of a message.

    :raises FileRejected: with every problem
    """
    event = work.event
    for message in sent.events:
        if isinstance(message, WeatherEvent):
            read_weather(event, message.read())
        elif isinstance(message, RunEvent):
            work.begin(message)
        elif isinstance(message, LapEvent):
            work.lap(message)
        elif isinstance(message, TyresEvent):
            work.tyres(message)
        elif isinstance(message, PitEvent):
            work.close(message)
    work.put_laps()
    work.put_samples()
    if work.problems:
        raise FileRejected(work.problems)
    LoggerKey.objects.filter(pk=work.key.pk).update(heard_at=timezone.now())


class _Taking:
    """One message on its way into the logbook."""

    def __init__(self, key: LoggerKey, event: Event, taken: Ingested) -> None:
        self.key, self.event, self.taken = key, event, taken
        self.rows: dict[str, Run] = {}
        self.problems: list[str] = []
        self.samples: dict[str, tuple[Floats, dict[str, Floats]]] = {}
        self.times: dict[str, dict[int, float]] = {}
        self.laps: list[Lap] = []

    def prepare(self, sent: Sent) -> None:
        """Works out what needs no lock: while a message is written, everybody else who writes waits."""
        samples: dict[str, list[SampleEvent | SamplesEvent]] = {}
        for message in sent.events:
            if isinstance(message, SampleEvent | SamplesEvent):
                samples.setdefault(message.run, []).append(message)
        self.samples = {run: _as_columns(events) for run, events in samples.items()}
        if self._sheet is not None:
            cases.car_of(self.event)

    @cached_property
    def _sheet(self) -> Sheet | None:
        """The sheet in the car, asked for once a message."""
        return sheet_in_car(self.event)

    def run(self, name: str, told: RunEvent | None = None) -> Run | None:
        """The run that the logger calls so; begun where it is new, with the sheet in the car."""
        if name not in self.rows:
            row = Run.objects.filter(logger=self.key, logger_run=name).first()
            if row is None:
                row = self._new(name, told)
            if row is None:
                return None
            self.rows[name] = row
            self.taken.runs[name] = row.name
        return self.rows[name]

    def _new(self, name: str, told: RunEvent | None) -> Run | None:
        sheet = self._sheet
        if sheet is None:
            self.problems.append("No sheet is in the car of this event; save one on the Sheet bench first.")
            return None
        car = cases.car_of(self.event)
        first, known = car.tyres.compounds[0].key, {compound.key for compound in car.tyres.compounds}
        values: dict[str, Any] = {
            "sheet": sheet, "session": self.event.session, "front": (told and told.front) or first, "rear": (told and told.rear) or first,
            "tyre_age": told.tyre_age if told else 0.0, "note": told.note if told else "",
            "fuel_l": told.fuel_l if told and told.fuel_l is not None else sheet.values.get("fuel", car.fuel_l),
        }  # fmt: skip
        for axle in ("front", "rear"):
            if values[axle] not in known:
                self.problems.append(f"{axle}: “{values[axle]}” is no compound of this car; expected {', '.join(sorted(known))}.")
                return None
        return add_run(self.event, {**values, "logger": self.key, "logger_run": name, "closed": False})

    def begin(self, told: RunEvent) -> None:
        self.run(told.run, told)

    def lap(self, told: LapEvent) -> None:
        run = self.run(told.run)
        if run is None:
            return
        there = self.times.get(told.run)
        if there is None:  # all laps of a run are asked for once, and written together
            there = self.times[told.run] = dict(Lap.objects.filter(run=run).values_list("number", "time_s"))
        known = there.get(told.lap)
        if known is None:
            row = lap_row(run, told.driven(), told.kind, "marked by the logger" if told.kind != "timed" else "")
            row.at_s = told.at_s
            self.laps.append(row)
            there[told.lap] = told.time_s
            self.taken.laps += 1
        elif abs(known - told.time_s) > 5e-4:
            place = f"Run {told.run}, lap {told.lap}"
            self.problems.append(f"{place}: {format_lap(told.time_s)} is not valid; it is there already with {format_lap(known)}.")
        else:
            self.taken.passed_over += 1

    def put_laps(self) -> None:
        Lap.objects.bulk_create(self.laps)
        self.laps = []

    def tyres(self, told: TyresEvent) -> None:
        run = self.run(told.run)
        if run is None:
            return
        values: dict[str, float] = {}
        for index, wheel in enumerate(WHEELS):
            for name, four in (("cold", told.cold_kpa), ("hot", told.hot_kpa), ("left", told.left_pct)):
                if four is not None:
                    values[f"{name}_{wheel}"] = four[index]
            if told.tread_c is not None:
                values |= {f"{third}_{wheel}": c for third, c in zip(("inner", "middle", "outer"), told.tread_c[index], strict=True)}
        if values and not TyreReading.objects.filter(run=run, values=values).exists():
            keep_reading(self.event, run.sheet, values, run)

    def close(self, told: PitEvent) -> None:
        """Closes the run: what nobody marked is looked at as laps from a file are."""
        run = self.run(told.run)
        if run is None or run.closed:
            return
        self.put_laps()
        rows = list(run.laps.all())
        for row, (kind, why) in zip(rows, propose(driven(rows), True, True), strict=True):
            if kind != row.kind:
                row.kind, row.why = kind, why
                row.save(update_fields=["kind", "why"])
        run.closed = True
        run.save(update_fields=["closed"])

    def put_samples(self) -> None:
        for name, (t, columns) in self.samples.items():
            run = self.run(name)
            if run is None:
                continue
            back = next(iter(np.flatnonzero(np.diff(t) < 0)), None)
            if back is not None:
                jump = f"from {t[back]:g} s to {t[back + 1]:g} s"
                self.taken.notes.append(f"Run {name}: the clock went back {jump}; the samples are kept by their own times.")
            self.taken.samples += recorded.put_samples(run, t, columns)


def _as_columns(events: Sequence[SampleEvent | SamplesEvent]) -> tuple[Floats, dict[str, Floats]]:
    """Moments and channels of events, in their order; what has no value then is NaN."""
    times: list[float] = []
    values: dict[str, list[float]] = {}
    for event in events:
        moments = [event.t_s] if isinstance(event, SampleEvent) else list(event.t_s)
        told = {name: [value] for name, value in event.channels.items()} if isinstance(event, SampleEvent) else event.channels
        for name, column in told.items():
            known = values.setdefault(name, [])
            known += [math.nan] * (len(times) - len(known))
            known += [math.nan if value is None else value for value in column]
        times += moments
    for known in values.values():
        known += [math.nan] * (len(times) - len(known))
    return np.array(times), {name: np.array(column) for name, column in values.items()}


@transaction.atomic
def close_open(event: Event) -> list[Run]:
    """Closes every run that a logger left open (its link was lost for good). Returns them."""
    runs = list(event.runs.filter(closed=False, deleted_at=None))
    for run in runs:
        run.closed = True
        run.save(update_fields=["closed"])
        thread.tie(event, "run", run.name, f"{run.name} closed by hand, {run.laps.count()} laps", run.pk)
    return runs
