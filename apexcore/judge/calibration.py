"""The model of a car scaled to its laps: grip, power, drag, fuel and wear, each with how sure, and what is left over.

A linear model around the book car: what each scale does to every lap of a run comes from solving its stint once more
(Gauss-Newton; Gelman and others, ch. 14 and 19, normal linear regression with known prior covariance). The driver's own share
is fitted with it, so that a slow driver is not taken for a car without grip; what laps alone cannot part stays as unsure as
it was, and says so.
"""

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from ..lap.solver import LapCase
from ..lap.stint import aged, solve_stint
from ..quantities.spread import Z95
from ..vehicle.car import Car
from ..vehicle.sheet import Sheet
from .laps import DrivenLap
from .model import TAILS, scale_of
from .sampler import Floats

#: What is scaled, in words.
SCALES: dict[str, str] = {"grip": "grip", "power": "power", "drag": "drag", "fuel": "fuel use", "wear": "tyre wear"}

#: Prior standard deviation of each scale, as a share, and of the driver's share of the envelope. Source: twice what the
#: virtual cars differ by (`virtual.world`), as a book may be worse than those.
PRIOR_SD: dict[str, float] = {"grip": 0.02, "power": 0.025, "drag": 0.05, "fuel": 0.05, "wear": 0.24}
DRIVER_SD = 0.02

#: Spread of runs, of the top speed of a lap, and of the fuel measured on one: [s], [m/s], and a share.
RUN_SD_S, TOP_SD_MS, FUEL_SD = 0.1, 0.35, 0.015
#: Spread of what a run gains or loses a lap beside what the model knows (a track that comes in, a driver who settles, tyres
#: that answer to pressure otherwise than in the book) [s/lap]. Source: the virtual cars' runs against their scaled books.
RUN_TREND_S = 0.02
#: What the model's own rounding leaves of a run's mean fuel [l] and top speed [m/s].
_FUEL_LEAST_L, _TOP_LEAST_MS = 0.005, 0.1
_STEP, _ROUNDS = 0.03, 2
#: Prior deviations from which on a scale is said to be at the edge of what was thought likely; and how much wider the priors then are.
_EDGE, _WIDER = 1.6, 3.0
_GRIP = list(SCALES).index("grip")
_LEAST_SCATTER_S = 0.05

Scales = Mapping[str, float]


@dataclass(frozen=True)
class CalibrationRun:
    """A run as the calibration takes it.

    :param lap_case: the car as entered on its circuit that day, its compounds, the level of driver that the model assumes
    :param fuel_l: at the start [l]
    :param tyre_age: laps on the tyres before it [laps]
    :param laps: all of them, in order; those set aside only burn fuel and wear tyres
    """

    lap_case: LapCase
    sheet: Sheet
    fuel_l: float
    tyre_age: float
    laps: tuple[DrivenLap, ...]


@dataclass(frozen=True)
class Calibration:
    """Scales found.

    :param scales: of each of `SCALES`, 1 is the book
    :param spread: half the 95 % interval of each
    :param driver: change of the driver's share of the envelope, and half its 95 % interval [-]
    :param laps: timed laps used
    :param before_s: root mean square of what the book left of the lap times, each run's level apart [s]
    :param after_s: the same with the scales [s]
    :param level_s: mean distance of the laps from the book's, and from the scaled model's with the driver's share [s]
    """

    scales: dict[str, float]
    spread: dict[str, float]
    driver: tuple[float, float]
    laps: int
    before_s: float
    after_s: float
    level_s: tuple[float, float]


def scaled(car: Car, scales: Scales) -> Car:
    """The car with its physical values scaled; 1 leaves them."""
    grip, power, drag, fuel, wear = (scales.get(name, 1.0) for name in SCALES)
    compounds = tuple(
        compound.model_copy(update={"mu": compound.mu * grip, "wear_per_mj": compound.wear_per_mj * wear})
        for compound in car.tyres.compounds
    )
    drive = car.powertrain
    torque = tuple((rpm, value * power) for rpm, value in drive.torque_nm)
    return car.model_copy(
        update={
            "tyres": car.tyres.model_copy(update={"compounds": compounds}),
            "aero": car.aero.model_copy(update={"drag_area_m2": car.aero.drag_area_m2 * drag}),
            "powertrain": drive.model_copy(update={"torque_nm": torque, "fuel_g_per_kwh": drive.fuel_g_per_kwh * fuel}),
        }
    )


def _scaled_lap_case(lap_case: LapCase, scales: Scales, driver: float) -> LapCase:
    car = scaled(lap_case.car, scales)
    pair = (car.tyres.compound(lap_case.compounds[0].key), car.tyres.compound(lap_case.compounds[1].key))
    ability = min(max(lap_case.driver.ability + driver, 0.3), 1.0)
    return replace(lap_case, car=car, compounds=pair, driver=replace(lap_case.driver, ability=ability))


def predicted(run: CalibrationRun, scales: Scales, driver: float = 0.0) -> Floats:
    """Lap time [s], fuel [l] and top speed [m/s] of every lap of a run, shape [laps, 3].

    :raises ApexError: if the fuel does not last or the car cannot take the circuit
    """
    lap_case = aged(_scaled_lap_case(run.lap_case, scales, driver), run.sheet, run.tyre_age)
    stint = solve_stint(lap_case, run.sheet, run.fuel_l, len(run.laps))
    return np.array([(stint_lap.lap.time_s, stint_lap.lap.fuel_l, stint_lap.lap.top_speed_ms) for stint_lap in stint])


@dataclass(frozen=True)
class _Rows:
    """Observations of one run: what the model missed, what the scales would do, and how sure each is."""

    rest: Floats
    slope: Floats
    sd: Floats
    timed: int


#: A scale that was measured by other means than lap times: its name in `SCALES`, its value, and its standard deviation.
Known = tuple[str, float, float]


def calibrate(
    runs: Sequence[CalibrationRun],
    told: Callable[[float], None] = lambda share: None,
    measured: Sequence[Known] = (),
    floors: Sequence[Known] = (),
) -> Calibration:
    """Scales of the car from its laps.

    :param runs: with timed laps
    :param measured: scales that traces tell, which part the car from its driver as lap times alone cannot
    :param floors: the least that scales are by what was seen on track; each counts only where the laps alone would have it lower
    :param told: is told the share done, run by run
    :raises ValueError: without a timed lap
    :raises ApexError: if the model has no lap for one of the runs
    """
    if not any(lap.kind == "timed" for run in runs for lap in run.laps):
        raise ValueError("a calibration needs at least one timed lap")
    with ThreadPoolExecutor(2) as pool:  # the lap kernel lets go of the interpreter while it runs
        return _calibrated(runs, pool, told, list(measured), floors)


def _calibrated(
    runs: Sequence[CalibrationRun], pool: ThreadPoolExecutor, told: Callable[[float], None], measured: list[Known], floors: Sequence[Known]
) -> Calibration:
    done = 0

    def linearised(theta: Floats) -> list[_Rows]:
        nonlocal done
        found = []
        for rows in pool.map(partial(_rows, theta=theta, scatter=scatter), runs):
            found.append(rows)
            done += 1
            told(done / ((_ROUNDS + 1) * len(runs) + 1))
        return [*found, *_known(measured, theta)]

    prior = np.array([*PRIOR_SD.values(), DRIVER_SD])
    theta = np.zeros(len(prior))
    book = list(pool.map(lambda run: predicted(run, {}), runs))
    covariance = np.diag(prior**2)
    scatter = _scatter(runs, book)
    for _ in range(_ROUNDS):
        theta, covariance = _solved(linearised(theta), theta, prior)
    far = np.abs(theta) > _EDGE * prior
    if far.any():  # the book is further off than books are: what was thought likely is no longer held against the laps
        far[[_GRIP, -1]] |= far[[_GRIP, -1]].any()  # a slow driver and a car without grip look alike
        prior = np.where(far, _WIDER, 1.0) * prior
        theta, covariance = _solved(linearised(theta), theta, prior)
    low = [one for one in floors if theta[list(SCALES).index(one[0])] < one[1] - 1.0]
    if low:
        measured += low
        theta, covariance = _solved(linearised(theta), theta, prior)
    scales, driver = _split(theta)
    after = list(pool.map(partial(predicted, scales=scales, driver=driver), runs))
    spread = Z95 * np.sqrt(np.diag(covariance))
    (before_s, level_before), (after_s, level_after) = _left(runs, book), _left(runs, after)
    return Calibration(
        scales, {name: float(value) for name, value in zip(SCALES, spread[:-1], strict=True)}, (driver, float(spread[-1])),
        sum(lap.kind == "timed" for run in runs for lap in run.laps), before_s, after_s, (level_before, level_after),
    )  # fmt: skip


def _known(measured: Sequence[Known], theta: Floats) -> list[_Rows]:
    """Scales that were measured as observations: each of its own scale alone."""
    found = []
    for name, value, sd in measured:
        place = list(SCALES).index(name)
        slope = np.zeros((1, len(theta)))
        slope[0, place] = 1.0
        found.append(_Rows(np.array([value - 1.0 - theta[place]]), slope, np.array([sd]), 0))
    return found


def at_edge(scales: Scales, driver: float) -> list[str]:
    """What was found so far from the book that the book, or the choice of driver, is to be doubted, in words."""
    found = [words for name, words in SCALES.items() if abs(scales.get(name, 1.0) - 1.0) > _EDGE * PRIOR_SD[name]]
    return found + (["the driver's share"] if abs(driver) > _EDGE * DRIVER_SD else [])


def _split(theta: Floats) -> tuple[dict[str, float], float]:
    """The scales and the change of the driver's share."""
    return {name: float(1.0 + value) for name, value in zip(SCALES, theta[:-1], strict=True)}, float(theta[-1])


def _rows(run: CalibrationRun, theta: Floats, scatter: float) -> _Rows:
    now = predicted(run, *_split(theta))
    slopes = []
    for index in range(len(theta)):
        moved = theta.copy()
        moved[index] += -_STEP if theta[index] > 0.0 else _STEP
        slopes.append((predicted(run, *_split(moved)) - now) / (moved[index] - theta[index]))
    slope = np.stack(slopes, axis=-1)  # laps, kinds, scales
    rest, rows, sd = [], [], []
    timed = [k for k, lap in enumerate(run.laps) if lap.kind == "timed"]
    for k in timed:
        rest.append(run.laps[k].time_s - now[k, 0])
        rows.append(slope[k, 0])
        sd.append(scatter)
    # fuel and top speed as means of the run: lap by lap they would let the rounding of the model part what cannot be parted
    for kind, seen, one_sd, least in (
        (1, [(k, run.laps[k].fuel_l) for k in timed], FUEL_SD * float(now[timed, 1].mean()) if timed else 1.0, _FUEL_LEAST_L),
        (2, [(k, run.laps[k].top_ms) for k in timed], TOP_SD_MS, _TOP_LEAST_MS),
    ):
        there = [(k, value) for k, value in seen if value is not None]
        if there:
            places = [k for k, _ in there]
            rest.append(float(np.mean([value for _, value in there]) - now[places, kind].mean()))
            rows.append(slope[places, kind].mean(axis=0))
            sd.append(float(np.hypot(one_sd / np.sqrt(len(there)), least)))
    return _Rows(np.array(rest), np.array(rows).reshape(-1, len(theta)), np.array(sd), len(timed))


def _solved(rows: Sequence[_Rows], theta: Floats, prior: Floats) -> tuple[Floats, Floats]:
    """Posterior mean and covariance of the scales, with a shift shared by the lap times of a run; heavy tails by weights."""
    found = theta.copy()
    precision = np.diag(1.0 / prior**2)
    for _ in range(4):
        precision = np.diag(1.0 / prior**2)
        pull = np.zeros(len(theta))
        for row in rows:
            if not len(row.rest):
                continue
            left = row.rest - row.slope @ (found - theta)
            weight = (TAILS + 1.0) / (TAILS + (_centred(left, row.timed) / row.sd) ** 2)
            weight[row.timed :] = 1.0
            inverse = np.linalg.inv(np.diag(row.sd**2 / weight) + _shared(len(row.rest), row.timed))
            precision += row.slope.T @ inverse @ row.slope
            pull += row.slope.T @ inverse @ (row.rest + row.slope @ theta)
        found = np.asarray(np.linalg.solve(precision, pull), dtype=np.float64)
    return found, np.asarray(np.linalg.inv(precision), dtype=np.float64)


def _shared(count: int, timed: int) -> Floats:
    """Covariance that the lap times of a run have in common: its level and its own trend."""
    level, trend = np.zeros(count), np.zeros(count)
    level[:timed] = 1.0
    trend[:timed] = np.arange(timed) - 0.5 * (timed - 1)
    return RUN_SD_S**2 * np.outer(level, level) + RUN_TREND_S**2 * np.outer(trend, trend)


def _centred(left: Floats, timed: int) -> Floats:
    centred = left.copy()
    if timed:
        centred[:timed] -= np.median(left[:timed])
    return centred


def _scatter(runs: Sequence[CalibrationRun], model: Sequence[Floats]) -> float:
    """Scale of the lap scatter, from what is left within each run [s]."""
    rest = [_missed(run, laps) for run, laps in zip(runs, model, strict=True)]
    within = np.concatenate([run - np.median(run) for run in rest if len(run) >= 3] or [np.array([_LEAST_SCATTER_S])])
    return max(scale_of(within), _LEAST_SCATTER_S)


def _missed(run: CalibrationRun, model: Floats) -> Floats:
    return np.array([lap.time_s - model[k, 0] for k, lap in enumerate(run.laps) if lap.kind == "timed"])


def _left(runs: Sequence[CalibrationRun], model: Sequence[Floats]) -> tuple[float, float]:
    """Root mean square of what is left within the runs, and the mean of all [s]."""
    rest = [missed for missed in (_missed(run, laps) for run, laps in zip(runs, model, strict=True)) if len(missed)]
    within = np.concatenate([run - run.mean() for run in rest])
    return float(np.sqrt(np.mean(within**2))), float(np.concatenate(rest).mean())
