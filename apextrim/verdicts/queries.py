"""Judging a difference between the runs of an event."""

import re
from dataclasses import dataclass, replace

from apexcore.judge.model import Prior, Priors
from apexcore.judge.verdict import Verdict, judge, judge_several, sentence
from apexcore.vehicle.sheet import differences
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.garage.models import Sheet
from apextrim.garage.queries import core_sheet
from apextrim.runs.queries import ObservedRun, observed_by, runs_of

from .sides import SHEET, TYRES, side_of, two_sided_tags

#: Difference of track temperature between the two sides' runs beyond which the verdict carries a warning [K].
_TRACK_WARNING_K = 4.0

#: Laps of each side that are judged: the newest. More than these no longer change a verdict on one weekend.
_MOST_LAPS = 400

#: How far the vehicle model's weight, fade and the rest are trusted before any lap: factors on their prior spread.
TRUST = {"usual": 1.0, "half": 2.0, "hardly": 6.0}


@dataclass(frozen=True)
class Judged:
    """A verdict with its evidence.

    :param text: the sentence
    :param runs: the runs used, in the order driven
    :param warnings: what weakens it
    :param priors: what the vehicle model said before any lap
    """

    verdict: Verdict
    text: str
    runs: list[ObservedRun]
    warnings: list[str]
    priors: Priors


def trusted(priors: Priors, trust: str) -> Priors:
    """The priors with their spread widened."""
    factor = TRUST[trust]

    def wide(prior: Prior) -> Prior:
        return Prior(prior.mean, prior.sd * factor)

    return Priors(
        wide(priors.fuel), tuple(map(wide, priors.fade)), tuple(map(wide, priors.offset)), wide(priors.cold), wide(priors.track),
        priors.trend,
    )  # fmt: skip


def judged(event: Event, a: Sheet, b: Sheet, margin_s: float, trust: str = "usual") -> Judged | str:
    """The verdict of sheet B against sheet A; see `judged_sides`."""
    return judged_sides(event, SHEET, (str(a.pk), str(b.pk)), (a.name, b.name), margin_s, trust)


def judged_sides(
    event: Event, kind: str, sides: tuple[str, str], names: tuple[str, str], margin_s: float, trust: str = "usual"
) -> Judged | str:
    """The verdict of side B against side A of a kind of difference, or the sentence that says what is missing.

    :param kind: of `sides.kinds_of`
    :raises SolverError: if the vehicle model, which gives the priors, has no lap
    """
    level = {sides[0]: 0, sides[1]: 1}
    side = side_of(kind)
    rows = [run for run in runs_of(event) if side(run) in level]
    for key, name in zip(sides, names, strict=True):
        if not any(side(run) == key for run in rows):
            return f"{name} has no timed lap yet. Drive a run with it, then judge."
    book = adapter.book_of(event, core_sheet(event, rows[0].sheet))
    runs = observed_by(event, lambda run: level.get(side(run) or ""), book.fuel_l_per_lap)
    for number, name in enumerate(names):
        if not any(one.laps[0].level == number for one in runs):
            return f"{name} has no timed lap yet. Drive a run with it, then judge."
    priors = trusted(book.priors(), trust)
    if kind == TYRES:  # the pair itself is what is judged: its offset must not be taken out
        runs = [replace(one, laps=[replace(lap, compound=0) for lap in one.laps]) for one in runs]
        first = priors.fade[0]
        priors = Priors(priors.fuel, (Prior(first.mean, 2.0 * first.sd),), (), priors.cold, priors.track, priors.trend)
    kept = newest(runs)
    left_out = [f"Only the newest {len(kept)} of {len(runs)} runs are judged."] if len(kept) < len(runs) else []
    runs = kept
    laps = [lap for one in runs for lap in one.laps]
    verdict = judge(laps, priors, margin_s, [one.laps[0].level for one in runs])
    warnings = [*left_out, *verdict.warnings, *_mixed(event, kind, runs), *_track_warning(runs, names)]
    return Judged(verdict, sentence(verdict, *names), runs, warnings, priors)


def newest(runs: list[ObservedRun]) -> list[ObservedRun]:
    """The newest runs of each side, in the order driven, up to as many laps as answer at once; one run of a side at least."""
    kept, counts = [], {0: 0, 1: 0}
    for one in reversed(runs):
        level = one.laps[0].level
        if counts[level] == 0 or counts[level] + len(one.laps) <= _MOST_LAPS:
            kept.append(one)
            counts[level] += len(one.laps)
    return kept[::-1]


def judged_several(event: Event, margin_s: float, trust: str = "usual") -> list[tuple[str, Judged]] | str:
    """The verdict of every two-sided tag with the others taken out, or the sentence that says why not."""
    rows = list(runs_of(event))
    tags = two_sided_tags(rows)
    tagged = [run for run in rows if all(name in run.tags for name, _, _ in tags)]
    if len(tags) < 2 or not tagged:
        return "Several differences at once need runs that carry two or more tags, each with two values."
    book = adapter.book_of(event, core_sheet(event, tagged[0].sheet))
    chosen = {run.pk: tuple(int(run.tags[name] == on) for name, _, on in tags) for run in tagged}
    runs = observed_by(event, lambda run: chosen.get(run.pk), book.fuel_l_per_lap)
    laps = [lap for one in runs for lap in one.laps]
    if not laps:
        return "None of the tagged runs has a timed lap yet."
    priors = trusted(book.priors(), trust)
    try:
        verdicts = judge_several(laps, priors, margin_s)
    except ValueError as error:
        return f"These runs cannot tell the tags {', '.join(name for name, _, _ in tags)} apart: {error}."
    found = []
    for (name, off, on), verdict in zip(tags, verdicts, strict=True):
        text = sentence(verdict, f"{name} {off}", f"{name} {on}")
        found.append((name, Judged(verdict, text, runs, list(verdict.warnings), priors)))
    return found


def _mixed(event: Event, kind: str, runs: list[ObservedRun]) -> list[str]:
    """Warnings where the sides differ in more than what is judged."""
    sheets = [{one.run.sheet for one in runs if one.laps[0].level == level} for level in (0, 1)]
    if kind != SHEET:
        if sheets[0] == sheets[1]:
            return []
        words = [" and ".join(sorted(row.name for row in side)) for side in sheets]
        return [f"The two sides were driven on different sheets ({words[0]}; {words[1]}): the verdict is of both differences together."]
    (a,), (b,) = sheets
    found = differences(adapter.car_of(event), core_sheet(event, a), core_sheet(event, b))
    things = {re.sub(r"\b(front|rear)? ?(left|right)\b", "", one.item.name).strip() for one in found}
    if len(things) < 2:
        return []
    words = [", ".join(sorted(things)[:4]) + (" and more" if len(things) > 4 else "")]
    return [f"{a.name} and {b.name} differ in {len(things)} things ({words[0]}): the verdict is of all of them together."]


def _track_warning(runs: list[ObservedRun], names: tuple[str, str]) -> list[str]:
    means = []
    for level in (0, 1):
        track = [float(one.run.conditions.get("track_c", 0.0)) for one in runs if one.laps[0].level == level]
        means.append(sum(track) / len(track))
    size = abs(means[1] - means[0])
    if size <= _TRACK_WARNING_K:
        return []
    hotter = names[1] if means[1] > means[0] else names[0]
    return [f"{hotter} was driven on a track {size:.0f} K hotter: what that cost is taken out as far as the model and the laps tell it."]
