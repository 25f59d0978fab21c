"""A reference for the quickest line: direct collocation of a point mass with the same envelope, by a general optimal-control library.

It shares nothing with the product's search: other unknowns (offset, heading, curvature, speed and their rates along the centre line),
other derivatives (automatic), another solver (an interior-point method for general programmes), no lap kernel.
"""

from dataclasses import dataclass

import casadi
import numpy as np

from apexcore.circuit.conditions import GRAVITY, Conditions
from apexcore.circuit.line import Floats, half_room_m, racing_line
from apexcore.circuit.track import Circuit, Corner, Straight, centre_line
from apexcore.lap.driver import Driver
from apexcore.lap.quickest import winding_of
from apexcore.lap.solver import LapCase
from apexcore.vehicle.car import Car
from apexcore.vehicle.weights import weights
from tests.apexcore.lap.test_kernel import POWER_W, constant_power
from tests.conftest import demo_car, stripped

MU = 1.3


def point_car() -> Car:
    """A car whose envelope is a circle of friction and one power: driven and braked by the weight on its axles, without height."""
    car = constant_power(stripped(demo_car("brackendale_gt")))
    low = car.model_copy(update={"mass": car.mass.model_copy(update={"cg_height_m": 0.001})})
    weight = weights(low)
    share = (weight.static_n[0] + weight.static_n[1]) / sum(weight.static_n)
    compound = low.tyres.compounds[0].model_copy(update={"mu": MU})
    return low.model_copy(
        update={
            "tyres": low.tyres.model_copy(update={"compounds": (compound,)}),
            "brakes": low.brakes.model_copy(update={"front_share": share, "max_force_n": 90_000.0}),
            "powertrain": low.powertrain.model_copy(update={"front_drive_share": share}),
            "items": (low.items[0].model_copy(update={"locked": True, "base": 100.0 * share, "low": 0.0, "high": 100.0}),),
        }
    )


def point_case(circuit: Circuit) -> LapCase:
    """The case of that car with a driver who uses everything, in weather in which an engine gives what it is rated at."""
    car = point_car()
    first = car.tyres.compounds[0]
    return LapCase(
        car, racing_line(circuit, car_width_m=car.width_m), Conditions(air_c=25.0, pressure_hpa=990.0, humidity_pct=30.0), (first, first),
        driver=Driver(),
    )  # fmt: skip


def _lap(name: str, *segments: Straight | Corner) -> Circuit:
    return Circuit(key=name, name=name.title(), layout="lap", width_m=11.0, segments=segments)


#: A single kind of corner twice, a chicane in a lap, and four corners that differ.
COURSES = {
    "hairpins": _lap(
        "hairpins", Straight(length_m=200), Corner(angle_deg=180, radius_m=28, transition_m=12), Straight(length_m=200),
        Corner(angle_deg=180, radius_m=28, transition_m=12),
    ),
    "chicane": _lap(
        "chicane", Straight(length_m=150), Corner(angle_deg=90, radius_m=35, transition_m=15), Straight(length_m=40),
        Corner(angle_deg=90, radius_m=35, transition_m=15), Straight(length_m=60), Corner(angle_deg=35, radius_m=40, transition_m=12),
        Corner(angle_deg=-70, radius_m=40, transition_m=20), Corner(angle_deg=35, radius_m=40, transition_m=12), Straight(length_m=60),
        Corner(angle_deg=90, radius_m=35, transition_m=15), Straight(length_m=40), Corner(angle_deg=90, radius_m=35, transition_m=15),
    ),
    "four": _lap(
        "four", Straight(length_m=180), Corner(angle_deg=110, radius_m=25, transition_m=12), Straight(length_m=120),
        Corner(angle_deg=60, radius_m=60, transition_m=20), Straight(length_m=140), Corner(angle_deg=100, radius_m=40, transition_m=15),
        Straight(length_m=110), Corner(angle_deg=90, radius_m=30, transition_m=12),
    ),
}  # fmt: skip


@dataclass(frozen=True)
class Collocated:
    """:param time_s: of the lap [s]
    :param offset: left of the centre line at its stations [m]"""

    time_s: float
    offset: Floats


def collocated(circuit: Circuit, car: Car, begin: Floats, speed_ms: float = 20.0) -> Collocated:
    """The quickest lap by trapezoidal collocation.

    :param begin: offsets to begin with, at the stations 2 m apart [m]
    """
    centre = centre_line(circuit, 2.0)
    n, ds = len(centre.x), centre.ds
    half, winding = half_room_m(circuit.width_m, car.width_m), winding_of(car)
    mass = weights(car).mass_kg
    ahead_x, ahead_y = centre.ahead()
    heading = np.unwrap(np.arctan2(ahead_y, ahead_x))
    bend = np.diff(np.append(heading, heading[0] + 2 * np.pi * np.sign(heading[-1] - heading[0]))) / ds
    opti = casadi.Opti()
    side, way, k, energy = (opti.variable(n) for _ in range(4))
    rate, accel = opti.variable(n), opti.variable(n)  # over each interval
    centre_k = casadi.DM(bend)

    def after(x: casadi.MX) -> casadi.MX:
        return casadi.vertcat(x[1:], x[0])

    mean = [0.5 * (x + after(x)) for x in (side, way, k, energy)]
    stretch = (1 - mean[0] * centre_k) / casadi.cos(mean[1])
    opti.subject_to(after(side) - side == ds * (1 - mean[0] * centre_k) * casadi.tan(mean[1]))
    opti.subject_to(after(way) - way == ds * (mean[2] * stretch - centre_k))
    opti.subject_to(after(k) - k == ds * stretch * rate)
    opti.subject_to(after(energy) - energy == ds * stretch * accel)
    v = casadi.sqrt(2 * mean[3])
    opti.subject_to((2 * mean[3] * mean[2]) ** 2 + accel**2 <= (MU * GRAVITY) ** 2)
    opti.subject_to(accel * v <= POWER_W / mass)
    opti.subject_to(opti.bounded(-winding.jerk_ms3, rate * v**3, winding.jerk_ms3))
    opti.subject_to(opti.bounded(-winding.bend_per_s, rate * v, winding.bend_per_s))
    opti.subject_to(opti.bounded(-half, side, half))
    opti.subject_to(opti.bounded(8.0, energy, 4000.0))
    opti.minimize(casadi.sum1(ds * stretch / v))
    opti.set_initial(side, np.asarray(begin))
    opti.set_initial(k, bend)
    opti.set_initial(energy, 0.5 * speed_ms**2)
    opti.solver("ipopt", {"print_time": False}, {"print_level": 0, "max_iter": 400, "tol": 1e-7})
    solution = opti.solve()
    return Collocated(float(solution.value(opti.f)), np.asarray(solution.value(side)))
