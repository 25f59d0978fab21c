"""A run as a whole, corner by corner."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from apexcore.errors import ApexError
from apexcore.judge.traces.frame import fits_length, frames_of
from apexcore.judge.traces.habits import LEAST_LAPS, Habit, best_corners_s, habits
from apexcore.judge.traces.place import placed
from apexcore.quantities import format_number
from apextrim.events.models import Event
from apextrim.events.queries import event_for, frame
from apextrim.library.caches import MB, kept_within
from apextrim.library.stored import parsed_circuit
from apextrim.runs.models import LapTrace, Run
from apextrim.runs.queries import run_for
from apextrim.runs.recorded import build, recorded_lap
from apextrim.ui.circuit_map import map_view
from apextrim.ui.map_bars import BarsMap, CornerValues, bars_map
from apextrim.ui.uploads import problems_of

from .compare import ground_of

#: Laps that are read at most: the last ones of a longer run.
_MOST_LAPS = 60
#: Corners in the list beside the map, those that leave most.
_DEAREST = 8


@dataclass(frozen=True)
class RunReading:
    """What the laps of a run have in common.

    :param best_s: the best lap that was recorded [s]
    :param ideal_s: of the best of every corner [s]
    :param numbers: of the laps that were read, in the order driven
    :param left_out: laps that could not be laid on the circuit
    """

    corners: tuple[Habit, ...]
    best_s: float
    ideal_s: float
    numbers: tuple[int, ...]
    left_out: int
    notes: tuple[str, ...]

    @property
    def laps(self) -> int:
        """How many were read."""
        return len(self.numbers)

    @property
    def left_s(self) -> float:
        """What the best lap leaves of the best corners [s]."""
        return self.best_s - self.ideal_s


def reading_of(event: Event, run: Run) -> RunReading | None:
    """What the timed laps of a run have in common; None where too few are recorded.

    :raises ApexError: if the circuit has no line
    """
    rows = LapTrace.objects.filter(lap__run=run, lap__kind="timed").order_by("lap__number")
    keys = tuple(rows.values_list("pk", flat=True))[-_MOST_LAPS:]
    if len(keys) < LEAST_LAPS:
        return None
    return _read(keys, event.pk, event.circuit.data, event.line)


@kept_within(4 * MB, on_disk=False)
def _read(keys: tuple[int, ...], event_id: int, circuit: str, line: str) -> RunReading | None:
    """The same, kept: circuit and line are what it depends on besides the laps."""
    event = Event.objects.select_related("car", "circuit").get(pk=event_id)
    ground = ground_of(event)
    laps, left_out = [], 0
    for trace in LapTrace.objects.filter(pk__in=keys).select_related("lap").order_by("lap__number"):
        lap = recorded_lap(trace)
        try:
            fits_length(lap, ground.line.length_m)
            laps.append(lap)
        except ApexError:
            left_out += 1
    if len(laps) < LEAST_LAPS:
        return None
    frames, notes = frames_of(laps, ground.base)
    numbers = tuple(lap.number for lap in laps)
    found = habits(placed(laps, ground.base, frames), numbers, ground.corners, ground.line.length_m)
    return RunReading(tuple(found), min(lap.time_s for lap in laps), best_corners_s(found), numbers, left_out, tuple(notes))


@require_GET
def corners(request: HttpRequest, event_id: int, run_id: int) -> HttpResponse:
    """Every corner of a run: where it is braked for, how slow, where the throttle is, with their spread; and what is left."""
    event = event_for(request.user, event_id)
    run = run_for(request.user, event, run_id)
    build(run)
    context: dict[str, Any] = {"event": event, "frame": frame(event, "runs"), "run": run, "least": LEAST_LAPS, "errors": []}
    try:
        reading = reading_of(event, run)
        context["reading"] = reading
        if reading is not None:
            left = sorted((one for one in reading.corners if one.window is not None), key=lambda one: -one.left_s)
            context |= {"sentence": _sentence(run, reading), "bars": _on_map(event, reading), "left": left[:_DEAREST]}
    except ApexError as error:
        context["errors"] = problems_of(error)
    return render(request, "traces/run.html", context, status=422 if context["errors"] else 200)


def _on_map(event: Event, reading: RunReading) -> BarsMap:
    """What each lap left in every corner of the best of it, as bars there."""
    ground = ground_of(event)
    view = map_view(parsed_circuit(event.circuit.data), ground.line, ground.spans)
    corners = [
        CornerValues(
            one.window.number, [time_s - one.best_s for time_s in one.laps_s], reverse("corner", args=[event.pk, one.window.number]),
            _left_words(one, reading.numbers), reading.numbers.index(one.best_lap),
        )
        for one in reading.corners if one.window is not None
    ]  # fmt: skip
    return bars_map(view, corners)


def _left_words(one: Habit, numbers: Sequence[int]) -> str:
    """A corner's bars as a sentence."""
    assert one.window is not None
    worst = max(range(len(numbers)), key=lambda n: one.laps_s[n])
    name = f"{one.window.number} {one.window.name}".strip()
    usual = f"the usual lap leaves {format_number(one.left_s, 3)} s"
    dearest = f"lap {numbers[worst]} left most, {format_number(one.laps_s[worst] - one.best_s, 3)} s"
    return (
        f"{name}: best on lap {one.best_lap}, {format_number(one.best_s, 3)} s; {usual}; {dearest}{'; scattered' if one.scatters else ''}."
    )


def _sentence(run: Run, reading: RunReading) -> str:
    """The first sentence of the page."""
    scattered = [one for one in reading.corners if one.scatters and one.window is not None]
    names = ", ".join(one.window.name or f"corner {one.window.number}" for one in scattered[:3] if one.window is not None)
    most = max(reading.corners, key=lambda one: one.left_s)
    title = most.window.name or f"corner {most.window.number}" if most.window else "the way to the first corner"
    begin = f"{run.name}: its best corners make a lap {reading.left_s:.2f} s quicker than its best"
    left = f"; the usual lap leaves most in {title}, {most.left_s:.2f} s"
    return f"{begin}{left}. {'Scattered in ' + names + '.' if names else 'No corner scatters beyond the others.'}"
