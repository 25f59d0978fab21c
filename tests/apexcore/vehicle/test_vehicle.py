import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from apexcore.errors import FileRejected, InputError
from apexcore.vehicle.car import Car, Powertrain
from apexcore.vehicle.levers import LEVERS
from apexcore.vehicle.sheet import Sheet, adjusted, base_sheet, checked_sheet, differences
from apexcore.vehicle.tyres import cold_pressure_kpa, hot_pressure_kpa, temperature_grip, wear_grip


@given(cold=st.floats(60, 300), cold_c=st.floats(0, 40), hot_c=st.floats(40, 130))
def test_hot_pressure_is_the_ideal_gas_law(cold: float, cold_c: float, hot_c: float) -> None:
    hot = hot_pressure_kpa(cold, cold_c, hot_c)
    assert (hot + 101.325) / (hot_c + 273.15) == pytest.approx((cold + 101.325) / (cold_c + 273.15), rel=1e-9)
    assert cold_pressure_kpa(hot, cold_c, hot_c) == pytest.approx(cold, rel=1e-9)


def test_grip_is_best_at_the_window_and_falls_off_the_cliff(car: Car) -> None:
    marl = car.tyres.compound("marl")
    assert temperature_grip(marl, marl.temperature_opt_c) == 1.0 > temperature_grip(marl, marl.temperature_opt_c + 20)
    before = wear_grip(marl, marl.cliff_wear - 0.1) - wear_grip(marl, marl.cliff_wear)
    after = wear_grip(marl, 0.9) - wear_grip(marl, 1.0)
    assert 0 < before < after


def test_every_item_moves_its_own_physical_value(car: Car) -> None:
    base = base_sheet(car)
    for item in car.items:
        assert item.sets in LEVERS
        moved = base.stepped(item, 1) or base.stepped(item, -1)
        assert moved is not None
        before, after = adjusted(car, base).model_dump(), adjusted(car, moved).model_dump()
        changed = [key for key in before if before[key] != after[key]]
        assert changed == [item.sets.split(".")[0]], item.name
        assert [difference.item.key for difference in differences(car, base, moved)] == [item.key]


def test_the_base_sheet_leaves_the_car_as_its_file_says(car: Car) -> None:
    assert adjusted(car, base_sheet(car)).tyres == car.tyres


@pytest.mark.parametrize(
    ("value", "words"),
    [(999.0, "Front anti-roll bar: “999” is not valid; expected 1 to 9 in steps of 1"), (2.5, "2.5"), (float("nan"), "nan")],
)
def test_a_value_off_range_or_step_is_named(car: Car, value: float, words: str) -> None:
    with pytest.raises(InputError, match="expected 1 to 9 in steps of 1") as error:
        car.item("bar_front").check(value)
    assert words in str(error.value)


def test_a_sheet_reports_every_problem_at_once(car: Car) -> None:
    values = dict(base_sheet(car).values) | {"bar_front": 77.0, "sails": 1.0}
    del values["wing"]
    with pytest.raises(FileRejected) as error:
        checked_sheet(car, values)
    assert len(error.value.problems) == 3


def test_a_locked_item_stays_at_its_base(car: Car) -> None:
    locked = car.item("wing").model_copy(update={"locked": True})
    assert locked.stepped(6, 1) is None
    with pytest.raises(InputError, match="locked"):
        locked.check(7)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"torque_nm": ((3000, 100), (2000, 100), (4000, 90))}, "rise"),
        ({"torque_nm": ((2000, 100), (3000, 0), (4000, 90))}, "above 0"),
        ({"gears": (1.0, 2.0)}, "below the one before"),
    ],
)
def test_an_impossible_powertrain_is_refused(car: Car, change: dict[str, object], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        Powertrain.model_validate(car.powertrain.model_dump() | change)


def test_weights_refuse_a_centre_of_gravity_outside_the_wheelbase(car: Car) -> None:
    from apexcore.vehicle.weights import weights

    tail = car.model_copy(update={"mass": car.mass.model_copy(update={"front_share": -0.1})})
    with pytest.raises(InputError, match="centre of gravity"):
        weights(tail)


def test_sheets_of_another_car_differ_in_nothing_known(car: Car) -> None:
    assert differences(car, base_sheet(car), Sheet("other", base_sheet(car).values)) == []
