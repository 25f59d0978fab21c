"""The sheet bench, and cars, circuits and sheets as files."""

import json
import math

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from apextrim.events.actions import create_event
from apextrim.events.models import Event
from apextrim.events.signals import pace_shift
from apextrim.library.models import Car
from apextrim.library.stored import parsed_circuit
from tests.apexcore.circuit.test_averaged import random_circuit, track
from tests.apexcore.formats.test_formats import EXAMPLES
from tests.conftest import DEMO


def file(data: bytes | str, name: str = "file.json") -> SimpleUploadedFile:
    return SimpleUploadedFile(name, data.encode() if isinstance(data, str) else data)


def test_cars_and_circuits_come_in_and_go_out_as_files(client_in: Client, event: Event) -> None:
    out = client_in.get(reverse("export_car", args=[event.car.pk])).content
    assert client_in.post(reverse("import_car"), {"file": file(out)}).status_code == 302
    assert Car.objects.filter(owner=event.owner).count() == 6
    changed = json.loads(out) | {"key": "gannet_light", "name": "Gannet light"}
    client_in.post(reverse("import_car"), {"file": file(json.dumps(changed))})
    assert Car.objects.filter(owner=event.owner).count() == 7
    clash = client_in.post(reverse("import_car"), {"file": file(json.dumps(changed | {"name": "Another"}))})
    assert clash.status_code == 422 and "is already used by Gannet light" in clash.content.decode()
    broken = json.loads(out)
    broken["mass"]["dry_kg"] = -5
    assert "mass.dry_kg" in client_in.post(reverse("import_car"), {"file": file(json.dumps(broken))}).content.decode()


def test_a_circuit_that_does_not_close_is_refused(client_in: Client, event: Event) -> None:
    circuit = json.loads((DEMO / "circuits" / "sallowmere_fen.json").read_text())
    circuit["key"] = "open"
    circuit["segments"].pop(1)
    response = client_in.post(reverse("import_circuit"), {"file": file(json.dumps(circuit)), "width": "10"})
    assert response.status_code == 422
    assert "corners that add up to 360" in response.content.decode()
    assert client_in.get(reverse("export_circuit", args=[event.circuit.pk])).status_code == 200


def test_a_survey_becomes_a_circuit_and_can_be_turned_round(client_in: Client, event: Event) -> None:
    data = (EXAMPLES / "circuit.geojson").read_bytes()
    before = event.owner.circuits.count()
    page = client_in.post(reverse("import_circuit"), {"file": file(data), "name": "My field", "width": "8,5"}, follow=True)
    assert "My field, imported is in your garage" in page.content.decode()
    row = event.owner.circuits.get(name="My field")
    again = client_in.post(reverse("import_circuit"), {"file": file(data), "name": "My field", "width": "8.5"}, follow=True)
    assert "is already in your garage" in again.content.decode()
    client_in.post(reverse("reverse_circuit", args=[row.pk]))
    assert event.owner.circuits.filter(layout="imported reversed").exists()
    assert event.owner.circuits.count() == before + 2
    other = create_event(event.owner, "On my field", event.car, row, False)
    assert len(client_in.get(reverse("lap_bench", args=[other.pk])).context["rows"]) == 8


def test_circuits_without_a_name_are_called_by_their_file_and_numbered(client_in: Client, event: Event) -> None:
    """Two surveys of one file name do not collide, and the same one again adds nothing."""
    ring, oval = (
        "x,y\n" + "\n".join(f"{a * math.cos(t * math.pi / 40):.2f},{150 * math.sin(t * math.pi / 40):.2f}" for t in range(80))
        for a in (150, 240)
    )
    for data, name in (
        (ring, "North_lake  day 2.csv"),
        (oval, "North_lake  day 2.csv"),
        (ring, "north_lake day 2.CSV"),
        (oval, "North lake day 2.csv"),
    ):
        assert client_in.post(reverse("import_circuit"), {"file": file(data, name), "width": "10"}).status_code == 302
    names = sorted(event.owner.circuits.filter(layout="imported").values_list("name", flat=True))
    assert names == ["North lake day 2", "North lake day 2 2"]
    for data, name in ((ring, ".csv"), (oval, "x" * 200 + ".csv"), (ring, "<b>é\u202e.csv")):
        page = client_in.post(reverse("import_circuit"), {"file": file(data, name), "width": "10"}, follow=True)
        assert page.status_code == 200 and "<b>é" not in page.content.decode()


@pytest.mark.parametrize(("width", "words"), [("0", "expected 3 to 40 m"), ("wide", "“wide”"), ("", "required")])
def test_a_circuit_needs_a_possible_width(client_in: Client, event: Event, width: str, words: str) -> None:
    data = (EXAMPLES / "circuit_points.csv").read_bytes()
    response = client_in.post(reverse("import_circuit"), {"file": file(data), "name": "Narrow", "width": width})
    assert response.status_code == 422 and words in response.content.decode()
    assert not event.owner.circuits.filter(name="Narrow").exists()


@pytest.mark.thorough_only
def test_a_driven_track_brings_its_name_and_what_its_scatter_leaves_open(client_in: Client, event: Event) -> None:
    """A lap of a receiver that scatters by 1.5 m: told where it is imported, on its page, and in the lap times to expect."""
    circuit = random_circuit(12)
    rows = [f'<trkpt lat="{50 + y / 111_195:.7f}" lon="{x / 71_475:.7f}"/>' for x, y, _ in track(circuit, 12, 1, 2.0, 1.5)]
    data = f"<gpx><trk><name>Coldharbour Loop</name><trkseg>{''.join(rows)}</trkseg></trk></gpx>".encode()
    page = client_in.post(reverse("import_circuit"), {"file": file(data, "a.gpx"), "name": "", "width": "10"}, follow=True).content.decode()
    row = event.owner.circuits.get(name="Coldharbour Loop")
    core = parsed_circuit(row.data)
    assert f"Its points scatter: lap times on it are ± {core.lap_half_pct:.1f} % (95 %)." in page and 0.2 < core.lap_half_pct < 9.0
    shown = client_in.get(reverse("edit_circuit", args=[row.pk])).content.decode()
    assert f"± {core.lap_half_pct:.1f}" in shown and "lap_spread" not in shown
    other = create_event(event.owner, "On the loop", event.car, row, False)
    assert pace_shift(other).sd == pytest.approx(np.hypot(pace_shift(event).sd, core.lap_spread))


def test_a_long_track_is_averaged_beside_the_requests(client_in: Client, event: Event) -> None:
    rows = "".join(f"{300 * math.cos(k / 50):.3f},{300 * math.sin(k / 50):.3f}\n" for k in range(3000))
    before = event.owner.circuits.count()
    response = client_in.post(reverse("import_circuit"), {"file": file("x_m,y_m\n" + rows, "ring.csv"), "name": "", "width": "10"})
    assert response.status_code == 302 and "/jobs/" in response.headers["Location"] and event.owner.circuits.count() == before
