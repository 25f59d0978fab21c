"""Runs as pages and judgements need them."""

import math
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import accumulate, pairwise

from django.db.models import Count, Exists, Func, IntegerField, Max, Min, OuterRef, QuerySet, prefetch_related_objects
from django.utils import timezone

from apexcore.judge.laps import DrivenLap, RunFigures, figures
from apexcore.judge.model import Observed
from apexcore.judge.scrubbing import SetRun
from apexcore.lap.stint import colder
from apexcore.quantities.words import counted
from apexcore.race.fuel import Burnt
from apexcore.vehicle.pair import pair_key
from apextrim.accounts.owned import Person, owned_or_404
from apextrim.events.models import Event
from apextrim.modelling import cases

from .models import Lap, Run


def runs_of(event: Event) -> QuerySet[Run]:
    """The runs of an event that are not deleted, with what a list shows, in three queries."""
    return event.runs.filter(deleted_at=None).select_related("sheet", "session").prefetch_related("laps")


#: Runs of one sheet, or of one side of a comparison, whose laps are looked at: far more than the lap model takes at once.
MOST_RUNS = 200
#: Laps after which no further run is fetched, all kinds counted: more than any judgement takes; and runs fetched first.
ENOUGH_LAPS, FEW_RUNS = 480, 6


def rows_of(event: Event) -> QuerySet[Run]:
    """As `runs_of`, without their laps, of which an old event has hundreds of thousands."""
    return event.runs.filter(deleted_at=None).select_related("sheet", "session")


def in_one_weather(rows: Sequence[Run], side: Callable[[Run], object | None] = lambda run: 0) -> tuple[list[Run], list[Run]]:
    """Runs on a dry track or on a wet one, whichever has more of both sides, and the others: those of the other weather and those that
    somebody left out. All are kept where neither has both sides.

    :param side: of a run; None where it is on none
    """
    asked = [run for run in rows if not run.left_out]
    sides = {key for run in asked if (key := side(run)) is not None}

    def weight(wet: bool) -> tuple[int, int, bool]:
        found = Counter(side(run) for run in asked if run.is_wet == wet and side(run) is not None)
        return min((found[key] for key in sides), default=0), sum(found.values()), not wet

    wet = weight(True) > weight(False)
    if weight(wet)[0] == 0:
        return asked, [run for run in rows if run.left_out]
    kept = [run for run in asked if run.is_wet == wet]
    return kept, [run for run in rows if run not in kept]


def left_out_words(rows: Sequence[Run]) -> list[str]:
    """What was left out, a sentence for each reason."""
    by_reason: dict[str, list[str]] = {}
    for run in rows:
        by_reason.setdefault(run.left_out or ("wet track" if run.is_wet else "dry track"), []).append(run.name)
    return [
        f"{counted(len(names), 'run')} left out ({', '.join(names[:6])}{', …' if len(names) > 6 else ''}): {reason}."
        for reason, names in by_reason.items()
    ]


def with_laps(rows: QuerySet[Run], enough: int = ENOUGH_LAPS) -> list[Run]:
    """The newest of these runs with their laps, in the order driven: as many as have so many laps together, at most `MOST_RUNS`.

    :param enough: laps that are enough for whatever is asked of them
    """
    newest, found, laps, wanted = rows.order_by("-number"), list[Run](), 0, FEW_RUNS
    while laps < enough and len(found) < MOST_RUNS:
        first = len(found)
        found += fetched(list(newest[first : min(first + wanted, MOST_RUNS)]))
        if len(found) < first + wanted:
            break
        laps += sum(len(run.laps.all()) for run in found[first:])
        wanted = max(math.ceil((enough - laps) * len(found) / max(laps, 1)), 1)
    return found[::-1]


def fetched(rows: list[Run]) -> list[Run]:
    """These runs with their laps, in one query."""
    prefetch_related_objects(rows, "laps")
    return rows


def runs_beside(run: Run, most: int = 24) -> list[Run]:
    """Other runs of the event with laps, the newest first: what can be laid over its laps."""
    timed = Exists(Lap.objects.filter(run=OuterRef("pk"), kind="timed"))
    return list(rows_of(run.event).exclude(pk=run.pk).filter(timed).order_by("-number")[:most])


def run_for(user: Person, event: Event, run_id: int) -> Run:
    """One run of an event.

    :raises Http404: if there is none, or it is deleted
    """
    return owned_or_404(Run, user, "sheet", "session", "event", event=event, pk=run_id, deleted_at=None)


def driven(laps: Iterable[Lap]) -> list[DrivenLap]:
    """Laps as the core knows them."""
    return [DrivenLap(lap.number, lap.time_s, lap.kind, lap.fuel_l, tuple(lap.sectors_s), lap.top_ms) for lap in laps]  # type: ignore[arg-type]


def tyre_names(event: Event) -> dict[str, str]:
    """What the compounds of the event's car are called, by their keys."""
    return {compound.key: compound.name for compound in cases.car_of(event).tyres.compounds}


@dataclass(frozen=True)
class RunLine:
    """A run in a list."""

    run: Run
    laps: list[DrivenLap]
    figures: RunFigures


def run_lines(event: Event, first: int = 0, count: int | None = None) -> list[RunLine]:
    """Runs with their figures, in the order driven; all, or so many from one on."""
    rows = list(rows_of(event)[first : None if count is None else first + count])
    laps = _laps_of(rows)
    return [RunLine(run, laps.get(run.pk, []), figures(laps.get(run.pk, []))) for run in rows]


def _laps_of(rows: Sequence[Run]) -> dict[int, list[DrivenLap]]:
    """The laps of runs by the run's key, in one query and without a row's worth of objects for each."""
    found: dict[int, list[DrivenLap]] = {}
    names = ("run_id", "number", "time_s", "kind", "fuel_l", "sectors_s", "top_ms")
    for run, number, time_s, kind, fuel_l, sectors, top_ms in (
        Lap.objects.filter(run__in=rows).values_list(*names).order_by("run_id", "number")
    ):
        found.setdefault(run, []).append(DrivenLap(number, time_s, kind, fuel_l, tuple(sectors), top_ms))
    return found


def most_sectors(event: Event) -> int:
    """Sectors of the lap of an event that has most."""
    length = Func("sectors_s", function="json_array_length", output_field=IntegerField())
    laps = Lap.objects.filter(run__event=event, run__deleted_at=None)
    return int(laps.order_by().aggregate(most=Max(length))["most"] or 0)


def all_run_lines(event: Event) -> Iterator[RunLine]:
    """Every run with its figures, in the order driven, a hundred in memory at a time."""
    first = 0
    while lines := run_lines(event, first, _IN_MEMORY):
        yield from lines
        first += _IN_MEMORY


#: Runs that an export of all holds at once.
_IN_MEMORY = 100
#: Laps that measure the use of fuel; more would tell no more.
_MOST_FUEL_LAPS = 2000


def burnt_l(event: Event) -> list[float]:
    """Fuel burnt on each of the newest timed laps of the event where it was measured [l], in the order driven."""
    laps = Lap.objects.filter(run__event=event, run__deleted_at=None, kind="timed", fuel_l__isnull=False)
    newest = laps.order_by("-run__number", "-number").values_list("fuel_l", flat=True)[:_MOST_FUEL_LAPS]
    return [float(litres) for litres in newest if litres is not None][::-1]


def burnt_by_runs(event: Event) -> list[Burnt]:
    """Fuel that the newest runs burnt where it was known at both ends and not lap by lap."""
    rows = event.runs.filter(deleted_at=None, fuel_end_l__isnull=False, closed=True).annotate(
        count=Count("laps"), measured=Count("laps__fuel_l")
    )
    newest = rows.filter(count__gt=0, measured=0).order_by("-number").values_list("fuel_l", "fuel_end_l", "count")[:MOST_RUNS]
    return [Burnt(round(start - end, 4), count) for start, end, count in newest if end is not None and start > end]


def usual_use_l(run: Run, modelled_l: float) -> float:
    """Fuel that a lap of a run burns where it was not measured lap by lap: from both ends of the run, else the model's [l]."""
    count = len(run.laps.all())
    return (run.fuel_l - run.fuel_end_l) / count if run.fuel_end_l is not None and count else modelled_l


@dataclass(frozen=True)
class LeftBy:
    """What the last run of an event left, for the next to begin with.

    :param tyre_age: laps on the tyres after it
    :param fuel_l: on board after it; None where nobody measured what it burnt [l]
    """

    run: Run
    tyre_age: float
    fuel_l: float | None


def left_by_last(event: Event) -> LeftBy | None:
    """The tyres and the fuel as the last run left them; None before the first."""
    run = rows_of(event).order_by("-number").first()
    if run is None:
        return None
    laps = list(run.laps.all())
    burnt = [lap.fuel_l for lap in laps if lap.fuel_l is not None]
    left = run.fuel_end_l
    if left is None and laps and burnt:
        left = run.fuel_l - sum(burnt) * len(laps) / len(burnt)
    return LeftBy(run, run.tyre_age + len(laps), None if left is None else round(max(left, 0.0), 1))


@dataclass(frozen=True)
class ObservedRun:
    """A run's timed laps as the lap model takes them.

    :param laps: as `Observed`, with the level given
    :param numbers: their lap numbers
    """

    run: Run
    laps: list[Observed]
    numbers: list[int]


def per_run(runs: Sequence[ObservedRun], values: Sequence[float]) -> list[Sequence[float]]:
    """Values of all laps of these runs, one after the other, parted by run."""
    ends = list(accumulate((len(run.laps) for run in runs), initial=0))
    return [values[first:last] for first, last in pairwise(ends)]


def newest_of(runs: Sequence[ObservedRun], most_laps: int) -> list[ObservedRun]:
    """The newest of these runs up to so many laps, one at least, in the order driven."""
    kept: list[ObservedRun] = []
    count = 0
    for run in reversed(runs):
        count += len(run.laps)
        if kept and count > most_laps:
            break
        kept.append(run)
    return kept[::-1]


def observed(event: Event, levels: dict[int, int], fuel_l_per_lap: float, kinds: Sequence[str] = ()) -> list[ObservedRun]:
    """Timed laps of the runs on given sheets; see `observed_by`.

    :param levels: level of each sheet, by the sheet's key
    """
    rows = with_laps(rows_of(event).filter(sheet__in=levels))
    return observed_by(event, rows, lambda run: levels.get(run.sheet_id), fuel_l_per_lap, kinds)


def _begun(event_id: int) -> dict[int | None, datetime]:
    """When the first run of each session of an event was driven."""
    rows = Run.objects.filter(event_id=event_id, deleted_at=None).order_by().values_list("session_id").annotate(Min("made_at"))
    return dict(rows)


#: Runs of a day of which the laps before are counted: after as many a driver has nothing left to learn that day.
_LEARNING_RUNS = 24
#: Laps driven that stand for those of all later runs.
_LEARNT = 999.0


def _driven_before(event_id: int, rows: Sequence[Run]) -> dict[int, float]:
    """Laps of any kind that were driven on the day before each of these runs began, by the run's key; many after as many runs as
    nobody learns in."""
    days = {timezone.localdate(run.made_at) for run in rows}
    by_day: dict[date, list[int]] = {}
    begin, end = (timezone.make_aware(datetime.combine(day, time.min)) for day in (min(days), max(days) + timedelta(days=1)))
    everything = Run.objects.filter(event_id=event_id, deleted_at=None).order_by("made_at", "number")
    for pk, made_at in everything.filter(made_at__gte=begin, made_at__lt=end).values_list("pk", "made_at"):
        by_day.setdefault(timezone.localdate(made_at), []).append(pk)
    early = [pk for day in days for pk in by_day.get(day, [])[:_LEARNING_RUNS]]
    counts = dict(Lap.objects.filter(run__in=early).order_by().values_list("run_id").annotate(Count("pk")))
    found: dict[int, float] = {}
    for day in days:
        before = 0.0
        for pk in by_day.get(day, [])[:_LEARNING_RUNS]:
            found[pk] = before
            before += counts.get(pk, 0)
    return found


def observed_by(
    event: Event, rows: Sequence[Run], level_of: Callable[[Run], int | tuple[int, ...] | None], fuel_l_per_lap: float,
    kinds: Sequence[str] = (),
) -> list[ObservedRun]:  # fmt: skip
    """Timed laps of the runs that have a level, with fuel and tyre age worked out lap by lap.

    Where a lap's fuel was not measured, the given use is taken; a run on different compounds front and rear counts as its
    rear compound, which carries the wear.

    :param rows: with their laps
    :param level_of: level of a run, marks where several differences are judged at once, None where it is left out
    :param kinds: pairs that are told apart, as `vehicle.pair.pair_key` names them; the rear compound alone where not given
    """
    car = cases.car_of(event)
    index = {key: index for index, key in enumerate(kinds or [compound.key for compound in car.tyres.compounds])}
    begun = _begun(rows[0].event_id) if rows else {}
    before = _driven_before(rows[0].event_id, rows) if rows else {}
    found = []
    for run in rows:
        level = None if run.left_out else level_of(run)
        if level is None:
            continue
        one, marks = (0, level) if isinstance(level, tuple) else (level, ())
        track, hours = float(run.conditions.get("track_c", 0.0)), (run.made_at - begun[run.session_id]).total_seconds() / 3600.0
        laps, numbers = [], []
        kind = index.get(pair_key(run.front, run.rear) if kinds else run.rear, 0)
        use, day = usual_use_l(run, fuel_l_per_lap), timezone.localdate(run.made_at).toordinal()
        board = run.fuel_l - run.pace_laps * use
        tags = tuple(sorted({**run.tags, **({"track": "wet"} if run.is_wet else {})}.items()))
        for place, lap in enumerate(run.laps.all()):
            if lap.kind == "timed":
                kg, age = max(board, 0.0) * car.mass.fuel_kg_per_l, run.tyre_age + place
                laps.append(
                    Observed(
                        run.pk, one, kind, kg, age, lap.time_s, max(place, 1) + run.pace_laps, track, hours, marks,
                        before.get(run.pk, _LEARNT) + place, day, tags, colder(run.scrubbed, 0),
                    )
                )  # fmt: skip
                numbers.append(lap.number)
            board -= lap.fuel_l if lap.fuel_l is not None else use
        if laps:
            found.append(ObservedRun(run, laps, numbers))
    return found


#: Laps on a set at most that was scrubbed and is as good as not driven otherwise.
_SCRUBBED_AGE = 5


def set_runs(event: Event, compound: str, fuel_l_per_lap: float) -> list[SetRun]:
    """Dry runs of one compound on all four wheels that began on a new set, or on one that had been scrubbed and no more."""
    rows = with_laps(rows_of(event).filter(front=compound, rear=compound))
    kept = [run for run in rows if not run.is_wet and run.tyre_age <= (_SCRUBBED_AGE if run.scrubbed else 0)]
    return [SetRun(one.run.scrubbed, tuple(one.laps)) for one in observed_by(event, kept, lambda _: 0, fuel_l_per_lap)]


#: What a driver may have felt, worst first.
_FELT = ("mid", "entry", "exit")


def last_felt(event: Event, sheet_pk: int) -> tuple[Run, str, str] | None:
    """What the last run with a sheet complained of: the run, where in the corner, and which end slides (`front` or `rear`); None where
    it told nothing, or that nothing was wrong."""
    run = event.runs.filter(deleted_at=None, sheet=sheet_pk).order_by("-number").first()
    if run is None:
        return None
    ends = {"understeer": "front", "oversteer": "rear"}
    return next(((run, phase, ends[run.words[phase]]) for phase in _FELT if run.words.get(phase) in ends), None)
