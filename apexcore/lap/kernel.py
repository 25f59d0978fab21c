"""The compiled lap: wheel loads, axle capacities, envelope, forward and backward pass.

All functions of the kernel stand in this one file, so that the compiler's cache is never stale. SI units; angles in
degrees where the name says so. Left turns are positive: curvature, lateral acceleration and banking that helps them.
Wheels are 0 front left, 1 front right, 2 rear left, 3 rear right. The equations are in docs/model.md.
"""

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from .record import CAR, COLUMNS, SPEED_POINTS

Floats = NDArray[np.float64]

GRAVITY = 9.80665
SPEED_STEP = 0.25  #: spacing of the thrust table [m/s]

#: Engine braking over full thrust, for the differential off the throttle. Source: an assumption of this product.
_ENGINE_BRAKE = 0.15
_FORCE_TOLERANCE = 1.0  # a force is found when its iteration moves by less [N]


@njit(cache=True, nogil=True)
def wheel_loads(c: Any, v: float, force: float, lateral: float, normal: float, out: Floats) -> None:
    """Vertical load of each wheel [N] into `out`.

    :param v: speed through the air [m/s]
    :param force: longitudinal force of all tyres, forward positive [N]
    :param lateral: lateral acceleration the tyres must give, left positive [m/s2]
    :param normal: acceleration pressing the car on the road [m/s2]
    """
    pressure = 0.5 * c.density * v * v
    pitch = 0.5 * force * c.cg_height / c.wheelbase
    front_air = 0.5 * pressure * c.lift_front
    rear_air = 0.5 * pressure * c.lift_rear
    weight = c.mass * normal
    front = c.mass * lateral * c.lateral_front
    rear = c.mass * lateral * c.lateral_rear
    # A wheel cannot pull on the road: what one axle cannot transfer, the other one takes, until that lifts too.
    front_left = weight * c.static[0] + front_air - pitch
    front_right = weight * c.static[1] + front_air - pitch
    rear_left = weight * c.static[2] + rear_air + pitch
    rear_right = weight * c.static[3] + rear_air + pitch
    spill = 0.0
    if front > front_left:
        spill, front = front - front_left, front_left
    elif -front > front_right:
        spill, front = front + front_right, -front_right
    rear += spill * c.track_front / c.track_rear
    spill = 0.0
    if rear > rear_left:
        spill, rear = rear - rear_left, rear_left
    elif -rear > rear_right:
        spill, rear = rear + rear_right, -rear_right
    if spill != 0.0:
        front += spill * c.track_rear / c.track_front
        front = min(max(front, -front_right), front_left)
    out[0] = max(front_left - front, 0.0)
    out[1] = max(front_right + front, 0.0)
    out[2] = max(rear_left - rear, 0.0)
    out[3] = max(rear_right + rear, 0.0)


@njit(cache=True, nogil=True)
def axle_grip(c: Any, loads: Floats, lateral: float, out: Floats) -> None:
    """Capacities [N] into `out`: front lateral, rear lateral, front longitudinal, rear longitudinal, then each wheel."""
    turn = 1.0 if lateral >= 0.0 else -1.0
    roll = c.roll_deg * abs(lateral)
    out[0] = out[1] = out[2] = out[3] = 0.0
    for w in range(4):
        load = loads[w]
        mu = c.mu[w] * max(1.0 - c.load_loss[w] * (load / c.load_ref[w] - 1.0), 0.2)
        error = c.hot_kpa[w] / (c.best_kpa[w] + c.best_kpa_per_n[w] * (load - c.load_ref[w])) - 1.0
        mu /= 1.0 + c.kpa_loss[w] * error * error
        lost = roll * (c.lean_roll_front if w < 2 else c.lean_roll_rear)
        lean = c.lean[w] * turn - lost - c.lean_opt[w]
        side = mu * load / (1.0 + c.lean_loss[w] * lean * lean)
        axle = w // 2
        out[axle] += side
        out[2 + axle] += mu * load * c.mu_long[w]
        out[4 + w] = side


@njit(cache=True, nogil=True)
def _scrub(c: Any, loads: Floats, grip: Floats, axle: int, side: float, along: float) -> tuple[float, float, float]:
    """Use of an axle [-], and its slip across and along [-], from the brush model.

    F/F_max = 3s - 3s2 + s3 with s the slip over the slip of full sliding 3 mu F_z/C; solved for s: 1 - (1-u)^(1/3)
    (Pacejka, Tire and Vehicle Dynamics, ch. 3). Both wheels of an axle share one slip.
    """
    a = side / max(grip[axle], 1e-9)
    b = along / max(grip[2 + axle], 1e-9)
    use = math.sqrt(a * a + b * b)
    if use < 1e-12:
        return 0.0, 0.0, 0.0
    slide = 1.0 - np.cbrt(1.0 - min(use, 1.0))
    w = 2 * axle
    stiff = c.stiffness[w] * loads[w] + c.stiffness[w + 1] * loads[w + 1]
    slip = slide * 3.0 * grip[axle] / max(stiff, 1e-9)
    total = math.sqrt(side * side + along * along)
    return use, slip * side / total, slip * along / total


@njit(cache=True, nogil=True)
def _locked(c: Any, loads: Floats, grip: Floats, axle: int, force: float, v: float, curvature: float) -> tuple[float, float]:
    """A driven axle's differential: force that it moves to the slower, inner wheel [N], and the slip it does so at [-].

    It can hold its preload and a share of the torque (Milliken & Milliken, ch. 20); the tyres give no more than their slip
    stiffness makes of the different ways of the two wheels, nor more than the lighter one can hold.
    """
    first = 2 * axle
    track = c.track_front if axle == 0 else c.track_rear
    light = min(loads[first], loads[first + 1])
    slip = 0.5 * track * abs(curvature)
    held = force * c.lock_power if force > 0.0 else _ENGINE_BRAKE * thrust_at(c, v) * c.lock_coast
    most = grip[2 + axle] * light / max(loads[first] + loads[first + 1], 1e-9)
    return min(0.5 * (c.lock_preload + held), c.stiffness[first] * light * slip, most), slip


@njit(cache=True, nogil=True)
def _twist(c: Any, loads: Floats, grip: Floats, force: float, v: float, curvature: float) -> tuple[float, float, float]:
    """What the differentials do to a corner: side force they take from the rear and ask of the front [N], and the drag of
    each axle's wheels against each other [N]."""
    turn, drag_front, drag_rear = 0.0, 0.0, 0.0
    if c.drive_front < 1.0 - 1e-9:
        moved, slip = _locked(c, loads, grip, 1, force * (1.0 - c.drive_front), v, curvature)
        turn += moved * c.track_rear
        drag_rear = 2.0 * moved * slip
    if c.drive_front > 1e-9:
        moved, slip = _locked(c, loads, grip, 0, force * c.drive_front, v, curvature)
        turn += moved * c.track_front
        drag_front = 2.0 * moved * slip
    return turn / c.wheelbase, drag_front, drag_rear


@njit(cache=True, nogil=True)
def _driven_room(c: Any, loads: Floats, axle: int, room: float) -> float:
    """Driving force of an axle [N] of which `room` is what both tyres could give: the inner one lets go first, the
    differential lets the outer one have more by its preload and its share."""
    first = 2 * axle
    both = loads[first] + loads[first + 1]
    inner = room * min(loads[first], loads[first + 1]) / max(both, 1e-9)
    return min(room, (2.0 * inner + c.lock_preload) / (1.0 - c.lock_power))


@njit(cache=True, nogil=True)
def _rolling(c: Any, loads: Floats) -> float:
    return (
        c.rolling[0] * loads[0] + c.rolling[1] * loads[1] + c.rolling[2] * loads[2] + c.rolling[3] * loads[3]
    )  # fmt: skip


@njit(cache=True, nogil=True)
def thrust_at(c: Any, v: float) -> float:
    """Full-throttle force at the wheels [N], from the table."""
    x = min(max(v / SPEED_STEP, 0.0), SPEED_POINTS - 1.001)
    i = int(x)
    return c.thrust[i] + (x - i) * (c.thrust[i + 1] - c.thrust[i])


@njit(cache=True, nogil=True)
def gear_at(c: Any, v: float) -> float:
    """The gear of the thrust table."""
    return c.gear[min(int(v / SPEED_STEP + 0.5), SPEED_POINTS - 1)]


@njit(cache=True, nogil=True)
def _air_speed(c: Any, v: float, heading: float) -> float:
    return max(v - c.wind_east * math.cos(heading) - c.wind_north * math.sin(heading), 0.0)


@njit(cache=True, nogil=True)
def _demand(v: float, curvature: float, bank: float, slope: float, bend: float) -> tuple[float, float]:
    """Lateral acceleration for the tyres and pressing acceleration, in the road's plane [m/s2]."""
    across = v * v * curvature
    normal = GRAVITY * math.cos(bank) * math.cos(slope) + across * math.sin(bank) + v * v * bend
    return across * math.cos(bank) - GRAVITY * math.sin(bank) * math.cos(slope), normal


@njit(cache=True, nogil=True)
def corner_use(c: Any, v: float, curvature: float, bank: float, slope: float, bend: float, air: float, work: Floats) -> float:
    """Share of the weaker axle's lateral capacity that speed v needs [-]; infinite where the car would fly."""
    lateral, normal = _demand(v, curvature, bank, slope, bend)
    if normal <= 0.0:
        return math.inf
    loads, grip = work[0:4], work[4:12]
    wheel_loads(c, air, 0.0, lateral, normal, loads)
    axle_grip(c, loads, lateral, grip)
    force = c.mass * abs(lateral)
    behind = c.cg_behind / c.wheelbase
    twist, _, _ = _twist(c, loads, grip, 0.0, v, curvature)
    front = (force * (1.0 - behind) + twist) / max(grip[0], 1e-9)
    rear = max(force * behind - twist, 0.0) / max(grip[1], 1e-9)
    return max(front, rear) / c.ability


@njit(cache=True, nogil=True)
def corner_speed(
    c: Any, curvature: float, bank: float, slope: float, bend: float, heading: float, top: float, guess: float, work: Floats
) -> float:
    """Highest speed [m/s] at which the weaker axle just holds; `top` where nothing limits.

    Secant steps on use(v) = 1 inside a shrinking bracket. A helpful bank at walking speed may ask for grip the other way:
    the bracket then begins at the speed the bank is made for.
    """
    if abs(curvature) < 1e-7 and bend > -1e-7:
        return top
    low = 0.0
    if abs(curvature) > 1e-7 and curvature * bank > 0.0:
        low = math.sqrt(GRAVITY * math.sin(abs(bank)) * math.cos(slope) / (abs(curvature) * math.cos(bank)))
        if low >= top:
            return top
    high = top
    drift = _air_speed(c, 10.0, heading) - 10.0
    v = min(max(guess, low + 0.1), high)
    for _ in range(60):
        use = corner_use(c, v, curvature, bank, slope, bend, max(v + drift, 0.0), work)
        if use > 1.0:
            high = v
        else:
            low = v
            if v >= top:
                return top
        if abs(use - 1.0) < 1e-7 or high - low < 1e-6:
            break
        # use grows about with the square of speed, a little less where downforce helps
        step = v / math.sqrt(use) if 1e-6 < use < 1e6 else 0.5 * (low + high)
        v = step if low < step < high else (high if step >= high and high == top and use < 1.0 else 0.5 * (low + high))
    return v


@njit(cache=True, nogil=True)
def force_limit(
    c: Any, v: float, air: float, lateral: float, normal: float, curvature: float, braking: bool, guess: float, work: Floats
) -> tuple[float, float]:
    """Greatest driving (or braking) force of the tyres [N, both positive] and the scrub and rolling beside it [N].

    The axle that reaches its friction ellipse first limits; loads follow from the force itself, so it is a fixed point,
    found by secant steps from `guess`.
    """
    loads, grip = work[0:4], work[4:12]
    behind = c.cg_behind / c.wheelbase
    side = c.mass * abs(lateral)
    share = c.brake_front if braking else c.drive_front
    sign = -1.0 if braking else 1.0
    ability = c.ability * (c.ability_brake if braking else 1.0)
    engine = 0.0 if braking else thrust_at(c, v)
    ceiling = c.brake_max if braking else engine
    x = min(guess, ceiling)
    x_old, r_old = 0.0, 0.0
    resist = 0.0
    for k in range(14):
        wheel_loads(c, air, sign * x, lateral, normal, loads)
        axle_grip(c, loads, lateral, grip)
        twist, rub_front, rub_rear = _twist(c, loads, grip, 0.0 if braking else x, v, curvature)
        side_front, side_rear = side * (1.0 - behind) + twist, max(side * behind - twist, 0.0)
        u = min(side_front / max(grip[0] * ability, 1e-9), 1.0)
        room_front = grip[2] * ability * math.sqrt(1.0 - u * u)
        u = min(side_rear / max(grip[1] * ability, 1e-9), 1.0)
        room_rear = grip[3] * ability * math.sqrt(1.0 - u * u)
        if not braking:
            room_front, room_rear = _driven_room(c, loads, 0, room_front), _driven_room(c, loads, 1, room_rear)
        found = 1e12
        if share > 1e-9:
            found = room_front / share
        if share < 1.0 - 1e-9:
            found = min(found, room_rear / (1.0 - share))
        _, cross_front, along_front = _scrub(c, loads, grip, 0, side_front, share * min(x, found))
        _, cross_rear, along_rear = _scrub(c, loads, grip, 1, side_rear, (1.0 - share) * min(x, found))
        resist = side_front * cross_front + side_rear * cross_rear + _rolling(c, loads) + rub_front + rub_rear
        # the end that this force lightens must still hold the corner: a Newton step towards where it just does
        light, need = (1, side_rear) if braking else (0, side_front)
        carried = loads[2 * light] + loads[2 * light + 1]
        slope = ability * grip[light] / max(carried, 1.0) * c.cg_height / c.wheelbase
        found = min(found, max(x + (grip[light] * ability - need) / max(slope, 1e-9), 0.0))
        if braking:
            found = min(found, c.brake_max)
        else:
            # the wheels turn faster than the road passes: that part of the engine's power only heats the tyres
            found = min(found, engine / (1.0 + share * along_front + (1.0 - share) * along_rear))
        r = found - x
        if abs(r) < _FORCE_TOLERANCE:
            x = found
            break
        if k == 0 or abs(r - r_old) < 1e-9:
            x_new = found
        else:
            x_new = x - r * (x - x_old) / (r - r_old)
            if not 0.0 <= x_new <= ceiling:
                x_new = min(max(found, 0.0), ceiling)
        x_old, r_old, x = x, r, x_new
    return max(x, 0.0), resist


@njit(cache=True, nogil=True)
def _accel(c: Any, v: float, road: Floats, other: Floats, braking: bool, guess: float, fade: float, work: Floats) -> tuple[float, float]:
    """Acceleration along the line at full effort midway between two stations [m/s2], and the tyre force [N]."""
    curvature = 0.5 * (road[0] + other[0])
    bank = 0.5 * (road[1] + other[1])
    slope = 0.5 * (road[2] + other[2])
    bend = 0.5 * (road[3] + other[3])
    heading = road[4]
    lateral, normal = _demand(v, curvature, bank, slope, bend)
    normal = max(normal, 0.1)
    air = _air_speed(c, v, heading)
    force, resist = force_limit(c, v, air, lateral, normal, curvature, braking, guess, work)
    drag = 0.5 * c.density * air * air * c.drag_area
    total = (-force if braking else force * fade) - resist - drag
    return total / c.mass - GRAVITY * math.sin(slope), force


@njit(cache=True, nogil=True)
def _pass_forward(c: Any, road: Floats, ds: Floats, cap: Floats, v: Floats, start: int, closed: bool, work: Floats) -> float:
    n = v.size
    steps = n if closed else n - 1
    accel, force, wait = 0.0, 1e4, 0.0
    gear = gear_at(c, v[start])
    for k in range(steps):
        i = (start + k) % n
        j = (i + 1) % n
        here = v[i]
        mid = math.sqrt(max(here * here + accel * ds[i], 0.25 * here * here + 1e-6))
        full_dt = ds[i] / max(mid, 0.1)
        lost = min(wait, full_dt)
        wait -= lost
        accel, force = _accel(c, mid, road[i], road[j], False, force, 1.0 - lost / full_dt, work)
        if mid <= 0.2:  # standing start: the predictor has no history yet
            accel, force = _accel(c, 0.5 * math.sqrt(2.0 * max(accel, 0.0) * ds[i]), road[i], road[j], False, force, 1.0, work)
        there = math.sqrt(max(here * here + 2.0 * accel * ds[i], 0.01))
        if there >= cap[j]:
            there = cap[j]
            accel = (there * there - here * here) / (2.0 * ds[i])
            gear = gear_at(c, there)
            wait = 0.0
        elif gear_at(c, there) > gear:
            # the speed lost during the shift must not count as a second shift
            gear = gear_at(c, there)
            wait += c.shift_s
        if k == n - 1:
            return there
        v[j] = there
    return v[n - 1]


@njit(cache=True, nogil=True)
def _coasting(c: Any, v: float, road: Floats, other: Floats, work: Floats) -> float:
    """Loss of speed off the throttle and off the brakes [m/s2], positive."""
    curvature, bank = 0.5 * (road[0] + other[0]), 0.5 * (road[1] + other[1])
    slope, bend = 0.5 * (road[2] + other[2]), 0.5 * (road[3] + other[3])
    lateral, normal = _demand(v, curvature, bank, slope, bend)
    air = _air_speed(c, v, road[4])
    loads, grip = work[0:4], work[4:12]
    wheel_loads(c, air, 0.0, lateral, max(normal, 0.1), loads)
    axle_grip(c, loads, lateral, grip)
    behind, side = c.cg_behind / c.wheelbase, c.mass * abs(lateral)
    _, cross_front, _ = _scrub(c, loads, grip, 0, side * (1.0 - behind), 0.0)
    _, cross_rear, _ = _scrub(c, loads, grip, 1, side * behind, 0.0)
    drag = 0.5 * c.density * air * air * c.drag_area + _rolling(c, loads)
    drag += side * ((1.0 - behind) * cross_front + behind * cross_rear)
    return drag / c.mass + GRAVITY * math.sin(slope)


@njit(cache=True, nogil=True)
def _coast_back(c: Any, road: Floats, ds: Floats, v: Floats, i: int, write: bool, work: Floats) -> bool:
    """Follows the coasting line backwards from station `i`; true if it meets the driven speed within its metres.

    :param write: whether the line replaces the driven speed on the way
    """
    square, left, k = v[i] * v[i], c.coast, i
    while left > 0.0:
        before = (k - 1) % v.size
        square += 2.0 * _coasting(c, math.sqrt(square), road[before], road[k], work) * ds[before]
        left -= ds[before]
        k = before
        if v[k] * v[k] <= square:
            return True
        if write:
            v[k] = math.sqrt(square)
    return False


@njit(cache=True, nogil=True)
def _pass_backward(c: Any, road: Floats, ds: Floats, v: Floats, start: int, closed: bool, work: Floats) -> float:
    n = v.size
    steps = n if closed else n - 1
    accel, force = 0.0, 1e4
    for k in range(steps):
        j = (start - k) % n
        i = (j - 1) % n
        there = v[j]
        if v[i] * v[i] <= there * there:
            # no braking is needed here; a coasting or driven car is slower anyway
            accel = 0.0
            continue
        mid = math.sqrt(max(there * there - accel * ds[i], 1e-6))
        accel, force = _accel(c, min(mid, v[i]), road[i], road[j], True, force, 1.0, work)
        here = math.sqrt(max(there * there - 2.0 * accel * ds[i], 0.01))
        if here < v[i]:
            v[i] = here
            # where the line does not meet the driven speed, that is still higher there: brake earlier
            if c.coast > 0.0 and _coast_back(c, road, ds, v, i, False, work):
                _coast_back(c, road, ds, v, i, True, work)
                accel = 0.0
        else:
            accel = (there * there - v[i] * v[i]) / (2.0 * ds[i])
    return v[start]


@njit(cache=True, nogil=True)
def solve(c: Any, road: Floats, ds: Floats, closed: bool, v_start: float, top: float, out: Floats) -> int:
    """One lap (or one open course) at the limit, into `out` [stations, len(COLUMNS)].

    :param road: per station: curvature [1/m], bank [rad], slope [rad], vertical curvature [1/m], heading [rad],
        grip factor is part of the car's mu
    :param ds: distance to the next station [m]
    :param v_start: speed at the first station of an open course [m/s]
    :param top: speed that the car cannot exceed [m/s]
    :returns: -1 if solved, else the station at which the car cannot hold any speed
    """
    n = ds.size
    work = np.zeros(12)
    cap = np.empty(n)
    guess = top
    for i in range(n):
        r = road[i]
        cap[i] = corner_speed(c, r[0], r[1], r[2], r[3], r[4], top, guess, work)
        guess = cap[i]
        if not cap[i] > 0.5:
            return i
    v = cap.copy()
    start = 0
    if closed:
        start = int(np.argmin(cap))
        first = cap[start]
        for _ in range(6):
            v[:] = cap
            v[start] = first
            end = _pass_forward(c, road, ds, cap, v, start, True, work)
            if abs(end - first) < 1e-7 or end >= cap[start]:
                break
            first = end
    else:
        v[0] = min(v_start, cap[0])
        _pass_forward(c, road, ds, cap, v, 0, False, work)
    _pass_backward(c, road, ds, v, start if closed else n - 1, closed, work)
    _fill(c, road, ds, v, closed, out, work)
    return -1


@njit(cache=True, nogil=True)
def _fill(c: Any, road: Floats, ds: Floats, v: Floats, closed: bool, out: Floats, work: Floats) -> None:
    """Forces, loads, uses, powers and fuel at each station for the speeds found."""
    n = v.size
    loads, grip = work[0:4], work[4:12]
    behind = c.cg_behind / c.wheelbase
    for i in range(n):
        j = (i + 1) % n if closed or i < n - 1 else i
        speed = v[i]
        step = ds[i]
        accel = (v[j] * v[j] - speed * speed) / (2.0 * step)
        curvature, bank = 0.5 * (road[i, 0] + road[j, 0]), 0.5 * (road[i, 1] + road[j, 1])
        slope, bend = 0.5 * (road[i, 2] + road[j, 2]), 0.5 * (road[i, 3] + road[j, 3])
        mid = 0.5 * (speed + v[j])
        dt = step / max(mid, 0.05)
        lateral, normal = _demand(mid, curvature, bank, slope, bend)
        normal = max(normal, 0.1)
        air = _air_speed(c, mid, road[i, 4])
        drag = 0.5 * c.density * air * air * c.drag_area
        need = c.mass * (accel + GRAVITY * math.sin(slope)) + drag
        side = c.mass * abs(lateral)
        side_front, side_rear = side * (1.0 - behind), side * behind
        rub_front = rub_rear = 0.0
        force, roll = need, 0.0
        use_front = use_rear = cross_front = cross_rear = along_front = along_rear = 0.0
        share = c.drive_front
        for _ in range(3):
            share = c.drive_front if force >= 0.0 else c.brake_front
            wheel_loads(c, air, force, lateral, normal, loads)
            axle_grip(c, loads, lateral, grip)
            twist, rub_front, rub_rear = _twist(c, loads, grip, max(force, 0.0), mid, curvature)
            side_front, side_rear = side * (1.0 - behind) + twist, max(side * behind - twist, 0.0)
            use_front, cross_front, along_front = _scrub(c, loads, grip, 0, side_front, abs(force) * share)
            use_rear, cross_rear, along_rear = _scrub(c, loads, grip, 1, side_rear, abs(force) * (1.0 - share))
            roll = _rolling(c, loads)
            last = force
            force = need + roll + side_front * cross_front + side_rear * cross_rear + rub_front + rub_rear
            if abs(force - last) < _FORCE_TOLERANCE:
                break
        front_force, rear_force = abs(force) * share, abs(force) * (1.0 - share)
        slide_front = (side_front * cross_front + front_force * along_front + rub_front) * mid
        slide_rear = (side_rear * cross_rear + rear_force * along_rear + rub_rear) * mid
        row = out[i]
        row[0], row[1], row[2] = speed, accel, lateral
        row[3] = gear_at(c, speed)
        engine = 0.0
        if force > 0.0:
            engine = force * mid + (front_force * along_front + rear_force * along_rear) * mid
            row[4] = min(engine / max(mid * thrust_at(c, mid), 1e-9), 1.0)
            row[5] = 0.0
            row[21] = 0.0
        else:
            row[4] = 0.0
            row[5] = min(-force / c.brake_max, 1.0)
            row[21] = -force * mid - (front_force * along_front + rear_force * along_rear) * mid
        for w in range(4):
            row[6 + w] = loads[w]
            axle = w // 2
            slide = slide_front if axle == 0 else slide_rear
            row[13 + w] = slide * grip[4 + w] / max(grip[axle], 1e-9)
        row[10], row[11] = use_front, use_rear
        row[12] = 100.0 * (use_front - use_rear)
        row[17] = engine / c.efficiency * c.fuel_l_per_j * dt
        row[18], row[19], row[20] = engine, drag * mid, roll * mid
        row[22] = dt if closed or i < n - 1 else 0.0


def warm() -> None:
    """Compile, or load from the cache, everything that a request may need."""
    car = np.zeros(1, dtype=CAR)
    for name in ("mass", "wheelbase", "track_front", "track_rear", "brake_max", "efficiency", "ability", "ability_brake"):
        car[name] = 1.0
    for name in ("static", "mu", "load_ref", "best_kpa", "mu_long", "stiffness"):
        car[name] = 1.0
    car["cg_behind"] = 0.5
    road = np.zeros((4, 5))
    solve(car[0], road, np.ones(4), True, 1.0, 10.0, np.zeros((4, len(COLUMNS))))
