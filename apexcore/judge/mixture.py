"""The posterior of an effect: a mixture of the normals that it has at each draw of everything else."""

from dataclasses import dataclass

import numpy as np

from .sampler import Floats


@dataclass(frozen=True)
class Mixture:
    """A mixture of normals.

    :param middle: of each
    :param width: standard deviation of each
    :param share: of each; even where it is not told
    """

    middle: Floats
    width: Floats
    share: Floats | None = None

    @classmethod
    def normal(cls, mean: float, sd: float) -> "Mixture":
        """One normal."""
        return cls(np.array([mean]), np.array([sd]))

    @property
    def mean(self) -> float:
        """Its mean."""
        return float(np.average(self.middle, weights=self.share))

    @property
    def variance(self) -> float:
        """Its variance: that of the middles and the mean of their own."""
        return float(np.average((self.middle - self.mean) ** 2 + self.width**2, weights=self.share))

    def below(self, value: float) -> float:
        """Chance of less than this [-]."""
        from scipy.special import ndtr

        return float(np.average(ndtr((value - self.middle) / self.width), weights=self.share))

    def quantile(self, share: float) -> float:
        """The value below which this share lies; the distribution function is smooth and increasing."""
        from scipy.optimize import brentq

        low, high = float((self.middle - 12.0 * self.width).min()), float((self.middle + 12.0 * self.width).max())
        return float(brentq(lambda value: self.below(value) - share, low, high, xtol=1e-12))

    def interval(self, chance: float) -> tuple[float, float]:
        """The central interval of this chance."""
        rest = 0.5 * (1.0 - chance)
        return self.quantile(rest), self.quantile(1.0 - rest)
