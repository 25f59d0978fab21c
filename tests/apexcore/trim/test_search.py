"""The search against brute force, its neighbours and its limits."""

import itertools
from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import InputError
from apexcore.lap.solver import solve_lap
from apexcore.trim.moves.search import AIM_WORDS, Found, Limits, _Search, search
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import base_sheet
from tests.amounts import many
from tests.conftest import demo_car, demo_lap_case


def shortened(item: Item, around: int) -> Item:
    """The item with only a few steps to either side of its base."""
    low, high = (max(item.low, item.base - around * item.step), min(item.high, item.base + around * item.step))
    return item.model_copy(update={"low": low, "high": high, "names": ()})


@pytest.mark.parametrize(
    ("car_key", "circuit_key", "keys"),
    [
        *many(
            [],
            [
                ("brackendale_gt", "sallowmere_fen", ("bar_front", "bar_rear", "wing", "brake_bias")),
                ("ferrow_lark", "quernlow", ("wing_front", "wing", "diff_coast", "final_drive")),
            ],
        ),
        ("wisp_125", "quernlow", ("sprocket", "track_rear", "pressure_rl", "torsion_front")),
    ],
)
@pytest.mark.thorough_only
def test_four_items_end_where_brute_force_ends(car_key: str, circuit_key: str, keys: tuple[str, ...]) -> None:
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    items = [shortened(lap_case.car.item(key), 2) for key in keys]
    base = base_sheet(lap_case.car)
    found = search(lap_case, spans, base, items)
    work = _Search(lap_case, spans, items, base, "lap", Limits(), 12, lambda: False)
    values = [[item.check(item.nearest(v)) for v in np.arange(item.low, item.high + item.step / 2, item.step)] for item in items]
    best = min(work.tried(work.sheet(combination)).cost_s for combination in itertools.product(*values))
    assert found.after.cost_s == pytest.approx(best, abs=1e-3)
    assert found.after.cost_s < found.before.cost_s


@pytest.fixture(scope="module")
def kart() -> Found:
    lap_case, spans = demo_lap_case("wisp_125", "quernlow")
    return search(lap_case, spans, base_sheet(lap_case.car), lap_case.car.items)


@pytest.mark.thorough_only
def test_no_single_step_beats_the_result(kart: Found) -> None:
    lap_case, spans = demo_lap_case("wisp_125", "quernlow")
    items = [item for item in lap_case.car.items if not item.locked]
    work = _Search(lap_case, spans, items, base_sheet(lap_case.car), "lap", Limits(), 12, lambda: False)
    best = work.tried(kart.sheet)
    assert kart.finished
    for item, steps, moved in work.neighbours(kart.sheet):
        assert not work.better(work.tried(moved), best), (item.name, steps)


@pytest.mark.thorough_only
def test_the_changes_lead_from_the_first_sheet_to_the_best_in_order_of_worth(kart: Found) -> None:
    car, base = demo_car("wisp_125"), base_sheet(demo_car("wisp_125"))
    values = dict(base.values)
    for change in kart.changes:
        assert change.value == pytest.approx(values[change.item.key] + change.steps * change.item.step)
        values[change.item.key] = change.value
    assert values == pytest.approx(dict(kart.sheet.values))
    assert sum(change.gain_s for change in kart.changes) == pytest.approx(kart.after.cost_s - kart.before.cost_s, abs=1e-9)
    assert kart.changes[0].gain_s == min(change.gain_s for change in kart.changes[:3])
    assert all(car.item(change.item.key) for change in kart.changes)
    laps, tops = zip(*kart.trade, strict=True)
    assert list(laps) == sorted(laps) and list(tops) == sorted(tops)


@pytest.mark.thorough_only
def test_limits_are_kept_where_the_free_search_would_pass_them() -> None:
    lap_case, spans = demo_lap_case("brackendale_gt", "sallowmere_fen")
    base = base_sheet(lap_case.car)
    items = [lap_case.car.item(key) for key in ("wing", "bar_front", "bar_rear", "final_drive")]
    free = search(lap_case, spans, base, items)
    bound = search(lap_case, spans, base, items, limits=Limits(top_ms=0.0, entry_pct=0.2))
    lap, begin = solve_lap(lap_case, bound.sheet), solve_lap(lap_case, base)
    assert bound.after.excess == pytest.approx(0.0, abs=1e-6)
    assert lap.top_speed_ms >= begin.top_speed_ms - 0.01
    assert free.after.cost_s < bound.after.cost_s < bound.before.cost_s


@pytest.mark.parametrize("aim", list(AIM_WORDS))
@pytest.mark.thorough_only
def test_every_aim_is_served(aim: str) -> None:
    lap_case, spans = demo_lap_case("ferrow_lark", "quernlow")
    lap_case = replace(lap_case, driver=replace(lap_case.driver, ability=0.97))
    base = base_sheet(lap_case.car)
    items = [lap_case.car.item(key) for key in ("wing", "wing_front", "brake_bias")]
    told: list[float] = []
    found = search(lap_case, spans, base, items, aim, laps=5, progress=told.append)  # type: ignore[arg-type]
    assert found.after.cost_s < found.before.cost_s
    assert told == sorted(told) and told[-1] == 1.0
    if aim == "top":
        assert found.after.top_ms > found.before.top_ms


def test_a_stopped_search_gives_the_best_so_far() -> None:
    lap_case, spans = demo_lap_case("wisp_125", "quernlow")
    calls = iter([False, True, True, True, True])
    found = search(lap_case, spans, base_sheet(lap_case.car), lap_case.car.items, stopped=lambda: next(calls, True))
    assert not found.finished and found.after.cost_s <= found.before.cost_s


def test_without_a_free_item_there_is_nothing_to_search() -> None:
    lap_case, spans = demo_lap_case("drummock_stallard", "hollin_bowl")
    with pytest.raises(InputError, match="free items"):
        search(lap_case, spans, base_sheet(lap_case.car), [lap_case.car.item("spoiler")])
