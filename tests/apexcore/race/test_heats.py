"""Which set in which heat: against every way to drive them."""

import itertools

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.race.heats import planned_heats
from apexcore.race.rules import Pace, RaceRules, TyrePace, TyreSets


def lost_s(tyre: TyrePace, laps: int, age: int) -> float:
    ages = range(age, age + laps)
    return sum(tyre.offset_s + tyre.fade_s * a + tyre.cliff_s * max(a - tyre.cliff_age, 0.0) for a in ages) + tyre.warm_s


@pytest.mark.parametrize("seed", range(30))
def test_it_is_the_least_over_every_choice(seed: int) -> None:
    rng = np.random.default_rng(seed)
    tyres = tuple(TyrePace(f"c{k}", *(float(v) for v in rng.uniform([0, 0, 0, 5, 0], [1.0, 0.2, 1.0, 30, 0.5]))) for k in range(2))
    sets = tuple(
        TyreSets(compound=f"c{k}", count=int(rng.integers(0, 3)), age=age) for k in range(2) for age in (0, int(rng.integers(1, 20)))
    )
    compulsory = tuple(key for key in ("c0", "c1") if rng.random() < 0.4)
    rules = RaceRules(
        laps=int(rng.integers(5, 15)), heats=int(rng.integers(2, 5)), pit_loss_s=1, tank_l=50, sets=sets, compulsory=compulsory
    )
    have = [(one.compound, one.age) for one in sets for _ in range(one.count)]
    known = np.inf
    for order in itertools.product(range(len(have)), repeat=rules.heats):
        if {have[k][0] for k in order} >= set(compulsory):
            ages, total = [age for _, age in have], 0.0
            for k in order:
                total += lost_s(tyres[int(have[k][0][1])], rules.laps, ages[k])
                ages[k] += rules.laps
            known = min(known, total)
    found = planned_heats(rules, Pace(60.0, tyres, 1.0, 0.0, 0.0))
    assert (found is None) == (not np.isfinite(known))
    assert found is None or sum(heat.lost_s for heat in found) == pytest.approx(known)


def test_one_heat_is_none_and_too_many_are_refused() -> None:
    pace = Pace(60.0, (TyrePace("c0", 0, 0.1, 0.2, 30, 0.1),), 1.0, 0.0, 0.0)
    rules = RaceRules(laps=10, pit_loss_s=1, tank_l=50)
    assert planned_heats(rules, pace) is None
    fresh = planned_heats(rules.model_copy(update={"heats": 3}), pace)
    assert fresh is not None and [heat.age for heat in fresh] == [0, 0, 0]
    many = rules.model_copy(update={"heats": 3, "sets": (TyreSets(compound="c0", count=40),)})
    with pytest.raises(InputError, match="12 sets"):
        planned_heats(many, pace)
