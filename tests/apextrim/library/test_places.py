"""Drivers' places: kept once per driver and car, seen before every session, and nobody else's."""

from html import unescape

from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.library.models import Car, DriversPlace
from apextrim.sheets.models import Sheet
from tests.apextrim.traces.test_bring import words


def test_a_place_is_kept_and_stands_on_the_check_and_on_the_printed_sheet(client_in: Client, event: Event, first: Sheet) -> None:
    address = reverse("drivers_places", args=[event.car.pk])
    kept = unescape(
        words(
            client_in.post(address, {"driver": " Ines  Varrow ", "seat": "5th hole, insert B", "pedals": "<b>block</b> 20 mm"}, follow=True)
        )
    )
    assert "Ines Varrow's place in" in kept
    for name in ("check_sheet", "sheet_card"):
        page = unescape(words(client_in.get(reverse(name, args=[event.pk, first.pk]))))
        assert "Ines Varrow's place" in page and "5th hole, insert B" in page and "Reach to the wheel" not in page
        assert "<b>block</b> 20 mm" in page
    assert f'href="{address}"' in client_in.get(reverse("check_sheet", args=[event.pk, first.pk])).content.decode()
    row = DriversPlace.objects.get()
    client_in.post(address, {"card": row.pk, "driver": "Ines Varrow", "seat": "6th hole"})
    assert DriversPlace.objects.get().lines == [("Seat", "6th hole")]


def test_a_second_card_of_one_name_is_refused_and_what_was_typed_stays(client_in: Client, event: Event) -> None:
    address = reverse("drivers_places", args=[event.car.pk])
    client_in.post(address, {"driver": "Ines Varrow"})
    again = client_in.post(address, {"driver": "Ines  Varrow", "belts": "third hole left"})
    assert again.status_code == 422 and "has a card for" in words(again) and "third hole left" in again.content.decode()
    assert client_in.post(address, {"driver": "", "seat": "x" * 200}).status_code == 422
    assert client_in.post(address, {"card": "9" * 11, "driver": ""}).status_code == 422
    assert DriversPlace.objects.count() == 1


def test_a_card_is_removed_after_asking_and_can_be_had_back(client_in: Client, event: Event) -> None:
    address = reverse("drivers_places", args=[event.car.pk])
    client_in.post(address, {"driver": "Ines Varrow", "seat": "5th hole"})
    asking = f"{address}?remove={DriversPlace.objects.get().pk}"
    assert "Remove Ines Varrow" in words(client_in.get(asking)) and DriversPlace.objects.exists()
    gone = client_in.post(asking).content.decode()
    assert not DriversPlace.objects.exists() and "5th hole" in gone and "save it to have it back" in gone


def test_a_strangers_card_is_not_there(client_in: Client, event: Event, stranger: Client) -> None:
    car = Car.objects.exclude(owner=event.owner).first()
    assert car is not None
    theirs = DriversPlace.objects.create(car=car, driver="Odd Marl")
    address = reverse("drivers_places", args=[event.car.pk])
    assert client_in.get(reverse("drivers_places", args=[car.pk])).status_code == 404
    client_in.post(f"{address}?remove={theirs.pk}")
    client_in.post(address, {"card": theirs.pk, "driver": "Mine now"})
    theirs.refresh_from_db()
    assert theirs.driver == "Odd Marl"
