"""Lines that are asked for: they keep the wish, cost what both laps say, and leave the rest of the lap alone."""

import numpy as np
import pytest

from apexcore.circuit.features import Fall
from apexcore.circuit.line import corners, half_room_m
from apexcore.circuit.track import centre_line
from apexcore.errors import InputError
from apexcore.lap.quickest import line_case, quickest_line
from apexcore.lap.solver import solve_lap
from apexcore.lap.wishes import WISH_WORDS, Asked, Wish, asked_for, own_line, recorded, stretch
from apexcore.vehicle.sheet import base_sheet
from tests.apexcore.lap.test_quickest import case, found
from tests.conftest import demo_circuit

pytestmark = pytest.mark.slow

GT, OVAL = ("brackendale_gt", "sallowmere_fen"), ("drummock_stallard", "hollin_bowl")


def asked(place: tuple[str, str], *wishes: Wish) -> Asked:
    lap_case = case(*place)
    return asked_for(demo_circuit(place[1]), lap_case, base_sheet(lap_case.car), found(*place), wishes)


def apex_m(offset: np.ndarray, number: int) -> float:
    """Where a line is nearest to the inner edge of a corner, along the middle of the road [m]."""
    circuit = demo_circuit(GT[1])
    span = next(span for span in corners(circuit, found(*GT).line) if span.number == number)
    inside = np.arange(span.first, span.last + 1)
    return float(inside[np.argmax(np.sign(span.turn_deg) * offset[inside])] * centre_line(circuit).ds)


@pytest.mark.thorough_only
def test_an_early_and_a_late_apex_lie_where_they_were_asked_for_and_cost_time() -> None:
    free = apex_m(found(*GT).offset, 3)
    early, late = asked(GT, Wish("early", 3, metres=12.0)), asked(GT, Wish("late", 3, metres=12.0))
    assert apex_m(early.line.offset, 3) == pytest.approx(free - 12.0, abs=4.0)
    assert apex_m(late.line.offset, 3) == pytest.approx(free + 12.0, abs=4.0)
    for one in (early, late):
        cost = one.asked.time_s - one.free.time_s
        assert 0.0 < cost < 0.6
        assert one.lap_s == pytest.approx(cost, abs=0.05)  # the rest of the lap is as it was
        half = half_room_m(demo_circuit(GT[1]).width_m, case(*GT).car.width_m)
        assert np.abs(one.line.offset).max() <= half + 1e-6
    span = next(span for span in corners(demo_circuit(GT[1]), found(*GT).line) if span.number == 3)
    far = np.ones(len(found(*GT).offset), dtype=bool)
    ds = centre_line(demo_circuit(GT[1])).ds
    far[max(span.first - int(270 / ds), 0) : span.last + int(270 / ds)] = False
    assert np.abs(early.line.offset - found(*GT).offset)[far].max() < 0.05


@pytest.mark.thorough_only
def test_tight_is_shorter_and_slower_and_wide_is_longer() -> None:
    tight, wide = asked(GT, Wish("tight", 3)), asked(GT, Wish("wide", 3))
    assert tight.asked.length_m < tight.free.length_m
    assert -1e-6 <= wide.lap_s < 0.03  # what the free line does by itself, and never quicker than that
    assert tight.asked.least_ms < tight.free.least_ms and tight.asked.time_s > tight.free.time_s
    assert min(tight.asked.work_j) > 0.0


@pytest.mark.thorough_only
def test_lanes_of_an_oval_are_kept_for_a_lap_or_for_one_turn() -> None:
    """Against a study of this oval with another search: 0, 0.28 and 0.56 s a lap; in from the wall and out to it in each."""
    costs = []
    half = half_room_m(demo_circuit(OVAL[1]).width_m, case(*OVAL).car.width_m)
    spans = corners(demo_circuit(OVAL[1]), found(*OVAL).line)
    for lane in (1, 2, 3):
        one = asked(OVAL, Wish("lane", lane=lane))
        costs.append(one.lap_s)
        assert one.asked.least_ms > 0.75 * one.free.least_ms
        for span in spans:
            mid = float(one.line.offset[(span.first + span.last) // 2])
            assert half * (1.0 - 2.0 * lane / 3) - 1e-6 <= mid <= half * (1.0 - 2.0 * (lane - 1) / 3) + 1e-6, lane
            assert one.line.offset[span.first - int(40 / centre_line(demo_circuit(OVAL[1])).ds) : span.last].min() < 0.0
    assert abs(costs[0]) < 0.011 and 0.2 < costs[1] < 0.35 and 0.45 < costs[2] < 0.7
    mixed = asked(OVAL, Wish("lane", 1, lane=3), Wish("lane", 2, lane=1))
    high, low = (float(mixed.line.offset[(span.first + span.last) // 2]) for span in spans)
    assert high < -half / 3 + 0.01 and low > half / 3 - 0.01 and costs[0] < mixed.lap_s < costs[2]


@pytest.mark.thorough_only
def test_a_kerb_never_makes_it_slower_and_one_that_is_not_there_is_refused() -> None:
    kerb = asked(GT, Wish("kerb", 1))
    assert kerb.asked.time_s <= kerb.free.time_s + 0.01
    with pytest.raises(InputError, match="no kerb"):
        asked(GT, Wish("kerb", 8))


@pytest.mark.thorough_only
def test_grooves_with_more_bank_lie_as_near_as_drivers_find_them() -> None:
    """On one bank a groove costs 0.28 s; where the outer ones have a degree and two more, 0.05 to 0.15 s."""
    circuit = demo_circuit(OVAL[1])
    length = centre_line(circuit).length_m
    falls = (
        Fall(from_m=0, to_m=length, left_m=2, right_m=-2, deg=1.0), Fall(from_m=0, to_m=length, left_m=-2, right_m=-8, deg=2.0),
    )  # fmt: skip
    banked, lap_case = circuit.model_copy(update={"falls": falls}), case(*OVAL)
    sheet = base_sheet(lap_case.car)
    free = quickest_line(banked, lap_case, sheet)
    costs = [asked_for(banked, lap_case, sheet, free, [Wish("lane", lane=lane)]).lap_s for lane in (1, 2, 3)]
    assert abs(costs[0]) < 0.011 and 0.05 < costs[1] < 0.15 and 0.05 < costs[2] - costs[1] < 0.15


@pytest.mark.thorough_only
def test_a_slippery_kerb_gains_less() -> None:
    circuit = demo_circuit(GT[1])
    gains = []
    for grip in (1.0, 0.6):
        markers = tuple(one.model_copy(update={"grip": grip}) if one.kind == "kerb" else one for one in circuit.markers)
        there = circuit.model_copy(update={"markers": markers})
        gains.append(asked_for(there, case(*GT), base_sheet(case(*GT).car), found(*GT), [Wish("kerb", 1)]).lap_s)
    assert gains[0] < gains[1] + 0.002


@pytest.mark.thorough_only
def test_a_line_of_ones_own_goes_through_its_places() -> None:
    lap_case = case(*GT)
    own = own_line(demo_circuit(GT[1]), lap_case, base_sheet(lap_case.car), found(*GT), [(600.0, -2.0), (640.0, 1.0)])
    ds = centre_line(demo_circuit(GT[1])).ds
    assert own.line.offset[round(600 / ds)] == pytest.approx(-2.0, abs=0.06)
    assert own.line.offset[round(640 / ds)] == pytest.approx(1.0, abs=0.06)
    assert own.asked.time_s > own.free.time_s


def test_recorded_positions_come_back_as_the_line_that_was_driven() -> None:
    lap_case, quick = case(*GT), found(*GT)
    rng = np.random.default_rng(3)
    take = np.sort(rng.choice(len(quick.line.x), 900, replace=False))
    back = recorded(demo_circuit(GT[1]), lap_case, base_sheet(lap_case.car), quick.line.x[take], quick.line.y[take])
    assert np.abs(back.offset - quick.offset).max() < 0.5
    with pytest.raises(InputError, match="recorded positions"):
        recorded(demo_circuit(GT[1]), lap_case, base_sheet(lap_case.car), quick.line.x + 5e4, quick.line.y)


def test_wishes_that_cannot_be_are_refused_by_name() -> None:
    for wish, words in (
        (Wish("late", 40), "corner"), (Wish("lane", lane=1), "lane"), (Wish("at", metres=9.0, at_m=100.0), "place on the road"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=words):
            asked(GT, wish)
    with pytest.raises(InputError, match="exclude each other"):
        asked(GT, Wish("tight", 3), Wish("at", metres=-4.0, at_m=apex_m(found(*GT).offset, 3)))
    with pytest.raises(InputError, match="wishes"):
        asked(GT)
    assert set(WISH_WORDS) >= {"early", "late", "kerb", "lane"}


def test_a_stretch_over_the_start_line_is_the_sum_of_its_parts() -> None:
    lap_case, quick = case(*GT), found(*GT)
    lap = solve_lap(line_case(lap_case, quick.line), base_sheet(lap_case.car))
    n = len(quick.offset)
    whole, first, last = (
        stretch(lap, quick.line.ds, n - 50, n + 49),
        stretch(lap, quick.line.ds, n - 50, n - 1),
        stretch(lap, quick.line.ds, 0, 49),
    )
    assert whole.time_s == pytest.approx(first.time_s + last.time_s) and whole.length_m == pytest.approx(first.length_m + last.length_m)
    assert whole.work_j == pytest.approx(np.add(first.work_j, last.work_j)) and whole.end_ms == last.end_ms
