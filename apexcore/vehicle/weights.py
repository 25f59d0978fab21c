"""Mass, centre of gravity and static wheel loads."""

from dataclasses import dataclass

from ..circuit.conditions import GRAVITY
from ..errors import InputError
from .car import Car
from .tyres import Four


@dataclass(frozen=True)
class Weights:
    """The car's mass as it stands on its wheels.

    :param mass_kg: with driver and fuel [kg]
    :param cg_from_front_m: centre of gravity behind the front axle [m]
    :param cg_height_m: its height above the road [m]
    :param static_n: wheel loads at rest on a level road [N]
    :param sprung_kg: mass carried by the springs [kg]
    """

    mass_kg: float
    cg_from_front_m: float
    cg_height_m: float
    static_n: Four
    sprung_kg: float


def weights(car: Car) -> Weights:
    """Weights of the car with its fuel on board (moments about the front axle and the road).

    :raises InputError: if the centre of gravity lies outside the wheelbase
    """
    mass = car.mass
    body = mass.dry_kg + mass.driver_kg
    fuel = car.fuel_l * mass.fuel_kg_per_l
    total = body + fuel
    length = car.wheelbase_m
    behind = (body * (1.0 - mass.front_share) * length + fuel * mass.tank_from_front_m) / total
    if not 0.02 * length < behind < 0.98 * length:
        raise InputError("centre of gravity", f"{behind:.2f} m behind the front axle", f"0 to {length:.2f} m")
    ride = (car.aero.ride_front_mm + car.aero.ride_rear_mm) / 2 - sum(car.aero.ride_reference_mm) / 2
    height = (body * (mass.cg_height_m + ride / 1000.0) + fuel * mass.tank_height_m) / total
    front = total * GRAVITY * (1.0 - behind / length)
    rear = total * GRAVITY * behind / length
    left = mass.left_share
    static = (front * left, front * (1 - left), rear * left, rear * (1 - left))
    sprung = total - mass.unsprung_front_kg - mass.unsprung_rear_kg
    return Weights(total, behind, height, static, sprung)
