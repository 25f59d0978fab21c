"""Small parts of the interface, and the commands that set it up."""

import pytest
from django import forms
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command

from apexcore.circuit.conditions import Conditions
from apextrim.ui.fields import QuantityField, bounds, quantity
from apextrim.ui.pictures import linear_axis, round_step
from apextrim.ui.templatetags.apex import chance, change, lap, num, signed


def test_a_change_has_sign_words_and_more_than_colour() -> None:
    assert "−0.120" in change(-0.12) and "quicker" in change(-0.12)
    assert "−0.44" in change(-0.441, 0.363) and "± 0.36" in change(-0.441, 0.363)
    assert "+0.120" in change(0.12) and "slower" in change(0.12)
    assert "no difference seen" in change(-0.0001)


def test_numbers_that_are_not_there_are_a_dash() -> None:
    assert {lap(None), num(None), signed(None), chance(None)} == {"–"}
    assert (chance(0.999), chance(0.001), chance(0.42)) == ("over 99 %", "under 1 %", "42 %")


@pytest.mark.parametrize(("span", "count", "step"), [(1.0, 5, 0.2), (37.0, 8, 5.0), (0.03, 3, 0.01), (900.0, 4, 500.0)])
def test_steps_of_an_axis_are_round(span: float, count: int, step: float) -> None:
    assert round_step(span, count) == pytest.approx(step)


def test_an_axis_places_its_values_and_survives_a_flat_range() -> None:
    axis = linear_axis(0, 10, 100, 200, 5, lambda v: f"{v:g}")
    assert axis.at(5) == 150
    assert [tick.text for tick in axis.ticks] == ["0", "2", "4", "6", "8", "10"]
    assert linear_axis(3, 3, 0, 10, 4, str).at(3) == 5


def test_fields_take_the_bounds_of_the_core() -> None:
    assert bounds(Conditions, "air_c") == (-20.0, 55.0)
    field = quantity(Conditions, "air_c", "Air temperature", "°C")
    assert field.clean("68 °F") == pytest.approx(20.0)
    with pytest.raises(forms.ValidationError, match="expected -20 to 55 °C"):
        field.clean("56")
    assert QuantityField("l", 0, 5, required=False).clean("") is None
    with pytest.raises(forms.ValidationError, match="a whole number"):
        QuantityField("", 0, 5, whole=True).clean("2.5")


@pytest.mark.django_db
def test_a_new_owner_gets_a_car_a_circuit_and_a_decent_password() -> None:
    call_command("new_owner", "lintel", password="osier-in-out-9")
    user = User.objects.get(username="lintel")
    assert user.check_password("osier-in-out-9") and user.cars.count() == 6 and user.circuits.count() == 4
    for name, password in (("lintel", "osier-in-out-9"), ("other", "short"), ("bad name!", "osier-in-out-9")):
        with pytest.raises(CommandError):
            call_command("new_owner", name, password=password)
    assert User.objects.count() == 1


@pytest.mark.django_db
def test_the_demo_tells_its_story_and_loads_once() -> None:
    call_command("load_demo")
    call_command("load_demo")
    assert User.objects.get(username="racer").events.count() == 6
    event = User.objects.get(username="racer").events.get(name="The Sallowmere Trophy, round 2")
    helped, seemed = event.verdicts.all()
    assert helped.sentence.startswith("S2 is quicker than S1")
    assert seemed.sentence.startswith("No difference settled: S3 is between")
    assert {"brief", "sheet", "run", "verdict", "plan"} == set(event.knots.values_list("kind", flat=True))
    assert event.plans.get().stints[0][1] > 0
