"""A car checked against its sheet, sheets made from others, and the first of an event."""

import re

import pytest
from django.test import Client
from django.urls import reverse

from apexcore.vehicle.sheet import base_sheet
from apextrim.events import facts
from apextrim.events.models import Event
from apextrim.modelling import answers, cases
from apextrim.sheets.models import Sheet
from apextrim.sheets.queries import core_sheet


def text_of(response: object) -> str:
    return re.sub(r"\s+", " ", response.content.decode())  # type: ignore[attr-defined]


def test_the_check_shows_every_difference_and_nothing_that_was_not_read(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/check/"
    assert "Check the car against S1" in text_of(client_in.get(url))
    right = {"bar_front": f"{first.values['bar_front']:g}", "pressure_fl": "22.0psi"}
    page = text_of(client_in.post(url, right))
    assert "Every value you entered matches S1" in page and "38 of 40 values were not read" in page
    page = text_of(client_in.post(url, {"brake_bias": "73,0", "fuel": "25", "wing": "6"}))
    assert "2 values in the car differ" in page and "73.0 %" in page and "74.5 %" in page and "3 steps up to correct" in page
    wrong = client_in.post(url, {"brake_bias": "much"})
    assert wrong.status_code == 422 and "“much” is not valid" in text_of(wrong) and 'value="much"' in text_of(wrong)


@pytest.mark.parametrize("purpose", ["qualifying", "race", "training"])
def test_a_fork_carries_fuel_for_its_purpose(client_in: Client, event: Event, first: Sheet, purpose: str) -> None:
    page = text_of(client_in.post(f"/events/{event.pk}/sheet/fork/", {"sheet": first.pk, "purpose": purpose}, follow=True))
    made = event.sheets.get(number=2)
    use = answers.answer_of(event, core_sheet(event, first)).lap.fuel_l
    rules = facts.rules_of(event)
    laps = {"qualifying": 5.0, "training": 14.0, "race": rules.laps + rules.formation_laps}[purpose]
    fuel = made.values["fuel"]
    assert laps * use * 1.03 <= fuel < laps * use * 1.03 + 1.0 or fuel in (5.0, 62.0)
    assert {key for key, value in made.values.items() if value != first.values[key]} <= {"fuel"}
    assert made.parent == first and purpose.capitalize() in page


def test_a_fork_without_a_purpose_is_refused(client_in: Client, event: Event, first: Sheet) -> None:
    page = client_in.post(f"/events/{event.pk}/sheet/fork/", {"sheet": first.pk, "purpose": "glory"})
    assert page.status_code == 422 and "qualifying, race or training" in text_of(page) and event.sheets.count() == 1


def test_the_second_of_two_windows_is_told_and_nothing_is_lost(client_in: Client, event: Event, first: Sheet) -> None:
    one = {**{key: f"{value:g}" for key, value in first.values.items()}, "sheet": str(first.pk), "seen": "1", "reason": "one window"}
    client_in.post(f"/events/{event.pk}/sheet/save/", {**one, "wing": "8"})
    page = text_of(client_in.post(f"/events/{event.pk}/sheet/save/", {**one, "wing": "4", "reason": "the other"}, follow=True))
    assert "S2 was saved in another window meanwhile. S3 does not include those changes" in page
    assert [sheet.values["wing"] for sheet in event.sheets.order_by("number")][1:] == [8, 4]


def test_an_event_without_a_sheet_begins_with_the_base_sheet_from_the_runs_bench(client_in: Client, event: Event) -> None:
    bench = reverse("runs_bench", args=[event.pk])
    assert "Save the base sheet and log a run" in client_in.get(bench).content.decode()
    answer = client_in.post(reverse("first_sheet", args=[event.pk]))
    assert answer.url == f"{bench}#run_laps"  # type: ignore[attr-defined]
    row = event.sheets.get()
    assert row.in_car and row.values == base_sheet(cases.car_of(event)).values and "The base sheet" in row.reason
    client_in.post(reverse("first_sheet", args=[event.pk]))
    assert event.sheets.count() == 1 and "Save the base sheet" not in client_in.get(bench).content.decode()
