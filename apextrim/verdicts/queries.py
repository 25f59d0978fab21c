"""Judging two sheets of an event."""

import re
from dataclasses import dataclass

from apexcore.judge.verdict import Verdict, judge, sentence
from apexcore.vehicle.sheet import differences
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
    warnings = [*verdict.warnings, *_several_items(event, a, b), *_track_warning(runs, a, b)]
    return Judged(verdict, sentence(verdict, a.name, b.name), runs, warnings)


def _several_items(event: Event, a: Sheet, b: Sheet) -> list[str]:
    """A warning where the sheets differ in more than one thing; left and right of one item count as one."""
    found = differences(adapter.car_of(event), core_sheet(event, a), core_sheet(event, b))
    things = {re.sub(r"\b(front|rear)? ?(left|right)\b", "", one.item.name).strip() for one in found}
    if len(things) < 2:
        return []
    words = ", ".join(sorted(things)[:4]) + (" and more" if len(things) > 4 else "")
    return [f"{a.name} and {b.name} differ in {len(things)} things ({words}): the verdict is of all of them together."]


def _track_warning(runs: list[ObservedRun], a: Sheet, b: Sheet) -> list[str]:
    means = []
    for sheet in (a, b):
        track = [float(one.run.conditions.get("track_c", 0.0)) for one in runs if one.run.sheet_id == sheet.pk]
        means.append(sum(track) / len(track))
    if abs(means[1] - means[0]) <= _TRACK_WARNING_K:
        return []
    hotter = b.name if means[1] > means[0] else a.name
    size = abs(means[1] - means[0])
    return [f"{hotter} was driven on a track {size:.0f} K hotter: what that cost is taken out as far as the model and the laps tell it."]
