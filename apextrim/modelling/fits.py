"""Fits of the lap model, kept: each is a pure function of its laps and priors, and a page that is opened again has both unchanged."""

from collections.abc import Sequence

from apexcore.judge.model import Observed, Priors, corrected_times, fit
from apexcore.judge.priors import NominalPace
from apexcore.judge.qualifying import Attempt, Form, attempts
from apexcore.judge.verdict import Verdict, judge, judge_levels, judge_several
from apexcore.race.fuel import FuelUse
from apexcore.race.pace import RacePace, race_pace
from apextrim.library.caches import MB, kept_within


@kept_within(4 * MB)
def _verdict(laps: tuple[Observed, ...], priors: Priors, margin_s: float, order: tuple[int, ...]) -> Verdict:
    return judge(laps, priors, margin_s, order)


def verdict(laps: Sequence[Observed], priors: Priors, margin_s: float = 0.1, order: Sequence[int] = ()) -> Verdict:
    """`judge`, kept."""
    return _verdict(tuple(laps), priors, margin_s, tuple(order))


@kept_within(4 * MB)
def _verdicts(laps: tuple[Observed, ...], priors: Priors, margin_s: float, several: bool) -> tuple[Verdict, ...]:
    return tuple((judge_several if several else judge_levels)(laps, priors, margin_s))


def verdicts_of_levels(laps: Sequence[Observed], priors: Priors, margin_s: float) -> tuple[Verdict, ...]:
    """`judge_levels`, kept."""
    return _verdicts(tuple(laps), priors, margin_s, False)


def verdicts_of_several(laps: Sequence[Observed], priors: Priors, margin_s: float) -> tuple[Verdict, ...]:
    """`judge_several`, kept.

    :raises ValueError: if the laps cannot tell the differences apart
    """
    return _verdicts(tuple(laps), priors, margin_s, True)


@kept_within(8 * MB)
def _cleaned(everything: tuple[Observed, ...], own: tuple[Observed, ...], priors: Priors) -> tuple[tuple[float, ...], float]:
    posterior = fit(everything, priors)
    return tuple(float(time) for time in corrected_times(own, posterior)), float(posterior.fuel.mean())


def cleaned(everything: Sequence[Observed], own: Sequence[Observed], priors: Priors) -> tuple[tuple[float, ...], float]:
    """Times of some laps with fuel, age and the rest taken out [s], as all laps tell them, and the cost of weight [s/kg]."""
    return _cleaned(tuple(everything), tuple(own), priors)


@kept_within(24 * MB)
def _pace(
    laps: tuple[Observed, ...], book: NominalPace, use: FuelUse | None, kg_per_l: float, race_laps: float, track_c: float
) -> RacePace:  # fmt: skip
    return race_pace(laps, book, use, kg_per_l, race_laps, track_c=track_c)


def pace(
    laps: Sequence[Observed], book: NominalPace, use: FuelUse | None, kg_per_l: float, race_laps: float, track_c: float
) -> RacePace:  # fmt: skip
    """`race_pace`, kept."""
    return _pace(tuple(laps), book, use, kg_per_l, race_laps, track_c)


@kept_within(2 * MB)
def flying_laps(form: Form, wanted_s: float | None) -> tuple[Attempt, ...]:
    """`attempts`, kept."""
    return tuple(attempts(form, wanted_s=wanted_s))
