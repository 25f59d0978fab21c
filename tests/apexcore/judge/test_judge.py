"""The verdict by simulation with known truth, and the plain figures of a run."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from apexcore.judge.laps import DrivenLap, figures, propose
from apexcore.judge.model import Observed, Prior, Priors, corrected_times, fit
from apexcore.judge.plan import run_order
from apexcore.judge.sampler import _half_chi_square
from apexcore.judge.verdict import judge, judge_levels, judge_several, sentence
from tests.amounts import many

PRIORS = Priors(Prior(0.012, 0.003), (Prior(0.06, 0.03), Prior(0.03, 0.03)), (Prior(0.4, 0.4),), Prior(0.5, 0.4), Prior(0.02, 0.015))
#: Share of laps spoiled by a mistake or by traffic, unmarked: the outlier rule has to find them.
SPOILED = 0.1


def simulated(
    seed: int, gap_s: float, runs: int = 6, laps: int = 7, marks: Sequence[tuple[int, ...]] = (), gaps_s: Sequence[float] = ()
) -> list[Observed]:
    """Alternating runs of A and B with run shift, heavy-tailed scatter, fuel, fade, cold tyres, two compounds, a track that
    warms up, a session's trend and spoiled laps; what the outlier rule sets aside is left out.

    :param marks: of each run in turn, where several differences are driven at once
    :param gaps_s: of those differences
    """
    rng = np.random.default_rng(seed)
    fuel, fade = rng.normal(0.012, 0.003), [rng.normal(0.06, 0.03), rng.normal(0.03, 0.03)]
    offset, cold = rng.normal(0.4, 0.4), rng.normal(0.5, 0.4)
    track, trend, warming = rng.normal(0.02, 0.015), rng.normal(0, 0.12), rng.normal(4.0, 3.0)
    scatter, shift_sd = rng.uniform(0.08, 0.25), abs(rng.normal(0, 0.15))
    found = []
    for run in range(runs):
        level, compound, shift = run % 2, (run // (4 if marks else 2)) % 2, rng.normal(0, shift_sd)
        on = marks[run % len(marks)] if marks else ()
        gap = float(np.dot(on, gaps_s)) if marks else gap_s * level
        hours = 0.33 * run
        celsius = 28.0 + warming * hours + rng.normal(0, 0.4)
        driven = []
        for k in range(laps):
            kg, age = 30.0 - 1.4 * k, 1.0 + k + 4 * (run // 4)
            time = 73.0 + gap + fuel * kg + fade[compound] * age + offset * compound + cold * 0.4**k
            time += track * celsius + trend * hours + shift + scatter * rng.standard_t(4)
            time += rng.uniform(0.5, 3.0) * (rng.random() < SPOILED)
            driven.append(Observed(run, level, compound, kg, age, time, 1 + k, celsius, hours, on))
        kinds = propose([DrivenLap(k + 1, lap.time_s) for k, lap in enumerate(driven)], False, False)
        found += [lap for lap, (kind, _) in zip(driven, kinds, strict=True) if kind == "timed"]
    return found


def naive(laps: Sequence[Observed]) -> tuple[float, float]:
    """The 95 % interval that a comparison of mean laps gives: two independent samples of normal laps (Welch)."""
    a, b = (np.array([lap.time_s for lap in laps if lap.level == level]) for level in (0, 1))
    middle, spread = b.mean() - a.mean(), 1.96 * np.sqrt(a.var(ddof=1) / len(a) + b.var(ddof=1) / len(b))
    return float(middle - spread), float(middle + spread)


@pytest.mark.thorough
@pytest.mark.parametrize("block", range(many(1, 2)))
def test_intervals_cover_and_false_alarms_are_rare(block: int) -> None:
    """300 tests in two blocks where there is time; the bounds of coverage are 3.5 standard errors of a block around 95 %.

    A false alarm is the sentence "B is quicker" where there is no difference.
    """
    covered = false_alarms = fooled = 0
    trials = many(12, 150)
    for seed in range(block * 1000, block * 1000 + trials):
        gap = float(np.random.default_rng(seed + 77).normal(0, 0.3))
        verdict = judge(simulated(seed, gap), PRIORS)
        covered += verdict.low_s <= gap <= verdict.high_s
        equal = simulated(seed + 500, 0.0)
        null = judge(equal, PRIORS)
        false_alarms += null.settled and null.mean_s < 0
        low, high = naive(equal)
        fooled += not low <= 0.0 <= high
    assert fooled / trials > 0.05  # what the product is for: mean laps find differences where there are none
    assert many(0.74, 0.89) <= covered / trials <= many(1.0, 0.995)
    assert false_alarms / trials <= many(0.09, 0.05)


def test_a_large_gap_is_settled_and_said() -> None:
    verdict = judge(simulated(3, -1.5), PRIORS)
    assert verdict.settled and verdict.quicker > 0.99 and verdict.more_runs == 0
    text = sentence(verdict, "S1", "S2")
    assert text.startswith("S2 is quicker than S1 by 1.")
    assert "over 99 %" in text


def test_a_slower_one_is_settled_and_matters_as_a_quicker_one_does() -> None:
    verdict = judge(simulated(3, 1.5), PRIORS)
    assert verdict.settled and verdict.quicker < 0.01 and verdict.p_beyond_margin > 0.99
    assert sentence(verdict, "S1", "S2").startswith("S1 is quicker than S2 by 1.")


def test_a_small_gap_says_what_would_settle_it() -> None:
    verdict = judge(simulated(11, -0.05, runs=8, laps=4), PRIORS)
    text = sentence(verdict, "S1", "S2")
    assert not verdict.settled
    assert text.startswith("No difference settled: S2 is between")
    assert "more run" in text and "with a chance of" in text


def test_the_same_laps_give_the_same_verdict() -> None:
    assert judge(simulated(5, 0.1), PRIORS) == judge(simulated(5, 0.1), PRIORS)


def test_one_long_run_is_not_many_runs() -> None:
    """Twelve laps in one run each leave a wider interval than the same laps in six runs each."""
    long = judge(simulated(8, -0.2, runs=2, laps=12), PRIORS)
    short = judge(simulated(8, -0.2, runs=12, laps=2), PRIORS)
    assert long.high_s - long.low_s > short.high_s - short.low_s
    assert any("has only one run" in text for text in long.warnings)


def test_warnings_name_sequence_and_mixed_tyres() -> None:
    laps = [Observed(r, r // 2, r // 2, 20.0, 3.0 + k, 73.0 + 0.1 * k) for r in range(4) for k in range(5)]
    warnings = judge(laps, PRIORS, order=[0, 0, 1, 1]).warnings
    assert any("came before all" in text for text in warnings)
    assert any("different compounds" in text for text in warnings)
    with pytest.raises(ValueError, match="at least one timed lap"):
        judge([lap for lap in laps if lap.level == 0], PRIORS)


def test_cleaned_times_take_fuel_and_age_out() -> None:
    laps = [Observed(r, 0, 0, 30.0 - 1.5 * k, float(k), 73.0 + 0.012 * (30 - 1.5 * k) + 0.06 * k) for r in range(3) for k in range(8)]
    cleaned = corrected_times(laps, fit(laps, PRIORS))
    raw = np.array([lap.time_s for lap in laps])
    assert np.ptp(cleaned) < 0.5 * np.ptp(raw)


def test_figures_count_timed_laps_only() -> None:
    laps = [DrivenLap(1, 85.0, "out"), *[DrivenLap(n, 73.0 + 0.1 * n) for n in range(2, 8)], DrivenLap(8, 90.0, "in")]
    found = figures(laps)
    assert found.counted == 6
    assert found.best_s == pytest.approx(73.2)
    assert found.last_five_s == pytest.approx(0.4)
    assert figures([DrivenLap(1, 85.0, "out")]).best_s is None


def test_kinds_are_proposed_and_marks_stay() -> None:
    times = [86.0, 73.5, 73.4, 73.6, 76.9, 73.5, 73.4, 81.0]
    laps = [DrivenLap(n, t) for n, t in enumerate(times, start=1)]
    assert [kind for kind, _ in propose(laps, True, True)] == ["out", "timed", "timed", "timed", "spoiled", "timed", "timed", "in"]
    assert [kind for kind, _ in propose(laps[:3], False, False)] == ["timed"] * 3


def test_priors_need_an_offset_for_every_further_compound() -> None:
    with pytest.raises(ValueError, match="offset"):
        Priors(Prior(0.01, 0.01), (Prior(0.1, 0.1), Prior(0.1, 0.1)))


PATTERN = run_order(8, 2)


@pytest.mark.thorough
def test_several_differences_driven_in_a_pattern_are_told_apart() -> None:
    covered = []
    for seed in range(many(8, 60)):
        gaps = np.random.default_rng(seed + 9).normal(0, 0.3, 2)
        laps = simulated(seed, 0.0, runs=8, marks=PATTERN, gaps_s=tuple(gaps))
        covered += [verdict.low_s <= gap <= verdict.high_s for verdict, gap in zip(judge_several(laps, PRIORS), gaps, strict=True)]
    assert many(0.75, 0.88) <= float(np.mean(covered)) <= many(1.0, 0.995)
    far = judge_several(simulated(4, 0.0, runs=8, marks=PATTERN, gaps_s=(-1.0, 0.8)), PRIORS)
    assert far[0].settled and far[0].mean_s < 0 and far[1].settled and far[1].mean_s > 0
    assert far[0].runs == (4, 4)


@pytest.mark.parametrize(("marks", "words"), [([(0, 0), (1, 1)], "cannot be told apart"), ([(0, 0), (1, 0)], "the same on every lap")])
def test_differences_that_never_parted_are_refused(marks: list[tuple[int, int]], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        judge_several(simulated(4, 0.0, marks=marks, gaps_s=(0.1, 0.1)), PRIORS)


def test_a_warmer_afternoon_is_taken_out() -> None:
    """A is driven on a cool morning and B on a track 15 K warmer: the difference is the track's, not the sheet's."""
    laps = []
    for run in range(8):
        warm = 15.0 * (run >= 4)
        for k in range(7):
            time = 73.0 + 0.02 * warm + 0.05 * np.sin(1.7 * (7 * run + k))
            laps.append(Observed(run, run % 2 if run < 2 else int(run >= 4), 0, 25.0, 4.0 + k, time, 5, 24.0 + warm, 0.0))
    one = Priors(Prior(0.012, 0.003), (Prior(0.0, 0.01),), (), Prior(0.0, 0.1), Prior(0.02, 0.006), Prior(0.0, 0.1))
    verdict = judge(laps, one)
    assert verdict.low_s < 0.0 < verdict.high_s and abs(verdict.mean_s) < 0.15
    assert verdict.track_s_per_k[0] == pytest.approx(0.02, abs=0.012)


def test_three_levels_are_judged_from_one_posterior() -> None:
    two = simulated(6, -0.4, runs=8)
    laps = [replace(lap, level=2) if lap.run in (3, 5) else lap for lap in two]
    found = judge_levels(laps, PRIORS)
    assert len(found) == 2 and found[0].runs == (4, 2) and found[1].runs == (4, 2)
    assert all(verdict.low_s < -0.4 < verdict.high_s for verdict in found)
    pair = judge(two, PRIORS)
    assert judge_levels(two, PRIORS)[0].mean_s == pair.mean_s
    with pytest.raises(ValueError, match="every level"):
        judge_levels([lap for lap in laps if lap.level != 1], PRIORS)


@pytest.mark.parametrize("freedom", [1, 4, 5])
def test_the_weights_of_heavy_tails_are_drawn_from_a_chi_square(freedom: int) -> None:
    """Against SciPy's distribution function (Kolmogorov and Smirnov)."""
    drawn = [_half_chi_square(freedom) for _ in range(20_000)]
    from scipy import stats  # two seconds, for this one

    assert stats.kstest(drawn, "gamma", args=(0.5 * freedom,)).pvalue > 1e-4
