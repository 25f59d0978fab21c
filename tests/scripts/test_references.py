"""The plain references of the benchmark compute the same things as the core; else their ratio would mean nothing."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import coarser
from apexcore.errors import NoLegalPlan
from apexcore.lap.solver import LapCase, ready, run_at
from apexcore.race.plans import ranked_plans
from apexcore.vehicle.sheet import Sheet, adjusted
from scripts.bench import held, laps_300, plain_lap_s, plain_plan_s, race, without_pauses
from tests.apexcore.race.test_plans import random_race


@pytest.mark.thorough_only
def test_scipy_drives_the_same_lap(lap_case: LapCase, sheet: Sheet) -> None:
    smooth = replace(without_pauses(lap_case), line=coarser(lap_case.line, 2))
    car = adjusted(smooth.car, sheet)
    ours = run_at(smooth, ready(smooth, car), held(smooth, sheet), smooth.line)
    assert ours.time_s == pytest.approx(plain_lap_s(smooth, sheet), rel=2e-3)


@pytest.mark.thorough_only
def test_a_general_solver_finds_the_same_best_plan() -> None:
    rules, pace = race()
    rules = rules.model_copy(update={"laps": 24, "most_stops": 2})  # the whole of it takes a minute
    assert ranked_plans(rules, pace)[0].time_s == pytest.approx(plain_plan_s(rules, pace), abs=1e-4)
    compared = 0
    for seed in range(400, 440):
        rules, pace = random_race(seed)
        rules = rules.model_copy(update={"refuelling": True, "tank_l": 60.0, "least_stops": 0})
        if len(set(rules.compulsory)) > rules.most_stops + 1:
            continue
        try:
            found = ranked_plans(rules, pace)[0].time_s
        except NoLegalPlan:
            continue
        compared += 1
        assert found == pytest.approx(plain_plan_s(rules, pace), abs=1e-4), seed
    assert compared > 20


def test_the_laps_of_the_benchmark_are_three_hundred() -> None:
    laps = laps_300()
    assert len(laps) == 300
    assert {lap.level for lap in laps} == {0, 1} == {lap.compound for lap in laps}
    assert np.isfinite([lap.time_s for lap in laps]).all()
