"""What the laps cannot part a difference from: fuel, tyre age, a compound or a day that went with one side only."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .mixture import Mixture
from .model import Observed, Posterior, Priors, columns_in_words, days_of, effects_of, information_of, prior_columns
from .planned import place_of, precisions

#: Shares of a difference's variance that may come from what the book says: up to the first it is believed, from the second on
#: doubted in full. And how many standard deviations of the book the doubt allows for: a weight cost that is twice the book's is
#: five of its spreads off (`priors`). Source: simulated books that are off (docs/proof.md holds them).
_BELIEVED, _DOUBTED = 0.05, 0.10
_DOUBT = 5.0


@dataclass(frozen=True)
class Confounded:
    """A difference that leans on the book.

    :param cause: what it leans on most, of `model.columns_in_words`
    :param leans_s: standard deviation that the book's own spread puts into it [s]
    :param doubt_s: what the interval is widened by [s]
    :param hides: whether the difference would be settled if the book were right
    """

    cause: str
    leans_s: float
    doubt_s: float
    hides: bool

    def widened(self, found: Mixture, chance: float) -> tuple[float, float]:
        """The interval of this chance if the book is off by several times its spread [s]."""
        return _widened(found, self.leans_s, self.doubt_s, chance)


def confounded(laps: Sequence[Observed], posterior: Posterior, priors: Priors, effect: int, found: Mixture) -> Confounded | None:
    """What a difference leans on, from how far it moves when each prior moves by its own spread; None where the laps carry it.

    Trend and learning are left out: nothing in the book says what they are, and their priors are as wide as they get.

    :param found: the posterior of the effect

    Source: the posterior mean of a normal linear model moves by Cov(d, b)/sd when the prior mean of b moves by its sd.
    """
    information = information_of(np.array([np.median(posterior.scatter)]), np.array([posterior.spoiled.mean()]))
    precision = precisions(laps, information, np.array([np.median(posterior.shift_sd)]), priors)[0]
    place = place_of(laps, effect)
    unit = np.zeros(len(precision))
    unit[place] = 1.0
    covariance = np.linalg.solve(precision, unit)
    effects, days = effects_of(laps), days_of(laps)
    sd = prior_columns(priors, effects, len(days))[1]
    leans: dict[str, float] = {}
    words = ["", *columns_in_words(len(priors.fade), len(days)), *[""] * (effects + 1)]
    for word, moved in zip(words, (covariance / sd) ** 2, strict=True):
        if word:
            leans[word] = leans.get(word, 0.0) + float(moved)
    total, variance = sum(leans.values()), float(covariance[place])
    if total < _BELIEVED * variance:
        return None
    full = math.sqrt(sum(_DOUBT**2 * moved for moved in leans.values()))
    doubt = full * min((total / variance - _BELIEVED) / (_DOUBTED - _BELIEVED), 1.0)
    low, high = found.interval(0.95)
    wide_low, wide_high = _widened(found, math.sqrt(total), doubt, 0.95)
    hides = not low <= 0.0 <= high and wide_low <= 0.0 <= wide_high
    return Confounded(max(leans, key=lambda word: leans[word]), math.sqrt(total), doubt, hides)


def _widened(found: Mixture, leans_s: float, doubt_s: float, chance: float) -> tuple[float, float]:
    """The interval with the book's own spread taken out and the doubt put in its place [s]; never narrower than without."""
    low, high = found.interval(chance)
    own = math.sqrt(max(1.0 - leans_s**2 / found.variance, 0.0))
    half = max(own * 0.5 * (high - low) + doubt_s, 0.5 * (high - low))
    return found.mean - half, found.mean + half
