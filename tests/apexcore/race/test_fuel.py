"""Fuel use from laps and from runs, and margins that hold."""

import math

import numpy as np
import pytest

from apexcore.race.fuel import Burnt, FuelUse, filled_l, margin_l, measured_use
from tests.amounts import many


@pytest.mark.parametrize("laps", [3, 8, 25])
@pytest.mark.parametrize("spread", [0.02, 0.05, 0.1])
def test_the_margin_covers_99_of_100_races_from_few_laps_too(laps: int, spread: float) -> None:
    """Also where the race burns 1.5 or 3 % more than practice did."""
    rng = np.random.default_rng(laps)
    for more, least in ((0.0, 0.985), (0.015, 0.985), (0.03, 0.955)):
        kept = 0
        for _ in range(600):
            use = measured_use([round(float(litres), 2) for litres in rng.normal(2.0, spread, laps)])
            assert use is not None
            kept += float(rng.normal(2.0 * (1 + more), spread, 30).sum()) <= filled_l(30 * use.mean_l + margin_l(use, 30))
        assert kept / 600 >= least


def _akin(rng: np.random.Generator, laps: int, kinship: float) -> np.ndarray:
    """Laps of which each is like the one before."""
    found = rng.standard_normal(laps)
    for k in range(1, laps):
        found[k] = kinship * found[k - 1] + math.sqrt(1.0 - kinship**2) * found[k]
    return found


@pytest.mark.thorough_only
@pytest.mark.parametrize("laps", [3, 8, 25])
def test_the_margin_holds_where_laps_are_like_those_before_them(laps: int) -> None:
    for kinship, more, least in ((0.5, 0.0, 0.985), (0.7, 0.0, 0.98), (0.5, 0.03, 0.95)):
        kept, rng = 0, np.random.default_rng([laps, int(10 * kinship)])
        for _ in range(many(200, 800)):
            use = measured_use([round(float(2.0 + 0.05 * one), 2) for one in _akin(rng, laps, kinship)])
            assert use is not None
            race = 2.0 * (1.0 + more) + 0.05 * _akin(rng, 30, kinship)
            kept += float(race.sum()) <= filled_l(30 * use.mean_l + margin_l(use, 30))
        assert kept / many(200, 800) >= least - many(0.015, 0.0)
    alone = measured_use([2.0, 2.05, 1.95, 2.05, 1.95, 2.0])
    assert alone is not None and alone.kinship == 0.0 and alone.summed_l == alone.spread_l


def test_runs_with_fuel_at_both_ends_tell_the_use() -> None:
    use = measured_use([], [Burnt(20.0, 10), Burnt(20.0, 10)])
    assert use is not None and use.mean_l == pytest.approx(2.0) and use.laps == 20
    assert margin_l(use, 30) < 8.0  # two runs alike are not certain, and not useless
    both = measured_use([1.9] * 10, [Burnt(21.0, 10)])
    assert both is not None and both.mean_l == pytest.approx(2.0)
    assert measured_use([], [Burnt(4.0, 2)]) is None and measured_use([2.0, 2.1]) is None


def test_the_weight_of_a_run_is_its_laps() -> None:
    """The mean of a lap and of a run of nine is that of ten laps."""
    use = measured_use([2.2], [Burnt(18.0, 9)])
    assert use is not None and use.mean_l == pytest.approx(2.02)


def test_one_false_reading_does_not_move_it() -> None:
    use = measured_use([2.0, 2.02, 1.98, 5.0, 2.01])
    assert use is not None and use.mean_l == pytest.approx(2.0, abs=0.01) and use.left_out == 1
    broken = measured_use([2.0, math.nan, 2.0, -1.0, 2.0])
    assert broken is not None and broken.mean_l == pytest.approx(2.0)


def test_the_spread_is_not_below_what_was_typed() -> None:
    coarse = measured_use([0.11] * 40)
    assert coarse is not None and coarse.spread_l >= 0.01 / math.sqrt(12)


def test_the_margin_is_a_prediction_intervals() -> None:
    use = FuelUse(2.0, 0.1, 16)  # spread known: normal quantile
    own = 2.326 * math.sqrt(25 * 0.01 + (25 * 0.025) ** 2)
    assert margin_l(use, 25.0) == pytest.approx(math.hypot(own, 2.326 * 25 * 0.02 * 2.0))
    few = FuelUse(2.0, 0.1, 16, 4.0)
    assert margin_l(few, 25.0) == pytest.approx(math.hypot(own / 2.326 * 3.747, 2.326 * 25 * 0.02 * 2.0), rel=1e-3)  # t(4, 0.99)


@pytest.mark.parametrize(("litres", "filled"), [(40.01, 40.1), (40.0, 40.0), (39.999999, 40.0), (0.04, 0.1)])
def test_a_tank_is_filled_up_to_the_next_tenth(litres: float, filled: float) -> None:
    assert filled_l(litres) == pytest.approx(filled)
