"""The virtual car and driver: a car whose true values differ from the book, a driver with scatter, mistakes, traffic."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..judge.laps import DrivenLap, LapKind
from ..lap.driver import Driver
from ..lap.solver import Lap, LapCase
from ..lap.stint import StintLap, aged, solve_stint
from ..vehicle.car import Car
from ..vehicle.sheet import Sheet

#: Standard deviations by which a virtual car's true values differ from its book (relative unless named).
_GRIP, _DRAG, _DOWNFORCE, _POWER, _FUEL, _WEAR = 0.010, 0.025, 0.04, 0.012, 0.025, 0.12
_BEST_PRESSURE_KPA = 4.0
_BEST_CAMBER_DEG = 0.25

#: Scatter of a measured top speed [m/s].
_TOP_SD_MS = 0.3

#: Time that an out-lap and an in-lap lose in the pit lane [s].
OUT_LAP_LOSS_S, IN_LAP_LOSS_S = 9.0, 7.0


@dataclass(frozen=True)
class VirtualDriver:
    """How the virtual driver drives.

    :param level: share of the envelope
    :param scatter_s: scale of the lap scatter (Student t, 4 degrees of freedom) [s]
    :param run_shift_s: spread from run to run [s]
    :param mistakes: chance of a mistake on a lap [-]
    :param traffic: chance of being held up on a lap [-]
    """

    level: Driver = Driver(0.97, 0.94)
    scatter_s: float = 0.11
    run_shift_s: float = 0.07
    mistakes: float = 0.04
    traffic: float = 0.05


def true_car(book: Car, seed: int) -> Car:
    """The car as it really is: the same items, other physical values behind them."""
    rng = np.random.default_rng([seed, 1])
    grip, drag, lift, power, fuel, wear = 1.0 + rng.normal(0, (_GRIP, _DRAG, _DOWNFORCE, _POWER, _FUEL, _WEAR))
    pressure, camber = rng.normal(0, _BEST_PRESSURE_KPA), rng.normal(0, _BEST_CAMBER_DEG)
    compounds = tuple(
        c.model_copy(
            update={
                "mu": c.mu * grip,
                "wear_per_mj": c.wear_per_mj * max(wear, 0.5),
                "pressure_opt_kpa": c.pressure_opt_kpa + pressure,
                "inclination_opt_deg": c.inclination_opt_deg + camber,
            }
        )
        for c in book.tyres.compounds
    )
    aero, drive = book.aero, book.powertrain
    torque = tuple((speed, value * power) for speed, value in drive.torque_nm)
    return book.model_copy(
        update={
            "tyres": book.tyres.model_copy(update={"compounds": compounds}),
            "aero": aero.model_copy(update={"drag_area_m2": aero.drag_area_m2 * drag, "lift_area_m2": aero.lift_area_m2 * lift}),
            "powertrain": drive.model_copy(update={"torque_nm": torque, "fuel_g_per_kwh": drive.fuel_g_per_kwh * fuel}),
        }
    )


@dataclass(frozen=True)
class VirtualRun:
    """A run of the virtual car.

    :param lap_case: with the car as it really is
    :param stint: what it really did, lap by lap
    :param laps: what a logger saw of it
    :param sectors_at: where sectors end, as shares of the lap's length, without the finish
    """

    lap_case: LapCase
    stint: tuple[StintLap, ...]
    laps: tuple[DrivenLap, ...]
    sectors_at: tuple[float, ...] = ()

    def sectors(self, lap: DrivenLap) -> list[tuple[float, float]]:
        """Where each sector of a lap ended, as a share of its way, and what it took [s]; empty where none were timed."""
        return list(zip((*self.sectors_at, 1.0), lap.sectors_s, strict=True)) if lap.sectors_s else []


def _sectors_s(lap: Lap, sectors_at: Sequence[float], time_s: float, eyes: np.random.Generator) -> tuple[float, ...]:
    """Times of the sectors; what the lap took beyond the model's falls on them unevenly."""
    if not sectors_at:
        return ()
    clock = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
    ends = [float(np.interp(share * (len(clock) - 1), np.arange(len(clock)), clock)) for share in (*sectors_at, 1.0)]
    parts = np.diff([0.0, *ends])
    shares = eyes.dirichlet(4.0 * parts / parts.min())
    times = parts + (time_s - clock[-1]) * shares
    rounded = [round(float(time), 3) for time in times[:-1]]
    return (*rounded, round(time_s - sum(rounded), 3))


def virtual_run(
    lap_case: LapCase,
    sheet: Sheet,
    fuel_l: float,
    laps: int,
    seed: int,
    driver: VirtualDriver | None = None,
    tyre_age: float = 0.0,
    sectors_at: Sequence[float] = (),
    told: Callable[[LapCase], LapCase] | None = None,
    colder: float = 1.0,
) -> VirtualRun:
    """A run of the virtual car: out-lap, timed laps, in-lap.

    :param lap_case: with the *book* car; the true one is made of it and the seed's car part
    :param laps: laps in all, at least 3
    :param seed: the same seed gives the same laps
    :param tyre_age: laps on the tyres before; they are worn as that many laps of this stint wear them [laps]
    :param sectors_at: where sectors end, as shares of the lap's length, without the finish
    :param told: what the driver is told to do otherwise, put into the case of the car as it is
    :param colder: of `lap.stint.colder`: less where the set was scrubbed, or laps were driven behind a pace car
    :raises InputError: if the fuel does not last
    """
    who = driver or VirtualDriver()
    rng, eyes = np.random.default_rng([seed, 2]), np.random.default_rng([seed, 3])
    truth = replace(lap_case, car=true_car(lap_case.car, 7), driver=who.level)
    compounds = (truth.car.tyres.compound(lap_case.compounds[0].key), truth.car.tyres.compound(lap_case.compounds[1].key))
    truth = replace(truth, compounds=compounds)
    truth = aged(truth, sheet, tyre_age)
    if told is not None:
        truth = told(truth)
    stint = solve_stint(truth, sheet, fuel_l, laps, colder=colder)
    shift = rng.normal(0, who.run_shift_s)
    driven: list[DrivenLap] = []
    for number, lap in enumerate(stint, start=1):
        time = lap.lap.time_s + shift + who.scatter_s * float(rng.standard_t(4))
        burnt = lap.lap.fuel_l * (1 + rng.normal(0, 0.012))
        kind: LapKind = "timed"
        mistake, traffic = rng.random() < who.mistakes, rng.random() < who.traffic
        loss = rng.uniform(0.8, 3.2) * mistake + rng.uniform(0.5, 2.2) * traffic
        if number == 1:
            time, kind = time + OUT_LAP_LOSS_S, "out"
        elif number == len(stint):
            time, kind = time + IN_LAP_LOSS_S, "in"
        elif mistake or traffic:
            kind = "spoiled"
        sectors, top = _sectors_s(lap.lap, sectors_at, time + loss, eyes), lap.lap.top_speed_ms + _TOP_SD_MS * float(eyes.normal())
        driven.append(DrivenLap(number, round(time + loss, 3), kind, round(burnt, 3), sectors, round(top, 2)))
    return VirtualRun(truth, tuple(stint), tuple(driven), tuple(sectors_at))
