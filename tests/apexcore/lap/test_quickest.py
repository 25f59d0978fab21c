"""The line of least time: its programmes against another solver, its derivatives against differences, its result against bumps."""

from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import pytest
from scipy.optimize import minimize

from apexcore.circuit.line import Floats, Line, half_room_m, least_curvature, offset_line
from apexcore.circuit.track import Circuit, Corner, Straight, centre_line, mirrored
from apexcore.errors import InputError
from apexcore.lap import kernel
from apexcore.lap.assembly import on_tyres
from apexcore.lap.driver import Driver
from apexcore.lap.programme import Rows, flat_places, solve
from apexcore.lap.quickest import STAGES, Quickest, Stage, _geometry, _road, line_case, quickest_line, winding_of
from apexcore.lap.solver import LapCase, ready, run_at, solve_lap
from apexcore.vehicle.sheet import adjusted, base_sheet
from tests.amounts import many
from tests.apexcore.lap.collocation import COURSES, collocated, point_case
from tests.conftest import demo_circuit, demo_lap_case
from tests.lines import quickest

#: Cars on circuits, and the share of the time on the line of least curvature that the quickest line gains at least.
PLACES = {
    ("brackendale_gt", "sallowmere_fen"): 0.014,
    ("wisp_125", "quernlow"): 0.0165,
    ("drummock_stallard", "hollin_bowl"): 0.0195,
    ("ferrow_lark", "sallowmere_fen"): 0.016,
    ("pentlow_hare", "hollin_bowl"): 0.015,
}


def case(car: str, circuit: str) -> LapCase:
    """A case with a driver who uses everything."""
    return replace(demo_lap_case(car, circuit)[0], driver=Driver())


@cache
def found(car: str, circuit: str) -> Quickest:
    lap_case = case(car, circuit)
    return quickest(demo_circuit(circuit), lap_case, base_sheet(lap_case.car))


def winding(line: Line, rate: Floats) -> Floats:
    """Change of curvature along a line over what is allowed."""
    k = line.road[:, 0]
    return np.asarray(np.abs(np.diff(k, append=k[:1])) / line.ds / rate)


def bumps_gain(car: str, circuit: str, tries: int, seed: int = 0) -> float:
    """What random smooth bumps find beyond a quickest line, on the same tyres, within the road and winding no faster [-].

    Another search altogether: it knows nothing of programmes, limits or derivatives.
    """
    quick, lap_case = found(car, circuit), case(car, circuit)
    centre = centre_line(demo_circuit(circuit))
    half = half_room_m(demo_circuit(circuit).width_m, lap_case.car.width_m)
    prepared = ready(lap_case, adjusted(lap_case.car, base_sheet(lap_case.car)))
    tyres = solve_lap(line_case(lap_case, quick.line), base_sheet(lap_case.car)).tyres
    best = begin = run_at(lap_case, prepared, tyres, quick.line)
    rate = winding_of(lap_case.car).rate(begin.column("speed"))
    allowed = np.maximum(winding(quick.line, rate), 1.0) + 0.005
    rng, offset, n = np.random.default_rng(seed), quick.offset.copy(), len(quick.offset)
    for _ in range(tries):
        away = (np.arange(n) - rng.uniform(0, n) + n / 2) % n - n / 2
        bump = rng.normal() * rng.choice([0.02, 0.08, 0.3]) * np.exp(-0.5 * (away / rng.uniform(3, 30)) ** 2)
        moved = np.clip(offset + bump, -half, half)
        line = offset_line(centre, moved)
        if (winding(line, rate) > allowed).any():
            continue
        lap = run_at(lap_case, prepared, tyres, line)
        if lap.time_s < best.time_s:
            best, offset = lap, moved
    return (begin.time_s - best.time_s) / begin.time_s


@pytest.mark.thorough
@pytest.mark.parametrize("place", many(list(PLACES)[:1], list(PLACES)))
def test_it_is_quicker_than_least_curvature_and_keeps_to_road_and_winding(place: tuple[str, str]) -> None:
    quick, lap_case = found(*place), case(*place)
    assert 1.0 - quick.time_s / quick.before_s >= PLACES[place]
    half = half_room_m(demo_circuit(place[1]).width_m, lap_case.car.width_m)
    assert np.abs(quick.offset).max() <= half + 1e-9
    lap = solve_lap(line_case(lap_case, quick.line), base_sheet(lap_case.car))
    assert lap.time_s == pytest.approx(quick.time_s, abs=0.01)
    over = winding(quick.line, winding_of(lap_case.car).rate(lap.column("speed")))
    assert np.quantile(over, 0.99) <= 1.05 and over.max() < 1.5


@pytest.mark.parametrize("place", [("wisp_125", "quernlow"), ("drummock_stallard", "hollin_bowl"), ("brackendale_gt", "sallowmere_fen")])
@pytest.mark.thorough_only
def test_random_bumps_find_next_to_nothing_beyond_it(place: tuple[str, str]) -> None:
    assert bumps_gain(*place, 500) <= 6e-4
    least = case(*place).line
    assert solve_lap(case(*place), base_sheet(case(*place).car)).time_s > found(*place).time_s and least is not None


@pytest.mark.thorough_only
def test_it_finds_the_same_time_from_the_middle_of_the_road() -> None:
    lap_case, circuit = case("wisp_125", "quernlow"), demo_circuit("quernlow")
    n = len(centre_line(circuit).x)
    other = quickest_line(circuit, lap_case, base_sheet(lap_case.car), begin=np.zeros(n), stages=STAGES)
    assert other.time_s == pytest.approx(found("wisp_125", "quernlow").time_s, rel=1.5e-3)


@pytest.mark.thorough_only
def test_the_mirrored_kart_finds_the_mirrored_line() -> None:
    lap_case, circuit = case("wisp_125", "quernlow"), demo_circuit("quernlow")
    other = quickest_line(mirrored(circuit), lap_case, base_sheet(lap_case.car))
    assert other.time_s == pytest.approx(found("wisp_125", "quernlow").time_s, rel=2e-3)


@pytest.mark.thorough_only
def test_a_near_line_is_found_again_and_every_car_likes_its_own_best() -> None:
    lap_case, circuit = case("wisp_125", "quernlow"), demo_circuit("quernlow")
    sheet, quick = base_sheet(lap_case.car), found("wisp_125", "quernlow")
    near = quickest_line(circuit, lap_case, sheet, begin=quick.offset)
    assert near.time_s <= quick.time_s + 1e-9 and near.laps < quick.laps / 3
    drive = lap_case.car.powertrain
    torque = tuple((rpm, 0.6 * value) for rpm, value in drive.torque_nm)
    weak = replace(lap_case, car=lap_case.car.model_copy(update={"powertrain": drive.model_copy(update={"torque_nm": torque})}))
    own = quickest_line(circuit, weak, sheet)
    assert own.time_s < solve_lap(line_case(weak, quick.line), sheet).time_s


def hairpin(angle: float = 90.0, radius: float = 30.0) -> Circuit:
    return Circuit(
        key="way", name="Way", layout="open", width_m=12.0, closed=False, start_ms=30.0,
        segments=(Straight(length_m=150), Corner(angle_deg=angle, radius_m=radius, transition_m=10), Straight(length_m=150)),
    )  # fmt: skip


@pytest.mark.parametrize(("angle", "radius"), [(90.0, 30.0), (180.0, 12.0), (-60.0, 60.0)])
def test_an_open_course_and_a_tight_hairpin_have_one_too(angle: float, radius: float) -> None:
    lap_case = case("brackendale_gt", "sallowmere_fen")
    quick = quickest_line(hairpin(angle, radius), lap_case, base_sheet(lap_case.car))
    assert quick.time_s < quick.before_s - 0.02 and not quick.line.closed
    half = half_room_m(12.0, lap_case.car.width_m)
    assert np.abs(quick.offset).max() <= half + 1e-9


def test_a_search_that_is_stopped_keeps_what_it_has() -> None:
    lap_case, circuit = case("wisp_125", "quernlow"), demo_circuit("quernlow")
    heard: list[float] = []

    def told(share: float) -> bool:
        heard.append(share)
        return len(heard) >= 3

    quick = quickest_line(circuit, lap_case, base_sheet(lap_case.car), told=told, spacing_m=2.0, stages=(Stage(4.0, 6, 0.5),))
    assert quick.time_s <= quick.before_s and len(heard) == 3 and heard == sorted(heard)


def test_a_road_that_is_too_narrow_is_refused() -> None:
    lap_case = case("brackendale_gt", "sallowmere_fen")
    lap_case = replace(lap_case, car=lap_case.car.model_copy(update={"width_m": 2.6}))
    with pytest.raises(InputError, match="width of the road"):
        quickest_line(hairpin().model_copy(update={"width_m": 3.1, "key": "lane"}), lap_case, base_sheet(lap_case.car))


def test_the_shape_of_a_line_has_the_derivatives_that_differences_have() -> None:
    circuit = demo_circuit("quernlow")
    road = _road(circuit, 4.0, 1.4)
    rng = np.random.default_rng(2)
    offset = 0.5 * least_curvature(road.centre, road.half) + 0.05 * rng.standard_normal(road.count)
    shape = _geometry(road, offset)
    for station in (0, 5, road.count // 2, road.count - 1):
        moved = [offset.copy(), offset.copy()]
        moved[0][station] += 1e-4
        moved[1][station] -= 1e-4
        up, down = (offset_line(road.centre, one) for one in moved)
        bend = (up.road[:, 0] - down.road[:, 0]) / 2e-4
        way = (up.ds - down.ds) / 2e-4
        around = [(station + k) % road.count for k in (-1, 0, 1)]
        assert [bend[around[2]], bend[around[1]], bend[around[0]]] == pytest.approx(
            [shape.bend[0, around[2]], shape.bend[1, station], shape.bend[2, around[0]]], rel=1e-4
        )
        assert [way[station], way[around[0]]] == pytest.approx([shape.way[0, station], shape.way[1, around[0]]], rel=1e-4, abs=1e-6)


def test_the_uses_that_are_linearised_are_those_of_the_lap() -> None:
    """At the lap's own speeds and accelerations an axle's use is what the lap says, where its slip is not near full."""
    lap_case = case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    lap = solve_lap(lap_case, sheet)
    car = adjusted(lap_case.car, sheet)
    lap = run_at(lap_case, ready(lap_case, car), lap.tyres, lap_case.line)  # tyres as warm everywhere, as the search has them
    record = on_tyres(ready(lap_case, car).record, car, lap.tyres, lap_case.conditions)
    v = lap.column("speed")
    mean = 0.5 * (v + np.roll(v, -1))
    out = np.empty((len(v), 6))
    kernel.uses_along(record, lap_case.line.places[1], mean, np.ascontiguousarray(lap.column("accel")), out)
    calm = (lap.column("front_utilisation") < 0.85) & (lap.column("brake") == 0.0)  # the front axle of a car driven at the rear
    assert calm.sum() > 50
    assert np.abs(out[calm, 0] - lap.column("front_utilisation")[calm]).max() < 0.03
    assert (out[:, 4] <= out[:, 0] + 1e-9).all()


@pytest.mark.parametrize("closed", [True, False])
def test_a_programme_has_the_solution_of_another_solver(closed: bool) -> None:
    """Random small programmes against SciPy's trust-region method."""
    rng = np.random.default_rng(5)
    stations = 8
    count = 2 * stations
    around = (
        (np.arange(stations)[:, None] + np.arange(3)) % stations if closed else np.clip(np.arange(stations)[:, None] + np.arange(3), 0, 7)
    )
    index = np.concatenate([2 * around, 2 * around + 1], axis=1)
    rows = Rows(index, rng.normal(size=index.shape))
    bound = rng.uniform(0.1, 1.0, stations)
    edges = Rows(np.tile(np.arange(count)[:, None], (2, 1)), np.concatenate([np.ones((count, 1)), -np.ones((count, 1))]))
    wide = Rows(
        np.concatenate([rows.index, np.pad(edges.index, ((0, 0), (0, 5)), constant_values=-1)]),
        np.concatenate([rows.value, np.pad(edges.value, ((0, 0), (0, 5)))]),
    )
    bounds = np.concatenate([bound, np.full(2 * count, 2.0)])
    squares = [(Rows(np.arange(count)[:, None], np.ones((count, 1))), rng.uniform(0.5, 2.0, count)), (rows, rng.uniform(0, 1, stations))]
    slope = rng.normal(size=count)
    ours = solve(squares, slope, wide, bounds, flat_places(stations, 2, closed))
    assert ours.solved

    def matrix(of: Rows) -> Floats:
        dense = np.zeros((len(of.index), count))
        for row, (places, values) in enumerate(zip(of.index, of.value, strict=True)):
            for place, value in zip(places, values, strict=True):
                if place >= 0:
                    dense[row, place] += value
        return dense

    h = np.sum([matrix(part).T @ np.diag(weight) @ matrix(part) for part, weight in squares], axis=0)

    def value(x: Floats) -> float:
        return float(0.5 * x @ h @ x + slope @ x)

    limits = {"type": "ineq", "fun": lambda x: bounds - matrix(wide) @ x, "jac": lambda x: -matrix(wide)}
    asked: Any = {"jac": lambda x: h @ x + slope, "method": "SLSQP", "constraints": [limits], "options": {"ftol": 1e-12, "maxiter": 300}}
    theirs = minimize(value, np.zeros(count), **asked)
    assert ours.x == pytest.approx(theirs.x, abs=2e-4)
    assert (matrix(wide) @ ours.x <= bounds + 1e-6).all()


@pytest.mark.thorough
@pytest.mark.parametrize("name", many(list(COURSES)[:1], list(COURSES)))
def test_the_lap_judges_it_no_slower_than_a_collocated_optimum(name: str) -> None:
    """The same car and courses by a general optimal-control library; both lines are judged by the lap. Its own clock, which knows no
    stations to begin and end forces at, is a third of a per cent ahead at most."""
    circuit, lap_case = COURSES[name], point_case(COURSES[name])
    sheet = base_sheet(lap_case.car)
    quick, reference = quickest_line(circuit, lap_case, sheet), collocated(circuit, lap_case.car, lap_case.line.offset)
    theirs = solve_lap(line_case(lap_case, offset_line(centre_line(circuit, 2.0), reference.offset)), sheet)
    assert quick.time_s <= 1.001 * theirs.time_s
    assert quick.time_s == pytest.approx(reference.time_s, rel=4e-3)
