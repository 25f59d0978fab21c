"""Where the order of two plans turns: planned anew on both sides of every turning point, by the search that brute force holds."""

from dataclasses import replace

import pytest

from apexcore.race.plans import best_by_stops, ranked_plans
from apexcore.race.reverses import reverses
from apexcore.race.rules import Pace, RaceRules, TyrePace

TYRES = (TyrePace("soft", 0.0, 0.12, 0.5, 12.0, 0.3), TyrePace("hard", 0.7, 0.05, 0.6, 24.0, 0.2))
PACE = Pace(70.0, TYRES, 2.0, 0.02, 1.0)
RULES = RaceRules(laps=36, pit_loss_s=18, tyre_change_s=5, tank_l=60, least_stops=1, most_stops=3, refuelling=True, refuel_l_per_s=2.0)


def times(rules: RaceRules, pace: Pace) -> dict[int, float]:
    return {plan.stops: plan.time_s for plan in best_by_stops(ranked_plans(rules, pace))}


@pytest.mark.parametrize(("least", "most"), [(1, 2), (2, 3), (1, 3)])
def test_the_order_turns_where_it_is_said_to(least: int, most: int) -> None:
    today = times(RULES, PACE)
    better, other = sorted((least, most), key=lambda stops: today[stops])
    found = {one.what: one for one in reverses(RULES, PACE, better, other)}
    assert set(found) == {"pit", "fade", "cliff", "rate"}

    def gap(what: str, value: float) -> float:
        rules, pace = RULES, PACE
        if what == "pit":
            rules = RULES.model_copy(update={"pit_loss_s": value})
        elif what == "rate":
            rules = RULES.model_copy(update={"refuel_l_per_s": value})
        else:
            name = "fade_s" if what == "fade" else "cliff_age"
            pace = replace(PACE, tyres=tuple(replace(tyre, **{name: getattr(tyre, name) * value}) for tyre in TYRES))
        both = times(rules, pace)
        return both[other] - both[better]

    assert any(one.turns is not None for one in found.values())
    for what, one in found.items():
        if one.turns is None:
            continue
        assert gap(what, one.turns) == pytest.approx(0.0, abs=0.25)
        away = 1.05 if one.turns > one.today else 1 / 1.05
        assert gap(what, one.today) > 0.0 > gap(what, one.turns * away) - 0.05, what


def test_a_lane_that_would_have_to_give_time_back_turns_nothing() -> None:
    far = RULES.model_copy(update={"laps": 6, "pit_loss_s": 1.0, "tyre_change_s": 30.0})
    found = {one.what: one.turns for one in reverses(far, PACE, 1, 3)}
    assert found["pit"] is None
    assert reverses(far, PACE, 1, 40) == []
