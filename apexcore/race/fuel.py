"""How much fuel: laps, formation, and a margin from the measured spread."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

#: Chance that the margin covers: 99 of 100 races end with fuel left; and its normal quantile.
_COVERS, _Z99 = 0.99, 2.326
#: Spread of the use in a race against that in practice, as a share: traffic, saving, fighting. Source: an assumption of this product.
RACE_SPREAD = 0.02
#: Laps that the prior of no kinship counts as, and most kinship from lap to lap that is believed.
_UNLIKE_LAPS, _MOST_KIN = 8.0, 0.7
#: Spread from lap to lap before any was measured, as a share, and the degrees of freedom that this is worth. Source: wider than the
#: virtual cars'; so that two runs alike do not count as certain.
_LAP_SPREAD, _LAP_FREEDOM = 0.04, 2.0
#: Coarsest steps in which a lap's fuel and a tank's are taken to be typed, where all figures are round [l].
_COARSEST_L = (0.1, 1.0)
#: A figure further from the median than so many robust deviations, and than this share of it, is a false reading.
_FALSE, _FALSE_SHARE = 6.0, 0.15
#: The fewest laps from which a use is taken.
_LEAST_LAPS = 3


@dataclass(frozen=True)
class Burnt:
    """Fuel that a run burnt, from what was in the tank at both its ends.

    :param litres: [l]
    :param laps: of any kind
    """

    litres: float
    laps: int


@dataclass(frozen=True)
class FuelUse:
    """Fuel burnt per racing lap.

    :param mean_l: [l/lap]
    :param spread_l: standard deviation from lap to lap [l/lap]
    :param laps: number of laps it was measured on; 0 if it comes from the model
    :param freedom: degrees of freedom of the spread; as good as known where it is not told
    :param left_out: figures that were left out as false readings
    :param kinship: how like a lap is to the one before, as a correlation [-]
    """

    mean_l: float
    spread_l: float
    laps: int
    freedom: float = math.inf
    left_out: int = 0
    kinship: float = 0.0

    @property
    def summed_l(self) -> float:
        """Spread of a lap as it counts in a sum of many [l]: laps that are like those before them do not even out as fast.

        Source: variance of a sum of a first-order autoregressive series.
        """
        return self.spread_l * math.sqrt((1.0 + self.kinship) / (1.0 - self.kinship))

    @property
    def error_l(self) -> float:
        """Standard error of the mean [l/lap]; a twentieth of the mean where nothing was measured."""
        return self.summed_l / math.sqrt(self.laps) if self.laps else 0.05 * self.mean_l


def measured_use(burnt_l: Sequence[float], runs: Sequence[Burnt] = ()) -> FuelUse | None:
    """Fuel use from laps, and from runs whose fuel was known at both ends; None with fewer than three laps in all.

    Each figure counts by its laps: a run of n laps has the variance of a lap over n. The spread begins at a prior (a scaled inverse
    chi-square; Gelman and others, ch. 3) and holds what the figures' own rounding leaves open (a step of q has the variance q2/12).
    What cannot be a lap's fuel is left out.

    :param burnt_l: of each lap where it was measured [l]
    """
    figures = [(litres, 1.0, 1.0) for litres in burnt_l] + [(run.litres / run.laps, float(run.laps), 2.0) for run in runs if run.laps > 0]
    figures = [figure for figure in figures if math.isfinite(figure[0]) and figure[0] > 0.0]
    if sum(weight for _, weight, _ in figures) < _LEAST_LAPS:
        return None
    steps = [min(_step(values), most) for values, most in zip((burnt_l, [run.litres for run in runs]), _COARSEST_L, strict=True)]
    use, weight, ends = (np.array(column) for column in zip(*figures, strict=True))
    middle = float(np.median(np.repeat(use, weight.astype(int))))
    apart = np.abs(use - middle)
    spread = 1.4826 * float(np.median(np.repeat(apart, weight.astype(int))))
    good = apart <= max(_FALSE * spread, _FALSE_SHARE * middle)
    use, weight, ends = use[good], weight[good], ends[good]
    mean = float(np.average(use, weights=weight))
    rounding = float(np.mean([steps[int(end) - 1] ** 2 / 12.0 * end / w for end, w in zip(ends, weight, strict=True)]))
    freedom = _LAP_FREEDOM + len(use) - 1.0
    variance = (_LAP_FREEDOM * (_LAP_SPREAD * mean) ** 2 + float((weight * (use - mean) ** 2).sum())) / freedom
    return FuelUse(
        mean, math.sqrt(variance + rounding), int(weight.sum()), freedom, int((~good).sum()), _kinship(use[weight == 1.0] - mean)
    )


def _kinship(apart: np.ndarray) -> float:
    """Correlation of laps with those before them, drawn towards none."""
    if len(apart) < 2 or not float(apart @ apart) > 0.0:
        return 0.0
    found = float(apart[1:] @ apart[:-1]) / float(apart @ apart)
    return min(max(found * len(apart) / (len(apart) + _UNLIKE_LAPS), 0.0), _MOST_KIN)


def _step(values: Sequence[float]) -> float:
    """The step in which figures were typed: one of their last decimal, of the figure that has most."""
    decimals = max((len(f"{value:.4f}".rstrip("0").partition(".")[2]) for value in values), default=4)
    return float(10.0**-decimals)


def margin_l(use: FuelUse, laps: float) -> float:
    """Litres to add for `laps` so that they last in 99 of 100 races [l].

    The sum of n laps has variance n s2 from lap to lap (more where laps are akin) plus (n e)2 from the error of the mean, held with the t
    of as many degrees of freedom as the spread has; the race's own use, which is not practice's, adds (n r)2.

    Source: prediction interval of a sum of normals (Gelman and others, ch. 3); 2.326 is the normal 99 % quantile.
    """
    from scipy.special import stdtrit

    edge = _Z99 if math.isinf(use.freedom) else float(stdtrit(use.freedom, _COVERS))
    own = edge * math.sqrt(laps * use.summed_l**2 + (laps * use.error_l) ** 2)
    return math.hypot(own, _Z99 * laps * RACE_SPREAD * use.mean_l)


def filled_l(litres: float) -> float:
    """What is put into the tank for so much, in tenths: rounded up, never down [l]."""
    return math.ceil(round(10.0 * litres, 6)) / 10.0


#: Fuel that a sheet made for a number of laps carries beyond them, over the modelled use [-]. Source: a choice of this product; the
#: race plan works its reserve out from measured laps (`margin_l`).
SHEET_RESERVE = 0.03


def sheet_fuel_l(use_l: float, laps: float) -> float:
    """Fuel of a sheet for this many laps at the modelled use [l].

    :param use_l: fuel burnt in one lap [l]
    """
    return (1.0 + SHEET_RESERVE) * laps * use_l
