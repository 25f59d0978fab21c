"""A logger's channels of the virtual car: what it would measure along a lap, at any rate, with the scatter of its sensors."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..circuit.line import Line
from ..lap.solver import Lap
from ..vehicle.car import Car

Floats = NDArray[np.float64]

_WHEELS = ("fl", "fr", "rl", "rr")
#: Brake pressure of full braking [bar].
_FULL_BAR = 80.0


@dataclass(frozen=True)
class Sensors:
    """What the sensors scatter, as standard deviations.

    :param speed_kmh: of speed [km/h]
    :param place_m: of each position, east and north [m]
    :param accel_ms2: of accelerations [m/s2]
    :param tyre_c: of tyre temperatures [K]
    """

    speed_kmh: float = 0.15
    place_m: float = 0.25
    accel_ms2: float = 0.2
    tyre_c: float = 0.6


def recorded(
    line: Line, car: Car, lap: Lap, time_s: float, hz: float, rng: np.random.Generator, sensors: Sensors | None = None, fuel_l: float = 0.0,
    first_s: float = 0.0, beyond: int = 0,
) -> tuple[Floats, dict[str, Floats]]:  # fmt: skip
    """Channels of one lap, sampled evenly.

    :param lap: what the car did, stretched to the time driven
    :param time_s: lap time driven [s]
    :param hz: samples a second [1/s]
    :param fuel_l: on board at the start line [l]
    :param first_s: of the first sample after the start line: the logger's clock knows nothing of it [s]
    :param beyond: samples before the start line and behind the finish besides
    :returns: times since the start line, and channels by their keys
    """
    told = sensors or Sensors()
    clock = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
    clock *= time_s / clock[-1]
    t = first_s + np.arange(-beyond, math.ceil((time_s - first_s) * hz - 1e-9) + beyond) / hz
    count = len(t)
    lap_at = t % time_s

    def at(column: Floats) -> Floats:
        return np.asarray(np.interp(lap_at, clock, np.append(column, column[0])))

    def scattered(column: Floats, sd: float) -> Floats:
        return column + sd * rng.normal(size=count)

    speed = at(lap.column("speed"))
    station = np.clip(np.searchsorted(clock, lap_at, side="right") - 1, 0, len(line.s) - 1)
    gear = lap.column("gear")[station]
    used = np.clip(gear.astype(int) - 1, 0, len(car.powertrain.gears) - 1)
    ratio = np.array(car.powertrain.gears)[used] * car.powertrain.final_drive
    brake, bend = at(lap.column("brake")), at(line.road[:, 0])
    columns = {
        "distance_m": np.asarray(np.interp(lap_at, clock, np.append(line.s, line.length_m))),
        "speed_kmh": np.maximum(scattered(3.6 * speed, told.speed_kmh), 0.0),
        "throttle_pct": 100.0 * at(lap.column("throttle")),
        "brake_pct": 100.0 * brake,
        "brake_bar": _FULL_BAR * brake,
        "steering_deg": np.degrees(bend * car.wheelbase_m * car.steering.ratio),
        "gear": gear,
        "rpm": speed / car.tyres.radius_m[0 if car.powertrain.front_drive_share > 0.5 else 1] * ratio * 30.0 / np.pi,
        "accel_long_ms2": scattered(at(lap.column("accel")), told.accel_ms2),
        "accel_lat_ms2": scattered(speed**2 * bend, told.accel_ms2),
        "x_m": scattered(at(line.x), told.place_m),
        "y_m": scattered(at(line.y), told.place_m),
        "fuel_l": np.maximum(fuel_l - np.interp(lap_at, clock, np.concatenate([[0.0], np.cumsum(lap.column("fuel_l"))])), 0.0),
    }
    ripple = np.ones((len(line.s), 4)) if lap.ripple is None else lap.ripple
    for wheel, name in enumerate(_WHEELS):
        warm = lap.tyres.temperature_c[wheel] + 40.0 * (1.0 - at(ripple[:, wheel]))
        columns[f"tyre_c_{name}"] = scattered(warm, told.tyre_c)
        columns[f"tyre_kpa_{name}"] = np.full(count, lap.hot_kpa[wheel])
    return t, {key: np.round(column, 6 if key in ("x_m", "y_m") else 4) for key, column in columns.items()}
