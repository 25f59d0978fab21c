"""Being rid of a compound early or late: against every shape."""

import numpy as np
import pytest

from apexcore.race.kinds import early_and_late, unwanted
from tests.apexcore.race.test_plans import all_shapes, lap_by_lap_s, random_race, used_all


@pytest.mark.parametrize("block", range(3))
def test_both_ways_are_the_least_of_their_kind(block: int) -> None:
    seen = 0
    for seed in range(500 + 20 * block, 520 + 20 * block):
        rules, pace = random_race(seed)
        rules = rules.model_copy(update={"laps": min(rules.laps, 8)})
        key = unwanted(rules, pace)
        found = {rid.early: rid.plan.time_s for rid in early_and_late(rules, pace)}
        if key is None:
            assert found == {}
            continue
        hard = [tyre.key for tyre in pace.tyres].index(key)
        known: dict[bool, float] = {}
        kept: dict[tuple[int, ...], float] = {}
        for shape in all_shapes(rules, len(pace.tyres)):
            on = [k for k, (compound, _) in enumerate(shape) if compound == hard]
            if len(shape) > 1 and len(on) == 1 and on[0] in (0, len(shape) - 1) and used_all(rules, pace, shape):
                time = lap_by_lap_s(rules, pace, shape, kept)
                if np.isfinite(time):
                    known[on[0] == 0] = min(time, known.get(on[0] == 0, np.inf))
        assert found == pytest.approx(known, abs=3e-5), seed
        seen += len(found)
    assert seen >= 4


def test_the_slowest_of_the_compulsory_ones_is_meant() -> None:
    races = [random_race(seed) for seed in range(40)]
    for rules, pace in races:
        key = unwanted(rules, pace)
        if key is not None:
            offsets = {tyre.key: tyre.offset_s for tyre in pace.tyres}
            assert key in rules.compulsory and all(offsets[key] >= offsets[other] for other in rules.compulsory)
    assert sum(unwanted(*race) is not None for race in races) > 5
