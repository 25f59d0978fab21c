"""Lines as geometry, and the table the solver reads."""

import math

import numpy as np
import pytest

from apexcore.circuit.line import coarser, half_room_m, least_curvature, offset_line, racing_line
from apexcore.circuit.track import CentreLine, Circuit, centre_line, mirrored


def round_track(radius: float, n: int = 720) -> CentreLine:
    angle = np.arange(n) * 2 * math.pi / n
    flat = np.zeros(n)
    return CentreLine(radius * np.sin(angle), -radius * np.cos(angle), flat, np.full(n, 1 / radius), flat, 2 * math.pi * radius / n)


@pytest.mark.parametrize("offset", [-4.0, 0.0, 3.5])
def test_an_offset_circle_is_a_circle_of_another_radius(offset: float) -> None:
    line = offset_line(round_track(100.0), np.full(720, offset))
    assert line.road[:, 0] == pytest.approx(np.full(720, 1 / (100.0 - offset)), rel=1e-4)
    assert line.length_m == pytest.approx(2 * math.pi * (100.0 - offset), rel=1e-4)


def test_on_a_circle_the_widest_line_has_the_least_curvature() -> None:
    assert least_curvature(round_track(100.0, 240), 4.0) == pytest.approx(np.full(240, -4.0), abs=0.02)


def test_the_racing_line_stays_on_the_road_and_beats_the_centre(circuit: Circuit) -> None:
    line, centre = racing_line(circuit), centre_line(circuit)
    assert np.abs(line.offset).max() <= half_room_m(circuit.width_m) + 1e-9
    middle = offset_line(centre, np.zeros(len(centre.x)))
    assert float((line.road[:, 0] ** 2 * line.ds).sum()) < 0.7 * float((middle.road[:, 0] ** 2 * middle.ds).sum())


def test_no_small_move_of_the_line_is_straighter(circuit: Circuit) -> None:
    """Brute force: bumps of both signs at many places never lower the bending by more than the stopping rule allows."""
    centre = centre_line(circuit)
    best = least_curvature(centre, half_room_m(circuit.width_m))
    half = half_room_m(circuit.width_m)

    def bending(offset: np.ndarray) -> float:
        line = offset_line(centre, offset)
        return float((line.road[:, 0] ** 2 * line.ds).sum())

    base, at = bending(best), np.arange(len(best))
    for index in range(0, len(best), 97):
        bump = np.exp(-0.5 * ((at - index) / 12.0) ** 2)
        for size in (-0.15, 0.15):
            assert bending(np.clip(best + size * bump, -half, half)) > base * (1 - 2e-4)


def test_heights_and_slopes_belong_together(circuit: Circuit) -> None:
    line = racing_line(circuit)
    rise = np.tan(line.road[:, 2]) * line.ds
    assert float(rise.sum()) == pytest.approx(0.0, abs=1e-6)
    assert float(line.z.max() - line.z.min()) > 10.0


def test_total_turn_is_one_round(circuit: Circuit) -> None:
    line = racing_line(circuit)
    middle = 0.5 * (line.ds + np.roll(line.ds, 1))
    assert abs(float((line.road[:, 0] * middle).sum())) == pytest.approx(2 * math.pi, rel=1e-6)


def test_a_mirror_turns_the_other_way(circuit: Circuit) -> None:
    here, there = racing_line(circuit), racing_line(mirrored(circuit))
    assert there.road[:, 0] == pytest.approx(-here.road[:, 0], abs=1e-6)
    assert there.length_m == pytest.approx(here.length_m, abs=1e-5)


def test_a_coarser_line_is_as_long(circuit: Circuit) -> None:
    line = racing_line(circuit)
    assert coarser(line, 5).length_m == pytest.approx(line.length_m, rel=1e-9)
    assert len(coarser(line, 5).ds) == math.ceil(len(line.ds) / 5)
