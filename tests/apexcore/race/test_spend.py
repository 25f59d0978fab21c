"""Saving and spending against races driven lap by lap, and a rival who stops on another lap."""

import numpy as np
import pytest

from apexcore.race.rules import Level, Pace, RaceRules, TyrePace
from apexcore.race.spend import driven, duel, early_or_late, one_lap_more, saving

TYRES = (TyrePace("marl", 0.0, 0.15, 0.4, 14, 0.2), TyrePace("slate", 0.5, 0.05, 0.6, 30, 0.1))
PACE = Pace(70.0, TYRES, 2.0, 0.01, 0.0)
LEVEL = Level(6.0, 0.12, 0.94, 0.9)


def stint_s(save: set[int], laps: int) -> float:
    """A stint lap by lap, with the tank for all of it saved so."""
    tyre, age, total = TYRES[0], 0.0, 0.0
    board = sum(2.0 * (0.94 if lap in save else 1.0) for lap in range(laps))
    for lap in range(laps):
        total += 0.01 * board + tyre.fade_s * age + (0.12 if lap in save else 0.0)
        age += 0.9 if lap in save else 1.0
        board -= 2.0 * (0.94 if lap in save else 1.0)
    return total


def test_early_or_late_is_what_a_stint_lap_by_lap_comes_to() -> None:
    laps, saved = 12, 4
    both = early_or_late(PACE, TYRES[0], LEVEL, laps, saved)
    apart = stint_s(set(range(laps - saved, laps)), laps) - stint_s(set(range(saved)), laps)
    assert both.tyre_s - both.fuel_s == pytest.approx(apart, abs=1e-9)
    assert both.fuel_s > 0 and both.tyre_s > 0


def test_saving_makes_a_stop_less_worth_it_where_the_tank_is_just_too_small() -> None:
    rules = RaceRules(laps=20, pit_loss_s=30, tank_l=39.0, most_stops=2, refuelling=True, formation_laps=0)
    found = saving(rules, PACE, [LEVEL])
    assert found is not None and found.without.stops == 1 and found.fewer is not None and found.fewer.stops == 0
    assert found.fewer_s > 15.0 and found.gain_s == pytest.approx(found.fewer_s)
    assert any(stint.level.saved_pct == 6.0 for stint in found.fewer.stints)
    assert saving(rules.model_copy(update={"most_stops": 0, "tank_l": 10.0}), PACE, [LEVEL]) is None
    long = saving(rules.model_copy(update={"tank_l": 90.0}), PACE, [LEVEL])
    assert long is not None and long.gain_s >= -1e-9


def test_one_lap_more_takes_as_many_laps_of_saving_as_it_needs() -> None:
    assert one_lap_more(PACE, LEVEL, 20) == pytest.approx(2.0 / 0.12 * 0.12)
    assert one_lap_more(PACE, LEVEL, 10) is None and one_lap_more(PACE, Level(), 10) is None


def test_an_undercut_gains_what_both_drive_in_the_laps_between() -> None:
    rng = np.random.default_rng(1)
    for _ in range(20):
        mine, rival = int(rng.integers(5, 20)), int(rng.integers(5, 20))
        for one in duel(TYRES[0], TYRES[1], TYRES[0], mine, rival, 1.0):
            early = one.laps > 0
            total = 0.0
            for k in range(abs(one.laps)):
                ages = (rival + k, k) if early else (mine + k, k)
                old, new = TYRES[0], TYRES[1]
                worn = old.offset_s + old.fade_s * ages[0] + old.cliff_s * max(ages[0] - old.cliff_age, 0)
                total += (worn - new.offset_s - new.fade_s * ages[1] - (new.warm_s if k == 0 else 0.0)) * (1 if early else -1)
            assert one.gain_s == pytest.approx(total) and one.ahead == (total > 1.0)
    assert driven(PACE, "slate", LEVEL).fade_s == pytest.approx(0.045)
