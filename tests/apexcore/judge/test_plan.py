"""Planned tests against simulated ones; qualifying against closed forms."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.special import ndtr

from apexcore.errors import InputError
from apexcore.judge.model import Observed
from apexcore.judge.plan import POWER, Question, Spread, plans, power_of, run_order, scatter_of
from apexcore.judge.qualifying import Form, attempts
from apexcore.judge.tags import parse_tags, tags_text
from apexcore.judge.verdict import judge, judge_several
from tests.amounts import many
from tests.apexcore.judge.test_judge import PRIORS


def driven_to_plan(order: tuple[tuple[int, ...], ...], laps: int, ask: Question, gap_s: float, seed: int) -> list[Observed]:
    """The laps of a planned test whose first difference is worth `gap_s`, with everything else drawn from the priors."""
    rng = np.random.default_rng(seed)
    fuel, fades = rng.normal(PRIORS.fuel.mean, PRIORS.fuel.sd), rng.normal(PRIORS.fade[0].mean, PRIORS.fade[0].sd)
    cold, trend = rng.normal(PRIORS.cold.mean, PRIORS.cold.sd), rng.normal(0, 0.12)
    hour = (laps * ask.lap_s + ask.stop_s) / 3600
    found = []
    for run, marks in enumerate(order):
        shift = rng.normal(0, ask.spread.shift_s)
        for k in range(laps):
            kg, age = 25.0 - 1.4 * k, 2.0 + k
            time = 73 + gap_s * marks[0] + fuel * kg + fades * age + cold * 0.4**k + trend * run * hour + shift
            time += ask.spread.scatter_s * rng.standard_t(4)
            several = len(marks) > 1
            level, on = (0, marks) if several else (marks[0], ())
            found.append(Observed(run, level, 0, kg, age, time, 1 + k, 0.0, run * hour, on))
    return found


def settled_share(ask: Question, order: tuple[tuple[int, ...], ...], laps: int, trials: int, first: int = 0) -> float:
    """How many of so many simulated tests are settled."""
    count = 0
    for seed in range(first, first + trials):
        driven = driven_to_plan(order, laps, ask, -ask.difference_s, seed)
        count += (
            judge_several(driven, PRIORS, planned=len(order))[0] if len(order[0]) > 1 else judge(driven, PRIORS, planned=len(order))
        ).settled
    return count / trials


@pytest.mark.thorough
@pytest.mark.parametrize(
    "ask",
    [
        pytest.param(Question(0.2, Spread.entered(0.12, 0.06), 75, 240, 600), marks=pytest.mark.thorough_only),
        pytest.param(Question(0.35, Spread.entered(0.2, 0.12), 75, 240, 600), marks=pytest.mark.thorough_only),
        pytest.param(Question(0.3, Spread.entered(0.15, 0.1), 75, 240, 600, differences=2), marks=pytest.mark.thorough_only),
    ],
)
def test_a_plan_has_the_power_that_it_promises(ask: Question) -> None:
    """120 tests: the standard error of the share is 3.6 points; the proof page holds it with 1,000."""
    plan = plans(ask, PRIORS)[0]
    assert plan.enough and plan.power >= POWER
    assert settled_share(ask, plan.order, plan.laps, many(14, 120)) == pytest.approx(plan.power, abs=many(0.33, 0.12))


def test_more_runs_and_less_scatter_have_more_power() -> None:
    ask = Question(0.2, Spread.entered(0.12, 0.06), 75, 240, 600)
    shares = [power_of(run_order(runs, 1), 4, ask, PRIORS) for runs in (4, 8, 12)]
    assert shares == sorted(shares) and shares[0] < shares[-1]
    calm = Question(0.2, Spread.entered(0.06, 0.03), 75, 240, 600)
    assert power_of(run_order(8, 1), 4, calm, PRIORS) > shares[1]
    nothing = Question(1e-9, Spread.entered(0.12, 0.06), 75, 240, 600)
    assert power_of(run_order(8, 1), 4, nothing, PRIORS) < 0.05


def test_a_plan_keeps_within_the_time_left_and_says_when_that_is_not_enough() -> None:
    short = plans(Question(0.05, Spread.entered(0.2, 0.1), 75, 240, 60), PRIORS)
    assert short and not short[0].enough and all(plan.minutes <= 60 for plan in short)
    assert short[0].power == max(plan.power for plan in short)
    assert plans(Question(0.05, Spread.entered(0.2, 0.1), 75, 240, 5), PRIORS) == []


@pytest.mark.parametrize("differences", [1, 2, 3])
def test_the_order_is_balanced_and_tells_every_difference_apart(differences: int) -> None:
    order = np.array(run_order(8, differences))
    assert (order.sum(axis=0) == 4).all()
    assert np.linalg.matrix_rank(np.column_stack([np.ones(8), order])) == differences + 1
    first = order[:, 0]
    assert abs(float(np.dot(first - 0.5, np.arange(8)))) < 1e-9  # an even trend favours neither


def test_the_scatter_is_read_from_laps() -> None:
    rng = np.random.default_rng(4)
    runs = [73 + rng.normal(0, 0.1) + 0.15 * rng.standard_t(4, 12) for _ in range(120)]
    found = scatter_of([list(run) for run in runs])
    assert found is not None
    assert found.scatter_s == pytest.approx(0.15, rel=0.15) and found.shift_s == pytest.approx(0.1, rel=0.25)
    assert scatter_of([[73.0, 73.1]]) is None


def test_qualifying_without_scatter_is_a_sum() -> None:
    calm = Form((70.0, 1e-9), 0.8, 0.05, 0.06, 1e-9, 0.0)
    one = next(a for a in attempts(calm) if a.laps == 1 and not a.scrubbed)
    assert one.best_s[0] == pytest.approx(70 + 0.8 + 0.05 + 2 * 0.06, abs=1e-6) and one.clean == 1.0 and one.likely == 1
    three = next(a for a in attempts(calm) if a.laps == 3 and not a.scrubbed)
    laps = [70 + 0.8 * 0.4**k + 0.05 * (1 + k) + 0.06 * (4 - k) for k in range(3)]
    assert three.best_s[0] == pytest.approx(min(laps), abs=1e-6) and three.likely == int(np.argmin(laps)) + 1


def test_the_chance_of_a_clean_lap_grows_with_the_laps_and_a_time_has_its_chance() -> None:
    wild = Form((70.0, 0.1), 0.5, 0.03, 0.05, 0.15, 0.3)
    found = {attempt.laps: attempt for attempt in attempts(wild, wanted_s=70.3) if not attempt.scrubbed}
    for laps, plan in found.items():
        assert plan.clean == pytest.approx(1 - 0.3**laps, abs=0.01)
        assert plan.beats is not None and plan.beats <= plan.clean
    assert attempts(wild, wanted_s=70.3)[0].beats == max(attempt.beats or 0 for attempt in attempts(wild, wanted_s=70.3))


def test_the_chance_in_qualifying_knows_that_a_run_may_be_bad_as_a_whole() -> None:
    """Against a closed form: without scatter the best lap is normal, with the day's spread and the run's."""
    steady = Form((70.0, 0.03), 0.0, 0.0, 0.0, 1e-9, 0.0, 0.1)
    found = attempts(steady, most=1, wanted_s=69.85)[0]
    assert found.beats == pytest.approx(float(ndtr(-0.15 / np.hypot(0.03, 0.1))), abs=0.01)
    without = attempts(replace(steady, shift_s=0.0), most=1, wanted_s=69.85)[0]
    assert without.beats is not None and without.beats < 0.001


def test_the_best_number_of_laps_is_not_the_largest_offered() -> None:
    heavy = Form((70.0, 0.05), 0.3, 0.05, 0.08, 0.1, 0.05, 0.08)
    assert 1 <= attempts(heavy)[0].laps < 6
    assert attempts(replace(heavy, fuel_s=0.0, fade_s=0.0, mistakes=0.5))[0].laps == 8  # where laps cost nothing, more are better


@pytest.mark.thorough_only
def test_a_plan_from_few_laps_keeps_what_it_promises() -> None:
    """Scatter and spread read from four short runs, then the test that was planned with them, driven: 60 times."""
    promised = kept = 0.0
    tests = many(14, 60)
    for seed in range(tests):
        rng = np.random.default_rng(seed)
        seen = scatter_of([list(73 + 0.08 * rng.standard_normal() + 0.2 * rng.standard_t(4, 3)) for _ in range(4)])
        assert seen is not None
        plan = plans(Question(0.35, seen, 75, 240, 600), PRIORS)[0]
        promised += plan.power
        truth = Question(0.35, Spread(0.2, 0.08, ()), 75, 240, 600)
        kept += settled_share(truth, plan.order, plan.laps, 1, first=5000 + seed)
    assert kept / tests >= promised / tests - many(0.3, 0.17)  # three standard errors


def test_scatter_is_not_read_too_small_from_short_runs() -> None:
    rng = np.random.default_rng(9)
    found = []
    for _ in range(40):
        one = scatter_of([list(73 + 0.2 * rng.standard_t(4, 3)) for _ in range(6)])
        assert one is not None
        found.append(one.scatter_s)
    assert 0.17 <= float(np.mean(found)) <= 0.24


def test_tags_are_read_and_written() -> None:
    assert parse_tags("Line=late; driver = Ann, scrubbed") == {"line": "late", "driver": "Ann", "scrubbed": "yes"}
    assert parse_tags(tags_text({"line": "late", "driver": "Ann"})) == {"line": "late", "driver": "Ann"}
    assert parse_tags("  ") == {}


@pytest.mark.parametrize("text", ["=late", "line=", "a=b=c", "x" * 50, "line=a; line=b", ";".join(f"t{n}=1" for n in range(14))])
def test_tags_that_are_none_are_refused(text: str) -> None:
    with pytest.raises(InputError, match="tags"):
        parse_tags(text)
