"""Ride against closed forms; what it must never do to a lap time."""

import math
from dataclasses import replace

import pytest

from apexcore.circuit.conditions import GRAVITY
from apexcore.lap.solver import solve_lap, top_speed_ms
from apexcore.trim.moves.effects import step_effects
from apexcore.trim.reading.analysis import analyse
from apexcore.trim.reading.ride import clearances, ride_ends
from apexcore.vehicle.car import Damper
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.weights import weights
from tests.conftest import demo_car, demo_lap_case


def test_frequency_and_damping_have_their_closed_forms() -> None:
    """A mass on spring and tyre in series: critical damping is a ratio of one."""
    car = demo_car("brackendale_gt")
    load = sum(weights(car).static_n[:2])
    mass = 0.5 * (load / GRAVITY - car.mass.unsprung_front_kg)
    wheel = 150.0 * car.front.motion_ratio**2
    body = wheel * car.front.tyre_n_per_mm / (wheel + car.front.tyre_n_per_mm) * 1000.0
    critical = 2.0 * math.sqrt(body * mass) / 1000.0 / car.front.motion_ratio**2
    damper = Damper(bump_slow=critical, bump_fast=0.5 * critical, rebound_slow=2 * critical, rebound_fast=0.0)
    front = ride_ends(car.model_copy(update={"front": car.front.model_copy(update={"damper": (damper, damper)})}))[0]
    assert front.ride_hz == pytest.approx(math.sqrt(body / mass) / (2 * math.pi), rel=1e-9)
    assert front.ratios == pytest.approx((1.0, 0.5, 2.0, 0.0))
    assert front.wheel_hop_hz > 3 * front.ride_hz


def test_a_kart_has_no_ride_to_speak_of() -> None:
    lap_case, spans = demo_lap_case("wisp_125", "quernlow")
    found = analyse(lap_case, spans, base_sheet(lap_case.car))
    assert found.ride == () and found.clearances == ()


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "pentlow_hare", "drummock_stallard"])
def test_dampers_change_the_ride_and_never_the_lap(car_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, "sallowmere_fen")
    base = base_sheet(lap_case.car)
    dampers = [item for item in lap_case.car.items if item.damper_only]
    assert len(dampers) == 8
    for effect in step_effects(lap_case, base, dampers):
        assert effect.value is not None and effect.lap_s == 0.0
    stiff = Sheet(base.car_key, {**base.values, **{item.key: item.high for item in dampers}})
    before, after = (ride_ends(adjusted(lap_case.car, sheet)) for sheet in (base, stiff))
    assert all(b.ratios[0] > a.ratios[0] for a, b in zip(before, after, strict=True))
    assert solve_lap(lap_case, stiff).time_s == solve_lap(lap_case, base).time_s


def test_the_floor_comes_down_with_speed_and_touches_what_is_too_high() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    car, base = lap_case.car, base_sheet(lap_case.car)
    lap = solve_lap(lap_case, base)
    front, rear = clearances(adjusted(car, base), lap, lap_case.line, [(900.0, 5.0), (900.0, 70.0)])
    assert 0 < front.least_mm < 60.0 and front.pressed_mm == pytest.approx(60.0 - front.least_mm)
    assert front.touches == ((900.0, 70.0),) and rear.least_mm < 68.0
    low = Sheet(base.car_key, {**base.values, "ride_front": 52.0})
    lower = clearances(adjusted(car, low), solve_lap(lap_case, low), lap_case.line)[0]
    assert lower.least_mm < front.least_mm - 2.0  # bump stops and the floor itself hold some of the eight millimetres


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "drummock_stallard"])
def test_a_tow_is_worth_speed_where_the_limiter_allows_and_costs_the_front(car_key: str) -> None:
    lap_case, spans = demo_lap_case(car_key, "sallowmere_fen")
    car = lap_case.car
    long = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"final_drive": 2.6})})
    alone, towed = (top_speed_ms(long, lap_case.conditions, tow) for tow in (0.0, 1.0))
    assert 1.02 < towed / alone < 1.2
    assert top_speed_ms(long, lap_case.conditions, 0.5) == pytest.approx(0.5 * (alone + towed), rel=0.02)
    base = base_sheet(car)
    behind, clear = analyse(replace(lap_case, tow=1.0), spans, base), analyse(lap_case, spans, base)
    assert behind.top_ms == clear.top_ms and behind.top_ms[1] >= behind.top_ms[0]
    fast = [(b, c) for b, c in zip(behind.corners, clear.corners, strict=True) if c.speed == "fast"]
    washed = [b.balance[1] - c.balance[1] for b, c in fast if b.balance[1] is not None and c.balance[1] is not None]
    assert sum(washed) > 0 or car_key == "drummock_stallard"  # its tail spoiler lifts the nose: less of that is no loss
