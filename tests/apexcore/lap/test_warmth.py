"""Heat of tyres that nobody measured: they settle near their best on other circuits and days, and drivers stay in order."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import Line, racing_line
from apexcore.circuit.usual import usual_course
from apexcore.errors import SolverError
from apexcore.lap import warmth
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.lap.warmth import Warmed, warmed
from apexcore.vehicle.car import Car
from apexcore.vehicle.kinds import KINDS
from apexcore.vehicle.quick import Told, quick_car
from apexcore.vehicle.sheet import adjusted, base_sheet
from tests.amounts import many
from tests.apexcore.circuit.test_averaged import random_circuit
from tests.conftest import demo_circuit


def told(rng: np.random.Generator, kind: str) -> Told:
    """A car of a kind as somebody might type it."""
    if kind == "kart":
        kg, kw = float(rng.uniform(150, 190)), float(rng.uniform(10, 26))
        return Told("Kart", "kart", kg, 0.43, kw, 11000, 15000, "rear", 1, float(rng.uniform(95, 120)), tyre_kind="kart")
    kg = float(rng.uniform(520, 720) if kind == "single_seater" else rng.uniform(900, 1450))
    kw = kg * float(rng.uniform(0.12, 0.3))
    tyre = str(rng.choice(["road", "semi", "slick"] if kind in ("saloon", "roadster") else ["slick"]))
    driven = str(rng.choice(["rear", "front"])) if kind == "saloon" else "rear"
    front = 0.61 if driven == "front" else float(rng.uniform(0.44, 0.53))
    return Told("Any", kind, kg, front, kw, 6900, 7500, driven, 4 if kind == "oval" else 6, 250, tyre_kind=tyre)


def settled(car: Car, line: Line, air_c: float, track_c: float, level: str = "front runner", throttle: float = 1.0) -> Lap:
    pair = (car.tyres.compounds[0], car.tyres.compounds[0])
    driver = replace(LEVELS[level], throttle=throttle)
    return solve_lap(LapCase(car, line, Conditions(air_c=air_c, track_c=track_c), pair, driver=driver), base_sheet(car))


def over_k(car: Car, lap: Lap) -> float:
    """Mean over the best, by sliding work [K]."""
    return float(np.average(lap.tyres.temperature_c, weights=lap.slip_energy_j)) - car.tyres.compounds[0].temperature_opt_c


@pytest.mark.thorough
@pytest.mark.parametrize("number", range(many(3, 30)))
def test_any_car_of_the_short_form_settles_near_its_best_and_drivers_stay_in_order(number: int) -> None:
    rng = np.random.default_rng([number, 30])
    kind = list(KINDS)[number % len(KINDS)]
    car = quick_car(told(rng, kind), "any")[0]
    line = racing_line(usual_course(kind), car_width_m=car.width_m)
    found = warmed(car, line)
    assert found.near and all(0.6 <= one <= 2.2 for one in found.scale)
    for air_c, track_c in ((17, 20), (20, 25), (24, 30)):
        lap = settled(found.car, line, air_c, track_c)
        assert abs(over_k(found.car, lap)) < 5.0, (kind, track_c)
        assert max(lap.tyres.temperature_c) < found.car.tyres.compounds[0].temperature_opt_c + 20.0
        for kpa, wheel in zip(lap.hot_kpa, ("fl", "fr", "rl", "rr"), strict=True):
            assert 0.8 < kpa / found.car.tyres.compounds[0].pressure_opt_kpa < 1.25, (kind, wheel)
    for track_c in (5, 25, 50):
        times = [settled(found.car, line, 0.6 * track_c + 5, track_c, level).time_s for level in LEVELS]
        assert times[0] > times[1] - 0.1 and times[1] > times[2] - 0.1, (kind, track_c, times)
        saving = settled(found.car, line, 0.6 * track_c + 5, track_c, throttle=0.9).time_s
        assert saving > times[2] - 0.005, (kind, track_c)


@pytest.mark.thorough_only
@pytest.mark.parametrize("seed", [11, 12, 13])
def test_the_scale_holds_on_a_course_of_another_shape(seed: int) -> None:
    """Found on the usual road course, held on random ones: within the spread that is said of it."""
    rng = np.random.default_rng(seed)
    car = quick_car(told(rng, "coupe"), "any")[0]
    found = warmed(car, racing_line(usual_course("coupe"), car_width_m=car.width_m))
    there = random_circuit(seed)
    lap = settled(found.car, racing_line(there, car_width_m=car.width_m), 20, 25)
    assert abs(over_k(found.car, lap)) < 15.0


def test_pressures_are_filled_for_the_settled_tyre_and_stand_on_the_items_steps() -> None:
    """The item's base is what the car has, also where the racer's own range holds less."""
    kart = Told("Kart", "kart", 165, 0.43, 20, 11000, 15000, "rear", 1, 115, tyre_kind="kart", adjustable={"pressure": "52 to 61 step 1"})
    car = quick_car(kart, "any")[0]
    found = warmed(car, racing_line(demo_circuit("quernlow"), car_width_m=car.width_m)).car
    by_item = adjusted(found, base_sheet(found))
    assert by_item.tyres.cold_kpa == found.tyres.cold_kpa and all(52 <= kpa <= 61 for kpa in found.tyres.cold_kpa)
    assert len(set(found.tyres.cold_kpa)) > 1  # the wheels that work more are filled less
    assert Car.model_validate(found.model_dump()) == found


def test_a_car_that_cannot_take_the_course_is_left_as_it_is(monkeypatch: pytest.MonkeyPatch) -> None:
    def cannot(car: Car, line: Line) -> Warmed:
        raise SolverError("too steep")

    car = quick_car(told(np.random.default_rng(1), "saloon"), "any")[0]
    monkeypatch.setattr(warmth, "warmed", cannot)
    found = warmth.could_warm(car, racing_line(usual_course("saloon"), car_width_m=car.width_m))
    assert found.car == car and found.scale == (1.0, 1.0)
