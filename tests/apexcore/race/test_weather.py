"""Rain: how wet each lap is against draws of the forecast, and plans against every way to drive under it."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from pydantic import ValidationError

from apexcore.errors import InputError
from apexcore.race.clock import pace_now, rules_now
from apexcore.race.course import course
from apexcore.race.happened import Mark, Setup, happened
from apexcore.race.live import advise
from apexcore.race.plans import best_by_stops, plan_time_s, ranked_plans, search
from apexcore.race.replan import replanned, standing_of
from apexcore.race.rules import Pace, RaceRules, TyrePace
from apexcore.race.weather import WET, crossover, dry_loses_s, losses_words, lost_s, read_losses, wet_loses_s, wetness, with_wet
from tests.amounts import many
from tests.apexcore.race.rules_reference import lap_without_fuel_s

TYRES = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 1.5, 0.0, 0.0)


def rainy(**changes: object) -> tuple[RaceRules, Pace]:
    rules = RaceRules(laps=12, pit_loss_s=8, tank_l=60, most_stops=3, tyre_change_s=2, rain_from=5, rain_until=9, rain_spread=1.0)
    rules = rules.model_copy(update=changes)
    return rules, with_wet(rules, PACE)


def test_wetness_is_the_share_of_draws_in_which_it_rains() -> None:
    rules, _ = rainy(laps=30, rain_from=8.0, rain_until=20.0, rain_spread=3.0)
    rng = np.random.default_rng(5)
    begin, end = 8 + 3 * rng.standard_normal(200_000), 20 + 3 * rng.standard_normal(200_000)
    for lap in range(30):
        known = ((lap + 0.5 > begin).mean() - (lap + 0.5 > end).mean()).clip(0, 1)
        assert wetness(rules, 30)[lap] == pytest.approx(known, abs=0.01)
    assert not wetness(rules.model_copy(update={"rain_from": 0.0}), 30).any()
    assert wetness(rules.model_copy(update={"rain_until": 0.0}), 30)[-1] == pytest.approx(1.0)


def test_where_tyres_cross_both_lose_as_much() -> None:
    rules, _ = rainy(wet_on_dry_s=3.0, dry_on_wet_s=9.0)
    at = crossover(rules)
    assert at == 0.25 and at * 9.0 == (1 - at) * 3.0
    assert crossover(rules.model_copy(update={"rain_from": 0.0})) is None


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(many(4, 30)))
def test_plans_are_the_least_over_every_shape(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rules, pace = rainy(
        rain_from=float(rng.uniform(1, 6)), rain_until=float(rng.choice([0.0, rng.uniform(6, 12)])), rain_spread=float(rng.uniform(0.1, 3)),
        wet_lap_s=float(rng.uniform(0, 9)), dry_on_wet_s=float(rng.uniform(0, 15)), wet_on_dry_s=float(rng.uniform(0, 8)), most_stops=2,
    )  # fmt: skip
    tyres = {tyre.key: tyre for tyre in pace.tyres}
    best: dict[int, float] = {}
    for stops in range(3):
        for cuts in itertools.combinations(range(1, 12), stops):
            ends = [0, *cuts, 12]
            for keys in itertools.product(tyres, repeat=stops + 1):
                total = stops * 10.0
                for key, (a, b) in zip(keys, itertools.pairwise(ends), strict=True):
                    tyre = tyres[key]
                    for lap in range(a, b):
                        age = lap - a
                        total += pace.lap_s + tyre.offset_s + tyre.fade_s * age + tyre.cliff_s * max(age - tyre.cliff_age, 0.0)
                        total += (tyre.warm_s if age == 0 else 0.0) + lost_s(rules, key, 12)[lap]
                best[stops] = min(best.get(stops, np.inf), total)
    found = {plan.stops: plan for plan in best_by_stops(ranked_plans(rules, pace))}
    for stops, time in best.items():
        assert found[stops].time_s == pytest.approx(time, abs=1e-4)
        assert course(rules, pace, found[stops]).lap_s.sum() == pytest.approx(time, abs=1e-4)
        assert plan_time_s(rules, pace, found[stops]) == pytest.approx(time, abs=1e-4)
        if any(stint.last_lap == 3 for stint in found[stops].stints):
            continue  # it stops there
        rest = replanned(rules, pace, standing_of(rules, pace, found[stops], 3))
        passed = float(course(rules, pace, found[stops]).passed_s[2])
        assert rest[0].time_s + passed <= found[stops].time_s + 1e-4  # from lap 3 on it goes on as planned, or better


def test_the_wet_key_plans_for_wet_tyres_from_then_on_and_the_dry_key_for_dry_ones() -> None:
    rules = RaceRules(laps=20, pit_loss_s=8, tank_l=60, most_stops=3, tyre_change_s=2, dry_on_wet_s=8.0, wet_on_dry_s=5.0)
    plan = ranked_plans(rules, PACE)[0]
    setup = Setup(rules, PACE, plan, 0.2, 0.6)
    dry = [Mark("lap", 70.5)] * 6
    now = happened(setup, [*dry, Mark("wet")])
    assert any(tyre.key == WET for tyre in pace_now(setup, now).tyres) and rules_now(setup, now).rain_from == 6.0
    advice = advise(setup, now, plan, 1.0)
    assert advice.changed and advice.plan is not None and WET in advice.plan.compounds and advice.plan.stints[0].last_lap == 7
    marks = [*dry, Mark("wet"), Mark("lap", 80.0), Mark("pit", None, None, WET), *[Mark("lap", 76.0)] * 4, Mark("dry")]
    later = happened(setup, marks)
    assert later.standing.compound == WET and later.weather == (6, 11) and not later.wet
    back = advise(setup, later, replace(plan), 1.0)
    assert back.plan is not None and back.plan.stints[0].last_lap <= 12 and WET not in back.plan.compounds[1:]


CURVE = ((0.0, 0.0, 8.0), (0.1, 2.5, 6.5), (0.25, 5.0, 6.0), (0.5, 9.0, 6.5), (1.0, 16.0, 8.0))


def test_losses_by_wetness_are_read_between_their_rows_and_as_they_are_typed() -> None:
    rules, _ = rainy(wet_losses=CURVE)
    for wet, dry_s, wet_s in CURVE:
        assert float(dry_loses_s(rules, wet)) == pytest.approx(dry_s) and float(wet_loses_s(rules, wet)) == pytest.approx(wet_s)
    assert float(dry_loses_s(rules, 0.375)) == pytest.approx(7.0)
    at = crossover(rules)
    assert at is not None and 0.25 < at < 0.5
    assert float(dry_loses_s(rules, at)) == pytest.approx(float(wet_loses_s(rules, at)), abs=1e-6)
    assert read_losses(losses_words(CURVE), "x") == list(CURVE) and read_losses(" ", "x") == []
    assert read_losses("0:0/8;\n 12,5 %: 2,5/6.5 ; 100: 16/8", "x")[1] == (0.125, 2.5, 6.5)
    for odd in ("0: 0/8", "10: 1/2; 100: 5/3", "0: 0/8; 50: 3/4; 40: 2/3; 100: 9/9", "0 0 8", "0: 0/8; 100: 900/1", "0: -1/3; 100: 3/3"):
        with pytest.raises(InputError):
            read_losses(odd, "Losses")
    with pytest.raises(ValidationError):
        RaceRules(laps=9, pit_loss_s=8, tank_l=60, most_stops=3, wet_losses=((0.1, 0.0, 3.0), (1.0, 5.0, 4.0)))


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(many(2, 20)))
def test_plans_on_a_curve_cost_what_the_reference_says(seed: int) -> None:
    rng = np.random.default_rng([seed, 41])
    dry = np.concatenate([[0.0], np.sort(rng.uniform(0, 20, 4))])
    at = np.concatenate([[0.0], np.sort(rng.uniform(0.05, 0.95, 3)), [1.0]])
    curve = tuple((float(w), float(d), float(x)) for w, d, x in zip(at, dry, rng.uniform(2, 12, 5), strict=True))
    rules, pace = rainy(wet_losses=curve, rain_spread=float(rng.uniform(0.1, 3)))
    for tyre in pace.tyres:
        for lap in range(1, 13):
            known = lap_without_fuel_s(rules, pace, tyre, lap, 0.0, 0, False) - pace.lap_s - tyre.offset_s
            assert float(lost_s(rules, tyre.key, 12)[lap - 1]) == pytest.approx(known, abs=1e-9)
    plans = search(rules, pace)
    assert plans and all(plan.time_s >= plans[0].time_s - 1e-9 for plan in plans)
