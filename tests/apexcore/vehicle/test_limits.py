"""A car's items under the rules of an event."""

import pytest

from apexcore.errors import FileRejected
from apexcore.vehicle.limits import clamped, violations, with_limits
from apexcore.vehicle.sheet import base_sheet, checked_sheet
from tests.conftest import demo_car


def test_an_item_is_held_or_narrowed_and_its_base_moves_inside() -> None:
    car = demo_car("brackendale_gt")
    under = with_limits(car, {"wing": (1, 3), "bar_front": (7, 7)})
    assert (under.item("wing").low, under.item("wing").high, under.item("wing").base) == (1, 3, 3)
    assert under.item("bar_front").locked and under.item("bar_front").base == 7
    assert under.item("bar_rear") == car.item("bar_rear")
    assert checked_sheet(under, base_sheet(under).values).values["wing"] == 3


def test_named_steps_keep_their_names() -> None:
    car = demo_car("brackendale_gt")
    named = next(item for item in car.items if len(item.names) > 2)
    low = named.low + named.step
    item = with_limits(car, {named.key: (low, named.high)}).item(named.key)
    assert item.name_of(low) == named.name_of(low) and len(item.names) == len(named.names) - 1


@pytest.mark.parametrize(
    ("limits", "words"),
    [
        ({"sails": (1, 2)}, "has no such item"),
        ({"wing": (3, 1)}, "is above at most"),
        ({"wing": (1, 99)}, "is not one of its steps"),
        ({"wing": (1.5, 3)}, "is not one of its steps"),
    ],
)
def test_a_rule_that_the_car_cannot_have_is_named(limits: dict[str, tuple[float, float]], words: str) -> None:
    with pytest.raises(FileRejected) as caught:
        with_limits(demo_car("brackendale_gt"), limits)
    assert len(caught.value.problems) == 1 and words in caught.value.problems[0]


def test_what_is_outside_is_told_and_moved_to_the_nearest_value() -> None:
    car = demo_car("brackendale_gt")
    under, sheet = with_limits(car, {"wing": (1, 3), "bar_front": (7, 7)}), base_sheet(car)
    told = violations(under, sheet)
    assert len(told) == 2 and any("allowed 1" in words for words in told) and any("fixed at 7" in words for words in told)
    moved = clamped(under, sheet)
    assert not violations(under, moved) and moved.values["wing"] == 3 and moved.values["bar_rear"] == sheet.values["bar_rear"]


def test_a_rule_on_what_the_maker_holds_is_named() -> None:
    car = demo_car("brackendale_gt")
    held = with_limits(car, {"wing": (3, 3)})
    assert with_limits(held, {"wing": (3, 3)}).item("wing").locked
    with pytest.raises(FileRejected, match="the car fixes it at 3"):
        with_limits(held, {"wing": (2, 5)})
