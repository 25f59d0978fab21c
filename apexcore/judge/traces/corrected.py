"""A circuit that was made of recorded laps, corrected by further ones: each lap counts as much as any other."""

import math

import numpy as np

from ...circuit.points import MOST_SURVEYED
from ...circuit.track import Circuit
from ...errors import InputError
from .frame import Base, laid_on, scale_fits
from .survey import Survey


def corrected(circuit: Circuit, survey: Survey) -> Circuit:
    """A circuit as the mean of the laps that made it and of those of a survey.

    The survey's line is laid on the circuit; every point of the circuit moves towards it, across, by the survey's share of all laps, and
    the whole is scaled by the same share of what the two differ in length.

    :raises InputError: if the circuit was not made of laps, the survey has no new one, or does not lie on it
    """
    if not circuit.points_m or not circuit.surveyed:
        raise InputError(f"circuit {circuit.name}", "not made of recorded laps", "one that was, which further laps correct")
    new = [key for key in survey.driven if key not in circuit.surveyed]
    if not new:
        raise InputError(f"circuit {circuit.name}", "these laps, which it is made of already", "laps that are not in it yet")
    points = np.array(circuit.points_m)
    old = points[:, 0] + 1j * points[:, 1]
    frame = laid_on(survey.x, survey.y, _base(old, circuit.width_m))
    if frame.backwards:
        raise InputError(f"circuit {circuit.name}", "laps in the other direction", "laps in its direction")
    if not scale_fits(frame):
        raise InputError(f"circuit {circuit.name}", f"positions {100 * (1 / frame.scale - 1):+.0f} % as large", "laps of this circuit")
    share = len(new) / (len(new) + len(circuit.surveyed))
    ring = _base(frame.laid(survey.x, survey.y), circuit.width_m)
    place, _ = ring.project(old, _near(old, ring, frame.start_m))
    moved = old + share * (ring.at(place) - old)
    moved = moved[0] + (moved - moved[0]) * frame.scale ** (-share)
    rows = tuple((round(float(z.real), 3), round(float(z.imag), 3), float(height)) for z, height in zip(moved, points[:, 2], strict=True))
    spread = math.hypot((1.0 - share) * circuit.lap_spread, share * survey.lap_spread)
    surveyed = (*circuit.surveyed, *new)[-MOST_SURVEYED:]
    return circuit.model_copy(update={"points_m": rows, "surveyed": surveyed, "lap_spread": round(spread, 5)})


def _base(z: np.ndarray, width_m: float) -> Base:
    """A ring of points as a line along which places are told."""
    way = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(np.append(z, z[0]))))])
    return Base(z.real, z.imag, way[:-1], np.zeros(len(z)), float(way[-1]), width_m)


def _near(old: np.ndarray, ring: Base, start_m: float) -> np.ndarray:
    """Where along the survey's ring each point of the circuit should be.

    :param start_m: where on the circuit the survey begins [m]
    """
    way = _base(old, ring.width_m)
    return np.asarray((way.s - start_m) / way.length_m * ring.length_m)
