"""A run, read: what is left of its laps without fuel and tyre age, how the tyres fade, and which wheel sets the limit."""

from dataclasses import dataclass, replace

from apexcore.errors import ApexError
from apexcore.judge.fade import Fade, fade
from apexcore.judge.laps import DrivenLap
from apexcore.judge.model import Observed, cleaned_times, fit
from apexcore.lap.stint import StintLap, solve_stint
from apexcore.quantities import format_number
from apexcore.trim.drift import drift, limiting_wheel
from apexcore.vehicle.car import WHEEL_WORDS, WHEELS
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.garage.queries import core_sheet

from .models import Run
from .queries import observed

#: Laps after the pit exit from which on tyres count as warm, for their fade.
_WARM_FROM = 3
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
    :param limit: None where the model has no stint
    :param heat: tread temperature of each wheel at the end [degC], and whether it was read; empty where nobody tells it
    """

    cleaned: tuple[DrivenLap, ...]
    fade: Fade | None
    limit: WheelLimit | None
    heat: tuple[tuple[str, float], ...] = ()
    heat_read: bool = False


def read_run(event: Event, run: Run) -> RunReading:
    """Reads a run; what takes fuel and age out is fitted to all laps on its sheet, beginning at the vehicle model's values."""
    try:
        book = adapter.book_of(event, core_sheet(event, run.sheet))
    except ApexError:
        return RunReading((), None, None)
    runs = observed(event, {run.sheet_id: 0}, book.fuel_l_per_lap)
    own = next((one for one in runs if one.run.pk == run.pk), None)
    if own is None:
        return RunReading((), None, _limit(event, run), *_heat(event, run))
    own = replace(own, laps=own.laps[-_MOST_LAPS:], numbers=own.numbers[-_MOST_LAPS:])
    everything = [*[lap for one in runs if one.run.pk != run.pk for lap in one.laps][-_MOST_LAPS:], *own.laps]
    posterior = fit(everything, book.priors())
    cleaned = [float(time) for time in cleaned_times(own.laps, posterior)]
    laps = tuple(DrivenLap(number, time) for number, time in zip(own.numbers, cleaned, strict=True))
    per_kg = float(posterior.fuel.mean())
    return RunReading(laps, _fade(own.laps, per_kg), _limit(event, run), *_heat(event, run))


def _fade(laps: list[Observed], per_kg: float) -> Fade | None:
    warm = [lap for lap in laps if lap.since_pit >= _WARM_FROM]
    if len(warm) < 5:
        return None
    return fade([lap.tyre_age for lap in warm], [lap.time_s - per_kg * lap.fuel_kg for lap in warm])


def _heat(event: Event, run: Run) -> tuple[tuple[tuple[str, float], ...], bool]:
    """Tread temperatures at the end of a run: as the pyrometer read them, else as the model has them after a stint."""
    reading = run.readings.order_by("-pk").first()
    thirds = ("inner", "middle", "outer")
    if reading is not None and all(f"inner_{wheel}" in reading.values for wheel in WHEELS):
        read = [sum(reading.values[f"{third}_{wheel}"] for third in thirds) / 3.0 for wheel in WHEELS]
        return tuple((WHEEL_WORDS[wheel], value) for wheel, value in zip(WHEELS, read, strict=True)), True
    stint = _stint(event, run)
    if stint is None:
        return (), False
    return tuple((WHEEL_WORDS[wheel], value) for wheel, value in zip(WHEELS, stint[-1].lap.tyres.temperature_c, strict=True)), False


def _stint(event: Event, run: Run) -> list[StintLap] | None:
    """The modelled stint of a run's beginning; None where the model has none."""
    setting = adapter.setting_of(event, run.front, run.rear, adapter.parsed_conditions(run.conditions))
    try:
        return solve_stint(setting, core_sheet(event, run.sheet), run.fuel_l, _STINT)
    except ApexError:
        return None


def _limit(event: Event, run: Run) -> WheelLimit | None:
    setting = adapter.setting_of(event, run.front, run.rear, adapter.parsed_conditions(run.conditions))
    cliff = setting.compounds[0].cliff_wear, setting.compounds[1].cliff_wear
    count = max(len(run.laps.all()), 1)
    reading = run.readings.order_by("-pk").first()
    left = [None if reading is None else reading.values.get(f"left_{wheel}") for wheel in WHEELS]
    if all(value is not None for value in left):
        worn = [1.0 - (value or 0.0) / 100.0 for value in left]
        age = run.tyre_age + count
        laps_left = [cliff[w // 2] / max(worn[w] / age, 1e-9) - age for w in range(4)]
        wheel = min(range(4), key=lambda w: laps_left[w])
        lost = tuple((WHEEL_WORDS[WHEELS[w]], worn[w] * count / age) for w in range(4))
        return WheelLimit(WHEEL_WORDS[WHEELS[wheel]], max(laps_left[wheel], 0.0), True, lost)
    stint = _stint(event, run)
    if stint is None:
        return None
    laps = drift(stint, adapter.spans_of(event), setting.line)
    wheel, whole = limiting_wheel(laps, cliff)
    rate = [(laps[-1].wear[w] - laps[0].wear[w]) / (len(laps) - 1) for w in range(4)]
    lost = tuple((WHEEL_WORDS[WHEELS[w]], rate[w] * count) for w in range(4))
    return WheelLimit(WHEEL_WORDS[WHEELS[wheel]], max(whole - run.tyre_age - count, 0.0), False, lost)


def words_of(fade: Fade | None) -> str:
    """The fade in one sentence."""
    if fade is None:
        return "Too few warm laps to tell how the tyres fade; five are needed."
    size, spread = fade.per_lap_s
    middle, low_end, high_end = (format_number(1000 * value, 0, signed=True) for value in (size, size - spread, size + spread))
    text = f"The tyres fade by {middle} ms a lap, {low_end} to {high_end}"
    if fade.lap is None:
        return f"{text}; no cliff in these laps."
    best, low, high = fade.lap
    return f"{text} before the cliff, which comes at {best:.0f} laps of age, {low:.0f} to {high:.0f}."
