"""How far this car and driver are from the model here, by laps driven: what lap times to expect beside what is modelled."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..quantities.spread import Z95

#: What is assumed of a car, a track and a driver before any lap, as a share of the lap time: grip within 8 % alone is about 4 % of it.
#: Source: an assumption of this product, about what stands in a car that was typed from hearsay.
_BEFORE = 0.035
#: What laps differ by from run to run and from day to day beyond what the model tells, as a share. Source: an assumption of this product.
_RUN = 0.006


@dataclass(frozen=True)
class Shift:
    """Lap times driven over those modelled.

    :param log: logarithm of their ratio, mean
    :param sd: its standard deviation for a run to come
    :param runs: that it is known from
    """

    log: float
    sd: float
    runs: int

    @property
    def percent(self) -> float:
        """The ratio less one [%]."""
        return 100.0 * (math.exp(self.log) - 1.0)

    def expected_s(self, modelled_s: float) -> float:
        """The lap time to expect [s]."""
        return modelled_s * math.exp(self.log)

    def half_s(self, modelled_s: float) -> float:
        """Half its 95 % interval [s]."""
        return Z95 * self.sd * self.expected_s(modelled_s)


def shift_of(pairs: Sequence[tuple[float, float]], road: float = 0.0) -> Shift:
    """The shift by runs; what is assumed before any lap without one.

    Source: normal mean with known variances (Gelman and others, ch. 2), and the prediction of one run more.

    :param pairs: lap time driven and modelled under the run's own conditions, of each run [s]
    :param road: what the circuit's points leave open of a lap's time, one standard deviation [-]
    """
    logs = [math.log(driven / modelled) for driven, modelled in pairs if driven > 0.0 and modelled > 0.0]
    before = math.hypot(_BEFORE, road)
    precision = 1.0 / before**2 + len(logs) / _RUN**2
    mean = sum(logs) / _RUN**2 / precision
    return Shift(mean, math.sqrt(1.0 / precision + _RUN**2) if logs else before, len(logs))
