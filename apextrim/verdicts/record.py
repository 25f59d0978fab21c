"""The model's track record: what it said of saved changes beside what the laps measured, and its calibration to them."""

from collections.abc import Callable
from dataclasses import dataclass

from django.db import transaction
from django.db.models import Count
from django.utils import timezone

from apexcore.errors import ApexError, InputError
from apexcore.judge.calibration import SCALES, CalibrationRun, calibrate
from apexcore.judge.missed import Score, model_error, scored
from apexcore.quantities import format_number
from apexcore.quantities.spread import sd_of_interval
from apexcore.trim.moves.effects import sheets_spread_s
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.events.thread import tie
from apextrim.modelling import cases
from apextrim.runs.models import Run
from apextrim.runs.queries import driven, in_one_weather, rows_of, with_laps
from apextrim.sheets.models import Sheet
from apextrim.traces.car_reading import known_of

from .models import Calibration
from .queries import Judged, judged

#: Runs and laps of each that a calibration takes: the newest, and their first ones.
_MOST_RUNS, _MOST_LAPS, _LEAST_TIMED = 6, 12, 3


@dataclass(frozen=True)
class Recorded:
    """One saved change with both words on it.

    :param modelled_s: what the model said when it was saved [s]
    :param spread_s: half its 95 % interval [s]
    :param measured_s: what the laps say: middle, and both ends of the 95 % interval [s]
    :param score: how both stand to each other
    """

    sheet: Sheet
    parent: Sheet
    modelled_s: float
    spread_s: float
    measured_s: tuple[float, float, float]
    score: Score


@dataclass(frozen=True)
class Record:
    """All of them.

    :param off_s: how far the model is usually off, beyond what the laps leave open: median and 95 % interval [s]; None with too few
        changes to tell
    """

    changes: list[Recorded]
    off_s: tuple[float, float, float] | None

    @property
    def telling(self) -> list[Recorded]:
        """The changes that the laps could have contradicted."""
        return [change for change in self.changes if change.score.tells]

    @property
    def agreeing(self) -> int:
        """How many of these agree."""
        return sum(change.score.agrees for change in self.telling)

    @property
    def bits(self) -> float:
        """How much likelier all laps are by the model than by changes that do nothing [bit]."""
        return sum(change.score.bits for change in self.changes)


def track_record(event: Event) -> Record:
    """Every saved change whose sheet and the one before were both driven."""
    there = set(rows_of(event).order_by().values_list("sheet_id", flat=True).distinct())
    found = []
    kept: dict[str, list[Run]] = {}
    for sheet in event.sheets.select_related("parent").filter(pk__in=there, parent_id__in=there):
        if sheet.parent is None or sheet.modelled_s is None:
            continue
        try:
            verdict = judged(event, sheet.parent, sheet, 0.1, kept)
        except ApexError:
            continue
        if not isinstance(verdict, Judged):
            continue
        one, spread = verdict.verdict, sheets_spread_s(sheet.modelled_s)
        score = scored(sheet.modelled_s, sd_of_interval(-spread, spread), one.mean_s, sd_of_interval(one.low_s, one.high_s))
        found.append(Recorded(sheet, sheet.parent, sheet.modelled_s, spread, (one.mean_s, one.low_s, one.high_s), score))
    missed = [row.measured_s[0] - row.modelled_s for row in found]
    return Record(found, model_error(missed, [sd_of_interval(row.measured_s[1], row.measured_s[2]) for row in found]))


def calibration_runs(event: Event) -> list[tuple[Run, CalibrationRun]]:
    """The newest runs with enough timed laps, and as the calibration takes them: the book car, each run's own day."""
    found = []
    for run in reversed(in_one_weather(with_laps(rows_of(event)))[0]):
        laps = driven(run.laps.all())[:_MOST_LAPS]
        if sum(lap.kind == "timed" for lap in laps) < _LEAST_TIMED:
            continue
        lap_case = cases.lap_case_of(event, run.front, run.rear, facts.parsed_conditions(run.conditions), calibrated=False)
        sheet = CoreSheet(lap_case.car.key, run.sheet.values)
        found.append((run, CalibrationRun(lap_case, sheet, run.fuel_l, run.tyre_age, tuple(laps))))
        if len(found) == _MOST_RUNS:
            break
    return found


def _no_laps() -> InputError:
    return InputError("runs", "none", f"at least one with {_LEAST_TIMED} timed laps")


def check_laps(event: Event) -> None:
    """Whether there is anything to calibrate to.

    :raises InputError: without a run of enough timed laps
    """
    timed = rows_of(event).filter(laps__kind="timed").annotate(timed=Count("laps")).filter(timed__gte=_LEAST_TIMED)
    if not timed.exists():
        raise _no_laps()


def hold_against_laps(event: Event, told: Callable[[float], None] = lambda share: None) -> Calibration:
    """Calibrates the event's car to its newest runs; changes nothing until it is applied.

    :param told: is told the share done

    :raises InputError: without a run of enough timed laps
    :raises SolverError: if the model has no lap
    """
    runs = calibration_runs(event)
    if not runs:
        raise _no_laps()
    known = known_of(event, [row for row, _ in runs])
    found = calibrate([run for _, run in runs], told, known.scales, known.floors)
    return Calibration.objects.create(
        event=event, scales=found.scales, spread=found.spread, driver=found.driver[0], driver_spread=found.driver[1], laps=found.laps,
        before_s=found.before_s, after_s=found.after_s, level_before_s=found.level_s[0], level_after_s=found.level_s[1],
        made_at=timezone.now(),
    )  # fmt: skip


@transaction.atomic
def apply_calibration(event: Event, row: Calibration) -> None:
    """Puts the scales into every modelled number of the event."""
    event.calibration = {name: row.scales[name] for name in SCALES}
    event.save(update_fields=["calibration"])
    parts = [f"{words} {format_number(100 * (row.scales[name] - 1), 1, signed=True)} %" for name, words in SCALES.items()]
    tie(event, "brief", "Model", f"Calibrated to {row.laps} laps: {', '.join(parts)}")


@transaction.atomic
def take_back_calibration(event: Event) -> bool:
    """Back to the book car. Returns whether anything was applied."""
    if not event.calibration:
        return False
    event.calibration = {}
    event.save(update_fields=["calibration"])
    tie(event, "brief", "Model", "Calibration removed")
    return True
