"""A logger's channels of the virtual car: what it would measure along a lap, at any rate, with the scatter of its sensors."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..circuit.line import Line
from ..circuit.moves import behind_m
from ..lap.solver import COLUMN, Lap
from ..vehicle.car import Car

Floats = NDArray[np.float64]

_WHEELS = ("fl", "fr", "rl", "rr")
#: Brake pressure of full braking [bar], and share of braking from which on one brakes [-].
_FULL_BAR, _BRAKES = 80.0, 0.05


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


@dataclass(frozen=True)
class Hand:
    """How a driver differs from lap to lap, as standard deviations.

    :param brake_m: of the braking point [m]
    :param slow: of the speed at the slowest place [-]
    """

    brake_m: float = 2.0
    slow: float = 0.004


@dataclass(frozen=True)
class Course:
    """A lap as it was driven.

    :param clock: time at each station and at the end [s]
    :param data: columns of `lap.record`, at each station
    """

    clock: Floats
    data: Floats

    def column(self, name: str) -> Floats:
        """A column by its name in `lap.record`."""
        return np.asarray(self.data[:, COLUMN[name]])


def driven_course(
    line: Line, lap: Lap, time_s: float, rng: np.random.Generator, hand: Hand | None = None,
    sectors: Sequence[tuple[float, float]] = (),
) -> Course:  # fmt: skip
    """The course of a lap that a driver drove: each braking a little sooner or later, each corner a little slower or faster, and what the
    lap took besides spread evenly over each sector.

    :param lap: what the car does when it is driven as the model has it
    :param time_s: lap time driven [s]
    :param hand: the driver's scatter; none if not given
    :param sectors: where each ends, as a share of the way, and what it took [s]; the last one at 1
    """
    s, length, data = line.s, line.length_m, lap.data.copy()
    if hand is not None and line.closed:
        data = _by_hand(s, length, lap, rng, hand)
    between = 0.5 * (data[:, 0] + np.append(data[1:, 0], data[0, 0]))
    clock = np.concatenate([[0.0], np.cumsum(line.ds / np.maximum(between, 1.0))])
    ends = [share for share, _ in sectors] or [1.0]
    took = [seconds for _, seconds in sectors] or [time_s]
    way = np.append(s, length)
    at = np.concatenate([[0.0], np.interp(np.array(ends) * length, way, clock)])
    true = np.concatenate([[0.0], np.cumsum(took)]) * (time_s / sum(took))
    told = np.interp(clock, at, true)
    stretch = np.diff(told) / np.maximum(np.diff(clock), 1e-9)
    data[:, 0] /= np.maximum(0.5 * (stretch + np.roll(stretch, 1)), 0.2)
    return Course(told, data)


def _by_hand(s: Floats, length: float, lap: Lap, rng: np.random.Generator, hand: Hand) -> Floats:
    """The columns of a lap with every braking moved and every corner's speed changed a little."""
    brake, speed = lap.column("brake"), lap.column("speed")
    count = len(s)
    begins = np.flatnonzero((brake > _BRAKES) & (np.roll(brake, 1) <= _BRAKES))
    moved, faster = np.zeros(count), np.ones(count)
    for begin in begins:
        ahead = (begin + np.arange(min(int(400.0 / (length / count)), count // 2))) % count
        slow = int(ahead[np.argmin(speed[ahead])])
        metres, change = rng.normal(0.0, hand.brake_m), rng.normal(0.0, hand.slow)
        behind = behind_m(s, float(s[begin]), length)
        reach = (s[slow] - s[begin]) % length
        moved += metres * np.clip((behind + 100.0) / 80.0, 0.0, 1.0) * np.clip((reach + 40.0 - behind) / 40.0, 0.0, 1.0)
        faster *= 1.0 + change * np.exp(-0.5 * ((behind - reach) / max(0.3 * reach, 25.0)) ** 2)
    place = (s + moved) % length
    data = np.empty_like(lap.data)
    way = np.append(s, length)
    for column in range(lap.data.shape[1]):
        values = np.append(lap.data[:, column], lap.data[0, column])
        data[:, column] = (
            np.interp(place, way, values) if column != COLUMN["gear"] else values[np.searchsorted(way, place, side="right") - 1]
        )
    data[:, 0] *= faster
    return data


def recorded(
    line: Line, car: Car, lap: Lap, course: Course, hz: float, rng: np.random.Generator, sensors: Sensors | None = None,
    fuel_l: float = 0.0, first_s: float = 0.0, beyond: int = 0,
) -> tuple[Floats, dict[str, Floats]]:  # fmt: skip
    """Channels of one lap, sampled evenly.

    :param lap: what the car does when it is driven as the model has it
    :param course: the lap as it was driven
    :param hz: samples a second [1/s]
    :param fuel_l: on board at the start line [l]
    :param first_s: of the first sample after the start line: the logger's clock knows nothing of it [s]
    :param beyond: samples before the start line and behind the finish besides
    :returns: times since the start line, and channels by their keys
    """
    told = sensors or Sensors()
    clock, time_s = course.clock, float(course.clock[-1])
    t = first_s + np.arange(-beyond, math.ceil((time_s - first_s) * hz - 1e-9) + beyond) / hz
    count = len(t)
    lap_at = t % time_s

    def at(column: Floats) -> Floats:
        return np.asarray(np.interp(lap_at, clock, np.append(column, column[0])))

    def scattered(column: Floats, sd: float) -> Floats:
        return column + sd * rng.normal(size=count)

    speed = at(course.column("speed"))
    station = np.clip(np.searchsorted(clock, lap_at, side="right") - 1, 0, len(line.s) - 1)
    gear = course.column("gear")[station]
    used = np.clip(gear.astype(int) - 1, 0, len(car.powertrain.gears) - 1)
    ratio = np.array(car.powertrain.gears)[used] * car.powertrain.final_drive
    brake, bend = at(course.column("brake")), at(line.road[:, 0])
    columns = {
        "distance_m": np.asarray(np.interp(lap_at, clock, np.append(line.s, line.length_m))),
        "speed_kmh": np.maximum(scattered(3.6 * speed, told.speed_kmh), 0.0),
        "throttle_pct": 100.0 * at(course.column("throttle")),
        "brake_pct": 100.0 * brake,
        "brake_bar": _FULL_BAR * brake,
        "steering_deg": np.degrees(bend * car.wheelbase_m * car.steering.ratio),
        "gear": gear,
        "rpm": speed / car.tyres.radius_m[0 if car.powertrain.front_drive_share > 0.5 else 1] * ratio * 30.0 / np.pi,
        "accel_long_ms2": scattered(at(course.column("accel")), told.accel_ms2),
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
