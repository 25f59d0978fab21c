"""The model against answers known from elsewhere; the table of docs/proof.md."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from apexcore.circuit.conditions import GRAVITY, Conditions
from apexcore.circuit.line import racing_line
from apexcore.circuit.places import Floats, places
from apexcore.circuit.track import Circuit, mirrored
from apexcore.lap import kernel
from apexcore.lap.assembly import aero_areas, assemble, lateral_transfer
from apexcore.lap.driver import Driver
from apexcore.lap.solver import LapCase, solve_lap, top_speed_ms
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, base_sheet
from apexcore.vehicle.tyres import TyreState
from apexcore.vehicle.weights import weights
from tests.conftest import ring


def record(car: Car, conditions: Conditions | None = None, driver: Driver | None = None):  # type: ignore[no-untyped-def]
    compound = car.tyres.compounds[0]
    state = TyreState((compound, compound), (compound.temperature_opt_c,) * 4, (compound.temperature_opt_c,) * 4, (0.0,) * 4)
    return assemble(car, state, conditions or Conditions(), driver or Driver())


def place(curvature: float = 0.0, bank: float = 0.0, slope: float = 0.0, bend: float = 0.0, heading: float = 0.0) -> Floats:
    """One place of a road as the kernel reads it."""
    row: Floats = places(np.array([[curvature, bank, slope, bend, heading]]))[0]
    return row


@pytest.mark.parametrize("radius", [20.0, 55.0, 140.0])
def test_constant_radius_is_the_root_of_mu_g_r(plain_car: Car, radius: float) -> None:
    found = kernel.corner_speed(record(plain_car), place(1 / radius), 120.0, 30.0)
    assert found == pytest.approx(math.sqrt(1.3 * GRAVITY * radius), rel=1e-3)


@pytest.mark.parametrize("bank_deg", [5.0, 12.0, 24.0])
def test_banked_turn_has_its_closed_form(plain_car: Car, bank_deg: float) -> None:
    radius, bank = 70.0, math.radians(bank_deg)
    expected = math.sqrt(GRAVITY * radius * (math.tan(bank) + 1.3) / (1 - 1.3 * math.tan(bank)))
    found = kernel.corner_speed(record(plain_car), place(1 / radius, bank, 0.0, 0.0, 0.0), 130.0, 30.0)
    assert found == pytest.approx(expected, rel=1e-3)


def test_a_lap_of_a_ring_takes_its_length_over_that_speed(plain_car: Car) -> None:
    line = ring(60.0)
    compound = plain_car.tyres.compounds[0]
    lap = solve_lap(LapCase(plain_car, line, Conditions(), (compound, compound)), base_sheet(plain_car))
    assert lap.time_s == pytest.approx(line.length_m / math.sqrt(1.3 * GRAVITY * 60.0), rel=2e-3)


@settings(max_examples=60, deadline=None)
@given(speed=st.floats(5, 80), force=st.floats(-12000, 8000), lateral=st.floats(-14, 14), normal=st.floats(6, 16), fuel=st.floats(5, 60))
def test_wheel_loads_add_up_and_turn_the_right_moments(
    car: Car, speed: float, force: float, lateral: float, normal: float, fuel: float
) -> None:
    fuelled = car.model_copy(update={"fuel_l": fuel, "aero": car.aero.model_copy(update={"floor": None})})
    c, weight = record(fuelled), weights(fuelled)
    loads = np.array(kernel.wheel_loads(c, speed, force, lateral, normal, 0.0))
    if loads.min() <= 0.0:
        return  # a lifted wheel: its moments are bounded, checked below
    down = 0.5 * Conditions().air_density * speed**2 * sum(aero_areas(fuelled)[1:])
    assert loads.sum() == pytest.approx(weight.mass_kg * normal + down, rel=1e-9)
    no_force = np.array(kernel.wheel_loads(c, speed, 0.0, lateral, normal, 0.0))
    moved = (loads - no_force)[2:].sum()
    assert moved == pytest.approx(force * weight.cg_height_m / car.wheelbase_m, rel=1e-9, abs=1e-6)
    roll = 0.5 * ((loads[1] - loads[0]) * car.front.track_m + (loads[3] - loads[2]) * car.rear.track_m)
    assert roll == pytest.approx(weight.mass_kg * lateral * weight.cg_height_m, rel=1e-9, abs=1e-6)


def test_transfer_is_m_a_h_over_t_with_equal_tracks(car: Car) -> None:
    square = car.model_copy(update={"rear": car.rear.model_copy(update={"track_m": car.front.track_m})})
    weight = weights(square)
    front, rear, _ = lateral_transfer(square, weight)
    assert front + rear == pytest.approx(weight.cg_height_m / car.front.track_m, rel=1e-9)


def test_a_lifted_wheel_hands_its_load_on(car: Car) -> None:
    car = car.model_copy(update={"aero": car.aero.model_copy(update={"floor": None})})
    loads = np.array(kernel.wheel_loads(record(car), 20.0, 0.0, 24.0, GRAVITY, 0.0))
    assert loads.min() == 0.0
    down = 0.5 * Conditions().air_density * 20.0**2 * sum(aero_areas(car)[1:])
    assert loads.sum() == pytest.approx(weights(car).mass_kg * GRAVITY + down, rel=1e-9)


def test_without_load_sensitivity_bars_change_no_axle(plain_car: Car) -> None:
    grips = []
    for bar in (10.0, 150.0):
        stiff = plain_car.model_copy(update={"front": plain_car.front.model_copy(update={"bar_n_per_mm": bar})})
        c = record(stiff)
        grip = np.array(kernel.axle_grip(c, kernel.wheel_loads(c, 30.0, 0.0, 9.0, GRAVITY, 0.0), 9.0, place(), 0.0))
        grips.append([*(grip[:, :2].sum(axis=1)), *(grip[:, 2:].sum(axis=1))])
    assert grips[0] == pytest.approx(grips[1], rel=1e-9)


def test_top_speed_is_where_power_meets_drag_and_rolling(car: Car) -> None:
    conditions = Conditions()
    car = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"final_drive": 3.2})})  # the limiter out of the way
    drag, lift_front, lift_rear = aero_areas(car)
    speeds, torques = zip(*car.powertrain.torque_nm, strict=True)
    ratio = car.powertrain.gears[-1] * car.powertrain.final_drive / car.tyres.radius_m[1]

    def spare(v: float) -> float:
        torque = np.interp(v * ratio * 30 / math.pi, speeds, torques) * conditions.power_factor
        dynamic = 0.5 * conditions.air_density * v * v
        rolling = car.tyres.compounds[0].rolling * (weights(car).mass_kg * GRAVITY + dynamic * (lift_front + lift_rear))
        return float(torque * ratio * car.powertrain.efficiency - dynamic * drag - rolling)

    assert top_speed_ms(car, conditions) == pytest.approx(brentq(spare, 30, 84), rel=1e-3)


@pytest.mark.parametrize("braking_share", [None, 0.50, 0.58, 0.80, 0.88])
def test_braking_has_its_closed_form_and_the_right_axle_locks(plain_car: Car, braking_share: float | None) -> None:
    weight, mu = weights(plain_car), 1.3
    length, height, g = plain_car.wheelbase_m, weight.cg_height_m, GRAVITY
    to_rear, to_front = weight.cg_from_front_m, length - weight.cg_from_front_m
    ideal = (to_front + mu * height) / length
    share = ideal if braking_share is None else braking_share
    braked = plain_car.model_copy(update={"brakes": plain_car.brakes.model_copy(update={"front_share": share, "max_force_n": 90_000.0})})
    # front locks: share x a = mu g (b + a h/g)/l; rear locks: (1 - share) a = mu g (a_f - a h/g)/l
    front = mu * g * to_front / (share * length - mu * height) if share * length > mu * height else math.inf
    rear = mu * g * to_rear / ((1 - share) * length + mu * height)
    force, _ = kernel.force_limit(record(braked), place(), 40.0, True, 0.5, 0.0)
    assert force / weight.mass_kg == pytest.approx(min(front, rear), rel=2e-3)
    assert (front < rear) == (share > ideal) or braking_share is None


def test_mirrored_car_on_mirrored_circuit(lap_case: LapCase, sheet: Sheet, circuit: Circuit, car: Car) -> None:
    values = dict(sheet.values) | {"camber_fl": -4.0, "pressure_rr": 150.0}
    swapped = dict(values)
    for kind in ("camber", "pressure"):
        for axle in "fr":
            swapped[f"{kind}_{axle}l"], swapped[f"{kind}_{axle}r"] = values[f"{kind}_{axle}r"], values[f"{kind}_{axle}l"]
    here = solve_lap(lap_case, Sheet(car.key, values)).time_s
    there = solve_lap(replace(lap_case, line=racing_line(mirrored(circuit), car_width_m=car.width_m)), Sheet(car.key, swapped)).time_s
    assert there == pytest.approx(here, abs=1e-6 * here)


def test_station_spacing_hardly_matters(lap_case: LapCase, sheet: Sheet, circuit: Circuit) -> None:
    fine = solve_lap(replace(lap_case, line=racing_line(circuit, 0.5, lap_case.car.width_m)), sheet).time_s
    assert solve_lap(lap_case, sheet).time_s == pytest.approx(fine, rel=5e-4)


def test_energy_over_a_lap_balances(lap_case: LapCase, sheet: Sheet) -> None:
    lap = solve_lap(lap_case, sheet)
    dt = lap.column("time")
    spent = sum(float((lap.column(name) * dt).sum()) for name in ("drag_w", "rolling_w", "brake_w", "closed_w")) + sum(lap.slip_energy_j)
    assert float((lap.column("engine_w") * dt).sum()) == pytest.approx(spent, rel=5e-3)
