"""What a driver's earlier runs say of the spread from run to run today."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .sampler import Floats

#: Degrees of freedom from which on a history tells how far runs are apart.
_TELLS = 4.0
#: Runs from which on the hour that they were driven at is taken out of them.
HOUR_FROM = 6

#: Weight that the prior keeps against a day unlike those before, and the power to which the likelihood of the history is raised,
#: as runs of other days are kin to today's and not the same. Source: fitted to simulated drivers (docs/proof.md holds them).
GUARD, SHARE = 0.3, 0.5


@dataclass(frozen=True)
class History:
    """Earlier runs of a driver.

    :param square_s2: sum of the squared deviations of runs from what they had in common with others [s2]
    :param freedom: degrees of freedom of that sum
    :param noise_s2: part of one squared deviation that the scatter of laps explains [s2]
    """

    square_s2: float
    freedom: float
    noise_s2: float

    @property
    def tells(self) -> bool:
        """Whether there is enough of it to judge a few runs by."""
        return self.freedom >= _TELLS

    def __add__(self, other: "History") -> "History":
        """Two histories as one."""
        freedom = self.freedom + other.freedom
        noise = (self.noise_s2 * self.freedom + other.noise_s2 * other.freedom) / freedom
        return History(self.square_s2 + other.square_s2, freedom, noise)


def history_of(runs: Sequence[Sequence[float]], scatter_s: float, explained: Floats | None = None) -> History | None:
    """The history that runs of one test leave; None where nothing is left to measure a spread by.

    :param runs: timed laps of each run with fuel, tyre age and cold tyres taken out [s]
    :param scatter_s: scale of the driver's laps [s]
    :param explained: columns of what the runs may differ by beside their shift, such as sheets and the hour, shape [runs, columns];
        a common level where none is told

    Source: residual sum of squares of a regression of run medians; the median of n laps of a t4 has variance 1.78 scale2/n.
    """
    x = np.ones((len(runs), 1)) if explained is None else explained
    used = [place for place, run in enumerate(runs) if len(run) >= 2]
    if not used:
        return None
    x, y = x[used], np.array([float(np.median(runs[place])) for place in used])
    freedom = len(y) - int(np.linalg.matrix_rank(x))
    if freedom < 1:
        return None
    rest = y - x @ np.linalg.lstsq(x, y, rcond=None)[0]
    noise = float(np.mean([1.78 * scatter_s**2 / len(runs[place]) for place in used]))
    return History(float(rest @ rest), float(freedom), noise)


def log_weight(history: History, prior_s: float) -> float:
    """Logarithm of what the history's likelihood is worth on average under a half-Cauchy prior of the spread [-]."""
    spread = np.exp(np.linspace(math.log(1e-4), math.log(50.0), 4000))
    variance = spread**2 + history.noise_s2
    log = -0.5 * SHARE * (history.freedom * np.log(variance) + history.square_s2 / variance)
    density = 2.0 / (math.pi * prior_s * (1.0 + (spread / prior_s) ** 2))
    top = float(log.max())
    return top + math.log(float(np.trapezoid(density * np.exp(log - top), spread)))
