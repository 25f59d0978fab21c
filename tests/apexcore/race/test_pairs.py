"""Unlike tyres front and rear: read from the model between their compounds, corrected by laps on them, nervous where the rear slides."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.judge.model import Observed
from apexcore.judge.priors import NominalPace, nominal_pace, pairs_of
from apexcore.lap.solver import solve_lap
from apexcore.race.driven import with_spins
from apexcore.race.fuel import FuelUse
from apexcore.race.pace import RacePace, race_pace
from apexcore.race.pairs import PairReading, pair_readings, spin_price_s
from apexcore.race.plans import ranked_plans
from apexcore.race.rules import Pace, RaceRules, Surroundings, TyrePace
from apexcore.vehicle.sheet import base_sheet
from tests.conftest import demo_lap_case


@pytest.fixture(scope="module")
def book() -> NominalPace:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    return nominal_pace(lap_case, base_sheet(lap_case.car), pairs_of(lap_case.car.tyres.compounds))


def test_every_pair_is_there_and_lies_about_its_compounds(book: NominalPace) -> None:
    known = {one.key: one for one in book.compounds}
    assert list(known) == ["marl", "slate", "marl/slate", "slate/marl"]
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    alone = nominal_pace(lap_case, base_sheet(lap_case.car), lap_case.car.tyres.compounds)
    assert list(book.compounds[:2]) == list(alone.compounds)  # those of one compound are as ever
    low, high = sorted((known["marl"].new_s, known["slate"].new_s))
    for key in ("marl/slate", "slate/marl"):
        assert low - 0.3 <= known[key].new_s <= high + 0.3 and known[key].fade_s > 0
        assert known[key].cliff_age <= max(known["marl"].cliff_age, known["slate"].cliff_age) * 1.2


def observed(rng: np.random.Generator, compound: int, new_s: float, fade_s: float, run: int) -> list[Observed]:
    return [
        Observed(run, 0, compound, 30.0, float(age), new_s + fade_s * age + 0.1 * float(rng.standard_normal()), age + 1, 30.0, run / 5)
        for age in range(2, 14)
    ]


def test_a_pair_that_nobody_drove_follows_its_compounds_and_one_that_was_its_own_laps(book: NominalPace) -> None:
    rng = np.random.default_rng(3)
    laps = [lap for run in range(6) for lap in observed(rng, run % 2, 75.0 + 0.9 * (run % 2), 0.08, run)]
    use = FuelUse(2.0, 0.02, 30)
    bare, parts = race_pace([], book, use, 0.75, 20), race_pace(laps, book, use, 0.75, 20)
    moved = parts.offset[1].mean - (book.compounds[1].new_s - book.compounds[0].new_s)
    pair = parts.offset[2].mean - (book.compounds[2].new_s - book.compounds[0].new_s)
    assert pair == pytest.approx(0.5 * moved, abs=0.05) and parts.offset[2].sd < bare.offset[2].sd
    own = race_pace([*laps, *observed(rng, 2, 77.0, 0.05, 7), *observed(rng, 2, 77.0, 0.05, 8)], book, use, 0.75, 20)
    assert parts.offset[2].mean + 0.5 < own.offset[2].mean < 2.3 and own.offset[2].laps == 24


def test_a_pair_whose_rear_has_less_grip_is_nervous_and_its_mirror_is_not() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    marl = lap_case.car.tyres.compounds[0]
    poor = marl.model_copy(update={"key": "poor", "mu": 0.93 * marl.mu})
    read = pair_readings(lap_case, spans, sheet, pairs_of([marl, poor]), solve_lap(lap_case, sheet))
    found = {one.key: one for one in read}
    assert found["marl/poor"].nervous and not found["poor/marl"].nervous and not found["marl"].nervous and not found["poor"].nervous
    assert found["marl"].time_s < found["marl/poor"].time_s < found["poor"].time_s
    for key, pair in (("marl/poor", (marl, poor)), ("poor", (poor, poor))):  # as a lap that starts from nothing has it
        assert found[key].time_s == pytest.approx(solve_lap(replace(lap_case, compounds=pair), sheet).time_s, abs=0.01)
    assert all(further > 4.0 for _, _, further in found["marl/poor"].nervous)


def test_spins_cost_twice_as_often_for_each_step_to_oversteer_and_are_in_the_plans() -> None:
    around = Surroundings(troubles=0.4, trouble_s=25.0)
    calm = PairReading("a/a", 70.0, {}, 0.5, ())
    assert spin_price_s(calm, around) == 0.0
    usual = 0.004 * 25.0
    for further, times in ((4.0, 2.0), (8.0, 4.0), (400.0, 32.0)):
        wild = replace(calm, key="a/b", nervous=(("slow", "entry", further),))
        assert spin_price_s(wild, around) == pytest.approx(usual * (times - 1.0))
    assert spin_price_s(replace(calm, nervous=(("slow", "exit", 9.0),)), around) == 0.0  # power slides are caught
    assert spin_price_s(wild, around.model_copy(update={"troubles": 0.0})) == 0.0
    tyres = (TyrePace("a/a", 0.0, 0.05, 0.0, 40, 0.0), TyrePace("a/b", -0.2, 0.05, 0.0, 40, 0.0))
    bare = RacePace(Pace(70.0, tyres, 2.0, 0.0, 0.0), (), None, None, (), (), ())  # type: ignore[arg-type]
    rules = RaceRules(laps=20, pit_loss_s=20, tank_l=60, most_stops=0, mixed=True)
    assert ranked_plans(rules, bare.pace)[0].compounds == ("a/b",)
    priced = with_spins(bare, {"a/b": 0.3})
    assert ranked_plans(rules, priced.pace)[0].compounds == ("a/a",)
