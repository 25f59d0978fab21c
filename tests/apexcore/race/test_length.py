"""Race lengths as people say them, and drivers who share a car."""

import itertools

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.race.drivers import seats
from apexcore.race.length import length_words, read_length
from apexcore.race.rules import RaceRules


@pytest.mark.parametrize(
    ("text", "laps", "minutes", "after"),
    [
        ("20", 20, 0, 0), (" 20 Laps ", 20, 0, 0), ("1 lap", 1, 0, 0), ("45 min", 1, 45, 0), ("45min + 1 lap", 1, 45, 1),
        ("45 minutes and a lap", 1, 45, 1), ("2 h 30", 1, 150, 0), ("24h", 1, 1440, 0), ("1,5 h", 1, 90, 0), ("50 m + 2 laps", 1, 50, 2),
    ],
)  # fmt: skip
def test_lengths_are_read_and_written_back(text: str, laps: int, minutes: float, after: int) -> None:
    found = read_length(text)
    assert (found["laps"], found["minutes"], found["laps_after"]) == (laps, minutes, after)
    rules = RaceRules(pit_loss_s=20, tank_l=60, **found)
    assert read_length(length_words(rules)) == found


@pytest.mark.parametrize(
    "text", ["", "0", "-3", "99999", "min", "h", "20 furlongs", "45 min + 9 laps", "2000 h", "0 min", "20.5", "٣٠ ٪", "1e3"]
)
def test_what_is_no_length_is_told_with_what_is(text: str) -> None:
    with pytest.raises(InputError, match="Race length"):
        read_length(text)


def legal(times: list[float], who: tuple[int, ...], drivers: int, least: float, longest: float) -> bool:
    totals = [sum(t for t, one in zip(times, who, strict=True) if one == driver) for driver in range(drivers)]
    stretches = [sum(times[k] for k in group) for _, group in itertools.groupby(range(len(times)), key=lambda k: who[k])]
    over = any(s > longest + 1e-6 for s in stretches) if longest else False
    return min(totals) >= least - 1e-6 and min(totals) > 0 and not over


def test_seats_are_found_where_there_are_any() -> None:
    rng = np.random.default_rng(3)
    found = none = 0
    for _ in range(150):
        times = [float(t) for t in rng.integers(5, 40, int(rng.integers(1, 7)))]
        drivers, least = int(rng.integers(1, 4)), float(rng.uniform(0, sum(times) / 2))
        longest = float(rng.choice([0.0, max(times), 1.3 * max(times)]))
        known = any(legal(times, who, drivers, least, longest) for who in itertools.product(range(drivers), repeat=len(times)))
        mine = seats(times, drivers, least, longest)
        assert (mine is not None) == known, (times, drivers, least, longest)
        assert mine is None or legal(times, tuple(mine), drivers, least, longest)
        found, none = found + known, none + (not known)
    assert found > 20 and none > 20
