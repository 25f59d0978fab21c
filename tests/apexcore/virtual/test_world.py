import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.lap.solver import Setting
from apexcore.vehicle.sheet import Sheet
from apexcore.virtual.world import VirtualDriver, true_car, virtual_run


def test_the_same_seed_drives_the_same_laps(setting: Setting, sheet: Sheet) -> None:
    assert virtual_run(setting, sheet, 30, 8, 1).laps == virtual_run(setting, sheet, 30, 8, 1).laps
    assert virtual_run(setting, sheet, 30, 8, 1).laps != virtual_run(setting, sheet, 30, 8, 2).laps


def test_a_run_begins_and_ends_in_the_pits(setting: Setting, sheet: Sheet) -> None:
    laps = virtual_run(setting, sheet, 30, 8, 4).laps
    assert (laps[0].kind, laps[-1].kind) == ("out", "in")
    assert all(lap.fuel_l and lap.fuel_l > 1 for lap in laps)


def test_mistakes_and_traffic_are_as_frequent_as_said(setting: Setting, sheet: Sheet) -> None:
    driver = VirtualDriver(mistakes=0.2, traffic=0.1)
    kinds = [lap.kind for seed in range(12) for lap in virtual_run(setting, sheet, 40, 14, seed, driver).laps[1:-1]]
    assert np.mean([kind == "spoiled" for kind in kinds]) == pytest.approx(0.28, abs=0.13)


def test_the_true_car_differs_from_its_book_but_keeps_its_items(setting: Setting) -> None:
    truth = true_car(setting.car, 7)
    assert truth.items == setting.car.items
    assert truth.aero.drag_area_m2 != setting.car.aero.drag_area_m2


def test_fuel_that_does_not_last_is_refused(setting: Setting, sheet: Sheet) -> None:
    with pytest.raises(InputError, match="fuel at start"):
        virtual_run(setting, sheet, 5, 10, 1)
