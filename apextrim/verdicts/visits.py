"""Two visits of one car to one circuit: who was quicker, with fuel, tyres and the weather taken out."""

from dataclasses import dataclass, replace

from apexcore.judge.verdict import Verdict, named, sentence
from apexcore.lap.solver import solve_lap
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import answers, cases, fits
from apextrim.runs.queries import observed_by, rows_of, with_laps
from apextrim.sheets.queries import core_sheet_in_car

from .queries import NotYet


@dataclass(frozen=True)
class Visit:
    """A comparison.

    :param text: the sentence
    :param weather_s: modelled lap of this visit's weather less the other's, with one sheet [s]
    :param track_c: mean track temperature of the other visit's laps and of this one's [degC]
    """

    verdict: Verdict
    text: str
    warnings: tuple[str, ...]
    weather_s: float
    track_c: tuple[float, float]


def compared(event: Event, other: Event) -> Visit | NotYet:
    """This visit against the other, or what is missing.

    :raises SolverError: if the vehicle model has no lap
    """
    book = answers.book_of(event, core_sheet_in_car(event))
    use = book.fuel_l_per_lap
    sides = [
        observed_by(other, with_laps(rows_of(other)), lambda run: 0, use),
        observed_by(event, with_laps(rows_of(event)), lambda run: 1, use),
    ]
    for one, runs in zip((other, event), sides, strict=True):
        if not runs:
            return NotYet(f"{one.name} has no timed lap yet.")
    laps = [replace(lap, day=0) for runs in sides for run in runs for lap in run.laps]  # the day is part of what is judged
    verdict = fits.verdict(laps, book.priors())
    sheets = [{tuple(sorted(run.run.sheet.values.items())) for run in runs} for runs in sides]
    warnings = [named(text, other.name, event.name) for text in verdict.warnings]
    if sheets[0] != sheets[1]:
        warnings.append("The two visits were not driven on the same sheets: the verdict is of sheet, driver and day together.")
    lap_case, sheet = cases.lap_case_of(event), core_sheet_in_car(event)
    times = [solve_lap(replace(lap_case, conditions=facts.conditions_of(visit)), sheet).time_s for visit in (other, event)]
    tracks = [sum(lap.track_c for run in runs for lap in run.laps) / sum(len(run.laps) for run in runs) for runs in sides]
    text = sentence(verdict, other.name, event.name)
    return Visit(verdict, text, tuple(warnings), times[1] - times[0], (tracks[0], tracks[1]))
