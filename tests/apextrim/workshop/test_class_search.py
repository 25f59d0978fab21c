"""Class limits: kept as rules of the event, shown against the sheets, and searched under."""

from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from apexcore.trim.moves.class_search import class_search
from apexcore.vehicle.class_limits import ClassLimits
from apextrim.archive.actions import read_event, write_event
from apextrim.archive.again import Wanted, again
from apextrim.events import facts
from apextrim.events.actions import change_class_limits
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet, leaves_class
from apextrim.work.models import Job
from apextrim.workshop.models import Search
from tests.apextrim.workshop.test_questions import text_of

#: Heavier by twelve kilos than the car of these tests stands on the scales.
LIMITS = ClassLimits(least_kg=1327.0, most_ballast_kg=40.0)


def limit(client: Client, event: Event, **typed: str) -> Any:
    return client.post(reverse("class_limits", args=[event.pk]), typed, follow=True)


def test_limits_are_typed_in_any_unit_and_stand_against_every_sheet(client_in: Client, event: Event, first: Sheet) -> None:
    page = text_of(limit(client_in, event, least_kg="2930 lb", most_kw="450 hp", least_kg_per_kw="8.9 lb/hp"))
    assert "Class limits saved" in page and "Weight with driver" in page and "below the least that the class allows" in page
    event.refresh_from_db()
    told = facts.class_limits_of(event)
    assert told.least_kg == pytest.approx(1329.03, abs=0.01) and told.most_kw == pytest.approx(335.56, abs=0.01)
    assert told.least_kg_per_kw == pytest.approx(5.4137, abs=1e-3) and told.most_ballast_kg is None
    assert "1329.0 kg" in text_of(client_in.get(reverse("brief", args=[event.pk])))
    assert "Nothing changed" in text_of(
        limit(client_in, event, least_kg="2930 lb", most_kw="450 hp", least_kg_per_kw="8.9 lb/hp", scales_fuel_l="0")
    )


def test_a_sheet_outside_the_class_is_named_wherever_it_matters(client_in: Client, event: Event, first: Sheet) -> None:
    change_class_limits(event, LIMITS)
    words = "12.0 kg below the least that the class allows, 1327.0 kg"
    for address in (
        f"{reverse('sheet_bench', args=[event.pk])}?sheet={first.pk}",
        reverse("check_sheet", args=[event.pk, first.pk]),
        reverse("class_limits", args=[event.pk]),
    ):
        assert words in text_of(client_in.get(address)), address
    assert words in text_of(client_in.post(reverse("put_in_car", args=[event.pk]), {"sheet": first.pk}, follow=True))
    typed = {"sheet": first.pk, **{key: f"{value:g}" for key, value in first.values.items()}}
    answer = reverse("sheet_answer", args=[event.pk])
    assert "breaks" in text_of(client_in.post(answer, typed))
    heavy = text_of(client_in.post(answer, {**typed, "ballast_floor": "15"}))
    assert "data-class" in heavy and "breaks" not in heavy


@pytest.mark.parametrize(("name", "typed"), [("least_kg", "heavy"), ("least_kg", "1e9"), ("most_kw", "-4"), ("least_kg_per_kw", "3 psi")])
def test_a_limit_that_cannot_be_is_refused_and_stays_as_typed(client_in: Client, event: Event, name: str, typed: str) -> None:
    page = limit(client_in, event, **{"most_ballast_kg": "20", name: typed})
    assert page.status_code == 422 and f'value="{typed}"' in text_of(page) and 'value="20"' in text_of(page)
    event.refresh_from_db()
    assert event.class_limits == {}


@pytest.mark.usefixtures("at_once")
def test_the_search_finds_what_the_core_finds_and_puts_it_on_the_sheet(client_in: Client, event: Event, first: Sheet) -> None:
    ask = reverse("class_search", args=[event.pk, first.pk])
    assert "No class limit is set" in text_of(client_in.get(ask))
    assert client_in.post(ask, {"aim": "lap", "laps": "12"}).status_code == 422 and not Search.objects.exists()
    change_class_limits(event, LIMITS)
    assert "1327.0 kg" in text_of(client_in.get(ask)).replace("\xa0", " ")
    page = text_of(client_in.post(ask, {"aim": "lap", "laps": "12"}, follow=True))
    found = class_search(cases.lap_case_of(event), core_sheet(event, first), LIMITS)
    assert "which the class does not allow" in page and "Ballast, floor" in page
    floor, tail = (found.best.sheet.values[key] for key in ("ballast_floor", "ballast_tail"))
    query = f"&amp;set=ballast_floor:{floor:g}&amp;set=ballast_tail:{tail:g}"
    assert query in page and floor + tail == pytest.approx(15.0)
    bench = text_of(client_in.get(f"{reverse('sheet_bench', args=[event.pk])}?sheet={first.pk}{query}".replace("&amp;", "&")))
    assert 'data-fresh="1"' not in bench and "breaks" not in bench
    assert "ballast and restrictor" in text_of(client_in.get(reverse("search_sheet", args=[event.pk, first.pk])))


@pytest.mark.usefixtures("at_once")
def test_limits_that_nothing_meets_are_said(client_in: Client, event: Event, first: Sheet) -> None:
    change_class_limits(event, ClassLimits(least_kg=1900.0))
    page = text_of(client_in.post(reverse("class_search", args=[event.pk, first.pk]), {"aim": "lap", "laps": "12"}, follow=True))
    assert "The nearest breaks: weight with driver" in page and "The sheet is unchanged" in page


@pytest.mark.parametrize("typed", [{"aim": "forgiving", "laps": "12"}, {"aim": "lap", "laps": "many"}, {}])
def test_a_search_asked_wrongly_starts_nothing(client_in: Client, event: Event, first: Sheet, typed: dict[str, str]) -> None:
    change_class_limits(event, LIMITS)
    assert client_in.post(reverse("class_search", args=[event.pk, first.pk]), typed).status_code == 422
    assert not Search.objects.exists() and not Job.objects.filter(kind="search").exists()


def test_a_car_without_an_item_for_it_is_told_what_to_add(client_in: Client, event: Event, first: Sheet) -> None:
    change_class_limits(event, LIMITS)
    event.item_rules = {key: [first.values[key]] * 2 for key in ("ballast_floor", "ballast_tail")}
    event.save(update_fields=["item_rules"])
    page = text_of(client_in.get(reverse("class_search", args=[event.pk, first.pk])))
    assert "has no free item that sets ballast" in page and "powertrain.restrictor" in page


def test_limits_go_with_the_events_file_and_to_the_next_event(event: Event, first: Sheet) -> None:
    change_class_limits(event, LIMITS)
    other = User.objects.create_user("elsewhere", password="withy-bend-4")
    there, _ = read_event(other, write_event(event).encode())
    assert facts.class_limits_of(there) == LIMITS
    now = facts.conditions_of(event).model_dump()
    made = again(event.owner, event, Wanted("Round 2", event.car, event.circuit, now, event.made_at, True, False, True)).event
    assert facts.class_limits_of(made) == LIMITS


def test_a_step_that_leaves_the_class_is_marked_and_not_among_the_best(client_in: Client, event: Event, first: Sheet) -> None:
    light = Sheet.objects.create(
        event=event, number=7, reason="On the limit", values={**first.values, "ballast_floor": 20}, made_at=event.made_at
    )
    page = reverse("sheet_effects", args=[event.pk, light.pk])
    steps = {"sheet": light.pk, "by": "lap", **{key: f"{value:g}" for key, value in light.values.items()}}
    before = text_of(client_in.post(reverse("sheet_steps", args=[event.pk]), steps))
    assert "outside the class limits" not in text_of(client_in.get(page)) and 'data-key="ballast_floor" data-value="15"' in before
    change_class_limits(event, ClassLimits(least_kg=1335.0))  # the sheet stands on it exactly
    marked = text_of(client_in.get(page))
    table = marked.partition('<table class="said effects">')[2]
    row = table[table.index("set=ballast_floor:15") :][:600]
    assert table.count("outside the class limits") == 1 and "outside the class limits" in row
    # nor is it what the page opens with: it is crossed on the map, which says why
    assert (
        'class="spot-barred"' in marked and "Ballast, floor to 15" not in marked.partition('class="verdict-line">')[2].partition("</p>")[0]
    )
    assert 'data-key="ballast_floor" data-value="15"' not in text_of(client_in.post(reverse("sheet_steps", args=[event.pk]), steps))
    broken = Sheet.objects.create(event=event, number=8, reason="Too light", values=dict(first.values), made_at=event.made_at)
    leaves = leaves_class(event, core_sheet(event, broken))  # outside already: what brings it nearer is not held against it
    assert (
        not leaves([("ballast_floor", 5.0)])
        and not leaves([("wing", 3.0)])
        and leaves_class(event, core_sheet(event, light))([("ballast_floor", 0.0)])
    )
