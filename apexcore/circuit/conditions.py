"""The weather and the surface."""

import math

from pydantic import Field

from ..quantities.values import Value

GRAVITY = 9.80665  #: standard gravity [m/s2] (CGPM 1901)
KELVIN = 273.15  #: 0 degC [K]
_R_DRY = 287.05  #: gas constant of dry air [J/(kg K)] (ISO 2533)
_R_VAPOUR = 461.5  #: gas constant of water vapour [J/(kg K)]

#: Air in which engines are rated [degC, hPa, % relative humidity] (ISO 1585)
RATED_AIR = (25.0, 990.0, 30.0)

#: Share of grip that a fully rubbered surface has over a green one; 50 % is the book surface.
#: Source: an assumption of this product (docs/model.md).
RUBBER_GRIP = 0.03

#: Wetness from which on a track counts as wet [%].
WET_FROM_PCT = 10.0


class Conditions(Value):
    """Conditions at the circuit.

    :param air_c: air temperature [degC]
    :param track_c: surface temperature [degC]
    :param humidity_pct: relative humidity [%]
    :param pressure_hpa: air pressure at the place [hPa]
    :param wind_ms: wind speed [m/s]
    :param wind_from_deg: compass direction the wind comes from; the map's +y is north [deg]
    :param rubber_pct: rubber laid down, 0 green to 100 fully in [%]
    :param wet_pct: how wet the surface is where one drives, 0 dry to 100 soaked; a wet surface hides its rubber [%]
    :param standing_mm: depth of water that stands on a soaked road, in all; up to 2 mm are in its texture [mm]
    """

    air_c: float = Field(22.0, ge=-20, le=55)
    track_c: float = Field(30.0, ge=-20, le=80)
    humidity_pct: float = Field(50.0, ge=0, le=100)
    pressure_hpa: float = Field(1000.0, ge=600, le=1100)
    wind_ms: float = Field(0.0, ge=0, le=30)
    wind_from_deg: float = Field(0.0, ge=0, le=360)
    rubber_pct: float = Field(50.0, ge=0, le=100)
    wet_pct: float = Field(0.0, ge=0, le=100)
    standing_mm: float = Field(0.0, ge=0, le=20)

    @property
    def air_density(self) -> float:
        """Density of the moist air [kg/m3]."""
        return air_density(self.air_c, self.pressure_hpa, self.humidity_pct)

    @property
    def ambient_c(self) -> float:
        """What a tyre's surface cools to: the mean of air and track [degC]."""
        return 0.5 * (self.air_c + self.track_c)

    @property
    def power_factor(self) -> float:
        """Full-throttle torque over rated torque of a naturally aspirated engine [-].

        Proportional to the mass of dry air per stroke, as in ISO 1585's correction for constant efficiency.
        """
        return _dry_density(self.air_c, self.pressure_hpa, self.humidity_pct) / _dry_density(*RATED_AIR)

    @property
    def surface_grip(self) -> float:
        """Grip of the surface over the book surface [-], its rubber as far as water does not cover it; what water takes is each tyre's
        own (`vehicle.tyres.wet_grip`).

        Source: an assumption of this product (docs/model.md, surface).
        """
        return 1.0 + RUBBER_GRIP * (self.rubber_pct - 50.0) / 100.0 * (1.0 - self.wetness)

    @property
    def wetness(self) -> float:
        """How wet the surface is, 0 dry to 1 soaked: some 2 mm of water, most of it in the texture [-]."""
        return self.wet_pct / 100.0


def saturation_hpa(air_c: float) -> float:
    """Saturation pressure of water vapour [hPa], Magnus formula with WMO coefficients (WMO-No. 8)."""
    return 6.112 * math.exp(17.62 * air_c / (243.12 + air_c))


def air_density(air_c: float, pressure_hpa: float, humidity_pct: float) -> float:
    """Density of moist air as an ideal mixture [kg/m3]: rho = p_d/(R_d T) + p_v/(R_v T)."""
    vapour = humidity_pct / 100.0 * saturation_hpa(air_c)
    kelvin = air_c + KELVIN
    return 100.0 * ((pressure_hpa - vapour) / _R_DRY + vapour / _R_VAPOUR) / kelvin


def _dry_density(air_c: float, pressure_hpa: float, humidity_pct: float) -> float:
    vapour = humidity_pct / 100.0 * saturation_hpa(air_c)
    return 100.0 * (pressure_hpa - vapour) / _R_DRY / (air_c + KELVIN)
