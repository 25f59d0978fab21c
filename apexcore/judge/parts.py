"""Verdicts on parts of the lap: corners or sectors, each judged as laps are, with the run's shift and what fuel, tyres and track do."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from .model import Observed, Prior, Priors
from .verdict import Verdict, judge

Floats = NDArray[np.float64]

#: How much less what the vehicle model says of a lap is trusted of a part of it: fuel and tyres cost unlike in unlike corners.
_LESS_SURE = 2.0


@dataclass(frozen=True)
class PartVerdict:
    """B against A in one part of the lap; negative differences mean that B is quicker.

    :param mean_s: difference in it [s]
    :param low_s: lower end of its 95 % interval [s]
    :param high_s: upper end [s]
    :param sure: whether it stands out when all parts are looked at at once
    :param share: of the lap that the part takes [-]
    """

    mean_s: float
    low_s: float
    high_s: float
    sure: bool
    share: float


def judge_parts(laps: Sequence[Observed], times_s: Floats, priors: Priors, chance: float = 0.95) -> list[PartVerdict]:
    """The verdict of level 1 against level 0 in each part.

    Each part's times are taken for those of a lap of its own, made as long as the lap, so that what is known of laps' scatter and shifts
    holds; what the vehicle model says of a lap counts with twice its spread. Parts stand out by the chance that all of them together
    ask for (Bonferroni, with Student's tails by the number of runs).

    :param laps: timed laps of both, in the order driven
    :param times_s: time of each in each part, shape [laps, parts] [s]
    :raises ValueError: if a level has no timed lap
    """
    from scipy.special import stdtrit

    whole = float(np.median([lap.time_s for lap in laps]))
    wide = _wide(priors)
    free = max(len({lap.run for lap in laps}) - 2, 1)  # runs are what a difference is told from: few of them have long tails
    tail = 0.5 * (1.0 - chance)
    wider = float(stdtrit(free, 1.0 - tail / times_s.shape[1]) / stdtrit(free, 1.0 - tail))

    def one(part: int) -> PartVerdict:
        column = times_s[:, part]
        share = float(np.median(column)) / whole
        grown = [replace(lap, time_s=float(time) / share) for lap, time in zip(laps, column, strict=True)]
        return _part(judge(grown, wide), share, wider)

    with ThreadPoolExecutor(2) as pool:  # the sampler lets go of the interpreter while it runs
        return list(pool.map(one, range(times_s.shape[1])))


def _part(verdict: Verdict, share: float, wider: float) -> PartVerdict:
    """:param wider: interval of all parts together over that of one [-]"""
    sure = abs(verdict.mean_s) > wider * 0.5 * (verdict.high_s - verdict.low_s)
    return PartVerdict(verdict.mean_s * share, verdict.low_s * share, verdict.high_s * share, sure, share)


def _wide(priors: Priors) -> Priors:
    def less(prior: Prior) -> Prior:
        return Prior(prior.mean, _LESS_SURE * prior.sd)

    return replace(
        priors, fuel=less(priors.fuel), fade=tuple(map(less, priors.fade)), offset=tuple(map(less, priors.offset)), cold=less(priors.cold),
        track=less(priors.track), trend=less(priors.trend), history=None,
    )  # fmt: skip


def part_sentence(found: Sequence[PartVerdict], titles: Sequence[str], a: str, b: str) -> str:
    """One sentence: where B gains, where it costs, by how much.

    :param titles: of the parts
    """
    better = sorted((one for one in zip(found, titles, strict=True) if one[0].sure and one[0].mean_s < 0), key=lambda one: one[0].mean_s)
    worse = sorted((one for one in zip(found, titles, strict=True) if one[0].sure and one[0].mean_s > 0), key=lambda one: -one[0].mean_s)
    if not better and not worse:
        return f"No part of the lap parts {a} and {b} yet."
    parts = []
    for word, rows in (("gains", better), ("costs", worse)):
        if rows:
            parts.append(f"{word} in " + ", ".join(f"{title} ({abs(one.mean_s):.2f} s)" for one, title in rows[:3]))
    return f"{b} " + " and ".join(parts) + f" against {a}."
