"""Fade and cliff in stints that bend for other reasons."""

import math
from typing import Any

import numpy as np
import pytest

from apexcore.judge.fade import fade
from apexcore.judge.laps import DrivenLap, figures, propose
from apexcore.judge.sampler import Floats
from tests.amounts import many


def stint(
    seed: int, cliff_at: float | None = None, laps: int = 18, settles: tuple[float, float] = (0.0, 3.0), rubber: float = 0.0,
    kinship: float = 0.0, end: tuple[float, int] = (0.0, 3), ramp: bool = False, steep: float = 0.06, spoiled: float = 0.0,
) -> tuple[Floats, Floats]:  # fmt: skip
    """Ages and times of a stint that fades by 0.05 s a lap, and does what else is asked for."""
    rng = np.random.default_rng(seed)
    k = np.arange(float(laps))
    age, noise = 2.0 + k, np.asarray(rng.standard_t(4, laps), dtype=np.float64)
    for lap in range(1, laps):
        noise[lap] = kinship * noise[lap - 1] + math.sqrt(1 - kinship**2) * noise[lap]
    time = 73 + 0.05 * age + 0.12 * noise + settles[0] * np.exp(-k / settles[1]) - rubber * (1 - np.exp(-k / 8.0))
    if end[0]:
        time[-end[1] :] += end[0] * (np.arange(1, end[1] + 1) / end[1] if ramp else 1.0)
    time += rng.uniform(0.5, 2.5, laps) * (rng.random(laps) < spoiled)
    return age, time if cliff_at is None else time + steep * np.maximum(age - cliff_at, 0) ** 2


BENDS: dict[str, dict[str, Any]] = {
    "settles": {"settles": (1.0, 3.0)},
    "settles slowly": {"settles": (0.6, 6.0)},
    "rubber goes down": {"rubber": 0.8},
    "laps akin": {"kinship": 0.6},
    "slow end": {"end": (0.5, 3)},
    "slow last two": {"end": (1.0, 2)},
    "eases off": {"end": (0.6, 4), "ramp": True},
    "spoiled": {"spoiled": 0.1},
}


@pytest.mark.parametrize("bend", BENDS)
@pytest.mark.thorough_only
def test_what_is_no_cliff_is_not_called_one_and_one_is_found_behind_it(bend: str) -> None:
    """40 stints with and without a cliff at 12 laps: false 5 % at most expected, three standard errors allowed."""
    asked = BENDS[bend]
    false = sum(fade(*stint(seed, **asked)).lap is not None for seed in range(many(10, 40)))
    found = [fade(*stint(seed, 12.0, **asked)).lap for seed in range(many(10, 40))]
    near = [one[0] for one in found if one is not None]
    assert false <= many(2, 5) and len(near) >= many(5, 24) and abs(float(np.median(near)) - 12.0) <= 1.0


@pytest.mark.thorough
def test_the_interval_of_the_fade_covers() -> None:
    for asked in (dict[str, Any](), BENDS["settles slowly"], BENDS["laps akin"]):
        found = [fade(*stint(seed, **asked)).per_lap_s for seed in range(many(8, 80))]
        assert sum(abs(middle - 0.05) <= half for middle, half in found) >= many(6, 70)
        assert float(np.median([half for _, half in found])) < 0.08


def test_a_cliff_has_its_steepness() -> None:
    found = fade(*stint(3, 10.0, laps=24))
    assert found.lap is not None and found.lap[1] <= 10.5 <= found.lap[2] + 1.5
    assert found.steep_s == pytest.approx(0.06, rel=0.4)


@pytest.mark.parametrize(("age", "time", "what"), [(math.nan, 70.0, "age 3"), (4.0, math.nan, "time 3"), (4.0, math.inf, "time 3")])
def test_what_is_no_number_is_named(age: float, time: float, what: str) -> None:
    with pytest.raises(ValueError, match=f"{what} of the laps is"):
        fade([1, 2, age, 4, 5, 6], [70, 70, time, 70, 70, 70])


def test_few_laps_and_equal_laps_do_not_break_it() -> None:
    with pytest.raises(ValueError, match="five laps"):
        fade([1, 2, 3], [70, 71, 72])
    assert fade([1, 2, 3, 4, 5], [70.0] * 5).lap is None
    assert fade([5.0] * 9, [70.0] * 9).lap is None
    assert abs(fade(np.arange(200.0), 70 + 0.01 * np.arange(200.0)).per_lap_s[0] - 0.01) < 0.002


def test_the_end_of_tyres_is_not_taken_for_spoiled_laps() -> None:
    times = [70 + 0.02 * k for k in range(12)] + [70.9, 71.6, 72.6]
    laps = [DrivenLap(n, t) for n, t in enumerate(times, start=1)]
    assert [kind for kind, _ in propose(laps, False, False)] == ["timed"] * 15
    traffic = [*times[:12], 72.5]  # one slow lap at the end comes from anything
    kinds = propose([DrivenLap(n, t) for n, t in enumerate(traffic, start=1)], False, False)
    assert kinds[-1][0] == "spoiled"
    back = [*times[:6], 72.4, 73.0, *times[8:]]
    assert [kind for kind, _ in propose([DrivenLap(n, t) for n, t in enumerate(back, start=1)], False, False)].count("spoiled") == 2


def test_a_lap_that_nobody_can_drive_is_questioned() -> None:
    times = [70.1, 70.0, 60.0, 70.2, 70.1, 70.0]
    kinds = propose([DrivenLap(n, t) for n, t in enumerate(times, start=1)], False, False)
    assert kinds[2][0] == "spoiled" and "a short cut, or a wrong figure?" in kinds[2][1]
    good = [*times[:2], 69.2, *times[3:]]  # a good lap is no wrong one
    assert all(kind == "timed" for kind, _ in propose([DrivenLap(n, t) for n, t in enumerate(good, start=1)], False, False))


def test_half_a_laps_sectors_make_no_lap() -> None:
    short = [DrivenLap(1, 70.0, sectors_s=(20.0, 30.0)), DrivenLap(2, 70.4, sectors_s=(20.2, 30.1))]
    assert figures(short).sectors_s is None and figures(short).left_s is None
    whole = [DrivenLap(1, 70.0, sectors_s=(20.0, 30.0, 20.0)), DrivenLap(2, 70.3, sectors_s=(19.9, 30.1, 20.3)), *short]
    assert figures(whole).sectors_s == pytest.approx(19.9 + 30.0 + 20.0)
