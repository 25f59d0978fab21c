"""What traces say of the car itself, whoever drives it: power and drag on the straights, shift points, fuel; and what was asked of it
in braking and in corners beside what the model's driver asks."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...circuit.conditions import GRAVITY, Conditions
from ...circuit.line import Line, offset_line
from ...circuit.track import Circuit, Straight, centre_line
from ...lap.solver import LapCase, ready, run_at
from ...vehicle.car import Car, Compound
from ...vehicle.tyres import TyreState
from ...vehicle.weights import weights
from .habits import Spread, spread
from .place import Placed

Floats = NDArray[np.float64]

#: Throttle that is full [%], lateral acceleration of a straight [m/s2], least speed [m/s], time after the throttle was opened before the
#: car pulls evenly [s], smoothing of the speed [s].
_FULL_PCT, _STRAIGHT_MS2, _LEAST_MS, _SETTLES_S, _SMOOTH_S = 97.0, 2.5, 15.0, 0.5, 0.25
#: Samples of a lap without which it tells nothing, laps without which nothing is said, and rounds of the robust fit.
_FEWEST, _LEAST_LAPS, _ROUNDS = 60, 3, 6
#: Distance beyond which a sample counts less, over the median one [-]: a shift is to count, a locked wheel is not.
_FAR = 8.0
#: What is left unsure of power and of drag however many laps there are: wind, a slope that is not on the map, the speed's own scale [-].
_POWER_SD, _DRAG_SD = 0.008, 0.025
#: Step of a scale whose effect is asked for [-].
_STEP = 0.05


@dataclass(frozen=True)
class Scale:
    """A physical value over that of the car as entered.

    :param name: power or drag
    :param value: 1 is the book [-]
    :param sd: standard deviation [-]
    :param laps: that told it
    """

    name: str
    value: float
    sd: float
    laps: int


@dataclass(frozen=True)
class ShiftPoint:
    """:param gear: that is left
    :param rpm: at which it is"""

    gear: int
    rpm: Spread


@dataclass(frozen=True)
class Asked:
    """What was asked of the tyres in a band of speed.

    :param low_ms: of the band [m/s]
    :param high_ms: of the band [m/s]
    :param lateral_ms2: highest lateral acceleration of a usual lap [m/s2]; None where there was none
    :param braking_ms2: hardest braking of a usual lap [m/s2]
    """

    low_ms: float
    high_ms: float
    lateral_ms2: Spread | None
    braking_ms2: Spread | None


def straight_scales(
    laps: Sequence[Placed], car: Car, pair: tuple[Compound, Compound], conditions: Conditions, line: Line, fuel_l: Sequence[float]
) -> list[Scale]:  # fmt: skip
    """Power and drag over the book's, from full throttle on the straights.

    The vehicle model drives the same car down a long straight as it is entered, with more power and with more drag; what each adds to the
    acceleration at each speed are the two columns of a robust least-squares fit, lap by lap. The spread between laps counts, and what no
    number of laps removes.

    Source: longitudinal equilibrium (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 3), by the lap engine itself.

    :param car: adjusted to the sheet, as entered
    :param pair: tyres of the front and rear axle
    :param line: that places are told along
    :param fuel_l: on board during each lap [l]
    :returns: none where fewer than three laps tell them
    :raises SolverError: if the car cannot move
    """
    usual = float(np.median(fuel_l)) if len(fuel_l) else 0.0
    pulls = [
        _pull(_more(car, power, drag), pair, conditions, usual) for power, drag in ((1.0, 1.0), (1.0 + _STEP, 1.0), (1.0, 1.0 + _STEP))
    ]
    mass = weights(car.model_copy(update={"fuel_l": usual})).mass_kg
    found = []
    for lap, fuel in zip(laps, fuel_l, strict=True):
        heavier = weights(car.model_copy(update={"fuel_l": max(fuel, 0.0)})).mass_kg / mass
        one = _of_lap(lap, pulls, heavier, line)
        if one is not None:
            found.append(one)
    if len(found) < _LEAST_LAPS:
        return []
    values = np.array(found)
    scales = []
    for k, (name, least) in enumerate((("power", _POWER_SD), ("drag", _DRAG_SD))):
        over = spread(values[:, k])
        scales.append(Scale(name, over.middle, math.hypot(1.25 * over.sd / math.sqrt(over.laps), least), over.laps))
    return scales


def _more(car: Car, power: float, drag: float) -> Car:
    """The car with its torque and drag scaled."""
    torque = tuple((rpm, value * power) for rpm, value in car.powertrain.torque_nm)
    aero = car.aero.model_copy(update={"drag_area_m2": car.aero.drag_area_m2 * drag})
    return car.model_copy(update={"aero": aero, "powertrain": car.powertrain.model_copy(update={"torque_nm": torque})})


def _pull(car: Car, pair: tuple[Compound, Compound], conditions: Conditions, fuel_l: float) -> tuple[Floats, Floats]:
    """Speed and acceleration of the model's car at full throttle down a level straight, the speed smoothed as the recorded one is."""
    from scipy.ndimage import gaussian_filter1d

    road = Circuit(key="straight", name="straight", layout="straight", width_m=12.0, segments=(Straight(length_m=4000.0),), closed=False,
                   start_ms=_LEAST_MS)  # fmt: skip
    centre = centre_line(road, 2.0)
    still = conditions.model_copy(update={"wind_ms": 0.0})
    held = (pair[0].temperature_opt_c, pair[0].temperature_opt_c, pair[1].temperature_opt_c, pair[1].temperature_opt_c)
    case = LapCase(car.model_copy(update={"fuel_l": fuel_l}), offset_line(centre, np.zeros(len(centre.x))), still, pair, held_c=held)
    lap = run_at(case, ready(case, case.car), TyreState(pair, held, held, case.wear), case.line)
    clock = np.cumsum(lap.column("time"))
    t = np.arange(clock[0], clock[-1], 0.02)
    v = gaussian_filter1d(np.interp(t, clock, lap.column("speed")), _SMOOTH_S / 0.02)
    accel = np.gradient(v, t)
    rising = np.maximum.accumulate(v) <= v + 1e-9
    return v[rising], accel[rising]


def _of_lap(lap: Placed, pulls: Sequence[tuple[Floats, Floats]], heavier: float, line: Line) -> tuple[float, float] | None:
    """Scales of power and drag of one lap; None where it has too little full throttle.

    :param pulls: of the book car, of one with more power, of one with more drag
    :param heavier: mass of this lap over that of the book car there [-]
    """
    from scipy.ndimage import gaussian_filter1d

    if "throttle_pct" not in lap.columns:
        return None
    hz = (len(lap.t) - 1) / lap.time_s
    v = gaussian_filter1d(lap.v, max(_SMOOTH_S * hz, 0.5))
    accel = np.gradient(v, lap.t)
    bend, slope = np.interp(lap.p, line.s, line.road[:, 0]), np.interp(lap.p, line.s, line.road[:, 2])
    good = _settled(lap, hz) & (np.abs(v**2 * bend) < _STRAIGHT_MS2) & (v > pulls[0][0][5]) & (v < pulls[0][0][-5])
    if int(good.sum()) < _FEWEST or float(np.ptp(v[good])) < 8.0:
        return None
    v, needed = v[good], heavier * (accel[good] + GRAVITY * np.sin(slope[good]))
    book, strong, draggy = (np.interp(v, speed, pull) for speed, pull in pulls)
    matrix, wanted = np.column_stack([strong - book, draggy - book]) / _STEP, needed - book
    trust = np.ones(len(wanted))
    change = np.zeros(2)
    for _ in range(_ROUNDS):
        change = np.linalg.lstsq(matrix * trust[:, None], wanted * trust, rcond=None)[0]
        rest = np.abs(wanted - matrix @ change)
        trust = np.sqrt(np.minimum(1.0, _FAR * max(float(np.median(rest)), 0.02) / np.maximum(rest, 1e-9)))
    return float(1.0 + change[0]), float(1.0 + change[1])


def _settled(lap: Placed, hz: float) -> NDArray[np.bool_]:
    """Full throttle for a while."""
    full = np.nan_to_num(lap.columns["throttle_pct"]) >= _FULL_PCT
    reach = max(int(_SETTLES_S * hz), 1)
    broken = ~full
    if "brake_pct" in lap.columns:
        broken |= np.nan_to_num(lap.columns["brake_pct"]) > 1.0
    near = np.convolve(broken.astype(float), np.ones(2 * reach + 1), mode="same") > 0.5
    return np.asarray(full & ~near)


def shift_points(laps: Sequence[Placed]) -> list[ShiftPoint]:
    """Engine speed at which each gear is left for the next, at full throttle."""
    seen: dict[int, list[float]] = {}
    for lap in laps:
        if not {"gear", "rpm", "throttle_pct"} <= set(lap.columns):
            continue
        gear, rpm = np.nan_to_num(lap.columns["gear"]), lap.columns["rpm"]
        throttle, back = np.nan_to_num(lap.columns["throttle_pct"]), max(int(_SETTLES_S / lap.step_s), 2)
        for k in np.flatnonzero(np.diff(gear) == 1):
            part = slice(max(k - back, 0), k + 1)  # the throttle may be let go for the shift itself
            there = rpm[part]
            if float(throttle[part].max()) >= _FULL_PCT and np.isfinite(there).any():
                seen.setdefault(int(gear[k]), []).append(float(np.nanmax(there)))
    return [ShiftPoint(gear, spread(np.array(values))) for gear, values in sorted(seen.items()) if len(values) >= _LEAST_LAPS]


def asked_of_tyres(laps: Sequence[Placed], line: Line, bands_ms: Sequence[tuple[float, float]]) -> list[Asked]:
    """The highest lateral acceleration and the hardest braking of each lap in bands of speed."""
    from scipy.ndimage import gaussian_filter1d

    found = []
    for low, high in bands_ms:
        lateral, braking = [], []
        for lap in laps:
            hz = (len(lap.t) - 1) / lap.time_s
            v = gaussian_filter1d(lap.v, max(_SMOOTH_S * hz, 0.5))
            inside = (v >= low) & (v < high)
            if int(inside.sum()) < 5:
                continue
            bend = np.abs(np.interp(lap.p, line.s, line.road[:, 0]))
            lateral.append(float(np.percentile((v**2 * bend)[inside], 98)))
            braking.append(float(np.percentile(-np.gradient(v, lap.t)[inside], 98)))
        both = len(lateral) >= _LEAST_LAPS
        found.append(Asked(low, high, spread(np.array(lateral)) if both else None, spread(np.array(braking)) if both else None))
    return found


def burnt_l(columns: Mapping[str, Floats]) -> float | None:
    """Fuel that a lap burnt by its level at both ends; None where it was not recorded, or rose [l]."""
    level = columns.get("fuel_l")
    if level is None:
        return None
    known = level[np.isfinite(level)]
    if len(known) < _FEWEST:
        return None
    end = max(len(known) // 50, 3)
    used = float(np.median(known[:end]) - np.median(known[-end:]))
    return used * len(known) / (len(known) - end) if used > 0.0 else None
