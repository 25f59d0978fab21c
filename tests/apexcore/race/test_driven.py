"""A race that is driven otherwise than the laps it is known from."""

import pytest

from apexcore.race.driven import Otherwise, driven_otherwise, with_ballast
from apexcore.race.fuel import FuelUse
from apexcore.race.pace import Estimate, RacePace
from apexcore.race.plans import ranked_plans
from apexcore.race.rules import Pace, RaceRules, TyrePace

PACE = Pace(80.0, (TyrePace("soft", 0.0, 0.10, 0.5, 14.0, 0.4), TyrePace("hard", 0.6, 0.04, 0.5, 30.0, 0.3)), 2.0, 0.03, 1.0)
KNOWN = RacePace(
    PACE,
    (PACE,),
    FuelUse(2.0, 0.05, 20),
    Estimate(0.03, 0.01, 9),
    (Estimate(0.1, 0.02, 9),) * 2,
    (Estimate(0, 0, 9),) * 2,
    (Estimate(14, 2, 9),) * 2,
)
RULES = RaceRules(laps=30, pit_loss_s=25, tyre_change_s=4, tank_l=60, least_stops=0, most_stops=3, refuelling=True)


def test_nothing_otherwise_is_the_same_race() -> None:
    assert driven_otherwise(KNOWN, Otherwise(0.0, 1.0, 1.0)) == KNOWN


def test_what_it_costs_and_spares_is_counted_by_hand() -> None:
    slow = driven_otherwise(KNOWN, Otherwise(0.5, 0.9, 0.5))
    assert slow.pace.lap_s == 80.5 and slow.pace.fuel_l_per_lap == pytest.approx(1.8) and slow.pace.margin_l == pytest.approx(0.9)
    assert slow.pace.tyres[0].fade_s == 0.05 and slow.pace.tyres[0].cliff_age == 28.0 and slow.draws[0] == slow.pace
    plan = next(one for one in ranked_plans(RULES, KNOWN.pace) if one.stops == 1)
    again = next(one for one in ranked_plans(RULES, driven_otherwise(KNOWN, Otherwise(0.5, 1.0, 1.0)).pace) if one.stops == 1)
    assert again.time_s - plan.time_s == pytest.approx(30 * 0.5, abs=1e-6)


def test_sparing_tyres_saves_a_stop() -> None:
    short = Pace(80.0, (TyrePace("soft", 0.0, 0.15, 0.5, 9.0, 1.5),), 2.0, 0.01, 1.0)
    known = RacePace(short, (short,), KNOWN.fuel, KNOWN.fuel_s_per_l, KNOWN.fade[:1], KNOWN.offset[:1], KNOWN.cliff[:1])
    before, after = ranked_plans(RULES, known.pace)[0], ranked_plans(RULES, driven_otherwise(known, Otherwise(0.1, 1.0, 0.4)).pace)[0]
    assert after.stops < before.stops and after.time_s < before.time_s


def test_ballast_costs_what_as_many_kilograms_of_fuel_cost() -> None:
    """15 kg are 20 l of 0.75 kg/l: 20 times 0.03 s."""
    assert with_ballast(KNOWN, 15.0, 0.75).pace.lap_s == pytest.approx(80.6)
