"""A car as its class sees it, against weights and powers reckoned apart from it."""

import itertools
import random
from collections.abc import Iterator

import numpy as np
import pytest
from pydantic import ValidationError

from apexcore.vehicle.car import FuelMap
from apexcore.vehicle.class_limits import ClassLimits, Standing, against, breaches, peak_power_kw, standing
from apexcore.vehicle.sheet import Sheet, base_sheet
from tests.conftest import demo_car


def peak_gaps(curves: int) -> Iterator[float]:
    """Relative distances of the peaks of random torque curves from those of a fine sweep."""
    dice = random.Random(4)
    drive = demo_car("brackendale_gt").powertrain
    for _ in range(curves):
        speeds = sorted(dice.sample(range(800, 14000, 50), dice.randint(3, 9)))
        points = tuple((float(rpm), dice.uniform(20.0, 600.0)) for rpm in speeds)
        limit = dice.uniform(1001.0, 15000.0)
        kept = dice.uniform(0.3, 1.0)
        one = drive.model_copy(update={"torque_nm": points, "limit_rpm": limit, "restrictor": kept, "maps": ()})
        rpm = np.union1d(np.linspace(min(points[0][0], limit), limit, 200_001), [s for s in speeds if s <= limit])
        swept = float(np.max(np.interp(rpm, *np.array(points).T) * rpm)) * np.pi / 30_000.0 * kept
        yield abs(peak_power_kw(one) / swept - 1.0)


def test_the_peak_of_random_torque_curves_is_that_of_a_fine_sweep() -> None:
    assert max(peak_gaps(200)) < 1e-6


def test_power_is_that_of_the_strongest_map_whatever_is_chosen() -> None:
    drive = demo_car("pentlow_hare").powertrain
    maps = (FuelMap(name="save", torque=0.8, fuel=0.7), FuelMap(name="full", torque=1.0, fuel=1.0))
    powers = {peak_power_kw(drive.model_copy(update={"maps": maps, "map_position": place})) for place in (1.0, 2.0)}
    assert powers == {peak_power_kw(drive.model_copy(update={"maps": ()}))}


def test_the_scales_take_driver_ballast_and_the_fuel_that_the_class_names() -> None:
    car = demo_car("ferrow_lark")
    sheet = base_sheet(car)
    full = Sheet(car.key, {**sheet.values, "fuel": 20.0, "ballast_nose": 7.0, "ballast_seat": 4.0})
    assert standing(car, full, ClassLimits()).weight_kg == pytest.approx(468 + 76 + 11)
    assert standing(car, full, ClassLimits(scales_fuel_l=3.0)).weight_kg == pytest.approx(555 + 3 * car.mass.fuel_kg_per_l)
    assert standing(car, full, ClassLimits()).ballast_kg == pytest.approx(11.0)


def test_each_limit_is_kept_to_its_last_gram_and_broken_beyond_it() -> None:
    stands = Standing(weight_kg=600.0, power_kw=150.0, ballast_kg=20.0)
    sides = {"least_kg": (600.0, 600.001), "most_kw": (150.0, 149.999), "least_kg_per_kw": (4.0, 4.0001), "most_ballast_kg": (20.0, 19.999)}
    for (key, (kept, broken)), other in itertools.product(sides.items(), sides):
        assert all(one.ok for one in against(ClassLimits.model_validate({key: kept}), stands))
        both = against(ClassLimits.model_validate({key: broken, other: sides[other][0 if other != key else 1]}), stands)
        assert [one.key for one in both if not one.ok] == [key]
        assert all(" 0.0 " not in one.sentence and "0.000 " not in one.sentence for one in both if not one.ok)


def test_a_breach_says_by_how_much() -> None:
    car = demo_car("wisp_125")
    assert breaches(car, base_sheet(car), ClassLimits(least_kg=170.5)) == [
        "weight with driver: 9.5 kg below the least that the class allows, 170.5 kg"
    ]
    assert breaches(car, base_sheet(car), ClassLimits()) == [] and not ClassLimits(scales_fuel_l=4.0).any


@pytest.mark.parametrize(
    "wrong", [{"least_kg": -3.0}, {"most_kw": 0.0}, {"least_kg_per_kw": float("nan")}, {"most_ballast_kg": 1e9}, {"x": 1}]
)
def test_limits_that_cannot_be_are_refused(wrong: dict[str, float]) -> None:
    with pytest.raises(ValidationError):
        ClassLimits.model_validate(wrong)
