"""Times of laps corner by corner, kept: what verdicts by corner are made of."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from apexcore.errors import ApexError
from apexcore.judge.traces.frame import fits_length
from apexcore.judge.traces.habits import part_ends, part_times
from apexcore.judge.traces.place import placed
from apexcore.lap.solver import Lap
from apextrim.events.models import Event
from apextrim.library.caches import MB, kept_within
from apextrim.modelling import answers
from apextrim.runs.models import LapTrace
from apextrim.runs.recorded import recorded_lap
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet

from .compare import ground_of

Floats = NDArray[np.float64]


def titles_of(event: Event) -> list[str]:
    """What the parts of a lap are called: the way to the first corner, then the corners."""
    ground = ground_of(event)
    named = [window.name or f"corner {window.number}" for window in ground.corners]
    return ["the way to the first corner", *named]


def modelled_times(event: Event, sheet: Sheet) -> Floats:
    """What the model's lap with a sheet takes in every part [s].

    :raises SolverError: if the car cannot take the circuit
    """
    return part_times_of(event, answers.answer_of(event, core_sheet(event, sheet)).lap)


def part_times_of(event: Event, lap: Lap) -> Floats:
    """What a lap of the model takes in every part, also on another line over the same stations [s].

    :raises ApexError: if the circuit has no line
    """
    ground = ground_of(event)
    ends = part_ends(ground.corners, ground.line.length_m)
    clock = np.concatenate([[0.0], np.cumsum(lap.column("time"))])
    return np.diff(np.interp(ends, np.append(ground.line.s, ground.line.length_m), clock))


def times_of(event: Event, laps: Sequence[tuple[int, int]]) -> dict[tuple[int, int], tuple[float, ...]]:
    """Times of laps in every part, by run and number; laps without a trace, or with one of another length, are left out.

    :param laps: key of the run, and number of the lap
    """
    runs = {run for run, _ in laps}
    rows = LapTrace.objects.filter(lap__run__in=runs).values_list("pk", "lap__run", "lap__number")
    wanted = set(laps)
    found = {}
    for pk, run, number in rows:
        if (run, number) in wanted:
            times = _times(pk, event.pk, event.circuit.data, event.line)
            if times:
                found[run, number] = times
    return found


@kept_within(4 * MB, on_disk=False)
def _times(trace: int, event_id: int, circuit: str, line: str) -> tuple[float, ...]:
    """Times of one lap by its way alone, kept: circuit and line are what it depends on besides; empty where it does not fit."""
    event = Event.objects.select_related("car", "circuit").get(pk=event_id)
    ground = ground_of(event)
    lap = recorded_lap(LapTrace.objects.select_related("lap").get(pk=trace))
    try:
        fits_length(lap, ground.line.length_m)
        place = placed([lap], ground.base, [None])
    except ApexError:
        return ()
    return tuple(float(time) for time in part_times(place, ground.corners, ground.line.length_m)[0])
