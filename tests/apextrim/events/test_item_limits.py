"""Rules of an event that hold or narrow items."""

from django.test import Client

from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.sheets.models import Sheet
from tests.apextrim.readings.test_readings import text_of


def rule(client: Client, event: Event, **typed: str) -> object:
    return client.post(f"/events/{event.pk}/items/", {name.replace("__", "-"): text for name, text in typed.items()}, follow=True)


def test_rules_hold_and_narrow_and_the_bench_proposes_what_they_allow(client_in: Client, event: Event, first: Sheet) -> None:
    page = text_of(rule(client_in, event, low__wing="1", high__wing="3", low__bar_front="8", high__bar_front="8", held__bar_rear="on"))
    assert "S1 is outside these rules" in page and "Items stand under" not in page and "Item limits saved." in page
    event.refresh_from_db()
    car = cases.car_of(event)
    assert car.item("wing").high == 3 and car.item("bar_front").locked and car.item("bar_rear").locked
    assert facts.book_car_of(event).item("wing").high > 3
    bench = text_of(client_in.get(f"/events/{event.pk}/sheet/"))
    assert "S1 is outside the rules of this event" in bench and 'name="wing" value="3"' in bench and 'name="bar_front" value="8"' in bench
    effects = text_of(client_in.get(f"/events/{event.pk}/sheet/{first.pk}/effects/"))
    assert "set=bar_front" not in effects and "set=bar_rear" not in effects
    saved = client_in.post(
        f"/events/{event.pk}/sheet/save/", {**{key: f"{v:g}" for key, v in first.values.items()}, "wing": "5", "reason": "more"}
    )
    assert saved.status_code == 422 and event.sheets.count() == 1
    put = text_of(client_in.post(f"/events/{event.pk}/sheet/in-car/", {"sheet": first.pk}, follow=True))
    assert "S1 is outside the rules of this event. Rear wing" in put
    fork = client_in.post(f"/events/{event.pk}/sheet/fork/", {"sheet": first.pk, "purpose": "training"})
    assert fork.status_code == 302 and event.sheets.get(number=2).values["wing"] == 3


def test_rules_that_cannot_be_are_refused_and_stay_as_typed(client_in: Client, event: Event, first: Sheet) -> None:
    for typed, words in (({"low__wing": "many"}, "“many” is not valid"), ({"low__wing": "5", "high__wing": "2"}, "is above at most")):
        page = rule(client_in, event, **typed)
        assert page.status_code == 422 and words in text_of(page) and f'value="{typed["low__wing"]}"' in text_of(page)  # type: ignore[attr-defined]
    event.refresh_from_db()
    assert event.item_rules == {}


def test_taking_the_rules_back_opens_every_item(client_in: Client, event: Event) -> None:
    rule(client_in, event, low__wing="1", high__wing="3")
    rule(client_in, event, low__wing="", high__wing="")
    event.refresh_from_db()
    assert event.item_rules == {} and cases.car_of(event) == facts.book_car_of(event)
    assert "Nothing changed" in text_of(rule(client_in, event))
