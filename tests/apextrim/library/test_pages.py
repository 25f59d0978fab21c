"""Cars and circuits made, changed and brought back; a sheet over a stint."""

import re

import pytest
from django.test import Client

from apexcore.circuit.track import Circuit as CoreCircuit
from apexcore.vehicle.car import Car as CoreCar
from apexcore.vehicle.sheet import base_sheet
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.library import stored
from apextrim.library.car_views import _TITLES
from apextrim.library.models import Car
from apextrim.library.sources import SIMPLE, SOURCES
from apextrim.modelling import answers, cases
from apextrim.sheets.models import Sheet
from apextrim.ui.value_form import ValueForm, bare_path, flat


def typed(event: Event, **changes: str) -> dict[str, str]:
    texts = dict(flat(cases.car_of(event).model_dump()))
    return {**texts, **{key.replace("__", "."): text for key, text in changes.items()}}


def text_of(response: object) -> str:
    return re.sub(r"\s+", " ", response.content.decode())  # type: ignore[attr-defined]


def test_a_car_shows_its_values_curve_and_figures(client_in: Client, event: Event) -> None:
    page = text_of(client_in.get(f"/garage/cars/{event.car.pk}/"))
    for words in (
        'name="mass.dry_kg" value="1235"',
        "Peak power",
        "319 kW at 6900",
        'name="powertrain.torque_nm.3.1"',
        "Front weight",
    ):
        assert words in page
    assert page.count('name="items.') > 500


def test_checking_draws_and_saves_nothing(client_in: Client, event: Event) -> None:
    page = client_in.post(f"/garage/cars/{event.car.pk}/", {**typed(event, mass__dry_kg="1300"), "do": "check"})
    assert "Check passed" in text_of(page) and "1410 kg" in text_of(page)
    event.car.refresh_from_db()
    assert cases.car_of(event).mass.dry_kg == 1235


def test_a_change_is_kept_and_can_be_brought_back(client_in: Client, event: Event, first: Sheet) -> None:
    before = answers.answer_of(event, base_sheet(cases.car_of(event))).lap.time_s
    url = f"/garage/cars/{event.car.pk}/"
    page = client_in.post(url, {**typed(event, mass__dry_kg="1335"), "do": "save"}, follow=True)
    assert "is saved" in text_of(page) and f"{url}undo/" in text_of(page)
    heavier = Event.objects.get(pk=event.pk)
    assert answers.answer_of(heavier, base_sheet(cases.car_of(heavier))).lap.time_s > before + 0.3
    assert "back to its previous version" in text_of(client_in.post(f"{url}undo/", follow=True))
    again = Event.objects.get(pk=event.pk)
    assert cases.car_of(again).mass.dry_kg == 1235
    assert "Nothing changed" in text_of(client_in.post(url, {**typed(again), "do": "save"}, follow=True))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"mass__dry_kg": "-3"}, "greater than 50"),
        ({"mass__front_share": "0.21", "ballast__1__kg": "300"}, "14.3"),
        ({"powertrain__torque_nm__0__1": "0"}, "every torque must be above 0"),
        ({"wheelbase_m": "two"}, "“two” is not valid"),
        ({"mass__tank_from_front_m": "5", "mass__front_share": "0.201", "wheelbase_m": "0.55", "fuel_l": "62"}, "centre of gravity"),
    ],
)
def test_a_car_that_cannot_be_is_refused_and_nothing_typed_is_lost(
    client_in: Client, event: Event, changes: dict[str, str], words: str
) -> None:
    page = client_in.post(f"/garage/cars/{event.car.pk}/", {**typed(event, **changes), "do": "save"})
    if words == "14.3":  # a tail-heavy car is one that can be
        assert page.status_code == 302
        return
    assert page.status_code == 422 and words in text_of(page)
    for key, text in changes.items():
        assert f'name="{key.replace("__", ".")}" value="{text}"' in text_of(page)


def test_a_change_that_saved_sheets_would_not_fit_is_refused(client_in: Client, event: Event, first: Sheet) -> None:
    page = client_in.post(f"/garage/cars/{event.car.pk}/", {**typed(event, items__0__low="160", items__0__base="160"), "do": "save"})
    assert page.status_code == 422 and "Saved sheets would no longer fit this car" in text_of(page) and "S1 of" in text_of(page)


def test_another_car_is_made_from_one(client_in: Client, event: Event) -> None:
    url = f"/garage/cars/{event.car.pk}/copy/"
    page = text_of(client_in.get(url))
    assert 'name="key" value="brackendale_gt_2"' in page and "Brackendale Gannet, copy" in page
    data = {**typed(event, name="Brackendale Heron", key="brackendale_heron", mass__dry_kg="1100"), "do": "save"}
    assert "Brackendale Heron is in your garage" in text_of(client_in.post(url, data, follow=True))
    made = Car.objects.get(key="brackendale_heron")
    assert stored.parsed_car(made.data).mass.dry_kg == 1100 and cases.car_of(event).mass.dry_kg == 1235
    assert "is already in your garage" in text_of(client_in.post(url, data, follow=True))
    taken = client_in.post(url, {**data, "mass.dry_kg": "1101"})
    assert taken.status_code == 422 and "is already used by" in text_of(taken)


def circuit_texts(core: CoreCircuit, **changes: str) -> dict[str, str]:
    texts = dict(flat(core.model_dump(exclude={"points_m"})))
    return {**texts, **{key.replace("__", "."): text for key, text in changes.items()}}


def test_a_circuit_is_built_from_straights_and_corners(client_in: Client, event: Event) -> None:
    page = text_of(client_in.get("/garage/circuits/new/"))
    assert "The lap closes as it is written" in page and "data-picks=" in page
    rows = {
        "name": "Rookhope", "key": "rookhope", "layout": "short", "width_m": "10", "closed": "on",
        "segments.0.kind": "straight", "segments.0.length_m": "410", "segments.1.kind": "corner", "segments.1.angle_deg": "90", "segments.1.radius_m": "40",
        "segments.2.kind": "straight", "segments.2.length_m": "150", "segments.3.kind": "corner", "segments.3.angle_deg": "90", "segments.3.radius_m": "30",
        "segments.4.kind": "straight", "segments.4.length_m": "400", "segments.5.kind": "corner", "segments.5.angle_deg": "180", "segments.5.radius_m": "60",
    }  # fmt: skip
    checked = client_in.post("/garage/circuits/new/", {**rows, "do": "check"})
    assert "its straights change by up to" in text_of(checked) and "can be driven" in text_of(checked)
    assert "Rookhope, short is in your garage" in text_of(client_in.post("/garage/circuits/new/", {**rows, "do": "save"}, follow=True))
    wrong = client_in.post("/garage/circuits/new/", {**rows, "segments.5.angle_deg": "170", "do": "check"})
    assert wrong.status_code == 422 and "corners that add up to 360°" in text_of(wrong) and 'value="170"' in text_of(wrong)


def test_marks_sectors_and_grip_are_changed_and_brought_back(client_in: Client, event: Event) -> None:
    core, url = stored.parsed_circuit(event.circuit.data), f"/garage/circuits/{event.circuit.pk}/"
    before = answers.answer_of(event, base_sheet(cases.car_of(event))).lap.time_s
    data = circuit_texts(
        core, markers__8__kind="patch", markers__8__at_m="1700", markers__8__side="left", markers__8__name="new tarmac",
        strips__1__from_m="0", strips__1__to_m="3000", strips__1__left_m="6", strips__1__right_m="-6", strips__1__grip="0,95", segments__1__name="Reed Bend",
    )  # fmt: skip
    assert "is saved" in text_of(client_in.post(url, {**data, "do": "save"}, follow=True))
    changed = Event.objects.get(pk=event.pk)
    assert cases.spans_of(changed)[0].name == "Reed Bend"
    assert answers.answer_of(changed, base_sheet(cases.car_of(changed))).lap.time_s > before + 0.8
    bench = text_of(client_in.get(f"/events/{event.pk}/lap/"))
    assert "surface change at 1700 m, left: new tarmac" in bench
    assert "back to its previous version" in text_of(client_in.post(f"{url}undo/", follow=True))
    assert stored.parsed_circuit(Event.objects.get(pk=event.pk).circuit.data) == core


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"width_m": "2"}, "greater than 3"),
        ({"width_m": "3.1", "strips__0__left_m": "1", "strips__0__right_m": "-1"}, ""),
        ({"markers__0__at_m": "9999"}, "where the lap ends"),
        ({"strips__0__left_m": "-7"}, "left edge"),
        ({"segments__1__radius_m": ""}, "a value is needed"),
    ],
)
def test_a_circuit_that_cannot_be_is_refused(client_in: Client, event: Event, changes: dict[str, str], words: str) -> None:
    data = circuit_texts(stored.parsed_circuit(event.circuit.data), **changes)
    page = client_in.post(f"/garage/circuits/{event.circuit.pk}/", {**data, "do": "save"})
    if not words:  # wide enough for the coupé of this event, by a hand on either side
        assert page.status_code == 302
        return
    assert page.status_code == 422 and words in text_of(page)


def test_points_of_a_survey_stay_and_their_corners_get_names(client_in: Client, event: Event) -> None:
    from apextrim.library.models import Circuit

    with open("docs/examples/circuit_points.csv", "rb") as file:
        client_in.post("/garage/circuits/import/", {"file": file, "name": "Survey", "width": "10"})
    row = Circuit.objects.get(name="Survey", owner=event.owner)
    core = stored.parsed_circuit(row.data)
    page = text_of(client_in.get(f"/garage/circuits/{row.pk}/"))
    assert 'name="corner_names"' in page and "segments" not in re.findall(r'name="(\w+)\.', page)
    client_in.post(f"/garage/circuits/{row.pk}/", {**circuit_texts(core, corner_names="Alder | Birch"), "do": "save"})
    kept = stored.parsed_circuit(Circuit.objects.get(pk=row.pk).data)
    assert kept.points_m == core.points_m and kept.corner_names == ("Alder", "Birch")


def test_the_long_page_of_a_car_shows_what_people_know_and_folds_the_rest(client_in: Client, event: Event) -> None:
    form = ValueForm(CoreCar, dict(flat(facts.book_car_of(event).model_dump())))
    there = {bare_path(box.path) for section in form.sections(_TITLES) for box in section.boxes}
    assert there >= SIMPLE and there >= set(SOURCES)
    parts = {part.path: part for part in form.sections(_TITLES, SIMPLE, SOURCES)}
    assert [box.path for box in parts[""].boxes] == ["name", "kind", "wheelbase_m", "width_m", "tank_l"] and not parts[""].folded
    assert all(part.folded for path, part in parts.items() if path)
    shown = {box.path for part in parts.values() for box in (*part.boxes, *part.more)}
    assert len(shown) == sum(len(part.boxes) for part in form.sections(_TITLES))  # nothing is lost behind a fold
    page = text_of(client_in.get(f"/garage/cars/{event.car.pk}/"))
    assert page.count('class="ruled part"') == 10 and "Raise the wheel 20 mm" in page and "Further values" in page
    assert 'data-fold="car-aero" open' not in page
    wrong = text_of(client_in.post(f"/garage/cars/{event.car.pk}/", {**typed(event, aero__tow_drag="much"), "do": "check"}))
    assert 'data-fold="car-aero" open' in wrong and 'data-fold="car-aero-more" open' in wrong and 'data-fold="car-mass" open' not in wrong
