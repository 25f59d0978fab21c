"""The sheet bench, and cars, circuits and sheets as files."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from apexcore.vehicle.sheet import Sheet as CoreSheet
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.sheets.actions import put_in_car, save_sheet
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import sheet_in_car, sheet_tree


def url(name: str, event: Event, *more: int) -> str:
    return reverse(name, args=[event.pk, *more])


def values(sheet: Sheet, **changes: str) -> dict[str, str]:
    return {key: f"{value:g}" for key, value in sheet.values.items()} | {"sheet": str(sheet.pk)} | changes


def file(data: bytes | str, name: str = "file.json") -> SimpleUploadedFile:
    return SimpleUploadedFile(name, data.encode() if isinstance(data, str) else data)


def test_every_item_stands_in_its_place_with_unit_range_and_step(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.get(url("sheet_bench", event))
    places = {group.place: [item.item.key for item in group.items] for group in response.context["groups"]}
    assert places["fl"] == ["pressure_fl", "camber_fl"]
    assert sum(len(keys) for keys in places.values()) == 40
    page = response.content.decode()
    assert "Front anti-roll bar, 1 to 9" in page and "step 1" in page


def test_the_bench_works_before_anything_is_saved(client_in: Client, event: Event) -> None:
    page = client_in.get(url("sheet_bench", event)).content.decode()
    assert "Nothing is saved yet" in page and "1:1" in page


def test_one_step_is_answered_without_saving(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.post(url("sheet_answer", event), values(first, bar_front="7"))
    view = response.context["view"]
    assert view.change_s != 0 and view.spread_s > 0
    page = response.content.decode()
    for words in ("Balance", "The four tyres", "Shift up at", "modelled"):
        assert words in page
    assert event.sheets.count() == 1


def test_the_value_in_focus_shows_one_step_either_way(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.post(url("sheet_effect", event), values(first, bar_front="9", focused="bar_front"))
    (down, reason), (up, none) = response.context["effects"]
    assert (down.value, up.value) == (8, None) and down.lap_s != 0 and reason.startswith("It ") and not none
    page = response.content.decode()
    assert reason.split(":")[0] in page
    for words in ("One step of front anti-roll bar from here", "range 1 to 9, step 1", "already at the maximum"):
        assert words in page
    assert "Select a value" in client_in.post(url("sheet_effect", event), values(first)).content.decode()
    wrong = client_in.post(url("sheet_effect", event), values(first, wing="99", focused="bar_front")).content.decode()
    assert "Correct the marked value" in wrong


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("99", "expected 1 to 9 in steps of 1"),
        ("2.5", "in steps of 1"),
        ("stiff", "“stiff” is not valid"),
        ("", "Front anti-roll bar"),
        ("NaN", "Front anti-roll bar"),
    ],
)
def test_a_value_off_the_list_is_named(client_in: Client, event: Event, first: Sheet, typed: str, words: str) -> None:
    page = client_in.post(url("sheet_answer", event), values(first, bar_front=typed)).content.decode()
    assert words in page
    response = client_in.post(url("save_sheet", event), values(first, bar_front=typed, wing="9", reason="more wing"))
    assert response.status_code == 422
    page = response.content.decode()
    assert words in page and 'value="more wing"' in page and 'name="wing" value="9"' in page
    assert event.sheets.count() == 1


def test_units_are_taken_inline(client_in: Client, event: Event, first: Sheet) -> None:
    client_in.post(url("save_sheet", event), values(first, pressure_fl="1,5 bar", pressure_fr="20psi", camber_fl="−2.8", reason="in bar"))
    saved = event.sheets.get(number=2)
    assert (saved.values["pressure_fl"], saved.values["pressure_fr"], saved.values["camber_fl"]) == (150, 138, -2.8)


def test_saving_needs_a_reason_and_a_difference(client_in: Client, event: Event, first: Sheet) -> None:
    assert "reason" in client_in.post(url("save_sheet", event), values(first, wing="9", reason=" ")).content.decode()
    assert "nothing to save" in client_in.post(url("save_sheet", event), values(first, reason="same")).content.decode()
    response = client_in.post(url("save_sheet", event), values(first, wing="9", reason="calm"), follow=True)
    saved = event.sheets.get(number=2)
    assert saved.parent == first and saved.reason == "calm" and saved.modelled_s is not None
    assert "S2 is saved" in response.content.decode()
    event.refresh_from_db()
    assert sheet_in_car(event) == first


def test_going_back_and_putting_in_the_car(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    client_in.post(url("put_in_car", event), {"sheet": second.pk})
    event.refresh_from_db()
    assert sheet_in_car(event) == second
    assert client_in.get(url("sheet_bench", event), {"sheet": first.pk}).context["row"] == first


def test_two_sheets_are_compared_item_by_item(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    response = client_in.get(url("sheet_difference", event), {"a": first.pk, "b": second.pk})
    (_, found, _) = response.context["pairs"][0]
    rows = {row.name: row for row in found}
    assert set(rows) == {"Final drive", "Rear wing"}
    assert rows["Final drive"].steps == "+12" and rows["Rear wing"].steps == "−4"
    assert "differs from S1 in 2 items" in response.content.decode()
    same = client_in.get(url("sheet_difference", event), {"a": first.pk, "b": first.pk})
    assert "hold the same values" in same.content.decode()
    three = client_in.get(f"{url('sheet_difference', event)}?a={second.pk}&b={first.pk}&c={second.pk}")
    assert [other.name for other, _, _ in three.context["pairs"]] == ["S1", "S2"]
    assert client_in.get(f"{url('sheet_difference', event)}?a={first.pk}&b={second.pk}&c=x").status_code == 404


def test_sheets_stand_as_a_tree(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    moved = {**first.values, "wing": 9.0}
    branch = save_sheet(event, CoreSheet(event.car.key, moved), first, "the other way")
    twig = save_sheet(event, CoreSheet(event.car.key, {**moved, "wing": 10.0}), branch, "further")
    found = [(row.name, row.depth) for row in sheet_tree(event)]
    assert found == [("S1", 0), (branch.name, 1), (twig.name, 2), ("S2", 1)]
    page = client_in.get(url("sheet_bench", event)).content.decode()
    assert page.index(">S3</a>") < page.index(">S4</a>") < page.index(">S2</a>")


def test_a_sheet_travels_as_a_file_and_a_repeat_adds_nothing(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    data = client_in.get(url("export_sheet", event, second.pk)).content
    assert json.loads(data)["format"] == "apex-trim sheet 1"
    client_in.post(url("import_sheet", event), {"file": file(data)})
    assert event.sheets.count() == 2
    other = json.loads(data) | {"reason": "a friend's"}
    client_in.post(url("import_sheet", event), {"file": file(json.dumps(other))})
    third = event.sheets.get(number=3)
    assert third.values == second.values and third.parent is None and third.modelled_s is None


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "No file chosen"),
        (b" ", "The file is empty"),
        (b"\x00\x01\x02", "binary"),
        (b'{"format": "apex-trim sheet 1", "car": "punt", "values": {}}', "this sheet is for “punt”"),
        (b'{"format": "other"}', "expected “apex-trim sheet 1”"),
        (b'{"format": "apex-trim sheet 1", "car": "brackendale_gt", "values": {"wing": 99}}', "Rear wing"),
        (b"x" * 4_100_000, "4.1 MB"),
    ],
)
def test_unusable_sheet_files_are_refused_whole(client_in: Client, event: Event, first: Sheet, data: bytes, words: str) -> None:
    response = client_in.post(url("import_sheet", event), {"file": file(data)} if data else {})
    assert response.status_code == 422
    assert words in response.content.decode()
    assert event.sheets.count() == 1


def test_the_card_prints_every_value_and_marks_what_changed(client_in: Client, event: Event, second: Sheet) -> None:
    page = client_in.get(url("sheet_card", event, second.pk)).content.decode()
    assert page.count("← change, now") == 2 and "2 items to change from S1, which is in the car" in " ".join(page.split())
    assert page.count("☐") == 40


def test_the_card_marks_what_differs_from_the_car_as_it_stands(client_in: Client, event: Event, first: Sheet, second: Sheet) -> None:
    """Not from the sheet it was made from."""
    back = save_sheet(event, CoreSheet(event.car.key, first.values), second, "back to where it was")
    page = " ".join(client_in.get(url("sheet_card", event, back.pk)).content.decode().split())
    assert "← change" not in page and "The car stands like this already, on S1" in page
    put_in_car(event, second)
    page = " ".join(client_in.get(url("sheet_card", event, back.pk)).content.decode().split())
    assert page.count("← change, now") == 2 and "to change from S2" in page
    own = " ".join(client_in.get(url("sheet_card", event, second.pk)).content.decode().split())
    assert "S2 is in the car: nothing is to be changed" in own


def test_the_first_sheet_says_once_that_it_is_in_the_car(client_in: Client, event: Event) -> None:
    typed = {item.key: item.number(item.base) for item in cases.car_of(event).items}
    page = client_in.post(url("save_sheet", event), {**typed, "reason": "as it came"}, follow=True).content.decode()
    assert "S1 is saved. It is the first, and in the car." in page and "until you put it there" not in page
    assert event.sheets.get().in_car
