"""Traction control, anti-lock brakes, drag flaps and stagger: by closed cases, and by what each must leave as it is."""

import math
from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from apexcore.circuit.conditions import GRAVITY
from apexcore.circuit.features import FlapZone
from apexcore.circuit.fit import fitted
from apexcore.circuit.line import racing_line
from apexcore.circuit.places import FLAP
from apexcore.circuit.track import Circuit, mirrored, reversed_circuit
from apexcore.errors import InputError
from apexcore.lap import kernel
from apexcore.lap.assembly import leaning
from apexcore.lap.driver import LEVELS, Driver
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.vehicle.car import Car, Controls
from apexcore.vehicle.sheet import adjusted, base_sheet
from tests.apexcore.lap.test_proof import place, record
from tests.conftest import demo_car, demo_circuit, demo_lap_case


def with_controls(car: Car, traction: float | None = None, antilock: float | None = None) -> Car:
    """The car with one level of each, switched on; none where none is told."""
    held = Controls(
        traction=() if traction is None else (traction,), traction_level=0 if traction is None else 1,
        antilock=() if antilock is None else (antilock,), antilock_level=0 if antilock is None else 1,
    )  # fmt: skip
    return car.model_copy(update={"controls": held})


def powerful(car: Car) -> Car:
    """One whose engine spins its wheels anywhere."""
    drive = car.powertrain
    return car.model_copy(
        update={"powertrain": drive.model_copy(update={"torque_nm": tuple((n, 4.0 * torque) for n, torque in drive.torque_nm)})}
    )


@pytest.mark.parametrize(
    ("own", "share", "used"),
    [(1.0, None, 1.0), (0.9, None, 0.9), (1.0, 0.95, 0.95), (0.9, 0.95, 0.935), (0.9, 0.85, 0.85), (0.8, 1.0, 0.94)],
)
def test_a_driver_leans_on_a_system_and_never_past_it(own: float, share: float | None, used: float) -> None:
    assert leaning(own, share) == pytest.approx(used)


@pytest.mark.parametrize("share", [0.98, 0.9, 0.8])
def test_traction_control_lets_a_share_of_the_driven_tyres_grip_through(car: Car, share: float) -> None:
    c = record(with_controls(powerful(car), share))
    force, _ = kernel.force_limit(c, place(), 20.0, False, 0.5, 1e6)
    loads = kernel.wheel_loads(c, 20.0, force, 0.0, GRAVITY, 0.0)
    _, along = kernel.axle_grip(c, loads, 0.0, place(), 0.0)
    assert force == pytest.approx(share * (along[2] + along[3]), rel=1e-3)


@pytest.mark.parametrize("bias", [0.5, 0.65, 0.8])
def test_anti_lock_brakes_use_both_axles_whatever_the_bias(car: Car, bias: float) -> None:
    braked = car.model_copy(update={"brakes": car.brakes.model_copy(update={"front_share": bias, "max_force_n": 60_000.0})})
    c = record(with_controls(braked, antilock=0.95))
    force, _ = kernel.force_limit(c, place(), 40.0, True, 0.5, 0.0)
    loads = kernel.wheel_loads(c, 40.0, -force, 0.0, GRAVITY, 0.0)
    _, along = kernel.axle_grip(c, loads, 0.0, place(), 0.0)
    assert force == pytest.approx(0.95 * sum(along), rel=1e-3)
    without, _ = kernel.force_limit(record(braked, driver=Driver(1.0, 0.95)), place(), 40.0, True, 0.5, 0.0)
    assert without < force + 1.0  # a bias alone never holds more


def test_anti_lock_brakes_leave_a_soft_stop_to_the_bias(car: Car) -> None:
    for force, front, rear, expected in ((4000.0, 9000.0, 5000.0, 3000.0), (8000.0, 5000.0, 5000.0, 5000.0), (8000.0, 9000.0, 1500.0, 6500.0)):  # fmt: skip
        assert kernel._let_through(0.75 * force, force, front, rear) == pytest.approx(expected)


@cache
def laps() -> dict[str, Lap]:
    """The demo's touring car, whose driven wheels spin, with and without systems, driven by a newcomer and by all it can do."""
    case, _ = demo_lap_case("pentlow_hare", "sallowmere_fen")
    found = {}
    for name, driver in (("newcomer", LEVELS["newcomer"]), ("all", Driver())):
        for kind, (traction, antilock) in {"none": (None, None), "tc": (0.93, None), "abs": (None, 0.9), "loose": (0.99, None)}.items():
            told = replace(case, car=with_controls(case.car, traction, antilock), driver=driver)
            found[f"{name} {kind}"] = solve_lap(told, base_sheet(told.car))
    return found


def test_a_newcomer_gains_by_systems_and_one_who_uses_all_loses_by_a_tight_one() -> None:
    one = laps()
    assert one["newcomer tc"].time_s < one["newcomer none"].time_s < one["newcomer none"].time_s + 0.001
    assert one["newcomer abs"].time_s < one["newcomer none"].time_s - 0.1
    assert one["all tc"].time_s > one["all none"].time_s + 0.01
    assert one["all loose"].time_s < one["all tc"].time_s


def test_a_tight_system_spares_the_tyres_that_it_holds() -> None:
    one = laps()
    driven_wheels = sum(one["all tc"].slip_energy_j), sum(one["all none"].slip_energy_j)
    assert driven_wheels[0] < driven_wheels[1]
    tight = solve_lap(*_told(with_controls(demo_car("pentlow_hare"), antilock=0.8)))
    assert tight.tyres.temperature_c[0] < one["all abs"].tyres.temperature_c[0]


def _told(car: Car):  # type: ignore[no-untyped-def]
    case, _ = demo_lap_case("pentlow_hare", "sallowmere_fen")
    return replace(case, car=car), base_sheet(car)


def test_a_system_that_is_off_changes_nothing() -> None:
    case, _ = demo_lap_case("pentlow_hare", "sallowmere_fen")
    off = case.car.model_copy(update={"controls": Controls(traction=(0.9, 0.8), antilock=(0.9,))})
    assert solve_lap(replace(case, car=off), base_sheet(off)).time_s == laps()["all none"].time_s


def test_a_level_that_is_not_there_is_refused(car: Car) -> None:
    content = car.model_dump(mode="json")
    content["controls"] = {"traction": [0.98, 0.96], "traction_level": 3}
    with pytest.raises(ValueError, match="level 3 of 2"):
        Car.model_validate(content)
    content["controls"] = {"traction": [0.98, 0.96]}
    item = {**content["items"][0], "key": "tc", "name": "Traction control", "unit": "", "low": 0, "high": 3, "step": 1, "base": 0, "decimals": 0, "sets": "controls.traction_level", "scale": 1, "offset": 0, "place": "car"}  # fmt: skip
    content["items"] = [*content["items"], item]
    with pytest.raises(ValueError, match="its highest value is level 3 of 2"):
        Car.model_validate(content)
    content["items"][-1] = {**item, "sets": "controls.antilock_level", "high": 1}
    with pytest.raises(ValueError, match="does not have levels of anti-lock brakes"):
        Car.model_validate(content)


# -- drag flaps


def flapped(position: float) -> Car:
    car = demo_car("brackendale_gt")
    aero = car.aero.model_copy(update={"flap_drag_area_m2": 0.2, "flap_lift_area_m2": 0.5, "flap_position": position, "floor": None})
    return car.model_copy(update={"aero": aero})


ZONES = (FlapZone(from_m=3100, to_m=380), FlapZone(from_m=2000, to_m=2330))


@cache
def zoned(position: float, zones: tuple[FlapZone, ...] = ZONES) -> tuple[LapCase, Lap]:
    circuit = demo_circuit("sallowmere_fen").model_copy(update={"flap_zones": zones})
    car, case = flapped(position), demo_lap_case("brackendale_gt", "sallowmere_fen")[0]
    case = replace(case, car=car, line=racing_line(circuit, car_width_m=car.width_m), held_c=(80.0,) * 4)
    return case, solve_lap(case, base_sheet(car))


def test_an_open_flap_takes_its_areas_from_drag_and_load(car: Car) -> None:
    open_, shut = record(flapped(1.0)), record(flapped(0.0))
    pressure = 0.5 * float(open_["density"]) * 60.0**2
    drag = kernel._demand(open_, place(), 60.0, 0.0)[4] - kernel._demand(open_, place(), 60.0, 1.0)[4]
    assert drag == pytest.approx(0.2 * pressure)
    loads = [sum(kernel.wheel_loads(c, 60.0, 0.0, 0.0, GRAVITY, 0.0, 1.0)) for c in (open_, shut)]
    assert loads[1] - loads[0] == pytest.approx(0.5 * pressure)
    front = [sum(kernel.wheel_loads(c, 60.0, 0.0, 0.0, GRAVITY, 0.0, 1.0)[:2]) for c in (open_, shut)]
    lever = car.aero.wing_behind_rear_m / car.wheelbase_m  # a wing behind the axle lifts the nose: without it that comes down
    assert front[0] - front[1] == pytest.approx(0.5 * pressure * lever, rel=1e-6)


def test_a_flap_gains_in_its_zones_and_nowhere_else() -> None:
    (case, open_), (_, shut) = zoned(1.0), zoned(0.0)
    inside = case.line.places[0][:, FLAP] > 0.0
    gained = shut.column("time") - open_.column("time")
    assert open_.time_s < shut.time_s - 0.05
    before = ~inside & (case.line.s < 1900) & (case.line.s > 700)  # a corner and more behind a zone
    assert np.abs(gained[before]).max() < 1e-6
    assert np.array_equal(zoned(1.0, ())[1].data, zoned(0.0, ())[1].data)
    # the drag that the lap is charged with is that of the flap where it drives, and of the wing where it brakes
    v, drag = open_.column("speed"), open_.column("drag_w")
    record_ = record(adjusted(case.car, base_sheet(case.car)), case.conditions)
    area = drag / np.maximum(v, 1.0) ** 3 / (0.5 * case.conditions.air_density)
    fast = inside & (case.line.places[1][:, FLAP] > 0.99) & (open_.column("throttle") > 0.9)
    braked = inside & (open_.column("brake") > 0.2)
    assert np.median(area[fast]) == pytest.approx(float(record_["drag_area"]) - 0.2, rel=0.02)
    assert not braked.any() or np.median(area[braked]) == pytest.approx(float(record_["drag_area"]), rel=0.03)


def test_a_flap_stays_shut_in_bends() -> None:
    everywhere = (FlapZone(from_m=0, to_m=3200),)
    case, lap = zoned(1.0, everywhere)
    open_ = case.line.places[0][:, FLAP]
    bend = np.abs(case.line.road[:, 0])
    assert not open_[bend > 1 / 300].any() and (open_[bend < 1 / 650] == 1.0)[:-200].all()
    assert lap.time_s < zoned(1.0)[1].time_s + 1e-9


def test_zones_go_with_their_circuit() -> None:
    circuit = demo_circuit("sallowmere_fen").model_copy(update={"flap_zones": ZONES})
    there = racing_line(circuit).places[0][:, FLAP].sum()
    for other in (mirrored(circuit), reversed_circuit(circuit), fitted(circuit, 1.0, 150.0)):
        assert racing_line(other).places[0][:, FLAP].sum() == pytest.approx(there, abs=6)
    beyond = circuit.model_copy(update={"flap_zones": (FlapZone(from_m=0, to_m=9000),)})
    with pytest.raises(InputError, match="flap zone 1"):
        racing_line(beyond)


# -- stagger


def test_tyres_that_roll_round_the_bend_ask_nothing_of_a_locked_axle() -> None:
    car = demo_car("drummock_stallard")
    differential = car.powertrain.differential.model_copy(update={"preload_nm": 5000.0})
    locked = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"differential": differential})})
    radius = 80.0
    own = 1000.0 * 2.0 * math.pi * car.tyres.radius_m[1] * car.rear.track_m / radius
    loads, along = (4000.0,) * 4, (5000.0,) * 4
    resists = []
    for stagger in (0.0, own, 2.0 * own):
        c = record(locked.model_copy(update={"rear": locked.rear.model_copy(update={"stagger_mm": stagger})}))
        resists.append(kernel._differential_yaw(c, loads, along, 500.0, 30.0, 1 / radius)[0])
    assert resists[0] > 100.0
    assert resists[1] == pytest.approx(0.0, abs=1e-6)
    assert resists[2] == pytest.approx(-resists[0], rel=1e-9)
    c = record(locked.model_copy(update={"rear": locked.rear.model_copy(update={"stagger_mm": own})}))
    assert kernel._differential_yaw(c, loads, along, 500.0, 30.0, -1 / radius)[0] == pytest.approx(2.0 * resists[0], rel=0.3)


def test_stagger_seen_in_a_mirror_is_the_other_way_round() -> None:
    circuit, car = demo_circuit("quernlow"), demo_car("wisp_125")

    def time_s(course: Circuit, stagger: float) -> float:
        other = car.model_copy(update={"rear": car.rear.model_copy(update={"stagger_mm": stagger})})
        case, _ = demo_lap_case("wisp_125", "quernlow")
        told = replace(case, car=other, line=racing_line(course, car_width_m=car.width_m), held_c=(60.0,) * 4)
        return solve_lap(told, base_sheet(other)).time_s

    even = car.mass.left_share == 0.5 and len(set(car.tyres.cold_kpa)) == 1
    if even:
        assert time_s(circuit, 10.0) == pytest.approx(time_s(mirrored(circuit), -10.0), abs=1e-4)
    assert time_s(circuit, 10.0) != pytest.approx(time_s(circuit, -10.0), abs=1e-4)
