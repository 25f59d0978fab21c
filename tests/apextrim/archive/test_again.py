"""The next event from one that was: what goes along, what is told, and that the one before stays as it is."""

from typing import Any

from django.test import Client
from django.urls import reverse

from apextrim.events import actions as events
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import sheet_in_car
from tests.apextrim.traces.test_bring import words

FORM = {"name": "Round 2", "starts_at": "2026-07-04T10:00", "air_c": "20", "track_c": "26", "sheet": "on", "book": "on", "rules": "on"}


def sent(client: Client, event: Event, **more: object) -> Any:
    form = {**FORM, "car": event.car_id, "circuit": event.circuit_id, **more}
    return client.post(reverse("next_event", args=[event.pk]), form, follow=True)


def test_the_same_place_another_day(client_in: Client, event: Event, first: Sheet) -> None:
    now = facts.conditions_of(event)
    events.change_rules(event, {"laps": 33, "pit_loss_s": 19.0})
    Event.objects.filter(pk=event.pk).update(calibration={"grip": 1.01}, driver="front runner")
    event.refresh_from_db()
    page = client_in.get(reverse("next_event", args=[event.pk]))
    assert page.status_code == 200 and f'value="{now.air_c:.1f}"' in page.content.decode()
    answer = sent(client_in, event, air_c=str(now.air_c), track_c=str(now.track_c))
    made = event.owner.events.get(name="Round 2")
    sheet = sheet_in_car(made)
    assert sheet is not None and sheet.values == first.values and sheet.reason.startswith(event.name)
    assert facts.rules_of(made).laps == 33 and made.driver == "front runner" and made.calibration == {"grip": 1.01}
    assert [(one.name, one.kind) for one in made.sessions.all()] == [(one.name, one.kind) for one in event.sessions.all()]
    assert made.sessions.earliest("starts_at").starts_at.isoformat().startswith("2026-07-04T10:00") and "is made from" in words(answer)
    assert event.sheets.count() == 1 and event.runs.count() == 0


def test_other_weather_leads_to_the_sheet_adapted(client_in: Client, event: Event, first: Sheet) -> None:
    now = facts.conditions_of(event)
    answer = sent(client_in, event, air_c="33", track_c="48")
    assert answer.redirect_chain[-1][0].startswith(
        reverse("carry_sheet", args=[event.owner.events.get(name="Round 2").pk, sheet_key(event)])
    )
    assert answer.status_code == 200 and f"air {33}" in words(answer) and now.air_c != 33


def sheet_key(event: Event) -> int:
    row = sheet_in_car(event.owner.events.get(name="Round 2"))
    assert row is not None
    return row.pk


def test_another_circuit_and_another_car(client_in: Client, event: Event, first: Sheet) -> None:
    owner = event.owner
    sent(client_in, event, circuit=owner.circuits.get(key="hollin_bowl").pk, name="Elsewhere")
    made = owner.events.get(name="Elsewhere")
    assert sheet_in_car(made) is not None and made.circuit.key == "hollin_bowl"
    answer = words(sent(client_in, event, car=owner.cars.get(key="ferrow_lark").pk, name="Other car"))
    other = owner.events.get(name="Other car")
    assert other.calibration == {} and other.item_rules == {} and ("stay behind" in answer or "stays behind" in answer)


def test_what_is_wrong_makes_nothing(client_in: Client, stranger: Client, event: Event) -> None:
    for more in ({"name": ""}, {"starts_at": "tomorrow"}, {"air_c": "900"}, {"car": "999"}):
        answer = sent(client_in, event, **more)
        assert answer.status_code == 422 and event.owner.events.count() == 1
    assert stranger.get(reverse("next_event", args=[event.pk])).status_code == 404
