"""A run, read: what is left of its laps without fuel and tyre age, how the tyres fade, and which wheel sets the limit."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property

from apexcore.errors import ApexError
from apexcore.judge.fade import Fade, fade
from apexcore.judge.laps import DrivenLap
from apexcore.judge.model import Observed, fuel_out
from apexcore.judge.stints import Stints
from apexcore.lap.solver import LapCase
from apexcore.lap.stint import StintLap
from apexcore.quantities import format_number
from apexcore.quantities.words import counted
from apexcore.trim.reading.drift import drift
from apexcore.trim.reading.life import life_from_stint, life_from_tread
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apexcore.vehicle.tyres import four
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import answers, cases, fits
from apextrim.runs.models import TyreReading
from apextrim.sheets.queries import core_sheet

from .models import Run
from .queries import fetched, observed_by, rows_of, with_laps

#: Laps after the pit exit from which on tyres count as warm, for their fade.
_WARM_FROM = 3
#: Warm laps that a fade needs, and runs that are read together.
_LEAST_WARM, _MOST_RUNS = 5, 5
#: Laps of this run, and of the others on its sheet, that are looked at: the newest.
_MOST_LAPS = 300
#: Laps of the modelled stint that tells the wheels' wear.
_STINT = 8


@dataclass(frozen=True)
class WheelLimit:
    """The wheel that wears out first.

    :param wheel: in words
    :param left: laps until its cliff, from the end of the run
    :param measured: whether the tread read at its end says so, else the model
    :param lost: share of each tread lost over the run, in the car's order [-]
    """

    wheel: str
    left: float
    measured: bool
    lost: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class RunReading:
    """What a run says beyond its laps.

    :param cleaned: timed laps with fuel, tyre age, cold tyres and the track taken out; empty without timed laps
    :param fade: None with too few warm laps
    :param together: fade of this run and of the others on its sheet and tyres, None with too few warm laps; how many others there are
    :param limit: None where the model has no stint
    :param heat: tread temperature of each wheel at the end [degC], and whether it was read; empty where nobody tells it
    """

    cleaned: tuple[DrivenLap, ...]
    fade: Fade | None
    limit: WheelLimit | None
    heat: tuple[tuple[str, float], ...] = ()
    heat_read: bool = False
    together: tuple[Stints, int] | None = None


def read_run(event: Event, run: Run) -> RunReading:
    """Reads a run; what takes fuel and age out is fitted to all laps on its sheet, beginning at the vehicle model's values."""
    try:
        book = answers.book_of(event, core_sheet(event, run.sheet))
    except ApexError:
        return RunReading((), None, None)
    lap_case = cases.lap_case_of(event, run.front, run.rear, facts.parsed_conditions(run.conditions))
    wheels = _Wheels(event, run, lap_case, run.readings.order_by("-pk").first())
    rows = with_laps(rows_of(event).filter(sheet=run.sheet))
    if run not in rows:  # older than those that are looked at
        rows = fetched([run]) + rows
    runs = observed_by(event, rows, lambda _: 0, book.fuel_l_per_lap)
    own = next((judged for judged in runs if judged.run.pk == run.pk), None)
    if own is None:
        return RunReading((), None, _limit(wheels), *_heat(wheels))
    own = replace(own, laps=own.laps[-_MOST_LAPS:], numbers=own.numbers[-_MOST_LAPS:])
    everything = [*[lap for judged in runs if judged.run.pk != run.pk for lap in judged.laps][-_MOST_LAPS:], *own.laps]
    cleaned, per_kg = fits.cleaned(everything, own.laps, book.priors())
    laps = tuple(DrivenLap(number, time) for number, time in zip(own.numbers, cleaned, strict=True))
    together = _together([own.laps, *[judged.laps for judged in runs if _alike(judged.run, run)]], per_kg)
    return RunReading(laps, _fade(own.laps, per_kg), _limit(wheels), *_heat(wheels), together=together)


def _alike(other: Run, run: Run) -> bool:
    """Whether another run tells of the same tyres: as dry or wet, and left out by nobody."""
    same = (other.front, other.rear, other.is_wet) == (run.front, run.rear, run.is_wet)
    return same and other.pk != run.pk and not other.left_out


def _warm(laps: list[Observed]) -> list[Observed]:
    """Those laps on warm tyres."""
    return [lap for lap in laps if lap.since_pit >= _WARM_FROM]


def _together(runs: list[list[Observed]], per_kg: float) -> tuple[Stints, int] | None:
    """How tyres fade in a run, the first, and in others on the same; how many others count."""
    warm = [_warm(laps) for laps in runs]
    if len(warm[0]) < _LEAST_WARM:
        return None
    long = [laps for laps in warm if len(laps) >= _LEAST_WARM][:_MOST_RUNS]
    return fits.stints_of(tuple(fuel_out(laps, per_kg) for laps in long)), len(long) - 1


@dataclass(frozen=True)
class _Wheels:
    """What is known of a run's wheels.

    :param reading: the newest of it, None where nothing was read
    """

    event: Event
    run: Run
    lap_case: LapCase
    reading: TyreReading | None

    @cached_property
    def stint(self) -> tuple[StintLap, ...] | None:
        """The modelled stint of its beginning; None where the model has none. Solved only where something was not read."""
        try:
            sheet, tyres = core_sheet(self.event, self.run.sheet), (self.run.front, self.run.rear)
            return answers.stint_of(self.event, sheet, tyres, self.run.fuel_l, _STINT, self.lap_case.conditions)
        except ApexError:
            return None


def _fade(laps: list[Observed], per_kg: float) -> Fade | None:
    warm = _warm(laps)
    if len(warm) < _LEAST_WARM:
        return None
    return fade(*fuel_out(warm, per_kg))


def _named(values: Iterable[float]) -> tuple[tuple[str, float], ...]:
    """Each wheel in words with its value, in the car's order."""
    return tuple((WHEEL_WORDS[wheel], value) for wheel, value in zip(WHEELS, values, strict=True))


def _heat(wheels: _Wheels) -> tuple[tuple[tuple[str, float], ...], bool]:
    """Tread temperatures at the end of a run: as the pyrometer read them, else as the model has them after a stint."""
    values = {} if wheels.reading is None else wheels.reading.values
    if all(f"inner_{wheel}" in values for wheel in WHEELS):
        return _named(sum(values[f"{third}_{wheel}"] for third in ("inner", "middle", "outer")) / 3.0 for wheel in WHEELS), True
    if wheels.stint is None:
        return (), False
    return _named(wheels.stint[-1].lap.tyres.temperature_c), False


def _limit(wheels: _Wheels) -> WheelLimit | None:
    """The wheel that wears out first: from the treads as they were read, else from the modelled stint."""
    run, lap_case = wheels.run, wheels.lap_case
    cliff = lap_case.compounds[0].cliff_wear, lap_case.compounds[1].cliff_wear
    count = max(len(run.laps.all()), 1)
    values = {} if wheels.reading is None else wheels.reading.values
    measured = all(f"left_{wheel}" in values for wheel in WHEELS)
    if measured:
        worn = four(1.0 - values[f"left_{wheel}"] / 100.0 for wheel in WHEELS)
        life = life_from_tread(worn, run.tyre_age + count, count, cliff)
    elif wheels.stint is None:
        return None
    else:
        life = life_from_stint(drift(wheels.stint, cases.spans_of(wheels.event), lap_case.line), run.tyre_age, count, cliff)
    return WheelLimit(WHEEL_WORDS[WHEELS[life.wheel]], life.laps, measured, _named(life.lost))


def words_of(fade: Fade | None, together: tuple[Stints, int] | None = None) -> str:
    """The fade in a sentence or two."""
    if fade is None:
        return f"Too few warm laps to measure tyre fade: {_LEAST_WARM} needed."
    if together is not None and (together[1] or together[0].eased is not None):
        return _together_words(*together)
    text = f"The tyres fade by {_ms(fade.per_lap_s)}"
    if fade.lap is None:
        return f"{text}; no cliff in these laps."
    best, low, high = fade.lap
    return f"{text} before the cliff, which comes at {best:.0f} laps of age, {low:.0f} to {high:.0f}."


def _ms(fade_s: tuple[float, float]) -> str:
    size, spread = fade_s
    middle, low_end, high_end = (format_number(1000 * value, 0, signed=True) for value in (size, size - spread, size + spread))
    return f"{middle} ms a lap, {low_end} to {high_end}"


def _together_words(found: Stints, others: int) -> str:
    """What runs on the same tyres show together."""
    runs = f"This run and {counted(others, 'other')} on these tyres: " if others else ""
    text = f"{runs}{'t' if runs else 'T'}he tyres fade by {_ms(found.mean_s)}, over the whole stint"
    if found.lap is not None:
        best, low, high = found.lap
        return f"{text}; they go off at {best:.0f} laps of age, {low:.0f} to {high:.0f}, in all runs."
    if found.eased is not None:
        run, age, loss = found.eased
        which = "this run" if run == 0 else "one of the others"
        told = f"{which} is slower by {format_number(loss, 1)} s from {age:.0f} laps of age on"
        return f"{text}; {told}. {'A second run' if not others else 'Another run'} would tell whether it is the tyres."
    if found.bends:
        return f"{text}: {_ms(found.first_s)}, in its first third, {_ms(found.last_s)}, in its last; no cliff."
    return f"{text}; no cliff."
