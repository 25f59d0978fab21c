"""Is B better than A? The sentence, the interval, the chance, and what would settle it."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.spread import Z95
from .bar import FEW_RUNS, Bar, bar_for
from .confounding import Confounded, confounded
from .mixture import Mixture
from .model import Observed, Posterior, Priors, corrected_times, fit
from .planned import MOST_MORE, PROMISED, further_runs

#: What stands for the two sides in the warnings of a verdict, until they are `named`.
SIDES = ("⟨A⟩", "⟨B⟩")

#: Levels from which on they are taken for several that were tried at once, and shrink towards each other.
_SEVERAL = 3


@dataclass(frozen=True)
class Verdict:
    """Judgement of B against A; negative differences mean that B is quicker.

    :param mean_s: difference per lap, B minus A [s]
    :param low_s: lower end of its 95 % interval, as wide as what confounds it asks for [s]
    :param high_s: upper end [s]
    :param quicker: probability that B is quicker [-]
    :param p_beyond_margin: probability that the quicker one is so by more than the margin [-]
    :param margin_s: the margin [s]
    :param bar: how sure it must be before it counts as settled
    :param bar_s: the interval of that chance [s]
    :param confounded: what the laps cannot part the difference from; None where there is nothing
    :param laps: timed laps used of A and of B
    :param runs: runs used of A and of B
    :param more_runs: further runs of each sheet that settle it with a chance of four in five; 0 if settled, None if no weekend would
    :param fuel_s_per_kg: weight cost, mean and standard deviation [s/kg]
    :param fade_s_per_lap: fade of each compound, mean and standard deviation [s/lap]
    :param track_s_per_k: of the track's temperature, mean and standard deviation [s/K]
    :param trend_s_per_h: of the session, mean and standard deviation [s/h]
    :param learning_s: what the driver had to learn on the first lap of a day, median and standard deviation [s]
    :param shift_s: spread from run to run [s]
    :param scatter_s: scatter from lap to lap [s]
    :param spoiled: share of laps spoiled without a mark [-]
    :param shrunk: whether it is one of several that shrink towards each other
    :param warnings: what weakens the judgement; see `named`
    :param cleaned_s: times of the laps used with fuel and tyre age taken out [s]
    """

    mean_s: float
    low_s: float
    high_s: float
    quicker: float
    p_beyond_margin: float
    margin_s: float
    bar: Bar
    bar_s: tuple[float, float]
    confounded: Confounded | None
    laps: tuple[int, int]
    runs: tuple[int, int]
    more_runs: int | None
    fuel_s_per_kg: tuple[float, float]
    fade_s_per_lap: tuple[tuple[float, float], ...]
    track_s_per_k: tuple[float, float]
    trend_s_per_h: tuple[float, float]
    learning_s: tuple[float, float]
    shift_s: float
    scatter_s: float
    spoiled: float
    shrunk: bool
    warnings: tuple[str, ...]
    cleaned_s: tuple[float, ...]

    @property
    def settled(self) -> bool:
        """Whether the difference is as sure as its bar asks for."""
        return self.bar_s[0] > 0.0 or self.bar_s[1] < 0.0

    @property
    def does_not_matter(self) -> bool:
        """Whether the whole interval lies within the margin."""
        return max(abs(self.low_s), abs(self.high_s)) <= self.margin_s


def judge(
    laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1, order: Sequence[int] = (), planned: int | None = None
) -> Verdict:
    """Judges level 1 (B) against level 0 (A).

    :param laps: timed laps of both, in the order driven
    :param margin_s: difference that would matter to the racer [s]
    :param order: the level of each run in the order driven, for the warning about sequence
    :param planned: runs of both together that were named before the first was driven; None where none were
    :raises ValueError: if a level has no timed lap
    """
    if any(all(lap.level != level for lap in laps) for level in (0, 1)):
        raise ValueError("both sheets need at least one timed lap")
    posterior = fit(laps, priors)
    bar = bar_for(len({lap.run for lap in laps}), planned, priors.knows_driver)
    return _verdict(laps, [lap.level for lap in laps], posterior, priors, 0, margin_s, order, bar)


def judge_levels(laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1) -> list[Verdict]:
    """Judges every level from 1 on against level 0, from one posterior of all of them.

    Three levels or more shrink towards each other, which is what keeps the best of many from looking better than it is.

    :raises ValueError: if a level has no timed lap
    """
    there = {lap.level for lap in laps}
    count = max(there, default=0) + 1
    if count < 2 or there != set(range(count)):
        raise ValueError("every level needs at least one timed lap, and there must be two")
    alike = count >= _SEVERAL
    posterior = fit(laps, priors, alike=alike)
    runs = len({lap.run for lap in laps})
    bar = bar_for(runs, runs if alike else None, priors.knows_driver)
    sides = [[{0: 0, index: 1}.get(lap.level, 2) for lap in laps] for index in range(1, count)]
    return [_verdict(laps, side, posterior, priors, index, margin_s, (), bar, alike) for index, side in enumerate(sides)]


def judge_several(laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1, planned: int | None = None) -> list[Verdict]:
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
    bar = bar_for(len({lap.run for lap in laps}), planned, priors.knows_driver)
    return [
        _verdict(laps, [lap.marks[index] for lap in laps], posterior, priors, index, margin_s, (), bar) for index in range(marks.shape[1])
    ]


def _verdict(
    laps: Sequence[Observed], side: Sequence[int], posterior: Posterior, priors: Priors, place: int, margin_s: float, order: Sequence[int],
    bar: Bar, shrunk: bool = False,
) -> Verdict:  # fmt: skip
    """The verdict of one effect of a posterior.

    :param side: of each lap, 0 for A and 1 for B
    :param place: of the effect
    """
    counts = (sum(mark == 0 for mark in side), sum(mark == 1 for mark in side))
    runs = tuple(len({lap.run for lap, mark in zip(laps, side, strict=True) if mark == level}) for level in (0, 1))
    found = Mixture(posterior.parts[0][:, place], posterior.parts[1][:, place])
    mixed = None if shrunk else confounded(laps, posterior, priors, place, found)
    low, high = found.interval(0.95) if mixed is None else mixed.widened(found, 0.95)
    strict = found.interval(bar.chance) if mixed is None else mixed.widened(found, bar.chance)
    told = found if mixed is None else Mixture.normal(found.mean, (high - low) / (2.0 * Z95))
    beyond = told.below(-margin_s) if found.mean < 0 else 1.0 - told.below(margin_s)
    settled = strict[0] > 0.0 or strict[1] < 0.0
    more = 0 if settled else None if mixed is not None else further_runs(laps, posterior, priors, place, found.mean, bar)
    return Verdict(
        found.mean, low, high, told.below(0.0), beyond, margin_s, bar, strict, mixed, counts, (runs[0], runs[1]), more,
        (float(posterior.fuel.mean()), float(posterior.fuel.std())),
        tuple((float(c.mean()), float(c.std())) for c in posterior.fade.T),
        (float(posterior.track.mean()), float(posterior.track.std())), (float(posterior.trend.mean()), float(posterior.trend.std())),
        (float(np.median(posterior.learning)), float(np.std(posterior.learning))),
        float(np.median(posterior.shift_sd)), float(np.median(posterior.scatter)), float(posterior.spoiled.mean()), shrunk,
        tuple(_warnings(laps, side, runs, counts, order)),
        tuple(float(t) for t in corrected_times(laps, posterior)),
    )  # fmt: skip


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
            found.append("All runs of one came before all runs of the other: the interval is wide because the track may have changed.")
    mixed = [{lap.compound for lap, mark in zip(laps, side, strict=True) if mark == level} for level in (0, 1)]
    if mixed[0] != mixed[1]:
        found.append("The two sheets were driven on different compounds.")
    return found


def named(text: str, name_a: str, name_b: str) -> str:
    """A sentence of `Verdict.warnings` with the names of its two sides."""
    return text.replace(SIDES[0], name_a).replace(SIDES[1], name_b)


#: What a difference may lean on: how the sides differ then, and what to drive instead.
_CAUSES = {
    "fuel": ("the fuel on board", "Drive both with the same fuel."),
    "tyre age": ("the age of the tyres", "Drive both on tyres of the same age."),
    "compound": ("the compound", "Drive both on the same compound."),
    "cold tyres": ("cold tyres", "Drive both in runs of the same length."),
    "track temperature": ("the track temperature", "Drive them in turn, A B B A."),
    "day": ("the day", "Drive both on one day, in turn."),
}


def sentence(verdict: Verdict, name_a: str, name_b: str) -> str:
    """The verdict in plain words."""
    quick, slow = (name_b, name_a) if verdict.mean_s < 0 else (name_a, name_b)
    size, bar = abs(verdict.mean_s), verdict.bar
    if verdict.settled:
        near, far = sorted((abs(verdict.low_s), abs(verdict.high_s)))
        text = f"{quick} is quicker than {slow} by {size:.2f} s a lap, {near:.2f} to {far:.2f}"
        if verdict.does_not_matter:
            return f"{text}; less than the {verdict.margin_s:.2f} s that matters."
        return f"{text}; the chance that it is by more than {verdict.margin_s:.2f} s is {_percent(verdict.p_beyond_margin)}."
    between = f"{name_b} is between {_either(verdict.low_s)} and {_either(verdict.high_s)} a lap than {name_a}"
    if verdict.does_not_matter:
        return f"The difference does not matter: {between}, within the {verdict.margin_s:.2f} s that does."
    if verdict.confounded is not None:
        what, instead = _CAUSES[verdict.confounded.cause]
        told = f"These laps cannot part the two from {what}: {between}"
        if verdict.confounded.hides:
            told += f", though by the book {quick} would be quicker"
        return f"{told}. {instead}"
    sure = max(verdict.quicker, 1 - verdict.quicker)
    text = f"{between}, with a chance of {_percent(sure)} that {quick} is quicker"
    if bar.early:
        return f"Not yet, planned for {bar.planned} runs and {bar.runs} driven: {text}."
    text = f"No difference settled: {text}"
    if sure > 0.975:
        text += f"; {_why_more(bar)}"
    if verdict.more_runs is None:
        return f"{text}; even {MOST_MORE} more runs of each would probably not settle it."
    runs = "1 more run of each settles" if verdict.more_runs == 1 else f"{verdict.more_runs} more runs of each settle"
    return f"{text}; {runs} it with a chance of {100 * PROMISED:.0f} %."


def _either(seconds: float) -> str:
    """An end of an interval in words."""
    return f"{abs(seconds):.2f} s {'quicker' if seconds < 0 else 'slower'}"


def _why_more(bar: Bar) -> str:
    """Why what 95 % would settle is not settled."""
    asked = f"{100 * bar.chance:g} % are asked for"
    if bar.few:
        return f"{asked} with fewer than {FEW_RUNS} runs and no earlier ones of this driver: plan {FEW_RUNS}"
    if bar.late:
        return f"{asked} beyond the {bar.planned} runs that were planned"
    return f"{asked} where the number of runs was not planned"


def _percent(share: float) -> str:
    """A chance in words that do not claim more than the draws can show."""
    if share > 0.995:
        return "over 99 %"
    if share < 0.005:
        return "under 1 %"
    return f"{100 * share:.0f} %"
