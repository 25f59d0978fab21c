"""Where an energy store is best spent, by a dynamic programme over way, speed and energy that shares nothing with the product's search.

Straights are those of a lap that is given: from where the throttle is wide open to where the next corner is braked for. On each the
programme drives a point mass by its own steps; what each energy takes there is put together over the lap by another programme.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import Line
from apexcore.lap.assembly import TABLE_SPEEDS, aero_areas, gear_thrust
from apexcore.lap.solver import Lap
from apexcore.vehicle.car import Car
from apexcore.vehicle.weights import weights

Floats = NDArray[np.float64]
#: Way of one decision [m], steps of a straight's energy, and speeds.
_BLOCK_M, _ENERGIES, _SPEEDS = 20.0, 60, 90


@dataclass
class _Straight:
    """:param stations: of the lap, in driving order
    :param takes: time by energy [s]
    :param spends: block by block, by energy: whether the store drives there"""

    stations: NDArray[np.int64]
    takes: Floats
    spends: NDArray[np.bool_]


def straights(lap: Lap, closed: bool) -> list[NDArray[np.int64]]:
    """Stations of each straight, in driving order: throttle open, upshifts among it."""
    full, brake = lap.column("throttle") >= 0.98, lap.column("brake") > 0.01
    n = len(full)
    begin = int(np.argmin(lap.column("speed"))) if closed else 0
    found: list[list[int]] = [[]]
    for k in range(n):
        i = (begin + k) % n
        if full[i] or (found[-1] and not brake[i] and any(full[(i + more) % n] for more in range(1, 7))):
            found[-1].append(i)
        elif found[-1]:
            found.append([])
    return [np.array(one) for one in found if len(one) > 12]


def spent_by_programme(car: Car, line: Line, lap: Lap, conditions: Conditions, budget_kj: float) -> Floats:
    """Share of the store's power at each station.

    :param lap: of the same car without its store
    """
    unit = 1000.0 * budget_kj / _ENERGIES
    parts = [_straight(car, line, lap, conditions, stations, unit) for stations in straights(lap, line.closed)]
    # one straight after the other: least time by what was spent up to it
    best = np.full(_ENERGIES + 1, np.inf)
    best[0] = 0.0
    chosen: list[NDArray[np.int64]] = []
    for part in parts:
        after, choice = np.full(_ENERGIES + 1, np.inf), np.zeros(_ENERGIES + 1, dtype=np.int64)
        for there in range(_ENERGIES + 1):
            times = best[: there + 1] + part.takes[there::-1][: there + 1]
            choice[there] = there - int(np.argmin(times))
            after[there] = times.min()
        best = after
        chosen.append(choice)
    share, left = np.zeros(len(line.s)), int(np.argmin(best))
    for part, choice in zip(reversed(parts), reversed(chosen), strict=True):
        here = int(choice[left])
        blocks = np.repeat(part.spends[here], -(-len(part.stations) // len(part.spends[here])))[: len(part.stations)]
        share[part.stations] = blocks
        left -= here
    return share


def _straight(car: Car, line: Line, lap: Lap, conditions: Conditions, stations: NDArray[np.int64], unit_j: float) -> _Straight:
    mass, speed = weights(car).mass_kg, lap.column("speed")
    drag = 0.5 * conditions.air_density * aero_areas(car)[0]
    thrust = gear_thrust(car, TABLE_SPEEDS, conditions.power_factor).max(axis=0)
    per = max(round(_BLOCK_M / float(line.ds[stations].mean())), 1)
    blocks = -(-len(stations) // per)
    ways = [float(line.ds[stations[k * per : (k + 1) * per]].sum()) for k in range(blocks)]
    # what the point mass misses of the lap's own resistance, place by place (rolling, scrub, climb, upshifts)
    own = (np.interp(speed, TABLE_SPEEDS, thrust) - drag * speed**2) / mass
    other = lap.column("accel") - own
    misses = [float(np.average(other[stations[k * per : (k + 1) * per]], weights=lap.column("time")[stations[k * per : (k + 1) * per]])) for k in range(blocks)]  # fmt: skip
    # the curve of braking that ends it, carried on backwards as steep as it begins
    n, last = len(speed), int(stations[-1])
    held = -float(np.median(lap.column("accel")[[(last + k) % n for k in range(2, 10)]])) if line.closed else 0.0
    to_go = np.array([sum(ways[k:]) for k in range(blocks + 1)])
    most = np.sqrt(speed[last] ** 2 + 2.0 * max(held, 0.0) * to_go) if held > 1.0 else np.full(blocks + 1, np.inf)

    grid = np.linspace(0.6 * speed[stations].min(), 1.25 * speed[stations].max() + 8.0, _SPEEDS)
    energies = unit_j * np.arange(_ENERGIES + 1)
    value = np.zeros((_SPEEDS, _ENERGIES + 1))  # time to go by speed and energy that is left
    policies = []
    power = 1000.0 * car.boost.power_kw
    for k in range(blocks - 1, -1, -1):
        options = []
        for on in (0.0, 1.0):
            v, took, used = np.minimum(grid, most[k]), np.zeros(_SPEEDS), np.zeros(_SPEEDS)
            for _ in range(4):
                force = np.interp(v, TABLE_SPEEDS, thrust) + on * power / np.maximum(v, 10.0)
                a = (force - drag * v**2) / mass + misses[k]
                after = np.minimum(np.sqrt(np.maximum(v**2 + 2.0 * a * ways[k] / 4, 1.0)), most[k + 1])
                dt = ways[k] / 4 / (0.5 * (v + after))
                took, used, v = took + dt, used + on * power * dt, after
            left = energies[None, :] - used[:, None]
            at_v = np.clip(np.interp(v, grid, np.arange(_SPEEDS)), 0, _SPEEDS - 1.001)
            at_e = np.clip(left / unit_j, 0, _ENERGIES - 0.001)
            i, j = at_v.astype(int)[:, None], at_e.astype(int)
            a, b = at_v[:, None] - i, at_e - j
            later = (1 - a) * ((1 - b) * value[i, j] + b * value[i, j + 1]) + a * ((1 - b) * value[i + 1, j] + b * value[i + 1, j + 1])
            options.append(np.where(left < -0.5 * unit_j, np.inf, took[:, None] + later))
        policies.append(options[1] < options[0] - 1e-9)
        value = np.minimum(options[0], options[1])
    policies.reverse()
    begin = float(speed[stations[0]])
    takes, spends = np.empty(_ENERGIES + 1), np.zeros((_ENERGIES + 1, blocks), dtype=bool)
    for e in range(_ENERGIES + 1):
        now, left_j, total = begin, float(energies[e]), 0.0
        for k in range(blocks):
            at_now, at_left = int(np.argmin(np.abs(grid - now))), int(np.clip(round(left_j / unit_j), 0, _ENERGIES))
            on = 1.0 if policies[k][at_now, at_left] and left_j > 0.0 else 0.0
            spends[e, k] = on > 0.0
            for _ in range(4):
                pull = (np.interp(now, TABLE_SPEEDS, thrust) + on * power / max(now, 10.0) - drag * now * now) / mass + misses[k]
                then = min(float(np.sqrt(max(now * now + 2.0 * pull * ways[k] / 4, 1.0))), float(most[k + 1]))
                dt = ways[k] / 4 / (0.5 * (now + then))
                total, left_j, now = total + dt, left_j - on * power * dt, then
        takes[e] = total
    return _Straight(stations, np.minimum.accumulate(takes), spends)
