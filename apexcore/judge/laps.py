"""Laps as they were driven, and the plain figures of a run."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..quantities.spread import half_interval
from ..quantities.text import format_lap
from .sampler import Floats

LapKind = Literal["timed", "out", "in", "spoiled"]
KINDS: tuple[LapKind, ...] = ("timed", "out", "in", "spoiled")
KIND_WORDS: dict[str, str] = {"timed": "timed lap", "out": "out-lap", "in": "in-lap", "spoiled": "spoiled lap"}

#: A lap slower than the run's median by more than this many robust deviations is proposed as spoiled; and at least so
#: many seconds. 1.4826 turns a median absolute deviation into a standard deviation of normal scatter.
_OUTLIER = 5.0
_OUTLIER_LEAST_S = 0.8
#: A lap quicker than the median by more than so many robust deviations, and more than this share of it, cannot have been driven.
_TOO_QUICK, _TOO_QUICK_SHARE = 8.0, 0.04


@dataclass(frozen=True)
class DrivenLap:
    """One lap of a run.

    :param number: from 1 within the run
    :param time_s: lap time [s]
    :param kind: whether it counts
    :param fuel_l: fuel burnt on it, None where it was not measured [l]
    :param sectors_s: times of its sectors, empty where they were not taken [s]
    :param top_ms: its highest speed, None where it was not measured [m/s]
    """

    number: int
    time_s: float
    kind: LapKind = "timed"
    fuel_l: float | None = None
    sectors_s: tuple[float, ...] = ()
    top_ms: float | None = None


@dataclass(frozen=True)
class RunFigures:
    """Figures of a run over its timed laps.

    :param counted: number of timed laps used
    :param best_s: [s]
    :param median_s: [s]
    :param last_five_s: spread of the last five timed laps, largest minus smallest [s]
    :param average_s: [s]
    :param stretch: most timed laps in a row
    :param sectors_s: sum of the best sectors [s]; None without sectors
    :param fuel_l: fuel burnt a lap, mean and standard deviation [l]; None where it was not measured
    """

    counted: int
    best_s: float | None
    median_s: float | None
    last_five_s: float | None
    average_s: float | None = None
    stretch: int = 0
    sectors_s: float | None = None
    fuel_l: tuple[float, float] | None = None

    @property
    def fuel_half_l(self) -> float | None:
        """Half the width of the 95 % interval within which a lap's fuel lies [l]; None where it was not measured."""
        return None if self.fuel_l is None else half_interval(self.fuel_l[1])

    @property
    def left_s(self) -> float | None:
        """What the best lap leaves on the road against its best sectors [s]."""
        return None if self.sectors_s is None or self.best_s is None else self.best_s - self.sectors_s


def figures(laps: Sequence[DrivenLap]) -> RunFigures:
    """The figures of a run; None where there are too few timed laps for one."""
    timed = [lap for lap in laps if lap.kind == "timed"]
    times = [lap.time_s for lap in timed]
    if not timed:
        return RunFigures(0, None, None, None)
    spread = max(times[-5:]) - min(times[-5:]) if len(times) >= 5 else None
    burnt = [lap.fuel_l for lap in timed if lap.fuel_l is not None]
    fuel = (float(np.mean(burnt)), float(np.std(burnt, ddof=1))) if len(burnt) > 1 else None
    longest = stretch = 0
    for lap in laps:
        stretch = stretch + 1 if lap.kind == "timed" else 0
        longest = max(longest, stretch)
    return RunFigures(len(times), min(times), float(np.median(times)), spread, float(np.mean(times)), longest, _best_sectors(timed), fuel)


#: How far the sectors of a lap may add up to something else than its time before they are not all there: share of the lap.
_CLOSES = 0.005


def _best_sectors(timed: Sequence[DrivenLap]) -> float | None:
    """Sum of the best time of every sector [s], over laps that have them all: those whose sectors add up to the lap."""
    closed = [lap for lap in timed if abs(sum(lap.sectors_s) - lap.time_s) <= _CLOSES * lap.time_s]
    count = max((len(lap.sectors_s) for lap in closed), default=0)
    whole = [lap.sectors_s for lap in closed if len(lap.sectors_s) == count]
    return float(np.min(np.array(whole), axis=0).sum()) if count >= 2 else None


def propose(laps: Sequence[DrivenLap], first_is_out: bool, last_is_in: bool) -> list[tuple[LapKind, str]]:
    """The kind each lap most likely has, and why where it is set aside here.

    Marks that are already set stay. A first lap from the pit is an out-lap, a last one into it an in-lap; what lies far
    above the median of the rest is spoiled, unless it is the end of tyres that went off; what lies far below it is questioned.
    """
    found: list[tuple[LapKind, str]] = [(lap.kind, "marked by you" if lap.kind != "timed" else "") for lap in laps]
    if first_is_out and found and found[0][0] == "timed":
        found[0] = ("out", "the first lap from the pit")
    if last_is_in and len(found) > 1 and found[-1][0] == "timed":
        found[-1] = ("in", "the last lap, into the pit")
    timed = np.array([lap.time_s for lap, (kind, _) in zip(laps, found, strict=True) if kind == "timed"])
    if len(timed) < 4:
        return found
    middle = float(np.median(timed))
    spread = max(1.4826 * float(np.median(np.abs(timed - middle))), 0.05)
    limit = middle + max(_OUTLIER * spread, _OUTLIER_LEAST_S)
    least = middle - max(_TOO_QUICK * spread, _TOO_QUICK_SHARE * middle)
    slow = f"more than {limit - middle:.1f} s slower than the median {format_lap(middle, 2)}"
    quick = f"{middle - least:.1f} s or more quicker than the median {format_lap(middle, 2)}: a short cut, or a wrong figure?"
    going_off = len(timed) - _going_off(timed, limit, spread)
    place = -1
    for index, (lap, (kind, _)) in enumerate(zip(laps, found, strict=True)):
        if kind != "timed":
            continue
        place += 1
        if lap.time_s > limit and place < going_off:
            found[index] = ("spoiled", slow)
        elif lap.time_s < least:
            found[index] = ("spoiled", quick)
    return found


def _going_off(timed: Floats, limit: float, spread: float) -> int:
    """How many laps at the end are slow because the tyres went off: two at least, each no quicker than the one before. Traffic and
    mistakes come and go; a cliff stays and grows."""
    count = 0
    while count < len(timed) and timed[-1 - count] > limit and (count == 0 or timed[-count] > timed[-1 - count] - spread):
        count += 1
    return count if count >= 2 else 0
