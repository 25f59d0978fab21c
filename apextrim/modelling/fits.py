"""Fits of the lap model, kept: each is a pure function of its laps and priors, and a page that is opened again has both unchanged."""

from collections.abc import Sequence

from apexcore.judge.model import Observed, Priors, corrected_times, fit
from apexcore.judge.plan import spread_of
from apexcore.judge.qualifying import attempts
from apexcore.judge.scrubbing import scrubbing
from apexcore.judge.stints import stints
from apexcore.judge.verdict import judge, judge_levels, judge_several
from apexcore.race.pace import race_pace
from apextrim.library.caches import MB, kept_within

verdict = kept_within(4 * MB)(judge)
verdicts_of_levels = kept_within(4 * MB)(judge_levels)
verdicts_of_several = kept_within(4 * MB)(judge_several)
spread = kept_within(1 * MB)(spread_of)
pace = kept_within(24 * MB)(race_pace)
stints_of = kept_within(1 * MB)(stints)
flying_laps = kept_within(2 * MB)(attempts)
scrubbing_of = kept_within(1 * MB)(scrubbing)


@kept_within(8 * MB)
def cleaned(everything: Sequence[Observed], own: Sequence[Observed], priors: Priors) -> tuple[tuple[float, ...], float]:
    """Times of some laps with fuel, age and the rest taken out [s], as all laps tell them, and the cost of weight [s/kg]."""
    posterior = fit(everything, priors)
    return tuple(float(time) for time in corrected_times(own, posterior)), float(posterior.fuel.mean())
