"""Verdicts where the track does not change evenly, drivers share a car or a side fades more; with days drawn by rules of their own."""

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import norm, t

from apexcore.judge.drift import Drifted, judged, kinds_of
from apexcore.judge.mixture import Mixture
from apexcore.judge.model import Observed
from apexcore.judge.plan import order_risk, run_order
from apexcore.judge.robust import pseudo_times
from apexcore.judge.verdict import fade_sentence, judge, judge_levels, sentence
from tests.amounts import many

from .worlds import BASE, BOOK, World

IN_TURN, TURNED, EIGHT = (0, 1) * 3, (0, 1, 1, 0, 0, 1), (0, 1, 1, 0, 1, 0, 0, 1)
Day = Callable[[Sequence[Observed], np.random.Generator], list[Observed]]


def step(size: float, after: int | None = None) -> Day:
    """The track is slower by this from a run on, which nobody knows where it is not told."""

    def day(laps: Sequence[Observed], rng: np.random.Generator) -> list[Observed]:
        first = after if after is not None else int(rng.integers(1, max(lap.run for lap in laps) + 1))
        return [replace(lap, time_s=lap.time_s + size * (lap.run >= first)) for lap in laps]

    return day


def washed(laps: Sequence[Observed], rng: np.random.Generator) -> list[Observed]:
    """The rubber of the first hour is gone at once, and comes again."""
    return [replace(lap, time_s=lap.time_s - 1.0 * (1.0 - math.exp(-(lap.hours % 1.0) / 0.45))) for lap in laps]


def bent(laps: Sequence[Observed], rng: np.random.Generator) -> list[Observed]:
    span = max(lap.hours for lap in laps)
    return [replace(lap, time_s=lap.time_s + 0.6 * (2.0 * lap.hours / span - 1.0) ** 2) for lap in laps]


def two_drivers(order: str) -> Day:
    """Ann is quicker than Bo by half a second; who drove is told."""

    def day(laps: Sequence[Observed], rng: np.random.Generator) -> list[Observed]:
        return [
            replace(lap, time_s=lap.time_s + 0.5 * (order[lap.run] == "B"), tags=(("driver", {"A": "Ann", "B": "Bo"}[order[lap.run]]),))
            for lap in laps
        ]

    return day


def as_drawn(laps: Sequence[Observed], rng: np.random.Generator) -> list[Observed]:
    return list(laps)


def rates(world: World, day: Day, gap_s: float, trials: int) -> tuple[float, float, float]:
    """Share of 95 % intervals that hold the truth, of verdicts that are false without a difference, and of those that are right; at the
    number of runs that was planned."""
    held = false = right = 0
    for seed in range(trials):
        sign = 1.0 if seed % 2 else -1.0
        for gap in (0.0, sign * gap_s):
            laps = day(world.driven(seed + (70_000 if gap else 0), gap), np.random.default_rng([seed, 9]))
            verdict = judge(laps, BOOK, planned=len(world.order))
            held += verdict.low_s <= gap <= verdict.high_s
            if gap:
                right += verdict.settled and verdict.mean_s * gap > 0.0
            else:
                false += verdict.settled
    return held / (2 * trials), false / trials, right / trials


#: Name, order, day, difference; least share held, most false, least power: the study's bounds, three standard errors wide at 40 tests.
DAYS: list[tuple[str, Sequence[int], Day, float, float, float, float]] = [
    ("plain", IN_TURN, as_drawn, 0.25, 0.88, 0.12, 0.22),
    ("a step after three runs", TURNED, step(0.6, 3), 0.3, 0.85, 0.18, 0.15),
    ("a step somewhere", TURNED, step(0.6), 0.3, 0.85, 0.18, 0.1),
    ("a step somewhere, in turn", IN_TURN, step(0.6), 0.3, 0.88, 0.12, 0.1),
    ("rubber washed off", EIGHT, washed, 0.3, 0.8, 0.2, 0.2),
    ("a bent day", EIGHT, bent, 0.3, 0.88, 0.12, 0.3),
    ("two drivers", IN_TURN, two_drivers("AABBAB"), 0.3, 0.88, 0.12, 0.22),
    ("two drivers, unevenly", TURNED, two_drivers("AABABB"), 0.3, 0.88, 0.12, 0.22),
]


@pytest.mark.thorough_only
@pytest.mark.parametrize(("name", "order", "day", "gap", "held", "false", "right"), DAYS, ids=[row[0] for row in DAYS])
def test_on_days_that_drift_in_any_way_verdicts_hold(
    name: str, order: Sequence[int], day: Day, gap: float, held: float, false: float, right: float
) -> None:
    found = rates(replace(BASE, order=order), day, gap, many(6, 40))
    assert found[0] >= many(0.6, held) and found[1] <= many(0.5, false) and found[2] >= many(0.0, right), found


def test_the_mixture_is_that_of_the_whole_model_drawn_by_brute_force() -> None:
    """Four runs of a track that may have stepped: the posterior by weighted draws of everything from its prior."""
    hours, days = np.array([0.0, 0.4, 0.8, 1.2]), np.zeros(4, dtype=np.int64)
    kinds = kinds_of(hours, days)
    assert sum(kind.weight for kind in kinds) == pytest.approx(1.0)
    assert [kind.after for kind in kinds if kind.name == "step"] == [1, 2, 3]
    means, side, noise = np.array([0.0, 0.5, 0.95, 0.52]), np.array([0.0, 1.0, 1.0, 0.0]), 0.08
    rng = np.random.default_rng(1)
    n = 400_000
    cut = np.array([kind.weight for kind in kinds])
    which = rng.choice(len(kinds), n, p=cut / cut.sum())
    drift = np.zeros((n, 4))
    for k, kind in enumerate(kinds):
        mine = which == k
        size = rng.choice(kind.sizes, mine.sum()) if kind.sizes else np.zeros(mine.sum())
        if kind.name == "walk":
            moves = rng.standard_normal((mine.sum(), 3)) * np.sqrt(np.diff(hours) / 0.35)
            drift[mine, 1:] = size[:, None] * np.cumsum(moves, axis=1)
        elif kind.name != "none":
            drift[mine] = (size * rng.standard_normal(mine.sum()))[:, None] * kind.column
    shifts = np.geomspace(0.008, 1.6, 10)
    weights = shifts / (1.0 + (shifts / 0.1) ** 2)
    shift = rng.choice(shifts, n, p=weights / weights.sum())
    trend = rng.choice([0.1, 0.8], n, p=[0.6, 0.4]) * rng.standard_normal(n)
    # given these, level and difference are least squares over four runs of equal weight
    rest = means - drift - trend[:, None] * (hours - hours.mean())
    spread = np.sqrt(shift**2 + noise**2)
    d = rest @ (side - 0.5) * 1.0
    misfit = ((rest - rest.mean(axis=1, keepdims=True) - d[:, None] * (side - 0.5)) ** 2).sum(axis=1)
    log = -2.0 * np.log(spread) - 0.5 * misfit / spread**2  # two of four degrees of freedom are left
    share = np.exp(log - log.max())
    mean = float((share * d).sum() / share.sum())
    sd = math.sqrt(float((share * ((d - mean) ** 2 + spread**2)).sum() / share.sum()))
    laps = [
        Observed(r, int(side[r]), 0, 0.0, 0.0, 70.0 + means[r] + x, hours=float(hours[r]), driven=1e6)
        for r, x in itertools.product(range(4), noise * np.array([-1.2, -0.6, 0.0, 0.6, 1.2]))
    ]
    sure = replace(
        BOOK, fuel=replace(BOOK.fuel, sd=1e-9), fade=(replace(BOOK.fade[0], sd=1e-9),), offset=(), cold=replace(BOOK.cold, sd=1e-9)
    )
    found = judged(laps, replace(sure, track=replace(BOOK.track, sd=1e-9))).effects[0]
    assert found.mean == pytest.approx(mean, abs=0.03)
    assert math.sqrt(found.variance) == pytest.approx(sd, rel=0.2)


def test_laps_as_normal_ones_tell_what_a_heavy_tailed_likelihood_tells() -> None:
    """The mean of one long run of t4 laps: where its likelihood is greatest, and how sharp it is there."""
    rng = np.random.default_rng(5)
    y = 0.2 * rng.standard_t(4, 400)
    found = pseudo_times(np.zeros((400, 1)), y, np.zeros(400, dtype=np.int64), np.zeros(1), np.ones(1))
    grid = np.linspace(-0.1, 0.1, 4001)
    log = np.array([t.logpdf(y - at, 4, 0.0, found.scale_s).sum() for at in grid])
    assert float(found.times_s.mean()) == pytest.approx(float(grid[log.argmax()]), abs=0.004)
    assert found.scale_s == pytest.approx(0.2, rel=0.15)
    assert found.variance == pytest.approx(7.0 / 5.0 * found.scale_s**2, rel=0.15)  # (nu + 3) / (nu + 1) scale2
    late = np.concatenate([y[:40], y[40:48] + 2.5])
    spoiled = pseudo_times(np.zeros((48, 1)), late, np.zeros(48, dtype=np.int64), np.zeros(1), np.ones(1))
    assert abs(float(spoiled.times_s.mean()) - float(np.median(y[:40]))) < 0.12 and spoiled.spoiled >= 0.06


def test_the_same_laps_give_the_same_answer() -> None:
    laps = BASE.driven(3, 0.2)
    one, other = judged(laps, BOOK), judged(laps, BOOK)
    assert one.effects[0].interval(0.95) == other.effects[0].interval(0.95)
    swapped = judged([replace(lap, level=1 - lap.level) for lap in laps], BOOK)
    assert swapped.effects[0].mean == pytest.approx(-one.effects[0].mean, abs=1e-5)
    later = judged([replace(lap, time_s=lap.time_s + 31.0) for lap in laps], BOOK)
    assert later.effects[0].mean == pytest.approx(one.effects[0].mean, abs=1e-4)


@pytest.mark.parametrize("seed", [0, 9])
def test_a_step_that_would_explain_it_stands_in_the_way_and_is_said(seed: int) -> None:
    """Two equal sheets on a track that steps: without the guard these would be settled."""
    laps = step(0.6, 3)(replace(BASE, order=TURNED).driven(seed, 0.0), np.random.default_rng(0))
    verdict = judge(laps, BOOK, planned=6)
    assert verdict.drift is not None and (verdict.drift.kind.name, verdict.drift.kind.after) == ("step", 3) and not verdict.settled
    alone = judged(laps, BOOK).effects[0].interval(0.95)
    assert alone[0] > 0.0 or alone[1] < 0.0
    assert verdict.low_s <= 0.0 <= verdict.high_s
    told = sentence(verdict, "S1", "S2")
    assert (
        told.startswith("Unsettled: had the track changed by about 0.") and "after run 3 of these" in told and "Drive two more runs" in told
    )


def test_a_break_between_all_of_one_and_all_of_the_other_is_the_difference_itself() -> None:
    laps = replace(BASE, order=(0, 0, 0, 1, 1, 1)).driven(2, -0.9)
    found = judged(laps, BOOK)
    names = [(one.kind.name, one.kind.after) for one in found.guards(0, [0, 0, 0, 1, 1, 1])]
    assert ("step", 3) not in names


def test_a_tag_that_goes_with_the_sheets_is_named_and_one_that_does_not_is_taken_out() -> None:
    laps = two_drivers("ABABAB")(BASE.driven(4, 0.3), np.random.default_rng(0))
    found = judged(laps, BOOK)
    assert found.left_out == ("driver",)
    assert any(text.startswith("Driver changed exactly as the two did") for text in judge(laps, BOOK).warnings)
    even = two_drivers("AABBAB")(BASE.driven(4, 0.3), np.random.default_rng(0))
    with_tag, without = judged(even, BOOK), judged([replace(lap, tags=()) for lap in even], BOOK)
    assert with_tag.left_out == () and with_tag.effects[0].variance < 0.5 * without.effects[0].variance
    alone = judged([replace(lap, tags=(("driver", "Ann"),)) for lap in even], BOOK)
    assert alone.effects[0].mean == pytest.approx(without.effects[0].mean, abs=1e-12)


def test_a_wet_run_that_has_to_be_judged_with_dry_ones_is_a_covariate() -> None:
    laps = [
        replace(lap, time_s=lap.time_s + 6.0 * (lap.run == 2), tags=(("track", "wet"),) if lap.run == 2 else ())
        for lap in replace(BASE, order=EIGHT).driven(6, 0.4)
    ]
    assert abs(judged(laps, BOOK).effects[0].mean - 0.4) < 0.3


def fading(seed: int, gap_s: float, more_s: float, laps: int, runs: int) -> list[Observed]:
    world = replace(BASE, order=((0, 1, 1, 0) * 3)[:runs], laps=laps)
    return [replace(lap, time_s=lap.time_s + lap.level * more_s * lap.tyre_age) for lap in world.driven(seed, gap_s)]


@pytest.mark.thorough_only
def test_a_side_that_is_quicker_new_and_fades_more_is_told_with_its_crossing() -> None:
    apart = held = crossed = 0
    seeds = many(5, 12)
    for seed in range(seeds):
        verdict = judge(fading(seed, -0.3, 0.03, 20, 4), BOOK)
        assert verdict.fade is not None
        low, high = Mixture.normal(*verdict.fade.more_s).interval(0.95)
        held += low <= 0.03 <= high
        if verdict.fade.apart:
            apart += 1
            told = fade_sentence(verdict, "S1", "S2", 30)
            assert told.startswith("S2 is quicker new by") and "ms a lap against S1" in told and "over 30 laps S2 is" in told
            crossing = verdict.fade.crossing()
            crossed += crossing is not None and crossing[1] <= 10.0 <= crossing[2]
    assert apart >= seeds // 2 and held >= seeds - 3 and crossed >= apart - 2
    equal = [judge(fading(seed, 0.0, 0.0, 20, 6), BOOK).fade for seed in range(many(3, 8))]
    assert sum(one is not None and one.apart for one in equal) <= 2
    assert fade_sentence(judge(BASE.driven(1, 0.0), BOOK), "S1", "S2") == ""


def test_a_view_of_all_sheets_asks_for_as_much_as_one_of_two() -> None:
    laps = [replace(lap, level=lap.run % 3) for lap in replace(BASE, order=(0, 1, 0) * 3).driven(1, 0.0)]
    assert all(verdict.bar.chance == 0.99 and verdict.shrunk for verdict in judge_levels(laps, BOOK))


def test_the_chances_that_are_named_add_up() -> None:
    verdict = judge(BASE.driven(2, 0.05), BOOK, 0.1)
    assert verdict.quicker_by + verdict.slower_by + verdict.neither == pytest.approx(1.0)
    assert verdict.quicker_by <= verdict.quicker


def test_what_more_runs_would_do_is_said_as_a_chance() -> None:
    sentences = [sentence(judge(replace(BASE, order=(0, 1, 1, 0), shift_s=0.2).driven(seed, 0.1), BOOK), "S1", "S2") for seed in range(8)]
    assert any("12 more runs of each settle it with a chance of about" in text for text in sentences)
    assert not any("0 0 %" in text for text in sentences)


def test_orders_are_rated_by_what_a_step_would_do_to_them() -> None:
    assert run_order(6, 1) == tuple((side,) for side in IN_TURN) and run_order(8, 1) == tuple((side,) for side in EIGHT)
    risky, safe = order_risk(TURNED), order_risk(IN_TURN)
    assert risky.ratio > 1.4 > safe.ratio and risky.after == 3
    assert order_risk(EIGHT).ratio < 1.4


def _normal_parts(found: Drifted) -> float:
    return float(np.average(norm.cdf(0.0, found.effects[0].middle, found.effects[0].width), weights=found.effects[0].share))


def test_chances_are_those_of_the_parts() -> None:
    found = judged(BASE.driven(5, 0.1), BOOK)
    assert found.effects[0].below(0.0) == pytest.approx(_normal_parts(found), abs=1e-12)
