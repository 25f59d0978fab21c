"""Corners of a surveyed circuit keep their numbers whatever line is driven through them."""

import numpy as np
import pytest

from apexcore.circuit.line import corners, half_room_m, least_curvature, offset_line, racing_line
from apexcore.circuit.lines import least_length
from apexcore.circuit.track import Circuit, centre_line
from tests.conftest import demo_circuit


def surveyed(name: str) -> Circuit:
    """A demo circuit as points, without its segments."""
    circuit = demo_circuit(name)
    line = centre_line(circuit, 8.0)
    points = tuple((float(x), float(y), float(z)) for x, y, z in zip(line.x, line.y, line.z, strict=True))
    return circuit.model_copy(update={"segments": (), "points_m": points, "markers": (), "sectors_m": (), "strips": ()})


@pytest.mark.parametrize("name", ["sallowmere_fen", "quernlow"])
def test_every_line_has_the_same_corners(name: str) -> None:
    circuit = surveyed(name)
    centre = centre_line(circuit)
    half = half_room_m(circuit.width_m, 1.2)
    rng = np.random.default_rng(2)
    wavy = 0.5 * half * np.sin(np.arange(len(centre.x)) * centre.ds / 35.0 + rng.uniform(0, 6))
    lines = [
        racing_line(circuit), racing_line(circuit, car_width_m=1.3), offset_line(centre, np.zeros(len(centre.x))),
        offset_line(centre, least_length(centre, half)), offset_line(centre, wavy), offset_line(centre, -least_curvature(centre, half)),
    ]  # fmt: skip
    known = [(span.number, span.first, span.last, span.turn_deg) for span in corners(circuit, lines[0])]
    assert len(known) >= 6
    for line in lines:
        found = corners(circuit, line)
        assert [(span.number, span.first, span.last, span.turn_deg) for span in found] == known
        assert all(span.first <= span.apex <= span.last and span.radius_m > 0.0 for span in found)


def test_a_road_too_narrow_for_a_usual_car_still_has_corners() -> None:
    circuit = surveyed("quernlow").model_copy(update={"width_m": 2.4})
    assert len(corners(circuit, racing_line(circuit, car_width_m=1.3))) >= 6
