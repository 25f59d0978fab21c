"""Formulas held one at a time by cases whose answer is known without the product's own code."""

import math
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from apexcore.circuit.conditions import GRAVITY, Conditions, air_density, saturation_hpa
from apexcore.circuit.features import GripStrip, strip_grip
from apexcore.circuit.places import places
from apexcore.judge.fade import fade
from apexcore.judge.laps import DrivenLap, figures
from apexcore.judge.model import Observed, Posterior, Prior, Priors, Reference
from apexcore.judge.qualifying import Form, attempts
from apexcore.judge.verdict import judge
from apexcore.lap import kernel
from apexcore.lap.assembly import TABLE_SPEEDS, _with_shifts, aero_areas, gear_thrust, lateral_transfer, roll_stiffness, rolling_share
from apexcore.lap.solver import solve_lap
from apexcore.lap.stint import out_lap_c, solve_stint
from apexcore.quantities.spread import half_interval, sd_of_interval
from apexcore.quantities.text import format_lap, spread_decimals
from apexcore.race.fuel import FuelUse, sheet_fuel_l
from apexcore.race.options import tyre_time_s
from apexcore.race.pace import _from_posterior
from apexcore.race.plans import longest_stint
from apexcore.race.rules import Pace, RaceRules, TyrePace
from apexcore.trim.figures.bias import ideal_front_share
from apexcore.trim.figures.gearing import shifts
from apexcore.trim.figures.scales import perches, read_scales
from apexcore.trim.moves.effects import difference_spread_s
from apexcore.trim.reading.balance import read_corner, slowest_station
from apexcore.trim.reading.drift import DriftLap
from apexcore.trim.reading.life import life_from_stint, life_from_tread
from apexcore.trim.reading.ride import ride_ends
from apexcore.vehicle.car import Axle, Ballast, Car, Compound
from apexcore.vehicle.heat import capacities, faded, flow, tread_c, wear_rate
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import base_sheet
from apexcore.vehicle.tyres import temperature_grip, temperature_grips, wear_grip
from apexcore.vehicle.weights import weights
from tests.apexcore.lap.test_proof import record
from tests.conftest import demo_car, demo_lap_case


def changed(value: Any, **changes: Any) -> Any:
    return value.model_copy(update=changes)


# quantities


@pytest.mark.parametrize(
    ("spread", "decimals"), [(0.0123, 3), (0.123, 2), (0.999, 2), (1.23, 1), (12.3, 0), (0.0, 3), (math.inf, 3), (1e-9, 3)]
)
def test_a_spread_is_shown_with_two_digits(spread: float, decimals: int) -> None:
    assert spread_decimals(spread) == decimals


def test_half_an_interval_is_two_sided_and_its_own_inverse() -> None:
    inside = math.erf(half_interval(1.0) / math.sqrt(2.0))
    assert inside == pytest.approx(0.95, abs=1e-6)
    assert sd_of_interval(2.0 - half_interval(0.3), 2.0 + half_interval(0.3)) == pytest.approx(0.3)


@pytest.mark.parametrize(("seconds", "text"), [(59.9996, "1:00.000"), (60.0, "1:00.000"), (125.07, "2:05.070"), (9.5, "9.500")])
def test_lap_times_carry_over_into_minutes(seconds: float, text: str) -> None:
    assert format_lap(seconds) == text


# circuit


@pytest.mark.parametrize("air_c", [5.0, 25.0, 50.0])
def test_moist_air_is_a_mixture_of_its_molar_masses(air_c: float) -> None:
    gas, dry, water = 8.314462618, 0.0289652, 0.01801528  # J/(mol K), kg/mol
    vapour = saturation_hpa(air_c)
    kelvin = air_c + 273.15
    expected = 100.0 * ((1000.0 - vapour) * dry + vapour * water) / (gas * kelvin)
    assert air_density(air_c, 1000.0, 100.0) == pytest.approx(expected, rel=2e-4)


def test_saturation_pressure_is_the_tables() -> None:
    for air_c, hpa in ((0.0, 6.11), (20.0, 23.37), (40.0, 73.75)):  # Goff-Gratch tables
        assert saturation_hpa(air_c) == pytest.approx(hpa, rel=3e-3)


def test_the_surface_is_the_book_at_half_rubber_and_loses_it_under_water() -> None:
    assert Conditions(rubber_pct=50).surface_grip == 1.0
    assert Conditions(rubber_pct=100).surface_grip - Conditions(rubber_pct=0).surface_grip == pytest.approx(0.03)
    assert Conditions(rubber_pct=100, wet_pct=100).surface_grip == 1.0  # water hides the rubber; what it takes is each tyre's own
    assert Conditions(air_c=10, track_c=40).ambient_c == 25.0
    assert Conditions(air_c=25, pressure_hpa=990, humidity_pct=30).power_factor == pytest.approx(1.0)


def test_a_strip_has_half_its_grip_at_its_edge_and_runs_over_the_line() -> None:
    strip = GripStrip(from_m=90, to_m=10, left_m=2, right_m=-1, grip=1.2)
    s = np.array([95.0, 5.0, 50.0, 95.0, 95.0, 95.0])
    offset = np.array([0.0, 0.0, 0.0, 2.0, -1.0, 3.0])
    assert strip_grip((strip,), s, offset) == pytest.approx([1.2, 1.2, 1.0, 1.1, 1.1, 1.0])


def test_a_place_parts_gravity_by_bank_and_slope() -> None:
    bank, slope = 0.3, 0.1
    row = places(np.array([[0.02, bank, slope, 0.004, 0.7]]))[0]
    g = GRAVITY
    expected = [
        0.02, 0.02 * math.cos(bank), g * math.cos(slope) * math.sin(bank), g * math.cos(slope) * math.cos(bank),
        0.02 * math.sin(bank) + 0.004, g * math.sin(slope), math.cos(0.7), math.sin(0.7), 1.0, 1.0, 1.0, 1.0, 1.0, 0.0, 1.0,
    ]  # fmt: skip
    assert row == pytest.approx(expected, rel=1e-12)


# vehicle


def test_the_temperature_bell_loses_its_share_at_its_width(car: Car) -> None:
    compound = changed(car.tyres.compounds[0], temperature_opt_c=80.0, temperature_width_c=20.0, temperature_loss=0.25)
    for widths, grip in ((0, 1.0), (0.9, 1 / 1.25), (-1, 1 / 1.25), (1.8, 1 / 2.0), (-3, 1 / 3.25)):  # the hot side is a tenth narrower
        assert temperature_grip(compound, 80.0 + 20.0 * widths) == pytest.approx(grip, rel=1e-12)


def test_wear_is_straight_to_the_cliff_and_quadratic_beyond(car: Car) -> None:
    compound = changed(car.tyres.compounds[0], wear_loss=0.1, cliff_wear=0.6, cliff_loss=0.4)
    for worn, grip in ((0.0, 1.0), (0.3, 0.95), (0.6, 0.9), (0.8, 0.9 - 0.4 / 4), (0.9, 0.9 - 0.4 * 9 / 16), (1.0, 0.5)):
        assert wear_grip(compound, worn) == pytest.approx(grip, rel=1e-12)


def test_flexing_is_shared_by_skin_tread_and_carcass_and_air_and_road_cool(car: Car) -> None:
    heat = car.tyres.heat_of(2)
    balance = flow(car.tyres, Conditions(air_c=10, track_c=30), 2, 1000.0, 500.0, 49.0)
    assert balance.skin_w == pytest.approx(heat.slide_share * 1000.0 + 75.0)
    assert (balance.tread_w, balance.carcass_w) == pytest.approx((250.0, 175.0))
    assert balance.road == pytest.approx(7.0 * heat.road) and balance.air == pytest.approx(heat.air * 49.0**0.8)
    assert balance.wall == pytest.approx(heat.wall * 49.0**0.8) and (balance.road_c, balance.air_c) == (30.0, 10.0)


def test_a_settled_tyre_gives_off_what_it_takes_up(car: Car) -> None:
    balance = flow(car.tyres, Conditions(), 0, 2000.0, 800.0, 45.0)
    skin, tread, carcass = balance.settled_c()
    up, down = balance.skin_tread * (skin - tread), balance.tread_carcass * (tread - carcass)
    assert balance.skin_w == pytest.approx(balance.air * (skin - balance.air_c) + balance.road * (skin - balance.road_c) + up)
    assert balance.tread_w + up == pytest.approx(down)
    assert balance.carcass_w + down == pytest.approx(balance.wall * (carcass - balance.air_c))


def test_a_quick_compound_has_a_skin_that_holds_less(car: Car) -> None:
    heat, quick = car.tyres.heat_of(0), changed(car.tyres.compounds[0], warm_up=2.0)
    assert capacities(car.tyres, quick, 0) == pytest.approx((0.5 * heat.skin_j_per_k, heat.tread_j_per_k, heat.carcass_j_per_k))


def test_a_car_without_heat_of_its_own_has_a_usual_tyre_of_its_size(car: Car) -> None:
    plain = changed(car.tyres, heat=None, heat_capacity_j_per_k=5250.0, heat_share=0.2)
    usual = changed(car.tyres, heat=None, heat_capacity_j_per_k=10_500.0, heat_share=0.2)
    assert plain.heat_of(1).tread_j_per_k == pytest.approx(0.5 * usual.heat_of(1).tread_j_per_k)
    assert plain.heat_of(1).slide_share == pytest.approx(0.44) == usual.heat_of(1).slide_share


def test_a_tread_fades_past_its_best_and_comes_back_but_for_a_tenth(car: Car) -> None:
    """F' = (x2 - F)/90 s up, /200 s back, x from 8 K to 20 K past the best."""
    compound = changed(car.tyres.compounds[0], temperature_opt_c=80.0)
    assert faded(compound, 0.0, 0.0, 87.9, 100.0) == (0.0, 0.0)
    up, kept = faded(compound, 0.0, 0.0, 94.0, 90.0)  # x = 0.5
    assert up == pytest.approx(0.25 * (1 - math.exp(-1))) and kept == pytest.approx(0.1 * up)
    back, after = faded(compound, up, kept, 60.0, 200.0)
    assert back == pytest.approx(up * math.exp(-1)) and after == kept
    assert faded(compound, up, kept, 60.0, 1e5)[0] == pytest.approx(kept)


def test_wear_doubles_with_thirty_kelvin_too_many(car: Car) -> None:
    compound = changed(car.tyres.compounds[0], temperature_opt_c=80.0, wear_per_mj=0.04)
    assert [wear_rate(compound, c) for c in (50.0, 80.0, 110.0, 140.0)] == pytest.approx([0.04, 0.04, 0.08, 0.16])


def test_the_thirds_of_a_tread_part_by_camber_and_pressure() -> None:
    assert tread_c(100.0, 20.0, 2.0, 0.0) == pytest.approx((100 + 80 * 0.09, 100.0, 100 - 80 * 0.09))
    assert tread_c(100.0, 20.0, 0.0, 0.1) == pytest.approx((98.0, 104.0, 98.0))


def test_fuel_and_ballast_lift_and_move_the_centre_of_gravity(car: Car) -> None:
    bare = changed(car, fuel_l=0.0, ballast=())
    mass = bare.mass
    body = mass.dry_kg + mass.driver_kg
    ride = (bare.aero.ride_front_mm + bare.aero.ride_rear_mm - sum(bare.aero.ride_reference_mm)) / 2000.0
    full = changed(bare, fuel_l=60.0, ballast=(Ballast(key="nose", kg=20.0, from_front_m=-0.4, left_m=0.5, height_m=0.11),))
    fuel = 60.0 * mass.fuel_kg_per_l
    total = body + fuel + 20.0
    found = weights(full)
    track = 0.5 * (car.front.track_m + car.rear.track_m)
    left = body * mass.left_share + fuel * 0.5 + 20.0 * (0.5 + 0.5 / track)
    assert (found.static_n[0] + found.static_n[2]) / sum(found.static_n) == pytest.approx(left / total, rel=1e-12)
    assert found.mass_kg == pytest.approx(total)
    height = body * (mass.cg_height_m + ride) + fuel * mass.tank_height_m + 20.0 * 0.11
    assert found.cg_height_m == pytest.approx(height / total, rel=1e-12)
    moment = body * (1 - mass.front_share) * car.wheelbase_m + fuel * mass.tank_from_front_m - 20.0 * 0.4
    assert found.cg_from_front_m == pytest.approx(moment / total, rel=1e-12)
    assert found.sprung_kg == pytest.approx(total - mass.unsprung_front_kg - mass.unsprung_rear_kg)


def test_cross_weight_is_what_an_even_car_has_and_the_shift(car: Car) -> None:
    even = weights(changed(car, mass=changed(car.mass, cross_shift=0.0)))
    wedge = weights(changed(car, mass=changed(car.mass, cross_shift=0.02)))
    total = sum(even.static_n)
    cross = [(w.static_n[1] + w.static_n[2]) / total for w in (even, wedge)]
    assert cross[1] - cross[0] == pytest.approx(0.02)
    assert wedge.static_n[0] + wedge.static_n[1] == pytest.approx(even.static_n[0] + even.static_n[1])
    assert wedge.static_n[0] + wedge.static_n[2] == pytest.approx(even.static_n[0] + even.static_n[2])


def test_an_item_rounds_up_to_its_step_and_no_further() -> None:
    item = Item(key="fuel", name="Fuel", place="car", unit="l", low=5, high=60, step=0.5, base=30, decimals=1, sets="fuel_l")
    assert [item.at_least(v) for v in (30.0, 30.01, 30.5, 2.0, 80.0)] == [30.0, 30.5, 30.5, 5.0, 60.0]
    assert [item.nearest(v) for v in (30.24, 30.26, 70.0)] == [30.0, 30.5, 70.0]
    assert item.model_copy(update={"scale": 2.0, "offset": -3.0}).physical(10.0) == pytest.approx(17.0)
    assert item.typed("7 gal") == pytest.approx(26.5)  # 26.498 l


# lap: the kernel's parts


@given(use=st.floats(0.01, 0.99), stiff=st.floats(2e4, 4e5), angle=st.floats(0.0, 1.5))
def test_slip_is_the_root_of_the_brush_models_cubic(use: float, stiff: float, angle: float) -> None:
    """F/F_max = 3s - 3s2 + s3, s the slip over that of full sliding 3 F_max/C (Pacejka, ch. 3)."""
    most = 5000.0
    side, force = use * most * math.cos(angle), use * most * math.sin(angle)
    found, across, along = kernel._scrub(most, most, side, force, stiff)
    s = math.hypot(across, along) * stiff / (3.0 * most)
    assert found == pytest.approx(use, rel=1e-9)
    assert 3 * s - 3 * s**2 + s**3 == pytest.approx(use, rel=1e-6)
    assert across * force == pytest.approx(along * side, rel=1e-9, abs=1e-9)


def test_a_differential_takes_what_its_wheels_rub_against_each_other(car: Car) -> None:
    c = record(car)
    c["drive_front"], c["lock_preload"], c["lock_power"], c["lock_coast"] = 0.0, 400.0, 0.0, 0.0
    bend, loads = 1 / 50, (3000.0, 3000.0, 3000.0, 3000.0)
    yaw, drag_front, drag_rear = kernel._differential_yaw(c, loads, (4e3,) * 4, 0.0, 20.0, bend)
    moved, slip = 200.0, 0.5 * car.rear.track_m * bend  # half the preload; half the difference of the wheels' ways
    assert drag_front == 0.0
    assert drag_rear == pytest.approx(2.0 * moved * slip)
    assert yaw == pytest.approx(moved * car.rear.track_m / car.wheelbase_m)


def test_a_differential_moves_no_more_than_slip_or_the_light_wheel_allows(car: Car) -> None:
    c = record(car)
    c["drive_front"], c["lock_preload"], c["lock_power"] = 0.0, 1e9, 0.0
    moved, slip = kernel._locked(c, 1, 1000.0, 3000.0, 6000.0, 0.0, 20.0, 1e-5)
    assert moved == pytest.approx(float(c["stiffness"][2]) * 1000.0 * slip)
    moved, _ = kernel._locked(c, 1, 1000.0, 3000.0, 6000.0, 0.0, 20.0, 1.0)
    assert moved == pytest.approx(6000.0 / 4.0)


def test_a_wind_from_the_side_is_held_at_its_place(car: Car) -> None:
    c = record(car)
    front, rear, lateral = kernel._corner_forces(c, 4.0, 500.0)
    total = float(c["mass"]) * 4.0 - 500.0
    assert front + rear == pytest.approx(total)
    assert lateral == pytest.approx(total / float(c["mass"]))
    behind = float(c["cg_behind"]) / float(c["wheelbase"])
    assert front == pytest.approx(float(c["mass"]) * 4.0 * (1 - behind) - 500.0 * float(c["wind_front"]))


def test_drag_and_side_force_follow_the_air_that_meets_the_car(car: Car) -> None:
    c = record(changed(car, aero=changed(car.aero, floor=None)), Conditions(wind_ms=10.0, wind_from_deg=270.0))  # blows towards the east
    row = places(np.array([[0.0, 0.0, 0.0, 0.0, 0.0]]))[0]  # driven to the east
    _, _, air, side, drag = kernel._demand(c, row, 50.0)
    assert air == pytest.approx(40.0) and side == pytest.approx(0.0, abs=1e-9)
    assert drag == pytest.approx(0.5 * float(c["density"]) * 40.0**2 * float(c["drag_area"]), rel=1e-9)
    row = places(np.array([[0.0, 0.0, 0.0, 0.0, math.pi / 2]]))[0]  # driven to the north: wind from the left
    _, _, air, side, drag = kernel._demand(c, row, 50.0)
    pressure = 0.5 * float(c["density"]) * math.hypot(50.0, 10.0)
    assert side == pytest.approx(-pressure * 10.0 * float(c["side_area"]))
    assert drag == pytest.approx(pressure * 50.0 * float(c["drag_area"]))


def test_the_grip_of_a_wheel_is_the_product_of_its_factors(car: Car) -> None:
    c = record(car)
    c["mu"][0], c["mu_level"][0], c["mu_fall"][0], c["mu_long"][0] = 1.5, 1.1, 2e-5, 1.05
    c["camber"][0], c["camber_opt"][0], c["camber_loss"][0] = 2.0, 3.0, 0.01
    c["best_kpa_unloaded"][0], c["best_kpa_per_n"][0], c["kpa_loss"][0], c["hot_kpa"][0] = 150.0, 0.01, 0.8, 210.0
    across, along = kernel._wheel_grip(c, 0, 4000.0, 1.0, 0.5, 0.9)
    load = 0.9 * 1.5 * (1.1 - 2e-5 * 4000.0) * 4000.0
    camber = 1.0 + 0.01 * (2.0 - 0.5 - 3.0) ** 2
    pressure = 1.0 + 0.8 * (210.0 / 190.0 - 1.0) ** 2
    assert across == pytest.approx(load / camber / pressure, rel=1e-9)
    assert along == pytest.approx(load / pressure * 1.05, rel=1e-9)


# lap: assembly


def test_wings_turn_the_car_about_its_axles(car: Car) -> None:
    """Downforce areas are forces at the axles: their sum is the wing's, their moment that of the wing at its place."""
    base = changed(car.aero, wing_position=0.0, front_wing_position=0.0)
    wing = {"wing_lift_area_m2": 0.1, "wing_drag_area_m2": 0.02, "wing_behind_rear_m": 0.5}
    nose = {"front_wing_lift_area_m2": 0.05, "front_wing_drag_area_m2": 0.01, "front_wing_ahead_m": 0.8}
    without = aero_areas(changed(car, aero=changed(base, **wing, **nose)))
    rear = aero_areas(changed(car, aero=changed(base, **wing, **nose, wing_position=4.0)))
    drag, front_gain, rear_gain = (b - a for a, b in zip(without, rear, strict=True))
    assert (drag, front_gain + rear_gain) == pytest.approx((0.08, 0.4))
    assert rear_gain * car.wheelbase_m == pytest.approx(0.4 * (car.wheelbase_m + 0.5))  # about the front axle
    front = aero_areas(changed(car, aero=changed(base, **wing, **nose, front_wing_position=6.0)))
    drag, front_gain, rear_gain = (b - a for a, b in zip(without, front, strict=True))
    assert (drag, front_gain + rear_gain) == pytest.approx((0.06, 0.3))
    assert front_gain * car.wheelbase_m == pytest.approx(0.3 * (car.wheelbase_m + 0.8))  # about the rear axle


def test_ride_and_rake_move_downforce(car: Car) -> None:
    base = changed(
        car.aero, floor=None, lift_area_m2=2.0, front_share=0.4, lift_per_mm=0.01, share_per_mm=0.002, ride_reference_mm=(60.0, 70.0),
        wing_position=0.0, front_wing_position=0.0, ride_front_mm=60.0, ride_rear_mm=70.0,
    )  # fmt: skip
    _, front, rear = aero_areas(changed(car, aero=base))
    assert (front, rear) == pytest.approx((0.8, 1.2))
    _, front, rear = aero_areas(changed(car, aero=changed(base, ride_front_mm=50.0)))  # 5 mm lower, 10 mm more rake
    assert front + rear == pytest.approx(2.1) and front / 2.1 == pytest.approx(0.42)
    drag, _, towed = aero_areas(changed(car, aero=changed(base, tow_drag=0.3, tow_lift_rear=0.1)), tow=1.0)
    assert drag == pytest.approx(0.7 * car.aero.drag_area_m2) and towed == pytest.approx(1.2 * 0.9)


def test_springs_and_tyres_are_in_series(car: Car) -> None:
    axle: Axle = changed(car.front, track_m=1.6, spring_n_per_mm=(100.0, 100.0), motion_ratio=0.8, bar_n_per_mm=36.0, tyre_n_per_mm=200.0)
    wheel = 100.0 * 0.64 + 36.0  # N/mm at the wheel, as a roll rate with the bar
    each = wheel * 200.0 / (wheel + 200.0)
    assert roll_stiffness(axle) == pytest.approx(each * 1000.0 * 1.6**2 / 2.0)


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark"])
def test_load_transfer_balances_the_moment_of_the_side_force(car_key: str) -> None:
    """dF_f t_f + dF_r t_r = m a h, whatever the springs (moments about the road)."""
    car = demo_car(car_key)
    weight = weights(car)
    front, rear, roll = lateral_transfer(car, weight)
    moment = weight.mass_kg * (front * car.front.track_m + rear * car.rear.track_m)
    assert moment == pytest.approx(weight.mass_kg * weight.cg_height_m, rel=1e-9)
    assert roll > 0


def test_thrust_is_torque_through_the_gears(car: Car) -> None:
    speeds = np.array([30.0])
    drive = changed(
        car.powertrain, torque_nm=((1000.0, 200.0), (5000.0, 200.0), (9000.0, 200.0)), limit_rpm=9000.0, restrictor=0.9, maps=()
    )
    flat = changed(car, powertrain=drive, tyres=changed(car.tyres, radius_m=(0.30, 0.33)))
    thrust = gear_thrust(flat, speeds, 0.95)
    ratio = drive.gears[2] * drive.final_drive / 0.33
    assert thrust[2, 0] == pytest.approx(200.0 * ratio * drive.efficiency * 0.9 * 0.95)
    assert thrust[0, 0] == 0.0  # beyond the rev limit


def test_toe_drags_with_its_square(car: Car) -> None:
    compound: Compound = changed(car.tyres.compounds[0], stiffness_per_rad=20.0, rolling=0.01)
    toed = changed(car, front=changed(car.front, toe_deg=1.0), rear=changed(car.rear, toe_deg=-2.0))
    assert rolling_share(toed, compound, 0) == pytest.approx(0.01 + 20.0 * math.radians(1.0) ** 2)
    assert rolling_share(toed, compound, 3) == pytest.approx(0.01 + 20.0 * math.radians(2.0) ** 2)


def test_a_stint_burns_wears_and_begins_on_the_way_up() -> None:
    lap_case, _ = demo_lap_case("wisp_125", "quernlow")
    sheet = base_sheet(lap_case.car)
    assert out_lap_c(lap_case)[0] == pytest.approx(
        lap_case.conditions.ambient_c + 0.70 * (lap_case.compounds[0].temperature_opt_c - lap_case.conditions.ambient_c)
    )
    one, two = solve_stint(lap_case, sheet, 4.0, 2)
    assert two.fuel_l == pytest.approx(4.0 - one.lap.fuel_l)
    tread = [0.5 * (one.lap.tyres.layers_c(w)[1] + two.lap.tyres.layers_c(w)[1]) for w in range(4)]
    worn = [wear_rate(lap_case.compounds[w // 2], tread[w]) * one.lap.slip_energy_j[w] / 1e6 for w in range(4)]
    assert two.wear == pytest.approx(worn)
    hot, around = solve_lap(lap_case, sheet, fuel_l=4.0).tyres, lap_case.conditions.ambient_c
    for w in range(4):
        begun = [around + share * (c - around) for share, c in zip((0.70, 0.70, 0.55), hot.layers_c(w), strict=True)]
        assert one.lap.tyres.layers_c(w) == pytest.approx(begun)


def test_fuel_is_the_engines_work_at_its_consumption(car: Car) -> None:
    """Litres = work at the wheels / efficiency / 3.6 MJ per kWh x g/kWh / (1000 g/kg x kg/l), station by station."""
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap = solve_lap(lap_case, base_sheet(lap_case.car))
    drive = lap_case.car.powertrain
    work = float((lap.column("engine_w") * lap.column("time")).sum())
    grams = work / drive.efficiency / 3.6e6 * drive.fuel_g_per_kwh * drive.fuel_map.fuel
    assert lap.fuel_l == pytest.approx(grams / 1000.0 / lap_case.car.mass.fuel_kg_per_l, rel=1e-9)


# trim


def test_gears_are_changed_where_their_thrusts_cross() -> None:
    car = demo_car("ferrow_lark")
    for shift in shifts(car):
        if shift.at_limiter:
            continue
        before, after = (gear_thrust(car, np.array([shift.speed_ms + step]), 1.0)[:, 0] for step in (-0.2, 0.2))
        assert before[shift.gear] <= before[shift.gear - 1] and after[shift.gear] >= after[shift.gear - 1]


def test_the_axle_that_limits_a_corner_is_the_one_used_more() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap = solve_lap(lap_case, base_sheet(lap_case.car))
    seen = set()
    for span in spans:
        found = read_corner(lap, span, lap_case.line.s)
        apex = slowest_station(lap, span)
        front, rear = (float(lap.column(f"{axle}_utilisation")[apex]) for axle in ("front", "rear"))
        assert found.limits == ("front" if front >= rear else "rear") and found.use == max(front, rear)
        seen.add(found.limits)
    assert seen


def test_ideal_bias_follows_the_load_that_shifts_forward(car: Car) -> None:
    weight = weights(car)
    for braking in (0.0, 6.0, 11.0):
        front = weight.mass_kg * (GRAVITY * (car.wheelbase_m - weight.cg_from_front_m) + braking * weight.cg_height_m) / car.wheelbase_m
        assert ideal_front_share(car, braking) == pytest.approx(front / (weight.mass_kg * GRAVITY), rel=1e-9)


def test_a_turned_perch_keeps_weight_pitch_and_roll_on_unequal_tracks(car: Car) -> None:
    """Against four springs under a stiff body, solved as a linear system of heave, pitch and roll."""
    uneven = changed(car, front=changed(car.front, track_m=1.70), rear=changed(car.rear, track_m=1.40))
    loads = (400.0, 380.0, 330.0, 350.0)
    tracks, behind = (1.70, 1.70, 1.40, 1.40), (0.0, 0.0, 1.0, 1.0)
    sides = (1.0, -1.0, 1.0, -1.0)
    rates = []
    for wheel in range(4):
        axle = uneven.front if wheel < 2 else uneven.rear
        spring = axle.spring_n_per_mm[wheel % 2] * axle.motion_ratio**2
        rates.append(spring * axle.tyre_n_per_mm / (spring + axle.tyre_n_per_mm))
    shape = np.array([[1.0, behind[w], sides[w] * tracks[w] / 2] for w in range(4)])
    for index, perch in enumerate(perches(uneven, loads, 0.51, 1.5)):
        axle = uneven.front if index < 2 else uneven.rear
        raised = np.zeros(4)
        raised[index] = perch.turns * 1.5 / axle.motion_ratio  # [mm] at the wheel
        stiff = np.diag(rates)
        body = np.linalg.solve(shape.T @ stiff @ shape, shape.T @ stiff @ raised)
        force = stiff @ (raised - shape @ body) / GRAVITY
        assert np.array(perch.after_kg) - np.array(loads) == pytest.approx(force, abs=1e-6)
        assert read_scales(perch.after_kg).cross == pytest.approx(0.51, abs=1e-9)


def test_ride_is_a_mass_on_springs_and_a_damper(car: Car) -> None:
    axle = car.front
    weight = weights(car)
    mass = 0.5 * ((weight.static_n[0] + weight.static_n[1]) / GRAVITY - car.mass.unsprung_front_kg)
    wheel = 0.5 * sum(axle.spring_n_per_mm) * axle.motion_ratio**2 * 1e3
    tyre = axle.tyre_n_per_mm * 1e3
    series = wheel * tyre / (wheel + tyre)
    found = ride_ends(car)[0]
    assert found.ride_hz == pytest.approx(math.sqrt(series / mass) / (2 * math.pi))
    assert found.wheel_hop_hz == pytest.approx(math.sqrt((wheel + tyre) / (0.5 * car.mass.unsprung_front_kg)) / (2 * math.pi))
    rate = axle.damper[0].bump_slow * 1e3 * axle.motion_ratio**2
    assert found.ratios[0] == pytest.approx(rate / (2 * math.sqrt(series * mass)))


def test_a_tread_lasts_as_its_wear_goes_on() -> None:
    life = life_from_tread((0.2, 0.1, 0.3, 0.1), 10.0, 4, (0.5, 0.6))
    assert life.wheel == 2 and life.laps == pytest.approx(10.0)  # 0.6/0.03 laps in all, 10 gone
    assert life.lost == pytest.approx((0.08, 0.04, 0.12, 0.04))
    laps = [
        DriftLap(n, 90.0, 30.0, (80.0,) * 4, (170.0,) * 4, (0.01 * n, 0.02 * n, 0.01 * n, 0.01 * n), (0.0, 0.0, 0.0)) for n in (1, 2, 3)
    ]
    life = life_from_stint(laps, 5.0, 3, (0.5, 0.6))
    assert life.wheel == 1 and life.laps == pytest.approx(25.0 - 8.0)
    assert life.lost == pytest.approx((0.03, 0.06, 0.03, 0.03))


def test_the_spread_of_a_difference_has_a_share_and_a_rest() -> None:
    assert difference_spread_s(0.0) == pytest.approx(1.959964 * 0.003)
    assert difference_spread_s(1.0) == pytest.approx(1.959964 * math.hypot(0.35, 0.003))


# judge


def test_the_figures_of_a_run() -> None:
    times, sectors = (
        (90.0, 91.0, 92.0, 90.5, 90.2, 95.0),
        ((30.0, 60.0), (31.0, 60.0), (32.0, 60.0), (29.5, 61.0), (30.2, 60.0), (35.0, 60.0)),
    )
    laps = [
        DrivenLap(n, t, "timed" if n != 3 else "spoiled", 2.0 + 0.1 * n, s)
        for n, (t, s) in enumerate(zip(times, sectors, strict=True), start=1)
    ]
    found = figures(laps)
    assert (found.counted, found.best_s, found.median_s, found.last_five_s, found.stretch) == (5, 90.0, 90.5, 5.0, 3)
    assert found.sectors_s == pytest.approx(89.5) and found.left_s == pytest.approx(0.5)
    assert found.fuel_l == pytest.approx((2.36, math.sqrt(0.043)))
    assert found.fuel_half_l == pytest.approx(1.959964 * math.sqrt(0.043))


def test_a_straight_fade_is_found_with_its_slope() -> None:
    age = np.arange(16.0)
    found = fade(age, 90.0 + 0.05 * age + 0.01 * np.sin(7 * age))
    assert found.per_lap_s[0] == pytest.approx(0.05, abs=0.002) and found.lap is None


def test_qualifying_without_scatter_is_arithmetic() -> None:
    form = Form((80.0, 0.0), 1.0, 0.1, 0.05, 1e-9, 0.0)
    found = {(attempt.laps, attempt.scrubbed): attempt for attempt in attempts(form)}
    # one flying lap: cold 1.0, one lap of age, this lap's and the in-lap's fuel
    assert found[1, False].best_s[0] == pytest.approx(80.0 + 1.0 + 0.1 + 2 * 0.05, abs=1e-6)
    assert found[1, True].best_s[0] == pytest.approx(80.0 + 0.5 + 0.4 + 2 * 0.05, abs=1e-6)
    assert found[1, False].clean == 1.0 and found[3, False].likely == 3


def test_a_slower_b_can_matter_as_much_as_a_quicker_one() -> None:
    rng = np.random.default_rng(5)
    for gap in (1.0, -1.0):
        laps = [
            Observed(run, run % 2, 0, 20.0, 5.0, 90.0 + gap * (run % 2) + 0.05 * float(rng.normal()), track_c=30.0, hours=0.1 * run)
            for run in range(8)
            for _ in range(5)
        ]
        found = judge(laps, Priors(Prior(0.03, 0.006), (Prior(0.03, 0.02),)), 0.2)
        assert found.settled and found.p_beyond_margin > 0.95 and (found.quicker > 0.95) == (gap < 0)


# race


def test_the_base_lap_is_new_tyres_and_no_fuel_on_the_races_track() -> None:
    one = np.ones(3)
    posterior = Posterior(
        90.0 * one[:, None], one[:, None], 0.03 * one, 0.05 * one[:, None], 0.0 * one[:, None], one, 0.02 * one, one, one, one,
        Reference(30.0, 8.0, 25.0, 0.0), one[:, None], one, one, (one[:, None], one[:, None]),
    )  # fmt: skip
    base, *_ = _from_posterior(posterior, 0, 35.0)
    assert base == pytest.approx((90.0 - 0.03 * 30 - 0.05 * 8 + 0.02 * 10) * one)


def test_a_sheets_fuel_holds_its_reserve() -> None:
    assert FuelUse(2.0, 0.0, 0).error_l == pytest.approx(0.1)
    assert sheet_fuel_l(2.0, 10.0) == pytest.approx(20.6)


def test_a_stint_loses_offset_fade_warm_up_and_cliff() -> None:
    tyre = TyrePace("a", 0.5, 0.1, 2.0, 3.0, 0.4)
    # ages 0..5: fade 0.1 (0+..+5), cliff 0.4 (1 + 2) beyond age 3
    assert tyre_time_s(tyre, 6) == pytest.approx(6 * 0.5 + 0.1 * 15 + 0.4 * 3 + 2.0)
    assert tyre_time_s(tyre, 0) == 0.0
    for cliff in (-1.5, 0.0, 2.0, 2.5, 5.0, 40.0):  # the same sums lap by lap
        worn = replace(tyre, cliff_age=cliff)
        by_lap = sum(0.5 + 0.1 * age + 0.4 * max(age - cliff, 0.0) for age in range(6)) + 2.0
        assert tyre_time_s(worn, 6) == pytest.approx(by_lap)


def test_a_full_tank_lasts_its_laps_less_formation_and_reserve() -> None:
    rules = RaceRules(laps=40, pit_loss_s=20, tank_l=50, formation_laps=2, refuelling=True)
    pace = Pace(90.0, (TyrePace("a", 0, 0, 0, 99, 0),), 2.0, 0.03, 3.0)
    assert (longest_stint(rules, pace, True), longest_stint(rules, pace, False)) == (21, 23)


def test_grip_of_many_temperatures_is_that_of_each_and_never_gone(car: Car) -> None:
    compound = car.tyres.compounds[0].model_copy(update={"temperature_loss": 0.3})
    told = np.array([-40.0, 20.0, compound.temperature_opt_c, 140.0, 400.0])
    found = temperature_grips(compound, told)
    assert found == pytest.approx([temperature_grip(compound, float(one)) for one in told]) and (found > 0.0).all()
    cold = (20.0 - compound.temperature_opt_c) / compound.temperature_width_c
    assert found[1] == pytest.approx(1.0 / (1.0 + 0.3 * cold * cold)) and found[2] == 1.0


def test_a_band_of_less_force_takes_its_shifts_pause_longer_to_cross() -> None:
    """From rest with constant force and no resistance: each shift delays all later speeds by its pause."""
    force, mass, pause = 4000.0, 1000.0, 0.2
    gear = np.where(TABLE_SPEEDS < 20.0, 1, np.where(TABLE_SPEEDS < 40.0, 2, 3))
    way = SimpleNamespace(mass=mass, resist=lambda v: np.zeros_like(v))
    thrust = np.full(len(TABLE_SPEEDS), force)
    slowed = _with_shifts(thrust.copy(), pause, way, gear)  # type: ignore[arg-type]
    inside = TABLE_SPEEDS < 60.0
    step = TABLE_SPEEDS[1] - TABLE_SPEEDS[0]
    longer = float((step * mass * (1.0 / slowed[inside] - 1.0 / thrust[inside])).sum())
    assert longer == pytest.approx(2 * pause, rel=0.05)
