"""A brake channel that does not go back to nothing: what rests on it while the car gains speed is no braking."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

#: Gain of speed from which on nobody brakes [m/s2], moments of it that tell, and most of the strongest braking that may be resting [-].
_GAINS_MS2, _FEWEST, _MOST = 0.3, 20, 0.4


def without_rest(brake: Floats, accel_ms2: Floats) -> Floats:
    """The channel with what rests on it taken off; as it is where nothing tells, or where too much would go.

    :param brake: in any unit, NaN where it is not known
    :param accel_ms2: gain of speed at the same moments
    """
    free = brake[(accel_ms2 > _GAINS_MS2) & np.isfinite(brake)]
    known = brake[np.isfinite(brake)]
    if len(free) < _FEWEST:
        return brake
    rest = float(np.median(free))
    if not 0.0 < rest < _MOST * float(np.percentile(known, 99.5)):
        return brake
    return np.asarray(np.maximum(brake - rest, 0.0))
