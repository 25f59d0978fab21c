"""What laps that are still to be driven would leave of an effect: the linear model at known scatter and spread of runs."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from .bar import Bar
from .model import Observed, Posterior, Priors, days_of, design, effects_of, information_of, prior_columns, reference_of
from .sampler import Floats

#: How many further runs of each side a racer could still drive; beyond it the answer is "not with the laps of a weekend".
MOST_MORE = 12
#: Chance of settling that is promised.
PROMISED = 0.8
#: Draws of scatter and spread over which a promise is averaged.
_DRAWS = 40


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


def further_runs(laps: Sequence[Observed], posterior: Posterior, priors: Priors, effect: int, mean_s: float, bar: Bar) -> int | None:
    """Least number of further runs of each side that settle the difference with the chance promised; None where none does.

    Over draws of scatter and spread: the estimate to come is normal around today's with the variance that the further runs take
    away, and settles where it is beyond the bar's t quantile of the standard deviation left. The further runs are like those
    driven.
    """
    from scipy.special import ndtr, stdtrit

    length = max(round(len(laps) / max(len({lap.run for lap in laps}), 1)), 1)
    typical = list({(lap.level, lap.marks): lap for lap in reversed(laps)}.values())
    effects, days, reference = effects_of(laps), days_of(laps), reference_of(laps)
    alike = [
        replace(one, run=kind, fuel_kg=one.fuel_kg - k, tyre_age=one.tyre_age + k, since_pit=1 + k, driven=reference.driven + k)
        for kind, one in enumerate(typical)
        for k in range(length)
    ]
    x = design(alike, len(priors.fade), reference, effects, days)
    place = place_of(laps, effect)
    take = np.linspace(0, len(posterior.shift_sd) - 1, _DRAWS).astype(int)
    information, shift = information_of(posterior.scatter[take], posterior.spoiled[take]), posterior.shift_sd[take]
    today = precisions(laps, information, shift, priors)
    each = np.asarray(sum((rows.known(information, shift) for rows in rows_of(x, [lap.run for lap in alike])), np.zeros_like(today)))
    v_now = np.linalg.inv(today)[:, place, place]
    for more in range(1, MOST_MORE + 1):
        v_then = np.linalg.inv(today + more * each)[:, place, place]
        then = bar.with_more(len(typical) * more)
        if then.early:
            continue
        edge = float(stdtrit(then.runs + 1, 0.5 * (1.0 + then.chance))) * np.sqrt(v_then)
        spread = np.sqrt(np.maximum(v_now - v_then, 1e-12))
        chance = ndtr((-edge - mean_s) / spread) + ndtr((mean_s - edge) / spread)
        if float(chance.mean()) >= PROMISED:
            return more
    return None
