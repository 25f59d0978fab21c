import math

import numpy as np
import pytest
from pydantic import ValidationError

from apexcore.circuit.conditions import Conditions, air_density, saturation_hpa
from apexcore.circuit.line import CornerSpan, Line, least_curvature, offset_line
from apexcore.circuit.lines import widest_line
from apexcore.circuit.track import Circuit, Corner, Straight, centre_line, closed_segments
from apexcore.errors import InputError


def box(radius: float = 40.0, width: float = 12.3, straight: float = 200.0) -> Circuit:
    side = [Straight(length_m=straight), Corner(angle_deg=90, radius_m=radius, transition_m=0)]
    return Circuit(key="box", name="Box", layout="square", width_m=width, segments=tuple(side * 4))


def test_the_lap_closes(circuit: Circuit) -> None:
    line = centre_line(circuit)
    gaps = np.hypot(np.diff(line.x, append=line.x[0]), np.diff(line.y, append=line.y[0]))
    assert gaps == pytest.approx(np.full(len(gaps), line.ds), rel=0.01)
    assert line.length_m == pytest.approx(sum_of(closed_segments(circuit)), rel=1e-3)


def sum_of(circuit: Circuit) -> float:
    return sum(
        segment.length_m
        if isinstance(segment, Straight)
        else math.radians(abs(segment.angle_deg)) * segment.radius_m + segment.transition_m
        for segment in circuit.segments
    )


def test_a_square_has_the_length_of_its_parts() -> None:
    assert centre_line(box()).length_m == pytest.approx(4 * 200 + 2 * math.pi * 40, rel=1e-3)


def test_least_curvature_beats_the_largest_tangent_arc_through_a_right_angle() -> None:
    """The arc tangent to both outer edges that touches the inner one, R = ((r+w) sqrt2 - (r-w))/(sqrt2 - 1), is allowed.

    The integral of squared curvature of the line found must not exceed the arc's, (pi/2)/R a corner, nor fall below that
    of the same turn spread over the whole quarter lap.
    """
    circuit = box(radius=30.0, width=12.3, straight=400.0)
    line = centre_line(circuit, 2.0)
    offset = least_curvature(line, 5.0)
    root = math.sqrt(2)
    largest = ((30 + 5) * root - (30 - 5)) / (root - 1)
    found = offset_line(line, offset)
    bending = float((found.road[:, 0] ** 2 * found.ds).sum()) / 4
    assert (math.pi / 2) ** 2 / (found.length_m / 4) < bending <= math.pi / 2 / largest
    assert np.abs(offset).max() <= 5.0 + 1e-9


def test_the_widest_line_through_a_right_angle_is_the_largest_tangent_arc() -> None:
    """R = ((r+w) sqrt2 - (r-w))/(sqrt2 - 1) for a road of half width w about a centre line of radius r."""
    circuit, root = box(radius=30.0, width=12.3, straight=200.0), math.sqrt(2)
    largest = ((30 + 5) * root - (30 - 5)) / (root - 1)
    line = widest_line(circuit)
    assert 1.0 / np.abs(line.road[:, 0]).max() == pytest.approx(largest, rel=0.01)
    assert np.abs(line.offset).max() <= 5.0 + 1e-9


def test_corners_are_numbered_and_hold_their_apex(spans: list[CornerSpan], line: Line) -> None:
    assert [span.number for span in spans] == list(range(1, 10))
    for span in spans:
        assert span.first <= span.apex <= span.last < len(line.s)
        assert math.copysign(1, span.turn_deg) == math.copysign(1, line.road[span.apex, 0])


@pytest.mark.parametrize(
    ("segments", "words"),
    [
        ([Straight(length_m=100), Corner(angle_deg=90, radius_m=20), Straight(length_m=100)], "corners that add up to 360"),
        (
            [Straight(length_m=100), Corner(angle_deg=180, radius_m=200), Straight(length_m=90), Corner(angle_deg=180, radius_m=20)],
            "a lap that closes",
        ),
    ],
)
def test_a_lap_that_cannot_close_is_refused(segments: list[Straight | Corner], words: str) -> None:
    with pytest.raises(InputError, match=words):
        closed_segments(Circuit(key="open", name="Open", layout="one", width_m=10, segments=tuple(segments)))


def test_transitions_need_room() -> None:
    with pytest.raises(ValidationError, match="leave no room"):
        Corner(angle_deg=10, radius_m=20, transition_m=50)


def test_air_has_its_textbook_density() -> None:
    assert air_density(15.0, 1013.25, 0.0) == pytest.approx(1.225, rel=1e-3)  # ISO 2533 at sea level
    assert saturation_hpa(20.0) == pytest.approx(23.37, rel=5e-3)  # WMO tables
    assert air_density(30.0, 1013.25, 90.0) < air_density(30.0, 1013.25, 10.0)
    assert Conditions(air_c=25.0, pressure_hpa=990.0, humidity_pct=30.0).power_factor == pytest.approx(1.0)
