import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.lap.solver import LapCase
from apexcore.vehicle.sheet import Sheet, base_sheet
from apexcore.virtual.world import VirtualDriver, true_car, virtual_run
from tests.conftest import demo_lap_case


def test_the_same_seed_drives_the_same_laps(lap_case: LapCase, sheet: Sheet) -> None:
    assert virtual_run(lap_case, sheet, 30, 8, 1).laps == virtual_run(lap_case, sheet, 30, 8, 1).laps
    assert virtual_run(lap_case, sheet, 30, 8, 1).laps != virtual_run(lap_case, sheet, 30, 8, 2).laps


def test_a_run_begins_and_ends_in_the_pits(lap_case: LapCase, sheet: Sheet) -> None:
    laps = virtual_run(lap_case, sheet, 30, 8, 4).laps
    assert (laps[0].kind, laps[-1].kind) == ("out", "in")
    assert all(lap.fuel_l and lap.fuel_l > 1 for lap in laps)


def test_mistakes_and_traffic_are_as_frequent_as_said(lap_case: LapCase, sheet: Sheet) -> None:
    driver = VirtualDriver(mistakes=0.2, traffic=0.1)
    kinds = [lap.kind for seed in range(12) for lap in virtual_run(lap_case, sheet, 40, 14, seed, driver).laps[1:-1]]
    assert np.mean([kind == "spoiled" for kind in kinds]) == pytest.approx(0.28, abs=0.13)


def test_the_true_car_differs_from_its_book_but_keeps_its_items(lap_case: LapCase) -> None:
    truth = true_car(lap_case.car, 7)
    assert truth.items == lap_case.car.items
    assert truth.aero.drag_area_m2 != lap_case.car.aero.drag_area_m2


def test_fuel_that_does_not_last_is_refused(lap_case: LapCase, sheet: Sheet) -> None:
    with pytest.raises(InputError, match="fuel at start"):
        virtual_run(lap_case, sheet, 5, 10, 1)


def test_traffic_spoils_a_lap_and_its_loss_falls_on_every_sector() -> None:
    lap_case, _ = demo_lap_case("wisp_125", "quernlow")
    held_up = VirtualDriver(mistakes=0.0, traffic=1.0)
    run = virtual_run(lap_case, base_sheet(lap_case.car), 5.0, 8, 3, driver=held_up, sectors_at=(0.3, 0.6))
    alone = virtual_run(
        lap_case, base_sheet(lap_case.car), 5.0, 8, 3, driver=VirtualDriver(mistakes=0.0, traffic=0.0), sectors_at=(0.3, 0.6)
    )
    assert {lap.kind for lap in run.laps[1:-1]} == {"spoiled"} and {lap.kind for lap in alone.laps[1:-1]} == {"timed"}
    for slow, free in zip(run.laps[1:-1], alone.laps[1:-1], strict=True):
        assert sum(slow.sectors_s) == pytest.approx(slow.time_s, abs=1e-6)
        lost = [b - a for a, b in zip(free.sectors_s, slow.sectors_s, strict=True)]
        assert lost[0] > 0.0 and lost[1] > 0.0  # some of it before the last sector
