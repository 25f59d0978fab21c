"""From car, sheet, tyres and conditions to the flat record that the kernel reads."""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import GRAVITY, Conditions
from ..vehicle.car import Axle, Car, Compound
from ..vehicle.tyres import TyreState, hot_pressure_kpa, temperature_grip, wear_grip
from ..vehicle.weights import Weights, weights
from .driver import Driver
from .kernel import SPEED_STEP
from .record import CAR, SPEED_POINTS

Floats = NDArray[np.float64]

#: Speeds of the thrust table [m/s].
TABLE_SPEEDS: Floats = np.arange(SPEED_POINTS, dtype=np.float64) * SPEED_STEP

#: Width of the band of speed over which an upshift's pause is spread [m/s].
_SHIFT_BAND_MS = 1.0

_RISE_PER_S = 2.0 * math.pi / 60.0  # 1/min to rad/s


def torque_nm(car: Car, rpm: Floats) -> Floats:
    """Rated full-throttle torque [N m]; straight between the points, level below the first, zero beyond the limit."""
    speeds, torques = zip(*car.powertrain.torque_nm, strict=True)
    torque = np.interp(rpm, speeds, torques)
    return np.where(rpm > car.powertrain.limit_rpm + 1e-9, 0.0, torque)


def drive_radius_m(car: Car) -> float:
    """Rolling radius of the driven wheels [m]; both axles weighed by their share of the thrust."""
    front = car.powertrain.front_drive_share
    return front * car.tyres.radius_m[0] + (1.0 - front) * car.tyres.radius_m[1]


def gear_thrust(car: Car, speeds: Floats, power_factor: float) -> Floats:
    """Force at the wheels [N] of every gear at every speed, shape [gears, speeds]; zero beyond the rev limit.

    F = T i_g i_0 eta / r at n = v i_g i_0 / r (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 3).
    """
    drive = car.powertrain
    ratios = np.array(drive.gears) * drive.final_drive / drive_radius_m(car)
    rpm = speeds[None, :] * ratios[:, None] / _RISE_PER_S
    left = power_factor * drive.restrictor * drive.fuel_map.torque
    return torque_nm(car, rpm) * ratios[:, None] * drive.efficiency * left


def roll_stiffness(axle: Axle) -> float:
    """Roll stiffness of one axle [N m/rad]: springs and bar through the links, in series with the tyres.

    A rigid axle has its part of the chassis in their place.

    K = k t2/2 for two springs of wheel rate k at distance t (Milliken & Milliken, ch. 16).
    """
    lever = 0.5 * axle.track_m**2 * 1000.0
    spring = 0.5 * sum(axle.spring_n_per_mm) * axle.motion_ratio**2
    suspension = (axle.chassis_n_per_mm if axle.rigid else spring + axle.bar_n_per_mm) * lever
    tyre = axle.tyre_n_per_mm * lever
    return suspension * tyre / (suspension + tyre)


def lateral_transfer(car: Car, weight: Weights) -> tuple[float, float, float]:
    """Front and rear load transfer over m a [-], and roll per lateral acceleration [deg/(m/s2)].

    Geometric through the roll centres, elastic by roll stiffness, unsprung straight across
    (Milliken & Milliken, ch. 18): dF_f t_f + dF_r t_r = m a h.
    """
    length = car.wheelbase_m
    mass = weight.mass_kg
    unsprung = (car.mass.unsprung_front_kg, car.mass.unsprung_rear_kg)
    radius = car.tyres.radius_m
    sprung_height = (mass * weight.cg_height_m - unsprung[0] * radius[0] - unsprung[1] * radius[1]) / weight.sprung_kg
    moment = mass * weight.cg_from_front_m - unsprung[1] * length
    rear_share = moment / (weight.sprung_kg * length)
    centre = (1.0 - rear_share) * car.front.roll_centre_m + rear_share * car.rear.roll_centre_m
    arm = sprung_height - centre
    stiff_front, stiff_rear = roll_stiffness(car.front), roll_stiffness(car.rear)
    elastic = weight.sprung_kg * arm / (stiff_front + stiff_rear)
    geometric_front = weight.sprung_kg * (1.0 - rear_share) * car.front.roll_centre_m
    geometric_rear = weight.sprung_kg * rear_share * car.rear.roll_centre_m
    front = (stiff_front * elastic + geometric_front + unsprung[0] * radius[0]) / car.front.track_m
    rear = (stiff_rear * elastic + geometric_rear + unsprung[1] * radius[1]) / car.rear.track_m
    return front / mass, rear / mass, math.degrees(elastic)


def aero_areas(car: Car, tow: float = 0.0) -> tuple[float, float, float]:
    """Drag area, front and rear downforce area [m2] at the car's ride heights and wing position.

    A wing behind the rear axle loads the rear by more than its downforce and takes the rest off the front; a wing ahead
    of the front axle the other way round.

    Source: M ch. 15; ground effect linear in ride height and rake about the car's own values.

    :param tow: how close another car runs ahead, 0 alone to 1 right behind it; drag and downforce fall in proportion
    """
    aero = car.aero
    rake = (aero.ride_rear_mm - aero.ride_front_mm) - (aero.ride_reference_mm[1] - aero.ride_reference_mm[0])
    drop = 0.5 * (sum(aero.ride_reference_mm) - aero.ride_front_mm - aero.ride_rear_mm)
    body = aero.lift_area_m2 * max(1.0 + aero.lift_per_mm * drop, 0.0)
    share = min(max(aero.front_share + aero.share_per_mm * rake, 0.0), 1.0)
    wing = aero.wing_lift_area_m2 * aero.wing_position
    lever = aero.wing_behind_rear_m / car.wheelbase_m
    nose = aero.front_wing_lift_area_m2 * aero.front_wing_position
    ahead = aero.front_wing_ahead_m / car.wheelbase_m
    drag = aero.drag_area_m2 + aero.wing_drag_area_m2 * aero.wing_position
    drag += aero.front_wing_drag_area_m2 * aero.front_wing_position
    front = body * share - wing * lever + nose * (1.0 + ahead)
    rear = body * (1.0 - share) + wing * (1.0 + lever) - nose * ahead
    return drag * (1.0 - tow * aero.tow_drag), front * (1.0 - tow * aero.tow_lift_front), rear * (1.0 - tow * aero.tow_lift_rear)


def rolling_share(car: Car, compound: Compound, wheel: int) -> float:
    """Drag of a wheel rolling straight on over its load [-]: its own, and C toe2 because it points off the road.

    The side force C toe of a wheel at the slip angle toe leans back by that angle (Milliken & Milliken, ch. 2).
    """
    toe = math.radians((car.front if wheel < 2 else car.rear).toe_deg)
    return compound.rolling + min(compound.stiffness_per_rad * toe * toe, 0.2)


def assemble(car: Car, tyres: TyreState, conditions: Conditions, driver: Driver) -> Any:
    """The kernel's record of an adjusted car (see `vehicle.sheet.adjusted`) in its present state.

    :raises InputError: if the centre of gravity lies outside the wheelbase
    """
    return on_tyres(without_tyres(car, conditions, driver), car, tyres, conditions)


def on_tyres(record: Any, car: Car, tyres: TyreState, conditions: Conditions) -> Any:
    """A copy of a record of `without_tyres` with the tyres in their present state."""
    full = record.copy()
    _put_tyres(full[0], car, tyres, conditions)
    return full[0]


def without_tyres(car: Car, conditions: Conditions, driver: Driver, tow: float = 0.0) -> Any:
    """All of the record that does not change while the tyres warm up and wear, as an array of one.

    :param tow: how close another car runs ahead, 0 to 1 [-]
    :raises InputError: if the centre of gravity lies outside the wheelbase
    """
    weight = weights(car)
    record = np.zeros(1, dtype=CAR)
    c = record[0]
    c["mass"], c["wheelbase"] = weight.mass_kg, car.wheelbase_m
    c["cg_behind"], c["cg_height"] = weight.cg_from_front_m, weight.cg_height_m
    total = sum(weight.static_n)
    c["static"] = [load / total for load in weight.static_n]
    c["lateral_front"], c["lateral_rear"], c["roll_deg"] = lateral_transfer(car, weight)
    c["track_front"], c["track_rear"] = car.front.track_m, car.rear.track_m
    c["camber_roll_front"] = 1.0 - car.front.camber_recovery
    c["camber_roll_rear"] = 1.0 - car.rear.camber_recovery
    camber = car.tyres.camber_deg
    c["camber"] = [camber[0], -camber[1], camber[2], -camber[3]]
    c["density"] = conditions.air_density
    c["drag_area"], c["lift_front"], c["lift_rear"] = aero_areas(car, tow)
    c["side_area"] = car.aero.side_area_m2
    c["wind_front"] = 1.0 - car.aero.side_from_front_m / car.wheelbase_m
    towards = math.radians(conditions.wind_from_deg + 180.0)
    c["wind_east"], c["wind_north"] = conditions.wind_ms * math.sin(towards), conditions.wind_ms * math.cos(towards)
    _put_drive(c, car, conditions, driver)
    c["ability"], c["ability_brake"], c["coast"] = driver.ability, driver.braking, driver.coast_m
    return record


def _put_drive(c: Any, car: Car, conditions: Conditions, driver: Driver) -> None:
    drive = car.powertrain
    power = driver.throttle * conditions.power_factor
    thrust = gear_thrust(car, TABLE_SPEEDS, power)
    if driver.shift_rpm is not None and driver.shift_rpm < drive.limit_rpm:
        shifted = car.model_copy(update={"powertrain": drive.model_copy(update={"limit_rpm": driver.shift_rpm})})
        # the last gear has no next one to change to: it pulls up to the rev limit
        thrust[:-1] = gear_thrust(shifted, TABLE_SPEEDS, power)[:-1]
    c["thrust"] = thrust.max(axis=0)
    best = thrust.argmax(axis=0) + 1
    best[c["thrust"] <= 0.0] = len(drive.gears)
    c["gear"] = best
    c["thrust"] = _with_shifts(c, car, best)
    c["drive_front"], c["efficiency"] = drive.front_drive_share, drive.efficiency
    c["fuel_l_per_j"] = drive.fuel_g_per_kwh * drive.fuel_map.fuel / 3.6e6 / 1000.0 / car.mass.fuel_kg_per_l
    lock = drive.differential
    c["lock_preload"] = lock.preload_nm / drive_radius_m(car)
    c["lock_power"], c["lock_coast"] = lock.power, lock.coast
    c["brake_front"], c["brake_max"] = car.brakes.front_share, car.brakes.max_force_n


def _with_shifts(c: Any, car: Car, gear: NDArray[np.int64]) -> Floats:
    """Full-throttle force [N] with the pauses of the upshifts in it.

    A pause of t seconds delays all later speeds by t. Here the force is lower over a narrow band of speed above the shift,
    by as much as makes crossing it take t longer: dv/a' = dv/a + t, with a the acceleration on a level road. Unlike a
    pause at one moment this grows evenly as a car goes further past the shift speed, and with it the lap time.
    """
    thrust = np.array(c["thrust"])
    if car.powertrain.shift_s <= 0.0:
        return thrust
    cells = round(_SHIFT_BAND_MS / SPEED_STEP)
    resist = 0.5 * c["density"] * TABLE_SPEEDS**2 * c["drag_area"] + c["mass"] * GRAVITY * car.tyres.compounds[0].rolling
    accel = np.maximum((thrust - resist) / c["mass"], 1e-3)
    for first in np.flatnonzero(np.diff(gear) > 0) + 1:
        band = slice(first, min(first + cells, len(thrust)))
        slower = _SHIFT_BAND_MS / (_SHIFT_BAND_MS / accel[band] + car.powertrain.shift_s)
        thrust[band] -= np.minimum(c["mass"] * (accel[band] - slower), thrust[band])
    return thrust


def _put_tyres(c: Any, car: Car, tyres: TyreState, conditions: Conditions) -> None:
    for wheel in range(4):
        compound = tyres.compound(wheel)
        heat, wear = tyres.temperature_c[wheel], tyres.wear[wheel]
        grip = temperature_grip(compound, heat) * wear_grip(compound, wear) * conditions.surface_grip
        static = car.tyres.camber_deg[wheel]
        c["mu"][wheel] = compound.mu * grip
        c["mu_long"][wheel] = compound.mu_long_ratio / (1.0 + compound.inclination_long_loss * static * static)
        c["mu_level"][wheel] = 1.0 + compound.load_sensitivity
        c["mu_fall"][wheel] = compound.load_sensitivity / compound.load_ref_n
        c["camber_opt"][wheel], c["camber_loss"][wheel] = compound.inclination_opt_deg, compound.inclination_loss
        c["hot_kpa"][wheel] = hot_pressure_kpa(car.tyres.cold_kpa[wheel], car.tyres.cold_at_c, tyres.carcass_c[wheel])
        per_n = compound.pressure_opt_kpa_per_kn / 1000.0
        c["best_kpa_unloaded"][wheel] = compound.pressure_opt_kpa - per_n * compound.load_ref_n
        c["best_kpa_per_n"][wheel] = per_n
        c["kpa_loss"][wheel] = compound.pressure_loss
        c["stiffness"][wheel] = compound.stiffness_per_rad
        c["rolling"][wheel] = rolling_share(car, compound, wheel)
