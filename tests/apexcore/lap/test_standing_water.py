"""Water that stands: where tyres float by a table that is known, and what that does to a lap."""

import itertools
from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from apexcore.circuit.conditions import GRAVITY, Conditions
from apexcore.circuit.features import Pool
from apexcore.circuit.line import racing_line
from apexcore.circuit.places import POOL
from apexcore.lap import kernel
from apexcore.lap.solver import Lap, LapCase, solve_lap
from apexcore.lap.wetness import laps_by_wetness
from apexcore.vehicle.car import Compound
from apexcore.vehicle.sheet import Sheet, base_sheet
from apexcore.vehicle.tyres import floats_at
from tests.apexcore.lap.test_proof import place, record
from tests.conftest import demo_car, demo_circuit

#: Depth of water [mm], and where a tyre begins to float and floats wholly [km/h]: slick at 188 kPa, wet at 200, at 160, half worn at 200.
TABLE = {
    2.5: ((74, 110), (136, 203), (122, 181), (111, 166)), 3.0: ((69, 103), (116, 174), (104, 155), (97, 145)),
    5.0: ((63, 94), (89, 132), (79, 118), (78, 117)), 8.0: ((61, 91), (77, 115), (69, 103), (70, 105)),
}  # fmt: skip


def tyre(key: str) -> Compound:
    return demo_car("garrowby_plover").tyres.compound(key)


@pytest.mark.parametrize("depth_mm", TABLE)
def test_tyres_float_where_a_known_table_has_it(depth_mm: float) -> None:
    asked = (("marl", 188.0, 0.0), ("burdock", 200.0, 0.0), ("burdock", 160.0, 0.0), ("burdock", 200.0, 0.5))
    for (key, kpa, wear), (begins, full) in zip(asked, TABLE[depth_mm], strict=True):
        found = floats_at(tyre(key), kpa, wear, depth_mm)
        assert found is not None and tuple(3.6 * one for one in found) == pytest.approx((begins, full), abs=2.0)
    assert floats_at(tyre("marl"), 188.0, 0.0, 2.0) is None and floats_at(tyre("marl"), 188.0, 0.0, 0.0) is None


def test_grip_falls_smoothly_to_a_tenth_and_only_where_water_stands() -> None:
    car = demo_car("garrowby_plover")
    c = record(car, Conditions(wet_pct=100.0, standing_mm=3.0))
    begins, full = float(c["floats_from"][0]), float(c["floats_to"][0])
    loads = (3000.0, 3000.0, 3000.0, 3000.0)

    def grip(v: float, pool: float = 1.0) -> float:
        there = place()
        there[POOL] = pool
        return float(kernel.axle_grip(c, loads, 0.0, there, v)[0][0])

    dry = grip(0.0)
    assert grip(begins) == dry and grip(full) == pytest.approx(0.1 * dry) and grip(2 * full) == pytest.approx(0.1 * dry)
    assert grip(0.5 * (begins + full)) == pytest.approx(0.55 * dry)
    falling = [grip(v) for v in np.linspace(begins, full, 30)]
    assert all(a >= b for a, b in itertools.pairwise(falling))
    assert grip(2 * full, 0.0) == dry
    plain = record(car, Conditions(wet_pct=100.0, standing_mm=2.0))
    assert kernel.axle_grip(plain, loads, 0.0, place(), 90.0) == kernel.axle_grip(plain, loads, 0.0, place(), 0.0)
    assert kernel.wheel_loads(plain, 10.0, 0.0, 0.0, GRAVITY, 0.0)[0] > 0.0


@cache
def lap(key: str, depth_mm: float, kpa: float = 0.0, pools: tuple[Pool, ...] = ()) -> Lap:
    car, circuit = demo_car("garrowby_plover"), demo_circuit("sallowmere_fen").model_copy(update={"pools": pools})
    line, pair = racing_line(circuit, car_width_m=car.width_m), (tyre(key), tyre(key))
    case = LapCase(car, line, Conditions(air_c=15, track_c=16, wet_pct=100.0, standing_mm=depth_mm), pair)
    base = base_sheet(car)
    return solve_lap(case, Sheet(base.car_key, {item: value + (kpa if item.startswith("pressure") else 0.0) for item, value in base.values.items()}))  # fmt: skip


def test_deeper_water_is_slower_soonest_on_slicks_and_pumped_up_wets_float_later() -> None:
    wets = [lap("burdock", depth).time_s for depth in (0.0, 2.5, 4.0)]
    assert wets[0] < wets[1] < wets[2]
    slicks = [lap("marl", depth).time_s for depth in (0.0, 2.5)]
    assert slicks[1] - slicks[0] > 3.0 * (wets[1] - wets[0])
    assert lap("burdock", 3.0, 20.0).time_s < lap("burdock", 3.0).time_s - 1.0
    v = lap("burdock", 3.0).top_speed_ms
    floats = floats_at(tyre("burdock"), 170.0, 0.0, 3.0)
    assert floats is not None and floats[0] < v < floats[1]  # the driven tyres float before the engine ends


def test_pools_slow_a_lap_where_they_lie() -> None:
    dry_line = lap("burdock", 0.0)
    pool = (Pool(from_m=2050, to_m=2250),)
    some, everywhere = lap("burdock", 4.0, 0.0, pool), lap("burdock", 4.0)
    assert dry_line.time_s < some.time_s < everywhere.time_s
    case_line = racing_line(demo_circuit("sallowmere_fen").model_copy(update={"pools": pool}))
    inside = case_line.places[0][:, POOL] > 0.5
    assert 150 < case_line.ds[inside].sum() < 250
    assert some.column("speed")[inside[: len(some.data)]].max() < dry_line.column("speed")[inside[: len(some.data)]].max() - 3.0


@pytest.mark.thorough_only
def test_water_stands_on_a_soaked_road_only() -> None:
    car = demo_car("garrowby_plover")
    line = racing_line(demo_circuit("quernlow"), car_width_m=car.width_m)
    case = LapCase(car, line, Conditions(air_c=15, track_c=16), (tyre("burdock"),) * 2)
    plain, deep = (laps_by_wetness(replace(case, conditions=replace_mm(case.conditions, mm)), base_sheet(car)) for mm in (0.0, 5.0))
    for a, b in zip(plain, deep, strict=True):
        assert a.times_s[:-1] == pytest.approx(b.times_s[:-1], abs=1e-9) and b.times_s[-1] > a.times_s[-1]


def replace_mm(conditions: Conditions, mm: float) -> Conditions:
    return conditions.model_copy(update={"standing_mm": mm})
