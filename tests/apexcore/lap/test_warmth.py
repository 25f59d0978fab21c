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
from apexcore.lap.stint import solve_stint
from apexcore.lap.warmth import Warmed, warmed
from apexcore.vehicle.car import Car
from apexcore.vehicle.heat import Flexed, flexed
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


# -- pressure and camber in the heat


def by_kpa(lap_case: LapCase, kpa: float, camber_deg: float = 0.0) -> Lap:
    """The base sheet's lap with so much more in every tyre, and leaning so much more."""
    tyres = lap_case.car.tyres
    cold, camber = (tuple(one + more for one in ones) for ones, more in ((tyres.cold_kpa, kpa), (tyres.camber_deg, camber_deg)))
    car = lap_case.car.model_copy(update={"tyres": tyres.model_copy(update={"cold_kpa": cold, "camber_deg": camber})})
    items = tuple(item for item in car.items if not item.sets.startswith("tyres."))
    bare = car.model_copy(update={"items": items})
    return solve_lap(replace(lap_case, car=bare), base_sheet(bare))


@pytest.mark.thorough
@pytest.mark.parametrize(("kind", "kpa"), [("kart", 10.0), ("coupe", 20.0), *many([], [("saloon", 20.0), ("roadster", 20.0)])])
def test_softer_tyres_run_hotter_and_harder_ones_cooler(kind: str, kpa: float) -> None:
    """Within the ranges of a study on other cars: the carcass by 1 to 3 K, the tread by nothing or more; and neither is quicker."""
    car = warmed(quick_car(told(np.random.default_rng(7), kind), "any")[0], racing_line(usual_course(kind), car_width_m=1.8)).car
    line, first = racing_line(usual_course(kind), car_width_m=car.width_m), car.tyres.compounds[0]
    case = LapCase(car, line, Conditions(air_c=20, track_c=25), (first, first), driver=LEVELS["front runner"])
    base, soft, hard = (by_kpa(case, more) for more in (0.0, -kpa, kpa))
    carcass = [float(np.mean(one.tyres.carcass_c)) for one in (base, soft, hard)]
    tread = [float(np.mean(one.tyres.temperature_c)) for one in (base, soft, hard)]
    assert 1.0 < carcass[1] - carcass[0] < 3.2 and carcass[2] < carcass[0]
    assert tread[1] > tread[0] and tread[2] < tread[0]
    assert soft.time_s > base.time_s and hard.time_s > base.time_s - 0.02


def test_what_pressure_and_camber_make_of_a_tyre_by_hand() -> None:
    car = quick_car(told(np.random.default_rng(7), "coupe"), "any")[0]
    compound = car.tyres.compounds[0]
    load, best = compound.load_ref_n, compound.pressure_opt_kpa
    assert flexed(car.tyres, compound, best, load) == Flexed()
    soft = flexed(car.tyres, compound, 0.8 * best, load, 3.0)
    assert (soft.heat, soft.drag, soft.patch) == pytest.approx((0.8**-0.8, 0.8**-0.4, 0.8**-0.2))
    assert soft.leant == pytest.approx(1.036)
    assert flexed(car.tyres, compound, 0.1 * best, load).heat == pytest.approx(0.6**-0.8)  # held where nothing was measured
    before = car.tyres.model_copy(update={"pressure_heat": 0.0})
    assert flexed(before, compound, 0.8 * best, load, 3.0) == Flexed()


def test_a_leaning_tyre_runs_a_little_warmer() -> None:
    car = quick_car(told(np.random.default_rng(7), "coupe"), "any")[0]
    line, first = racing_line(usual_course("coupe"), car_width_m=car.width_m), car.tyres.compounds[0]
    case = LapCase(car, line, Conditions(), (first, first))
    off = replace(case, car=car.model_copy(update={"tyres": car.tyres.model_copy(update={"pressure_heat": 0.0})}))
    warmer = [
        float(np.mean(by_kpa(one, 0.0, -4.0).tyres.temperature_c) - np.mean(by_kpa(one, 0.0).tyres.temperature_c)) for one in (case, off)
    ]
    assert warmer[0] > warmer[1] + 0.5


# -- what settles


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("kind", "track_c"), many([("coupe", 28.0)], [(kind, c) for kind in ("kart", "coupe", "roadster") for c in (28.0, 55.0)])
)
def test_a_stint_comes_to_the_settled_lap_and_neighbours_lie_on_a_curve(kind: str, track_c: float) -> None:
    car = warmed(quick_car(told(np.random.default_rng(5), kind), "any")[0], racing_line(usual_course(kind), car_width_m=1.8)).car
    # what long heat and wear do is the stint's own: without them it is only late
    tyres = tuple(one.model_copy(update={"fade_loss": 0.0, "wear_per_mj": 0.0}) for one in car.tyres.compounds)
    car = car.model_copy(update={"tyres": car.tyres.model_copy(update={"compounds": tyres})})
    line = racing_line(usual_course(kind), car_width_m=car.width_m)
    case = LapCase(car, line, Conditions(air_c=0.6 * track_c + 4, track_c=track_c), (tyres[0], tyres[0]), driver=LEVELS["front runner"])
    sheet = base_sheet(car)
    last = solve_stint(case, sheet, car.tank_l, 14)[-1]
    settled_s = solve_lap(replace(case, wear=last.wear), sheet, fuel_l=last.fuel_l).time_s
    assert last.lap.time_s == pytest.approx(settled_s, abs=0.02)
    litres = np.linspace(0.2, 0.9, many(8, 20)) * car.tank_l
    guess = solve_lap(case, sheet)
    for known in (None, guess):
        times = np.array([solve_lap(case, sheet, fuel_l=float(one), initial_guess=known).time_s for one in litres])
        off = times - np.polyval(np.polyfit(litres, times, 3), litres)
        assert np.abs(off).max() < (0.004 if track_c < 40.0 else 0.006)
