"""A planned test: how many runs of how many laps, in which order, for a difference that one cares about."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .model import Observed, Priors, information_of, scale_of
from .verdict import planned_sd

#: Chance of settling the difference that a plan should have, and most runs that one plans.
POWER, MOST_RUNS = 0.8, 16
#: What the prior of the spread from run to run is worth: as that spread [s] seen in so many runs, and in degrees of freedom
#: of the interval. Source: fitted to simulated tests of 4 to 12 runs (docs/proof.md holds them against new ones).
_PRIOR_SHIFT_S, _PRIOR_RUNS, _PRIOR_FREEDOM = 0.1, 2, 4
#: Fuel a lap and warm-up that the planned runs are thought with; they hardly matter, for both sides carry them [kg].
_KG_A_LAP, _KG_AT_START = 1.4, 25.0


@dataclass(frozen=True)
class Question:
    """What a test is to find out, and what it may cost.

    :param difference_s: the difference that matters [s]
    :param scatter_s: scale of the driver's laps [s]
    :param shift_s: spread from run to run [s]
    :param lap_s: a lap [s]
    :param stop_s: in the pits between runs [s]
    :param minutes: time left [min]
    :param differences: how many are tried at once
    """

    difference_s: float
    scatter_s: float
    shift_s: float
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


def run_order(runs: int, differences: int) -> tuple[tuple[int, ...], ...]:
    """Which differences are on in each run.

    One: A B B A and so on, so that a track that comes in evenly favours neither. Several: a two-level factorial (three: its
    half fraction, the third the product of the others), every second round backwards (Box, Hunter & Hunter, Statistics for
    Experimenters, ch. 5 and 6).
    """
    if differences == 1:
        base = [(0,), (1,), (1,), (0,)]
        return tuple(base[run % 4] for run in range(runs))
    base2 = [(0, 0), (1, 0), (0, 1), (1, 1)]
    rounds = []
    for number in range(math.ceil(runs / 4)):
        rounds += base2 if number % 2 == 0 else base2[::-1]
    if differences == 2:
        return tuple(rounds[:runs])
    return tuple((a, b, int(a == b)) for a, b in rounds[:runs])


def power_of(order: Sequence[tuple[int, ...]], laps: int, question: Question, priors: Priors) -> float:
    """Chance that the 95 % interval of the first difference will lie on one side of zero [-].

    Source: power of a two-sided t test, a non-central t, with the model's own standard deviation.

    :param laps: timed laps a run
    """
    from scipy.special import nctdtr, stdtrit  # scipy.stats has the same, and takes two seconds to import

    several = len(order[0]) > 1
    hour = (laps * question.lap_s + question.stop_s) / 3600.0
    planned = [
        Observed(
            run, 0 if several else marks[0], 0, _KG_AT_START - _KG_A_LAP * k, 2.0 + k, 0.0, 1 + k, 0.0, run * hour, marks if several else ()
        )
        for run, marks in enumerate(order)
        for k in range(laps)
    ]  # fmt: skip
    # the spread from run to run is known from as many runs as there are beyond the effects and the level, and from its prior
    known = max(len(order) - len(order[0]) - 1, 1)
    shift = math.sqrt((known * question.shift_s**2 + _PRIOR_RUNS * _PRIOR_SHIFT_S**2) / (known + _PRIOR_RUNS))
    sd = planned_sd(planned, information_of(question.scatter_s), shift, priors)
    freedom = known + _PRIOR_FREEDOM
    edge = float(stdtrit(freedom, 0.975))
    away = question.difference_s / sd
    return float(1.0 - nctdtr(freedom, away, edge) + nctdtr(freedom, away, -edge))


def plans(question: Question, priors: Priors) -> list[TestPlan]:
    """One plan for each length of run that fits the time left: the shortest with the power wanted, else the strongest.

    The best comes first: enough power in the least time.
    """
    found = []
    block = 2 if question.differences == 1 else 4  # runs that belong together
    for laps in (3, 4, 5, 6, 8, 10, 12):
        chosen: TestPlan | None = None
        for runs in range(block, MOST_RUNS + 1, block):
            # every run has an out-lap and an in-lap besides
            minutes = runs * ((laps + 2) * question.lap_s + question.stop_s) / 60.0
            if minutes > question.minutes:
                break
            order = run_order(runs, question.differences)
            power = power_of(order, laps, question, priors)
            chosen = TestPlan(order, laps, power, minutes, power >= POWER)
            if chosen.enough:
                break
        if chosen is not None:
            found.append(chosen)
    found.sort(key=lambda plan: (not plan.enough, plan.minutes if plan.enough else -plan.power))
    return found


def scatter_of(runs: Sequence[Sequence[float]]) -> tuple[float, float] | None:
    """Scale of lap scatter and spread of run means [s] of laps with everything else taken out; None with too few laps.

    Source: one-way analysis of variance on medians: what the runs differ by, less what their laps explain.
    """
    long = [np.asarray(run, dtype=float) for run in runs if len(run) >= 3]
    rest = np.concatenate([run - np.median(run) for run in long]) if long else np.empty(0)
    if len(rest) < 6:
        return None
    scatter = scale_of(rest)
    if len(long) < 3:
        return max(scatter, 0.02), _PRIOR_SHIFT_S
    # the medians scatter by the laps too: 1.78 scale^2/n of it is the median of n laps of a t4
    of_laps = float(np.mean([1.78 * scatter**2 / len(run) for run in long]))
    shift = math.sqrt(max(float(np.var([np.median(run) for run in long], ddof=1)) - of_laps, 0.0))
    return max(scatter, 0.02), max(shift, 0.03)
