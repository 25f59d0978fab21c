"""Driving gently against driving hard, on its page."""

from collections.abc import Callable

import pytest
from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.runs.models import Run, TyreReading
from apextrim.sheets.models import Sheet


def test_runs_and_readings_say_from_which_length_on_it_pays(
    client_in: Client, event: Event, first: Sheet, second: Sheet, drive: Callable[..., Run]
) -> None:
    address = reverse("break_even", args=[event.pk])
    asked = {"by": "sheet", "a": str(first.pk), "b": str(second.pk), "margin": "0.1", "trust": "usual"}
    assert "Choose two sides" in client_in.get(address).content.decode()
    for seed in (1, 2):
        for sheet, worn in ((first, 4.0), (second, 2.5)):
            run = drive(sheet, seed)
            if seed == 1:
                assert "No reading tells what" in client_in.get(address, asked).content.decode() or sheet is first
            left = 100.0 - worn * (run.tyre_age + run.laps.count())
            values = {"left_fl": left, "left_fr": left + 2, "left_rl": left + 1, "left_rr": left + 3}
            TyreReading.objects.create(event=event, sheet=sheet, run=run, values=values, conditions=run.conditions, made_at=run.made_at)
    page = client_in.get(address, {**asked, "least": "20", "stop": "25"})
    lives = page.context["lives"]
    assert lives[0].mean == pytest.approx(20.0) and lives[1].mean == pytest.approx(32.0)
    assert "laps of tyre life" in page.content.decode() and len(page.context["rows"]) == 40
    wrong = client_in.get(address, {**asked, "stop": "nothing"})
    assert wrong.status_code == 422 and 'value="nothing"' in wrong.content.decode()
