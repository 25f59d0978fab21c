"""Ride: natural frequencies, damping ratios and clearance. None of it enters the lap time; it feeds advice and warnings."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...circuit.conditions import GRAVITY
from ...circuit.line import Line
from ...lap.assembly import sinking, wheel_rate_n_per_mm
from ...lap.solver import Lap
from ...vehicle.car import Axle, Car
from ...vehicle.weights import weights

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class RideEnd:
    """One axle on its springs.

    :param wheel_n_per_mm: rate of springs at one wheel, the mean of both [N/mm]
    :param ride_hz: natural frequency of the body over this axle, tyre in series [Hz]
    :param wheel_hop_hz: natural frequency of the wheel between road and body [Hz]
    :param ratios: damping ratio in slow bump, fast bump, slow rebound, fast rebound, the mean of both sides [-]
    """

    axle: str
    wheel_n_per_mm: float
    ride_hz: float
    wheel_hop_hz: float
    ratios: tuple[float, float, float, float]


@dataclass(frozen=True)
class Clearance:
    """How near the floor comes to the road at one axle over a lap.

    :param least_mm: least height of the floor above the road [mm]
    :param at_m: where, along the lap [m]
    :param pressed_mm: how far air, crests, dips and braking press it down there [mm]
    :param touches: bumps of the circuit (distance along the lap [m], height [mm]) higher than what is left there
    :param struck_mm: how far the worst of them reaches into the floor; 0 where none does [mm]
    """

    axle: str
    least_mm: float
    at_m: float
    pressed_mm: float
    touches: tuple[tuple[float, float], ...]
    struck_mm: float = 0.0


def ride_ends(car: Car) -> list[RideEnd]:
    """Both axles; empty for a car without springs.

    f = sqrt(k/m)/(2 pi) with wheel rate k_w and tyre rate in series; zeta = c/(2 sqrt(k m)) with the damper's rate at the
    wheel (Milliken & Milliken, Race Car Vehicle Dynamics, ch. 16 and 22).
    """
    weight = weights(car)
    loads = weight.static_n[0] + weight.static_n[1], weight.static_n[2] + weight.static_n[3]
    unsprung = car.mass.unsprung_front_kg, car.mass.unsprung_rear_kg
    ends = []
    for name, axle, load, hung in zip(("front", "rear"), (car.front, car.rear), loads, unsprung, strict=True):
        if axle.rigid:
            continue
        mass = max(0.5 * (load / GRAVITY - hung), 1.0)
        k, tyre = wheel_rate_n_per_mm(axle) * 1000.0, axle.tyre_n_per_mm * 1000.0
        body = k * tyre / (k + tyre)
        hop = math.sqrt((k + tyre) / max(0.5 * hung, 1.0)) / (2 * math.pi)
        critical = 2.0 * math.sqrt(body * mass)
        ratios = []
        for field in ("bump_slow", "bump_fast", "rebound_slow", "rebound_fast"):
            rate = 0.5 * sum(getattr(damper, field) for damper in axle.damper) * 1000.0 * axle.motion_ratio**2
            ratios.append(rate / critical)
        ends.append(RideEnd(name, k / 1000.0, math.sqrt(body / mass) / (2 * math.pi), hop, (ratios[0], ratios[1], ratios[2], ratios[3])))
    return ends


def clearances(car: Car, lap: Lap, line: Line, bumps: Sequence[tuple[float, float]] = ()) -> list[Clearance]:
    """Clearance of both axles over a lap; empty for a car without springs.

    The body sinks by what the axle carries beyond its static load over the rate of springs (and bump stops) and tyres in series,
    as if it had time to settle: over short bumps that is an estimate from the slow side.

    Source: M ch. 15 and 16: static height less load over wheel rate.

    :param bumps: distance along the lap [m] and height [mm] of each bump
    """
    static = weights(car).static_n
    found = []
    for name, axle, wheels, height in zip(
        ("front", "rear"), (car.front, car.rear), (("fl", "fr"), ("rl", "rr")), (car.aero.ride_front_mm, car.aero.ride_rear_mm), strict=True
    ):
        if axle.rigid:
            continue
        rest = sum(static[:2]) if name == "front" else sum(static[2:])
        sunk = _sunk_mm(axle, lap.column(f"load_{wheels[0]}") + lap.column(f"load_{wheels[1]}") - rest)
        lowest = int(np.argmax(sunk))
        left = [(at, high, float(height - sunk[int(np.argmin(np.abs(line.s - at)))])) for at, high in bumps]
        touches = tuple((at, high) for at, high, over in left if high > over)
        struck = max([0.0, *(high - over for _, high, over in left)])
        found.append(Clearance(name, float(height - sunk[lowest]), float(line.s[lowest]), float(sunk[lowest]), touches, struck))
    return found


def _sunk_mm(axle: Axle, extra_n: Floats) -> Floats:
    """How far an axle sinks under what it carries beyond its static load [mm]: springs, then bump stops, in series with the tyres."""
    soft, hard, stop = sinking(axle)
    return np.asarray(np.where(extra_n > soft * stop, stop + (extra_n - soft * stop) / hard, extra_n / soft))


def sunk_mm(car: Car, end: int, load_n: float) -> float:
    """How far an axle with springs sinks under a load [mm].

    :param end: 0 the front, 1 the rear
    :param load_n: what both of its wheels carry [N]
    """
    static = weights(car).static_n
    axle = (car.front, car.rear)[end]
    return float(_sunk_mm(axle, np.array([load_n - sum(static[2 * end : 2 * end + 2])]))[0])
