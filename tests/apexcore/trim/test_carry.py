"""Carrying a sheet over: pressures by the gas law, the rest by how its best moves, nothing where nothing changed."""

from dataclasses import replace

import pytest

from apexcore.circuit.conditions import Conditions
from apexcore.lap.solver import solve_lap
from apexcore.trim.moves.carry import carry_over
from apexcore.vehicle.sheet import base_sheet
from tests.conftest import demo_lap_case

COLD, HOT = Conditions(air_c=12, track_c=16, rubber_pct=30), Conditions(air_c=30, track_c=46, rubber_pct=60)


@pytest.mark.parametrize(
    ("car_key", "circuit_key"), [("brackendale_gt", "sallowmere_fen"), ("ferrow_lark", "quernlow"), ("wisp_125", "quernlow")]
)
def test_hot_pressures_are_those_of_the_other_day(car_key: str, circuit_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, circuit_key)
    base = base_sheet(lap_case.car)
    found = carry_over(replace(lap_case, conditions=HOT), base, COLD)
    then = solve_lap(replace(lap_case, conditions=COLD), base)
    now = solve_lap(replace(lap_case, conditions=HOT), found.sheet)
    moved = [part for part in found.parts if part.item.key.startswith("pressure")]
    assert len(moved) == 4 and all(part.value < part.before for part in moved)
    assert now.hot_kpa == pytest.approx(then.hot_kpa, abs=4.0)
    assert found.then_s == pytest.approx(then.time_s, abs=2e-3) and found.after_s == pytest.approx(now.time_s, abs=2e-3)


@pytest.mark.parametrize("car_key", ["brackendale_gt", "ferrow_lark", "pentlow_hare"])
def test_what_is_changed_beside_pressures_helps_today(car_key: str) -> None:
    lap_case, _ = demo_lap_case(car_key, "sallowmere_fen")
    found = carry_over(replace(lap_case, conditions=HOT), base_sheet(lap_case.car), COLD)
    for part in found.parts:
        assert part.item.low <= part.value <= part.item.high
        assert part.item.key.startswith("pressure") or part.gain_s < 0.0
    assert found.after_s <= found.today_s + 0.01
    assert found.shift_spread_s > 0.07


def test_the_same_weather_changes_nothing() -> None:
    lap_case, _ = demo_lap_case("brackendale_gt", "sallowmere_fen")
    found = carry_over(lap_case, base_sheet(lap_case.car), lap_case.conditions)
    assert found.parts == () and found.after_s == pytest.approx(found.then_s, abs=1e-3)
