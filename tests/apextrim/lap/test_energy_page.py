"""Where an energy store is spent, and what driver systems do, on their pages."""

import re

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.urls import reverse

from apexcore.vehicle.sheet import base_sheet
from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.modelling import cases
from apextrim.sheets.actions import save_sheet
from tests.apextrim.lap.test_corner_page import words


def first_sheet(event: Event) -> None:
    """The base sheet of the event's car."""
    save_sheet(event, base_sheet(cases.car_of(event)), None, "as it stands")


@pytest.fixture
def plover(event: Event) -> Event:
    """An event of the car that has all of it."""
    owner: User = event.owner
    row = create_event(owner, "Test day", owner.cars.get(key="garrowby_plover"), owner.circuits.get(key="sallowmere_fen"), False)
    first_sheet(row)
    return row


def test_the_page_says_where_it_is_spent_and_what_it_saves(client_in: Client, plover: Event) -> None:
    answer = client_in.get(reverse("lap_energy", args=[plover.pk]))
    text, page = words(answer), answer.content.decode()
    assert answer.status_code == 200 and "drive-spend" in page and "drag flap may be open" in page
    spent, may = (float(part) for part in re.findall(r"(\d+) of (\d+) kJ", text)[0])
    assert spent == pytest.approx(may, abs=5) and may <= 1000
    rows = re.findall(r"<th scope=\"row\">(out of [^<]+)</th>", page)
    assert len(rows) >= 3 and all(re.match(r"out of \d", row) for row in rows)
    each = [
        float(kj) for kj in re.findall(r"<td class=\"n\">(\d+)</td>\s*<td class=\"n\">\d\.\d\d</td>\s*<td class=\"n\">\d\.\d</td>", page)
    ]
    assert sum(each) == pytest.approx(spent, abs=len(each))
    assert "Where to spend the energy store" in words(client_in.get(reverse("lap_bench", args=[plover.pk])))


def test_a_car_without_a_store_is_told_so(client_in: Client, event: Event) -> None:
    first_sheet(event)
    assert "This car has no energy store" in words(client_in.get(reverse("lap_energy", args=[event.pk])))
    assert "Where to spend the energy store" not in words(client_in.get(reverse("lap_bench", args=[event.pk])))


def test_the_sheet_bench_tells_margins_systems_and_store(client_in: Client, plover: Event, event: Event) -> None:
    text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", words(client_in.get(reverse("sheet_bench", args=[plover.pk])))))
    assert "Yaw margin" in text and "at top speed" in text and "on the brakes into corner" in text
    assert "Traction control holds the throttle for" in text and "Anti-lock brakes share out the braking for" in text
    assert re.search(r"Spends \d+ of \d+ kJ a lap; one kilojoule more would save \d\.\d ms", text)
    first_sheet(event)
    plain = words(client_in.get(reverse("sheet_bench", args=[event.pk])))
    assert "Yaw margin" in plain and "Traction control" not in plain and "Energy store" not in plain
