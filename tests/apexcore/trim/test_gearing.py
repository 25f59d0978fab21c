import itertools
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.lap.assembly import aero_areas, gear_thrust
from apexcore.lap.driver import LEVELS
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.figures.gearing import limit_speed_ms, shifts
from apexcore.trim.moves.effects import difference_spread_s, step_effects
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet
from apexcore.vehicle.weights import weights
from apexcore.virtual.world import VirtualDriver, true_car
from tests.amounts import many


def time_to(car: Car, shift_ms: list[float], top_ms: float) -> float:
    """Time from 12 m/s to `top_ms` with these shift speeds, by direct summation."""
    speeds = np.arange(12.0, top_ms, 0.02)
    gear = np.searchsorted(shift_ms, speeds, side="right")
    thrust = gear_thrust(car, speeds, 1.0)[gear, np.arange(len(speeds))]
    drag = 0.5 * Conditions().air_density * speeds**2 * aero_areas(car)[0]
    force = np.maximum(thrust - drag, 1e-3)
    return float((0.02 * weights(car).mass_kg / force).sum())


def best_brute_force(car: Car, top_ms: float) -> float:
    """Least time over all combinations of five shift speeds in every gear [s]."""
    limits = [limit_speed_ms(car, gear) for gear in range(1, len(car.powertrain.gears))]
    sets = itertools.product((0.82, 0.88, 0.94, 0.97, 1.0), repeat=len(limits))
    return min(time_to(car, [limit * part - 0.01 for limit, part in zip(limits, parts, strict=True)], top_ms) for parts in sets)


def test_no_other_shift_speeds_are_quicker(car: Car) -> None:
    found = [shift.speed_ms for shift in shifts(car)]
    assert time_to(car, found, 58.0) <= best_brute_force(car, 58.0) * 1.001


def test_torque_that_falls_in_a_straight_line_is_shifted_where_the_thrusts_cross(car: Car) -> None:
    """T = T0 (1 - n/N): r1 (1 - r1 x) = r2 (1 - r2 x) gives n = N r1 / (r1 + r2) in the lower gear."""
    torque = tuple((rpm, 300.0 * (1 - rpm / 12_000.0)) for rpm in (1000.0, 5000.0, 9500.0))
    drive = car.powertrain.model_copy(update={"torque_nm": torque, "gears": (2.0, 1.6, 1.3), "limit_rpm": 9000.0, "maps": ()})
    found = shifts(car.model_copy(update={"powertrain": drive}))
    assert [shift.rpm for shift in found] == pytest.approx([12_000 * 2.0 / 3.6, 12_000 * 1.6 / 2.9], rel=2e-3)
    assert not any(shift.at_limiter for shift in found)


def test_a_falling_power_curve_is_shifted_before_the_limiter(car: Car) -> None:
    curve = ((2000.0, 450.0), (5000.0, 480.0), (6000.0, 300.0), (7500.0, 150.0))
    peaky = car.model_copy(update={"powertrain": car.powertrain.model_copy(update={"torque_nm": curve})})
    assert not any(shift.at_limiter for shift in shifts(peaky))
    assert all(shift.rpm < car.powertrain.limit_rpm for shift in shifts(peaky))


def test_step_effects_are_the_difference_of_two_laps(lap_case: LapCase, sheet: Sheet) -> None:
    item = lap_case.car.item("bar_front")
    down, up = step_effects(lap_case, sheet, [item])
    stepped = sheet.stepped(item, 1)
    assert stepped is not None
    assert up.lap_s == pytest.approx(solve_lap(lap_case, stepped).time_s - solve_lap(lap_case, sheet).time_s, abs=1e-3)
    assert (down.value, up.value) == (4, 6)


def test_an_item_at_its_end_has_no_step_further(lap_case: LapCase, sheet: Sheet) -> None:
    item = lap_case.car.item("bar_front")
    end = Sheet(sheet.car_key, {**sheet.values, "bar_front": item.high})
    assert step_effects(lap_case, end, [item])[1].value is None


@pytest.mark.parametrize("level", ["front runner", "solid midfielder"])
@pytest.mark.thorough_only
def test_the_spread_of_effects_covers_the_virtual_cars(lap_case: LapCase, sheet: Sheet, level: str) -> None:
    """What the book says of one step against what it does on cars with other true values and a human driver."""
    said_by = replace(lap_case, driver=LEVELS[level])
    book = {(e.item.key, e.steps): e for e in step_effects(said_by, sheet, lap_case.car.items)}
    inside = []
    for seed in range(many(1, 4)):
        truth = true_car(lap_case.car, seed)
        pair = (truth.tyres.compound("marl"),) * 2
        driven = replace(lap_case, car=truth, compounds=pair, driver=VirtualDriver().level)
        for real in step_effects(driven, sheet, truth.items):
            said = book[real.item.key, real.steps]
            if said.value is not None:
                inside.append(abs(real.lap_s - said.lap_s) <= difference_spread_s(said.lap_s))
    assert many(0.88, 0.93) <= float(np.mean(inside)) <= many(1.0, 0.999)


def test_toe_tells_what_the_lap_does_not_have_as_an_estimate(lap_case: LapCase, sheet: Sheet) -> None:
    """Toe-in at the front is understeer on entry, 0.2 to 0.4 % a tenth of a degree; other items tell nothing."""
    item = lap_case.car.item("toe_front")
    out, inwards = step_effects(lap_case, sheet, [item])
    tenths = item.step * item.scale / 0.1
    assert inwards.turn_in_pct == pytest.approx((0.2 * tenths, 0.4 * tenths)) and tenths > 0
    assert out.turn_in_pct == pytest.approx((-0.4 * tenths, -0.2 * tenths))
    assert step_effects(lap_case, sheet, [lap_case.car.item("toe_rear")])[0].turn_in_pct is None
