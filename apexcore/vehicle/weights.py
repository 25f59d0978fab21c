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
    """Weights of the car with fuel and ballast on board (moments about the front axle, the middle and the road).

    Of four wheel loads three follow from the sum and the two moments; the fourth is the cross weight, the share on front
    right and rear left: what an even car has, and the shift that springs or wedges give (Milliken & Milliken, ch. 18).

    :raises InputError: if the centre of gravity lies outside the wheels
    """
    mass = car.mass
    body = mass.dry_kg + mass.driver_kg
    fuel = car.fuel_l * mass.fuel_kg_per_l
    extra = sum(ballast.kg for ballast in car.ballast)
    total = body + fuel + extra
    length = car.wheelbase_m
    moment = body * (1.0 - mass.front_share) * length + fuel * mass.tank_from_front_m + mass.driver_kg * mass.seat_back_mm / 1000.0
    behind = (moment + sum(ballast.kg * ballast.from_front_m for ballast in car.ballast)) / total
    if not 0.02 * length < behind < 0.98 * length:
        raise InputError("centre of gravity", f"{behind:.2f} m behind the front axle", f"0 to {length:.2f} m")
    track = 0.5 * (car.front.track_m + car.rear.track_m)
    left = (body * mass.left_share + fuel * 0.5 + sum(ballast.kg * (0.5 + ballast.left_m / track) for ballast in car.ballast)) / total
    if not 0.1 < left < 0.9:
        raise InputError("centre of gravity", f"{100 * left:.0f} % on the left wheels", "10 % to 90 %")
    ride = (car.aero.ride_front_mm + car.aero.ride_rear_mm) / 2 - sum(car.aero.ride_reference_mm) / 2
    height = body * (mass.cg_height_m + ride / 1000.0) + fuel * mass.tank_height_m + mass.driver_kg * mass.seat_up_mm / 1000.0
    height = (height + sum(ballast.kg * ballast.height_m for ballast in car.ballast)) / total
    weight, front = total * GRAVITY, 1.0 - behind / length
    cross = (1.0 - left) * front + left * (1.0 - front) + mass.cross_shift
    front_right = 0.5 * (cross - left + front)
    shares = (front - front_right, front_right, left - front + front_right, 1.0 - left - front_right)
    if min(shares) <= 0.0:
        raise InputError("cross weight", f"{100 * cross:.1f} %", "a share that leaves load on all four wheels")
    static = (weight * shares[0], weight * shares[1], weight * shares[2], weight * shares[3])
    sprung = total - mass.unsprung_front_kg - mass.unsprung_rear_kg
    return Weights(total, behind, height, static, sprung)
