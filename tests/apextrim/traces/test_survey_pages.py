"""Circuits of a file, of a run's laps, and a circuit fitted to where it was driven."""

from collections.abc import Callable

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from apexcore.circuit.fit import fitted
from apexcore.circuit.track import centre_line
from apexcore.formats.values_json import write_value
from apextrim.events.models import Event
from apextrim.library.models import Circuit
from apextrim.library.stored import parsed_circuit
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet

from .files import drive as driven
from .files import solved
from .test_bring import words

ADDRESS = "/garage/circuits/recording/"


def table(channels: dict[str, np.ndarray], names: dict[str, str]) -> bytes:
    rows = np.column_stack([channels[key] for key in names])
    return (",".join(names.values()) + "\n" + "\n".join(",".join(f"{value:.8f}" for value in row) for row in rows) + "\n").encode()


@pytest.mark.parametrize("blind", [False, True])
def test_a_racer_without_a_map_gets_a_circuit_from_a_file(client_in: Client, event: Event, first: Sheet, blind: bool) -> None:
    event.refresh_from_db()
    line, lap = solved(event, first)
    channels = {key: column[125:-125] for key, column in driven(line, [lap] * 4).items()}
    way = np.append(line.s, line.length_m)
    speed = channels["speed"] / 3.6
    place = np.concatenate([[0.0], np.cumsum(0.5 * (speed[1:] + speed[:-1]) / 25.0)]) + float(
        np.interp(5.0, np.concatenate([[0.0], np.cumsum(lap.column("time"))]), way)
    )
    channels["lateral"] = speed**2 * np.interp(place % line.length_m, way, np.append(line.road[:, 0], line.road[0, 0])) / 9.80665
    names = {"t": "Time (s)", "speed": "Speed (km/h)"}
    names |= {"lateral": "LatAcc (g)"} if blind else {"latitude": "GPS Lat", "longitude": "GPS Long"}
    response = client_in.post(
        ADDRESS,
        {"file": SimpleUploadedFile("a.csv", table(channels, names)), "name": "Far Fen", "layout": "as driven", "width": 8},
        follow=True,
    )
    assert "Far Fen is in your garage" in words(response), words(response)[-600:]
    row = event.owner.circuits.get(name="Far Fen")
    core = parsed_circuit(row.data)
    assert centre_line(core).length_m == pytest.approx(line.length_m, rel=3e-3) and core.width_m == 8
    assert ("speed and lateral acceleration" if blind else "positions") in words(response)
    assert len(client_in.get(reverse("edit_circuit", args=[row.pk])).context["map"].markers) >= 5


@pytest.mark.parametrize(
    ("data", "told"),
    [(b"a,b\n1,2\n3,4\n", "not enough of them is known"), (b"", "The file is empty"), (b"time_s,x_m,y_m\n" + b"".join(b"%d,1,1\n" % k for k in range(50)), "recording")],
)  # fmt: skip
def test_what_is_no_lap_makes_no_circuit(client_in: Client, event: Event, data: bytes, told: str) -> None:
    before = Circuit.objects.count()
    form = {"file": SimpleUploadedFile("a.csv", data), "name": "Far Fen", "layout": "x", "width": 8}
    response = client_in.post(ADDRESS, form)
    assert response.status_code == 422 and told in words(response) and 'value="Far Fen"' in response.content.decode()
    assert (
        "No file chosen" in words(client_in.post(ADDRESS, {"name": "Far Fen", "layout": "x", "width": 8}))
        and Circuit.objects.count() == before
    )


def test_a_runs_laps_make_a_circuit_and_fit_the_events_own(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]
) -> None:
    run = drive(first, 1)
    address = reverse("survey_run", args=[event.pk, run.pk])
    page = client_in.get(address)
    assert abs(page.context["fit"]["percent"]) < 1.2 and abs(page.context["fit"]["start_m"]) < 2.0 and not page.context["fit"]["backwards"]
    made = client_in.post(address, {"name": "Driven Fen", "layout": "R1", "width": "8"}, follow=True)
    assert "Driven Fen is in your garage" in words(made)
    off = fitted(parsed_circuit(event.circuit.data), 1.03, 120.0)
    Circuit.objects.filter(pk=event.circuit_id).update(data=write_value(off))
    page = client_in.get(address)
    assert page.context["fit"]["percent"] == pytest.approx(-3.0, abs=1.0) and page.context["fit"]["start_m"] == pytest.approx(
        -123.0, abs=6.0
    )
    done = words(client_in.post(reverse("fit_circuit", args=[event.pk, run.pk]), {"scale": "on", "start": "on"}, follow=True))
    assert "is fitted to R1" in done
    page = client_in.get(address)
    assert abs(page.context["fit"]["percent"]) < 0.3 and abs(page.context["fit"]["start_m"]) < 3.0
    assert "Nothing was chosen" in words(client_in.post(reverse("fit_circuit", args=[event.pk, run.pk]), follow=True))


def test_further_laps_correct_a_circuit_that_laps_made(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run, later = drive(first, 1), drive(first, 2)
    address = reverse("survey_run", args=[event.pk, run.pk])
    assert client_in.get(address).context["new"] is None  # a circuit from a list of corners is fitted, not averaged
    made = client_in.post(address, {"name": "Driven Fen", "layout": "R1", "width": "8"}, follow=True)
    assert "Driven Fen is in your garage" in words(made)
    circuit = event.owner.circuits.get(name="Driven Fen")
    Event.objects.filter(pk=event.pk).update(circuit=circuit)
    page = client_in.get(address)
    assert page.context["new"] == 0 and "These laps are in it already." in words(page)
    again = client_in.post(reverse("correct_circuit", args=[event.pk, run.pk]), follow=True)
    circuit.refresh_from_db()
    count = len(parsed_circuit(circuit.data).surveyed)
    assert "made of already" in words(again) and count >= 5
    there = reverse("survey_run", args=[event.pk, later.pk])
    fresh = client_in.get(there).context["new"]
    told = client_in.post(reverse("correct_circuit", args=[event.pk, later.pk]), follow=True)
    circuit.refresh_from_db()
    core = parsed_circuit(circuit.data)
    assert fresh >= 5 and f"is the mean of {count + fresh} laps now" in words(told) and len(core.surveyed) == count + fresh
    assert abs(centre_line(core).length_m / centre_line(parsed_circuit(circuit.previous)).length_m - 1.0) < 0.003
    assert client_in.get(there).context["new"] == 0
