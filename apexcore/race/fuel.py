"""How much fuel: laps, formation, and a margin from the measured spread."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

#: Normal quantile of the chance that the margin covers: 99 of 100 races end with fuel left.
_Z99 = 2.326


@dataclass(frozen=True)
class FuelUse:
    """Fuel burnt per racing lap.

    :param mean_l: [l/lap]
    :param spread_l: standard deviation from lap to lap [l/lap]
    :param laps: number of laps it was measured on; 0 if it comes from the model
    """

    mean_l: float
    spread_l: float
    laps: int

    @property
    def error_l(self) -> float:
        """Standard error of the mean [l/lap]; a twentieth of the mean where nothing was measured."""
        return self.spread_l / math.sqrt(self.laps) if self.laps else 0.05 * self.mean_l


def measured_use(burnt_l: Sequence[float]) -> FuelUse | None:
    """Fuel use from timed laps; None with fewer than three."""
    if len(burnt_l) < 3:
        return None
    values = np.asarray(burnt_l, dtype=float)
    return FuelUse(float(values.mean()), float(values.std(ddof=1)), len(values))


def margin_l(use: FuelUse, laps: float) -> float:
    """Litres to add for `laps` so that they last in 99 of 100 cases [l].

    The sum of n laps has variance n s2 from lap to lap plus (n e)2 from the error of the mean.

    Source: variance of a sum; 2.326 is the normal 99 % quantile.
    """
    return _Z99 * math.sqrt(laps * use.spread_l**2 + (laps * use.error_l) ** 2)


#: Fuel that a sheet made for a number of laps carries beyond them, over the modelled use [-]. Source: a choice of this product; the
#: race plan works its reserve out from measured laps (`margin_l`).
SHEET_RESERVE = 0.03


def sheet_fuel_l(use_l: float, laps: float) -> float:
    """Fuel of a sheet for this many laps at the modelled use [l].

    :param use_l: fuel burnt in one lap [l]
    """
    return (1.0 + SHEET_RESERVE) * laps * use_l
