"""What runs tell of an event to those who do not know them."""

from dataclasses import replace
from statistics import median
from typing import Any

from django.dispatch import receiver

from apexcore.errors import ApexError
from apexcore.judge.shift import Shift, shift_of
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.events.signals import pace_shift_wanted
from apextrim.library.stored import parsed_circuit
from apextrim.modelling import answers
from apextrim.sheets.queries import core_sheet

from .models import Run
from .queries import in_one_weather, rows_of, with_laps

#: Runs that say how far laps are from the model: the newest, with so many timed laps at least, of which the first so many are read.
_MOST_RUNS, _LEAST_LAPS, _FIRST_LAPS = 6, 3, 8
#: Laps of which the newest runs are fetched.
_ENOUGH_LAPS = 120


@receiver(pace_shift_wanted)
def laps_against_the_model(event: Event, **_: Any) -> Shift:
    """The laps of the newest runs against the model under the conditions of each."""
    pairs = list[tuple[float, float]]()
    rows, _aside = in_one_weather(with_laps(rows_of(event), _ENOUGH_LAPS))
    for run in reversed(rows):
        times = [lap.time_s for lap in run.laps.all() if lap.kind == "timed"][:_FIRST_LAPS]
        if len(times) >= _LEAST_LAPS and (modelled := _modelled_s(event, run)) is not None:
            pairs.append((median(times), modelled))
        if len(pairs) == _MOST_RUNS:
            break
    return shift_of(pairs, parsed_circuit(event.circuit.data).lap_spread)


def _modelled_s(event: Event, run: Run) -> float | None:
    """The model's lap with a run's sheet, fuel, tyres and weather [s]; None where it has none."""
    sheet = core_sheet(event, run.sheet)
    filled = replace(sheet, values={**sheet.values, "fuel": run.fuel_l})
    try:
        return answers.lap_time_of(event, filled, facts.parsed_conditions(run.conditions), run.front, run.rear)
    except ApexError:
        return None
