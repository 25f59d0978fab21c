"""The compiled lap: wheel loads, axle capacities, envelope, forward and backward pass.

All functions of the kernel stand in this one file, so that the compiler's cache is never stale. SI units; angles in
degrees where the name says so. Left turns are positive: curvature, lateral acceleration and banking that helps them.
Wheels are 0 front left, 1 front right, 2 rear left, 3 rear right. The equations are in docs/model.md.

A place of the road (`p`) is a row of `circuit.places`: what does not depend on the car is worked out once for a line, not at
every speed that is tried.
"""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..circuit.conditions import GRAVITY
from ..circuit.places import ACROSS, BANK_PULL, BEND, CLIMB, EAST, FLAP, GRIP, NORTH, POOL, PRESS, SQUEEZE, WHEEL
from ..compiled import compiled
from .record import (
    ACCEL,
    BALANCE,
    BOOST_W,
    BRAKE,
    BRAKE_W,
    BRAKING,
    CAR,
    CLOSED_W,
    COASTING,
    COLUMNS,
    DRAG_W,
    ENGINE_W,
    FLOOR_POINTS,
    FRONT_UTILISATION,
    FUEL_L,
    GEAR,
    GEARS,
    HELD,
    LATERAL,
    LEANING,
    LOAD_FL,
    LOAD_FR,
    LOAD_RL,
    LOAD_RR,
    MOST,
    OPENING,
    ORDERS,
    REAR_UTILISATION,
    ROLLING_W,
    SLIDE_FL,
    SLIDE_FR,
    SLIDE_RL,
    SLIDE_RR,
    SPEED,
    SPEED_POINTS,
    SPENDING,
    THROTTLE,
    TIME,
    TRIM,
)

Floats = NDArray[np.float64]
_Four = tuple[float, float, float, float]

SPEED_STEP = 0.25  #: spacing of the thrust table [m/s]

#: Where a divisor can be zero, the code says so; sums may be taken in any order.
_compiled = compiled(fastmath={"contract", "arcp", "reassoc", "nsz"})

#: Slip angle of the front wheels at full lateral acceleration, which steering adds to what the bend asks for [rad]. Source: an
#: assumption of this product (2 deg, docs/model.md).
_STEERED = 0.035
#: Mean pressure that a closed four-stroke engine takes, by thousands of revolutions [bar]: 1.57 + 0.15 n + 0.05 n2. Source: Heywood,
#: Internal Combustion Engine Fundamentals, ch. 13, from memory; the car file scales it (`engine_braking`).
_CLOSED = (1.57, 0.15, 0.05)
#: Speed below which an energy store gives no more force than there [m/s]. Source: an assumption: its torque is held.
_BOOST_FROM = 10.0
_FORCE_TOLERANCE = 0.5  # a force is found when its iteration moves by less [N]
_MID_NEAR = 2e-4  # a force is asked for anew at the speed midway that it makes, if that is further off than this [-]
_FORCE_SHARE = 1e-4  # what a lap is read with may miss of its force, over the weight [-]
_USE_TOLERANCE = 1e-6  # a corner speed is found when the use is this near to 1 [-]
#: A secant step is the last one, not looked at again, where a use is this near to its limit [-] and the step before it was no
#: longer than this share of the speed [-] or of the greatest force [-]: what is left is a hundredth of the step.
_USE_NEAR, _STEP_NEAR, _FORCE_NEAR = 1e-3, 0.02, 0.05


@_compiled
def _floor(c: Any, axle: int, extra: float, pressure: float, sunk: float) -> tuple[float, float, float]:
    """What a floor adds to an axle's springs [N], what of that it loses by touching [N], and how far the axle has sunk [mm].

    Body downforce goes with the floor's height, and the height with what the springs carry: Newton steps on the sinking.

    Source: docs/model.md, the floor (after Zerihan & Zhang 2000; Katz).

    :param extra: what the axle carries beyond its weight at rest, without the floor [N]
    :param pressure: dynamic pressure [Pa]
    :param sunk: where to begin [mm]
    """
    area, rest = pressure * c.floor_body[axle], c.floor_rest[axle]
    soft, hard, stop = c.sink[axle], c.sink_stop[axle], c.stop_at[axle]
    most, least = rest, rest - FLOOR_POINTS + 2.0
    sunk = min(max(sunk, least), most)
    added = touching = 0.0
    for _ in range(8):
        height = min(max(rest - sunk, 0.0), FLOOR_POINTS - 1.001)
        i = int(height)
        slope = c.floor_pull[axle, i + 1] - c.floor_pull[axle, i]
        steep = c.floor_touch[axle, i + 1] - c.floor_touch[axle, i]
        added = area * (c.floor_pull[axle, i] + (height - i) * slope)
        touching = c.floor_touch[axle, i] + (height - i) * steep
        held, rate = soft * sunk, soft
        if sunk > stop:
            held, rate = soft * stop + hard * (sunk - stop), hard
        step = (held - extra - added + touching) / max(rate + area * slope - steep, 0.3 * soft)
        # what the step changes is taken with it: a small one needs no other look
        added += area * slope * step
        touching += steep * step
        sunk = min(max(sunk - step, least), most)
        if abs(step) < 0.05:
            break
    return added - touching, touching, sunk


@_compiled
def settle_floor(c: Any) -> None:
    """Where both axles stand on a level road by speed, and what the floor carries on it: to begin with, and for its drag."""
    for axle in range(2):
        lift = c.lift_front if axle == 0 else c.lift_rear
        sunk = 0.0
        for k in range(SPEED_POINTS // 8):
            v = 8.0 * SPEED_STEP * k
            pressure = 0.5 * c.density * v * v
            for _ in range(4):
                _, touching, sunk = _floor(c, axle, pressure * lift, pressure, sunk)
            c.floor_sunk[axle, k] = sunk
            c.floor_rub[k] += touching * c.floor_drag


@_compiled
def _by_speed(table: Floats, v: float) -> float:
    """A value of a table of every eighth speed."""
    x = min(max(v / (8.0 * SPEED_STEP), 0.0), SPEED_POINTS // 8 - 1.001)
    i = int(x)
    return table[i] + (x - i) * (table[i + 1] - table[i])


@_compiled
def wheel_loads(c: Any, v: float, force: float, lateral: float, normal: float, bend: float, flap: float = 0.0) -> _Four:
    """Vertical load of each wheel [N].

    Source: M ch. 18 (transfers; unlike springs by a flat chassis on four of them), ch. 15 (downforce); docs/model.md, kart.

    :param v: speed through the air [m/s]
    :param force: longitudinal force of all tyres, forward positive [N]
    :param lateral: lateral acceleration the tyres must give, left positive [m/s2]
    :param normal: acceleration pressing the car on the road [m/s2]
    :param bend: curvature driven, left positive, which tells how far the front wheels are turned [1/m]
    :param flap: how far a drag flap is open [-]
    """
    lift_front, lift_rear = c.lift_front - flap * c.flap_front, c.lift_rear - flap * c.flap_rear
    pressure = 0.25 * c.density * v * v
    pitch = 0.5 * force * c.cg_height / c.wheelbase
    rest = c.mass * GRAVITY
    more = c.mass * normal - rest  # what a bank, a dip or a crest presses more than at rest: the springs share it anew
    front = c.mass * lateral * c.lateral_front
    rear = c.mass * lateral * c.lateral_rear
    at_front, at_rear = c.static[0] + c.static[1], c.static[2] + c.static[3]
    gain_front = more * at_front + 2.0 * (pressure * lift_front - pitch)
    gain_rear = more * at_rear + 2.0 * (pressure * lift_rear + pitch)
    front_left = rest * c.static[0] + 0.5 * gain_front
    front_right = rest * c.static[1] + 0.5 * gain_front
    rear_left = rest * c.static[2] + 0.5 * gain_rear
    rear_right = rest * c.static[3] + 0.5 * gain_rear
    aside = 0.5 * more * ((c.static[0] - c.static[1]) * c.track_front + (c.static[2] - c.static[3]) * c.track_rear)
    front -= aside * c.roll_front
    rear -= aside * c.roll_rear
    if c.floor == 1:
        begin = _by_speed(c.floor_sunk[0], v) + (gain_front - 2.0 * pressure * lift_front) / c.sink[0]
        added, _, _ = _floor(c, 0, gain_front, 2.0 * pressure, begin)
        front_left, front_right, gain_front = front_left + 0.5 * added, front_right + 0.5 * added, gain_front + added
        begin = _by_speed(c.floor_sunk[1], v) + (gain_rear - 2.0 * pressure * lift_rear) / c.sink[1]
        added, _, _ = _floor(c, 1, gain_rear, 2.0 * pressure, begin)
        rear_left, rear_right, gain_rear = rear_left + 0.5 * added, rear_right + 0.5 * added, gain_rear + added
    across = 0.5 * (c.cross_front * gain_front + c.cross_rear * gain_rear)
    if c.jack > 0.0:
        steered = c.jack * (c.wheelbase * abs(bend) + _STEERED * min(abs(lateral) / GRAVITY, 1.0))
        across -= steered if lateral >= 0.0 else -steered
    front += across
    rear -= across * c.track_front / c.track_rear
    if front > front_left or -front > front_right or rear > rear_left or -rear > rear_right:
        # A wheel cannot pull on the road: what one axle cannot transfer, the other one takes, until that lifts too.
        held = min(max(front, -front_right), front_left)
        rear += (front - held) * c.track_front / c.track_rear
        front = held
        held = min(max(rear, -rear_right), rear_left)
        front = min(max(front + (rear - held) * c.track_rear / c.track_front, -front_right), front_left)
        rear = held
    return max(front_left - front, 0.0), max(front_right + front, 0.0), max(rear_left - rear, 0.0), max(rear_right + rear, 0.0)


@_compiled
def _wheel_grip(c: Any, w: int, load: float, turn: float, roll: float, surface: float) -> tuple[float, float]:
    """Lateral and longitudinal capacity of a wheel [N].

    Source: M ch. 2, P ch. 1: peak friction falls linearly with load, and by 1 / (1 + loss x²) off the best camber and pressure.
    """
    force = surface * c.mu[w] * max(c.mu_level[w] - c.mu_fall[w] * load, 0.2) * load
    best = c.best_kpa_unloaded[w] + c.best_kpa_per_n[w] * load
    off = c.hot_kpa[w] - best
    off_camber = c.camber[w] * turn - roll - c.camber_opt[w]
    # 1/(1 + loss x2) of pressure and of camber, by one division
    camber_part = 1.0 + c.camber_loss[w] * off_camber * off_camber
    square = best * best
    shared = force * square / ((square + c.kpa_loss[w] * off * off) * camber_part)
    return shared, shared * camber_part * c.mu_long[w]


@_compiled
def _afloat(c: Any, w: int, v: float) -> float:
    """Grip that standing water leaves a wheel at a speed [-]: falls smoothly from where it begins to float to a tenth where it does wholly.

    Source: docs/model.md, standing water (speed of the spin-down of a smooth tyre; the fall between is an assumption).
    """
    if c.standing == 0 or v <= c.floats_from[w]:
        return 1.0
    x = min((v - c.floats_from[w]) / (c.floats_to[w] - c.floats_from[w]), 1.0)
    return 1.0 - 0.9 * x * x * (3.0 - 2.0 * x)


@_compiled
def axle_grip(c: Any, loads: _Four, lateral: float, p: Floats, v: float) -> tuple[_Four, _Four]:
    """Lateral and longitudinal capacity of each wheel [N].

    Source: M ch. 2 and 18.

    :param p: the place, for its grip and that of each wheel there
    :param v: speed, at which a tyre may float on standing water [m/s]
    """
    surface = p[GRIP]
    if p[POOL] < 0.5:
        v = 0.0
    turn = 1.0 if lateral >= 0.0 else -1.0
    roll = c.roll_deg * abs(lateral)
    front, rear = roll * c.camber_roll_front, roll * c.camber_roll_rear
    fl, fl_long = _wheel_grip(c, 0, loads[0], turn, front, surface * p[WHEEL] * _afloat(c, 0, v))
    fr, fr_long = _wheel_grip(c, 1, loads[1], turn, front, surface * p[WHEEL + 1] * _afloat(c, 1, v))
    rl, rl_long = _wheel_grip(c, 2, loads[2], turn, rear, surface * p[WHEEL + 2] * _afloat(c, 2, v))
    rr, rr_long = _wheel_grip(c, 3, loads[3], turn, rear, surface * p[WHEEL + 3] * _afloat(c, 3, v))
    return (fl, fr, rl, rr), (fl_long, fr_long, rl_long, rr_long)


#: Use of an axle from which its slip grows on straight: the brush model's slope is without bounds at full use, where a little less
#: force would cost less slip than it is worth, and no driver stays.
_STRAIGHT_FROM = 0.99


@_compiled
def _slide(use: float, straight: float) -> float:
    """Slip over that of full sliding [-] at a use of an axle, which grows on straight from a use of `straight` on."""
    if use <= straight:
        return 1.0 - np.cbrt(1.0 - use)
    left = np.cbrt(1.0 - straight)
    return 1.0 - left + (use - straight) / (3.0 * left * left)


@_compiled
def _scrub(across: float, along: float, side: float, force: float, stiff: float) -> tuple[float, float, float]:
    """Use of an axle [-], and its slip across and along [-], from the brush model.

    F/F_max = 3s - 3s2 + s3 with s the slip over the slip of full sliding 3 mu F_z/C; solved for s: 1 - (1-u)^(1/3)
    (Pacejka, Tire and Vehicle Dynamics, ch. 3). Both wheels of an axle share one slip.

    :param across: lateral capacity of the axle [N]
    :param along: longitudinal capacity [N]
    :param side: lateral force [N]
    :param force: longitudinal force [N]
    :param stiff: slip stiffness of both tyres [N]
    """
    a = side / max(across, 1e-9)
    b = force / max(along, 1e-9)
    use = math.sqrt(a * a + b * b)
    if use < 1e-12:
        return 0.0, 0.0, 0.0
    slide = _slide(min(use, 1.0), _STRAIGHT_FROM)
    slip = slide * 3.0 * across / (max(stiff, 1e-9) * math.sqrt(side * side + force * force))
    return use, slip * side, slip * force


@_compiled
def _locked(c: Any, axle: int, left: float, right: float, along: float, force: float, engine: float, bend: float) -> tuple[float, float]:
    """A driven axle's differential: force that it moves to the slower, inner wheel [N], and the slip it does so at [-]; below 0 where a
    larger outer tyre turns the car in.

    It can hold its preload and a share of the torque (Milliken & Milliken, ch. 20); the tyres give no more than their slip
    stiffness makes of the different ways of the two wheels, nor more than the lighter one can hold. Off the throttle the torque is
    what the closed engine holds back, but no more than the car is held back at all: in between the driver feeds it in.

    :param left: load of the left wheel [N]
    :param along: longitudinal capacity of the axle [N]
    :param force: driving force of the axle, negative where it is held back [N]
    :param engine: what a closed engine takes of it [N]
    """
    light = min(left, right)
    # unlike tyres roll round a bend of their own: what is left of the way's difference is slip
    slip = 0.5 * ((c.track_front if axle == 0 else c.track_rear) * abs(bend) - (c.stagger[axle] if bend >= 0.0 else -c.stagger[axle]))
    held = force * c.lock_power if force > 0.0 else min(-force, engine) * c.lock_coast
    most = along * light / max(left + right, 1e-9)
    moved = min(0.5 * (c.lock_preload + held), c.stiffness[2 * axle] * light * abs(slip), most)
    return (moved if slip >= 0.0 else -moved), slip


@_compiled
def _differential_yaw(c: Any, loads: _Four, along: _Four, force: float, v: float, bend: float) -> tuple[float, float, float]:
    """What the differentials do to a corner: side force they take from the rear and ask of the front [N], and the drag of
    each axle's wheels against each other [N].

    Source: M ch. 20.

    :param force: of all tyres, negative under brakes and off the throttle [N]
    """
    turn, drag_front, drag_rear = 0.0, 0.0, 0.0
    engine = engine_drag_at(c, v) if force < 0.0 else 0.0
    if c.drive_front < 1.0 - 1e-9:
        share = 1.0 - c.drive_front
        moved, slip = _locked(c, 1, loads[2], loads[3], along[2] + along[3], force * share, engine * share, bend)
        turn += moved * c.track_rear
        drag_rear = 2.0 * moved * slip
    if c.drive_front > 1e-9:
        moved, slip = _locked(c, 0, loads[0], loads[1], along[0] + along[1], force * c.drive_front, engine * c.drive_front, bend)
        turn += moved * c.track_front
        drag_front = 2.0 * moved * slip
    return turn / c.wheelbase, drag_front, drag_rear


@_compiled
def _asked(c: Any, left: float, right: float, force: float) -> float:
    """What both tyres of a driven axle could give together when it drives with `force` [N]: the inner one lets go first,
    the differential lets the outer one have more by its preload and its share."""
    inner = min(left, right) / max(left + right, 1e-9)
    return max(force, ((1.0 - c.lock_power) * force - c.lock_preload) / max(2.0 * inner, 1e-9))


@_compiled
def _rolling(c: Any, loads: _Four) -> float:
    """Source: M ch. 2: rolling resistance in proportion to load."""
    return c.rolling[0] * loads[0] + c.rolling[1] * loads[1] + c.rolling[2] * loads[2] + c.rolling[3] * loads[3]


@_compiled
def _stiff(c: Any, loads: _Four) -> tuple[float, float]:
    """Slip stiffness of the front and of the rear tyres [N].

    Source: P ch. 1: cornering stiffness in proportion to load.
    """
    return c.stiffness[0] * loads[0] + c.stiffness[1] * loads[1], c.stiffness[2] * loads[2] + c.stiffness[3] * loads[3]


@_compiled
def thrust_at(c: Any, v: float) -> float:
    """Full-throttle force at the wheels [N] with upshifts spread over a band of speed, from the table.

    Source: M ch. 3.
    """
    x = min(max(v / SPEED_STEP, 0.0), SPEED_POINTS - 1.001)
    i = int(x)
    return c.thrust[i] + (x - i) * (c.thrust[i + 1] - c.thrust[i])


@_compiled
def thrust_in(c: Any, gear: int, v: float) -> float:
    """Full-throttle force at the wheels in one of the gears used, 0 the first [N]; none beyond the rev limit of the last.

    Source: M ch. 3: F = T i / r at n = v i / r; torque straight between its points.
    """
    rpm = v * c.rpm_per_ms[gear]
    if rpm > c.limit_rpm + 1e-6:
        return 0.0
    low, high = 0, c.torque_points - 1
    if rpm <= c.torque_rpm[0]:
        return c.torque[0] * c.per_radius[gear]
    if rpm >= c.torque_rpm[high]:
        return c.torque[high] * c.per_radius[gear]
    while high - low > 1:
        middle = (low + high) // 2
        if c.torque_rpm[middle] <= rpm:
            low = middle
        else:
            high = middle
    share = (rpm - c.torque_rpm[low]) / (c.torque_rpm[high] - c.torque_rpm[low])
    return (c.torque[low] + share * (c.torque[high] - c.torque[low])) * c.per_radius[gear]


@_compiled
def _pushed(c: Any, order: Floats, gear: int, v: float) -> float:
    """What engine and energy store give at the wheels, as the driver is told to use them [N].

    Source: definition of power: the store's part is P/v.
    """
    push = order[OPENING] * thrust_in(c, gear, v)
    if order[SPENDING] > 0.0 and push > 0.0:
        push += order[SPENDING] * c.boost_w / max(v, _BOOST_FROM)
    return push


@_compiled
def gear_at(c: Any, v: float) -> int:
    """The gear, 0 the first of those used, that drives hardest at a speed."""
    gear = 0
    while gear < c.gears - 1 and v >= c.gear_up[gear]:
        gear += 1
    return gear


@_compiled
def _corner_gear(c: Any, v: float, gear: int) -> int:
    """The gear after a corner of this speed: the one before it, unless it pays to change down, or it turns too fast."""
    low = high = 0
    while low < c.gears - 1 and v >= c.gear_down[low]:
        low += 1
    while high < c.gears - 1 and v >= c.gear_up[high]:
        high += 1
    return max(min(gear, low), high)


@_compiled
def closed_bar(thousands: float) -> float:
    """Mean pressure that a closed four-stroke engine takes [bar].

    Source: Heywood, ch. 13: friction and pumping by engine speed.

    :param thousands: of revolutions a minute
    """
    return _CLOSED[0] + _CLOSED[1] * thousands + _CLOSED[2] * thousands * thousands


@_compiled
def engine_drag_at(c: Any, v: float) -> float:
    """Force at the driven wheels of a closed engine [N].

    Source: Heywood, ch. 13: mean pressure of friction and pumping by engine speed.
    """
    gear = gear_at(c, v)
    return c.engine_drag * closed_bar(v * c.rpm_per_ms[gear] / 1000.0) * c.per_radius[gear]


@_compiled
def _braked_front(c: Any, force: float, engine: float) -> float:
    """Front part of a braking force [N]: the engine's own acts on the driven wheels, the brakes give the rest."""
    by_engine = min(force, engine)
    return c.brake_front * (force - by_engine) + c.drive_front * by_engine


@_compiled
def _held(use: float, along: float, side: float, across: float) -> float:
    """Force along that an axle holds beside a side force [N].

    Source: M ch. 9: friction ellipse of an axle.

    :param use: share of its grip along that is used [-]
    :param along: longitudinal capacity [N]
    :param side: lateral force [N]
    :param across: lateral capacity that is used [N]
    """
    a = side / max(across, 1e-9)
    return use * along * math.sqrt(max(1.0 - a * a, 0.0))


@_compiled
def _let_through(at_front: float, force: float, front: float, rear: float) -> float:
    """Front part of a braking force that anti-lock brakes make of the bias's own: what one axle cannot hold goes to the other [N].

    Source: definition: the driver presses on while the system holds an axle at its limit.

    :param at_front: what the bias asks of the front [N]
    :param front: what the front holds [N]
    :param rear: what the rear holds [N]
    """
    return min(max(at_front, force - rear), front) if force <= front + rear else front


@_compiled
def _evened_front(c: Any, at_front: float, force: float, side_front: float, side_rear: float, grip: _Four, along: _Four) -> float:
    """`_let_through` on axles with these side forces and capacities [N]."""
    ability = c.ability * c.ability_brake
    front = _held(c.brake_use, along[0] + along[1], side_front, ability * (grip[0] + grip[1]))
    rear = _held(c.brake_use, along[2] + along[3], side_rear, ability * (grip[2] + grip[3]))
    return _let_through(at_front, force, front, rear)


@_compiled
def _demand(c: Any, p: Floats, v: float, flap: float = 0.0) -> tuple[float, float, float, float, float]:
    """What speed v asks for at a place: lateral and pressing acceleration [m/s2], speed through the air along the car
    [m/s], force of the wind from the side, left positive [N], drag of air and of a floor that touches [N].

    :param flap: how far a drag flap is open [-]
    """
    square = v * v
    lateral = square * p[ACROSS] - p[BANK_PULL]
    normal = p[PRESS] + square * p[SQUEEZE]
    rubbing = _by_speed(c.floor_rub, v) if c.floor == 1 else 0.0
    drag_area = c.drag_area - flap * c.flap_drag
    if c.wind_east == 0.0 and c.wind_north == 0.0:
        return lateral, normal, v, 0.0, 0.5 * c.density * square * drag_area + rubbing
    air = max(v - c.wind_east * p[EAST] - c.wind_north * p[NORTH], 0.0)
    across = c.wind_north * p[EAST] - c.wind_east * p[NORTH]
    pressure = 0.5 * c.density * math.sqrt(air * air + across * across)
    return lateral, normal, air, pressure * across * c.side_area, pressure * air * drag_area + rubbing


@_compiled
def _corner_forces(c: Any, lateral: float, side_wind: float) -> tuple[float, float, float]:
    """Lateral force that front and rear tyres must give [N], positive into the turn, and the lateral acceleration that
    all of them give [m/s2], left positive. A wind from the side acts at its own place behind the front axle."""
    total = c.mass * lateral
    behind = c.cg_behind / c.wheelbase
    front = total * (1.0 - behind) - side_wind * c.wind_front
    rear = total * behind - side_wind * (1.0 - c.wind_front)
    turn = 1.0 if front + rear >= 0.0 else -1.0
    return turn * front, turn * rear, (front + rear) / c.mass


@_compiled
def _free_uses(c: Any, p: Floats, v: float, lateral: float, normal: float, air: float, side_wind: float) -> tuple[float, float]:
    """Use of the front and of the rear axle with neither drive nor brakes [-], for what `_demand` says of a speed."""
    front, rear, lateral = _corner_forces(c, lateral, side_wind)
    loads = wheel_loads(c, air, 0.0, lateral, normal, p[BEND])
    grip, along = axle_grip(c, loads, lateral, p, v)
    yaw, _, _ = _differential_yaw(c, loads, along, 0.0, v, p[BEND])
    return abs(front + yaw) / max(grip[0] + grip[1], 1e-9), max(rear - yaw, 0.0) / max(grip[2] + grip[3], 1e-9)


@_compiled
def corner_use(c: Any, p: Floats, v: float) -> float:
    """Share of the weaker axle's lateral capacity that speed v needs [-]; infinite where the car would fly.

    Source: M ch. 9: friction ellipse of each axle.
    """
    lateral, normal, air, side_wind, _ = _demand(c, p, v)
    if normal <= 0.0:
        return math.inf
    front, rear = _free_uses(c, p, v, lateral, normal, air, side_wind)
    return max(front, rear) / c.ability


@_compiled
def corner_speed(c: Any, p: Floats, top: float, guess: float) -> float:
    """Highest speed [m/s] at which the weaker axle just holds; `top` where nothing limits.

    Secant steps on log use over log speed inside a shrinking bracket. A helpful bank at walking speed may ask for grip the
    other way: the bracket then begins at the speed the bank is made for.

    Source: M ch. 9: the speed at which the axle that is nearer its limit has reached it.
    """
    if abs(p[BEND]) < 1e-7 and p[SQUEEZE] > -1e-7:
        return top
    low = 0.0
    if p[ACROSS] * p[BANK_PULL] > 0.0:
        low = math.sqrt(p[BANK_PULL] / p[ACROSS])
        if low >= top:
            return top
    high = top
    v = min(max(guess, low + 0.1), high)
    power, v_old, use_old = 2.0, 0.0, 0.0
    for _ in range(60):
        use = corner_use(c, p, v)
        if use > 1.0:
            high = v
        else:
            low = v
            if v >= top:
                return top
        if abs(use - 1.0) < _USE_TOLERANCE or high - low < 1e-6:
            break
        if 1e-6 < use < 1e6:
            # use grows about with the square of speed, a little less where downforce helps
            near = False
            if v_old > 0.0 and abs(v - v_old) > 1e-9:
                power = min(max(math.log(use / use_old) / math.log(v / v_old), 0.3), 12.0)
                near = abs(use - 1.0) < _USE_NEAR and abs(v - v_old) < _STEP_NEAR * v
            step = v * math.exp(-math.log(use) / power)
            if near and low < step < high:
                return step
            v_old, use_old = v, use
        else:
            step = 0.5 * (low + high)
        v = step if low < step < high else (high if step >= high and high == top and use < 1.0 else 0.5 * (low + high))
    return v


@_compiled
def _leaning_speed(c: Any, p: Floats, v: float, share: float) -> float:
    """Speed at which a bend asks for no more than a share of what `corner_use` allows [m/s]: bisection below its own speed."""
    if corner_use(c, p, v) <= share:
        return v
    low, high = 0.5, v
    if p[ACROSS] * p[BANK_PULL] > 0.0:  # a bank is best at the speed that it is made for
        low = min(max(low, math.sqrt(p[BANK_PULL] / p[ACROSS])), v)
    for _ in range(40):
        middle = 0.5 * (low + high)
        if corner_use(c, p, middle) > share:
            high = middle
        else:
            low = middle
    return low


@_compiled
def _ellipse_excess(side: float, asked: float, across: float, along: float, moved: float, x: float) -> tuple[float, float]:
    """How far an axle is excess its friction ellipse at a force x of all tyres, and that per force [1/N].

    :param side: lateral force [N]
    :param asked: longitudinal force [N]
    :param across: lateral capacity [N]
    :param along: longitudinal capacity [N]
    :param moved: share of the axle's load that one newton takes away [1/N]
    """
    a, b = side / max(across, 1e-9), asked / max(along, 1e-9)
    return a * a + b * b - 1.0, 2.0 * (a * a * moved + b * b * (moved + 1.0 / max(x, 1.0)))


@_compiled
def force_limit(c: Any, p: Floats, v: float, braking: bool, guess: float, thrust: float) -> tuple[float, float]:
    """Greatest driving (or braking) force of the tyres [N, both positive] and the scrub and rolling beside it [N].

    The force at which the first of these is just reached: the friction ellipse of either axle, what the brakes can do, or
    the engine's power. Loads follow from the force itself; a bracketed root, by one Newton step and secants.

    :param guess: the force over what engine or brakes can give, to begin at [-]
    :param thrust: what the engine can give [N]
    """
    lateral, normal, air, side_wind, _ = _demand(c, p, v)
    front, rear, lateral = _corner_forces(c, lateral, side_wind)
    normal = max(normal, 0.1)
    loads = (0.0, 0.0, 0.0, 0.0)
    grip_front = grip_rear = along_front = along_rear = stiff_front = stiff_rear = 0.0
    share, sign = (c.brake_front, -1.0) if braking else (c.drive_front, 1.0)
    ability = c.ability * (c.ability_brake if braking else 1.0)
    lengthwise, flap = (c.brake_use, 0.0) if braking else (c.drive_use, p[FLAP])
    evened = braking and c.antilock == 1
    ceiling = max(c.brake_max if braking else thrust, 1e-3)
    engine = engine_drag_at(c, v) if braking else 0.0
    tilt = sign * c.cg_height / c.wheelbase
    low, high = 0.0, ceiling
    x = min(max(guess, 0.02), 1.0) * ceiling
    x_old, excess_old, limit_old = -1.0, 0.0, -1
    side_front = side_rear = rub_front = rub_rear = hold_front = hold_rear = hold = 0.0
    for _ in range(30):
        loads = wheel_loads(c, air, sign * x, lateral, normal, p[BEND], flap)
        grip, along = axle_grip(c, loads, lateral, p, v)
        grip_front, grip_rear = grip[0] + grip[1], grip[2] + grip[3]
        along_front, along_rear = along[0] + along[1], along[2] + along[3]
        stiff_front, stiff_rear = _stiff(c, loads)
        yaw, rub_front, rub_rear = _differential_yaw(c, loads, along, sign * x, v, p[BEND])
        side_front, side_rear = abs(front + yaw), max(rear - yaw, 0.0)
        asked_front = _braked_front(c, x, engine) if braking else share * x
        asked_rear = x - asked_front
        excess, slope, limit = x / ceiling - 1.0, 1.0 / ceiling, 0
        if not braking:
            if excess > -0.7:
                # the wheels turn faster than the road passes: that part of the engine's power only heats the tyres
                slip = 0.0
                if share > 1e-9:
                    slip += share * _scrub(grip_front, along_front, side_front, asked_front, stiff_front)[2]
                if share < 1.0 - 1e-9:
                    slip += (1.0 - share) * _scrub(grip_rear, along_rear, side_rear, asked_rear, stiff_rear)[2]
                excess, slope = x * (1.0 + slip) / ceiling - 1.0, (1.0 + 2.0 * slip) / ceiling
            asked_front, asked_rear = _asked(c, loads[0], loads[1], asked_front), _asked(c, loads[2], loads[3], asked_rear)
        if evened:
            hold_front = _held(lengthwise, along_front, side_front, ability * grip_front)
            hold_rear = _held(lengthwise, along_rear, side_rear, ability * grip_rear)
            hold = max(hold_front + hold_rear, 1.0)
            if x / hold - 1.0 > excess:
                excess, slope, limit = x / hold - 1.0, 1.0 / hold, 3
            asked_front = asked_rear = 0.0  # what an axle holds along is told; braking must not take what it needs across
        if not evened or x < hold:
            moved_front, moved_rear = tilt / max(loads[0] + loads[1], 1.0), -tilt / max(loads[2] + loads[3], 1.0)
            over, steep = _ellipse_excess(side_front, asked_front, ability * grip_front, lengthwise * along_front, moved_front, x)
            if over > excess:
                excess, slope, limit = over, steep, 1
            over, steep = _ellipse_excess(side_rear, asked_rear, ability * grip_rear, lengthwise * along_rear, moved_rear, x)
            if over > excess:
                excess, slope, limit = over, steep, 2
        if excess > 0.0:
            high = x
        else:
            low = x
        # far from the root, where a lifted axle has no grip at all, a secant would take tiny steps for the end
        secant = False
        if x_old >= 0.0 and abs(excess) < 0.5 and abs(excess_old) < 0.5 and (excess - excess_old) * (x - x_old) > 0.0:
            slope = (excess - excess_old) / (x - x_old)
            secant = limit == limit_old and abs(excess) < _USE_NEAR and abs(x - x_old) < _FORCE_NEAR * ceiling
        new = x - excess / slope if excess < 3.0 and slope > 1e-12 else 0.5 * (low + high)
        if not low <= new <= high:
            new = low if new < low else high
            if new in (x_old, x) and high - low > _FORCE_TOLERANCE:
                new = 0.5 * (low + high)
        secant = secant and low < new < high
        x_old, excess_old, limit_old, last = x, excess, limit, x
        x = new
        if secant or abs(x - last) < _FORCE_TOLERANCE or high - low < _FORCE_TOLERANCE:
            break
    at_front = _braked_front(c, x, engine) if braking else share * x
    if evened:
        at_front = _let_through(at_front, x, hold_front, hold_rear)
    _, cross_front, _ = _scrub(grip_front, along_front, side_front, at_front, stiff_front)
    _, cross_rear, _ = _scrub(grip_rear, along_rear, side_rear, x - at_front, stiff_rear)
    return x, side_front * cross_front + side_rear * cross_rear + _rolling(c, loads) + rub_front + rub_rear


@_compiled
def _accel(c: Any, p: Floats, v: float, thrust: float, guess: float) -> tuple[float, float]:
    """Acceleration along the line with all the grip and the engine give [m/s2], and the tyre force over the thrust [-].

    Source: M ch. 3 and 9.
    """
    force, resist = force_limit(c, p, v, False, guess, thrust)
    return (force - resist - _demand(c, p, v, p[FLAP])[4]) / c.mass - p[CLIMB], force / max(thrust, 1.0)


@_compiled
def slowing(c: Any, p: Floats, v: float, share: float, guess: float) -> tuple[float, float]:
    """Acceleration along the line under brakes [m/s2], and the greatest force of the tyres over the brakes' [-].

    Source: M ch. 3 and 9.

    :param share: of the greatest braking that the driver uses there; 0 is off the throttle only [-]
    """
    force, resist = force_limit(c, p, v, True, guess, 0.0)
    if share >= 1.0:
        return (-force - resist - _demand(c, p, v)[4]) / c.mass - p[CLIMB], force / max(c.brake_max, 1.0)
    engine = engine_drag_at(c, v)
    # where the tyres cannot hold as much as a closed engine takes, the driver feeds it in
    used = min(force, engine) + share * max(force - engine, 0.0)
    return -_held_back(c, p, v, used, engine), force / max(c.brake_max, 1.0)


@_compiled
def _held_back(c: Any, p: Floats, v: float, force: float, engine: float) -> float:
    """Loss of speed at a braking force [m/s2], positive; one of 0 rolls freely.

    :param engine: what of it the engine gives at most [N]
    """
    lateral, normal, air, side_wind, drag = _demand(c, p, v)
    front, rear, lateral = _corner_forces(c, lateral, side_wind)
    loads = wheel_loads(c, air, -force, lateral, max(normal, 0.1), p[BEND])
    grip, along = axle_grip(c, loads, lateral, p, v)
    stiff_front, stiff_rear = _stiff(c, loads)
    yaw, rub_front, rub_rear = _differential_yaw(c, loads, along, -min(force, engine), v, p[BEND])
    front, rear, at_front = abs(front + yaw), max(rear - yaw, 0.0), _braked_front(c, force, engine)
    if c.antilock == 1:
        at_front = _evened_front(c, at_front, force, front, rear, grip, along)
    _, cross_front, _ = _scrub(grip[0] + grip[1], along[0] + along[1], front, at_front, stiff_front)
    _, cross_rear, _ = _scrub(grip[2] + grip[3], along[2] + along[3], rear, force - at_front, stiff_rear)
    resist = _rolling(c, loads) + front * cross_front + rear * cross_rear + rub_front + rub_rear
    return (force + drag + resist) / c.mass + p[CLIMB]


@_compiled
def _coasting(c: Any, p: Floats, v: float) -> float:
    """Loss of speed off the throttle and off the brakes, the engine closed [m/s2], positive."""
    engine = engine_drag_at(c, v)
    return _held_back(c, p, v, engine, engine)


@_compiled
def _driven(
    c: Any, p: Floats, v: float, way: float, order: Floats, gear: int, pause: float, accel: float, share: float
) -> tuple[float, int, float, float, float]:
    """Through a stretch with the throttle open: the speed at its end [m/s], the gear, what is left of a pause [s], and the
    acceleration and share of thrust to begin with next.

    An upshift is a pause in time: the car rolls, drag and rolling act. It begins where its speed is reached, within the stretch.

    :param order: what the driver is told there
    """
    left, there = way, v
    opening = order[OPENING]
    for _ in range(2 * GEARS + 2):  # each gear may be shifted once, its pause beside it
        if pause > 0.0:
            slow = -_held_back(c, p, there, 0.0, 0.0)
            reach = there * pause + 0.5 * slow * pause * pause
            if reach >= left:
                new = math.sqrt(max(there * there + 2.0 * slow * left, 0.01))
                return new, gear, max(pause - 2.0 * left / (there + new), 0.0), accel, share
            there, left, pause = max(there + slow * pause, 0.1), left - reach, 0.0
        last, top = gear == c.gears - 1, c.gear_up[gear]
        if order[HELD] > 0.0:
            last, top = True, c.limit_rpm / c.rpm_per_ms[gear]
        if not last and there >= top - 1e-9:
            gear += 1
            pause = c.shift_s
            continue
        mid = math.sqrt(max(there * there + accel * left, 0.25 * there * there + 1e-6))
        mid = min(mid, max(top, there))
        accel, share = _accel(c, p, mid, _pushed(c, order, gear, mid), share)
        if mid <= 0.2:  # standing start: the predictor has no history yet
            mid = 0.5 * math.sqrt(2.0 * max(accel, 0.0) * left)
            accel, share = _accel(c, p, mid, _pushed(c, order, gear, mid), share)
        elif mid < top:  # where the force has jumped, such as at the end of braking, the speed was told wrongly
            better = min(math.sqrt(max(there * there + accel * left, 0.25 * there * there + 1e-6)), top)
            if abs(better - mid) > _MID_NEAR * mid:
                mid = better
                accel, share = _accel(c, p, mid, _pushed(c, order, gear, mid), share)
        if opening < 1e-6:
            accel = -_coasting(c, p, mid)
        new = math.sqrt(max(there * there + 2.0 * accel * left, 0.01))
        if last and there >= top - 1e-9:  # at the rev limit already
            return min(new, max(there, top)), gear, 0.0, min(accel, 0.0), share
        if new <= top or there >= top:
            return new, gear, 0.0, accel, share
        mid = math.sqrt(0.5 * (there * there + top * top))
        accel, share = _accel(c, p, mid, _pushed(c, order, gear, mid), share)
        gone = (top * top - there * there) / (2.0 * accel) if accel > 0.0 else left
        if gone >= left:
            return math.sqrt(max(there * there + 2.0 * accel * left, 0.01)), gear, 0.0, accel, share
        if last:  # at the rev limit the throttle holds it there
            return top, gear, 0.0, accel, share
        there, left = top, left - gone
    return there, gear, pause, accel, share


@_compiled
def _pass_forward(
    c: Any, between: Floats, ds: Floats, cap: Floats, orders: Floats, v: Floats, gears: Floats, start: int, closed: bool
) -> float:
    """Source: quasi-steady-state lap: v dv/ds = a from every slowest point on.

    :param gears: of each station, 0 the first of those used; written
    """
    n = v.size
    steps = n if closed else n - 1
    accel, share, pause = 0.0, 1.0, 0.0
    gear = _corner_gear(c, v[start], c.gears - 1)
    gears[start] = gear
    for k in range(steps):
        i = (start + k) % n
        j = (i + 1) % n
        here = v[i]
        if orders[i, HELD] > 0.0:  # the driver holds this gear, or the nearest that does not turn too fast
            gear, pause = 0, 0.0
            while gear < c.gears - 1 and (c.gear_number[gear] < orders[i, HELD] or here > 1.000001 * c.limit_rpm / c.rpm_per_ms[gear]):
                gear += 1
        there, gear, pause, accel, share = _driven(c, between[i], here, ds[i], orders[i], gear, pause, accel, share)
        if there >= cap[j]:
            there = cap[j]
            # where it is braked for, the way on begins anew
            accel = (there * there - here * here) / (2.0 * ds[i])
            accel = accel if accel > -6.0 else 0.0
            lower = _corner_gear(c, there, gear)
            if lower < gear:
                gear, pause = lower, 0.0
        if k == n - 1:
            return there
        v[j], gears[j] = there, gear
    return v[n - 1]


@_compiled
def _coast_back(c: Any, between: Floats, ds: Floats, v: Floats, i: int, way: float, write: bool, closed: bool) -> bool:
    """Follows the coasting line backwards from station `i`; true if it meets the driven speed within its metres.

    :param way: metres to roll before the brakes
    :param write: whether the line replaces the driven speed on the way
    """
    square, left, k = v[i] * v[i], way, i
    while left > 0.0 and (closed or k > 0):
        before = (k - 1) % v.size
        square += 2.0 * _coasting(c, between[before], math.sqrt(square)) * ds[before]
        left -= ds[before]
        k = before
        if v[k] * v[k] <= square:
            return True
        if write:
            v[k] = math.sqrt(square)
    return False


@_compiled
def _pass_backward(c: Any, between: Floats, ds: Floats, orders: Floats, v: Floats, start: int, closed: bool) -> float:
    """Source: quasi-steady-state lap: v dv/ds = a from every slowest point back."""
    n = v.size
    steps = n if closed else n - 1
    accel, share = 0.0, 0.5
    for k in range(steps):
        j = (start - k) % n
        i = (j - 1) % n
        there = v[j]
        if v[i] * v[i] <= there * there:
            # no braking is needed here; a coasting or driven car is slower anyway
            accel = 0.0
            continue
        mid = min(math.sqrt(max(there * there - accel * ds[i], 1e-6)), v[i])
        for _ in range(3):  # where braking begins, or its force jumps, the speed was told wrongly
            accel, share = slowing(c, between[i], mid, orders[i, BRAKING], share)
            told, mid = mid, min(math.sqrt(max(there * there - accel * ds[i], 1e-6)), v[i])
            if abs(mid - told) < _MID_NEAR * mid:
                break
        here = math.sqrt(max(there * there - 2.0 * accel * ds[i], 0.01))
        if here < v[i]:
            v[i] = here
            # where the line does not meet the driven speed, that is still higher there: brake earlier
            if orders[i, COASTING] > 0.0 and _coast_back(c, between, ds, v, i, orders[i, COASTING], False, closed):
                _coast_back(c, between, ds, v, i, orders[i, COASTING], True, closed)
                accel = 0.0
        else:
            accel = (there * there - v[i] * v[i]) / (2.0 * ds[i])
    return v[start]


@_compiled
def _left_in(
    c: Any, between: Floats, ds: Floats, cap: Floats, orders: Floats, v: Floats, driven: Floats, gears: Floats, i: int, gear: int,
    write: bool, closed: bool,
) -> float:  # fmt: skip
    """Seconds that leaving a corner at station `i` in another gear saves, until it is braked or the next corner holds it.

    :param v: speeds of the lap, written by its backward pass
    :param driven: speeds of its forward pass
    :param write: whether the way becomes that of the forward pass, until it meets that
    """
    n = v.size
    there, pause, accel, share, saved, k = v[i], 0.0, 0.0, 1.0, 0.0, i
    merged = False
    if write:
        gears[i] = gear
    for _ in range(n - 1):
        j = k + 1
        if j == n:
            if not closed:
                break
            j = 0
        new, gear, pause, accel, share = _driven(c, between[k], there, ds[k], orders[k], gear, pause, accel, share)
        held = driven[j] >= cap[j] - 1e-9
        if write:
            if held and new >= cap[j]:
                break
            driven[j], gears[j] = new, gear
        elif (held or v[j] < driven[j] - 1e-9) and new >= v[j]:
            new, merged = v[j], True
        saved += 2.0 * ds[k] * (1.0 / (v[k] + v[j]) - 1.0 / (there + new))
        there, k = new, j
        if merged:
            break
    return saved


#: Speed of a corner over that at which changing down for it pays by a rule, within which it is tried [-].
_GEAR_TRIED = 0.15


@_compiled
def _better_gears(
    c: Any, between: Floats, ds: Floats, cap: Floats, orders: Floats, v: Floats, driven: Floats, gears: Floats, closed: bool
) -> bool:
    """Tries the gear above and below where a corner could be left in either; true if a quicker one was put into the forward pass.

    Both cost the same where the choice turns, so that a lap's time does not jump there.
    """
    n, changed = v.size, False
    for i in range(n):
        j = i + 1
        if j == n:
            if not closed:
                break
            j = 0
        if driven[i] < cap[i] - 1e-9 or v[i] < driven[i] - 1e-9 or driven[j] >= cap[j] - 1e-9 or v[j] < driven[j] - 1e-9:
            continue
        if orders[i, HELD] > 0.0:
            continue
        gear = int(gears[i])
        arrived, k = gear, i
        for _ in range(n - 1):
            k = k - 1 if k > 0 else n - 1
            if driven[k] < cap[k] - 1e-9 and v[k] >= driven[k] - 1e-9:
                break
            arrived = max(arrived, int(gears[k]))
        for other in (gear - 1, gear + 1):
            if other < gear_at(c, v[i]) or other > arrived:
                continue
            pays = v[i] / c.gear_down[min(gear, other)]
            if abs(pays - 1.0) < _GEAR_TRIED and _left_in(c, between, ds, cap, orders, v, driven, gears, i, other, False, closed) > 1e-6:
                _left_in(c, between, ds, cap, orders, v, driven, gears, i, other, True, closed)
                changed = True
                break
    return changed


@_compiled
def solve(c: Any, at: Floats, between: Floats, ds: Floats, closed: bool, v_start: float, top: float, orders: Floats, out: Floats) -> int:
    """One lap (or one open course) at the limit, into `out` [stations, len(COLUMNS)].

    :param at: rows of `places` at the stations
    :param between: the same midway between each station and the next
    :param ds: distance to the next station [m]
    :param v_start: speed at the first station of an open course [m/s]
    :param top: speed that the car cannot exceed [m/s]
    :param orders: what the driver is told at each station, shape [stations, ORDERS]
    :returns: -1 if solved, else the station at which the car cannot hold any speed
    """
    n = ds.size
    cap, gears = np.empty(n), np.empty(n)
    guess, bend = top, 0.0
    for i in range(n):
        here = abs(at[i, BEND])
        if bend > 0.0 and here > 0.0:
            guess = min(guess * math.sqrt(bend / here), top)
        cap[i] = corner_speed(c, at[i], top, guess)
        guess, bend = cap[i], here if cap[i] < top else 0.0
        if not cap[i] > 0.5:
            return i
        if orders[i, LEANING] < 1.0:
            cap[i] = _leaning_speed(c, at[i], cap[i], orders[i, LEANING])
        if orders[i, MOST] > 0.0:
            cap[i] = min(cap[i], orders[i, MOST])
    v = cap.copy()
    start = 0
    if closed:
        start = int(np.argmin(cap))
        first = cap[start]
        for _ in range(6):
            for i in range(n):  # a slice assigned to a slice costs the compiler five seconds
                v[i] = cap[i]
            v[start] = first
            end = _pass_forward(c, between, ds, cap, orders, v, gears, start, True)
            if abs(end - first) < 1e-7 or end >= cap[start]:
                break
            first = end
    else:
        v[0] = min(v_start, cap[0])
        _pass_forward(c, between, ds, cap, orders, v, gears, 0, False)
    driven = v.copy()
    _pass_backward(c, between, ds, orders, v, start if closed else n - 1, closed)
    if c.gears > 1 and c.shift_s > 0.0 and _better_gears(c, between, ds, cap, orders, v, driven, gears, closed):
        for i in range(n):
            v[i] = driven[i]
        _pass_backward(c, between, ds, orders, v, start if closed else n - 1, closed)
    for i in range(n):
        if v[i] < driven[i] - 1e-9:  # under brakes the gear is that of the speed
            gears[i] = gear_at(c, v[i])
    _fill(c, between, ds, v, gears, orders, closed, out)
    return -1


#: Use of an axle beyond which its slip grows on straight in `axle_uses`: the brush model's slope is without bounds at full use.
_SMOOTH_FROM = 0.9


@_compiled
def _straightened(across: float, along: float, side: float, force: float, stiff: float) -> float:
    """Slip across over side force, as `_scrub` has it, but growing straight where an axle is nearly all used [-/N]."""
    a, b = side / max(across, 1e-9), force / max(along, 1e-9)
    use = math.sqrt(a * a + b * b)
    if use < 1e-9:
        return 0.0
    slide = _slide(use, _SMOOTH_FROM)
    return slide * 3.0 * across / (max(stiff, 1e-9) * math.sqrt(side * side + force * force))


@_compiled
def axle_uses(c: Any, p: Floats, v: float, accel: float) -> tuple[float, float, float, float, float, float]:
    """What an acceleration along the line asks for [-]: use of the front and of the rear axle over what the driver uses of them,
    force over the engine's, braking force over the brakes', and the part of the axles' uses that is across.

    Smooth but at no force at all, where a car goes from driving to braking: for derivatives.

    :param accel: gain of kinetic energy per mass and way [m/s2]
    """
    flap = p[FLAP] if accel + p[CLIMB] > 0.0 else 0.0
    lateral, normal, air, side_wind, drag = _demand(c, p, v, flap)
    front, rear, lateral = _corner_forces(c, lateral, side_wind)
    normal = max(normal, 0.1)
    need = c.mass * (accel + p[CLIMB]) + drag
    engine = engine_drag_at(c, v)
    force = need
    loads = grip = along = (0.0, 0.0, 0.0, 0.0)
    side_front = side_rear = at_front = at_rear = 0.0
    for _ in range(4):
        loads = wheel_loads(c, air, force, lateral, normal, p[BEND], flap)
        grip, along = axle_grip(c, loads, lateral, p, v)
        yaw, rub_front, rub_rear = _differential_yaw(c, loads, along, force, v, p[BEND])
        side_front, side_rear = abs(front + yaw), max(rear - yaw, 0.0)
        at_front = c.drive_front * force if force >= 0.0 else _braked_front(c, -force, engine)
        if force < 0.0 and c.antilock == 1:
            at_front = _evened_front(c, at_front, -force, side_front, side_rear, grip, along)
        at_rear = abs(force) - at_front
        stiff_front, stiff_rear = _stiff(c, loads)
        cross_front = _straightened(grip[0] + grip[1], along[0] + along[1], side_front, at_front, stiff_front)
        cross_rear = _straightened(grip[2] + grip[3], along[2] + along[3], side_rear, at_rear, stiff_rear)
        resist = _rolling(c, loads) + side_front * side_front * cross_front + side_rear * side_rear * cross_rear + rub_front + rub_rear
        force = need + resist
    ability, lengthwise = c.ability, c.drive_use
    if force >= 0.0:
        asked_front, asked_rear = _asked(c, loads[0], loads[1], at_front), _asked(c, loads[2], loads[3], at_rear)
    else:
        ability, lengthwise = ability * c.ability_brake, c.brake_use
        asked_front, asked_rear = at_front, at_rear
    wider = ability / lengthwise  # an axle's ellipse is used to other shares along than across where a system holds its wheels
    across_front, b = side_front / max(grip[0] + grip[1], 1e-9), wider * asked_front / max(along[0] + along[1], 1e-9)
    use_front = math.sqrt(across_front * across_front + b * b) / ability
    across_rear, b = side_rear / max(grip[2] + grip[3], 1e-9), wider * asked_rear / max(along[2] + along[3], 1e-9)
    use_rear = math.sqrt(across_rear * across_rear + b * b) / ability
    driven, braked = force / max(thrust_at(c, v), 1.0), -force / max(c.brake_max, 1.0)
    return use_front, use_rear, driven, braked, across_front / ability, across_rear / ability


@_compiled
def uses_along(c: Any, rows: Floats, v: Floats, accel: Floats, out: Floats) -> None:
    """`axle_uses` at many places, into `out` [places, 6]."""
    for i in range(v.size):
        out[i, 0], out[i, 1], out[i, 2], out[i, 3], out[i, 4], out[i, 5] = axle_uses(c, rows[i], v[i], accel[i])


@_compiled
def corner_uses_along(c: Any, rows: Floats, v: Floats, out: Floats) -> None:
    """`corner_use` at many places."""
    for i in range(v.size):
        out[i] = corner_use(c, rows[i], v[i])


@_compiled
def coasting_along(c: Any, rows: Floats, v: Floats, out: Floats) -> None:
    """Acceleration at many places with neither throttle nor brakes [m/s2]."""
    for i in range(v.size):
        out[i] = -_coasting(c, rows[i], v[i])


@_compiled
def _trim(c: Any, p: Floats, v: float) -> float:
    """Balance of the same speed and place with neither drive nor brakes [%]: use of the front over that of the rear axle.

    Throttle or brake hold one axle at its limit, so that only the other would show what a bar does.
    """
    lateral, normal, air, side_wind, _ = _demand(c, p, v)
    front, rear = _free_uses(c, p, v, lateral, max(normal, 0.1), air, side_wind)
    return 100.0 * (front - rear)


@_compiled
def _fill(c: Any, between: Floats, ds: Floats, v: Floats, gears: Floats, orders: Floats, closed: bool, out: Floats) -> None:
    """Forces, loads, uses, powers and fuel at each station for the speeds found."""
    n = v.size
    resist = 0.0
    for i in range(n):
        j = (i + 1) % n if closed or i < n - 1 else i
        p, speed, step = between[i], v[i], ds[i]
        accel = (v[j] * v[j] - speed * speed) / (2.0 * step)
        mid = 0.5 * (speed + v[j])
        dt = step / max(mid, 0.05)
        flap = p[FLAP] if c.mass * (accel + p[CLIMB]) + resist + _demand(c, p, mid, p[FLAP])[4] > 0.0 else 0.0
        lateral, normal, air, side_wind, drag = _demand(c, p, mid, flap)
        front, rear, lateral = _corner_forces(c, lateral, side_wind)
        normal = max(normal, 0.1)
        need = c.mass * (accel + p[CLIMB]) + drag
        side_front, side_rear = front, rear
        rub_front = rub_rear = 0.0
        force, rolling = need + resist, 0.0
        front_utilisation = rear_utilisation = cross_front = cross_rear = along_front = along_rear = 0.0
        loads = grip = (0.0, 0.0, 0.0, 0.0)
        force_old = missed_old = effort_front = effort_rear = 0.0
        closed_engine = engine_drag_at(c, mid)
        for tries in range(6):
            effort_front = c.drive_front * force if force >= 0.0 else _braked_front(c, -force, closed_engine)
            loads = wheel_loads(c, air, force, lateral, normal, p[BEND], flap)
            grip, along = axle_grip(c, loads, lateral, p, mid)
            yaw, rub_front, rub_rear = _differential_yaw(c, loads, along, force, mid, p[BEND])
            side_front, side_rear = abs(front + yaw), max(rear - yaw, 0.0)
            if force < 0.0 and c.antilock == 1:
                effort_front = _evened_front(c, effort_front, -force, side_front, side_rear, grip, along)
            effort_rear = abs(force) - effort_front
            stiff_front, stiff_rear = _stiff(c, loads)
            front_utilisation, cross_front, along_front = _scrub(
                grip[0] + grip[1], along[0] + along[1], side_front, effort_front, stiff_front
            )
            rear_utilisation, cross_rear, along_rear = _scrub(grip[2] + grip[3], along[2] + along[3], side_rear, effort_rear, stiff_rear)
            rolling = _rolling(c, loads)
            last, resist = force, rolling + side_front * cross_front + side_rear * cross_rear + rub_front + rub_rear
            missed = need + resist - force
            if abs(missed) < _FORCE_SHARE * c.mass * GRAVITY:
                break
            # under brakes near full sliding, a little more force costs much more slip: plain steps would jump across
            turned, way = missed - missed_old, force - force_old
            force = force - missed * way / turned if tries > 0 and turned * way < -way * way else force + missed
            force_old, missed_old = last, missed
        slide_front = (side_front * cross_front + effort_front * along_front + rub_front) * mid
        slide_rear = (side_rear * cross_rear + effort_rear * along_rear + rub_rear) * mid
        row = out[i]
        row[SPEED], row[ACCEL], row[LATERAL] = speed, accel, lateral
        gear = int(gears[i])
        row[GEAR] = c.gear_number[gear]
        engine = 0.0
        if force > 0.0:
            engine = force * mid + (effort_front * along_front + effort_rear * along_rear) * mid
            # at the speed of a shift the mean lies past it
            thrust = thrust_in(c, gear, min(mid, c.limit_rpm / c.rpm_per_ms[gear]))
            row[BOOST_W] = 0.0
            if orders[i, SPENDING] > 0.0:  # the engine first: the store gives what it cannot
                store = orders[i, SPENDING] * c.boost_w * mid / max(mid, _BOOST_FROM)
                row[BOOST_W] = min(max(engine - mid * orders[i, OPENING] * thrust, 0.0), store)
                engine -= row[BOOST_W]
            row[THROTTLE] = min(engine / max(mid * thrust, 1e-9), 1.0)
            row[BRAKE] = row[BRAKE_W] = row[CLOSED_W] = 0.0
        else:
            row[THROTTLE] = row[BOOST_W] = 0.0
            braked = max(-force - closed_engine, 0.0)
            row[BRAKE] = min(braked / c.brake_max, 1.0)
            lost = (effort_front * along_front + effort_rear * along_rear) * mid
            row[BRAKE_W] = (-force * mid - lost) * braked / max(-force, 1e-9)
            row[CLOSED_W] = -force * mid - lost - row[BRAKE_W]
        row[LOAD_FL], row[LOAD_FR], row[LOAD_RL], row[LOAD_RR] = loads
        slide_front /= max(grip[0] + grip[1], 1e-9)
        slide_rear /= max(grip[2] + grip[3], 1e-9)
        row[SLIDE_FL], row[SLIDE_FR] = slide_front * grip[0], slide_front * grip[1]
        row[SLIDE_RL], row[SLIDE_RR] = slide_rear * grip[2], slide_rear * grip[3]
        row[FRONT_UTILISATION], row[REAR_UTILISATION] = front_utilisation, rear_utilisation
        row[BALANCE] = 100.0 * (front_utilisation - rear_utilisation)
        row[FUEL_L] = engine / c.efficiency * c.fuel_l_per_j * dt
        row[ENGINE_W], row[DRAG_W], row[ROLLING_W] = engine, drag * mid, rolling * mid
        row[TIME] = dt if closed or i < n - 1 else 0.0


@_compiled
def trim_along(c: Any, between: Floats, closed: bool, out: Floats) -> None:
    """`_trim` at every station of a solved lap, into its column: what only who reads the balance asks for."""
    n = out.shape[0]
    for i in range(n):
        j = (i + 1) % n if closed or i < n - 1 else i
        out[i, TRIM] = _trim(c, between[i], 0.5 * (out[i, SPEED] + out[j, SPEED]))


@_compiled
def heat_along(lap: Floats, tyre: Floats, start: Floats, air_c: float, road_c: float, out: Floats) -> None:
    """How much warmer than over the whole lap each tread's grip is at each station [K], into `out` [stations, 4].

    Skin and tread are marched along the lap with the heat of sliding and rolling, its carcass as it is, until the lap repeats.

    Source: M ch. 2; the balance of `vehicle.heat`, place by place.

    :param lap: result of `solve`
    :param tyre: of each wheel: heat capacities of skin and tread [J/K], between them and on to the carcass [W/K], to air and road at
        1 m/s [W/K], share of sliding kept, rolling resistance, shares of the rolling loss in skin and tread, of the skin in grip,
        shape [4, 11]
    :param start: skin, tread and carcass of each wheel over the lap, shape [4, 3] [degC]
    """
    n = lap.shape[0]
    total = 0.0
    in_air, on_road = np.empty(n), np.empty(n)
    for i in range(n):
        total += lap[i, TIME]
        in_air[i], on_road[i] = lap[i, SPEED] ** 0.8, math.sqrt(lap[i, SPEED])
    for w in range(4):
        c_skin, c_tread, up, down, air, road, kept, rolls, in_skin, in_tread, part = tyre[w]
        skin, tread, carcass = start[w]
        mean = 0.0
        for _ in range(3):
            mean = 0.0
            for i in range(n):
                dt, v = lap[i, TIME], lap[i, SPEED]
                rolling = rolls * lap[i, LOAD_FL + w] * v
                to_air, to_road = air * in_air[i], road * on_road[i]
                # backward in time, so that a long step cannot swing
                a = c_skin / max(dt, 1e-9)
                heat = kept * lap[i, SLIDE_FL + w] + in_skin * rolling + to_air * air_c + to_road * road_c + a * skin
                skin = (heat + up * tread) / (a + to_air + to_road + up)
                b = c_tread / max(dt, 1e-9)
                tread = (in_tread * rolling + up * skin + down * carcass + b * tread) / (b + up + down)
                grip = part * skin + (1.0 - part) * tread
                mean += grip * dt
                out[i, w] = grip
        for i in range(n):
            out[i, w] -= mean / total


def warm() -> None:
    """Compile, or load from the store, every function that is called from outside this file."""
    car = np.zeros(1, dtype=CAR)
    for name in ("mass", "wheelbase", "track_front", "track_rear", "brake_max", "efficiency"):
        car[name] = 1.0
    for name in ("ability", "ability_brake", "drive_use", "brake_use"):
        car[name] = 1.0
    for name in ("static", "mu", "mu_level", "best_kpa_unloaded", "mu_long", "stiffness"):
        car[name] = 1.0
    car["cg_behind"] = 0.5
    car["gears"], car["torque_points"], car["limit_rpm"] = 1, 2, 1e4
    car["rpm_per_ms"], car["per_radius"], car["gear_number"] = 1.0, 1.0, 1.0
    car["torque_rpm"][:, 1] = 1e4
    car["gear_up"] = 1e4
    rows = np.ones((4, POOL + 1))
    orders = np.zeros((4, ORDERS))
    lap = np.zeros((4, len(COLUMNS)))
    settle_floor(car[0])
    heat_along(lap, np.ones((4, 11)), np.zeros((4, 3)), 20.0, 20.0, np.zeros((4, 4)))
    solve(car[0], rows, rows, np.ones(4), True, 1.0, 10.0, orders, lap)
    trim_along(car[0], rows, True, lap)
    speed, out = np.ones(4), np.zeros((4, 6))
    uses_along(car[0], rows, speed, np.zeros(4), out)
    corner_uses_along(car[0], rows, speed, out[:, 0].copy())
    coasting_along(car[0], rows, speed, out[:, 0].copy())
    closed_bar(3.0)
