"""What a lap reads of a line at each place: worked out once for a line, the same for every car and speed."""

import numpy as np
from numpy.typing import NDArray

from .conditions import GRAVITY

Floats = NDArray[np.float64]

#: Columns of `places`. With k the curvature, b the banking, s the slope and v the speed, in the road's plane:
#: lateral demand v2 ACROSS - BANK_PULL, pressing acceleration PRESS + v2 SQUEEZE.
BEND = 0  #: k [1/m]
ACROSS = 1  #: k cos b [1/m]
BANK_PULL = 2  #: g sin b cos s [m/s2]
PRESS = 3  #: g cos b cos s [m/s2]
SQUEEZE = 4  #: k sin b + vertical curvature [1/m]
CLIMB = 5  #: g sin s [m/s2]
EAST, NORTH = 6, 7  #: direction of travel [-]
GRIP = 8  #: grip of the surface there over that of the circuit [-]
WHEEL = 9  #: the same of each wheel beyond that, four columns: what its heat, a bump or a kerb leaves it [-]
FLAP = 13  #: how far a drag flap is open there while the car drives [-]
POOL = 14  #: whether water stands there, where it stands on a day [-]


def places(road: Floats, grip: Floats | None = None, flap: Floats | None = None, pool: Floats | None = None) -> Floats:
    """Rows of what the lap reads, one for each row of `road`, shape [stations, 15].

    :param road: curvature [1/m], bank [rad], slope [rad], vertical curvature [1/m], heading [rad]
    :param grip: grip of the surface there over that of the circuit [-]; 1 if not given
    :param flap: how far a drag flap may be open there [-]; 0 if not given
    :param pool: whether water stands there, where it stands on a day [-]; 1 if not given
    """
    k, bank, slope, bend, heading = np.asarray(road, dtype=np.float64).reshape(-1, 5).T
    flat = GRAVITY * np.cos(slope)
    columns = (
        k, k * np.cos(bank), flat * np.sin(bank), flat * np.cos(bank), k * np.sin(bank) + bend, GRAVITY * np.sin(slope),
        np.cos(heading), np.sin(heading), np.ones(len(k)) if grip is None else grip,
    )  # fmt: skip
    return np.ascontiguousarray(
        np.column_stack(
            (*columns, *np.ones((4, len(k))), np.zeros(len(k)) if flap is None else flap, np.ones(len(k)) if pool is None else pool)
        )
    )
