"""Open courses, strips of grip, markers, sectors, and cars of different width."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.features import Fall, GripStrip, Marker, falls_rad, strip_grip
from apexcore.circuit.line import corners, half_room_m, offset_line, racing_line
from apexcore.circuit.lines import lane_line, short_line
from apexcore.circuit.track import Circuit, Corner, Straight, centre_line, mirrored, reversed_circuit
from apexcore.errors import InputError
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.vehicle.sheet import Sheet, base_sheet
from tests.conftest import DEMO, demo_car, demo_lap_case

HILL = Circuit(
    key="hill", name="Larkrise", layout="hill course", width_m=9, closed=False, heights_m=((0.0, 0.0), (0.5, 30.0), (1.0, 75.0)),
    segments=(
        Straight(length_m=150), Corner(angle_deg=80, radius_m=25, name="Gate"), Straight(length_m=120), Corner(angle_deg=-120, radius_m=18, name="Elbow"),
        Straight(length_m=200),
    ),
    sectors_m=(200.0,), markers=(Marker(kind="board", at_m=100, side="left", name="first"),),
    strips=(GripStrip(from_m=300, to_m=340, left_m=4, right_m=0, grip=0.8),),
)  # fmt: skip


def open_lap_case(circuit: Circuit, car_key: str = "ferrow_lark") -> tuple[LapCase, Sheet]:
    car = demo_car(car_key)
    first = car.tyres.compounds[0]
    return LapCase(car, racing_line(circuit, car_width_m=car.width_m), Conditions(), (first, first)), base_sheet(car)


def test_an_open_course_is_as_long_as_its_parts_and_keeps_its_ends() -> None:
    line = centre_line(HILL)
    arcs = sum(math.radians(abs(s.angle_deg)) * s.radius_m + s.transition_m for s in HILL.segments if isinstance(s, Corner))
    assert line.length_m == pytest.approx(470 + arcs, rel=1e-3)
    assert (line.x[0], line.y[0], line.z[0]) == pytest.approx((0, 0, 0), abs=1e-6)
    assert line.z[-1] == pytest.approx(75.0, abs=0.2)
    assert math.hypot(line.x[-1], line.y[-1]) > 100
    driven = racing_line(HILL)
    assert not driven.closed and np.abs(driven.offset).max() <= half_room_m(9) + 1e-9
    assert (driven.road[:, 0] ** 2 * driven.ds).sum() < 0.8 * (line.curvature**2).sum() * line.ds
    assert [span.name for span in corners(HILL, driven)] == ["Gate", "Elbow"]
    assert short_line(HILL).length_m < driven.length_m


def test_a_hill_climb_starts_from_rest_and_its_way_back_is_quicker() -> None:
    lap_case, sheet = open_lap_case(HILL)
    up = solve_lap(lap_case, sheet)
    assert up.column("speed")[0] == pytest.approx(0.0, abs=0.2) and up.column("speed")[-1] > 20
    rolling, _ = open_lap_case(HILL.model_copy(update={"start_ms": 20.0}))
    assert solve_lap(rolling, sheet).time_s < up.time_s - 1.0
    back = reversed_circuit(HILL)
    assert centre_line(back).length_m == pytest.approx(centre_line(HILL).length_m, rel=1e-3)
    down, _ = open_lap_case(back)
    assert solve_lap(down, sheet).time_s < up.time_s


def test_a_standing_mile_of_constant_power_has_its_closed_form(plain_car) -> None:  # type: ignore[no-untyped-def]
    """v3 = 3 P x/m and t = v2 m/(2 P) from rest, less what the first metres lack in grip."""
    from apexcore.lap.solver import solve_lap_at
    from apexcore.vehicle.tyres import TyreState
    from apexcore.vehicle.weights import weights
    from tests.apexcore.lap.test_kernel import POWER_W, constant_power

    car = constant_power(plain_car)
    mile = Circuit.model_validate_json((DEMO / "circuits" / "longreach.json").read_text())
    first = car.tyres.compounds[0]
    rated = Conditions(air_c=25.0, pressure_hpa=990.0, humidity_pct=30.0)
    lap_case = LapCase(car, racing_line(mile), rated, (first, first))
    tyres = TyreState((first, first), (first.temperature_opt_c,) * 4, (first.temperature_opt_c,) * 4, (0.0,) * 4)
    lap = solve_lap_at(lap_case, base_sheet(car), tyres, car.fuel_l)
    mass = weights(car).mass_kg
    end = (3 * POWER_W * mile_length(mile) / mass) ** (1 / 3)
    assert lap.column("speed")[-1] == pytest.approx(end, rel=2e-3)
    assert lap.time_s == pytest.approx(end**2 * mass / (2 * POWER_W), rel=5e-3)


def mile_length(circuit: Circuit) -> float:
    return centre_line(circuit).length_m


def test_reversing_twice_gives_the_features_back() -> None:
    there = reversed_circuit(HILL)
    length = centre_line(HILL).length_m
    assert list(there.sectors_m) == pytest.approx([length - 200], abs=0.01)
    assert there.markers[0].at_m == pytest.approx(length - 100, abs=0.01) and there.markers[0].side == "right"
    assert (there.strips[0].left_m, there.strips[0].right_m) == (0, -4)
    back = reversed_circuit(there)
    assert back.markers[0].at_m == pytest.approx(100, abs=0.1) and back.strips[0].from_m == pytest.approx(300, abs=0.1)
    x, y = (centre_line(circuit) for circuit in (HILL, back))
    turned = (back.heading_deg - HILL.heading_deg) % 360.0
    assert min(turned, 360.0 - turned) == pytest.approx(0.0, abs=1e-6)
    assert x.curvature == pytest.approx(y.curvature, abs=2e-3)


@given(offset=st.floats(-8, 8))
def test_a_strip_gives_its_grip_inside_and_none_outside(offset: float) -> None:
    strip = GripStrip(from_m=50, to_m=90, left_m=2, right_m=-1, grip=1.1)
    s = np.arange(0.0, 200.0, 2.0)
    grip = strip_grip((strip,), s, np.full(len(s), offset))
    assert np.all(grip[(s < 50) | (s > 90)] == 1.0)
    inside = grip[(s >= 50) & (s <= 90)]
    if -0.7 < offset < 1.7:
        assert inside == pytest.approx(np.full(len(inside), 1.1))
    elif offset < -1.3 or offset > 2.3:
        assert np.all(inside == 1.0)
    over = GripStrip(from_m=180, to_m=20, left_m=9, right_m=-9, grip=0.9)
    assert strip_grip((over,), s, np.zeros(len(s)))[[0, 10, 50, 95]] == pytest.approx([0.9, 0.9, 1.0, 0.9])


def test_a_slippery_lane_is_slower_and_mirrors() -> None:
    oval = Circuit.model_validate_json((DEMO / "circuits" / "hollin_bowl.json").read_text())
    lap_case, _ = demo_lap_case("drummock_stallard", "hollin_bowl")
    sheet = base_sheet(lap_case.car)

    def lane_s(circuit: Circuit, lane: int) -> float:
        return solve_lap(replace(lap_case, line=lane_line(circuit, lane, 3, car_width_m=1.95)), sheet).time_s

    bare = oval.model_copy(update={"strips": ()})
    rubbered = [lane_s(bare, lane) - lane_s(oval, lane) for lane in (1, 3)]
    assert rubbered[1] > 0.02 > 0.015 > abs(rubbered[0])  # the strip lies at the outside; who runs low comes in from it and goes out to it
    line, other = centre_line(oval), centre_line(mirrored(oval))
    there = offset_line(other, np.full(len(other.x), 4.0)).grip
    here = offset_line(line, np.full(len(line.x), -4.0)).grip
    assert here is not None and there is not None and here == pytest.approx(there)


def test_a_narrow_car_has_more_road_and_one_too_wide_is_refused() -> None:
    assert half_room_m(8.0, 1.4) > half_room_m(8.0, 1.95)
    with pytest.raises(InputError, match=r"width of the road: “2\.2 m” is not valid; expected more than 2\.4 m"):
        half_room_m(2.2, 1.9)


@pytest.mark.parametrize(
    ("update", "words"),
    [
        ({"sectors_m": (300.0, 200.0)}, "must rise"),
        ({"strips": [{"from_m": 0, "to_m": 9, "left_m": -1, "right_m": 1, "grip": 1.0}]}, "left edge"),
        ({"markers": [{"kind": "tower", "at_m": 3}]}, "board"),
        ({"closed": True, "segments": [{"kind": "straight", "length_m": 900}]}, "at least three"),
    ],
)
def test_features_that_cannot_be_are_named(update: dict[str, object], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        Circuit.model_validate({**HILL.model_dump(), **update})


def test_what_stands_beyond_the_end_is_named() -> None:
    with pytest.raises(InputError, match=r"marker far: “9000 m” is not valid; expected at most"):
        centre_line(HILL.model_copy(update={"markers": (Marker(kind="board", at_m=9000, name="far"),)}))


def test_a_cross_fall_is_the_bank_of_a_corner_where_it_covers_one() -> None:
    """The same corner by its own bank and by a fall over its arc: mid-corner as fast; the other way up it is slower."""
    lap_case, _ = demo_lap_case("ferrow_lark", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)

    def least_ms(bank: float, fall: float, turn: float = 1.0) -> float:
        corner = Corner(angle_deg=180 * turn, radius_m=70, transition_m=20, bank_deg=bank)
        segments = (Straight(length_m=300), corner, Straight(length_m=300), corner)
        falls = () if fall == 0.0 else (Fall(from_m=0, to_m=1079, left_m=20, right_m=-20, deg=fall),)
        circuit = Circuit(key="two", name="Two", layout="whole", width_m=10, segments=segments, falls=falls)
        line = offset_line(centre_line(circuit), np.zeros(len(centre_line(circuit).x)))
        return float(solve_lap(replace(lap_case, line=line), sheet).column("speed").min())

    own, fallen, flat, away = least_ms(5, 0), least_ms(0, 5), least_ms(0, 0), least_ms(0, -5)
    assert fallen == pytest.approx(own, rel=2e-3) and away < flat < own
    assert least_ms(0, -5, -1.0) == pytest.approx(fallen, rel=2e-3)  # a right-hand corner that falls to the right


@given(offset=st.floats(-8, 8), deg=st.floats(-12, 12))
def test_a_fall_acts_inside_its_edges_and_comes_and_goes(offset: float, deg: float) -> None:
    s = np.arange(0.0, 400.0, 2.0)
    found = falls_rad((Fall(from_m=100, to_m=200, left_m=2, right_m=-1, deg=deg),), s, np.full(len(s), offset))
    assert np.all(found[(s < 85) | (s > 215)] == 0.0) and np.abs(np.diff(found)).max() <= abs(math.radians(deg)) / 9.0
    if -0.7 < offset < 1.7:
        assert found[(s > 115) & (s < 185)] == pytest.approx(math.radians(deg))
    whole = falls_rad((Fall(from_m=0, to_m=398, left_m=30, right_m=-30, deg=deg),), s, np.full(len(s), offset))
    assert whole == pytest.approx(math.radians(deg))
    over = falls_rad((Fall(from_m=380, to_m=40, left_m=30, right_m=-30, deg=deg),), s, np.full(len(s), offset))
    assert over[[0, 195]] == pytest.approx([math.radians(deg)] * 2) and over[100] == 0.0


def test_falls_turn_round_and_mirror_with_their_circuit() -> None:
    circuit = HILL.model_copy(update={"falls": (Fall(from_m=100, to_m=160, left_m=3, right_m=1, deg=2),)})
    there = reversed_circuit(circuit).falls[0]
    assert (there.left_m, there.right_m, there.deg) == (-1, -3, -2)
    assert reversed_circuit(reversed_circuit(circuit)).falls[0].from_m == pytest.approx(100, abs=0.1)
    assert mirrored(mirrored(circuit)).falls == circuit.falls
    with pytest.raises(InputError, match="cross-fall 1"):
        centre_line(circuit.model_copy(update={"falls": (Fall(from_m=0, to_m=9000, left_m=1, right_m=0, deg=1),)}))
