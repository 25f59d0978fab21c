"""The heat of a tyre: a tread surface that slides, a carcass that flexes and holds the gas, and the spread across the tread."""

import math
from dataclasses import dataclass

import numpy as np

from ..circuit.conditions import Conditions
from .car import Compound, Tyres

#: What one degree of camber that a tyre has too much or too little, and a whole excess of pressure, move between the thirds
#: of the tread, as a share of its heat over its surroundings. Source: assumptions of this product (docs/model.md).
CAMBER_SPREAD, PRESSURE_SPREAD = 0.045, 0.5

#: Shares of the rolling loss that warm skin, tread and carcass. Source: an assumption of this product (docs/model.md, tyre heat).
FLEX = (0.15, 0.50, 0.35)
#: Share of the skin in the temperature that makes grip; the tread below it has the rest. Source: an assumption of this product.
SKIN = 0.5
#: Speeds' powers in the cooling to air and to the road. Source: forced convection of a turbulent layer; a short contact of half-spaces
#: (Carslaw & Jaeger, Conduction of Heat in Solids, ch. 2).
_AIR_POWER, _ROAD_POWER = 0.8, 0.5
#: Fade in long heat: it begins so far past the best temperature, is whole so much further on [K], builds up and comes back with these
#: times [s], and this share of each rise stays. Source: assumptions of this product (docs/model.md, fade).
_FADE_FROM_K, _FADE_OVER_K, _FADE_UP_S, _FADE_BACK_S, _FADE_STAYS = 8.0, 12.0, 90.0, 200.0, 0.1
#: Rise of the tread over its best that doubles its wear [K]. Source: Grosch & Schallamach 1961, from memory: 25 to 35 K.
_WEAR_DOUBLES_K = 30.0

Layers = tuple[float, float, float]


def grip_c(skin_c: float, tread_c: float) -> float:
    """The temperature that makes a tread's grip [degC]."""
    return SKIN * skin_c + (1.0 - SKIN) * tread_c


#: What water adds to the heat that goes to the road, to the air, and through the sidewalls, over that on a dry day, where it is soaked; how
#: that grows with wetness [-]. Source: water fills the patch where dry rubber touches a part of it only, film and spray evaporate
#: (conduction between half-spaces; a study on this product's lap; sizes of 1.2 to 3.5 and 0.6 to 2 are assumptions).
_WATER_ROAD, _WATER_AIR, _WATER_WALL, _WATER_POWER = 2.2, 1.2, 0.6, 0.8


@dataclass(frozen=True)
class Water:
    """Heat that passes through a tyre's surfaces on a wet road over that on a dry one [-]."""

    road: float
    air: float
    wall: float

    @classmethod
    def of(cls, conditions: Conditions) -> "Water":
        """Of a day."""
        wet = conditions.wetness**_WATER_POWER
        return cls(1.0 + _WATER_ROAD * wet, 1.0 + _WATER_AIR * wet, 1.0 + _WATER_WALL * wet)


#: Powers of hot over best pressure in the heat that a tyre makes rolling, in what rolling costs, and in the patch through which heat goes
#: to the road. Source: rolling-loss tests with load, speed and pressure (heat 0.6 to 1.0, drag 0.3 to 0.5); the patch an assumption, since
#: one from geometry would hide both.
_FLEX_HEAT, _FLEX_DRAG, _FLEX_PATCH = 0.8, 0.4, 0.2
#: Bounds of hot over best pressure within which these hold [-], and heat that a squared degree of camber too much or too little adds
#: [1/deg2]. Source: assumptions of this product (0.002 to 0.008).
_FLEX_FROM, _FLEX_TO, _CAMBER_HEAT = 0.6, 1.6, 0.004


@dataclass(frozen=True)
class Flexed:
    """What pressure and camber make of a tyre, over one at its best pressure that stands upright [-].

    :param heat: of its rolling
    :param drag: of its rolling
    :param patch: through which heat goes to the road
    :param leant: heat of all that it does, by its camber
    """

    heat: float = 1.0
    drag: float = 1.0
    patch: float = 1.0
    leant: float = 1.0


def flexed(tyres: Tyres, compound: Compound, hot_kpa: float, load_n: float, excess_deg: float = 0.0) -> Flexed:
    """A softer tyre flexes more: it rolls harder, runs hotter, and lies wider on the road.

    Source: rolling-loss tests; docs/model.md, tyre heat.

    :param load_n: that it carries in the mean [N]
    :param excess_deg: mean camber beyond what it wants [deg]
    """
    much = tyres.pressure_heat
    if much <= 0.0:
        return Flexed()
    best = compound.pressure_opt_kpa + compound.pressure_opt_kpa_per_kn * (load_n - compound.load_ref_n) / 1000.0
    r = min(max(hot_kpa / max(best, 1.0), _FLEX_FROM), _FLEX_TO)
    heat, drag, patch = (math.pow(r, -much * power) for power in (_FLEX_HEAT, _FLEX_DRAG, _FLEX_PATCH))
    return Flexed(heat, drag, patch, 1.0 + much * _CAMBER_HEAT * excess_deg * excess_deg)


@dataclass(frozen=True)
class Flow:
    """Heat that goes in and out of a tyre over a lap, in three layers: skin, tread, and carcass with its gas.

    Source: heat balance of three bodies (after Sorniotti 2009; Kelly & Sharp 2012; Farroni et al. 2014, from memory).

    :param skin_w: heat that the skin takes up [W]
    :param tread_w: heat that the tread takes up [W]
    :param carcass_w: heat that the carcass takes up [W]
    :param air: from the skin to the air [W/K]
    :param road: from the skin to the road [W/K]
    :param skin_tread: between skin and tread [W/K]
    :param tread_carcass: between tread and carcass [W/K]
    :param wall: from the carcass through the sidewalls to the air [W/K]
    :param air_c: of the air [degC]
    :param road_c: of the road [degC]
    """

    skin_w: float
    tread_w: float
    carcass_w: float
    air: float
    road: float
    skin_tread: float
    tread_carcass: float
    wall: float
    air_c: float
    road_c: float

    def _matrix(self) -> np.ndarray:
        """K of the balance K T = q."""
        up, down = self.skin_tread, self.tread_carcass
        return np.array([[self.air + self.road + up, -up, 0.0], [-up, up + down, -down], [0.0, -down, down + self.wall]])

    def settled_c(self) -> Layers:
        """Temperatures of skin, tread and carcass at which heat in and out are equal [degC].

        Source: heat balance of three bodies at rest.
        """
        skin_w = self.skin_w + self.air * self.air_c + self.road * self.road_c
        return self._at_rest(skin_w, self.tread_w, self.carcass_w + self.wall * self.air_c)

    def _at_rest(self, skin_w: float, tread_w: float, carcass_w: float) -> Layers:
        """Temperatures that carry these heats off, from a body at 0 degC: Gauss's elimination along the chain, skin and carcass first."""
        up, down = self.skin_tread, self.tread_carcass
        outer, inner = self.air + self.road + up, down + self.wall
        tread = (tread_w + skin_w * up / outer + carcass_w * down / inner) / (up + down - up * up / outer - down * down / inner)
        return (skin_w + up * tread) / outer, tread, (carcass_w + down * tread) / inner

    def settled_grip_c(self) -> float:
        """The temperature of grip at which heat in and out are equal [degC]."""
        skin, tread, _ = self.settled_c()
        return grip_c(skin, tread)

    def beside_c(self, grip: float) -> Layers:
        """Skin, tread and carcass of a tyre whose grip has a temperature, at rest otherwise [degC]: the skin takes up what that needs."""
        unit, rest = self._at_rest(1.0, 0.0, 0.0), self.settled_c()
        more = (grip - grip_c(rest[0], rest[1])) / grip_c(unit[0], unit[1])
        return rest[0] + more * unit[0], rest[1] + more * unit[1], rest[2] + more * unit[2]

    def after_c(self, start: Layers, capacity: Layers, seconds: float) -> Layers:
        """Temperatures of skin, tread and carcass after some time at this flow [degC].

        Three bodies that exchange heat, C dT/dt = q - K T, solved exactly with the eigenvectors of K/C (all are real: the
        system is a chain of conductances).

        Source: eigenvectors of a linear system.

        :param start: temperatures before [degC]
        :param capacity: heat capacity of each [J/K]
        """
        matrix = self._matrix()
        goal = np.array(self.settled_c())
        rates, vectors = np.linalg.eig(-matrix / np.array(capacity)[:, None])
        parts = np.linalg.solve(vectors, np.array(start) - goal)
        skin, tread, carcass = np.real(goal + vectors @ (np.exp(rates * seconds) * parts))
        return float(skin), float(tread), float(carcass)


#: A tyre at its best pressure that stands upright.
_UPRIGHT = Flexed()


def flow(
    tyres: Tyres, conditions: Conditions, wheel: int, slide_w: float, rolling_w: float, speed_ms: float, air_ms: float | None = None,
    shape: Flexed = _UPRIGHT,
) -> Flow:  # fmt: skip
    """The heat balance of a tyre of this car.

    :param wheel: 0 to 3
    :param slide_w: sliding power, of which the tyre keeps `slide_share` [W]
    :param rolling_w: rolling loss [W]
    :param speed_ms: mean speed [m/s]
    :param air_ms: of the air that meets it, where a car ahead takes that along [m/s]
    :param shape: what pressure and camber make of it
    """
    slide_w, rolling_w = shape.leant * slide_w, shape.leant * shape.heat * rolling_w
    heat, water = tyres.heat_of(wheel), Water.of(conditions)
    in_air, on_road = (speed_ms if air_ms is None else air_ms) ** _AIR_POWER, speed_ms**_ROAD_POWER
    return Flow(
        heat.slide_share * slide_w + FLEX[0] * rolling_w, FLEX[1] * rolling_w, FLEX[2] * rolling_w, water.air * heat.air * in_air,
        water.road * heat.road * shape.patch * on_road, heat.skin_tread_w_per_k, heat.tread_carcass_w_per_k,
        water.wall * heat.wall * in_air,
        conditions.air_c, conditions.track_c,
    )  # fmt: skip


def capacities(tyres: Tyres, compound: Compound, wheel: int) -> Layers:
    """Heat capacity of skin, tread and carcass [J/K]; a compound that warms up quickly has a skin that holds little."""
    heat = tyres.heat_of(wheel)
    return heat.skin_j_per_k / compound.warm_up, heat.tread_j_per_k, heat.carcass_j_per_k


def faded(compound: Compound, fade: float, kept: float, tread_c: float, seconds: float) -> tuple[float, float]:
    """Fade of a tread after some time at a temperature, and the part of it that stays [-].

    Source: an assumption of this product (docs/model.md, fade): F' = (x2 - F)/tau.

    :param fade: before
    :param kept: the part that stays, before
    """
    x = min(max((tread_c - compound.temperature_opt_c - _FADE_FROM_K) / _FADE_OVER_K, 0.0), 1.0)
    goal = x * x
    after = goal + (fade - goal) * math.exp(-seconds / (_FADE_UP_S if goal > fade else _FADE_BACK_S))
    kept += _FADE_STAYS * max(after - fade, 0.0)
    return max(after, kept), kept


def wear_rate(compound: Compound, tread_c: float) -> float:
    """Share of the tread that one megajoule of sliding takes at a temperature [1/MJ]."""
    return compound.wear_per_mj * float(2.0 ** (max(0.0, tread_c - compound.temperature_opt_c) / _WEAR_DOUBLES_K))


def tread_c(surface_c: float, ambient_c: float, excess_deg: float, pressure_error: float) -> tuple[float, float, float]:
    """Temperatures of the inner, middle and outer third of a tread [degC]; their mean is the surface's.

    Too much camber works its inner shoulder, too much pressure its middle (Milliken & Milliken, Race
    Car Vehicle Dynamics, ch. 2; the sizes are this product's own).

    :param excess_deg: mean camber beyond what the tyre wants, top inwards positive [deg]
    :param pressure_error: hot pressure over its best, less 1 [-]
    """
    heat = surface_c - ambient_c
    across = heat * CAMBER_SPREAD * min(max(excess_deg, -8.0), 8.0)
    fill = heat * PRESSURE_SPREAD * min(max(pressure_error, -0.5), 0.5)
    return surface_c + across - 0.5 * fill, surface_c + fill, surface_c - across - 0.5 * fill


def excess_camber_deg(lateral: np.ndarray, weight: np.ndarray, camber_left: float, roll_deg: float, best: float, left: bool) -> float:
    """Mean camber of a wheel beyond what it wants, top inwards positive [deg].

    In a corner the outer wheel wants to lean in by `best`, the inner one out by it; on a straight any camber is too much. A
    place counts as corner by its lateral acceleration over 3 m/s2.

    Source: M ch. 2.

    :param lateral: lateral acceleration, left positive [m/s2]
    :param weight: heat at each station [J]
    :param camber_left: static camber, its top to the left positive [deg]
    :param roll_deg: camber that the wheel loses per lateral acceleration [deg/(m/s2)]
    """
    turn = np.where(lateral >= 0, 1.0, -1.0)
    into = camber_left * turn - roll_deg * np.abs(lateral)
    outer = np.where(turn > 0, -1.0, 1.0) if left else np.where(turn > 0, 1.0, -1.0)
    bent = np.clip(np.abs(lateral) / 3.0, 0.0, 1.0)
    # the top of a left wheel leans inwards when it leans to the right
    inwards = -camber_left if left else camber_left
    excess = bent * outer * (into - best) + (1.0 - bent) * inwards
    total = float(weight.sum())
    return float((excess * weight).sum()) / total if total > 0 else math.copysign(abs(inwards), inwards)
