"""Where ballast goes, against every possible placement; gears held through a corner."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from apexcore.lap.solver import solve_lap
from apexcore.trim.figures.bias import bias_over_race, ideal_front_share, share_curve
from apexcore.trim.figures.corner_gears import corner_gears
from apexcore.trim.moves.placement import ballast_items, best_placement, driver_cost_s
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from tests.conftest import demo_car, demo_lap_case


@pytest.mark.parametrize(
    ("car_key", "circuit_key", "kg"),
    [("brackendale_gt", "sallowmere_fen", 30.0), ("ferrow_lark", "quernlow", 12.0), ("drummock_stallard", "hollin_bowl", 45.0)],
)
def test_ballast_ends_where_trying_every_placement_ends(car_key: str, circuit_key: str, kg: float) -> None:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    items, base = ballast_items(lap_case.car), base_sheet(lap_case.car)
    first = items[0].nearest_allowed(kg)
    sheet = Sheet(base.car_key, {**base.values, items[0].key: first, items[1].key: kg - first})
    initial_guess = solve_lap(lap_case, sheet)
    found = best_placement(lap_case, sheet, initial_guess)
    assert found is not None
    ranges = [np.arange(item.low, item.high + 0.5 * item.step, item.step) for item in items]
    every = [pair for pair in itertools.product(*ranges) if sum(pair) == pytest.approx(kg)]
    times = [
        solve_lap(
            lap_case, Sheet(base.car_key, {**sheet.values, items[0].key: float(a), items[1].key: float(b)}), initial_guess=initial_guess
        ).time_s
        for a, b in every
    ]
    assert initial_guess.time_s + found.gain_s == pytest.approx(min(times), abs=2e-3)
    assert sum(found.sheet.values[item.key] for item in items) == pytest.approx(kg)


def test_one_place_for_ballast_leaves_nothing_to_choose() -> None:
    lap_case, _ = demo_lap_case("pentlow_hare", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    assert best_placement(lap_case, sheet, solve_lap(lap_case, sheet)) is None


def test_a_heavier_driver_costs_time_in_proportion() -> None:
    lap_case, _ = demo_lap_case("wisp_125", "quernlow")
    sheet = base_sheet(lap_case.car)
    initial_guess = solve_lap(lap_case, sheet)
    five, ten = (driver_cost_s(lap_case, sheet, initial_guess, kg) for kg in (5.0, 10.0))
    assert 0.0 < five < ten and ten == pytest.approx(2 * five, rel=0.15)


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "pentlow_hare"])
def test_without_a_pause_for_shifts_no_other_gear_is_quicker_than_the_one_that_pulls_hardest(car_key: str) -> None:
    lap_case, spans = demo_lap_case(car_key, "sallowmere_fen")
    drive = lap_case.car.powertrain.model_copy(update={"shift_s": 0.0})
    quick = replace(lap_case, car=lap_case.car.model_copy(update={"powertrain": drive}))
    sheet = base_sheet(quick.car)
    found = corner_gears(quick, sheet, solve_lap(quick, sheet), spans)
    others = [gear.cost_s for corner in found for gear in corner.gears[1:]]
    assert len(found) == len(spans) and others and min(others) > -2e-3
    # with its pauses, the lap's own choice (it saves a shift where that pays) is near the best
    slow = corner_gears(lap_case, sheet, solve_lap(lap_case, sheet), spans)
    assert min(gear.cost_s for corner in slow for gear in corner.gears[1:]) > -0.02


def test_the_reference_is_the_laps_own_time_to_the_next_braking() -> None:
    from apexcore.trim.figures.corner_gears import _Road
    from apexcore.trim.reading.balance import slowest_station

    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(lap_case.car)
    lap = solve_lap(lap_case, sheet)
    road = _Road(lap_case, adjusted(lap_case.car, sheet), lap)
    apex = slowest_station(lap, spans[0])
    braking = next(k for k in range(apex + 4, len(lap.data)) if lap.column("brake")[k] > 0.02)
    gear = int(lap.column("gear")[apex])
    followed = road.time_s(apex, gear, gear, lap_case.car.powertrain.shift_s)
    assert followed == pytest.approx(float(lap.column("time")[apex:braking].sum()), rel=0.012)


def test_a_kart_of_one_gear_has_no_other_to_hold() -> None:
    lap_case, spans = demo_lap_case("wisp_125", "quernlow")
    sheet = base_sheet(lap_case.car)
    assert all(len(corner.gears) == 1 for corner in corner_gears(lap_case, sheet, solve_lap(lap_case, sheet), spans))


def test_the_bias_is_moved_as_often_as_its_steps_fit_into_the_change() -> None:
    item = demo_car("brackendale_gt").item("brake_bias")
    step = item.scale * item.step
    moved = bias_over_race(item, 0.68, 0.68 + 2 * step, 40)
    assert moved.steps == 2 and moved.laps_per_step == pytest.approx(20)
    still = bias_over_race(item, 0.68, 0.68 + 0.3 * step, 40)
    assert still.laps_per_step is None and still.steps == 0


def test_the_curve_of_the_ideal_share_is_the_closed_form() -> None:
    car = demo_car("brackendale_gt")
    curve = share_curve(car, 40.0, 14.0, points=8)
    assert curve[0][0] == 0.0 and curve[-1][0] == 14.0
    assert all(share == ideal_front_share(car.model_copy(update={"fuel_l": 40.0}), a) for a, share in curve)
    assert all(later > earlier for (_, earlier), (_, later) in itertools.pairwise(curve))
