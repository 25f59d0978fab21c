"""The kernel's parts on their own: open courses, shifts, banking, wind, and what a driver leaves unused."""

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.places import places
from apexcore.lap import kernel
from apexcore.lap.driver import Driver
from apexcore.lap.record import BRAKING, COLUMNS, OPENING, ORDERS
from apexcore.lap.solver import COLUMN
from apexcore.vehicle.car import Car
from apexcore.vehicle.weights import weights
from tests.apexcore.lap.test_proof import place, record

POWER_W = 90_000.0


def constant_power(plain_car: Car, shift_s: float = 0.0) -> Car:
    """A car with one power at every speed, one gear, and grip to spare."""
    speeds = np.linspace(300, 9000, 400)
    torque = tuple((float(n), POWER_W / (n * math.pi / 30)) for n in speeds)
    drive = plain_car.powertrain.model_copy(
        update={"torque_nm": torque, "gears": (1.0,), "final_drive": 3.0, "efficiency": 1.0, "limit_rpm": 9000.0, "shift_s": shift_s}
    )
    grippy = plain_car.tyres.compounds[0].model_copy(update={"mu": 3.9})
    return plain_car.model_copy(update={"powertrain": drive, "tyres": plain_car.tyres.model_copy(update={"compounds": (grippy,)})})


def untold(n: int) -> np.ndarray:
    """Orders of a driver who is told nothing."""
    orders = np.zeros((n, ORDERS))
    orders[:, BRAKING] = orders[:, OPENING] = 1.0
    return orders


def straight(c: Any, length_m: float, spacing_m: float, v_start: float) -> np.ndarray:
    n = int(length_m / spacing_m) + 1
    out, rows = np.zeros((n, len(COLUMNS))), places(np.zeros((n, 5)))
    assert kernel.solve(c, rows, rows, np.full(n, spacing_m), False, v_start, 120.0, untold(n), out) == -1
    return out


def rated(car: Car) -> Any:
    return record(car, Conditions(air_c=25.0, pressure_hpa=990.0, humidity_pct=30.0))


def test_constant_power_has_its_closed_form(plain_car: Car) -> None:
    """v3 = v03 + 3 P x/m and t = (v2 - v02) m/(2 P), from a rolling start."""
    car = constant_power(plain_car)
    mass, start, length = weights(car).mass_kg, 12.0, 600.0
    out = straight(rated(car), length, 0.5, start)
    end = (start**3 + 3 * POWER_W * length / mass) ** (1 / 3)
    assert out[-1, COLUMN["speed"]] == pytest.approx(end, rel=2e-3)
    assert out[:, COLUMN["time"]].sum() == pytest.approx((end**2 - start**2) * mass / (2 * POWER_W), rel=2e-3)


def test_a_shift_costs_its_pause(car: Car) -> None:
    quick, slow = (
        straight(rated(car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"shift_s": s})})), 500.0, 1.0, 15.0)
        for s in (0.0, 0.2)
    )
    gears = quick[:, COLUMN["gear"]]
    pauses = 0.2 * float((np.diff(gears) > 0).sum())
    lost = slow[:, COLUMN["time"]].sum() - quick[:, COLUMN["time"]].sum()
    assert 0 < lost < pauses  # the speed lost costs time; the pause itself is rolled on


def test_an_open_course_begins_at_its_speed_and_never_exceeds_the_corners(car: Car) -> None:
    n = 300
    road = np.zeros((n, 5))
    road[150:180, 0] = 1 / 40
    out, rows = np.zeros((n, len(COLUMNS))), places(road)
    c = record(car)
    assert kernel.solve(c, rows, rows, np.full(n, 2.0), False, 20.0, 80.0, untold(n), out) == -1
    speed = out[:, COLUMN["speed"]]
    assert speed[0] == pytest.approx(20.0)
    cap = kernel.corner_speed(c, place(1 / 40, 0.0, 0.0, 0.0, 0.0), 80.0, 30.0)
    assert speed[155:175].max() <= cap + 1e-6
    assert speed[:150].max() > cap > speed[149] - 1.5
    assert out[-1, COLUMN["time"]] == 0.0


@settings(max_examples=40, deadline=None)
@given(radius=st.floats(15, 300), bank_deg=st.floats(-4, 20), slope_deg=st.floats(-6, 6))
def test_the_corner_speed_is_where_the_weaker_axle_is_used_up(car: Car, radius: float, bank_deg: float, slope_deg: float) -> None:
    c = record(car)
    bank, slope = math.radians(bank_deg), math.radians(slope_deg)
    v = kernel.corner_speed(c, place(1 / radius, bank, slope, 0.0, 0.0), 90.0, 30.0)
    if v < 90.0:
        assert kernel.corner_use(c, place(1 / radius, bank, slope), v) == pytest.approx(1.0, abs=1e-5)
        assert kernel.corner_use(c, place(1 / radius, bank, slope), 1.02 * v) > 1.0


def test_left_and_right_corners_of_a_symmetric_car_are_equal(car: Car) -> None:
    c = record(car)
    left = kernel.corner_speed(c, place(1 / 60, 0.05, 0.0, 0.0, 0.0), 90.0, 30.0)
    right = kernel.corner_speed(c, place(-1 / 60, -0.05, 0.0, 0.0, 0.0), 90.0, 30.0)
    assert left == pytest.approx(right, rel=1e-9)


def test_a_dip_presses_and_a_crest_lightens(car: Car) -> None:
    c = record(car)
    flat, dip, crest = (kernel.corner_speed(c, place(1 / 80, 0.0, 0.0, bend, 0.0), 90.0, 30.0) for bend in (0.0, 0.004, -0.004))
    assert crest < flat < dip


def test_a_head_wind_adds_downforce_in_a_corner_and_drag_on_a_straight(car: Car) -> None:
    still, head = record(car), record(car, Conditions(wind_ms=8.0, wind_from_deg=90.0))  # driving east into it
    assert kernel.corner_speed(head, place(1 / 120), 90.0, 30.0) > kernel.corner_speed(still, place(1 / 120), 90.0, 30.0)
    assert straight(head, 800.0, 2.0, 30.0)[-1, COLUMN["speed"]] < straight(still, 800.0, 2.0, 30.0)[-1, COLUMN["speed"]]


def test_a_share_of_the_envelope_is_a_share_of_the_force(plain_car: Car) -> None:
    full, part = record(plain_car), record(plain_car, driver=Driver(0.81, 1.0))
    fast = kernel.corner_speed(full, place(1 / 50), 90.0, 30.0)
    slow = kernel.corner_speed(part, place(1 / 50), 90.0, 30.0)
    assert slow == pytest.approx(math.sqrt(0.81) * fast, rel=1e-4)
    timid = record(plain_car, driver=Driver(1.0, 0.7))
    hard, _ = kernel.force_limit(full, place(), 40.0, True, 0.5, 0.0)
    soft, _ = kernel.force_limit(timid, place(), 40.0, True, 0.5, 0.0)
    assert 0.6 * hard < soft < 0.8 * hard


def test_the_brake_limit_holds_where_grip_would_allow_more(plain_car: Car) -> None:
    weak = plain_car.model_copy(update={"brakes": plain_car.brakes.model_copy(update={"max_force_n": 5000.0})})
    force, _ = kernel.force_limit(record(weak), place(), 40.0, True, 0.5, 0.0)
    assert force == pytest.approx(5000.0)


def test_grip_of_a_wheel_falls_with_load_lean_and_wrong_pressure(car: Car) -> None:
    def per_load(load: float, **changes: float) -> float:
        c = record(car)
        for name, value in changes.items():
            c[name][0] = value
        return float(kernel.axle_grip(c, (load, 1.0, 1.0, 1.0), 0.0, place(), 0.0)[0][0]) / load

    c = record(car)
    best = float(c["best_kpa_unloaded"][0] + c["best_kpa_per_n"][0] * 3600.0)
    ideal = {"hot_kpa": best, "camber": float(c["camber_opt"][0])}
    assert per_load(2000.0, **ideal) > per_load(6000.0, **ideal)
    assert per_load(3600.0, **ideal) > per_load(3600.0, **ideal | {"hot_kpa": 1.25 * best})
    assert per_load(3600.0, **ideal) > per_load(3600.0, **ideal | {"camber": ideal["camber"] - 3.0})
    assert per_load(3600.0, **ideal) == pytest.approx(float(c["mu"][0]), rel=1e-9)


def test_a_shift_costs_what_a_pause_at_one_moment_costs(plain_car: Car) -> None:
    """v(t) is delayed by the pause: t(v) grows by the pause for each shift, where nothing slows the car in it."""
    car = plain_car.model_copy(update={"powertrain": plain_car.powertrain.model_copy(update={"shift_s": 0.0})})
    slow = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"shift_s": 0.15})})
    quick_run, slow_run = (straight(rated(variant), 1400.0, 1.0, 20.0) for variant in (car, slow))
    end = float(slow_run[-1, COLUMN["speed"]]) - 2.0
    # in its first corner of the course the car without pauses has taken a gear that the other one is glad to do without
    shifts = float((np.diff(slow_run[slow_run[:, COLUMN["speed"]] < end, COLUMN["gear"]]) > 0).sum())

    def until(run: np.ndarray) -> float:
        clock = np.concatenate([[0.0], np.cumsum(run[:-1, COLUMN["time"]])])
        return float(np.interp(end, run[:, COLUMN["speed"]], clock))

    assert shifts >= 3
    assert until(slow_run) - until(quick_run) == pytest.approx(0.15 * shifts, rel=0.02)


@pytest.mark.parametrize("from_deg", [0.0, 180.0])
def test_a_side_wind_slows_the_corner_that_it_pushes_out_of(car: Car, from_deg: float) -> None:
    """Driving east; the wind comes from the left (north) or from the right."""
    windy = car.model_copy(update={"aero": car.aero.model_copy(update={"side_area_m2": 3.0, "side_from_front_m": car.wheelbase_m / 2})})
    still, across = record(windy), record(windy, Conditions(wind_ms=12.0, wind_from_deg=from_deg))
    left, right = ([kernel.corner_speed(c, place(sign / 90), 90.0, 30.0) for c in (still, across)] for sign in (1, -1))
    calm, blown = left
    assert (blown < calm) == (from_deg == 0.0)  # a wind from the left pushes out of a left-hand corner
    calm, blown = right
    assert (blown < calm) == (from_deg == 180.0)


def test_a_side_wind_far_back_asks_more_of_the_rear(car: Car) -> None:
    aero = car.aero.model_copy(update={"side_area_m2": 3.0, "side_from_front_m": car.wheelbase_m})
    c = record(car.model_copy(update={"aero": aero}), Conditions(wind_ms=12.0, wind_from_deg=0.0))
    still = record(car)
    lateral, _, _, push, _ = kernel._demand(c, place(1 / 120), 40.0)
    front, rear, total = kernel._corner_forces(c, lateral, push)
    calm_front, calm_rear, calm = kernel._corner_forces(still, lateral, 0.0)
    assert push < 0 and front == pytest.approx(calm_front) and rear == pytest.approx(calm_rear - push)
    assert total * still["mass"] == pytest.approx(calm * still["mass"] - push)


def test_a_closed_engine_brakes_the_axle_that_it_drives(plain_car: Car) -> None:
    """Of F the engine's E acts on the driven wheels, the brakes' share of the rest at the front; a lift alone is the engine's."""
    for front in (0.0, 1.0, 0.4):
        drive = plain_car.powertrain.model_copy(update={"front_drive_share": front})
        c = record(plain_car.model_copy(update={"powertrain": drive}))
        share = float(c["brake_front"])
        assert kernel._braked_front(c, 3000.0, 500.0) == pytest.approx(share * 2500.0 + front * 500.0)
        assert kernel._braked_front(c, 300.0, 500.0) == pytest.approx(front * 300.0)
