"""Circuits from surveys and driven laps: the examples, a round trip through noise, and everything that can be wrong."""

import json
import math
from dataclasses import replace

import numpy as np
import pytest

from apexcore.circuit.line import corners, racing_line
from apexcore.circuit.points import checked_points, from_degrees
from apexcore.circuit.track import Circuit, centre_line, mirrored, reversed_circuit
from apexcore.errors import FileRejected, InputError
from apexcore.formats.circuits import read_circuit
from apexcore.formats.values_json import write_value
from apexcore.lap.solver import LapCase, solve_lap
from apexcore.vehicle.sheet import Sheet
from tests.apexcore.formats.test_formats import EXAMPLES
from tests.conftest import DEMO


def survey(circuit: Circuit, spacing_m: float = 10.0, noise_m: float = 0.0) -> bytes:
    """The centre line of a circuit as a CSV of points."""
    line, rng = centre_line(circuit, spacing_m), np.random.default_rng(4)
    rows = zip(line.x + rng.normal(0, noise_m, len(line.x)), line.y + rng.normal(0, noise_m, len(line.x)), line.z, strict=True)
    return ("x_m,y_m,z_m\n" + "".join(f"{x:.3f},{y:.3f},{z:.2f}\n" for x, y, z in rows)).encode()


@pytest.mark.parametrize("name", ["circuit_points.csv", "circuit.geojson", "lap.gpx"])
def test_the_examples_show_the_same_circuit(name: str) -> None:
    circuit = read_circuit((EXAMPLES / name).read_bytes(), "Quernlow", 8.0)
    known = Circuit.model_validate_json((DEMO / "circuits" / "quernlow.json").read_text())
    line = centre_line(circuit)
    assert line.length_m == pytest.approx(centre_line(known).length_m, rel=0.01)
    found, wanted = corners(circuit, racing_line(circuit)), corners(known, racing_line(known))
    assert [math.copysign(1, span.turn_deg) for span in found] == [math.copysign(1, span.turn_deg) for span in wanted]
    assert read_circuit(write_value(circuit).encode(), "other", 5.0) == circuit


@pytest.mark.parametrize("noise_m", [0.0, 0.3, 0.8])
def test_a_survey_gives_back_the_circuit_and_its_lap(circuit: Circuit, lap_case: LapCase, sheet: Sheet, noise_m: float) -> None:
    flat = circuit.model_copy(
        update={"segments": tuple(s.model_copy(update={"bank_deg": 0.0}) if s.kind == "corner" else s for s in circuit.segments)}
    )
    surveyed = read_circuit(survey(flat, noise_m=noise_m), "Fen", circuit.width_m)
    known, found = racing_line(flat), racing_line(surveyed)
    spans = corners(surveyed, found)
    assert len(spans) == 9
    for span, wanted in zip(spans, corners(flat, known), strict=True):
        assert span.radius_m == pytest.approx(wanted.radius_m, rel=0.03 + 0.2 * noise_m)
    there = solve_lap(replace(lap_case, line=found), sheet).time_s
    assert there == pytest.approx(solve_lap(replace(lap_case, line=known), sheet).time_s, rel=0.002 + 0.006 * noise_m)


def test_degrees_become_metres() -> None:
    metres = from_degrees([(10.0, 50.0, 1.0), (10.001, 50.0, 2.0), (10.0, 50.001, 3.0)], "x")
    east, north = metres[1][0] - metres[0][0], metres[2][1] - metres[0][1]
    assert north == pytest.approx(111.195, rel=1e-4)
    assert east == pytest.approx(111.195 * math.cos(math.radians(50.0)), rel=1e-3)
    assert metres[2][2] == 3.0


def ring(n: int, radius: float = 100.0) -> list[tuple[float, float, float]]:
    return [(radius * math.cos(2 * math.pi * k / n), radius * math.sin(2 * math.pi * k / n), 0.0) for k in range(n)]


def test_doubles_and_a_repeated_last_point_are_dropped() -> None:
    points = ring(40)
    assert checked_points([points[0], points[0], *points[1:], points[0]], "ring") == points


@pytest.mark.parametrize(
    ("points", "words"),
    [
        ([], "0 different points"),
        (ring(7), "7 different points"),
        (ring(40, 1.0), "expected 150 m to 30000 m"),
        ([(x / 1e5, y / 1e5, 0) for x, y, _ in ring(40)], "different points"),
        (ring(400)[:200], "from the last point to the first"),
        (
            [(150 * math.sin(a), 80 * math.sin(2 * a), 0.0) for a in np.linspace(0, 2 * math.pi, 60, endpoint=False)],
            "does not cross itself",
        ),
        (ring(40, 90_000.0), "expected 150 m to 30000 m"),
    ],
)
def test_what_is_no_lap_is_refused(points: list[tuple[float, float, float]], words: str) -> None:
    with pytest.raises(InputError, match=words):
        checked_points(points, "ring")


def geojson(coordinates: object, kind: str = "LineString") -> bytes:
    return json.dumps({"type": kind, "coordinates": coordinates}).encode()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "The file is empty"),
        (b"along,across\n1,2\n", "Line 1: “along, across” is not valid; expected the columns x_m, y_m"),
        (b"x,X [m],y\n1,2,3\n", "Line 1: “x, X [m]” is not valid; expected one column of each kind"),
        (b"x (yd),y (yd)\n1,2\n", "Line 1: “x (yd)” is not valid; expected metres"),
        (b"lon (km),lat (km)\n1,2\n", "longitude and latitude in degrees"),
        (b"x" * 50_000 + b" " * 50_000 + b",y\n1,2\n", "Line 1"),
        (b"x_m,y_m\n1,2\n3\n", "Line 3: “1 columns”"),
        (b"x_m,y_m\n1,2\nfar,4\n", "Line 3, column x_m: “far”"),
        (b"longitude,latitude\n523412,5701234\n", "longitude and latitude in degrees, not metres"),
        (b'{"type": "Point", "coordinates": [1, 2]}', "a LineString or a Polygon"),
        (b"{nonsense", "GeoJSON"),
        (geojson([[1, 2], ["a", 3]]), "GeoJSON, point 2"),
        (geojson([[1, 2], [1]]), "GeoJSON, point 2"),
        (geojson([[0.0, 50.0], [0.001, 50.0], [0.001, 50.001]]), "3 different points"),
        (b"<gpx><trk>", "Line 1"),
        (b"<gpx></gpx>", "no track point"),
        (b'<!DOCTYPE x [<!ENTITY a "b">]><gpx/>', "without document type"),
        (b'<gpx><trk><trkseg><trkpt lat="x" lon="1"/></trkseg></trk></gpx>', "GPX, point 1, lat: “x”"),
    ],
)
def test_unusable_circuit_files_name_place_and_expectation(data: bytes, words: str) -> None:
    with pytest.raises(FileRejected) as error:
        read_circuit(data, "New", 10.0)
    assert words in str(error.value)


@pytest.mark.parametrize(
    ("heading", "size"),
    [("X_M,Y_M,Z_M", 1.0), ("x,y,z", 1.0), (" Easting [m];Northing [m];Altitude (m)", 1.0), ("East m,North m,Elevation m", 1.0),
     ("X (ft),Y (ft),Height (ft)", 0.3048), ("x_km\ty_km\tEle", 1000.0)],
)  # fmt: skip
def test_headings_are_read_as_people_write_them(heading: str, size: float) -> None:
    """Against the plain headings: of any case, with a unit, in another unit; columns that mean nothing here are passed over."""
    mark = next(mark for mark in ";\t," if mark in heading)
    high = 1.0 if "Ele" in heading and "km" in heading else size
    points = ring(60)
    plain = "x_m,y_m,z_m\n" + "\n".join(f"{x:.6f},{y:.6f},{z:.6f}" for x, y, z in points)
    rows = [mark.join(("lap", heading, "Note"))]
    rows += [mark.join(("1", f"{x / size:.9f}", f"{y / size:.9f}", f"{z / high:.9f}", "dry")) for x, y, z in points]
    read = read_circuit("\n".join(rows).encode(), "Ring", 10.0)
    assert np.allclose(read.points_m, read_circuit(plain.encode(), "Ring", 10.0).points_m, atol=0.011)
    degrees = "\n".join(("LON,Lat", *(f"{x / 7e4:.8f},{50 + y / 1.11e5:.8f}" for x, y, _ in points)))
    assert len(read_circuit(degrees.encode(), "Ring", 10.0).points_m) == 60


@pytest.mark.parametrize("width", [0.0, -3.0, 400.0])
def test_an_impossible_width_is_refused(circuit: Circuit, width: float) -> None:
    with pytest.raises(FileRejected, match="width_m"):
        read_circuit(survey(circuit), "Fen", width)


def test_polygons_and_collections_are_unwrapped() -> None:
    line = [[0.002 * math.cos(a), 0.002 * math.sin(a)] for a in np.linspace(0, 2 * math.pi, 50)]
    feature = {"type": "Feature", "properties": {}, "geometry": {"type": "Polygon", "coordinates": [line]}}
    data = json.dumps({"type": "FeatureCollection", "features": [feature]}).encode()
    assert centre_line(read_circuit(data, "Ring", 10.0)).length_m == pytest.approx(2 * math.pi * 222.4, rel=0.01)


def test_reversing_twice_is_the_circuit_again(circuit: Circuit) -> None:
    there = reversed_circuit(circuit)
    back = reversed_circuit(there)
    assert back.segments == circuit.segments
    assert centre_line(there).length_m == pytest.approx(centre_line(circuit).length_m, rel=1e-6)
    names = [span.name for span in corners(circuit, racing_line(circuit))]
    assert [span.name for span in corners(there, racing_line(there))] == names[::-1]


def test_a_surveyed_circuit_reverses_and_mirrors(circuit: Circuit) -> None:
    surveyed = read_circuit(survey(circuit), "Fen", circuit.width_m)
    there = racing_line(reversed_circuit(surveyed))
    assert float(there.road[:, 0].sum()) == pytest.approx(-float(racing_line(surveyed).road[:, 0].sum()), rel=0.02)
    assert racing_line(mirrored(surveyed)).length_m == pytest.approx(racing_line(surveyed).length_m, rel=1e-4)


def test_an_open_course_is_read_from_start_to_finish() -> None:
    """A half circle of 200 m radius: it does not close, and need not."""
    angle = np.linspace(0.0, math.pi, 60)
    rows = "\n".join(f"{200 * math.sin(a):.2f},{200 - 200 * math.cos(a):.2f},{10 * a:.2f}" for a in angle)
    data = f"x_m,y_m,z_m\n{rows}\n".encode()
    with pytest.raises(FileRejected, match="one lap that closes, or an open course"):
        read_circuit(data, "Half", 9.0)
    circuit = read_circuit(data, "Half", 9.0, closed=False)
    line = centre_line(circuit)
    assert not circuit.closed and line.length_m == pytest.approx(200 * math.pi, rel=2e-3)
    assert line.curvature[20:-20] == pytest.approx(np.full(len(line.x) - 40, 1 / 200), rel=0.05)
    assert line.z[-1] - line.z[0] == pytest.approx(10 * math.pi, rel=0.02)
    assert reversed_circuit(circuit).points_m == circuit.points_m[::-1]
