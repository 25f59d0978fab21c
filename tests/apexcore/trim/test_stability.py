"""How firmly a car holds its course: by hand where that can be done, and in the order that everybody knows."""

from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import corners
from apexcore.lap.solver import COLUMN, solve_lap
from apexcore.trim.reading.analysis import analyse
from apexcore.trim.reading.stability import stability, yaw_margins
from apexcore.trim.reading.systems import systems
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet
from apexcore.vehicle.weights import weights
from tests.apexcore.lap.test_controls import with_controls
from tests.conftest import demo_circuit, demo_lap_case


def changed(sheet: Sheet, **values: float) -> Sheet:
    return Sheet(sheet.car_key, {**sheet.values, **values})


def test_margins_are_those_of_the_brush_model_by_hand() -> None:
    case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    sheet = base_sheet(case.car)
    car, lap = adjusted(case.car, sheet), solve_lap(case, sheet)
    data = lap.data.copy()
    data[0, [COLUMN["load_fl"], COLUMN["load_fr"], COLUMN["load_rl"], COLUMN["load_rr"]]] = (3000.0, 3000.0, 3500.0, 4500.0)
    data[0, [COLUMN["front_utilisation"], COLUMN["rear_utilisation"]]] = (0.875, 0.0)
    margin = yaw_margins(case, car, replace(lap, data=data))[0]
    behind, stiff = weights(car).cg_from_front_m, case.compounds[0].stiffness_per_rad
    front, rear = stiff * 6000.0 * 0.25, stiff * 8000.0  # (1 - 7/8)^(2/3) is a quarter
    expected = ((car.wheelbase_m - behind) * rear - behind * front) / (car.wheelbase_m * (front + rear))
    assert margin == pytest.approx(expected)


def test_wing_steadies_at_top_speed_and_bias_steadies_the_entry() -> None:
    case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(case.car)

    def read(**values: float) -> tuple[float, float]:
        sheet = changed(base, **values)
        found = stability(case, adjusted(case.car, sheet), solve_lap(case, sheet), spans)
        assert found.entry_pct is not None and found.corner > 0
        return found.top_pct, found.entry_pct

    tops = [read(wing=wing)[0] for wing in (1, 4, 8)]
    assert tops[0] < tops[1] < tops[2]
    entries = [read(brake_bias=bias)[1] for bias in (66, 74, 82)]
    assert entries[0] < entries[1] < entries[2]
    assert read(brake_bias=66)[0] == pytest.approx(read(brake_bias=82)[0], abs=0.1)


def test_nothing_is_said_of_entries_where_none_is_braked_for() -> None:
    case, _ = demo_lap_case("brackendale_gt", "longreach")
    sheet = base_sheet(case.car)
    found = stability(case, adjusted(case.car, sheet), solve_lap(case, sheet), corners(demo_circuit("longreach"), case.line))
    assert found.entry_pct is None and np.isfinite(found.top_pct)


def test_systems_say_where_they_are_at_work(car: Car) -> None:
    case, spans = demo_lap_case("pentlow_hare", "sallowmere_fen")
    off = analyse(case, spans, base_sheet(case.car))
    assert off.systems.traction_s is None and off.systems.antilock_s is None and off.store_kj is None
    both = with_controls(case.car, 0.95, 0.92)
    told = replace(case, car=both)
    lap = solve_lap(told, base_sheet(both))
    found = systems(adjusted(both, base_sheet(both)), lap)
    dt = lap.column("time")
    assert found.traction_s is not None and 0.5 < found.traction_s < 0.6 * lap.time_s
    assert found.antilock_s == pytest.approx(dt[(lap.column("brake") > 0.05) & (lap.column("brake") < 0.98)].sum())
    # no end locks first where a system holds both
    assert not [text for text in analyse(told, spans, changed(base_sheet(both), brake_bias=60)).warnings if "locks first" in text]
