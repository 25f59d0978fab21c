"""When to change between dry and wet tyres, against rain of a known course."""

import numpy as np
import pytest

from apexcore.race.crossing import Crossing, crossing
from apexcore.race.happened import Mark, Setup, happened
from apexcore.race.plans import Plan, Stint
from apexcore.race.rules import Pace, RaceRules, TyrePace
from apexcore.race.weather import WET
from tests.amounts import many

PACE = Pace(70.0, (TyrePace("marl", 0.0, 0.0, 0.0, 99, 0.0),), 1.0, 0.0, 1.0)
RULES = RaceRules(laps=40, pit_loss_s=20, tank_l=90, most_stops=2, wet_lap_s=6.0, dry_on_wet_s=8.0, wet_on_dry_s=4.0)
SETUP = Setup(RULES, PACE, Plan((Stint("marl", 1, 40, 42.0),), 2800.0, 0.0, 0.0, 0.0), 0.2, 0.5)
#: How wet it is where both kinds are as quick: 4 / (8 + 4).
CROSSES = 1 / 3


def dry_lap(wet: float) -> float:
    return 70.0 + wet * (6.0 + 8.0)


def wet_lap(wet: float) -> float:
    return 70.0 + wet * 6.0 + (1.0 - wet) * 4.0


def told(rate: float, laps: int, seed: int, others: bool = False, noise: float = 0.2) -> Crossing | None:
    """A race on dry tyres in which it begins to rain behind lap 10, so much wetter each lap."""
    rng = np.random.default_rng([seed, 5])
    marks = [Mark("lap", 70.0 + noise * float(rng.standard_normal())) for _ in range(10)] + [Mark("wet")]
    for lap in range(laps):
        wet = min(rate * lap, 1.0)
        marks.append(Mark("lap", dry_lap(wet) + noise * float(rng.standard_normal())))
        if others:
            marks.append(Mark("other", wet_lap(wet) + noise * float(rng.standard_normal())))
    return crossing(SETUP, happened(SETUP, marks))


@pytest.mark.parametrize("others", [False, True])
def test_the_lap_of_the_crossing_is_told_before_it_comes(others: bool) -> None:
    errors = []
    for seed in range(many(40, 400)):
        rate = float(np.random.default_rng([seed, 6]).uniform(0.03, 0.09))
        crosses = CROSSES / rate
        laps = int(crosses) - 1
        if laps < 3:
            continue
        found = told(rate, laps, seed, others)
        assert found is not None and not found.on_wet and found.measured == others
        if found.laps is not None and found.laps > 0.0:
            errors.append(found.laps - (crosses - (laps - 1)))
    assert len(errors) > 20
    assert np.median(np.abs(errors)) < 0.7 and np.mean(np.abs(errors) <= 1.5) > 0.9


def test_beyond_it_the_other_tyres_are_said_to_be_quicker_by_what_they_are() -> None:
    found = told(0.06, 10, 1, noise=0.0)  # 0.54 wet on the last lap
    assert found is not None and found.laps == 0.0
    assert found.behind_s == pytest.approx(dry_lap(0.54) - wet_lap(0.54), abs=0.01)
    assert found.trend_s == pytest.approx(0.06 * 12.0, abs=0.01)
    assert found.lap_s == pytest.approx(dry_lap(CROSSES), abs=1e-6)


def test_on_a_track_that_dries_the_way_back_is_told_by_laps_on_wet_tyres() -> None:
    marks = [Mark("lap", 70.0), Mark("wet"), Mark("lap", 84.0), Mark("pit", None, 5.0, WET)]
    for lap in range(8):
        marks.append(Mark("lap", wet_lap(1.0 - 0.07 * lap)))
    found = crossing(SETUP, happened(SETUP, marks))
    assert found is not None and found.on_wet and found.trend_s is not None and found.trend_s > 0.5
    wet_now = 1.0 - 0.07 * 7
    assert found.laps == pytest.approx((wet_now - CROSSES) / 0.07, abs=0.2)


def test_nothing_is_told_where_nothing_tells() -> None:
    assert crossing(SETUP, happened(SETUP, [Mark("lap", 70.0)] * 5)) is None
    assert crossing(SETUP, happened(SETUP, [Mark("lap", 70.0)] * 5 + [Mark("wet")])) is None
    flat = Setup(RULES.model_copy(update={"wet_lap_s": 0.0, "dry_on_wet_s": 0.0}), PACE, SETUP.plan, 0.2, 0.5)
    assert crossing(flat, happened(flat, [Mark("lap", 70.0), Mark("wet"), Mark("lap", 75.0)])) is None
    other = [Mark("lap", 70.0), Mark("wet"), Mark("lap", 80.0), Mark("other", 78.0), Mark("pit", None, 0.0, WET)]
    assert happened(SETUP, other).others == ()  # what was the other kind is now one's own
