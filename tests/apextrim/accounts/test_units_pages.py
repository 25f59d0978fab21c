"""The product in psi, °F and pounds: what is shown, what is typed, and that nothing that is stored moves."""

import math
import random
import re
from collections.abc import Callable

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.circuit.track import Straight
from apexcore.errors import InputError
from apexcore.quantities.units import PLAIN, SETS, UnitSet
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.quick import rim_of
from apextrim.accounts.models import Preferences
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.library.stored import parsed_car, parsed_circuit
from apextrim.modelling import cases
from apextrim.runs.models import Run, TyreReading
from apextrim.sheets.models import Sheet
from apextrim.sheets.sheet_form import SheetForm
from apextrim.ui.units import read_by, shown
from scripts.fuzz_forms import forms_of
from tests.apextrim.test_beside_others import on_page
from tests.apextrim.traces.test_bring import words


@pytest.fixture
def american(client_in: Client) -> Client:
    client_in.post(reverse("units"), {"set": "US"})
    return client_in


def test_units_are_chosen_by_set_or_one_by_one(client_in: Client, event: Event) -> None:
    page = client_in.post(reverse("units"), {"set": "British"}, follow=True)
    assert "Units saved" in words(page) and Preferences.objects.get(owner=event.owner).units["pressure"] == "psi"
    client_in.post(reverse("units"), {"pressure": "bar", "mass": "stone", "set": "Martian"})
    assert Preferences.objects.get(owner=event.owner).units == {"pressure": "bar"}
    assert "track 30 °C" in words(client_in.get(reverse("brief", args=[event.pk])))


def test_a_sheet_is_read_typed_and_kept_in_psi(american: Client, event: Event, first: Sheet) -> None:
    address = reverse("sheet_bench", args=[event.pk])
    page = american.get(address)
    boxes = dict(re.findall(r'name="(pressure_\w+|fuel|spring_front|ride_front)"\s+value="([^"]*)"', page.content.decode()))
    assert boxes["pressure_fl"] == f"{first.values['pressure_fl'] * 0.1450377:.1f}" and "°F" in words(page) and "mph" in words(page)
    assert " kPa" not in words(page) and " km/h" not in words(page)
    car = cases.car_of(event)
    read_by(UnitSet(SETS["US"]))
    try:
        typed = {item.key: shown(item).number(first.values[item.key]) for item in car.items}
    finally:
        read_by(PLAIN)
    nothing = american.post(reverse("save_sheet", args=[event.pk]), {**typed, "sheet": first.pk, "reason": "the same"})
    assert "No change from" in words(nothing)  # what is shown reads back as what is saved
    saved = american.post(
        reverse("save_sheet", args=[event.pk]),
        {**typed, "pressure_fl": "22", "fuel": "10.15", "sheet": first.pk, "reason": "psi"},
        follow=True,
    )
    sheet = event.sheets.order_by("-number").first()
    assert sheet is not None and sheet.values["pressure_fl"] == 152.0 and sheet.values["fuel"] == 38.0
    assert "Fuel load: 10.15 is between two steps; it went to 10.0 US gal (38 l)." in words(saved)
    refused = american.post(reverse("save_sheet", args=[event.pk]), {**typed, "pressure_fl": "99", "sheet": first.pk, "reason": "psi"})
    assert "expected 16.0 psi to 29.0 psi in steps of 0.1 psi" in words(refused) and refused.status_code == 422
    inline = american.post(
        reverse("save_sheet", args=[event.pk]), {**typed, "pressure_fl": "150 kPa", "sheet": first.pk, "reason": "own"}, follow=True
    )
    assert inline.status_code == 200 and event.sheets.order_by("-number").first().values["pressure_fl"] == 150.0  # type: ignore[union-attr]


#: Toe across the rim, and lengths in fractions of an inch.
ACROSS = {"toe": "mm at the rim"}
IN_INCHES = {"length": "in, fractions", "toe": "in at the rim"}


def test_every_item_of_every_demo_car_reads_back_in_every_set(event: Event) -> None:
    rng = random.Random(1)
    for row in event.owner.cars.all():
        car = parsed_car(row.data)
        for units in (*SETS.values(), ACROSS, IN_INCHES):
            read_by(UnitSet(units))
            try:
                for item in car.items:
                    if item.locked:
                        continue
                    steps = round((item.high - item.low) / item.step)
                    for place in {0, steps, *(rng.randint(0, steps) for _ in range(6))}:
                        value = item.nearest_allowed(item.low + place * item.step)
                        assert shown(item).read(shown(item).number(value)) == pytest.approx(value), (row.key, item.key, units)
                        assert shown(item).moved(shown(item).number(value)) == ""
                form = SheetForm(car, {item.key: shown(item).number(item.base) for item in car.items})
                assert form.sheet is not None and form.sheet.values == pytest.approx({item.key: item.base for item in car.items})
            finally:
                read_by(PLAIN)


def test_readings_and_conditions_are_typed_in_the_readers_units(american: Client, event: Event, first: Sheet) -> None:
    address = reverse("sheet_readings", args=[event.pk, first.pk])
    page = american.get(address)
    assert f'value="{first.values["pressure_fl"] * 0.1450377:.5g}"' in page.content.decode() and 'value="68"' in page.content.decode()
    american.post(address, {"cold_fl": "22", "hot_fl": "27.5", "cold_c": "68"})
    values = TyreReading.objects.get(event=event).values
    assert values["cold_fl"] == pytest.approx(151.68, abs=0.01) and values["cold_c"] == pytest.approx(20.0)
    told = {
        "air_c": "80",
        "track_c": "100",
        "humidity_pct": "50",
        "pressure_hpa": "1010",
        "wind_ms": "10",
        "wind_from_deg": "0",
        "rubber_pct": "50",
        "wet_pct": "0",
    }
    american.post(reverse("save_conditions", args=[event.pk]), told)
    event.refresh_from_db()
    now = facts.conditions_of(event)
    assert now.air_c == pytest.approx(26.667, abs=0.01) and now.wind_ms == pytest.approx(4.4704, abs=0.001)
    hot = american.post(reverse("save_conditions", args=[event.pk]), {**told, "air_c": "300"})
    assert hot.status_code == 422 and "°F" in words(hot) and 'value="300"' in hot.content.decode()


@pytest.mark.thorough_only
def test_every_page_opens_without_a_metric_unit_that_was_not_chosen(
    american: Client, event: Event, first: Sheet, drive: Callable[..., Run]
) -> None:
    run = drive(first, 1)
    for name, more in (
        ("brief", ()), ("lap_bench", ()), ("corner", (1,)), ("sheet_bench", ()), ("sheet_effects", (first.pk,)), ("sheet_stint", (first.pk,)),
        ("runs_bench", ()), ("run", (run.pk,)), ("verdicts_bench", ()), ("race_bench", ()), ("sheet_card", (first.pk,)), ("run_car", (run.pk,)),
    ):  # fmt: skip
        page = american.get(reverse(name, args=[event.pk, *more]))
        text = words(page)
        assert page.status_code == 200, name
        left = re.findall(r"\d (?:kPa|°C|km/h|N/mm)\b", text)
        assert left == [], (name, left[:5])


def test_toe_is_read_and_typed_across_the_rim_and_lengths_in_fractions(client_in: Client, event: Event, first: Sheet) -> None:
    client_in.post(reverse("units"), IN_INCHES)
    car, values = cases.car_of(event), first.values
    rim = car.item("toe_front").rim_mm
    assert (
        rim is not None
        and rim == pytest.approx(0.65 * 2000 * car.tyres.radius_m[0], abs=0.5)
        and "rim_mm" not in car.item("toe_front").model_dump()
    )
    page = re.sub(r"\s+", " ", client_in.get(reverse("sheet_bench", args=[event.pk])).content.decode())
    across = values["toe_front"] * math.radians(rim) / 25.4
    boxes = dict(re.findall(r'name="(toe_front|ride_front)" value="([^"]*)"', page))
    assert float(boxes["toe_front"].replace("−", "-")) == pytest.approx(across, abs=0.006) and re.fullmatch(
        r"\d+ \d+/\d+", boxes["ride_front"]
    )
    read_by(UnitSet(IN_INCHES))
    try:
        ride, toe = shown(car.item("ride_front")), shown(car.item("toe_front"))
        assert ride.unit == "in" and ride.read("2 3/8") == 60.0 and ride.text(60.0) == "2 3/8 in" and ride.range_text.endswith("step 1/32")
        assert ride.moved("2 3/8") == "" and ride.moved(ride.number(61.0)) == "" and ride.read(ride.number(61.0)) == 61.0
        step = toe.item.step * math.radians(rim)
        assert toe.read(f"{2 * step:.3f} mm") == pytest.approx(2 * toe.item.step) and toe.read("0") == 0.0
        assert toe.read(f"{step / 25.4:.4f}") == pytest.approx(toe.item.step)
        with pytest.raises(InputError, match="Front toe"):
            toe.read("2 kPa")
        for end in (toe.item.low, toe.item.high):  # as it is shown, with its unit behind it
            assert toe.read(toe.text(end).replace("\u202f", " ")) == end
        camber = shown(car.item("camber_fl"))
        assert camber.unit == "°"
    finally:
        read_by(PLAIN)
    plain = shown(car.item("toe_front"))  # who reads degrees may type millimetres all the same
    assert plain.unit == "°" and plain.read(f"{2 * step:.3f} mm") == pytest.approx(2 * toe.item.step)
    typed = {key: f"{value:g}" for key, value in values.items() if key not in ("ride_front", "toe_front")}
    client_in.post(reverse("units"), {"set": "metric"})
    sent = {**typed, "ride_front": '2 3/8"', "toe_front": f"{2 * step:.3f} mm", "sheet": first.pk, "reason": "as the alignment rig reads"}
    client_in.post(reverse("save_sheet", args=[event.pk]), sent)
    sheet = event.sheets.order_by("-number").first()
    assert sheet is not None and sheet.values["ride_front"] == 60.0 and sheet.values["toe_front"] == pytest.approx(2 * toe.item.step)


def test_a_rim_that_is_told_counts_and_one_of_a_written_size_is_read(event: Event) -> None:
    car = cases.car_of(event)
    told = CoreCar.model_validate({**car.model_dump(), "tyres": {**car.tyres.model_dump(), "rim_mm": [457.2, 482.6]}})
    assert told.item("toe_front").rim_mm == 457.2 and told.item("toe_rear").rim_mm == 482.6
    assert rim_of("205/50 R15") == 381.0 and rim_of("10x4.50-5") == 127.0 and rim_of("slick") is None
    assert CoreCar.model_validate_json(told.model_dump_json()) == told


def test_the_long_page_of_a_car_is_in_the_readers_units_to_its_last_digit(american: Client, event: Event) -> None:
    address = reverse("edit_car", args=[event.car.pk])
    page = american.get(address).content.decode()
    assert "Torque, lb" in page and "Torque, Nm" not in page
    sent = on_page(american, address, address) | {"do": ["save"]}
    before = event.car.data
    dry = parsed_car(before).mass.dry_kg
    assert float(sent["mass.dry_kg"][0]) == pytest.approx(dry / 0.45359237, rel=1e-4)
    assert "Nothing changed" in words(american.post(address, sent, follow=True))  # shown rounded, kept exactly
    event.car.refresh_from_db()
    assert event.car.data == before
    assert american.post(address, {**sent, "mass.dry_kg": ["2700"], "tank_l": ["65 l"]}).status_code == 302
    event.car.refresh_from_db()
    after, was = parsed_car(event.car.data), parsed_car(before)
    assert after.mass.dry_kg == pytest.approx(2700 * 0.45359237) and after.tank_l == 65.0
    same = was.model_copy(update={"mass": after.mass, "tank_l": 65.0})
    assert after == same  # nothing else moved by a digit
    sent = on_page(american, address, address) | {"do": ["save"]}
    refused = american.post(address, {**sent, "mass.dry_kg": ["90"], "wheelbase_m": ["3 mm"]})
    text = words(refused)
    assert refused.status_code == 422 and "“90” is not valid" in text and "lb" in text and "“3 mm” is not valid" in text
    problems = re.findall(r"<li>(.*?)</li>", refused.content.decode())
    assert len(problems) >= 2 and not any(re.search(r"\bkg\b|\bm\b", problem) for problem in problems), problems
    copied = reverse("copy_car", args=[event.car.pk])
    again = on_page_of_copy(american, copied)
    assert american.post(copied, again | {"do": ["save"]}).status_code == 302
    copy = event.owner.cars.order_by("-pk")[0]
    assert parsed_car(copy.data).model_copy(update={"key": after.key, "name": after.name}) == after


def on_page_of_copy(client: Client, address: str) -> dict[str, list[str]]:
    """The form of a copy, which carries nothing: it is of nobody else yet."""
    (form,) = (form for form in forms_of(client, [address]) if form.method == "post" and form.address == address)
    found: dict[str, list[str]] = {}
    for name, value in form.fields:
        found.setdefault(name, []).append(value)
    return found


def test_every_demo_circuit_is_in_the_readers_units_to_its_last_digit(american: Client, event: Event) -> None:
    for row in event.owner.circuits.all():
        address = reverse("edit_circuit", args=[row.pk])
        page = american.get(address)
        left = re.findall(r"[^,.;]*\d\s*(?:m|mm|km/h|kPa)\b(?!\w)", words(page)) + re.findall(
            r"(?:Length|Radius|at|Width)[^<]*, m\b", words(page)
        )
        assert left == [], (row.key, left[:5])
        sent = on_page(american, address, address) | {"do": ["save"]}
        before = row.data
        width = parsed_circuit(before).width_m
        assert float(sent["width_m"][0]) == pytest.approx(width / 0.3048, rel=1e-4)
        assert "Nothing changed" in words(american.post(address, sent, follow=True)), row.key
        row.refresh_from_db()
        assert row.data == before
        changed = american.post(address, {**sent, "width_m": ["40"]})
        row.refresh_from_db()
        assert changed.status_code == 302 and parsed_circuit(row.data).width_m == pytest.approx(12.192, abs=1e-9)
        after, was = parsed_circuit(row.data), parsed_circuit(before)
        assert after.model_copy(update={"width_m": was.width_m}) == was  # nothing else moved by a digit
        narrow = american.post(address, on_page(american, address, address) | {"do": ["save"], "width_m": ["2"]})
        assert narrow.status_code == 422 and "“2” is not valid" in words(narrow) and "ft" in words(narrow)
        metric = american.post(address, on_page(american, address, address) | {"do": ["save"], "width_m": ["11 m"]})
        row.refresh_from_db()
        assert metric.status_code == 302 and parsed_circuit(row.data).width_m == 11.0


def test_a_new_circuit_is_typed_in_feet_and_drawn_while_it_is_typed(american: Client, event: Event) -> None:
    address = reverse("new_circuit")
    (form,) = (form for form in forms_of(american, [address]) if form.method == "post" and form.address == address)
    sent = dict(form.fields) | {"name": "Feet", "key": "feet", "segments.0.length_m": "1000", "segments.2.length_m": "1000"}
    drawn = american.post(reverse("new_circuit_growing"), sent)
    assert drawn.status_code == 200 and 'data-metres="ft"' in drawn.content.decode() and 'data-per-metre="3.28' in drawn.content.decode()
    half = {**sent, "segments.3.radius_m": "?"}
    assert re.search(r"\d ft", words(american.post(reverse("new_circuit_growing"), half)))
    assert american.post(address, {**sent, "do": "save"}).status_code == 302
    made = parsed_circuit(event.owner.circuits.get(key="feet").data)
    assert [segment.length_m for segment in made.segments if isinstance(segment, Straight)] == pytest.approx([304.8, 304.8])
