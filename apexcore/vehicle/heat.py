"""The heat of a tyre: a tread surface that slides, a carcass that flexes and holds the gas, and the spread across the tread."""

import math
from dataclasses import dataclass

import numpy as np

from ..circuit.conditions import Conditions
from .car import Compound, Tyres

#: What one degree of camber that a tyre has too much or too little, and a whole excess of pressure, move between the thirds
#: of the tread, as a share of its heat over its surroundings. Source: assumptions of this product (docs/model.md).
CAMBER_SPREAD, PRESSURE_SPREAD = 0.045, 0.5

#: Share of the rolling loss that warms the tread; the rest warms the carcass. Source: an assumption of this product.
_FLEX_IN_TREAD = 0.7


@dataclass(frozen=True)
class Flow:
    """Heat that goes in and out of a tyre over a lap.

    :param surface_w: heat that the tread takes up [W]
    :param carcass_w: heat that the carcass takes up [W]
    :param cooling: from the surface to air and track [W/K]
    :param conduction: between surface and carcass [W/K]
    :param loss: from the carcass to rim and air [W/K]
    :param ambient_c: what the surface cools to, the mean of air and track [degC]
    :param air_c: what the carcass cools to [degC]
    """

    surface_w: float
    carcass_w: float
    cooling: float
    conduction: float
    loss: float
    ambient_c: float
    air_c: float

    def carcass_c(self, surface_c: float) -> float:
        """Carcass temperature that a steady surface leads to [degC]: heat in equals heat out.

        Source: heat balance of two bodies at rest.
        """
        inside = self.carcass_w + self.conduction * surface_c + self.loss * self.air_c
        return inside / (self.conduction + self.loss)

    def settled_c(self) -> tuple[float, float]:
        """Temperatures of surface and carcass at which heat in and out are equal [degC].

        Source: heat balance of two bodies at rest.
        """
        through = self.conduction / (self.conduction + self.loss)
        inside = self.surface_w + self.cooling * self.ambient_c + through * (self.carcass_w + self.loss * self.air_c)
        surface = inside / (self.cooling + self.conduction - through * self.conduction)
        return surface, self.carcass_c(surface)

    def after_c(self, start: tuple[float, float], capacity: tuple[float, float], seconds: float) -> tuple[float, float]:
        """Temperatures of surface and carcass after some time at this flow [degC].

        Two bodies that exchange heat, C dT/dt = q - K T, solved exactly with the eigenvectors of K/C (both are real: the
        system is a chain of conductances).

        Source: eigenvectors of a linear system.

        :param start: temperatures before [degC]
        :param capacity: heat capacity of surface and carcass [J/K]
        """
        matrix = np.array(
            [
                [-(self.cooling + self.conduction) / capacity[0], self.conduction / capacity[0]],
                [self.conduction / capacity[1], -(self.conduction + self.loss) / capacity[1]],
            ]
        )
        goal = np.array(self.settled_c())
        rates, vectors = np.linalg.eig(matrix)
        parts = np.linalg.solve(vectors, np.array(start) - goal)
        now = goal + vectors @ (np.exp(rates * seconds) * parts)
        return float(now[0]), float(now[1])


def flow(tyres: Tyres, conditions: Conditions, slide_w: float, rolling_w: float, speed_ms: float) -> Flow:
    """The heat balance of a tyre of this car.

    :param slide_w: sliding power, of which the tyre keeps `heat_share` [W]
    :param rolling_w: rolling loss [W]
    :param speed_ms: mean speed [m/s]
    """
    cooling = tyres.cooling_w_per_k + tyres.cooling_w_per_k_ms * speed_ms
    ambient = conditions.ambient_c
    surface = tyres.heat_share * slide_w + _FLEX_IN_TREAD * rolling_w
    carcass = (1.0 - _FLEX_IN_TREAD) * rolling_w
    return Flow(surface, carcass, cooling, tyres.conduction_w_per_k, tyres.carcass_w_per_k, ambient, conditions.air_c)


def capacities(tyres: Tyres, compound: Compound) -> tuple[float, float]:
    """Heat capacity of surface and carcass [J/K]; a compound that warms up quickly has a surface that holds little.

    Source: heat capacity is mass times specific heat; shares of tread and carcass are the car file's.
    """
    surface = tyres.surface_share * tyres.heat_capacity_j_per_k
    return surface / compound.warm_up, tyres.heat_capacity_j_per_k - surface


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
