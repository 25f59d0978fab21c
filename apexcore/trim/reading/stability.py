"""How firmly a car holds its course: its yaw margin at top speed and on the way into corners."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...circuit.conditions import GRAVITY
from ...circuit.line import CornerSpan
from ...circuit.places import FLAP
from ...lap import kernel
from ...lap.assembly import without_tyres
from ...lap.solver import COLUMN, Lap, LapCase
from ...vehicle.car import Car
from ...vehicle.weights import weights
from .balance import braking_steps, slowest_station

Floats = NDArray[np.float64]

#: Share of a corner's lateral acceleration from which on its entry is read (before that the wheel is straight), share of the brakes that is
#: braking at all [-], and least time of an entry [s].
_TURNED, _BRAKED, _LEAST_S = 0.2, 0.02, 0.05


@dataclass(frozen=True)
class Stability:
    """Yaw margins: how far behind the centre of gravity the tyres hold a car, over its wheelbase; below 0 it turns round by itself.

    :param top_pct: at the lap's top speed [%]
    :param entry_pct: on the way into the corner where it is least, braking and turning, its mean over the time that takes [%]; None where
        no corner is braked into
    :param corner: that one
    """

    top_pct: float
    entry_pct: float | None
    corner: int


def yaw_margins(lap_case: LapCase, car: Car, lap: Lap) -> Floats:
    """Static margin at each station over the wheelbase [-]: (b C_r - a C_f)/(L (C_f + C_r)).

    C is what an axle's side force still grows by with its slip angle: by the brush model C0 (1 - u)^(2/3) at a use u of its grip, C0 its
    cornering stiffness at the loads there (Milliken & Milliken, ch. 5; Pacejka, Tire and Vehicle Dynamics, ch. 1 and 3).
    """
    behind, length = weights(car).cg_from_front_m, car.wheelbase_m
    stiff = []
    for axle, name in enumerate(("front", "rear")):
        load = lap.data[:, COLUMN["load_fl"] + 2 * axle] + lap.data[:, COLUMN["load_fl"] + 2 * axle + 1]
        left = np.clip(1.0 - lap.column(f"{name}_utilisation"), 1e-6, 1.0)
        stiff.append(lap_case.compounds[axle].stiffness_per_rad * load * left ** (2.0 / 3.0))
    front, rear = stiff
    return np.asarray(((length - behind) * rear - behind * front) / (length * np.maximum(front + rear, 1e-9)))


def _straight_margin(lap_case: LapCase, car: Car, lap: Lap) -> float:
    """`yaw_margins` at a lap's top speed on a level straight, where next to nothing of the grip is used [-]; a drag flap as it is there."""
    there = int(np.argmax(lap.column("speed")))
    speed_ms, flap = float(lap.column("speed")[there]), float(lap_case.line.places[0][there, FLAP])
    record = without_tyres(car, lap_case.conditions, lap_case.driver, lap_case.tow)[0]
    drag = 0.5 * record["density"] * (record["drag_area"] - flap * record["flap_drag"]) * speed_ms**2
    loads = kernel.wheel_loads(record, speed_ms, float(drag), 0.0, GRAVITY, 0.0, flap)
    front, rear = (lap_case.compounds[axle].stiffness_per_rad * sum(loads[2 * axle : 2 * axle + 2]) for axle in range(2))
    behind = float(record["cg_behind"])
    return float(((car.wheelbase_m - behind) * rear - behind * front) / (car.wheelbase_m * (front + rear)))


def stability(lap_case: LapCase, car: Car, lap: Lap, spans: Sequence[CornerSpan]) -> Stability:
    """Yaw margin at top speed and on the entry where it is least."""
    margins, n = yaw_margins(lap_case, car, lap), len(lap.data)
    lateral, brake, dt = np.abs(lap.column("lateral")), lap.column("brake"), lap.column("time")
    entries: list[tuple[float, int]] = []
    for span in spans:
        apex = slowest_station(lap, span)
        way = (apex - np.arange(1, braking_steps(lap, apex, n // 3) + 1)) % n
        way = way[(brake[way] > _BRAKED) & (lateral[way] > _TURNED * lateral[apex])]
        if dt[way].sum() > _LEAST_S:
            entries.append((float(np.average(margins[way], weights=dt[way])), span.number))
    least, corner = min(entries, default=(0.0, 0))
    return Stability(100.0 * _straight_margin(lap_case, car, lap), 100.0 * least if entries else None, corner)
