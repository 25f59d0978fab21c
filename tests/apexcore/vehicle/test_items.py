"""An item cannot lie: what it says it moves is there, is moved by it alone, and can be shown."""

import json
import re
from pathlib import Path
from typing import Any

import pytest
from pydantic import ValidationError

from apexcore.formats.values_json import read_value
from apexcore.vehicle.car import Car
from apexcore.vehicle.items import Item
from apexcore.vehicle.levers import LEVERS, leaves, refusal
from apexcore.vehicle.sheet import adjusted, base_sheet
from tests.conftest import demo_car, demo_files

DOCS = Path(__file__).parents[3] / "docs"


def with_item(car: Car, **changes: Any) -> Car:
    """The car with one more item: a driver's weight, changed as told."""
    item = {
        "key": "more", "name": "More", "place": "car", "unit": "kg", "low": 60, "high": 90, "step": 1, "base": 75, "decimals": 0,
        "sets": "mass.driver_kg",
    }  # fmt: skip
    tree = json.loads(car.model_dump_json())
    return Car.model_validate({**tree, "items": [*tree["items"], {**item, **changes}]})


@pytest.mark.parametrize(
    ("car_key", "changes", "words"),
    [
        ("brackendale_gt", {"sets": "front.bar_n_per_mm"}, "front.bar_n_per_mm is set by"),
        ("brackendale_gt", {"sets": "front.spring_n_per_mm.1"}, "front.spring_n_per_mm.1 is set by"),
        ("brackendale_gt", {"sets": "rear.damper.0.bump_slow"}, "rear.damper.0.bump_slow is set by"),
        ("brackendale_gt", {"sets": "powertrain.gears.9"}, "does not have gear 10 of 6"),
        ("brackendale_gt", {"sets": "powertrain.gears.6"}, "does not have gear 7 of 6"),
        ("brackendale_gt", {"sets": "ballast.5.kg"}, "does not have ballast position 6 of 2"),
        ("drummock_stallard", {"sets": "powertrain.map_position", "low": 1, "high": 2, "base": 1}, "does not have any fuel map"),
        ("wisp_125", {"sets": "rear.bar_n_per_mm"}, "does not have springs at the rear"),
        ("brackendale_gt", {"sets": "rear.chassis_n_per_mm"}, "does not have a rigid axle at the rear"),
        ("brackendale_gt", {"unit": "furlong"}, "“furlong” is no unit that the product knows"),
        ("brackendale_gt", {"step": 0.5}, "0 decimals cannot show the step 0.5"),
        ("brackendale_gt", {"low": 60.5, "base": 75.5, "high": 90.5}, "0 decimals cannot show the low 60.5"),
        ("brackendale_gt", {"high": 250}, "at 250 kg it sets mass.driver_kg to 250; input should be less than or equal to 200"),
        ("brackendale_gt", {"low": 20}, "at 20 kg it sets mass.driver_kg to 20; input should be greater than or equal to 30"),
    ],
)
def test_an_item_that_cannot_be_is_refused_with_the_reason(car_key: str, changes: dict[str, Any], words: str) -> None:
    with pytest.raises(ValidationError) as caught:
        with_item(demo_car(car_key), **changes)
    assert words in str(caught.value)


@pytest.mark.parametrize("third", [2.2, 2.1])
def test_gears_that_do_not_fall_on_the_base_sheet_are_refused(car: Car, third: float) -> None:
    tree = json.loads(car.model_dump_json())
    second = next(item for item in tree["items"] if item["sets"] == "powertrain.gears.1")
    item = next(item for item in tree["items"] if item["sets"] == "powertrain.gears.2")
    item |= {"low": second["base"] - 0.5, "base": second["base"] + (third - 2.1), "high": second["base"] + 1}
    with pytest.raises(ValidationError, match="gear 3 is"):
        Car.model_validate(tree)


def test_equal_gears_are_refused(car: Car) -> None:
    tree = json.loads(car.model_dump_json())
    tree["powertrain"]["gears"][3] = tree["powertrain"]["gears"][2]
    with pytest.raises(ValidationError, match="each ratio must be below the one before it"):
        Car.model_validate(tree)


def test_a_lever_of_a_pair_moves_both(car: Car) -> None:
    for lever in ("front.spring_n_per_mm", "rear.damper.rebound_fast"):
        assert len(leaves(lever)) == 2 and all(leaf in LEVERS for leaf in leaves(lever))
    assert {lever for lever in LEVERS if len(leaves(lever)) == 1} > {"fuel_l", "front.damper.0.bump_slow"}


@pytest.mark.parametrize("car_key", demo_files("cars"))
def test_the_cars_that_ship_hold_to_it_at_both_ends_of_every_item(car_key: str) -> None:
    car = demo_car(car_key)
    for item in car.items:
        for value in (item.low, item.high):
            assert refusal(Car, item.sets, item.physical(value)) == ""
            # the whole schema agrees with the check of the one value
            tree = adjusted(car, base_sheet(car)).model_dump(exclude={"items"})
            Car.model_validate({**tree, "items": [item.model_dump()]})


def test_the_example_of_the_docs_is_followed_to_the_letter() -> None:
    text = (DOCS / "adding.md").read_text()
    found = re.search(r"```json\n(.*?)```", text, re.DOTALL)
    assert found
    named = re.search(r"`demo/cars/(\w+)\.json`", text)
    assert named
    tree = json.loads(demo_car(named.group(1)).model_dump_json())
    example = json.loads(found.group(1))
    file = json.dumps({**tree, "key": "with_restrictor", "items": [*tree["items"], example]})
    car = read_value(file.encode(), Car, "a car")
    item = car.item(example["key"])
    assert isinstance(item, Item)
    sheet = base_sheet(car)
    less = sheet.stepped(item, -1)
    assert less is not None
    assert adjusted(car, sheet).powertrain.restrictor == 1.0
    assert adjusted(car, less).powertrain.restrictor == pytest.approx(0.98)
