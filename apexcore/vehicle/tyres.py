"""Tyre state that is constant over one lap: temperature, hot pressure, wear, and the grip they leave.

What changes along the lap (load, inclination, optimum pressure at the load) is in `lap.kernel`.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import KELVIN
from .car import Compound

Floats = NDArray[np.float64]

HOT_SIDE = 0.9  #: width of the grip's peak above its best temperature over that below. Source: an assumption of this product [-]
ATMOSPHERE_KPA = 101.325  #: used to turn gauge into absolute pressure [kPa]

Four = tuple[float, float, float, float]


def four(values: Iterable[float]) -> Four:
    """Four values, one a wheel in the car's order."""
    a, b, c, d = values
    return a, b, c, d


@dataclass(frozen=True)
class TyreState:
    """State of the four tyres at one moment, wheels in the car's order.

    :param compounds: compound of each axle, front and rear
    :param temperature_c: mean temperature of each tread, skin and below, that makes its grip [degC]
    :param carcass_c: temperature of each carcass and its gas, which makes its pressure [degC]
    :param wear: worn share of each tread [-]
    :param skin_c: of each tread's skin; `temperature_c` if not given [degC]
    :param tread_c: of each tread below it; `temperature_c` if not given [degC]
    :param fade: how far each has faded in long heat, 0 to 1 [-]
    :param fade_kept: part of it that does not come back [-]
    """

    compounds: tuple[Compound, Compound]
    temperature_c: Four
    carcass_c: Four
    wear: Four
    skin_c: Four | None = None
    tread_c: Four | None = None
    fade: Four = (0.0, 0.0, 0.0, 0.0)
    fade_kept: Four = (0.0, 0.0, 0.0, 0.0)

    def layers_c(self, wheel: int) -> tuple[float, float, float]:
        """Temperatures of skin, tread and carcass of a wheel [degC]."""
        skin, tread = self.skin_c or self.temperature_c, self.tread_c or self.temperature_c
        return skin[wheel], tread[wheel], self.carcass_c[wheel]

    def grip(self, wheel: int) -> float:
        """Grip that heat, wear and fade leave a wheel [-]."""
        compound = self.compound(wheel)
        heat = temperature_grip(compound, self.temperature_c[wheel])
        return heat * wear_grip(compound, self.wear[wheel]) * (1.0 - compound.fade_loss * self.fade[wheel])

    def compound(self, wheel: int) -> Compound:
        """The compound on a wheel (0 to 3)."""
        return self.compounds[wheel // 2]


def hot_pressure_kpa(cold_kpa: float, cold_c: float, hot_c: float, atmosphere_kpa: float = ATMOSPHERE_KPA) -> float:
    """Gauge pressure of a tyre filled at `cold_c` once its gas has `hot_c` [kPa].

    Ideal gas at constant volume: (p_hot + p_atm)/T_hot = (p_cold + p_atm)/T_cold, absolute.
    """
    return (cold_kpa + atmosphere_kpa) * (hot_c + KELVIN) / (cold_c + KELVIN) - atmosphere_kpa


def cold_pressure_kpa(hot_kpa: float, cold_c: float, hot_c: float, atmosphere_kpa: float = ATMOSPHERE_KPA) -> float:
    """Inverse of `hot_pressure_kpa`: what to fill at `cold_c` to read `hot_kpa` at `hot_c` [kPa]."""
    return hot_pressure_kpa(hot_kpa, hot_c, cold_c, atmosphere_kpa)


def temperature_grip(compound: Compound, temperature_c: float) -> float:
    """Grip left by tyre temperature [-]: 1/(1 + loss x2), x the distance from the best in widths.

    The bell shape is common to measured tyres (Pacejka, Tire and Vehicle Dynamics, ch. 1); the fraction keeps it
    positive for any temperature. Hot tyres lose a little sooner than cold ones (an assumption).
    """
    x = (temperature_c - compound.temperature_opt_c) / compound.temperature_width_c
    if x > 0.0:
        x /= HOT_SIDE
    return 1.0 / (1.0 + compound.temperature_loss * x * x)


def temperature_grips(compound: Compound, temperature_c: Floats) -> Floats:
    """`temperature_grip` of many temperatures."""
    x = (temperature_c - compound.temperature_opt_c) / compound.temperature_width_c
    x = np.where(x > 0.0, x / HOT_SIDE, x)
    return np.asarray(1.0 / (1.0 + compound.temperature_loss * x * x))


#: Wetness by which a compound's loss is moved, so that its curve is not vertical where the first water lies [-].
_FIRST_WATER = 0.02


def wet_grip(compound: Compound, wetness: float) -> float:
    """Grip that water leaves a compound [-]: 1 - A ((w + w0)^p - w0^p)/((1 + w0)^p - w0^p).

    Source: a study on this product's lap (docs/model.md, water): below 1 the power is that of a smooth tread, whose patch floats on the
    first film; what stands deeper than 2 mm is not in it.

    :param wetness: 0 dry to 1 soaked
    """
    p = compound.wet_power
    begun = math.pow(_FIRST_WATER, p)
    return 1.0 - compound.wet_loss * (math.pow(wetness + _FIRST_WATER, p) - begun) / (math.pow(1.0 + _FIRST_WATER, p) - begun)


#: Depth that a road's texture holds, and up to which nothing floats [mm]; speed of a smooth tyre that floats wholly by the root of its
#: pressure [m/s per kPa^(1/2)]; part of it from which on it begins to; what a millimetre of grooves, and none, add. Source: spin-down of a
#: smooth tyre on runways (10.35 kn by the root of psi); texture and tread by an assumption between a published formula and consumer tests.
_TEXTURE_MM, _STANDS_FROM_MM, _FLOATS, _BEGINS, _GROOVED, _SMOOTH = 1.5, 2.0, 6.35 / 3.6, 0.67, 2.0, 0.6


def floats_at(compound: Compound, hot_kpa: float, wear: float, standing_mm: float) -> tuple[float, float] | None:
    """Speeds from which a tyre begins to float on standing water, and floats wholly [m/s]; None where nothing stands.

    v = 6.35 km/h √p √(1 + (0.6 + 2 D)/(h - 1.5)), p in kPa, D the grooves' depth by their share of the tread, h the water's, in mm.
    """
    if standing_mm <= _STANDS_FROM_MM:
        return None
    grooves = compound.groove_mm * (1.0 - min(max(wear, 0.0), 1.0))
    full = _FLOATS * math.sqrt(max(hot_kpa, 1.0)) * math.sqrt(1.0 + (_SMOOTH + _GROOVED * grooves) / (standing_mm - _TEXTURE_MM))
    return _BEGINS * full, full


#: Share of the greatest loss to water among a car's compounds from which down one is for the wet [-]. Source: definition of this product.
_FOR_THE_WET = 0.6


def for_the_wet(compounds: Sequence[Compound]) -> frozenset[str]:
    """Keys of the compounds that are for the wet: those that water takes far less from than from another of the same car."""
    most = max(compound.wet_loss for compound in compounds)
    return frozenset(compound.key for compound in compounds if compound.wet_loss < _FOR_THE_WET * most)


def wear_grip(compound: Compound, wear: float) -> float:
    """Grip left by wear [-]: a straight loss up to the cliff, then a quadratic fall to bare.

    Source: an assumption of this product (docs/model.md, tyre wear).
    """
    worn = min(max(wear, 0.0), 1.0)
    grip = 1.0 - compound.wear_loss * min(worn / compound.cliff_wear, 1.0)
    if worn > compound.cliff_wear:
        over = (worn - compound.cliff_wear) / (1.0 - compound.cliff_wear)
        grip -= compound.cliff_loss * over * over
    return max(grip, 0.1)
