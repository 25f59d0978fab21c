"""A car in two minutes, on its page: shown, refused with a reason and kept as typed, pulled by what is known, kept."""

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.library.models import Car
from apextrim.library.stored import parsed_car
from tests.apextrim.traces.test_bring import words

HATCH = {
    "name": "My hatch", "kind": "saloon", "mass": "1050", "driver_kg": "80", "front": "62", "power": "140", "power_rpm": "7000",
    "limit_rpm": "7500", "driven": "front", "gears": "5", "top": "225", "tyre_kind": "semi", "tyre_front": "205/50 R15", "tyre_rear": "",
    "locked": "on", "pace": "solid midfielder", "top_seen": "", "to_100": "", "lap": "",
}  # fmt: skip


@pytest.fixture
def newcomer(db: None) -> Client:
    client = Client()
    client.force_login(User.objects.create_user("new", password="withy-bend-4"))
    return client


def test_an_empty_account_is_told_how_to_begin_and_gets_its_car(newcomer: Client) -> None:
    start = words(newcomer.get("/", follow=True))
    assert "Your car in two minutes" in start and "Copy it into my account" in start and "Open a file" in start
    address = reverse("quick_car")
    shown = newcomer.post(address, {**HATCH, "do": "check"})
    text = words(shown)
    assert shown.status_code == 200 and "Peak power 140 kW" in text and "Wheelbase" in text and "± 8 %" in text
    assert not Car.objects.exists()  # shown, not kept
    kept = newcomer.post(address, {**HATCH, "do": "save"}, follow=True)
    row = Car.objects.get()
    assert "My hatch is in your garage" in words(kept) and row.key == "my_hatch" and len(row.assumed) > 12
    assert {item.key for item in parsed_car(row.data).items} == {f"pressure_{w}" for w in ("fl", "fr", "rl", "rr")} | {"brake_bias", "fuel"}
    page = words(newcomer.get(reverse("edit_car", args=[row.pk])))
    assert "Assumed when this car was described in short" in page
    newcomer.post(address, {**HATCH, "do": "save"})
    assert set(Car.objects.values_list("key", flat=True)) == {"my_hatch", "my_hatch_2"}


def test_units_are_taken_as_they_are_typed(newcomer: Client) -> None:
    newcomer.post(reverse("quick_car"), {**HATCH, "mass": "2315 lb", "power": "190 hp", "top": "140 mph", "do": "save"})
    car = parsed_car(Car.objects.get().data)
    assert car.mass.dry_kg + 80 == pytest.approx(2315 * 0.45359237, abs=0.1)
    assert car.mass.front_share == pytest.approx(0.62)
    assert max(rpm * 0.10471975512 * nm for rpm, nm in car.powertrain.torque_nm) == pytest.approx(190 * 745.7, rel=2e-3)


@pytest.mark.parametrize(
    ("field", "typed", "told"),
    [
        ("mass", "70", "more than the driver"), ("mass", "abc", "a number in kg"), ("tyre_front", "big", "a size as it stands on the tyre"),
        ("power_rpm", "9000", "rev limit"), ("top_seen", "400", "rev limit in the last gear"[:9]), ("to_100", "1.9", "with this mass"), ("lap", "1:10", "Choose the circuit"),
        ("kind", "boat", "Select a valid choice"), ("gears", "0", "a whole number"), ("name", "", "required"),
        ("range_pressure", "9 to 1", "least, greatest and step"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_and_stays_typed(newcomer: Client, field: str, typed: str, told: str) -> None:
    more = {"locked": "", "move_pressure": "on"} if field == "range_pressure" else {}
    answer = newcomer.post(reverse("quick_car"), {**HATCH, **more, field: typed, "do": "save"})
    page = answer.content.decode()
    assert answer.status_code == 422 and told in words(answer) and not Car.objects.exists()
    assert typed == "" or f'value="{typed}"' in page or field == "kind"


def test_a_lap_that_is_known_pulls_the_grip(client_in: Client, event: Event) -> None:
    circuit = event.owner.circuits.get(key="sallowmere_fen")
    answer = client_in.post(reverse("quick_car"), {**HATCH, "lap": "1:29.5", "circuit": circuit.pk, "do": "check"})
    assert "Grip of the tyres" in words(answer) and "by the lap time" in words(answer)
    wrong = client_in.post(reverse("quick_car"), {**HATCH, "lap": "0:40", "circuit": circuit.pk, "do": "check"})
    assert wrong.status_code == 422 and "is it the same layout?" in words(wrong)


@pytest.mark.thorough_only
def test_the_sample_weekend_is_copied_once(newcomer: Client) -> None:
    copied = words(newcomer.post(reverse("copy_sample"), follow=True))
    user = User.objects.get(username="new")
    event = user.events.get()
    assert "is copied into your account" in copied and event.runs.count() == 6 and event.verdicts.count() == 1 and event.plans.count() == 1
    assert "is in your account already" in words(newcomer.post(reverse("copy_sample"), follow=True)) and user.events.count() == 1
    tour = newcomer.get(reverse("brief", args=[event.pk]))
    assert "1 of 6, Brief." in words(tour)
    for number in range(2, 7):
        went = newcomer.post(reverse("go_on_tour"), {"to": str(number), "next": reverse("lap_bench", args=[event.pk])}, follow=True)
        assert f"{number} of 6" in words(went)
    ended = newcomer.post(reverse("go_on_tour"), {"to": "99", "next": "https://elsewhere.example/"}, follow=True)
    assert "of 6" not in words(ended) and ended.redirect_chain[0][0] == "/"
    for name in ("brief", "sheet_bench", "runs_bench", "verdicts_bench", "race_bench", "lap_bench"):
        assert newcomer.get(reverse(name, args=[event.pk])).status_code == 200


def test_a_kart_of_its_owners_words(newcomer: Client) -> None:
    """Sprockets as teeth, kart tyres with wets of their own, pressures filled for where they settle; what cannot be is said at its box."""
    kart = {
        **{key: value for key, value in HATCH.items() if key != "locked"}, "name": "Mine", "kind": "kart", "mass": "165", "front": "43", "power": "20", "power_rpm": "11000", "limit_rpm": "15000",
        "driven": "rear", "gears": "1", "top": "115", "tyre_kind": "kart", "tyre_front": "", "tyre_rear": "", "teeth": "11/80", "wets": "on",
        "move_final": "on", "do": "save",
    }  # fmt: skip
    for name, typed, said in (
        ("teeth", "eleven", "such as 11/80"), ("teeth", "11/8", "such as 11/80"), ("gears", "6", "one gear"), ("tyre_kind", "semi", "kart tyres"),
        ("ratios", "3.2, 2.1", "falling numbers"), ("ratios", "3.2 fast", "Gear ratios"),
    ):  # fmt: skip
        wrong = newcomer.post(reverse("quick_car"), {**kart, name: typed})
        assert wrong.status_code == 422 and said in wrong.content.decode() and 'value="Mine"' in wrong.content.decode()
    assert newcomer.post(reverse("quick_car"), kart).status_code == 302
    car = parsed_car(Car.objects.get(name="Mine").data)
    assert [compound.key for compound in car.tyres.compounds] == ["kart", "kart_wet"] and car.item("sprocket").base == 80
    assert len(set(car.tyres.cold_kpa)) > 1 and car.brakes.front_share == 0.0
    bare = {key: value for key, value in kart.items() if key not in ("wets", "teeth")}
    newcomer.post(reverse("quick_car"), {**bare, "name": "Bare"})
    assert len(parsed_car(Car.objects.get(name="Bare").data).tyres.compounds) == 1
    page = newcomer.post(reverse("quick_car"), {**kart, "do": "check"}).content.decode()
    assert "Heat that the tyres give off" in page and "Cold pressures FL, FR, RL, RR" in page


def test_a_car_with_systems_and_a_store_goes_from_the_form_to_where_energy_is_spent(newcomer: Client) -> None:
    proto = {
        **{key: value for key, value in HATCH.items() if key != "locked"}, "name": "Proto", "kind": "coupe", "mass": "1180", "front": "46", "power": "380",
        "power_rpm": "7500", "limit_rpm": "8200", "driven": "all", "gears": "6", "top": "290", "tyre_kind": "slick", "tyre_front": "", "tyre_rear": "",
        "softer": "on", "harder": "on", "wing": "on", "store_kw": "120", "store_kj": "1800", "store_back": "150", "move_traction": "on",
        "range_traction": "0 to 10 by 1", "move_antilock": "on", "move_flap": "on", "move_split": "on", "move_map": "on", "do": "save",
    }  # fmt: skip
    for more, said in (
        ({"store_kj": ""}, "expected both, or neither"), ({"store_kw": ""}, "expected both, or neither"),
        ({"store_kw": "", "store_kj": ""}, "Braking puts power back"), ({"wing": ""}, "no rear wing"), ({"range_traction": "2 to 9"}, "whole levels"),
    ):  # fmt: skip
        wrong = newcomer.post(reverse("quick_car"), {**proto, **more})
        assert wrong.status_code == 422 and said in wrong.content.decode() and 'value="Proto"' in wrong.content.decode()
    assert newcomer.post(reverse("quick_car"), proto).status_code == 302
    car = parsed_car(Car.objects.get(name="Proto").data)
    assert {"traction", "antilock", "flap", "split", "map", "store"} <= {item.key for item in car.items}
    assert len(car.controls.traction) == 10 and len(car.tyres.compounds) == 3
