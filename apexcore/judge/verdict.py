"""Is B better than A? The sentence, the interval, the chance, and what would settle it."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantities.spread import Z95
from .bar import FEW_RUNS, Bar, bar_for
from .confounding import Confounded, confounded
from .drift import Drifted, SideFade, Told, judged
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
    :param quicker_by: probability that B is quicker by more than the margin [-]
    :param slower_by: probability that it is slower by more than the margin; what is left of both is that neither is [-]
    :param margin_s: the margin [s]
    :param bar: how sure it must be before it counts as settled
    :param bar_s: the interval of that chance [s]
    :param confounded: what the laps cannot part the difference from; None where there is nothing
    :param laps: timed laps used of A and of B
    :param runs: runs used of A and of B
    :param more_runs: further runs of each sheet that settle it with a chance of four in five; 0 if settled, None if no weekend would
    :param more_chance: chance that so many settle it, or as many as a weekend has [-]
    :param drift: what the track may have done that would make the two level; None where nothing stands in the way
    :param fade: how B's tyres fade against A's, as far as these laps tell; None where it is not asked for
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
    quicker_by: float
    slower_by: float
    margin_s: float
    bar: Bar
    bar_s: tuple[float, float]
    confounded: Confounded | None
    laps: tuple[int, int]
    runs: tuple[int, int]
    more_runs: int | None
    more_chance: float
    drift: Told | None
    fade: SideFade | None
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
    def p_beyond_margin(self) -> float:
        """Probability that the one that looks quicker is so by more than the margin [-]."""
        return self.quicker_by if self.mean_s < 0 else self.slower_by

    @property
    def neither(self) -> float:
        """Probability that the two are within the margin of each other [-]."""
        return max(1.0 - self.quicker_by - self.slower_by, 0.0)

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
    posterior, drifted = fit(laps, priors), judged(laps, priors)
    bar = bar_for(len({lap.run for lap in laps}), planned, priors.knows_driver)
    return _verdict(laps, [lap.level for lap in laps], posterior, drifted, priors, 0, margin_s, order, bar)


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
    posterior, drifted = fit(laps, priors, alike=alike), judged(laps, priors, alike)
    bar = bar_for(len({lap.run for lap in laps}), None, priors.knows_driver)  # a view of all names no number of runs for any two
    sides = [[{0: 0, index: 1}.get(lap.level, 2) for lap in laps] for index in range(1, count)]
    return [_verdict(laps, side, posterior, drifted, priors, index, margin_s, (), bar, alike) for index, side in enumerate(sides)]


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
    posterior, drifted = fit(laps, priors), judged(laps, priors)
    bar = bar_for(len({lap.run for lap in laps}), planned, priors.knows_driver)
    return [
        _verdict(laps, [lap.marks[index] for lap in laps], posterior, drifted, priors, index, margin_s, (), bar)
        for index in range(marks.shape[1])
    ]


def _verdict(
    laps: Sequence[Observed], side: Sequence[int], posterior: Posterior, drifted: Drifted, priors: Priors, place: int, margin_s: float,
    order: Sequence[int], bar: Bar, shrunk: bool = False,
) -> Verdict:  # fmt: skip
    """The verdict of one effect of a posterior.

    :param side: of each lap, 0 for A and 1 for B
    :param place: of the effect
    """
    counts = (sum(mark == 0 for mark in side), sum(mark == 1 for mark in side))
    runs = tuple(len({lap.run for lap, mark in zip(laps, side, strict=True) if mark == level}) for level in (0, 1))
    found = drifted.effects[place]
    mixed = None if shrunk else confounded(laps, posterior, priors, place, found)
    low, high = found.interval(0.95) if mixed is None else mixed.widened(found, 0.95)
    strict = found.interval(bar.chance) if mixed is None else mixed.widened(found, bar.chance)
    told = found if mixed is None else Mixture.normal(found.mean, (high - low) / (2.0 * Z95))
    settled, drift = strict[0] > 0.0 or strict[1] < 0.0, None
    if settled and mixed is None:
        drift, wide = _in_the_way(drifted.guards(place, _by_run(laps, side)), bar, strict)
        if drift is not None:
            settled, strict, low, high = False, wide, min(low, wide[0]), max(high, wide[1])
    more, chance = (0, 1.0) if settled else (None, 0.0) if mixed is not None else further_runs(found, drifted.per_run_s2, bar)
    return Verdict(
        found.mean, low, high, told.below(0.0), told.below(-margin_s), 1.0 - told.below(margin_s), margin_s, bar, strict, mixed, counts,
        (runs[0], runs[1]), more, chance, drift, drifted.fade if len(drifted.effects) == 1 else None,
        (float(posterior.fuel.mean()), float(posterior.fuel.std())),
        tuple((float(c.mean()), float(c.std())) for c in posterior.fade.T),
        (float(posterior.track.mean()), float(posterior.track.std())), (float(posterior.trend.mean()), float(posterior.trend.std())),
        (float(np.median(posterior.learning)), float(np.std(posterior.learning))),
        float(np.median(posterior.shift_sd)), float(np.median(posterior.scatter)), float(posterior.spoiled.mean()), shrunk,
        (*_warnings(laps, side, runs, counts, order), *(_goes_with(name) for name in drifted.left_out)),
        tuple(float(t) for t in corrected_times(laps, posterior)),
    )  # fmt: skip


def _by_run(laps: Sequence[Observed], side: Sequence[int]) -> list[int]:
    """The side of each run, in the order driven."""
    found = dict[int, int]()
    for lap, mark in zip(laps, side, strict=True):
        found.setdefault(lap.run, mark)
    return list(found.values())


def _in_the_way(kinds: Sequence[Told], bar: Bar, strict: tuple[float, float]) -> tuple[Told | None, tuple[float, float]]:
    """The kind of drift under which a difference that looks settled is not, the likeliest first; and what all of them leave of it [s]."""
    low, high, found = *strict, list[Told]()
    for one in kinds:
        a, b = one.found.interval(1.0 - 2.0 * (1.0 - bar.chance))
        if a <= 0.0 <= b or (a > 0.0) != (strict[0] > 0.0):
            found.append(one)
            low, high = min(low, a), max(high, b)
    return (max(found, key=lambda one: one.evidence) if found else None), (low, high)


def _goes_with(tag: str) -> str:
    return f"{tag.capitalize()} changed exactly as the two did: their parts cannot be separated."


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
    "track temperature": ("the track temperature", "Drive them in turn, A B A B."),
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
    if verdict.drift is not None:
        return f"Unsettled: {_drifted(verdict.drift)}, these laps would fit as well, and the two could be level: {between}. {_TWO_MORE}"
    text = f"{between}, with a chance of {_percent(sure)} that {quick} is quicker"
    if bar.early:
        return f"Not yet, planned for {bar.planned} runs and {bar.runs} driven: {text}."
    text = f"No difference settled: {text}"
    if sure > 0.975:
        text += f"; {_why_more(bar)}"
    if verdict.more_runs is None:
        if verdict.more_chance < _HARDLY:
            return f"{text}; even {MOST_MORE} more runs of each would probably not settle it."
        return f"{text}; {MOST_MORE} more runs of each settle it with a chance of about {10 * round(10 * verdict.more_chance)} %."
    runs = "1 more run of each settles" if verdict.more_runs == 1 else f"{verdict.more_runs} more runs of each settle"
    return f"{text}; {runs} it with a chance of {100 * PROMISED:.0f} %."


#: Chance below which so many runs as a weekend has are said not to settle it.
_HARDLY = 0.25
_TWO_MORE = "Drive two more runs, one of each."


def _drifted(told: Told) -> str:
    """A kind of drift as a condition."""
    size = f"by about {abs(told.size_s):.1f} s"
    if told.kind.name == "step":
        return f"had the track changed {size} after run {told.kind.after} of these"
    if told.kind.name == "anew":
        return f"had the rubber gone after run {told.kind.after} of these and come back"
    if told.kind.name == "bend":
        return f"had the track come and gone {size}"
    return "had the track stood still"


def fade_sentence(verdict: Verdict, name_a: str, name_b: str, race_laps: int | None = None) -> str:
    """What the sides' own fade comes to, where the laps tell; nothing where they do not.

    :param race_laps: laps of a stint that it is said for
    """
    fade = verdict.fade
    if fade is None or not fade.apart:
        return ""
    new, more = fade.over(0.0), fade.more_s[0]
    quick_new, quick_fade = (name_b, name_a)[new.mean > 0], (name_b, name_a)[more > 0]
    text = f"{quick_new} is quicker new by {abs(new.mean):.2f} s"
    turns = "loses" if quick_fade != quick_new else "gains"
    text += f" and {turns} {1000 * abs(more):.0f} ms a lap against {name_b if quick_new == name_a else name_a}"
    crossing = fade.crossing()
    if crossing is not None and quick_fade != quick_new:
        text += f"; they cross on lap {crossing[0] + 1:.0f} ({crossing[1] + 1:.0f} to {crossing[2] + 1:.0f})"
    if race_laps:
        over = fade.over(0.5 * (race_laps - 1))
        low, high = over.interval(0.95)
        told = f"{name_b} is {_either(over.mean)} a lap, between {_either(low)} and {_either(high)}"
        text += f"; over {race_laps} laps {told}"
    return f"{text}."


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
