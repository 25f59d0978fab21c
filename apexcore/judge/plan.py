"""A planned test: how many runs of how many laps, in which order, for a difference that one cares about."""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .bar import bar_for
from .model import Observed, Prior, Priors, fit, information_of
from .planned import planned_variances

#: Laps of a run without which it tells nothing of the scatter.
_LEAST_LAPS = 3
#: Chance of settling the difference that a plan should have, and most runs that one plans.
POWER, MOST_RUNS = 0.8, 16
#: Draws of scatter and spread over which a promise is averaged; and how unsure figures are that a racer entered, as shares.
_DRAWS, _ENTERED = 60, (0.12, 0.35)
#: Fuel a lap and warm-up that the planned runs are thought with; they hardly matter, for both sides carry them [kg].
_KG_A_LAP, _KG_AT_START = 1.4, 25.0


@dataclass(frozen=True)
class Spread:
    """How a driver's laps and runs scatter, and how sure that is.

    :param scatter_s: scale of the laps, most likely [s]
    :param shift_s: spread from run to run, most likely [s]
    :param draws: scatter, spread and share of spoiled laps, drawn from what is known
    """

    scatter_s: float
    shift_s: float
    draws: tuple[tuple[float, float, float], ...]

    @classmethod
    def entered(cls, scatter_s: float, shift_s: float) -> "Spread":
        """Figures that a racer gave, unsure by `_ENTERED`."""
        rng = np.random.default_rng(20_261)
        factors = np.exp(rng.standard_normal((_DRAWS, 2)) * _ENTERED)
        return cls(scatter_s, shift_s, tuple((scatter_s * float(a), shift_s * float(b), 0.0) for a, b in factors))


@dataclass(frozen=True)
class Question:
    """What a test is to find out, and what it may cost.

    :param difference_s: the difference that matters [s]
    :param spread: of the driver
    :param lap_s: a lap [s]
    :param stop_s: in the pits between runs [s]
    :param minutes: time left [min]
    :param differences: how many are tried at once
    """

    difference_s: float
    spread: Spread
    lap_s: float
    stop_s: float
    minutes: float
    differences: int = 1


@dataclass(frozen=True)
class TestPlan:
    """Runs to drive.

    :param order: of each run, which differences are on (1)
    :param laps: timed laps a run
    :param power: chance that the verdict is settled if the difference is as large as asked [-]
    :param minutes: what it takes [min]
    :param enough: whether it has the power wanted
    """

    __test__ = False  # not one of pytest's

    order: tuple[tuple[int, ...], ...]
    laps: int
    power: float
    minutes: float
    enough: bool


#: Orders of one difference that are not simply in turn, by the number of runs.
_TURNS = {4: (0, 1, 1, 0), 8: (0, 1, 1, 0, 1, 0, 0, 1), 16: (0, 1, 1, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 1, 1, 0)}


def run_order(runs: int, differences: int) -> tuple[tuple[int, ...], ...]:
    """Which differences are on in each run.

    One: in turn, or so that an even trend favours neither where that is as safe against a track that changes at once. Several: a
    two-level factorial (three: its half fraction, the third the product of the others), every second round backwards (Box, Hunter &
    Hunter, Statistics for Experimenters, ch. 5 and 6).
    """
    if differences == 1:
        return tuple((side,) for side in (_TURNS[runs] if runs in _TURNS else [run % 2 for run in range(runs)]))
    base2 = [(0, 0), (1, 0), (0, 1), (1, 1)]
    rounds = []
    for number in range(math.ceil(runs / 4)):
        rounds += base2 if number % 2 == 0 else base2[::-1]
    if differences == 2:
        return tuple(rounds[:runs])
    return tuple((a, b, int(a == b)) for a, b in rounds[:runs])


def power_of(order: Sequence[tuple[int, ...]], laps: int, question: Question, priors: Priors) -> float:
    """Chance that the first difference will be settled when these runs are driven as planned [-].

    Source: power of a test of a normal mean with the model's own standard deviation against the t quantile of as many degrees of
    freedom as runs, averaged over what scatter and spread may be.

    :param laps: timed laps a run
    """
    from scipy.special import ndtr, stdtrit

    several = len(order[0]) > 1
    hour = (laps * question.lap_s + question.stop_s) / 3600.0
    planned = [
        Observed(
            run, 0 if several else marks[0], 0, _KG_AT_START - _KG_A_LAP * k, 2.0 + k, 0.0, 1 + k, 0.0, run * hour, marks if several else ()
        )
        for run, marks in enumerate(order)
        for k in range(laps)
    ]  # fmt: skip
    scatter, shift, spoiled = np.array(question.spread.draws).T
    sd = np.sqrt(planned_variances(planned, information_of(scatter, spoiled), shift, priors))
    chance = bar_for(len(order), len(order), priors.knows_driver).chance
    edge, away = float(stdtrit(len(order), 0.5 * (1.0 + chance))), question.difference_s / sd
    return float((ndtr(away - edge) + ndtr(-away - edge)).mean())


def plans(question: Question, priors: Priors, order: Sequence[int] = ()) -> list[TestPlan]:
    """One plan for each length of run that fits the time left: the shortest with the power wanted, else the strongest.

    The best comes first: enough power in the least time.

    :param order: side of each run, where the racer names one; of one difference
    """
    found = []
    block = 2 if question.differences == 1 else 4  # runs that belong together
    for laps in (3, 4, 5, 6, 8, 10, 12):
        chosen: TestPlan | None = None
        for runs in [len(order)] if order else range(block, MOST_RUNS + 1, block):
            # every run has an out-lap and an in-lap besides
            minutes = runs * ((laps + 2) * question.lap_s + question.stop_s) / 60.0
            if minutes > question.minutes:
                break
            driven = tuple((side,) for side in order) or run_order(runs, question.differences)
            power = power_of(driven, laps, question, priors)
            chosen = TestPlan(driven, laps, power, minutes, power >= POWER)
            if chosen.enough:
                break
        if chosen is not None:
            found.append(chosen)
    found.sort(key=lambda plan: (not plan.enough, plan.minutes if plan.enough else -plan.power))
    return found


def spread_of(laps: Sequence[Observed], priors: Priors) -> Spread | None:
    """How a driver's laps and runs scatter, from the lap model with all that it knows; None with too few laps.

    :param laps: timed laps of any levels, in the order driven
    """
    long = sum(count for count in Counter(lap.run for lap in laps).values() if count >= _LEAST_LAPS)
    if long < 2 * _LEAST_LAPS:
        return None
    dense = {level: place for place, level in enumerate(sorted({lap.level for lap in laps}))}
    found = fit([replace(lap, level=dense[lap.level]) for lap in laps], priors)
    take = np.linspace(0, len(found.scatter) - 1, _DRAWS).astype(int)
    draws = tuple((float(found.scatter[k]), float(found.shift_sd[k]), float(found.spoiled[k])) for k in take)
    return Spread(float(np.median(found.scatter)), float(np.median(found.shift_sd)), draws)


def scatter_of(runs: Sequence[Sequence[float]]) -> Spread | None:
    """The same of laps with everything else taken out.

    :param runs: lap times of each run [s]
    """
    nothing = Prior(0.0, 1e-6)
    laps = [Observed(number, 0, 0, 0.0, 0.0, time, driven=1e3) for number, run in enumerate(runs) for time in run]
    return spread_of(laps, Priors(nothing, (nothing,), (), nothing, nothing, nothing)) if laps else None


@dataclass(frozen=True)
class Risk:
    """What a track that changes at once would do to an order of runs.

    :param ratio: spread of the difference where that is allowed for over that where it is not [-]
    :param after: runs after which it would do most
    """

    ratio: float
    after: int


#: A ratio from which on an order is advised against.
RISKY = 1.4
#: Spread of the mean of a run with which orders are rated [s]: a run's shift of 0.10 s, and six laps of 0.2 s.
_RUN_SD_S = 0.14


def order_risk(order: Sequence[int]) -> Risk:
    """Rates an order of runs of two sides, of equal length and evenly spaced.

    Source: standard deviation of a coefficient of least squares, with an even trend, and with a step behind the worst run beside it.

    :param order: side of each run, 0 or 1
    """
    runs = len(order)
    side, at = np.array(order, dtype=float), np.arange(runs, dtype=float)
    plain = np.column_stack([np.ones(runs), side, (at - at.mean()) * 0.2])
    prior = np.diag([0.0, 0.0, 1.0 / 0.6**2])

    def sd(columns: np.ndarray, penalty: np.ndarray) -> float:
        return float(np.sqrt(np.linalg.pinv(columns.T @ columns / _RUN_SD_S**2 + penalty)[1, 1]))

    without, worst = sd(plain, prior), (0.0, 0)
    for after in range(1, runs):
        step = (at >= after).astype(float)
        if np.array_equal(step, side) or np.array_equal(step, 1.0 - side):
            continue  # all of one before all of the other: no order tells these apart, and that is said elsewhere
        worst = max(worst, (sd(np.column_stack([plain, step]), np.diag([0.0, 0.0, 1.0 / 0.6**2, 1.0])), after))
    return Risk(worst[0] / without if worst[1] else 1.0, worst[1])
