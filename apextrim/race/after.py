"""After a race: what was planned against what was driven, and its laps as runs."""

import itertools
import math
from collections.abc import Sequence, Set
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from django.db import transaction

from apexcore.errors import InputError
from apexcore.judge.laps import DrivenLap
from apexcore.race.course import course
from apexcore.race.happened import RaceLap, happened
from apextrim.runs.actions import add_laps, add_run
from apextrim.runs.models import Run
from apextrim.sheets.queries import sheet_in_car

from . import live
from .live import Now
from .models import LiveRace

#: A lap slower than the median by more than this share is not one of pace.
_SLOW = 0.04


@dataclass(frozen=True)
class Compared:
    """A race against its plan.

    :param laps: a lap, its planned time and the driven one, None where it is not known [s]
    :param gap_s: driven over planned, over the laps that are known [s]
    :param pace_s: median of driven over planned on clean laps [s]; None where too few are known
    :param use_l: fuel of a lap, planned and driven [l]
    :param fade: how much faster tyres faded than planned [-]
    :param stops_s: of each stop its planned and its driven loss, None where it is not known [s]
    :param parts: of the gap
    """

    now: Now
    laps: list[tuple[int, float | None, float | None]]
    gap_s: float | None
    pace_s: float | None
    use_l: tuple[float, float]
    fade: float
    stops_s: list[tuple[int, float | None, float | None]]
    parts: tuple["GapPart", ...] = ()


@dataclass(frozen=True)
class GapPart:
    """A part of the gap to the plan; all parts together are the gap.

    :param what: `stops`, `flags`, `rain`, `spoiled` or `pace`
    :param laps: that it comes from
    """

    what: str
    seconds: float
    laps: int


def gap_parts(
    both: Sequence[tuple[int, float, float]], stopped: Set[int], driven: Sequence[RaceLap], usual_s: float
) -> tuple[GapPart, ...]:
    """Where the gap to the plan came from, lap by lap, the largest part first: each lap belongs to one part.

    :param both: laps whose time is known: number, planned and driven time [s]
    :param stopped: laps that begin with a stop, by the plan or as driven
    :param driven: the laps as they were begun
    :param usual_s: the usual lap [s]
    """
    found = dict[str, list[float]]()
    for lap, planned, real in both:
        began = driven[lap - 1] if lap <= len(driven) else None
        if lap in stopped:
            what = "stops"
        elif began is not None and not began.green:
            what = "flags"
        elif began is not None and began.wet:
            what = "rain"
        else:
            what = "spoiled" if real >= (1.0 + _SLOW) * usual_s else "pace"
        found.setdefault(what, []).append(real - planned)
    parts = [GapPart(what, math.fsum(each), len(each)) for what, each in found.items()]
    return tuple(sorted(parts, key=lambda part: -abs(part.seconds)))


def compared(now: Now) -> Compared:
    """A race against the plan that it began with."""
    setup = now.setup
    planned = course(setup.rules, setup.pace, setup.plan)
    driven = now.state.times_s
    rows = [
        (lap + 1, float(planned.lap_s[lap]) if lap < len(planned.lap_s) else None, driven[lap] if lap < len(driven) else None)
        for lap in range(max(len(planned.lap_s), len(driven)))
    ]
    both = [(lap, plan, real) for lap, plan, real in rows if plan is not None and real is not None]
    pit_laps = _pit_laps(now)
    usual = float(np.median([real for _, _, real in both])) if both else 0.0
    clean = [
        real - plan for lap, plan, real in both if real < (1.0 + _SLOW) * usual and lap not in pit_laps and not planned.stop_s[lap - 1]
    ]
    stops = []
    for lap in sorted(pit_laps):
        real = driven[lap - 1] if lap <= len(driven) else None
        lost = None if real is None or not usual else real - usual
        stops.append((lap - 1, float(planned.stop_s[lap - 1]) or None if lap <= len(planned.stop_s) else None, lost))
    stopped = pit_laps | {lap for lap, stop_s in enumerate(planned.stop_s, start=1) if stop_s}
    parts = gap_parts(both, stopped, now.state.driven, usual)
    return Compared(
        now, rows, sum(real - plan for _, plan, real in both) if both else None, float(np.median(clean)) if len(clean) > 2 else None,
        (setup.pace.fuel_l_per_lap, now.state.use_l), now.state.fade, stops, parts,
    )  # fmt: skip


def _pit_laps(now: Now) -> set[int]:
    """Laps that begin with a stop."""
    return {number for number, lap in enumerate(now.state.driven, start=1) if lap.stop_l is not None}


def kept_runs(race: LiveRace) -> list[Run]:
    """The runs that a race's laps were put into."""
    return list(race.event.runs.filter(deleted_at=None, tags__race=str(race.pk)).order_by("number"))


@transaction.atomic
def keep_as_runs(race: LiveRace, at: datetime | None = None) -> int:
    """A run for each stint, with the laps whose time is known; once.

    :raises InputError: where there is no sheet in the car, no lap, or the laps are there already
    """
    event, sheet = race.event, sheet_in_car(race.event)
    if sheet is None:
        raise InputError("sheet", "none in the car", "one that the race was driven with")
    if kept_runs(race):
        raise InputError("race", "its laps are in the logbook", "a race whose laps are not")
    if race.marks.filter(undone=False).exclude(logger_lap=None).exists():
        raise InputError("race", "a logger sent its laps", "nothing to do: they are in the logbook already")
    setup = live.setup_of(race)
    stints = _stints(race)
    if not stints:
        raise InputError("race", "no lap with a time", "a race that was driven")
    for compound, age, fuel, laps in stints:
        front, rear = next(tyre for tyre in setup.pace.tyres if tyre.key == compound).axles
        run = add_run(
            event,
            {
                "sheet": sheet, "session": event.session, "front": front, "rear": rear, "tyre_age": float(age), "fuel_l": round(fuel, 2),
                "note": "race", "tags": {"race": str(race.pk)},
            },
            at=at,
        )  # fmt: skip
        add_laps(run, [DrivenLap(number, time) for number, time in enumerate(laps, start=1)], from_pit=bool(run.number))
    return len(stints)


def _stints(race: LiveRace) -> list[tuple[str, int, float, list[float]]]:
    """Tyres, their age, fuel on board and lap times of each stint, up to its first lap whose time is not known."""
    found: list[tuple[str, int, float, list[RaceLap]]] = []
    for lap in happened(live.setup_of(race), live.core_marks(live.marks_of(race))).driven:
        if not found or lap.stop_l is not None or lap.compound != found[-1][0]:
            found.append((lap.compound, lap.age, max(lap.fuel_l, 0.0), []))
        found[-1][3].append(lap)
    known = [
        (compound, age, fuel, [lap.time_s for lap in itertools.takewhile(lambda one: one.time_s is not None, laps) if lap.time_s])
        for compound, age, fuel, laps in found
    ]
    return [one for one in known if one[3]]
