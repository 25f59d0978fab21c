"""What laps that are still to be driven would leave of an effect: the linear model at known scatter and spread of runs."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .bar import Bar
from .mixture import Mixture
from .model import Observed, Priors, days_of, design, effects_of, prior_columns, reference_of
from .sampler import Floats

#: How many further runs of each side a racer could still drive; beyond it the answer is "not with the laps of a weekend".
MOST_MORE = 12
#: Chance of settling that is promised.
PROMISED = 0.8


@dataclass(frozen=True)
class Rows:
    """What so many runs of one length add up to: sums over runs of X'X and of the products of their column sums."""

    laps: int
    squares: Floats
    sums: Floats

    def known(self, information: Floats, shift: Floats) -> Floats:
        """What they add to the precision of the coefficients at every draw, shape [draws, columns, columns]: of each run
        X' V^-1 X with V = I/information + shift2 11', by Sherman and Morrison."""
        drawn = information**2 * shift**2 / (1.0 + self.laps * information * shift**2)
        return np.asarray(information[:, None, None] * self.squares - drawn[:, None, None] * self.sums)


def rows_of(x: Floats, run: Sequence[int]) -> list[Rows]:
    """The rows of a design by length of run.

    :param run: of each row
    """
    by_run: dict[int, list[int]] = {}
    for row, number in enumerate(run):
        by_run.setdefault(number, []).append(row)
    by_length: dict[int, list[Floats]] = {}
    for places in by_run.values():
        by_length.setdefault(len(places), []).append(x[places])
    found = []
    for length, parts in by_length.items():
        sums = np.array([part.sum(axis=0) for part in parts])
        whole = np.concatenate(parts)
        found.append(Rows(length, whole.T @ whole, sums.T @ sums))
    return found


def precisions(laps: Sequence[Observed], information: Floats, shift: Floats, priors: Priors) -> Floats:
    """Precision of the coefficients that these laps leave on top of the priors at every draw, shape [draws, columns, columns].

    :param information: of one lap, of `information_of` [1/s2]
    :param shift: spread from run to run [s]
    """
    effects, days = effects_of(laps), days_of(laps)
    x = design(laps, len(priors.fade), reference_of(laps), effects, days)
    prior = np.diag(1 / prior_columns(priors, effects, len(days))[1] ** 2)
    return np.asarray(sum((rows.known(information, shift) for rows in rows_of(x, [lap.run for lap in laps])), prior[None]))


def place_of(laps: Sequence[Observed], effect: int) -> int:
    """The column of an effect, counted from the end of `design`."""
    return effect - effects_of(laps) - 1


def planned_variances(laps: Sequence[Observed], information: Floats, shift: Floats, priors: Priors, effect: int = 0) -> Floats:
    """Variance that these laps would leave of an effect at every draw [s2].

    :param effect: a level against the first, or a difference judged at once
    """
    place = place_of(laps, effect)
    return np.asarray(np.linalg.inv(precisions(laps, information, shift, priors))[:, place, place])


#: How much wider than that of a balanced test the spread of a difference is, as the trend is learnt beside it.
_TREND_COSTS = 1.1


def further_runs(found: Mixture, per_run_s2: Floats, bar: Bar) -> tuple[int | None, float]:
    """Least number of further runs of each side that settle the difference with the chance promised, None where none does; and the chance
    that so many, or `MOST_MORE`, settle it [-].

    Over the parts of its posterior: the estimate to come is normal around today's with the variance that the further runs take away, and
    settles where it is beyond the bar's t quantile of the standard deviation left.

    :param per_run_s2: variance of the mean of a run, at each part [s2]
    """
    from scipy.special import ndtr, stdtrit

    share = found.share if found.share is not None else np.full(len(found.middle), 1.0 / len(found.middle))
    now, each, chance = found.width**2, 4.0 * _TREND_COSTS * per_run_s2, 0.0
    for more in range(1, MOST_MORE + 1):
        then = bar.with_more(2 * more)
        if then.early:
            continue
        left = np.minimum(np.maximum(1.0 / (1.0 / now + 2.0 * more / each), each / then.runs), now)
        edge = float(stdtrit(max(then.runs - 3, 1), 0.5 * (1.0 + then.chance))) * np.sqrt(left)
        spread = np.sqrt(np.maximum(now - left, 1e-12))
        chance = float(share @ (ndtr((-edge - found.middle) / spread) + ndtr((found.middle - edge) / spread)))
        if chance >= PROMISED:
            return more, chance
    return None, chance
