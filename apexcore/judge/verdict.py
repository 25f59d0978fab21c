"""Is B better than A? The sentence, the interval, the chance, and what would settle it."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..quantities.spread import half_interval
from .model import (
    Floats,
    Observed,
    Posterior,
    Priors,
    columns_of,
    corrected_times,
    design,
    fit,
    information_of,
    prior_columns,
    reference_of,
)

#: How many further runs a racer could still drive; beyond it the answer is "not with the laps of a weekend".
_MOST_RUNS = 12
#: Normal quantile of a two-sided 95 % interval.


#: What stands for the two sides in the warnings of a verdict, until they are `named`.
SIDES = ("⟨A⟩", "⟨B⟩")


@dataclass(frozen=True)
class Verdict:
    """Judgement of B against A; negative differences mean that B is quicker.

    :param mean_s: difference per lap, B minus A [s]
    :param low_s: lower end of its 95 % interval [s]
    :param high_s: upper end [s]
    :param quicker: probability that B is quicker [-]
    :param p_beyond_margin: probability that the quicker one is so by more than the margin [-]
    :param margin_s: the margin [s]
    :param laps: timed laps used of A and of B
    :param runs: runs used of A and of B
    :param more_runs: further runs of each sheet that would settle it; 0 if settled, None if no weekend would
    :param fuel_s_per_kg: weight cost, mean and standard deviation [s/kg]
    :param fade_s_per_lap: fade of each compound, mean and standard deviation [s/lap]
    :param track_s_per_k: of the track's temperature, mean and standard deviation [s/K]
    :param trend_s_per_h: of the session, mean and standard deviation [s/h]
    :param shift_s: spread from run to run [s]
    :param scatter_s: scatter from lap to lap [s]
    :param warnings: what weakens the judgement; see `named`
    :param cleaned_s: times of the laps used with fuel and tyre age taken out [s]
    """

    mean_s: float
    low_s: float
    high_s: float
    quicker: float
    p_beyond_margin: float
    margin_s: float
    laps: tuple[int, int]
    runs: tuple[int, int]
    more_runs: int | None
    fuel_s_per_kg: tuple[float, float]
    fade_s_per_lap: tuple[tuple[float, float], ...]
    track_s_per_k: tuple[float, float]
    trend_s_per_h: tuple[float, float]
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
    if any(all(lap.level != level for lap in laps) for level in (0, 1)):
        raise ValueError("both sheets need at least one timed lap")
    posterior = fit(laps, priors)
    return _verdict(laps, [lap.level for lap in laps], posterior, priors, 0, margin_s, order)


def judge_levels(laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1) -> list[Verdict]:
    """Judges every level from 1 on against level 0, from one posterior of all of them.

    :raises ValueError: if a level has no timed lap
    """
    there = {lap.level for lap in laps}
    count = max(there, default=0) + 1
    if count < 2 or there != set(range(count)):
        raise ValueError("every level needs at least one timed lap, and there must be two")
    posterior = fit(laps, priors)
    sides = [[{0: 0, index: 1}.get(lap.level, 2) for lap in laps] for index in range(1, count)]
    return [_verdict(laps, side, posterior, priors, index, margin_s, ()) for index, side in enumerate(sides)]


def judge_several(laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1) -> list[Verdict]:
    """Judges several differences at once, each with the others taken out: planned runs on which they were on and off in turn.

    :param laps: timed laps with `marks`
    :raises ValueError: if a difference was on, or off, in every lap, or two differences never parted
    """
    marks = np.array([lap.marks for lap in laps])
    for place in range(marks.shape[1]):
        if len(set(marks[:, place])) < 2:
            raise ValueError(f"difference {place + 1} was the same on every lap")
    if np.linalg.matrix_rank(np.column_stack([np.ones(len(marks)), marks])) < marks.shape[1] + 1:
        raise ValueError("two of the differences were always driven together: their parts cannot be told apart")
    posterior = fit(laps, priors)
    return [_verdict(laps, [lap.marks[index] for lap in laps], posterior, priors, index, margin_s, ()) for index in range(marks.shape[1])]


def _verdict(
    laps: Sequence[Observed], side: Sequence[int], posterior: Posterior, priors: Priors, place: int, margin_s: float, order: Sequence[int]
) -> Verdict:
    """The verdict of one effect of a posterior.

    :param side: of each lap, 0 for A and 1 for B
    :param place: of the effect
    """
    counts = (sum(mark == 0 for mark in side), sum(mark == 1 for mark in side))
    runs = tuple(len({lap.run for lap, mark in zip(laps, side, strict=True) if mark == level}) for level in (0, 1))
    draws = posterior.effects[:, place]
    mean = float(draws.mean())
    low, high = (float(v) for v in np.quantile(draws, (0.025, 0.975)))
    beyond = float((draws < -margin_s).mean() if mean < 0 else (draws > margin_s).mean())
    return Verdict(
        mean, low, high, float((draws < 0).mean()), beyond, margin_s, counts, (runs[0], runs[1]),
        _more_runs(laps, posterior, draws, priors, place),
        (float(posterior.fuel.mean()), float(posterior.fuel.std())),
        tuple((float(c.mean()), float(c.std())) for c in posterior.fade.T),
        (float(posterior.track.mean()), float(posterior.track.std())), (float(posterior.trend.mean()), float(posterior.trend.std())),
        float(np.median(posterior.shift_sd)), float(np.median(posterior.scatter)),
        tuple(_warnings(laps, side, runs, counts, order)),
        tuple(float(t) for t in corrected_times(laps, posterior)),
    )  # fmt: skip


def _more_runs(laps: Sequence[Observed], posterior: Posterior, draws: Floats, priors: Priors, place: int) -> int | None:
    """Least number of further runs of each side after which a difference as large as found would be settled.

    The spread expected then is that of the same linear model with the scatter and shift found, and further runs like
    the mean of those driven (its precision matrix does not depend on the times to come).
    """
    low, high = np.quantile(draws, (0.025, 0.975))
    if low > 0.0 or high < 0.0:
        return 0
    size = abs(float(draws.mean()))
    length = max(round(len(laps) / max(len({lap.run for lap in laps}), 1)), 1)
    information, shift = information_of(float(np.median(posterior.scatter))), float(np.median(posterior.shift_sd))
    typical = list({(lap.level, lap.marks): lap for lap in reversed(laps)}.values())
    levels, reference = columns_of(laps), reference_of(laps)
    precision = _precision(laps, information, shift, priors)
    # a further run of each kind, the same again and again: what one tells, all tell
    further = np.zeros_like(precision)
    for one in typical:
        alike = [replace(one, fuel_kg=one.fuel_kg - k, tyre_age=one.tyre_age + k, since_pit=1 + k) for k in range(length)]
        further += _known_from(design(alike, levels, len(priors.fade), reference), information, shift)
    for extra in range(1, _MOST_RUNS + 1):
        if half_interval(_sd_of(precision + extra * further, place, bool(laps[0].marks))) < size:
            return extra
    return None


def planned_sd(laps: Sequence[Observed], information: float, shift: float, priors: Priors, place: int = 0) -> float:
    """Standard deviation that these laps would leave of an effect [s].

    :param information: of one lap, of `information_of` [1/s2]
    :param shift: spread from run to run [s]
    :param place: of the effect: a level against the first, or a difference judged at once
    """
    return _sd_of(_precision(laps, information, shift, priors), place, bool(laps[0].marks))


def _precision(laps: Sequence[Observed], information: float, shift: float, priors: Priors) -> Floats:
    """Precision of the coefficients that these laps leave, run by run on top of the priors."""
    levels = columns_of(laps)
    x = design(laps, levels, len(priors.fade), reference_of(laps))
    precision = np.diag(1 / prior_columns(priors, levels)[1] ** 2)
    run = np.array([lap.run for lap in laps])
    for run_number in np.unique(run):
        precision += _known_from(x[run == run_number], information, shift)
    return precision


def _known_from(rows: Floats, information: float, shift: float) -> Floats:
    """What one run adds to the precision of the coefficients: X' V^-1 X with V = I/information + shift2 11', by Sherman and
    Morrison.

    :param rows: of `design`, the laps of the run
    """
    total = rows.sum(axis=0)
    drawn = information**2 * shift**2 / (1 + len(rows) * information * shift**2)
    return np.asarray(information * rows.T @ rows - drawn * np.outer(total, total))


def _sd_of(precision: Floats, place: int, marked: bool) -> float:
    """Standard deviation of an effect under this precision of the coefficients [s]."""
    contrast = np.zeros(len(precision))
    contrast[place + 1] = 1.0
    if not marked:
        contrast[0] = -1.0
    return math.sqrt(float(contrast @ np.linalg.solve(precision, contrast)))


def _warnings(laps: Sequence[Observed], side: Sequence[int], runs: Sequence[int], counts: Sequence[int], order: Sequence[int]) -> list[str]:
    found = []
    for name, number in zip(SIDES, runs, strict=True):
        if number < 2:
            found.append(f"{name} has only one run, so the change cannot be separated from ordinary run-to-run variation.")
    for name, number in zip(SIDES, counts, strict=True):
        if number < 5:
            found.append(f"{name} has only {number} timed lap{'s' if number != 1 else ''}: too few to rely on.")
    if len(order) > 2:
        changes = sum(a != b for a, b in itertools.pairwise(order))
        if changes == 1:
            found.append("All runs of one came before all runs of the other: an improving track would look like a gain.")
    mixed = [{lap.compound for lap, mark in zip(laps, side, strict=True) if mark == level} for level in (0, 1)]
    if mixed[0] != mixed[1]:
        found.append("The two sheets were driven on different compounds.")
    return found


def named(text: str, name_a: str, name_b: str) -> str:
    """A sentence of `Verdict.warnings` with the names of its two sides."""
    return text.replace(SIDES[0], name_a).replace(SIDES[1], name_b)


def sentence(verdict: Verdict, name_a: str, name_b: str) -> str:
    """The verdict in plain words."""
    quick, slow = (name_b, name_a) if verdict.mean_s < 0 else (name_a, name_b)
    size = abs(verdict.mean_s)
    near, far = sorted((abs(verdict.low_s), abs(verdict.high_s)))
    if verdict.settled:
        text = f"{quick} is quicker than {slow} by {size:.2f} s a lap, {near:.2f} to {far:.2f}"
        chance = f"; the chance that it is by more than {verdict.margin_s:.2f} s is {_percent(verdict.p_beyond_margin)}."
        return text + chance
    text = (
        f"No difference seen yet: {name_b} is between {-verdict.low_s:.2f} s quicker and {verdict.high_s:.2f} s slower a lap than {name_a}"
    )
    sure = max(verdict.quicker, 1 - verdict.quicker)
    text += f", with a chance of {_percent(sure)} that {quick} is quicker"
    if verdict.more_runs is None:
        return text + f"; even {_MOST_RUNS} more runs of each would not settle it."
    runs = f"{verdict.more_runs} more run{'s' if verdict.more_runs > 1 else ''} of each"
    return text + f"; {runs} would settle a difference as large as the {size:.2f} s found."


def _percent(share: float) -> str:
    """A chance in words that do not claim more than the draws can show."""
    if share > 0.995:
        return "over 99 %"
    if share < 0.005:
        return "under 1 %"
    return f"{100 * share:.0f} %"
