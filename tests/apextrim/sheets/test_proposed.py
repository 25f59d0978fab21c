"""Values that an address puts on a sheet: taken, or refused with a reason, never passed over in silence."""

import pytest
from django.test import Client

from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet as CoreSheet
from apexcore.vehicle.sheet import base_sheet
from apextrim.events.models import Event
from apextrim.sheets.models import Sheet
from apextrim.sheets.proposed import read_proposed, set_query


def test_what_an_address_proposes_is_what_it_was_made_from(car: Car) -> None:
    base = base_sheet(car)
    moved = {item.key: value for item in car.items if (value := item.stepped(base.values[item.key], 1)) is not None}
    kept = CoreSheet(car.key, {**base.values, **{key: value for key, value in moved.items() if not key.startswith("gear")}})
    query = set_query((item, kept.values[item.key]) for item in car.items)
    proposed = read_proposed(car, base, [part for part in query.split("&set=") if part])
    assert proposed.sheet.values == pytest.approx(kept.values) and proposed.refused == ()


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ("wing:many", "many"),
        ("wing:99", "99"),
        ("wing:1,000", "1000 or 1.000"),
        ("spoiler:3", "spoiler: Brackendale Gannet has no such item"),
        ("wing", "Rear wing"),
        ("", "no such item"),
    ],
)
def test_what_cannot_be_taken_is_told(car: Car, asked: str, words: str) -> None:
    proposed = read_proposed(car, base_sheet(car), [asked])
    assert proposed.sheet == base_sheet(car)
    assert len(proposed.refused) == 1 and words in proposed.refused[0]


def test_a_unit_typed_on_the_bench_counts_wherever_the_sheet_is_asked_about(client_in: Client, event: Event, first: Sheet) -> None:
    asked: dict[str, str] = {"set": "pressure_fl:21psi"}
    for page in ("effects", "advice"):
        response = client_in.get(f"/events/{event.pk}/sheet/{first.pk}/{page}/", asked)
        assert [(difference.item.key, difference.after) for difference in response.context["unsaved"]] == [("pressure_fl", 145)]
    assert 'value="21psi"' in client_in.get(f"/events/{event.pk}/sheet/", {"sheet": str(first.pk), **asked}).content.decode()


def test_a_value_that_cannot_be_taken_is_told_on_every_page(client_in: Client, event: Event, first: Sheet) -> None:
    asked = {"set": ["wing:NaN", "spoiler:2"]}
    for page in (f"{first.pk}/effects/", f"{first.pk}/advice/", ""):
        text = client_in.get(f"/events/{event.pk}/sheet/{page}", asked).content.decode()
        assert "Not put on the sheet" in text and "NaN" in text and "spoiler" in text
