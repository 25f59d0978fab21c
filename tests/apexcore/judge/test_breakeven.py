"""Driving gently against driving hard, against races counted lap by lap."""

import pytest

from apexcore.errors import InputError
from apexcore.judge.breakeven import Known, Worn, break_even, break_even_sentence, life_of


def counted(laps: int, life: float, lap_s: float, stop_s: float) -> float:
    """A race driven lap by lap: tyres are changed when the next lap would be beyond their life."""
    total, age = 0.0, 0
    for _ in range(laps):
        if age + 1 > life + 1e-9:
            total, age = total + stop_s, 0
        total, age = total + lap_s, age + 1
    return total


@pytest.mark.parametrize(
    ("hard", "gentle", "lost", "stop"), [(10, 13, 0.4, 24.0), (7, 8, 0.1, 30.0), (20, 21, 0.5, 25.0), (5, 9, 1.5, 12.0)]
)
def test_sure_values_give_the_races_that_counting_gives(hard: int, gentle: int, lost: float, stop: float) -> None:
    found = break_even(Known(lost, 1e-9), Known(hard, 1e-9), Known(gentle, 1e-9), stop, 120)
    for laps in range(1, 121):
        won = counted(laps, hard, 80.0, stop) - counted(laps, gentle, 80.0 + lost, stop)
        if laps % hard and laps % gentle and abs(won) > 1e-6:  # at a whole multiple a hair decides whether one stops once more
            assert (found.chance[laps - 1] > 0.5) == (won > 0.0), laps
            assert found.gain_s[laps - 1] == pytest.approx(won, abs=1e-3)


def test_what_is_unsure_pays_less_surely() -> None:
    sure, unsure = (break_even(Known(0.3, sd), Known(10, 10 * sd), Known(13, 10 * sd), 25.0) for sd in (1e-6, 0.15))
    assert sum(last - first + 1 for first, last in sure.pays()) > sum(last - first + 1 for first, last in unsure.pays())
    assert all(0.0 <= one <= 1.0 for one in unsure.chance)
    worse = break_even(Known(2.0, 0.1), Known(10, 0.5), Known(10.5, 0.5), 25.0)
    assert not worse.pays() and worse.costs()[0][0] == 1
    assert "does not pay surely" in break_even_sentence(worse, Known(2.0, 0.1), Known(10, 0.5), Known(10.5, 0.5))
    assert "it pays in races of" in break_even_sentence(sure, Known(0.3, 0), Known(10, 0), Known(13, 0))
    with pytest.raises(InputError, match="more than 0 s"):
        break_even(Known(0.3, 0.1), Known(10, 1), Known(12, 1), 0.0)


def test_life_is_told_by_what_runs_wore() -> None:
    found = life_of([Worn(10, 0.8), Worn(20, 0.6), Worn(5, 0.9)], 0.2)
    assert found is not None and found.mean == pytest.approx(40.0) and found.sd == pytest.approx(1.2)
    one = life_of([Worn(10, 0.8)], 0.2)
    assert one is not None and one.sd == pytest.approx(8.0)
    assert life_of([], 0.2) is None and life_of([Worn(0, 1.0)], 0.2) is None
