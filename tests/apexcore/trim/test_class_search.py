"""Ballast and restrictor under class limits, against every sheet that there is."""

import itertools
import random
from dataclasses import replace

import numpy as np
import pytest

from apexcore.errors import InputError, NoLegalSheet
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.trim.moves.class_search import class_search, movable, restrictor_of
from apexcore.trim.moves.search import Limits, search
from apexcore.trim.reading.bounds import BOUNDS
from apexcore.vehicle.car import Ballast
from apexcore.vehicle.class_limits import ClassLimits
from apexcore.vehicle.items import Item
from apexcore.vehicle.sheet import Sheet, base_sheet
from tests.amounts import many
from tests.conftest import demo_lap_case


def with_items(
    lap_case: LapCase, places: list[tuple[float, float, float, float]], restrictor: tuple[float, float, float] | None
) -> LapCase:
    """The case with ballast at these places (step [kg], most [kg], behind the front axle [m], left [m]) and a restrictor."""
    car = lap_case.car
    items = [item for item in car.items if not item.sets.startswith(("ballast.", "powertrain.restrictor"))]
    for n, (step, most, _, _) in enumerate(places):
        fields = {"key": f"place_{n}", "name": f"Place {n}", "place": "car", "unit": "kg", "low": 0, "high": most, "step": step, "base": 0}
        items.append(Item.model_validate({**fields, "decimals": 2, "sets": f"ballast.{n}.kg"}))
    if restrictor is not None:
        low, high, step = restrictor
        fields = {"key": "plate", "name": "Plate", "place": "car", "unit": "%", "low": low, "high": high, "step": step, "base": high}
        items.append(Item.model_validate({**fields, "decimals": 2, "sets": "powertrain.restrictor", "scale": 0.01}))
    ballast = tuple(Ballast(key=f"b{n}", kg=0, from_front_m=at, left_m=left, height_m=0.2) for n, (_, _, at, left) in enumerate(places))
    return replace(lap_case, car=car.model_copy(update={"items": tuple(items), "ballast": ballast}))


def by_trying_all(lap_case: LapCase, sheet: Sheet, limits: ClassLimits) -> tuple[float, int]:
    """The quickest of all legal sheets [s], and how many there are; weighed and rated here, not by the product's own code."""
    car, anchor = lap_case.car, solve_lap(lap_case, sheet)
    anchor = solve_lap(lap_case, sheet, initial_guess=anchor)
    items = movable(car)
    plate = restrictor_of(car)
    rpm = np.linspace(car.powertrain.torque_nm[0][0], car.powertrain.limit_rpm, 40_001)
    full = float(np.max(np.interp(rpm, *np.array(car.powertrain.torque_nm).T) * rpm)) * np.pi / 30_000.0
    full *= max((one.torque for one in car.powertrain.maps), default=1.0)
    times = []
    for values in itertools.product(*(np.arange(item.low, item.high + 0.5 * item.step, item.step) for item in items)):
        told = {item.key: float(value) for item, value in zip(items, values, strict=True)}
        ballast = sum(value for key, value in told.items() if plate is None or key != plate.key)
        weight = car.mass.dry_kg + car.mass.driver_kg + ballast + limits.scales_fuel_l * car.mass.fuel_kg_per_l
        power = full * (told[plate.key] / 100.0 if plate is not None else car.powertrain.restrictor)
        if weight < (limits.least_kg or 0.0) - 1e-6 or power > (limits.most_kw or 1e9) * (1 + 1e-9):
            continue
        if weight / power < (limits.least_kg_per_kw or 0.0) * (1 - 1e-8) or ballast > (limits.most_ballast_kg or 1e9) + 1e-6:
            continue
        times.append(solve_lap(lap_case, Sheet(car.key, {**sheet.values, **told}), initial_guess=anchor).time_s)
    return min(times, default=float("inf")), len(times)


#: A car, its circuit, places for ballast (step, most, behind the front axle, left), a restrictor (low, high, step), limits.
ClassCase = tuple[str, str, list[tuple[float, float, float, float]], tuple[float, float, float] | None, dict[str, float | None]]
CASES: list[ClassCase] = [
    # two places of equal steps and a plate, weight to power decides: more power is paid for with ballast
    ("ferrow_lark", "quernlow", [(4, 24, 0.2, 0), (4, 24, 1.6, 0)], (84, 100, 4), {"least_kg_per_kw": 4.15, "least_kg": 552}),
    # steps that do not divide one another, most ballast near the least that is needed
    ("ferrow_lark", "quernlow", [(3, 15, 0.3, 0), (5, 25, 2.2, 0)], (90, 100, 5), {"least_kg": 557, "most_ballast_kg": 14}),
    # three places, one off the middle, no plate
    ("wisp_125", "quernlow", [(2, 8, 0.2, 0.3), (2, 8, 0.7, 0), (2, 8, 1.0, -0.3)], None, {"least_kg": 168}),
    # greatest power between two steps of the plate
    ("brackendale_gt", "sallowmere_fen", [(10, 40, 1.0, 0), (10, 40, 3.2, 0)], (80, 100, 5), {"most_kw": 290, "least_kg_per_kw": 4.7}),
    # nothing asks for ballast at all: it may still lie where it helps
    ("ferrow_lark", "quernlow", [(5, 20, 0.1, 0), (5, 20, 2.4, 0)], (90, 100, 2), {"most_kw": 130}),
    # an oval, where ballast goes to one side
    (
        "drummock_stallard",
        "hollin_bowl",
        [(10, 60, 1.0, 0.7), (10, 60, 3.0, -0.2)],
        (90, 100, 5),
        {"least_kg": 1310, "least_kg_per_kw": 4.4},
    ),
]


@pytest.mark.thorough
@pytest.mark.parametrize(("car_key", "circuit", "places", "plate", "limits"), CASES[:: many(5, 1)])
def test_it_ends_where_trying_every_legal_sheet_ends(
    car_key: str,
    circuit: str,
    places: list[tuple[float, float, float, float]],
    plate: tuple[float, float, float] | None,
    limits: dict[str, float | None],
) -> None:
    lap_case = with_items(demo_lap_case(car_key, circuit)[0], places, plate)
    sheet, told = base_sheet(lap_case.car), ClassLimits.model_validate(limits)
    best, count = by_trying_all(lap_case, sheet, told)
    assert count > 0
    found = class_search(lap_case, sheet, told)
    assert found.finished and found.best.lap_s == pytest.approx(best, abs=1.5e-3)


def random_classes(count: int, seed: int = 11) -> list[ClassCase]:
    """Places, steps and limits at random, some of them met by no sheet."""
    dice = random.Random(seed)
    found: list[ClassCase] = []
    for _ in range(count):
        places = [(dice.choice([2.0, 3.0, 5.0]), 15.0, dice.uniform(0.0, 2.5), dice.uniform(-0.5, 0.5)) for _ in range(dice.randint(1, 2))]
        limits = {
            "least_kg": dice.choice([None, dice.uniform(540.0, 565.0)]), "most_kw": dice.choice([None, dice.uniform(110.0, 140.0)]),
            "least_kg_per_kw": dice.uniform(3.9, 4.6), "most_ballast_kg": dice.choice([None, dice.uniform(8.0, 30.0)]),
            "scales_fuel_l": dice.choice([0.0, 5.0]),
        }  # fmt: skip
        found.append(("ferrow_lark", "quernlow", places, (dice.choice([70.0, 85.0]), 100.0, 5.0), limits))
    return found


@pytest.mark.thorough_only
def test_random_classes_and_places_end_there_too() -> None:
    for car_key, circuit, places, plate, told in random_classes(many(2, 12)):
        lap_case, limits = with_items(demo_lap_case(car_key, circuit)[0], places, plate), ClassLimits.model_validate(told)
        sheet = base_sheet(lap_case.car)
        best, count = by_trying_all(lap_case, sheet, limits)
        if count == 0:
            with pytest.raises(NoLegalSheet):
                class_search(lap_case, sheet, limits)
        else:
            assert class_search(lap_case, sheet, limits).best.lap_s == pytest.approx(best, abs=1.5e-3), (places, limits)


@pytest.mark.thorough_only
@pytest.mark.parametrize("step_kg", [2.5, 5.0])
def test_the_best_tooth_of_a_fine_restrictor_is_found(step_kg: float) -> None:
    """Ballast in whole steps makes the time a saw over the restrictor: not every one of its 81 steps is searched in full."""
    lap_case = with_items(demo_lap_case("ferrow_lark", "quernlow")[0], [(step_kg, 40, 0.9, 0)], (80, 100, 0.25))
    sheet, limits = base_sheet(lap_case.car), ClassLimits(least_kg_per_kw=4.1, least_kg=547)
    found = class_search(lap_case, sheet, limits)
    best, _ = by_trying_all(lap_case, sheet, limits)
    assert len(found.steps) < 30 and found.best.lap_s == pytest.approx(best, abs=1.5e-3)


def test_a_class_that_no_sheet_meets_is_said_with_what_is_missing() -> None:
    lap_case = with_items(demo_lap_case("ferrow_lark", "quernlow")[0], [(5, 20, 0.9, 0)], (90, 100, 5))
    sheet = base_sheet(lap_case.car)
    with pytest.raises(NoLegalSheet, match=r"36\.0 kg below the least that the class allows"):
        class_search(lap_case, sheet, ClassLimits(least_kg=600))
    with pytest.raises(NoLegalSheet, match="power"):
        class_search(lap_case, sheet, ClassLimits(most_kw=50))
    with pytest.raises(InputError, match="at least one limit"):
        class_search(lap_case, sheet, ClassLimits())
    fixed = with_items(lap_case, [], None)
    with pytest.raises(InputError, match="no free item"):
        class_search(fixed, base_sheet(fixed.car), ClassLimits(least_kg=500))


def test_stopped_early_it_keeps_the_best_so_far() -> None:
    lap_case = with_items(demo_lap_case("ferrow_lark", "quernlow")[0], [(5, 20, 0.9, 0)], (80, 100, 1))
    asked: list[float] = []
    found = class_search(lap_case, base_sheet(lap_case.car), ClassLimits(least_kg=550), "lap", 12, asked.append, lambda: len(asked) >= 3)
    assert not found.finished and len(found.steps) == 3 and found.best in found.steps
    with pytest.raises(NoLegalSheet, match="Stopped before"):
        class_search(lap_case, base_sheet(lap_case.car), ClassLimits(most_kw=50), "lap", 12, asked.append, lambda: True)


def test_a_stint_has_its_own_best() -> None:
    lap_case = with_items(demo_lap_case("ferrow_lark", "quernlow")[0], [(5, 20, 0.2, 0), (5, 20, 2.0, 0)], None)
    sheet = base_sheet(lap_case.car)
    found = class_search(lap_case, sheet, ClassLimits(least_kg=560), "stint", 5)
    assert found.best.stands.weight_kg >= 560 and found.best.cost_s != found.best.lap_s


def test_a_search_with_free_ballast_never_leaves_the_class() -> None:
    lap_case, spans = demo_lap_case("ferrow_lark", "quernlow")
    sheet = base_sheet(lap_case.car)
    items = [item for item in lap_case.car.items if item.sets.startswith("ballast.")]
    eased = frozenset(BOUNDS)  # without ballast a wheel of this car lifts more
    free = search(lap_case, spans, sheet, items, limits=Limits(eased=eased))
    bound = search(lap_case, spans, sheet, items, limits=Limits(of_class=ClassLimits(least_kg=549), eased=eased))
    weigh = [sum(found.sheet.values[item.key] for item in items) for found in (free, bound)]
    assert weigh[0] < 5.0 <= weigh[1] and bound.after.excess <= 1e-6
