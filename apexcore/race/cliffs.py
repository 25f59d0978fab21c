"""Where the tyres go off: the book's word, until somebody has driven over it or well beyond it."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..judge.fade import fade
from ..judge.model import Observed, fuel_out
from ..judge.priors import CompoundBook
from ..judge.sampler import Floats
from ..judge.stints import stints
from ..quantities.spread import sd_of_interval

#: Relative spread of the book's cliff age where nobody drove over it, and where somebody did and the book is only a hint.
BOOK_SPREAD, _HINT_SPREAD = 0.15, 0.4
#: Laps after the pit exit from which on tyres count as warm, and warm laps of a run that may show a cliff.
_WARM_FROM, _LEAST_LAPS = 3, 8
#: A run without a cliff tells that there is none up to so many laps before its end; and the chance of one below which it tells so.
_HIDDEN, _NONE = 3.0, 0.3


@dataclass(frozen=True)
class Cliff:
    """Where a compound goes off.

    :param age: mean of the age at it [laps]
    :param sd: its standard deviation [laps]
    :param least: age up to which laps show that there is none [laps]
    :param steep_s: lap time added per squared lap beyond it [s/lap2]
    :param laps: laps of the runs that showed it; 0 where the book tells it
    """

    age: float
    sd: float
    least: float
    steep_s: float
    laps: int

    def drawn(self, rng: np.random.Generator, count: int) -> Floats:
        """Draws of the age, none of them where laps show that there is none; by the inverse of the distribution."""
        from scipy.special import ndtr, ndtri

        below = float(ndtr((self.least - self.age) / self.sd))
        share = below + (1.0 - below) * rng.random(count)
        inside = self.age + self.sd * ndtri(np.minimum(share, 1.0 - 1e-12))
        drawn = np.where(below > 1.0 - 1e-9, self.least + self.sd * rng.random(count), inside)
        return np.maximum(drawn, self.least)

    @property
    def likely(self) -> float:
        """The age that plans are made with: its mean, where laps did not show that it comes later."""
        from scipy.special import ndtr

        edge = (self.least - self.age) / self.sd
        above = 1.0 - float(ndtr(edge))
        if above < 1e-6:
            return self.least
        return self.age + self.sd * math.exp(-0.5 * edge * edge) / math.sqrt(2.0 * math.pi) / above


def cliffs_of(laps: Sequence[Observed], books: Sequence[CompoundBook], fuel_s_per_kg: float) -> list[Cliff]:
    """The cliff of every compound from the runs on it.

    Runs with enough warm laps are read together first: a cliff that all share. Without one each is read on its own, and what they found is
    weighed by its precision (normal means of known variance; Gelman and others, ch. 2). The book is a hint to either.
    """
    return [_cliff([lap for lap in laps if lap.compound == index], book, fuel_s_per_kg) for index, book in enumerate(books)]


def before_cliffs(laps: Sequence[Observed], cliffs: Sequence[Cliff]) -> list[Observed]:
    """Those laps that were driven before a cliff that was seen: beyond it a straight fade is not what they show."""
    return [lap for lap in laps if not cliffs[lap.compound].laps or lap.tyre_age <= cliffs[lap.compound].age]


def _told(lap: tuple[float, float, float]) -> tuple[float, float]:
    """A cliff's age and its standard deviation by its most likely lap and its range [laps]."""
    return lap[0], math.hypot(sd_of_interval(lap[1], lap[2]), 0.5)


def _cliff(laps: Sequence[Observed], book: CompoundBook, fuel_s_per_kg: float) -> Cliff:
    runs: dict[int, list[Observed]] = {}
    for lap in laps:
        if lap.since_pit >= _WARM_FROM:
            runs.setdefault(lap.run, []).append(lap)
    least, seen = 0.0, list[tuple[float, float, float, int]]()
    read = [fuel_out(run, fuel_s_per_kg) for run in runs.values() if len(run) >= _LEAST_LAPS]
    shared = stints(read) if len(read) > 1 else None
    if shared is not None and shared.lap is not None:
        seen.append((*_told(shared.lap), shared.steep_s, sum(len(ages) for ages, _ in read)))
        read = []
    for driven, times in read:
        found = fade(driven, times)
        if found.lap is not None:
            seen.append((*_told(found.lap), found.steep_s, len(driven)))
        elif found.cliff < _NONE:
            least = max(least, max(driven) - _HIDDEN)
    if not seen:
        return Cliff(book.cliff_age, BOOK_SPREAD * book.cliff_age, least, book.cliff_s, 0)
    ages, sds, steeps, counts = (np.array(column) for column in zip(*seen, strict=True))
    precision = float((1.0 / sds**2).sum()) + 1.0 / (_HINT_SPREAD * book.cliff_age) ** 2
    age = (float((ages / sds**2).sum()) + book.cliff_age / (_HINT_SPREAD * book.cliff_age) ** 2) / precision
    # runs that went off at unlike ages leave it as unsure as they differ
    spread = math.hypot(math.sqrt(1.0 / precision), float(ages.std(ddof=1)) / math.sqrt(len(ages)) if len(ages) > 1 else 0.0)
    return Cliff(age, spread, 0.0, float(np.average(steeps, weights=counts)), int(counts.sum()))
