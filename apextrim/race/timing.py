"""What timing says of a race that is on: kept row by row, with one's own laps and stops of it as marks."""

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from apexcore.errors import FileRejected, InputError
from apexcore.formats.timing import MOST_CROSSINGS, disorder
from apexcore.race.happened import happened
from apexcore.race.rivals import AtLine

from . import live
from .models import TIMED_PIT, LiveRace, TimedLine

#: Two moments of the same crossing that differ by no more are the same [s].
_SAME_S = 5e-4


@dataclass
class Taken:
    """What became of a message.

    :param new: crossings that were not there
    :param corrected: those that were there with another moment, pit or class
    :param passed_over: those that were there already
    """

    new: int = 0
    corrected: int = 0
    passed_over: int = 0


@transaction.atomic
def take(race: LiveRace, crossings: Sequence[AtLine]) -> Taken:
    """Keeps what a message tells; a repeat of it adds nothing, another moment of a crossing replaces the one before.

    :raises FileRejected: where it cannot be together with what is known, or is more than a race holds
    """
    taken, told = Taken(), {(one.car, one.lap): one for one in crossings}
    rows = {(row.car, row.lap): row for row in race.timing.filter(car__in={one.car for one in crossings})}
    fresh, changed = list[TimedLine](), list[TimedLine]()
    for place, one in told.items():
        row = rows.get(place)
        if row is None:
            row = rows[place] = TimedLine(race=race, car=one.car, lap=one.lap, clock_s=one.clock_s, pit=one.pit, group=one.group)
            fresh.append(row)
        elif abs(row.clock_s - one.clock_s) > _SAME_S or row.pit != one.pit or (one.group and row.group != one.group):
            row.clock_s, row.pit, row.group = one.clock_s, one.pit, one.group or row.group
            changed.append(row)
        else:
            taken.passed_over += 1
    if problems := disorder(_crossing(row) for row in rows.values()):
        raise FileRejected(problems[:20])
    if fresh and race.timing.count() + len(fresh) > MOST_CROSSINGS:
        raise FileRejected([f"{len(fresh)} crossings more are too many; expected at most {MOST_CROSSINGS} in a race."])
    TimedLine.objects.bulk_create(fresh, batch_size=500)
    TimedLine.objects.bulk_update(changed, ["clock_s", "pit", "group"], batch_size=200)
    taken.new, taken.corrected = len(fresh), len(changed)
    return taken


def _crossing(row: TimedLine) -> AtLine:
    return AtLine(row.car, row.lap, row.clock_s, row.pit, row.group)


def own_laps(race: LiveRace, at_ms: int) -> int:
    """One's own laps of the timing as marks, and a stop as it is planned; a lap that was entered already only gets its time.

    Returns how many marks came in or changed. Every mark is written by itself: where nothing is new nothing is written, and what is
    planned for a stop is solved while nobody waits.

    :param at_ms: now [ms]
    """
    if race.ended_at is not None or not race.own_car:
        return 0
    rows = {row.lap: row for row in race.timing.filter(car=race.own_car)}
    linked = {mark.timing_lap: mark for mark in race.marks.exclude(timing_lap=None)}
    count = 0
    for lap in sorted(rows.keys() - linked.keys()):
        try:
            count += _one(race, rows, lap, at_ms)
        except InputError:  # laps behind the flag
            break
    for lap, row in rows.items():
        mark = linked.get(lap)
        if mark is not None and not mark.undone and (lap - 1 in rows or lap == 1):
            time_s = row.clock_s - (rows[lap - 1].clock_s if lap > 1 else 0.0)
            if mark.time_s is None or abs(mark.time_s - time_s) > _SAME_S:
                mark.time_s = time_s
                mark.save(update_fields=["time_s"])
                count += 1
    return count


def _one(race: LiveRace, rows: dict[int, TimedLine], lap: int, at_ms: int) -> int:
    before = max((one for one in rows if one < lap), default=0)
    each: float = (rows[lap].clock_s - (rows[before].clock_s if before else 0.0)) / (lap - before)
    marks = live.marks_of(race)
    done = len(happened(live.setup_of(race), live.core_marks(marks)).times_s)
    if lap <= done:  # entered by hand
        by_hand = [mark for mark in marks if mark.kind == "lap"]
        if done - lap >= len(by_hand):
            return 0
        mark = by_hand[-1 - (done - lap)]
        if mark.timing_lap is not None:
            return 0
        mark.time_s, mark.timing_lap = each, lap
        mark.save(update_fields=["time_s", "timing_lap"])
        return 1
    for number in range(done + 1, lap + 1):  # laps of which timing lost the crossing share the time
        live.add_mark(race, "lap", f"timing-{number}", at_ms, {"time_s": each, "timing_lap": number})
    if rows[lap].pit and lap == max(rows):
        _stopped(race, lap, at_ms)
    return lap - done


def _stopped(race: LiveRace, lap: int, at_ms: int) -> None:
    """Enters the stop that timing tells of as it was planned; where a penalty is owed it may be that, which only the racer knows."""
    now = live.now_of(race)
    if now.state.penalties:
        return
    stint, litres = live.next_stop(now)
    values = {"compound": "", "age": 0, "litres": litres}
    if stint is not None and stint.fitted:
        values |= {"compound": stint.compound, "age": stint.age}
    live.add_mark(race, "pit", f"{TIMED_PIT}{lap}", at_ms, values)
