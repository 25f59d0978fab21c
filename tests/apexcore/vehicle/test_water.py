"""Water on the road: what each kind of tyre loses by hand, crossings on cars made in two minutes, heat that water takes."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.circuit.line import racing_line
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.vehicle.car import IN_WET, SLICK_IN_WET, Car, Compound
from apexcore.vehicle.heat import Water, flow
from apexcore.vehicle.quick import Told, quick_car
from apexcore.vehicle.sheet import base_sheet
from apexcore.vehicle.tyres import cold_pressure_kpa, wet_grip
from tests.amounts import THOROUGH, many
from tests.conftest import demo_car, demo_circuit

#: Three cars that the study of water did not have.
COUPE = Told("Coupe", "coupe", 1290, 0.49, 330, 7100, 7600, "rear", 6, 270, tyre_kind="slick", wing=True)
FOUR = Told("Four", "saloon", 1180, 0.55, 260, 6800, 7200, "all", 6, 250, tyre_kind="slick")
KART = Told("Kart", "kart", 170, 0.43, 20, 11000, 15000, "rear", 1, 115, tyre_kind="kart")
#: How often each tyre is filled anew for its lap.
_FILLED = 2 if THOROUGH else 1
WET = (0.0, 0.1, 0.25, 0.4, 0.55, 0.7, 0.85, 1.0) if THOROUGH else (0.0, 0.2, 0.4, 0.65, 1.0)


@cache
def car_of(told: str) -> Car:
    return quick_car({"coupe": COUPE, "four": FOUR, "kart": KART}[told], "any")[0]


@cache
def lap(told: str, key: str, wet: float, air_c: float) -> tuple[float, tuple[float, ...]]:
    """Time and treads of a settled lap whose tyres are filled for it."""
    car = car_of(told)
    compound = car.tyres.compound(key)
    line = racing_line(demo_circuit("quernlow" if told == "kart" else "sallowmere_fen"), car_width_m=car.width_m)
    for _ in range(_FILLED):
        case = LapCase(
            car, line, Conditions(air_c=air_c, track_c=air_c, wet_pct=100 * wet), (compound, compound), driver=LEVELS["front runner"]
        )
        found = solve_lap(case, base_sheet(car))
        filled = tuple(cold_pressure_kpa(compound.pressure_opt_kpa, car.tyres.cold_at_c, c) for c in found.tyres.carcass_c)
        car = car.model_copy(update={"tyres": car.tyres.model_copy(update={"cold_kpa": filled})})
    found = solve_lap(replace(case, car=car), base_sheet(car))
    return found.time_s, found.tyres.temperature_c


def crossings(told: str, one: str, other: str, air_c: float) -> list[float]:
    apart = np.array([lap(told, one, wet, air_c)[0] - lap(told, other, wet, air_c)[0] for wet in WET])
    turns = np.flatnonzero(np.diff(np.sign(apart)))
    return [float(WET[k] - apart[k] * (WET[k + 1] - WET[k]) / (apart[k + 1] - apart[k])) for k in turns]


def test_what_water_takes_is_the_compounds_own() -> None:
    """By hand at both ends and between; nothing on a dry road, to the last digit, so that dry laps of before stand."""
    base = demo_car("brackendale_gt").tyres.compounds[0]
    for loss, power in (*IN_WET.values(), (0.3, 1.0), (0.2, 2.0)):
        compound = base.model_copy(update={"wet_loss": loss, "wet_power": power})
        assert wet_grip(compound, 0.0) == 1.0 and wet_grip(compound, 1.0) == pytest.approx(1.0 - loss, abs=1e-12)
        by_hand = 1.0 - loss * (0.52**power - 0.02**power) / (1.02**power - 0.02**power)
        assert wet_grip(compound, 0.5) == pytest.approx(by_hand, abs=1e-12)
        steps = np.diff([wet_grip(compound, wet) for wet in np.linspace(0, 1, 101)])
        assert np.all(steps < 0.0) and abs(steps[0]) < 0.02  # the first hundredth is no cliff
    dry = Water.of(Conditions())
    assert (dry.road, dry.air, dry.wall) == (1.0, 1.0, 1.0)


def test_a_file_of_before_says_its_kind_or_is_a_slick() -> None:
    told = demo_car("brackendale_gt").tyres.compounds[0].model_dump(exclude={"wet_loss", "wet_power"})
    assert (Compound.model_validate(told).wet_loss, Compound.model_validate(told).wet_power) == SLICK_IN_WET
    for key, (loss, power) in IN_WET.items():
        found = Compound.model_validate({**told, "key": key})
        assert (found.wet_loss, found.wet_power) == (loss, power)
    own = Compound.model_validate({**told, "key": "wet", "wet_loss": 0.2})
    assert own.wet_loss == 0.2  # what a file says stands


@pytest.mark.thorough
@pytest.mark.parametrize("told", many(["four"], ["coupe", "four", "kart"]))
def test_each_tyre_has_its_water(told: str) -> None:
    """One crossing each way between 10 and 20 degC, dry tyres ahead in the dry and wets on a soaked road by seconds, not by a dozen."""
    for air_c in many([14.0], [10.0, 14.0, 18.0]):
        if told == "kart":
            (only,) = crossings(told, "kart", "kart_wet", air_c)
            assert 0.2 <= only <= 0.45
        else:
            (first,), (second,) = crossings(told, "slick", "intermediate", air_c), crossings(told, "intermediate", "wet", air_c)
            assert 0.2 <= first <= 0.36 and 0.49 <= second <= 0.71, (air_c, first, second)
        dry, wet = ("kart", "kart_wet") if told == "kart" else ("slick", "wet")
        assert 3.0 < lap(told, dry, 1.0, air_c)[0] - lap(told, wet, 1.0, air_c)[0] < 11.5
        assert 3.0 < lap(told, wet, 0.0, air_c)[0] - lap(told, dry, 0.0, air_c)[0] < 12.0


def test_a_slick_stays_cold_in_water_and_a_wet_overheats_on_a_drying_road() -> None:
    assert max(lap("four", "slick", 1.0, 14.0)[1]) < 45.0
    compound = car_of("four").tyres.compound("wet")
    assert max(lap("four", "wet", 0.1, 24.0)[1]) > compound.temperature_opt_c + 10.0


def test_water_carries_off_what_it_says() -> None:
    """Conductances by hand: road and air at half and full wetness, the carcass by half of the air's."""
    tyres = demo_car("brackendale_gt").tyres
    dry, half, full = (flow(tyres, Conditions(wet_pct=wet), 0, 1e4, 500.0, 40.0) for wet in (0, 50, 100))
    assert (
        full.road == pytest.approx(3.2 * dry.road)
        and full.air == pytest.approx(2.2 * dry.air)
        and full.wall == pytest.approx(1.6 * dry.wall)
    )
    assert half.road == pytest.approx((1 + 2.2 * 0.5**0.8) * dry.road)
    assert full.settled_grip_c() < half.settled_grip_c() < dry.settled_grip_c()


@pytest.mark.thorough
def test_a_tyre_with_more_tread_loses_less_whatever_the_water() -> None:
    rng = np.random.default_rng(4)
    base = demo_car("wisp_125").tyres.compounds[0]
    for _ in range(many(50, 2000)):
        loss, power, wet = float(rng.uniform(0, 0.7)), float(rng.uniform(0.3, 3)), float(rng.uniform(0, 1))
        one, other = (base.model_copy(update={"wet_loss": loss * k, "wet_power": power}) for k in (0.5, 1.0))
        assert wet_grip(other, wet) <= wet_grip(one, wet) <= 1.0
