"""From laps of the virtual car to the pace of a race."""

from dataclasses import replace

import pytest

from apexcore.judge.model import Observed
from apexcore.judge.priors import NominalPace, nominal_pace
from apexcore.lap.solver import LapCase
from apexcore.race.fuel import measured_use
from apexcore.race.pace import best_chances, drawn_times_s, gap_spread_s, race_pace
from apexcore.race.plans import best_by_stops, ranked_plans
from apexcore.race.rules import RaceRules
from apexcore.vehicle.sheet import Sheet
from apexcore.virtual.world import true_car, virtual_run

RULES = RaceRules(laps=36, compulsory=("marl", "slate"), pit_loss_s=24, tyre_change_s=8, refuelling=True, tank_l=62)


@pytest.fixture(scope="module")
def read(lap_case: LapCase, sheet: Sheet) -> NominalPace:
    return nominal_pace(lap_case, sheet, lap_case.car.tyres.compounds)


def test_the_book_orders_the_compounds(read: NominalPace) -> None:
    marl, slate = read.compounds
    assert marl.new_s < slate.new_s
    assert marl.fade_s > slate.fade_s > 0
    assert marl.cliff_age < slate.cliff_age
    assert 0.003 < read.fuel_s_per_kg < 0.05


def test_without_laps_all_is_modelled(read: NominalPace) -> None:
    pace = race_pace([], read, None, 0.745, 37)
    assert pace.fuel.laps == 0 and all(estimate.laps == 0 for estimate in pace.fade)
    assert pace.pace.fuel_l_per_lap == pytest.approx(read.fuel_l_per_lap)
    chances = best_chances([drawn_times_s(RULES, pace, plan) for plan in best_by_stops(ranked_plans(RULES, pace.pace))])
    assert sum(chances) == pytest.approx(1.0)


def test_driven_laps_take_over_and_narrow_the_spread(read: NominalPace, lap_case: LapCase, sheet: Sheet) -> None:
    laps: list[Observed] = []
    burnt: list[float] = []
    for run, key in enumerate(["marl", "slate", "marl", "slate"]):
        compound = lap_case.car.tyres.compound(key)
        board = 45.0
        for lap in virtual_run(replace(lap_case, compounds=(compound, compound)), sheet, 45.0, 16, 300 + run).laps:
            if lap.kind == "timed":
                laps.append(Observed(run, 0, run % 2, board * 0.745, lap.number - 1, lap.time_s, lap.number - 1))
                burnt.append(lap.fuel_l or 0.0)
            board -= lap.fuel_l or 0.0
    pace = race_pace(laps, read, measured_use(burnt), 0.745, 37)
    priors = read.priors()
    assert pace.fade[0].sd < priors.fade[0].sd
    truth = true_car(lap_case.car, 7)
    assert truth.tyres.compounds[0].mu != lap_case.car.tyres.compounds[0].mu
    assert pace.fuel.error_l < 0.02
    plans = best_by_stops(ranked_plans(RULES, pace.pace))
    low, high = gap_spread_s(*(drawn_times_s(RULES, pace, plan) for plan in (plans[1], plans[0])))
    assert low < plans[1].time_s - plans[0].time_s < high
