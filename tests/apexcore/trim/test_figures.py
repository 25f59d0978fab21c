"""Scales, brake bias and the final drive: closed forms, a plain equilibrium of four springs, and brute force."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from apexcore.circuit.conditions import GRAVITY
from apexcore.errors import FileRejected, InputError
from apexcore.lap.solver import solve_lap, top_speed_ms
from apexcore.trim.figures.bias import Locking, bias_cases, ideal_front_share, ideal_on_lap, locking
from apexcore.trim.figures.car_figures import car_figures, power_curve
from apexcore.trim.figures.gearing import final_drive_item, last_gear_words, ratio_sweep, thrust_curves
from apexcore.trim.figures.scales import perches, read_scales
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.weights import weights
from tests.conftest import demo_car, demo_lap_case


def equilibrium(car: Car, loads_n: np.ndarray, wound_mm: np.ndarray) -> np.ndarray:
    """Loads after springs are wound up at their wheels, by solving heave, pitch and roll of a stiff body on four springs."""
    rates = []
    for axle in (car.front, car.rear):
        for side in (0, 1):
            wheel = axle.spring_n_per_mm[side] * axle.motion_ratio**2
            rates.append(wheel * axle.tyre_n_per_mm / (wheel + axle.tyre_n_per_mm))
    k = np.array(rates)
    x = np.array([0.0, 0.0, -car.wheelbase_m, -car.wheelbase_m])
    y = np.array([0.5, -0.5, 0.5, -0.5]) * np.array([car.front.track_m, car.front.track_m, car.rear.track_m, car.rear.track_m])
    shape = np.column_stack([np.ones(4), x, y])  # how each wheel follows heave, pitch and roll
    body = np.linalg.solve(shape.T @ (k[:, None] * shape), shape.T @ (k * wound_mm))
    return np.asarray(loads_n + k * (wound_mm - shape @ body))


@given(target=st.floats(0.44, 0.56), front=st.floats(0.4, 0.6), left=st.floats(0.45, 0.58))
def test_turning_a_perch_gives_the_wanted_cross_weight_by_the_equilibrium_of_four_springs(target: float, front: float, left: float) -> None:
    car, total = demo_car("drummock_stallard"), 1400.0
    loads = (total * front * left, total * front * (1 - left), total * (1 - front) * left, total * (1 - front) * (1 - left))
    for index, perch in enumerate(perches(car, loads, target, 1.5)):
        axle = car.front if index < 2 else car.rear
        wound = np.zeros(4)
        wound[index] = perch.turns * 1.5 / axle.motion_ratio
        after = equilibrium(car, np.array(loads) * GRAVITY, wound) / GRAVITY
        assert perch.after_kg == pytest.approx(tuple(after), abs=1e-6)
        assert read_scales(perch.after_kg).cross == pytest.approx(target, abs=1e-9)
        assert read_scales(perch.after_kg).front == pytest.approx(front) and read_scales(perch.after_kg).total_kg == pytest.approx(total)


def test_scales_tell_shares_and_refuse_an_empty_one() -> None:
    found = read_scales((400.0, 380.0, 360.0, 340.0))
    assert (found.total_kg, found.front, found.left, found.cross) == pytest.approx((1480, 780 / 1480, 760 / 1480, 740 / 1480))
    with pytest.raises(InputError, match="scale rear left"):
        read_scales((400.0, 380.0, 0.0, 340.0))
    assert perches(demo_car("wisp_125"), (40.0, 40.0, 45.0, 45.0), 0.5, 1.0) == []


def test_the_ideal_share_on_a_lap_is_the_closed_form_without_air_and_slope(plain_car: Car) -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    first = plain_car.tyres.compounds[0]
    flat = replace(lap_case.line, road=lap_case.line.road * np.array([1.0, 0.0, 0.0, 0.0, 1.0]))
    lap = solve_lap(replace(lap_case, car=plain_car, compounds=(first, first), line=flat), base_sheet(plain_car))
    car = adjusted(plain_car, base_sheet(plain_car))
    share, deceleration = ideal_on_lap(lap, car)
    assert share == pytest.approx(ideal_front_share(car, 0.95 * deceleration), abs=0.008)


def test_a_closed_engine_brakes_its_own_axle_so_that_the_brakes_share_goes_forward(plain_car: Car) -> None:
    """Of all braking the loads' share belongs to the front: b (F - E) = share F with the engine at the rear."""
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    first, found = plain_car.tyres.compounds[0], []
    for factor in (0.0, 0.7):
        drive = plain_car.powertrain.model_copy(update={"engine_braking": factor})
        car = plain_car.model_copy(update={"powertrain": drive})
        lap = solve_lap(replace(lap_case, car=car, compounds=(first, first)), base_sheet(car))
        found.append(ideal_on_lap(lap, adjusted(car, base_sheet(car)))[0])
    assert 0.01 < found[1] - found[0] < 0.10


def signed(locking: Locking) -> float:
    """By how much the front is ahead of the rear [%]."""
    assert locking.margin >= 0.0
    return locking.margin if locking.front else -locking.margin


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "pentlow_hare"])
def test_bias_goes_back_with_fuel_at_the_rear_and_with_less_grip(car_key: str) -> None:
    lap_case, spans = demo_lap_case(car_key, "sallowmere_fen")
    base = base_sheet(lap_case.car)
    begin = solve_lap(lap_case, base)
    now, empty, full, wet, half = bias_cases(lap_case, base, begin, [("half", 0.5 * lap_case.car.tank_l)])
    assert min(empty.ideal, full.ideal) - 0.004 < half.ideal < max(empty.ideal, full.ideal) + 0.004
    assert wet.ideal < now.ideal and wet.deceleration_ms2 < now.deceleration_ms2
    assert (full.ideal < empty.ideal) == (lap_case.car.mass.tank_from_front_m > 0.5 * lap_case.car.wheelbase_m)
    item = lap_case.car.item("brake_bias")
    back, forward = (
        locking(solve_lap(lap_case, Sheet(base.car_key, {**base.values, "brake_bias": value})), spans) for value in (item.low, item.high)
    )
    assert forward[0].front and not back[0].front and "front" in forward[0].wheel
    assert all(signed(ahead) > signed(other) for ahead, other in zip(forward, back, strict=True))


@pytest.mark.parametrize(("car_key", "circuit_key"), [("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow")])
def test_the_sweep_holds_what_each_value_gives_alone(car_key: str, circuit_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    base, item = base_sheet(lap_case.car), final_drive_item(lap_case.car)
    assert item is not None
    steps = ratio_sweep(lap_case, base, solve_lap(lap_case, base), most=7)
    assert len(steps) == 7 and base.values[item.key] in [step.value for step in steps]
    one = steps[1]
    moved = Sheet(base.car_key, {**base.values, item.key: one.value})
    assert one.lap_s == pytest.approx(solve_lap(lap_case, moved).time_s, abs=2e-3)
    assert one.alone_ms == pytest.approx(top_speed_ms(adjusted(lap_case.car, moved), lap_case.conditions))
    assert all(step.towed_ms >= step.alone_ms for step in steps)


def test_a_last_gear_may_be_for_the_tow_only() -> None:
    lap_case, _ = demo_lap_case("ferrow_lark", "sallowmere_fen")

    def words(last: float) -> str:
        drive = lap_case.car.powertrain.model_copy(update={"gears": (*lap_case.car.powertrain.gears[:-1], last), "final_drive": 3.1})
        return last_gear_words(lap_case.car.model_copy(update={"powertrain": drive}), lap_case.conditions)

    found = [words(last) for last in np.arange(0.75, 1.12, 0.02)]
    assert any("tow only" in text for text in found) and any("alone on a level road" in text for text in found)
    assert last_gear_words(demo_car("wisp_125"), lap_case.conditions) == ""


def test_thrust_meets_resistance_at_the_top_speed() -> None:
    lap_case, _ = demo_lap_case("ferrow_lark", "sallowmere_fen")
    long = lap_case.car.model_copy(update={"powertrain": lap_case.car.powertrain.model_copy(update={"final_drive": 2.6})})
    speeds, thrust, resist = thrust_curves(long, lap_case.conditions)
    above = np.flatnonzero(thrust.max(axis=0) > resist)
    assert speeds[above[-1]] == pytest.approx(top_speed_ms(long, lap_case.conditions), abs=0.26)
    assert thrust.shape == (6, len(speeds))


def test_figures_of_a_car_are_its_own_and_an_impossible_one_is_named() -> None:
    car = demo_car("brackendale_gt")
    found = {figure.words: figure.text for figure in car_figures(car)}
    assert found["Mass with driver and fuel"] == f"{weights(car).mass_kg:.0f} kg"
    rpm, _, power = power_curve(car)
    assert found["Peak power"] == f"{power.max():.0f} kW at {round(float(rpm[power.argmax()]), -2):.0f} rpm"
    wild = car.model_copy(update={"items": (car.item("gear_2").model_copy(update={"low": 2.0, "high": 4.0, "base": 3.5}),)})
    with pytest.raises(FileRejected, match=r"gear 2: “3\.500 :1” is not valid; expected less than gear 1"):
        car_figures(wild)
