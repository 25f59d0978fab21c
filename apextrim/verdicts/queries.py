"""Judging two sheets of an event."""

from dataclasses import dataclass

from apexcore.judge.verdict import Verdict, judge, sentence
from apextrim.events import adapter
from apextrim.events.models import Event
from apextrim.garage.models import Sheet
from apextrim.garage.queries import core_sheet
from apextrim.runs.queries import ObservedRun, observed

#: Difference of track temperature between the two sheets' runs beyond which the verdict carries a warning [K].
_TRACK_WARNING_K = 4.0


@dataclass(frozen=True)
class Judged:
    """A verdict with its evidence.

    :param text: the sentence
    :param runs: the runs used, in the order driven
    :param warnings: what weakens it
    """

    verdict: Verdict
    text: str
    runs: list[ObservedRun]
    warnings: list[str]


def judged(event: Event, a: Sheet, b: Sheet, margin_s: float) -> Judged | str:
    """The verdict of B against A, or the sentence that says what is missing.

    :raises SolverError: if the vehicle model, which gives the priors, has no lap
    """
    book = adapter.book_of(event, core_sheet(event, a))
    runs = observed(event, {a.pk: 0, b.pk: 1}, book.fuel_l_per_lap)
    for sheet in (a, b):
        if not any(one.run.sheet_id == sheet.pk for one in runs):
            return f"{sheet.name} has no timed lap yet. Drive a run with it, then judge."
    laps = [lap for one in runs for lap in one.laps]
    order = [one.laps[0].level for one in runs]
    verdict = judge(laps, book.priors(), margin_s, order)
    return Judged(verdict, sentence(verdict, a.name, b.name), runs, [*verdict.warnings, *_track_warning(runs, a, b)])


def _track_warning(runs: list[ObservedRun], a: Sheet, b: Sheet) -> list[str]:
    means = []
    for sheet in (a, b):
        track = [float(one.run.conditions.get("track_c", 0.0)) for one in runs if one.run.sheet_id == sheet.pk]
        means.append(sum(track) / len(track))
    if abs(means[1] - means[0]) <= _TRACK_WARNING_K:
        return []
    hotter = b.name if means[1] > means[0] else a.name
    return [f"{hotter} was driven on a track {abs(means[1] - means[0]):.0f} K hotter; track temperature is not taken out."]
