"""Readings: the gas law both ways, what many readings do to the model's word, and the camber they ask for."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.reading.analysis import tread_readings
from apexcore.trim.readings.next_setting import (
    Reading,
    WheelReading,
    doubts,
    gas_c,
    heat_story,
    next_cambers,
    next_pressures,
    next_toes,
    wear_story,
)
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.tyres import hot_pressure_kpa
from tests.conftest import demo_lap_case

TARGETS = (190.0, 190.0, 185.0, 185.0)


def reading_of(lap_case: LapCase, sheet: Sheet, hotter_k: float = 0.0, conditions: Conditions | None = None) -> Reading:
    """What gauge and pyrometer would show on this very car."""
    here = replace(lap_case, conditions=conditions or lap_case.conditions)
    lap, car = solve_lap(here, sheet), adjusted(lap_case.car, sheet)
    wheels = []
    for w in range(4):
        hot = hot_pressure_kpa(car.tyres.cold_kpa[w], 20.0, lap.tyres.carcass_c[w] + hotter_k)
        wheels.append(WheelReading(car.tyres.cold_kpa[w], hot, tread_readings(here, car, lap, w, 0.0)))
    return Reading((wheels[0], wheels[1], wheels[2], wheels[3]), here.conditions, 20.0)


def test_the_gas_tells_its_temperature() -> None:
    assert gas_c(140.0, 20.0, hot_pressure_kpa(140.0, 20.0, 88.0)) == pytest.approx(88.0, rel=1e-12)


@pytest.mark.parametrize(("car_key", "circuit_key"), [("brackendale_gt", "sallowmere_fen"), ("wisp_125", "quernlow")])
def test_the_cold_pressure_gives_the_hot_one_that_was_wanted(car_key: str, circuit_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    base, lap = base_sheet(lap_case.car), solve_lap(lap_case, base_sheet(lap_case.car))
    for wheel, advice in enumerate(next_pressures(lap_case, lap, [reading_of(lap_case, base)], TARGETS, 15.0)):
        assert hot_pressure_kpa(advice.cold_kpa, 15.0, lap.tyres.carcass_c[wheel]) == pytest.approx(TARGETS[wheel], abs=1e-6)
        assert 0.5 < advice.from_readings < 1.0 and advice.spread_kpa > 0


def test_many_readings_outweigh_the_model_and_make_it_surer() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base, lap = base_sheet(lap_case.car), solve_lap(lap_case, base_sheet(lap_case.car))
    hotter = reading_of(lap_case, base, hotter_k=15.0)
    none, one, ten = (next_pressures(lap_case, lap, [hotter] * count, TARGETS, 20.0)[0] for count in (0, 1, 10))
    assert none.rise_k < one.rise_k < ten.rise_k == pytest.approx(none.rise_k + 15.0, abs=1.0)
    assert none.cold_kpa > one.cold_kpa > ten.cold_kpa and none.spread_kpa > one.spread_kpa > ten.spread_kpa
    assert none.from_readings == 0.0 and ten.from_readings > 0.9


def test_a_reading_of_a_cold_day_serves_a_hot_one() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    cold = reading_of(lap_case, base, conditions=Conditions(air_c=10, track_c=12))
    hot = replace(lap_case, conditions=Conditions(air_c=30, track_c=45))
    lap = solve_lap(hot, base)
    advice = next_pressures(hot, lap, [cold] * 5, TARGETS, 20.0)
    for wheel, wheel_advice in enumerate(advice):
        assert hot_pressure_kpa(wheel_advice.cold_kpa, 20.0, lap.tyres.carcass_c[wheel]) == pytest.approx(
            TARGETS[wheel], abs=wheel_advice.spread_kpa
        )


def test_interval_of_the_cold_pressure_covers_as_often_as_it_says() -> None:
    """Cars whose gas runs hotter or cooler than the book by the model's own spread, read by a gauge with its own scatter."""
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap = solve_lap(lap_case, base_sheet(lap_case.car))
    rng, covered, trials = np.random.default_rng(5), 0, 3000
    for _ in range(trials):
        truth = rng.normal(0.0, 8.0)
        read = [reading_shift(lap, lap_case, truth + rng.normal(0.0, 5.0)) for _ in range(2)]
        one = next_pressures(lap_case, lap, read, TARGETS, 20.0)[0]
        needed = hot_pressure_kpa(TARGETS[0], lap.tyres.carcass_c[0] + truth + rng.normal(0.0, 5.0), 20.0)
        covered += abs(needed - one.cold_kpa) <= one.spread_kpa
    assert 0.93 <= covered / trials <= 0.97


def reading_shift(lap: object, lap_case: LapCase, shift_k: float) -> Reading:
    carcass = lap.tyres.carcass_c  # type: ignore[attr-defined]
    wheels = [WheelReading(140.0, hot_pressure_kpa(140.0, 20.0, carcass[w] + shift_k)) for w in range(4)]
    return Reading((wheels[0], wheels[1], wheels[2], wheels[3]), lap_case.conditions, 20.0)


@pytest.mark.parametrize("wheel", ["fl", "rr"])
def test_a_tread_that_is_hotter_inside_than_the_model_wants_asks_for_less_camber(wheel: str) -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base, lap = base_sheet(lap_case.car), solve_lap(lap_case, base_sheet(lap_case.car))
    usual = reading_of(lap_case, base)
    place = ("fl", "fr", "rl", "rr").index(wheel)
    steps = []
    for extra in (-12.0, 12.0):
        wheels = list(usual.wheels)
        tread = wheels[place].tread_c
        assert tread is not None
        wheels[place] = replace(wheels[place], tread_c=(tread[0] + extra, tread[1], tread[2] - extra))
        found = next_cambers(lap_case, base, lap, [replace(usual, wheels=(wheels[0], wheels[1], wheels[2], wheels[3]))])
        one = next(advice for advice in found if advice.wheel == wheel)
        steps.append(one.steps)
        assert one.item.low <= one.value <= one.item.high and one.spread_steps > 0
    assert steps[0] < steps[1]  # camber is negative: up is less of it


def test_what_looks_wrong_is_asked_about() -> None:
    lap_case, _ = demo_lap_case("drummock_stallard", "hollin_bowl")
    base, lap = base_sheet(lap_case.car), solve_lap(lap_case, base_sheet(lap_case.car))
    good = reading_of(lap_case, base)
    assert doubts(lap, good) == []
    a, b, c, d = good.wheels
    assert any("left and right" in text for text in doubts(lap, replace(good, wheels=(b, a, d, c))))
    fahrenheit = replace(a, tread_c=(190.0, 188.0, 180.0))
    assert any("190F" in text for text in doubts(lap, replace(good, wheels=(fahrenheit, b, c, d))))
    assert any("below the cold" in text for text in doubts(lap, replace(good, wheels=(replace(a, hot_kpa=100.0), b, c, d))))
    for words, seen, modelled in heat_story(lap, good):
        assert seen == pytest.approx(modelled, abs=0.5), words


@pytest.mark.parametrize(("car_key", "off_k"), [("brackendale_gt", -30.0), ("ferrow_lark", -30.0), ("brackendale_gt", 35.0)])
def test_an_axle_off_its_window_gets_the_toe_that_brings_it_nearer(car_key: str, off_k: float) -> None:
    lap_case, _ = demo_lap_case(car_key, "sallowmere_fen")
    base = base_sheet(lap_case.car)
    lap = solve_lap(lap_case, base)
    best = lap_case.compounds[0].temperature_opt_c
    level = (best + off_k,) * 3
    reading = Reading((*(WheelReading(140.0, None, level),) * 2, *(WheelReading(140.0),) * 2), lap_case.conditions, 20.0)
    found = next_toes(lap_case, base, lap, [reading])
    assert [advice.axle for advice in found] == ["front"] and found[0].spread_s > 0
    moved = solve_lap(lap_case, Sheet(base.car_key, {**base.values, found[0].item.key: found[0].value}), initial_guess=lap)
    warmer = sum(moved.tyres.temperature_c[:2]) - sum(lap.tyres.temperature_c[:2])
    assert warmer == pytest.approx(2 * found[0].moves_k, abs=0.3) and warmer * off_k < 0 and abs(found[0].steps) <= 4


def test_an_axle_within_its_window_keeps_its_toe() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    best = lap_case.compounds[0].temperature_opt_c
    reading = Reading((WheelReading(140.0, None, (best + 3, best, best - 3)),) * 4, lap_case.conditions, 20.0)
    base = base_sheet(lap_case.car)
    assert next_toes(lap_case, base, solve_lap(lap_case, base), [reading]) == ()


def test_the_wheel_that_lost_most_is_told_first_beside_the_models_share() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    lap = solve_lap(lap_case, base_sheet(lap_case.car))
    wheels = tuple(WheelReading(140.0, left=left) for left in (0.8, 0.9, 0.7, 0.6))
    story = wear_story(lap_case, lap, Reading((wheels[0], wheels[1], wheels[2], wheels[3]), lap_case.conditions, 20.0))
    assert story[0][0] == "rear right" and story[0][1] == pytest.approx(0.4) and sum(row[1] for row in story) == pytest.approx(1.0)
    work = [lap.slip_energy_j[w] * lap_case.compounds[w // 2].wear_per_mj for w in range(4)]
    assert story[0][2] == pytest.approx(work[3] / sum(work))
    assert wear_story(lap_case, lap, Reading((WheelReading(140.0),) * 4, lap_case.conditions, 20.0)) == []
