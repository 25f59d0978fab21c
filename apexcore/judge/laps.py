"""Laps as they were driven, and the plain figures of a run."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

LapKind = Literal["timed", "out", "in", "spoiled"]
KINDS: tuple[LapKind, ...] = ("timed", "out", "in", "spoiled")
KIND_WORDS: dict[str, str] = {"timed": "timed lap", "out": "out-lap", "in": "in-lap", "spoiled": "spoiled lap"}

#: A lap slower than the run's median by more than this many robust deviations is proposed as spoiled; and at least so
#: many seconds. 1.4826 turns a median absolute deviation into a standard deviation of normal scatter.
_OUTLIER = 5.0
_OUTLIER_LEAST_S = 0.8


@dataclass(frozen=True)
class DrivenLap:
    """One lap of a run.

    :param number: from 1 within the run
    :param time_s: lap time [s]
    :param kind: whether it counts
    :param fuel_l: fuel burnt on it, None where it was not measured [l]
    """

    number: int
    time_s: float
    kind: LapKind = "timed"
    fuel_l: float | None = None


@dataclass(frozen=True)
class RunFigures:
    """Figures of a run over its timed laps.

    :param counted: number of timed laps used
    :param best_s: [s]
    :param median_s: [s]
    :param last_five_s: spread of the last five timed laps, largest minus smallest [s]
    """

    counted: int
    best_s: float | None
    median_s: float | None
    last_five_s: float | None


def figures(laps: Sequence[DrivenLap]) -> RunFigures:
    """Best, median and spread of the last five; None where there are too few timed laps."""
    timed = [lap.time_s for lap in laps if lap.kind == "timed"]
    if not timed:
        return RunFigures(0, None, None, None)
    spread = max(timed[-5:]) - min(timed[-5:]) if len(timed) >= 5 else None
    return RunFigures(len(timed), min(timed), float(np.median(timed)), spread)


def proposed_kinds(laps: Sequence[DrivenLap], first_is_out: bool, last_is_in: bool) -> list[LapKind]:
    """The kind each lap most likely has.

    Marks that are already set stay. A first lap from the pit is an out-lap, a last one into it an in-lap; what lies far
    above the median of the rest is spoiled.
    """
    kinds: list[LapKind] = [lap.kind for lap in laps]
    if first_is_out and kinds and kinds[0] == "timed":
        kinds[0] = "out"
    if last_is_in and len(kinds) > 1 and kinds[-1] == "timed":
        kinds[-1] = "in"
    timed = np.array([lap.time_s for lap, kind in zip(laps, kinds, strict=True) if kind == "timed"])
    if len(timed) < 4:
        return kinds
    middle = float(np.median(timed))
    spread = max(1.4826 * float(np.median(np.abs(timed - middle))), 0.05)
    limit = middle + max(_OUTLIER * spread, _OUTLIER_LEAST_S)
    return ["spoiled" if kind == "timed" and lap.time_s > limit else kind for lap, kind in zip(laps, kinds, strict=True)]
