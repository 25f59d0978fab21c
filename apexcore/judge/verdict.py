"""Is B better than A? The sentence, the interval, the chance, and what would settle it."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.text import format_number
from .model import Observed, Posterior, Priors, cleaned_times, design, fit, prior_columns

#: How many further runs a racer could still drive; beyond it the answer is "not with the laps of a weekend".
_MOST_RUNS = 12
#: Normal quantile of a two-sided 95 % interval.
_Z95 = 1.959964


@dataclass(frozen=True)
class Verdict:
    """Judgement of B against A; negative differences mean that B is quicker.

    :param mean_s: difference per lap, B minus A [s]
    :param low_s: lower end of its 95 % interval [s]
    :param high_s: upper end [s]
    :param quicker: probability that B is quicker [-]
    :param matters: probability that the quicker one is so by more than the margin [-]
    :param margin_s: the margin [s]
    :param laps: timed laps used of A and of B
    :param runs: runs used of A and of B
    :param more_runs: further runs of each sheet that would settle it; 0 if settled, None if no weekend would
    :param fuel_s_per_kg: weight cost, mean and standard deviation [s/kg]
    :param fade_s_per_lap: fade of each compound, mean and standard deviation [s/lap]
    :param shift_s: spread from run to run [s]
    :param scatter_s: scatter from lap to lap [s]
    :param warnings: what weakens the judgement
    :param cleaned_s: times of the laps used with fuel and tyre age taken out [s]
    """

    mean_s: float
    low_s: float
    high_s: float
    quicker: float
    matters: float
    margin_s: float
    laps: tuple[int, int]
    runs: tuple[int, int]
    more_runs: int | None
    fuel_s_per_kg: tuple[float, float]
    fade_s_per_lap: tuple[tuple[float, float], ...]
    shift_s: float
    scatter_s: float
    warnings: tuple[str, ...]
    cleaned_s: tuple[float, ...]

    @property
    def settled(self) -> bool:
        """Whether the interval lies on one side of zero."""
        return self.low_s > 0.0 or self.high_s < 0.0


def judge(laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1, order: Sequence[int] = ()) -> Verdict:
    """Judges level 1 (B) against level 0 (A).

    :param laps: timed laps of both
    :param margin_s: difference that would matter to the racer [s]
    :param order: the level of each run in the order driven, for the warning about sequence
    :raises ValueError: if a level has no timed lap
    """
    counts = tuple(sum(lap.level == level for lap in laps) for level in (0, 1))
    if 0 in counts:
        raise ValueError("both sheets need at least one timed lap")
    runs = tuple(len({lap.run for lap in laps if lap.level == level}) for level in (0, 1))
    posterior = fit(laps, priors)
    draws = posterior.levels[:, 1] - posterior.levels[:, 0]
    mean = float(draws.mean())
    low, high = (float(v) for v in np.quantile(draws, (0.025, 0.975)))
    beyond = float((draws < -margin_s).mean() if mean < 0 else (draws > margin_s).mean())
    return Verdict(
        mean, low, high, float((draws < 0).mean()), beyond, margin_s,
        (counts[0], counts[1]), (runs[0], runs[1]),
        _more_runs(laps, posterior, draws, priors),
        (float(posterior.fuel.mean()), float(posterior.fuel.std())),
        tuple((float(c.mean()), float(c.std())) for c in posterior.fade.T),
        float(np.median(posterior.shift_sd)), float(np.median(posterior.scatter)),
        tuple(_warnings(laps, runs, counts, order)),
        tuple(float(t) for t in cleaned_times(laps, posterior)),
    )  # fmt: skip


def _more_runs(
    laps: Sequence[Observed], posterior: Posterior, draws: "np.ndarray[tuple[int], np.dtype[np.float64]]", priors: Priors
) -> int | None:
    """Least number of further runs of each sheet after which a difference as large as found would be settled.

    The spread expected then is that of the same linear model with the scatter and shift found, and further runs like
    the mean of those driven (its precision matrix does not depend on the times to come).
    """
    low, high = np.quantile(draws, (0.025, 0.975))
    if low > 0.0 or high < 0.0:
        return 0
    size = abs(float(draws.mean()))
    length = max(round(len(laps) / max(len({lap.run for lap in laps}), 1)), 1)
    # the t scatter carries (nu+1)/(nu+3) of the information of a normal one of the same scale
    information = 5.0 / 7.0 / float(np.median(posterior.scatter)) ** 2
    shift = float(np.median(posterior.shift_sd))
    observed = list(laps)
    top = max(lap.run for lap in laps) + 1
    for extra in range(1, _MOST_RUNS + 1):
        for level in (0, 1):
            top += 1
            typical = next(lap for lap in laps if lap.level == level)
            observed += [
                Observed(top, level, typical.compound, typical.fuel_kg - k, typical.tyre_age + k, 0.0, 1 + k) for k in range(length)
            ]
        if _Z95 * _planned_sd(observed, information, shift, priors) < size:
            return extra
    return None


def _planned_sd(laps: Sequence[Observed], information: float, shift: float, priors: Priors) -> float:
    """Standard deviation of the difference that these laps would leave [s]."""
    mean_kg = float(np.mean([lap.fuel_kg for lap in laps]))
    mean_age = float(np.mean([lap.tyre_age for lap in laps]))
    x = design(laps, 2, len(priors.fade), mean_kg, mean_age)
    precision = np.diag(1 / prior_columns(priors, 2)[1] ** 2)
    run = np.array([lap.run for lap in laps])
    for one in np.unique(run):
        rows = x[run == one]
        # inverse of the run's covariance I/information + shift2 11' by Sherman and Morrison
        total = rows.sum(axis=0)
        precision += information * rows.T @ rows
        precision -= information**2 * shift**2 / (1 + len(rows) * information * shift**2) * np.outer(total, total)
    covariance = np.linalg.inv(precision)
    return float(math.sqrt(covariance[0, 0] + covariance[1, 1] - 2 * covariance[0, 1]))


def _warnings(laps: Sequence[Observed], runs: Sequence[int], counts: Sequence[int], order: Sequence[int]) -> list[str]:
    found = []
    for name, number in zip("AB", runs, strict=True):
        if number < 2:
            found.append(f"{name} was driven in one run only: its shift from run to run cannot be told from the sheet.")
    for name, number in zip("AB", counts, strict=True):
        if number < 5:
            found.append(f"{name} has only {number} timed laps.")
    if len(order) > 2:
        changes = sum(a != b for a, b in itertools.pairwise(order))
        if changes == 1:
            found.append("All runs of one sheet came before all of the other: a track that came in would look the same.")
    mixed = [{lap.compound for lap in laps if lap.level == level} for level in (0, 1)]
    if mixed[0] != mixed[1]:
        found.append("The two sheets were driven on different compounds.")
    return found


def sentence(verdict: Verdict, name_a: str, name_b: str) -> str:
    """The verdict in plain words."""
    quick, slow = (name_b, name_a) if verdict.mean_s < 0 else (name_a, name_b)
    size = abs(verdict.mean_s)
    near, far = sorted((abs(verdict.low_s), abs(verdict.high_s)))
    if verdict.settled:
        text = f"{quick} is quicker than {slow} by {size:.2f} s a lap, {near:.2f} to {far:.2f}"
        chance = f"; the chance that it is by more than {verdict.margin_s:.2f} s is {_percent(verdict.matters)}."
        return text + chance
    low, high = format_number(verdict.low_s, 2, True), format_number(verdict.high_s, 2, True)
    text = f"Not settled: {name_b} against {name_a} is {low} to {high} s a lap"
    sure = max(verdict.quicker, 1 - verdict.quicker)
    text += f", with a chance of {_percent(sure)} that {quick} is quicker"
    if verdict.more_runs is None:
        return text + f"; more than {_MOST_RUNS} further runs of each would be needed for a difference this small."
    runs = f"{verdict.more_runs} more run{'s' if verdict.more_runs > 1 else ''} of each"
    return text + f"; {runs} would settle a difference as large as the {size:.2f} s found."


def _percent(share: float) -> str:
    """A chance in words that do not claim more than the draws can show."""
    if share > 0.995:
        return "over 99 %"
    if share < 0.005:
        return "under 1 %"
    return f"{100 * share:.0f} %"
