"""Stand-ins for logger, pyrometer and weather station: what they would send of a run of the virtual car, as it happens."""

from collections.abc import Iterator

import numpy as np

from ..formats.logger import LapEvent, LoggerEvent, PitEvent, RunEvent, SampleEvent, TyresEvent, WeatherEvent
from ..trim.reading.analysis import tread_readings
from ..vehicle.sheet import Sheet, adjusted
from ..vehicle.tyres import four
from .world import VirtualRun

#: Samples a second of the simulated logger [1/s].
SAMPLE_HZ = 5.0
#: Scatter of gauge and pyrometer [kPa, K], and of the weather station [K].
_GAUGE_KPA, _PYROMETER_K, _STATION_K = 0.7, 2.0, 0.3


def events_of(
    run: VirtualRun, sheet: Sheet, name: str, fuel_l: float, tyre_age: float, seed: int, samples: bool = True
) -> Iterator[LoggerEvent]:
    """Everything that the three senders say of a run, in the order in which it happens.

    :param name: the logger's name for the run
    :param samples: whether the logger sends its channels besides the laps
    """
    rng = np.random.default_rng([seed, 4])
    pair = run.lap_case.compounds
    yield RunEvent(type="run", run=name, fuel_l=fuel_l, front=pair[0].key, rear=pair[1].key, tyre_age=tyre_age)
    began = 0.0
    for driven, real in zip(run.laps, run.stint, strict=True):
        if samples:
            yield from _samples(run, real.lap.data[:, :6], name, began, driven.time_s)
        began += driven.time_s
        yield LapEvent.of(name, driven)
        now = run.lap_case.conditions
        air, track = (round(value + _STATION_K * float(rng.normal()), 1) for value in (now.air_c, now.track_c))
        yield WeatherEvent(type="weather", air_c=air, track_c=track)
    yield PitEvent(type="pit", run=name)
    yield _tyres(run, sheet, name, rng)


def _samples(run: VirtualRun, data: np.ndarray, name: str, began: float, lap_s: float) -> Iterator[SampleEvent]:
    """Channels of a lap: the modelled course of it, stretched to the time driven."""
    line = run.lap_case.line
    clock = np.concatenate([[0.0], np.cumsum(line.ds[:-1] / np.maximum(0.5 * (data[1:, 0] + data[:-1, 0]), 1.0))])
    clock *= lap_s / (clock[-1] + float(line.ds[-1]) / max(float(data[-1, 0]), 1.0))
    for moment in np.arange(0.0, lap_s, 1.0 / SAMPLE_HZ):
        values = [float(np.interp(moment, clock, column)) for column in (line.s, 3.6 * data[:, 0], 100 * data[:, 4], 100 * data[:, 5])]
        gear = float(data[min(int(np.searchsorted(clock, moment)), len(data) - 1), 3])
        names = ("distance_m", "speed_kmh", "throttle_pct", "brake_pct")
        channels: dict[str, float | None] = {key: round(value, 2) for key, value in zip(names, values, strict=True)}
        yield SampleEvent(type="sample", run=name, t_s=round(began + float(moment), 3), channels={**channels, "gear": gear})


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
