"""What a crew may do at once, limits of fuel and joker laps, by hand."""

import math

import pytest

from apexcore.errors import InputError, NoLegalPlan
from apexcore.race.clock import told_rules
from apexcore.race.crew import names_fuel, read_work
from apexcore.race.happened import Mark, happened
from apexcore.race.legal import owed
from apexcore.race.live import advise
from apexcore.race.options import filling_of
from apexcore.race.plans import ranked_plans, search
from apexcore.race.rules import Level, Pace, RaceRules, TyrePace, contradictions
from tests.apexcore.race.test_race_mode import PACE, begun, laps

RULES = RaceRules(laps=30, pit_loss_s=20, tank_l=50, refuelling=True, refuel_l_per_s=2, tyre_change_s=6, drivers=2, driver_change_s=10)


@pytest.mark.parametrize(
    ("formula", "litres", "stands"),
    [
        ("max(tyres, fuel) + driver", 0.0, 16.0),
        ("max(tyres, fuel) + driver", 30.0, 25.0),
        ("tyres + fuel", 30.0, 21.0),
        ("max(tyres + driver, 3 + fuel)", 20.0, 16.0),
        ("max(tyres + driver, 3 + fuel)", 40.0, 23.0),
        ("MAX(fuel, 4) + 2.5 + max(tyres, driver)", 4.0, 16.5),
        ("(fuel + driver) + tyres", 1.0, 16.5),
    ],
)
def test_a_stop_stands_as_long_as_its_formula_says(formula: str, litres: float, stands: float) -> None:
    filling = filling_of(RULES.model_copy(update={"crew_work": formula}), PACE)
    assert filling.stop_s(litres) == pytest.approx(20.0 + stands)


def test_tyres_that_stay_take_no_time_of_the_formula() -> None:
    rules = RULES.model_copy(update={"crew_work": "tyres + max(driver, fuel)", "tyres_may_stay": True})
    filling = filling_of(rules, PACE)
    assert (filling.stop_s(4.0, fitted=True), filling.stop_s(4.0, fitted=False)) == (36.0, 30.0)
    assert filling.stop_s(30.0, fitted=False) == pytest.approx(20.0 + 15.0)
    least = filling_of(rules.model_copy(update={"least_standing_s": 40.0}), PACE)
    assert (least.stop_s(68.0), least.stop_s(70.0)) == (60.0, 61.0)  # 6 s of tyres, then 34 s of filling fit into 40


@pytest.mark.parametrize(
    "formula",
    ["fuel + fuel", "tyres - 2", "tyres * 2", "min(tyres, fuel)", "__import__('os')", "max()", "max(tyres, key=fuel)", "wheels", "'a'", "(",
     "-3", "1e9", "true", "max(fuel", "fuel; fuel", "[tyres]", "(" * 300, "max(tyres, *fuel)"],
)  # fmt: skip
def test_what_is_no_formula_is_refused_with_what_was_expected(formula: str) -> None:
    with pytest.raises(InputError, match="expected"):
        read_work(formula, 1.0, 1.0)
    with pytest.raises(ValueError, match="expected"):
        RaceRules(laps=10, pit_loss_s=20, tank_l=50, crew_work=formula[:80])


def test_refuelling_has_to_stand_in_it() -> None:
    assert names_fuel("1 + fuel") and not names_fuel("tyres + driver")
    assert "says nothing of fuel" in contradictions(RULES.model_copy(update={"crew_work": "tyres + driver"}))["crew_work"]
    assert not contradictions(RULES.model_copy(update={"crew_work": "tyres + driver", "refuelling": False}))


def test_litres_for_the_race_ask_for_so_many_laps_of_saving() -> None:
    tyre = TyrePace("marl", 0.0, 0.0, 0.0, 99.0, 0.0)
    pace = Pace(70.0, (tyre,), 2.0, 0.0, 0.0, (Level(), Level(5.0, 0.4, 0.95, 1.0), Level(10.0, 1.0, 0.9, 1.0)))
    # 40 laps burn 80 l; 77 l are 1.5 laps' fuel less: 30 laps that save 5 % cost 12 s, 15 that save 10 % cost 15
    rules = RaceRules(laps=40, pit_loss_s=0, tank_l=90, most_stops=3, formation_laps=0, race_l=77.0)
    best = ranked_plans(rules, pace)[0]
    saved = sum(stint.laps for stint in best.stints if stint.level.saved_pct == 5.0)
    assert saved == 30 and best.time_s == pytest.approx(40 * 70.0 + 30 * 0.4)
    only = ranked_plans(rules.model_copy(update={"most_stops": 0}), pace)[0]
    assert only.stints[0].level.saved_pct == 5.0 and only.time_s == pytest.approx(40 * 70.4)
    with pytest.raises(NoLegalPlan, match=r"at most 71\.9 l for the race"):
        ranked_plans(rules.model_copy(update={"race_l": 71.9}), pace)


def test_litres_of_a_stint_bind_it_from_pit_to_pit() -> None:
    rules = RULES.model_copy(update={"stint_l": 21.0, "tyres_may_stay": True, "most_stops": 4})
    plans = search(rules, PACE)
    assert plans and all(stint.laps <= 10 for plan in plans for stint in plan.stints)
    setup = begun(rules)
    now = happened(setup, laps(4))
    assert owed(rules, now.standing).stint_l == pytest.approx(21.0 - 4 * 2.0)
    following = advise(setup, now, setup.plan, 1.0).plan
    assert following is not None and following.stints[0].laps <= 6
    heavy = happened(setup, [*laps(4), Mark("fuel", litres=setup.plan.stints[0].fuel_l - 2.0 - 4 * 2.4)])  # more was burnt than planned
    tight = advise(setup, heavy, setup.plan, 1.0).plan
    assert tight is not None and tight.stints[0].laps <= math.floor((21.0 - 4 * 2.4) / heavy.use_l)


def test_joker_laps_take_their_time_and_stay_owed_until_they_are_driven() -> None:
    rules = RULES.model_copy(update={"jokers": 2, "joker_s": 4.0})
    assert search(rules, PACE)[0].time_s == pytest.approx(search(RULES, PACE)[0].time_s + 8.0)
    setup = begun(rules)
    one = happened(setup, [*laps(2), Mark("joker"), Mark("lap", 75.0), *laps(3)])
    assert one.jokers == 1 and one.driven[2].pace_s is None and one.driven[3].pace_s == 71.0
    assert owed(told_rules(setup, one), one.standing).jokers == 1
    twice = happened(setup, [Mark("joker"), *laps(1), Mark("joker"), *laps(1), Mark("joker")])
    assert owed(told_rules(setup, twice), twice.standing).jokers == 0
    assert "how many" in contradictions(RULES.model_copy(update={"joker_s": 4.0}))["jokers"]


def test_a_joker_counts_to_the_time_at_the_wheel() -> None:
    tyre = TyrePace("marl", 0.0, 0.0, 0.0, 99.0, 0.0)
    pace = Pace(60.0, (tyre,), 1.0, 0.0, 0.0)
    rules = RaceRules(laps=20, pit_loss_s=20, tank_l=50, most_stops=1, wheel_minutes=10.05, jokers=1, joker_s=2.0)
    best = search(rules, pace)[0]
    assert [stint.laps for stint in best.stints] == [10, 10]
    assert not search(rules.model_copy(update={"joker_s": 4.0}), pace)  # 10 min 4 s against 10 min 3 s
