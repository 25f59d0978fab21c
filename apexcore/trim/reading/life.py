"""How long a tread lasts: from what is left of it, or from the modelled stint."""

from collections.abc import Sequence
from dataclasses import dataclass

from ...vehicle.tyres import Four, four
from .drift import DriftLap, limiting_wheel


@dataclass(frozen=True)
class TreadLife:
    """The wheel that reaches its cliff first.

    :param wheel: 0 to 3, in the car's order
    :param laps: laps from now until then
    :param lost: share of each tread that the laps just driven took [-]
    """

    wheel: int
    laps: float
    lost: Four


def life_from_tread(worn: Four, age_laps: float, driven_laps: int, cliff: tuple[float, float]) -> TreadLife:
    """Life of treads that were measured: what they lost in all their laps goes on at the same rate.

    Source: wear in proportion to laps (abrasion by friction energy), with the spread of the readings.

    :param worn: worn share of each tread now [-]
    :param age_laps: laps on the tyres now
    :param driven_laps: laps of them in the run just ended
    :param cliff: worn share at which grip falls away, front and rear [-]
    """
    to_go = [cliff[wheel // 2] / max(worn[wheel] / age_laps, 1e-9) - age_laps for wheel in range(4)]
    first = min(range(4), key=lambda wheel: to_go[wheel])
    return TreadLife(first, max(to_go[first], 0.0), four(share * driven_laps / age_laps for share in worn))


def life_from_stint(laps: Sequence[DriftLap], age_before: float, driven_laps: int, cliff: tuple[float, float]) -> TreadLife:
    """Life of treads that nobody measured, from a modelled stint on new tyres.

    Source: abrasion by friction energy, lap by lap.

    :param laps: the stint, two laps at least
    :param age_before: laps on the tyres before the run
    :param driven_laps: laps of the run
    :param cliff: worn share at which grip falls away, front and rear [-]
    """
    first, whole = limiting_wheel(laps, cliff)
    lost = four((laps[-1].wear[wheel] - laps[0].wear[wheel]) / (len(laps) - 1) * driven_laps for wheel in range(4))
    return TreadLife(first, max(whole - age_before - driven_laps, 0.0), lost)
