"""Calibration on simulated runs of cars whose true scales are known."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.judge.calibration import (
    DRIVER_SD,
    FUEL_SD,
    PRIOR_SD,
    RUN_SD_S,
    RUN_TREND_S,
    SCALES,
    TOP_SD_MS,
    Calibration,
    CalibrationRun,
    calibrate,
    predicted,
    scaled,
)
from apexcore.judge.laps import DrivenLap
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import solve_lap
from apexcore.vehicle.sheet import base_sheet
from tests.amounts import many
from tests.conftest import demo_car, demo_lap_case


def calibration_runs(seed: int, runs: int = 3, laps: int = 7, tops: bool = True) -> tuple[list[CalibrationRun], dict[str, float]]:
    """Runs of a car and a driver drawn from the priors, and the true scales."""
    rng = np.random.default_rng(seed)
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap_case = replace(lap_case, driver=LEVELS["solid midfielder"])
    sheet = base_sheet(lap_case.car)
    true = {name: float(1 + rng.normal(0, sd)) for name, sd in PRIOR_SD.items()}
    driver, scatter = rng.normal(0, DRIVER_SD), rng.uniform(0.08, 0.2)
    found = []
    for _ in range(runs):
        blank = tuple(DrivenLap(k + 1, 70.0) for k in range(laps))
        run = CalibrationRun(lap_case, sheet, float(rng.uniform(25, 55)), 0.0, blank)
        real, shift = predicted(run, true, driver), rng.normal(0, RUN_SD_S)
        trend = rng.normal(0, RUN_TREND_S)
        driven = [
            DrivenLap(
                k + 1, float(time + shift + trend * (k - 3) + scatter * rng.standard_t(4)), "out" if k == 0 else "timed",
                float(fuel * (1 + FUEL_SD * rng.normal())), (), float(top + TOP_SD_MS * rng.normal()) if tops else None,
            )
            for k, (time, fuel, top) in enumerate(real)
        ]  # fmt: skip
        found.append(replace(run, laps=tuple(driven)))
    return found, true


def inside(found: Calibration, true: dict[str, float]) -> list[bool]:
    """Whether each true scale lies within its 95 % interval."""
    return [abs(found.scales[name] - true[name]) <= found.spread[name] for name in SCALES]


@pytest.mark.thorough_only
def test_known_scales_lie_in_their_intervals() -> None:
    """12 cars of five scales; the proof page holds 95 % of more of them."""
    hits = []
    for seed in range(many(2, 12)):
        runs, true = calibration_runs(seed, runs=2, laps=6)
        hits += inside(calibrate(runs), true)
    assert float(np.mean(hits)) >= many(0.8, 0.88)


@pytest.mark.thorough_only
def test_more_laps_make_it_surer_and_what_laps_cannot_tell_stays_unsure() -> None:
    few, more = (calibrate(calibration_runs(3, runs=count)[0]) for count in (1, 4))
    assert all(more.spread[name] < few.spread[name] for name in ("grip", "fuel", "wear"))
    assert all(more.spread[name] < 1.1 * few.spread[name] for name in SCALES)
    assert more.spread["fuel"] < 0.3 * 1.96 * PRIOR_SD["fuel"]  # measured lap by lap
    blind = calibrate(calibration_runs(3, runs=2, tops=False)[0])
    assert blind.spread["drag"] > 0.8 * 1.96 * PRIOR_SD["drag"]


@pytest.mark.thorough_only
def test_what_is_left_shrinks_and_is_told_before_and_after() -> None:
    runs, _ = calibration_runs(11, runs=3)
    shares: list[float] = []
    found = calibrate(runs, shares.append)
    assert shares == sorted(shares) and 0.5 < shares[-1] <= 1.0 and len(shares) >= 6
    assert found.laps == 18 and found.after_s <= found.before_s + 0.01
    assert abs(found.level_s[1]) < max(abs(found.level_s[0]), 0.1)
    with pytest.raises(ValueError, match="at least one timed lap"):
        calibrate([replace(runs[0], laps=(DrivenLap(1, 80.0, "out"),))])


def test_scaling_a_car_does_what_it_says() -> None:
    car, lap_case = demo_car("brackendale_gt"), demo_lap_case("brackendale_gt", "sallowmere_fen")[0]
    assert scaled(car, {}) == car
    sheet = base_sheet(car)

    def lap_of(**scales: float) -> tuple[float, float, float]:
        moved = scaled(car, scales)
        first = moved.tyres.compounds[0]
        lap = solve_lap(replace(lap_case, car=moved, compounds=(first, first)), sheet)
        return lap.time_s, lap.fuel_l, lap.top_speed_ms

    time, fuel, top = lap_of()
    assert lap_of(grip=1.02)[0] < time and lap_of(power=1.02)[0] < time and lap_of(drag=1.05)[0] > time
    assert lap_of(drag=1.05)[2] < top < lap_of(power=1.02)[2]
    assert lap_of(fuel=1.1)[1] == pytest.approx(1.1 * fuel, rel=1e-6)
    assert lap_of(power=1.05)[1] == pytest.approx(fuel, rel=0.05)  # a stronger engine burns about as much for the same work
