"""Cars and circuits made, changed and brought back; a sheet over a stint."""

import re

import pytest
from django.test import Client

from apexcore.lap.stint import solve_stint
from apexcore.trim.reading.drift import balance_drift, drift, limiting_wheel
from apexcore.vehicle.sheet import base_sheet
from apextrim.events.models import Event
from apextrim.sheets.models import Sheet
from tests.conftest import demo_car, demo_lap_case


def text_of(response: object) -> str:
    return re.sub(r"\s+", " ", response.content.decode())  # type: ignore[attr-defined]


def test_a_stint_tells_times_tyres_and_drift(client_in: Client, event: Event, first: Sheet) -> None:
    url = f"/events/{event.pk}/sheet/{first.pk}/stint/"
    page = text_of(client_in.get(url))
    assert "Quickest on lap" in page and "tyre reaches its cliff first, about" in page and len(re.findall(r"[\d.]+ l</td>", page)) == 20
    worn = text_of(client_in.get(url, {"laps": "6", "fuel": "20", "front": "slate", "rear": "marl"}))
    assert len(re.findall(r"[\d.]+ l</td>", worn)) == 6 and '<option value="slate" selected>' in worn
    short = client_in.get(url, {"laps": "60", "fuel": "12"})
    assert short.status_code == 422 and "fuel at start" in text_of(short) and 'value="12"' in text_of(short)
    for asked in ({"laps": "1"}, {"laps": "many"}, {"front": "glue"}, {"fuel": "900"}):
        assert client_in.get(url, asked).status_code == 422


@pytest.mark.parametrize(
    ("car_key", "circuit_key"), [("brackendale_gt", "sallowmere_fen"), ("drummock_stallard", "hollin_bowl"), ("wisp_125", "quernlow")]
)
def test_the_wheel_that_works_most_goes_first(car_key: str, circuit_key: str) -> None:
    lap_case, spans = demo_lap_case(car_key, circuit_key)
    stint = solve_stint(lap_case, base_sheet(demo_car(car_key)), demo_car(car_key).tank_l, 8)
    laps = drift(stint, spans, lap_case.line)
    wheel, left = limiting_wheel(laps, (0.72, 0.72))
    assert stint[-1].wear[wheel] == max(stint[-1].wear)
    assert left == pytest.approx(0.72 / (stint[-1].wear[wheel] / 7), rel=1e-6)
    assert [lap.number for lap in laps] == list(range(1, 9)) and len(balance_drift(laps)) >= 1
