"""Circuits from other open formats: CSV of points, GeoJSON, GPX. docs/formats.md describes what is read."""

import re
from xml.etree import ElementTree

from pydantic import ValidationError

from ..circuit.averaged import averaged
from ..circuit.points import LEAST_POINTS, Point, checked_points, from_degrees
from ..circuit.track import Circuit, centre_line
from ..errors import FileRejected, InputError
from ..quantities.text import read_number
from .guard import guarded
from .text import decoded, json_of, problem_of, rejected, rows_of
from .values_json import read_value

#: Columns of a CSV, metres or degrees, and how headings say them; letters may be of any case, a unit may stand behind in brackets.
_METRES, _DEGREES, _HEIGHT = ("x_m", "y_m"), ("longitude", "latitude"), "z_m"
_SAID = {
    "x_m": ("x", "east", "easting"), "y_m": ("y", "north", "northing"), "z_m": ("z", "height", "elevation", "altitude", "ele", "alt"),
    "longitude": ("longitude", "lon", "lng", "long"), "latitude": ("latitude", "lat"),
}  # fmt: skip
_COLUMN = {said: column for column, names in _SAID.items() for said in names}
_HEADING = re.compile(r"(?P<name>[^\[(]*?)(?:[\s_]*[\[(]\s*(?P<within>[^\])]*?)\s*[\])]|[\s_]+(?P<behind>m|km|ft|deg))?")
#: Units that a heading may tell, in metres or degrees.
_UNITS = {"": 1.0, "m": 1.0, "metre": 1.0, "metres": 1.0, "ft": 0.3048, "feet": 0.3048, "km": 1000.0, "°": 1.0, "deg": 1.0, "degrees": 1.0}
_EXPECTED = "the columns x_m, y_m and, if known, z_m; or longitude, latitude and z_m"
#: Layout of a circuit that came as points.
IMPORTED = "imported"
#: Farthest that a point may lie from the origin of its survey, and from sea level [m].
_MOST_M = 1e8


@guarded("a circuit")
def read_circuit(data: bytes, name: str, width_m: float, closed: bool = True, typed: bool = False) -> Circuit:
    """A circuit from a file of any format that is read; the product's own JSON keeps its own name and width.

    All whole laps of a driven track are averaged.

    :param name: name for a file that tells none
    :param typed: whether the name was chosen, so that one that stands in a file of points does not count
    :param width_m: width of the road for a file that tells none [m]
    :param closed: whether points are a lap; those of an open course are taken from the first to the last
    :raises FileRejected: naming line, column or point, and what was expected
    """
    text = decoded(data, "a circuit (JSON, GeoJSON, GPX or CSV of points)").lstrip()
    if text.startswith("{") and '"apex-trim circuit' in text[:4000]:
        return read_value(data, Circuit, "a circuit")
    try:
        own = ""
        if text.startswith("{"):
            points, own = _geojson(text)
        elif text.startswith("<"):
            points, own = _gpx(text)
        else:
            points = _csv(text)
        circuit = _circuit(points, name if typed or not own else own, width_m, closed)
        centre_line(circuit)
    except InputError as error:
        raise FileRejected([str(error)]) from None
    return circuit


def key_of(name: str) -> str:
    """A circuit's key by its name."""
    key = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:36] or "circuit"
    return key if key[0].isalpha() else f"c_{key}"


def _circuit(points: list[Point], name: str, width_m: float, closed: bool) -> Circuit:
    """Checked points as a circuit; the key is made of the name."""
    spread = 0.0
    if closed and len(points) >= LEAST_POINTS:
        lap = averaged(points, width_m, name)
        points, spread = list(lap.points), lap.spread
    kept = checked_points(points, name, closed)
    rounded = tuple((round(x, 3), round(y, 3), round(z, 4)) for x, y, z in kept)
    try:
        return Circuit(
            key=key_of(name), name=name, layout=IMPORTED, width_m=width_m, points_m=rounded, lap_spread=spread, closed=closed
        )  # fmt: skip
    except ValidationError as error:
        raise rejected([problem_of(problem) for problem in error.errors()]) from None


def _csv(text: str) -> list[Point]:
    rows = rows_of(text, f"a CSV of points with {_EXPECTED}")
    columns = _columns(rows[0])
    names = _METRES if all(name in columns for name in _METRES) else _DEGREES
    if any(name not in columns for name in names):
        raise InputError("Line 1", ", ".join(cell.strip() for cell in rows[0])[:60], _EXPECTED)
    if names == _DEGREES and any(columns[name][1] != 1.0 for name in names):
        raise InputError("Line 1", ", ".join(rows[0])[:60], "longitude and latitude in degrees")
    wanted = [columns[name] for name in names]
    up = columns.get(_HEIGHT)
    points: list[Point] = []
    for line, row in enumerate(rows[1:], start=2):
        if not any(cell.strip() for cell in row):
            continue
        if len(row) != len(rows[0]):
            want = f"{len(rows[0])}; with a decimal comma, separate the columns by semicolons"
            raise InputError(f"Line {line}", f"{len(row)} columns", want)
        x, y = (size * _coordinate(row[at], f"Line {line}, column {rows[0][at].strip()}") for at, size in wanted)
        height = row[up[0]].strip() if up else ""
        points.append((x, y, up[1] * _coordinate(height, f"Line {line}, column {rows[0][up[0]].strip()}") if up and height else 0.0))
    return points if names == _METRES else from_degrees(points, "CSV")


def _columns(header: list[str]) -> dict[str, tuple[int, float]]:
    """Where each known column stands, and its unit in metres or degrees.

    :raises InputError: if two headings mean the same, or a unit is none of a length or an angle
    """
    found: dict[str, tuple[int, float]] = {}
    for at, cell in enumerate(header):
        said = _HEADING.fullmatch(cell.strip().lower()[:60])
        column = _COLUMN.get(said["name"]) if said else None
        if said is None or column is None:
            continue
        if column in found:
            raise InputError("Line 1", f"{header[found[column][0]].strip()}, {cell.strip()}"[:60], "one column of each kind")
        unit = said["within"] or said["behind"] or ""
        if unit not in _UNITS:
            raise InputError("Line 1", cell.strip()[:60], "metres (m), kilometres (km), feet (ft) or degrees (°)")
        found[column] = at, _UNITS[unit]
    return found


def _coordinate(text: str, place: str) -> float:
    return read_number(text, "", place, -_MOST_M, _MOST_M, comma_is_decimal=True)


def _called(name: object) -> str:
    """A name as a circuit may have it; empty where there is none."""
    return " ".join(name.split())[:60] if isinstance(name, str) and name.isprintable() else ""


def _geojson(text: str) -> tuple[list[Point], str]:
    """Points and the name that the first feature has."""
    content = json_of(text, "GeoJSON")
    ring = _ring(content)
    if ring is None:
        raise InputError("GeoJSON", str(content.get("type"))[:40], "a LineString or a Polygon, alone or in a Feature")
    points: list[Point] = []
    for number, point in enumerate(ring, start=1):
        numbers = point if isinstance(point, list) else []
        if len(numbers) < 2 or not all(isinstance(v, int | float) and abs(v) <= _MOST_M for v in numbers[:3]):
            raise InputError(f"GeoJSON, point {number}", str(point)[:40], "longitude, latitude and, if known, height")
        points.append((float(numbers[0]), float(numbers[1]), float(numbers[2]) if len(numbers) > 2 else 0.0))
    return from_degrees(points, "GeoJSON"), _called(_property(content, "name"))


def _property(content: object, key: str) -> object:
    """A property of a GeoJSON value or of the first feature in it that has it."""
    if not isinstance(content, dict):
        return None
    own = content.get("properties")
    if isinstance(own, dict) and own.get(key):
        return own[key]
    features = content.get("features")
    return next((found for one in features if (found := _property(one, key))), None) if isinstance(features, list) else None


def _ring(content: object) -> list[object] | None:
    """The first line of a GeoJSON value, whatever it is wrapped in."""
    if not isinstance(content, dict):
        return None
    kind = content.get("type")
    if kind == "FeatureCollection" and isinstance(content.get("features"), list):
        return next((ring for ring in map(_ring, content["features"]) if ring is not None), None)
    if kind == "Feature":
        return _ring(content.get("geometry"))
    coordinates = content.get("coordinates")
    if kind == "LineString" and isinstance(coordinates, list):
        return coordinates
    if kind == "Polygon" and isinstance(coordinates, list) and coordinates and isinstance(coordinates[0], list):
        return list(coordinates[0])
    return None


def _gpx(text: str) -> tuple[list[Point], str]:
    """Points of all tracks in their order, and the name of the first, else of the file."""
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise InputError("GPX", "<!DOCTYPE", "a track without document type and entities")
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as error:
        raise InputError(f"Line {error.position[0]}, column {error.position[1] + 1}", "GPX", f"well-formed XML ({error.msg})") from None
    points: list[Point] = []
    for node in root.iter():
        if node.tag.rsplit("}", 1)[-1] not in ("trkpt", "rtept"):
            continue
        place = f"GPX, point {len(points) + 1}"
        longitude = _coordinate(node.get("lon", ""), f"{place}, lon")
        latitude = _coordinate(node.get("lat", ""), f"{place}, lat")
        height = next((child.text or "" for child in node if child.tag.rsplit("}", 1)[-1] == "ele"), "")
        points.append((longitude, latitude, _coordinate(height, f"{place}, ele") if height.strip() else 0.0))
    if not points:
        raise InputError("GPX", "no track point", "a track of one lap")
    named = [node for kind in ("trk", "rte", "metadata") for node in root.iter() if node.tag.rsplit("}", 1)[-1] == kind]
    names = (child.text for node in named for child in node if child.tag.rsplit("}", 1)[-1] == "name")
    return from_degrees(points, "GPX"), next((found for one in names if (found := _called(one))), "")
