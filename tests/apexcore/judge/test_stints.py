"""Fade over several runs together, on stints whose truth is known, and against the evidence worked out from whole covariance matrices."""

import numpy as np
import pytest
from scipy.stats import multivariate_normal

from apexcore.judge import stints as room
from apexcore.judge.sampler import Floats
from apexcore.judge.stints import stints
from tests.amounts import many

#: What is added to 50 ms a lap: size, from which age on, and power of what lies beyond it.
CURVES = {
    "plain": (0.0, 0.0, 1),
    "bent": (0.004, 0.0, 2),
    "step": (0.8, 8.0, 0),
    "step and more": (0.8, 12.0, 0),
    "square": (0.06, 12.0, 2),
}


def lost(curve: str, age: Floats) -> Floats:
    """What a curve adds at each age [s]."""
    size, since, power = CURVES[curve]
    beyond = np.maximum(age - since, 0.0)
    more = 0.1 * beyond if curve == "step and more" else 0.0 * beyond
    return np.asarray((age > since) * (size * beyond**power + more), dtype=float)


def world(
    seed: int, curve: str, runs: int = 2, kin: float = 0.0, traffic: bool = False, eases: bool = False
) -> list[tuple[Floats, Floats]]:
    """Runs of 18 laps with t4 scatter of 0.12 s."""
    rng, found = np.random.default_rng([seed, 77]), []
    for _ in range(runs):
        age, noise = np.arange(1.0, 19.0), 0.12 * rng.standard_t(4, 18)
        for lap in range(1, 18):
            noise[lap] = kin * noise[lap - 1] + np.sqrt(1.0 - kin**2) * noise[lap]
        if traffic:
            first = int(rng.integers(4, 15))
            noise[first : first + 3] += rng.uniform(0.3, 1.0)
        if eases:
            noise[int(rng.integers(4, 15)) :] += 0.5
        found.append((age, 72.0 + rng.normal(0.0, 0.3) + 0.05 * age + lost(curve, age) + noise))
    return found


@pytest.mark.thorough
@pytest.mark.parametrize(("curve", "least"), [("step", 0.75), ("step and more", 0.6), ("square", 0.85)])
def test_a_cliff_that_all_runs_share_is_found_at_its_lap(curve: str, least: float) -> None:
    found = [stints(world(seed, curve)) for seed in range(many(5, 40))]
    said = [one.lap for one in found if one.lap is not None]
    assert len(said) >= least * len(found)
    assert abs(float(np.median([lap[0] for lap in said])) - (8.5 if curve == "step" else 12.5)) <= 1.0
    mean = 0.05 + float(np.ptp(lost(curve, np.array([1.0, 18.0])))) / 17.0
    assert sum(abs(one.mean_s[0] - mean) <= one.mean_s[1] for one in found) >= 0.8 * len(found)


@pytest.mark.thorough
@pytest.mark.parametrize("kind", ["plain", "akin", "traffic", "bent", "eases"])
def test_what_is_no_cliff_is_not_called_one_and_the_fade_holds(kind: str) -> None:
    asked = {"akin": {"kin": 0.6}, "traffic": {"traffic": True}, "eases": {"eases": True}}.get(kind, {})
    curve = "bent" if kind == "bent" else "plain"
    found = [stints(world(seed, curve, **asked)) for seed in range(many(5, 40))]  # type: ignore[arg-type]
    assert sum(one.lap is not None for one in found) <= 0.08 * len(found) + 0.2
    mean = 0.05 + float(np.ptp(lost(curve, np.array([1.0, 18.0])))) / 17.0
    assert sum(abs(one.mean_s[0] - mean) <= one.mean_s[1] for one in found) >= (0.85 if kind != "eases" else 0.5) * len(found)
    if kind == "bent":
        assert np.mean([one.last_s[0] - one.first_s[0] for one in found]) > 0.03


def test_one_run_has_no_cliff_but_a_driver_who_may_have_eased_off() -> None:
    ((age, time),) = world(1, "step", runs=1)
    found = stints([(age, time + 0.8 * (age > 8.0))])
    assert found.lap is None and found.chances["cliff"] == 0.0
    assert found.eased is not None and found.eased[0] == 0 and abs(found.eased[1] - 8.5) <= 1.0 and abs(found.eased[2] - 1.6) < 0.4
    with pytest.raises(ValueError, match="five laps"):
        stints([([1, 2, 3], [70.0, 70.1, 70.2])])


@pytest.mark.parametrize(("settles", "kinship"), [(None, 0.0), (2.0, 0.35), (5.0, 0.65)])
def test_evidence_and_fade_are_those_of_the_whole_covariance(settles: float | None, kinship: float) -> None:
    """Every way's evidence from the laps' own normal density, and the fade from its covariance with them; without the half that may not be
    below 0."""
    (ages, times), spreads = zip(*world(4, "step"), strict=True), {"bend": 0.8, "step": 0.8, "ramp": 0.8, "kink": 0.2, "square": 0.06}
    columns = room._columns(ages, 1.0, 18.0)
    found = room._weighed(ages, times, columns, settles, kinship, ((1.0, 18.0),))
    lap, every = np.repeat([0, 1], 18), np.concatenate(ages)
    middle = every - every.mean()
    y = np.concatenate([time - np.median(time) for time in times])
    base = 25.0 * (lap[:, None] == lap) + 0.09 * np.outer(middle, middle)
    if settles is not None:
        first = np.exp(-(every - 1.0) / settles)
        base = base + 0.49 * np.outer(first, first)
    scale = 5
    s = float(room._SCATTERS[scale])
    apart = np.abs(np.arange(36)[:, None] - np.arange(36))
    noise = np.where(lap[:, None] == lap, s**2 * kinship**apart if kinship else s**2 * np.eye(36), 0.0)
    known, mine = [], []
    for way in [0, 1, 5, 40, 300, len(columns.ways) - 90]:
        columns_of = columns.ways[way]
        covariance, shared = base + noise, 0.09 * middle * 1.0
        for k in columns_of:
            spread = spreads[columns.form[k]]
            covariance = covariance + spread**2 * np.outer(columns.z[:, k], columns.z[:, k])
            grows = float(room._end(columns, 18.0)[k] - room._end(columns, 1.0)[k]) / 17.0
            shared = shared + spread**2 * grows * columns.z[:, k]
        rises = bool(columns_of) and bool(columns.rising[columns_of[0]])
        known.append((0.0 if rises else multivariate_normal(np.zeros(36), covariance).logpdf(y), shared @ np.linalg.solve(covariance, y)))
        mine.append((0.0 if rises else found.log[scale, way] + np.log1p(s**2), found.mean[0, scale, way]))
    logs, fades = np.array(known).T
    own_logs, own_fades = np.array(mine).T
    plain = logs != 0.0
    assert own_logs[plain] - own_logs[0] == pytest.approx(logs[plain] - logs[0], abs=1e-6)
    assert own_fades == pytest.approx(fades, abs=1e-9)
