"""From car, sheet, tyres and conditions to the flat record that the kernel reads."""

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import GRAVITY, Conditions
from ..vehicle.car import Axle, Car, Compound, Floor, Powertrain
from ..vehicle.heat import flexed
from ..vehicle.tyres import TyreState, floats_at, hot_pressure_kpa, wet_grip
from ..vehicle.weights import Weights, weights
from .driver import Driver
from .kernel import SPEED_STEP, closed_bar, settle_floor
from .record import CAR, FLOOR_POINTS, SPEED_POINTS

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


@dataclass(frozen=True)
class Give:
    """How far the corners of an axle sink under load, springs, bar and tyres together.

    :param sum: of both wheels' own, less twice what one sinks under the other's load [m/N]
    :param apart: of the left wheel over the right one's [m/N]
    :param heave: of the middle of the axle under load on each wheel [m/N]
    """

    sum: float
    apart: float
    heave: float


def give(axle: Axle) -> Give:
    """Compliance of an axle's corners.

    Two springs, a bar that couples them, the tyres in series: C = inverse of [[k_l + b/2, -b/2], [-b/2, k_r + b/2]] + 1/k_t
    (Milliken & Milliken, ch. 16; Dixon, Suspension Geometry and Computation). A rigid axle has its part of the chassis in their
    place.
    """
    tyre = 1e-3 / axle.tyre_n_per_mm
    if axle.rigid:
        one = 1e-3 / axle.chassis_n_per_mm + tyre
        return Give(2.0 * one, 0.0, one)
    left, right = (1000.0 * rate * axle.motion_ratio**2 for rate in axle.spring_n_per_mm)
    half = 500.0 * axle.bar_n_per_mm
    whole = (left + half) * (right + half) - half * half
    own_left, own_right, other = (right + half) / whole + tyre, (left + half) / whole + tyre, half / whole
    return Give(own_left + own_right - 2.0 * other, own_left - own_right, 0.5 * (own_left + own_right) + other)


def roll_stiffness(axle: Axle) -> float:
    """Roll stiffness of one axle [N m/rad]: springs and bar through the links, in series with the tyres.

    K = t2/C, which is k t2/2 for two springs of wheel rate k at distance t (Milliken & Milliken, ch. 16).
    """
    return axle.track_m**2 / give(axle).sum


def cross_shares(car: Car) -> tuple[float, float]:
    """Load that unlike springs move off the left front wheel, and onto the right front one, per load that each front (each rear)
    wheel gains [-].

    The chassis is flat: the corners' sinking satisfies (z_fl - z_fr)/t_f = (z_rl - z_rr)/t_r (Milliken & Milliken, ch. 18).
    """
    front, rear, t_front, t_rear = give(car.front), give(car.rear), car.front.track_m, car.rear.track_m
    both = front.sum / t_front + rear.sum * t_front / t_rear**2
    return front.apart / (t_front * both), -rear.apart / (t_rear * both)


def jacking_n_per_rad(car: Car) -> float:
    """Load that steering puts on the inner front wheel of a frame without springs, per angle of the front wheels [N/rad].

    Caster moves the wheels up and down by s sin(caster) of the angle; frame and tyres in series twist by what that is over the
    track: J = K 2 s sin(caster) / t2 (after Mirone 2010; Ponzo & Renzi 2004, from memory).
    """
    steering = car.steering
    if steering.frame_nm_per_deg <= 0.0 or steering.caster_deg <= 0.0:
        return 0.0
    parts = [1.0 / math.degrees(steering.frame_nm_per_deg)]
    parts += [1.0 / (500.0 * axle.tyre_n_per_mm * axle.track_m**2) for axle in (car.front, car.rear)]
    lift = 2.0 * steering.offset_mm / 1000.0 * math.sin(math.radians(steering.caster_deg))
    return lift / car.front.track_m**2 / sum(parts)


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


def floor_pull(floor: Floor, axle: int, height_mm: Floats, reference_mm: float) -> Floats:
    """Body downforce of an axle over that at the reference height [-].

    g = 1 - A + A f(h)/f(reference), f = (u exp(1 - u))^n, u = h/h_p: greatest at h_p, less below, where it stalls (docs/model.md,
    the floor; after Zerihan & Zhang 2000).
    """

    def pull(height: Floats) -> Floats:
        u = height / floor.best_mm[axle]
        return np.asarray((u * np.exp(1.0 - u)) ** floor.power)

    return 1.0 - floor.share + floor.share * pull(height_mm) / float(pull(np.array(reference_mm)))


def floor_load_n(floor: Floor, axle: int, height_mm: Floats) -> Floats:
    """Load that a floor carries on a rough road [N]: k s (z F(z) + f(z)) at z = (gap - h)/s, F and f of the normal distribution.

    Source: mean of the overlap of a stiff floor and a road of normal roughness (Greenwood & Williamson's plane contact).
    """
    from scipy.special import ndtr

    z = (floor.gap_mm[axle] - height_mm) / floor.rough_mm
    overlap = z * ndtr(z) + np.exp(-0.5 * z * z) / math.sqrt(2.0 * math.pi)
    return np.asarray(floor.stiff_n_per_mm * floor.rough_mm * overlap)


def _body_areas(car: Car) -> tuple[float, float]:
    """Downforce area of the body at each axle at the car's ride heights [m2]."""
    aero = car.aero
    if aero.floor is not None:
        rides = aero.ride_front_mm, aero.ride_rear_mm
        pulls = [float(floor_pull(aero.floor, k, np.array(rides[k]), aero.ride_reference_mm[k])) for k in range(2)]
        return aero.lift_area_m2 * aero.front_share * pulls[0], aero.lift_area_m2 * (1.0 - aero.front_share) * pulls[1]
    rake = (aero.ride_rear_mm - aero.ride_front_mm) - (aero.ride_reference_mm[1] - aero.ride_reference_mm[0])
    drop = 0.5 * (sum(aero.ride_reference_mm) - aero.ride_front_mm - aero.ride_rear_mm)
    body = aero.lift_area_m2 * max(1.0 + aero.lift_per_mm * drop, 0.0)
    share = min(max(aero.front_share + aero.share_per_mm * rake, 0.0), 1.0)
    return body * share, body * (1.0 - share)


def aero_areas(car: Car, tow: float = 0.0, body: bool = True) -> tuple[float, float, float]:
    """Drag area, front and rear downforce area [m2] at the car's ride heights and wing position.

    A wing behind the rear axle loads the rear by more than its downforce and takes the rest off the front; a wing ahead
    of the front axle the other way round.

    Source: M ch. 15; ground effect by the floor's height, or linear in ride height and rake about the car's own values.

    :param tow: how close another car runs ahead, 0 alone to 1 right behind it; drag and downforce fall in proportion
    :param body: whether the body's own downforce is in it, beside the wings'
    """
    aero = car.aero
    body_front, body_rear = _body_areas(car) if body else (0.0, 0.0)
    wing = aero.wing_lift_area_m2 * aero.wing_position
    lever = aero.wing_behind_rear_m / car.wheelbase_m
    nose = aero.front_wing_lift_area_m2 * aero.front_wing_position
    ahead = aero.front_wing_ahead_m / car.wheelbase_m
    drag = aero.drag_area_m2 + aero.wing_drag_area_m2 * aero.wing_position
    drag += aero.front_wing_drag_area_m2 * aero.front_wing_position
    front = body_front - wing * lever + nose * (1.0 + ahead)
    rear = body_rear + wing * (1.0 + lever) - nose * ahead
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
    c["drag_area"], c["lift_front"], c["lift_rear"] = aero_areas(car, tow, body=car.aero.floor is None)
    if car.aero.floor is not None:
        _put_floor(c, car, car.aero.floor, tow)
    c["cross_front"], c["cross_rear"] = cross_shares(car)
    stiff = roll_stiffness(car.front), roll_stiffness(car.rear)
    c["roll_front"], c["roll_rear"] = stiff[0] / sum(stiff) / car.front.track_m, stiff[1] / sum(stiff) / car.rear.track_m
    c["jack"] = jacking_n_per_rad(car)
    c["side_area"] = car.aero.side_area_m2
    c["wind_front"] = 1.0 - car.aero.side_from_front_m / car.wheelbase_m
    towards = math.radians(conditions.wind_from_deg + 180.0)
    c["wind_east"], c["wind_north"] = conditions.wind_ms * math.sin(towards), conditions.wind_ms * math.cos(towards)
    _put_drive(c, car, conditions, driver)
    c["ability"], c["ability_brake"] = driver.ability, driver.braking
    held = car.controls
    c["drive_use"] = leaning(driver.ability, held.traction_share)
    c["brake_use"] = leaning(driver.ability * driver.braking, held.antilock_share)
    c["antilock"] = held.antilock_share is not None
    open_flap = car.aero.flap_position * (1.0 - tow * car.aero.tow_drag)
    c["flap_drag"] = open_flap * car.aero.flap_drag_area_m2
    c["flap_front"], c["flap_rear"] = flap_lift_areas(car, tow)
    c["boost_w"] = 1000.0 * car.boost.power_kw
    return record


#: Part of the grip that a driver leaves unused which a system that catches the wheels gives back. Source: an assumption of this product.
_LEANS = 0.7


def leaning(own: float, share: float | None) -> float:
    """Share of the tyres' grip along that a driver uses who leans on a system that lets a share through [-].

    Source: an assumption of this product (docs/model.md, driver systems): never more than it lets through; who uses less than that
    gains most of what lacks, since a wheel that would spin or lock is caught.

    :param own: that the driver uses alone [-]
    :param share: that the system lets through; None where there is none, or it is off [-]
    """
    if share is None:
        return own
    return min(share, own + _LEANS * max(share - own, 0.0))


def flap_lift_areas(car: Car, tow: float = 0.0) -> tuple[float, float]:
    """Downforce area of the front and of the rear axle that the drag flap takes away as it stands on the sheet [m2].

    Source: M ch. 15: moments about the axles of a wing behind the rear one.
    """
    aero = car.aero
    lost, lever = aero.flap_position * aero.flap_lift_area_m2, aero.wing_behind_rear_m / car.wheelbase_m
    return -lost * lever * (1.0 - tow * aero.tow_lift_front), lost * (1.0 + lever) * (1.0 - tow * aero.tow_lift_rear)


#: Heights of the floor's tables [mm].
_HEIGHTS: Floats = np.arange(FLOOR_POINTS, dtype=np.float64)


@lru_cache(maxsize=64)
def _floor_tables(floor: Floor, axle: int, reference_mm: float) -> tuple[Floats, Floats]:
    """What an axle's floor pulls and carries by height."""
    return floor_pull(floor, axle, _HEIGHTS, reference_mm), floor_load_n(floor, axle, _HEIGHTS)


def _put_floor(c: Any, car: Car, floor: Floor, tow: float) -> None:
    aero = car.aero
    c["floor"], c["floor_drag"] = 1, floor.rubbing
    shares, lost = (aero.front_share, 1.0 - aero.front_share), (aero.tow_lift_front, aero.tow_lift_rear)
    for k, axle in enumerate((car.front, car.rear)):
        c["floor_pull"][k], c["floor_touch"][k] = _floor_tables(floor, k, aero.ride_reference_mm[k])
        c["floor_rest"][k] = (aero.ride_front_mm, aero.ride_rear_mm)[k]
        c["floor_body"][k] = aero.lift_area_m2 * shares[k] * (1.0 - tow * lost[k])
        c["sink"][k], c["sink_stop"][k], c["stop_at"][k] = sinking(axle)
    settle_floor(c)


def wheel_rate_n_per_mm(axle: Axle) -> float:
    """Rate of the springs at a wheel, the mean of both [N/mm].

    Source: M ch. 16: spring rate times motion ratio squared.
    """
    return 0.5 * sum(axle.spring_n_per_mm) * axle.motion_ratio**2


def sinking(axle: Axle) -> tuple[float, float, float]:
    """Load that an axle takes per sinking, the same on its bump stops [N/mm], and the sinking at which they are met [mm].

    Source: M ch. 16: springs (and stops) in series with the tyres.
    """
    rate = 2e-3 / give(axle).heave
    if axle.rigid:
        return rate, rate, 1000.0
    wheel = wheel_rate_n_per_mm(axle)
    stopped = wheel + axle.stop_n_per_mm
    return rate, 2.0 * stopped * axle.tyre_n_per_mm / (stopped + axle.tyre_n_per_mm), axle.stop_mm * 2.0 * wheel / rate


def rev_limit_ms(car: Car) -> float:
    """Speed at the rev limit of the last gear [m/s]."""
    drive = car.powertrain
    return float(drive.limit_rpm * _RISE_PER_S * drive_radius_m(car) / (drive.gears[-1] * drive.final_drive))


@lru_cache(maxsize=512)
def _gears_used(drive: Powertrain, radius_m: float, limit_rpm: float) -> tuple[tuple[int, ...], tuple[float, ...]]:
    """The gears that are ever the strongest, from the first, and the speed at which each is left for the next [m/s].

    A gear is left where the next one pulls harder, or at the rev limit: exactly, as torque is straight between its points.
    """
    points, torques = (np.array(column) for column in zip(*drive.torque_nm, strict=True))
    ratios = np.array(drive.gears) * drive.final_drive / radius_m
    last = len(ratios) - 1

    def force(gear: int, v: Floats) -> Floats:
        return np.asarray(np.interp(v * ratios[gear] / _RISE_PER_S, points, torques) * ratios[gear])

    def left_at(low: int, high: int) -> float:
        """The highest speed, up to the limit, at which the lower gear still pulls as hard."""
        most = float(limit_rpm * _RISE_PER_S / ratios[low])
        knots = np.concatenate([points * _RISE_PER_S / ratios[low], points * _RISE_PER_S / ratios[high], [most]])
        knots = np.unique(np.concatenate([[0.0], knots[knots <= most]]))
        more = force(low, knots) - force(high, knots)
        if more[-1] >= 0.0:
            return most
        above = np.flatnonzero(more >= 0.0)
        if not len(above):
            return 0.0
        i = int(above[-1])
        return float(knots[i] + (knots[i + 1] - knots[i]) * more[i] / (more[i] - more[i + 1]))

    used, gear, begun = [0], 0, 0.0
    ups: list[float] = []
    while gear < last:
        speed, next_gear = min((left_at(gear, high), high) for high in range(gear + 1, last + 1))
        if speed <= begun and len(used) > 1:  # it is never the strongest
            used.pop()
            ups.pop()
            gear, begun = used[-1], ups[-1] if ups else 0.0
            speed, next_gear = min((left_at(gear, high), high) for high in range(next_gear, last + 1))
        ups.append(speed)
        used.append(next_gear)
        gear, begun = next_gear, speed
    ups.append(drive.limit_rpm * _RISE_PER_S / ratios[last])
    return tuple(used), tuple(ups)


def engine_drag_n(car: Car, speed_ms: float, gear: int) -> float:
    """Force of the closed engine at the driven wheels [N], as the lap has it.

    :param gear: 1 the first
    """
    drive = car.powertrain
    per_radius = drive.gears[gear - 1] * drive.final_drive / drive_radius_m(car)
    return float(_drag_per_bar(drive) * closed_bar(speed_ms * per_radius / _RISE_PER_S / 1000.0) * per_radius)


def _drag_per_bar(drive: Powertrain) -> float:
    """Closed-throttle torque of an engine over its mean pressure [N m/bar]: V = 4 pi T/12 bar at its greatest torque."""
    return drive.engine_braking * max(torque for _, torque in drive.torque_nm) / 12.0


def _put_drive(c: Any, car: Car, conditions: Conditions, driver: Driver) -> None:
    drive = car.powertrain
    power = driver.throttle * conditions.power_factor
    radius = drive_radius_m(car)
    early = min(driver.shift_rpm or drive.limit_rpm, drive.limit_rpm)
    used, ups = _gears_used(drive, radius, early)
    ratios = np.array([drive.gears[gear] for gear in used]) * drive.final_drive / radius
    count, points = len(used), len(drive.torque_nm)
    c["gears"], c["torque_points"], c["limit_rpm"], c["shift_s"] = count, points, drive.limit_rpm, drive.shift_s
    c["gear_number"][:count] = np.array(used) + 1
    c["per_radius"][:count], c["rpm_per_ms"][:count], c["gear_up"][:count] = ratios, ratios / _RISE_PER_S, ups
    c["torque_rpm"][:points], torques = zip(*drive.torque_nm, strict=True)
    c["torque"][:points] = np.array(torques) * _torque_share(drive, power)
    c["engine_drag"] = _drag_per_bar(drive)
    way = _Way(power, float(c["mass"]), 0.5 * float(c["density"]) * float(c["drag_area"]), car.tyres.compounds[0].rolling)
    c["thrust"], c["gear_down"][:count] = _force_tables(drive, radius, early, way)
    c["drive_front"], c["efficiency"] = drive.front_drive_share, drive.efficiency
    c["fuel_l_per_j"] = drive.fuel_g_per_kwh * drive.fuel_map.fuel / 3.6e6 / 1000.0 / car.mass.fuel_kg_per_l
    lock = drive.differential
    c["lock_preload"] = lock.preload_nm / radius
    c["lock_power"], c["lock_coast"] = lock.power, lock.coast
    for k, axle in enumerate((car.front, car.rear)):
        c["stagger"][k] = axle.stagger_mm / 1000.0 / (2.0 * math.pi * car.tyres.radius_m[k])
    c["brake_front"], c["brake_max"] = car.brakes.front_share, car.brakes.max_force_n


#: Speeds below a shift at which it is asked whether changing down pays, as shares of the shift's.
_BELOW: Floats = np.linspace(1.0, 0.5, 33)


@dataclass(frozen=True)
class _Way:
    """What a car's forces meet on a level road.

    :param power: torque over the engine's [-]
    :param mass: [kg]
    :param drag: air drag over speed squared [N/(m/s)2]
    :param rolling: resistance over load [-]
    """

    power: float
    mass: float
    drag: float
    rolling: float

    def resist(self, speed: Floats) -> Floats:
        """Drag and rolling resistance [N]."""
        return np.asarray(self.drag * speed**2 + self.mass * GRAVITY * self.rolling)


@lru_cache(maxsize=64)
def _force_tables(drive: Powertrain, radius_m: float, early_rpm: float, way: _Way) -> tuple[Floats, Floats]:
    """Full-throttle force by speed with its shifts [N], and the speeds below which a corner is worth changing down for [m/s]."""
    used, left = _gears_used(drive, radius_m, early_rpm)
    ups = np.array(left)
    ratios = np.array([drive.gears[gear] for gear in used]) * drive.final_drive / radius_m
    points, torques = (np.array(column) for column in zip(*drive.torque_nm, strict=True))
    torque = torques * _torque_share(drive, way.power)
    gear = np.minimum(np.searchsorted(ups, TABLE_SPEEDS, side="right"), len(used) - 1)
    rpm = TABLE_SPEEDS * ratios[gear] / _RISE_PER_S
    thrust = np.interp(rpm, points, torque) * ratios[gear]
    thrust[rpm > drive.limit_rpm + 1e-9] = 0.0
    return _with_shifts(thrust, drive.shift_s, way, gear), _changed_down(points, torque, drive.shift_s, way, ratios, ups)


def _torque_share(drive: Powertrain, power: float) -> float:
    """Torque at the wheels over the engine's own times the ratio [-]."""
    return power * drive.restrictor * drive.fuel_map.torque * drive.efficiency


def _changed_down(rpm: Floats, torque: Floats, shift_s: float, way: _Way, ratios: Floats, ups: Floats) -> Floats:
    """Speed of a corner below which each gear is taken for it [m/s]; above, the next one is kept, and a shift is saved.

    Changing down pays where what the next gear takes longer to the speed of the shift is more than the shift costs, t (1 + d/a):
    on a level road with grip to spare.
    """
    if len(ratios) == 1 or shift_s <= 0.0:
        return ups
    v = ups[:-1, None] * _BELOW[None, :]
    resist = way.resist(v)

    def spare(of: Floats) -> Floats:
        force = np.interp(v * of[:, None] / _RISE_PER_S, rpm, torque) * of[:, None]
        return np.asarray(np.maximum((force - resist) / way.mass, 0.02))

    own, after = spare(ratios[:-1]), spare(ratios[1:])
    rate = np.maximum(1.0 / after - 1.0 / own, 0.0)
    step = v[:, :1] * (_BELOW[0] - _BELOW[1])
    lost = np.concatenate([np.zeros((len(v), 1)), np.cumsum(0.5 * step * (rate[:, 1:] + rate[:, :-1]), axis=1)], axis=1)
    cost = shift_s * (1.0 + resist[:, 0] / way.mass / after[:, 0])
    return np.array([*(float(np.interp(cost[k], lost[k] + 1e-12 * np.arange(33), v[k])) for k in range(len(v))), ups[-1]])


def _with_shifts(thrust: Floats, shift_s: float, way: _Way, gear: NDArray[np.int64]) -> Floats:
    """Full-throttle force [N] with the pauses of the upshifts spread over a band of speed: for what needs a force without jumps.

    A pause of t seconds delays all later speeds by t. Here the force is lower over a narrow band of speed above the shift,
    by as much as makes crossing it take t longer: dv/a' = dv/a + t, with a the acceleration on a level road. The lap itself
    has the pause in time.
    """
    if shift_s <= 0.0:
        return thrust
    cells = round(_SHIFT_BAND_MS / SPEED_STEP)
    accel = np.maximum((thrust - way.resist(TABLE_SPEEDS)) / way.mass, 1e-3)
    for first in np.flatnonzero(np.diff(gear) > 0) + 1:
        band = slice(first, min(first + cells, len(thrust)))
        slower = _SHIFT_BAND_MS / (_SHIFT_BAND_MS / accel[band] + shift_s)
        thrust[band] -= np.minimum(way.mass * (accel[band] - slower), thrust[band])
    return thrust


def _put_tyres(c: Any, car: Car, tyres: TyreState, conditions: Conditions) -> None:
    for wheel in range(4):
        compound = tyres.compound(wheel)
        grip = tyres.grip(wheel) * conditions.surface_grip * wet_grip(compound, conditions.wetness)
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
        afloat = floats_at(compound, float(c["hot_kpa"][wheel]), tyres.wear[wheel], conditions.standing_mm)
        if afloat is not None:
            c["standing"] = 1
            c["floats_from"][wheel], c["floats_to"][wheel] = afloat
        shape = flexed(car.tyres, compound, float(c["hot_kpa"][wheel]), float(c["static"][wheel] * c["mass"]) * GRAVITY)
        c["rolling"][wheel] = shape.drag * rolling_share(car, compound, wheel)
