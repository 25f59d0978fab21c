"""Stand-ins for logger, pyrometer and weather station: what they would send of a run of the virtual car, as it happens."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..formats.logger import LapEvent, LoggerEvent, PitEvent, RunEvent, SamplesEvent, TyresEvent, WeatherEvent
from ..judge.laps import DrivenLap
from ..lap.stint import StintLap
from ..trim.reading.analysis import tread_readings
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import four
from .recorder import Hand, driven_course, recorded
from .world import VirtualRun

Floats = NDArray[np.float64]

#: Samples a second of the simulated logger [1/s], and what it collects before it sends [s].
SAMPLE_HZ, BATCH_S = 50.0, 1.0
#: Scatter of gauge and pyrometer [kPa, K], and of the weather station [K].
_GAUGE_KPA, _PYROMETER_K, _STATION_K = 0.7, 2.0, 0.3


def events_of(
    run: VirtualRun, sheet: Sheet, name: str, fuel_l: float, tyre_age: float, seed: int, samples: bool = True
) -> Iterator[LoggerEvent]:
    """Everything that the three senders say of a run, in the order in which it happens.

    :param name: the logger's name for the run
    :param samples: whether the logger sends its channels besides the laps
    """
    rng, sensors = np.random.default_rng([seed, 4]), np.random.default_rng([seed, 5])
    pair = run.lap_case.compounds
    yield RunEvent(type="run", run=name, fuel_l=fuel_l, front=pair[0].key, rear=pair[1].key, tyre_age=tyre_age)
    began = 0.0
    for driven, real in zip(run.laps, run.stint, strict=True):
        if samples:
            yield from _samples(run, driven, real, name, began, sensors)
        began += driven.time_s
        yield LapEvent.of(name, driven).model_copy(update={"at_s": round(began, 4)})
        now = run.lap_case.conditions
        air, track = (round(value + _STATION_K * float(rng.normal()), 1) for value in (now.air_c, now.track_c))
        yield WeatherEvent(type="weather", air_c=air, track_c=track)
    yield PitEvent(type="pit", run=name)
    yield _tyres(run, sheet, name, rng)


def lap_channels(
    run: VirtualRun, driven: DrivenLap, real: StintLap, began: float, rng: np.random.Generator, beyond: int = 0
) -> tuple[Floats, dict[str, Floats]]:
    """What the logger in the virtual car records of a lap, since the start line.

    :param began: when the lap began on the logger's own clock, of whose moments it tells [s]
    :param beyond: samples behind the finish
    """
    case = run.lap_case
    course = driven_course(case.line, real.lap, driven.time_s, rng, Hand(), run.sectors(driven))
    first = (-began) % (1.0 / SAMPLE_HZ)
    return recorded(case.line, case.car, real.lap, course, SAMPLE_HZ, rng, fuel_l=real.fuel_l, first_s=first, beyond=beyond)


def _samples(
    run: VirtualRun, driven: DrivenLap, real: StintLap, name: str, began: float, rng: np.random.Generator
) -> Iterator[SamplesEvent]:
    """Channels of a lap in batches: the modelled course of it, stretched to the time driven, on the logger's own clock."""
    t, columns = lap_channels(run, driven, real, began, rng)
    size = round(BATCH_S * SAMPLE_HZ)
    for start in range(0, len(t), size):
        part = slice(start, start + size)
        channels = {key: tuple(float(value) for value in column[part]) for key, column in columns.items()}
        moments = tuple(round(began + float(moment), 4) for moment in t[part])
        yield SamplesEvent(type="samples", run=name, t_s=moments, channels=channels)


def _tyres(run: VirtualRun, sheet: Sheet, name: str, rng: np.random.Generator) -> TyresEvent:
    """Gauge and pyrometer at the four wheels after the last lap at speed."""
    car, lap = adjusted(run.lap_case.car, sheet), run.stint[-2].lap
    hot = [round(value + _GAUGE_KPA * float(rng.normal()), 1) for value in lap.hot_kpa]
    tread = []
    for wheel in range(4):
        a, b, c = (round(t + _PYROMETER_K * float(rng.normal()), 1) for t in tread_readings(run.lap_case, car, lap, wheel, 0.0))
        tread.append((a, b, c))
    left = [round(100.0 * (1.0 - share), 1) for share in run.stint[-1].wear]
    return TyresEvent(
        type="tyres", run=name, cold_kpa=four(car.tyres.cold_kpa), hot_kpa=four(hot), tread_c=(tread[0], tread[1], tread[2], tread[3]),
        left_pct=four(left),
    )  # fmt: skip
