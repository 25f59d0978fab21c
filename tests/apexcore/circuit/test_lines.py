"""The short way, blends, late apexes and lanes, against geometry and each other."""

import itertools
import math
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import Line, corners, half_room_m, offset_line, racing_line
from apexcore.circuit.lines import blended_line, lane_line, late_line, least_length, short_line
from apexcore.circuit.track import Circuit, centre_line
from apexcore.errors import InputError
from apexcore.lap.solver import solve_lap
from apexcore.vehicle.sheet import base_sheet
from tests.apexcore.circuit.test_circuit import box
from tests.apexcore.circuit.test_line import round_track
from tests.conftest import DEMO, demo_lap_case


@pytest.fixture(scope="module")
def oval() -> Circuit:
    return Circuit.model_validate_json((DEMO / "circuits" / "hollin_bowl.json").read_text())


def bending(line: Line) -> float:
    return float((line.road[:, 0] ** 2 * line.ds).sum())


def test_on_a_circle_the_short_way_is_the_inside() -> None:
    assert least_length(round_track(100.0, 240), 4.0) == pytest.approx(np.full(240, 4.0), abs=0.02)


def test_round_a_square_the_short_way_cuts_to_the_inner_corners() -> None:
    """The tightest loop inside a square ring touches its inner corner arcs and runs straight between: its length is known."""
    circuit = box(radius=30.0, width=12.3, straight=200.0)
    line = centre_line(circuit, 1.0)
    found = offset_line(line, least_length(line, 5.0)).length_m
    # straights of 200 m between quarter circles of radius 25
    assert found == pytest.approx(4 * 200.0 + 2 * math.pi * 25.0, rel=1e-3)


def test_no_line_on_the_road_is_shorter(circuit: Circuit) -> None:
    short = short_line(circuit)
    assert short.length_m < racing_line(circuit).length_m
    assert np.abs(short.offset).max() <= half_room_m(circuit.width_m) + 1e-9
    line, rng, half = centre_line(circuit), np.random.default_rng(2), half_room_m(circuit.width_m)
    at = np.arange(len(short.offset))
    for index in rng.integers(0, len(at), 12):
        bump = np.exp(-0.5 * ((at - index) / 15.0) ** 2)
        for size in (-0.2, 0.2):
            assert offset_line(line, np.clip(short.offset + size * bump, -half, half)).length_m > short.length_m - 1e-3


def test_a_blend_lies_between_its_ends(circuit: Circuit) -> None:
    lines = [blended_line(circuit, share) for share in (0.0, 0.5, 1.0)]
    lengths, bends = [line.length_m for line in lines], [bending(line) for line in lines]
    assert lengths == sorted(lengths, reverse=True)
    assert bends == sorted(bends)
    with pytest.raises(InputError, match="share of the short way"):
        blended_line(circuit, 1.4)


def test_a_late_apex_opens_the_exit_and_tightens_the_entry(circuit: Circuit) -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    width = lap_case.car.width_m
    usual, late = racing_line(circuit, car_width_m=width), late_line(circuit, car_width_m=width)
    assert lap_case.line.length_m == pytest.approx(usual.length_m)
    later = 0
    for span in spans:
        half = (span.first + span.last) // 2
        entry = [float((line.road[span.first : half, 0] ** 2).sum()) for line in (usual, late)]
        out = [float((line.road[half : span.last, 0] ** 2).sum()) for line in (usual, late)]
        later += entry[1] > entry[0] and out[1] < out[0]
    assert later >= len(spans) - 2
    assert bending(late) > bending(usual)


def test_lanes_of_an_oval_differ_by_their_radius(oval: Circuit) -> None:
    """Kept about the middle of the turns, each a lane's width out of the one inside; between them all use the road from wall to wall."""
    lanes, half = [lane_line(oval, lane, 4) for lane in (1, 2, 3, 4)], half_room_m(oval.width_m)
    for span in corners(oval, lanes[0]):
        places = [float(line.offset[(span.first + span.last) // 2]) for line in lanes]
        for lane, place in enumerate(places, start=1):
            assert half * (1.0 - 2.0 * lane / 4) - 1e-6 <= place <= half * (1.0 - 2.0 * (lane - 1) / 4) + 1e-6, lane
    for inner, outer in itertools.pairwise(lanes):
        assert 0.0 < outer.length_m - inner.length_m < 2 * math.pi * 2 * half / 3
        assert outer.offset.min() < -half + 0.6 and inner.offset.min() < 0.0
    for lane, lanes_there in ((0, 4), (5, 4), (1, 0)):
        with pytest.raises(InputError, match="lane"):
            lane_line(oval, lane, lanes_there)


@pytest.mark.parametrize("car_key", ["drummock_stallard", "wisp_125", "ferrow_lark"])
def test_every_line_has_a_lap_and_the_short_way_suits_the_slow(car_key: str, oval: Circuit) -> None:
    """Each line gives time, length and work of each wheel; a kart that never lifts here is quicker the short way."""
    lap_case, _ = demo_lap_case(car_key, "hollin_bowl")
    sheet = base_sheet(lap_case.car)
    laps = {
        name: solve_lap(replace(lap_case, line=line), sheet) for name, line in (("race", racing_line(oval)), ("short", short_line(oval)))
    }
    for lap in laps.values():
        assert lap.time_s > 10 and min(lap.slip_energy_j) >= 0
    assert laps["short"].time_s < laps["race"].time_s or car_key != "wisp_125"
