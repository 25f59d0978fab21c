"""Readers under files made to break them: no pattern backtracks, nothing but a refusal comes out, a crossing is found as by hand."""

import random
import time
from collections.abc import Callable

import numpy as np
import pytest

from apexcore.circuit.points import MOST_POINTS, _first_crossing, checked_points
from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.circuits import read_circuit
from apexcore.formats.event_file import EventFile
from apexcore.formats.guard import guarded
from apexcore.formats.laps_csv import guessed_columns, laps_of, read_laps, read_table
from apexcore.formats.logger import read_csv_laps, read_json_lines
from apexcore.formats.pasted import read_pasted
from apexcore.formats.text import encodable, json_of, words_cell
from apexcore.formats.values_json import SheetFile, read_value
from apexcore.judge.tags import parse_tags
from apexcore.quantities.text import has_other_unit, parse_lap, read_number
from apexcore.vehicle.car import Car
from scripts.fuzz import EXAMPLES, hostile
from tests.conftest import DEMO


def read_matched(data: bytes) -> object:
    table = read_table(data)
    return laps_of(table, guessed_columns(table.header))


READERS: dict[str, tuple[Callable[[bytes], object], tuple[str, ...]]] = {
    "circuit": (lambda data: read_circuit(data, "Any", 10.0), ("circuit.geojson", "circuit_points.csv", "lap.gpx")),
    "open course": (lambda data: read_circuit(data, "Any", 10.0, closed=False), ("circuit_points.csv", "lap.gpx")),
    "laps": (read_laps, ("laps.csv", "laps_semicolon.csv")),
    "matched laps": (read_matched, ("laps.csv",)),
    "logger": (read_json_lines, ("logger.jsonl",)),
    "logger laps": (lambda data: read_csv_laps(data, "k"), ("laps.csv",)),
    "typed laps": (lambda data: read_pasted(data.decode("utf-8", "replace")[:40_000], 1), ("laps.csv",)),
    "sheet": (lambda data: read_value(data, SheetFile, "a sheet"), ("sheet.json",)),
}


@pytest.mark.parametrize("name", [*READERS, "car"])
def test_a_hostile_file_is_read_or_refused(name: str, caplog: pytest.LogCaptureFixture) -> None:
    """Nothing else than `ApexError` comes out, and the last net is not what caught it."""
    if name == "car":
        reader: Callable[[bytes], object] = lambda data: read_value(data, Car, "a car")  # noqa: E731
        good = tuple(path.read_bytes() for path in sorted((DEMO / "cars").glob("*.json"))[:2])
    else:
        reader, names = READERS[name]
        good = tuple((EXAMPLES / file).read_bytes() for file in names)
    said = []
    for seed in range(150):
        rng = random.Random(f"{name} {seed}")
        try:
            reader(hostile(rng.choice(good), rng))
        except ApexError as error:
            said.append(str(error))
    assert all(text.encode() and len(text) < 20_000 for text in said)  # each can be shown
    refused = len(said)
    assert refused > 40 and not caplog.records, caplog.text


@pytest.mark.parametrize(
    "data",
    [
        b"\xef\xbb\xbf", b"\xef\xbb\xbf \r\n", b"\r\r\r", b"\r", b"x_m,y_m\r1,2\r", b"\n\n\n,,,", b"lap,lap_time\n1," + b"9" * 200_000,
        b'x_m,y_m\n"' + b"1" * 140_000 + b'",2', b"{" + b'"a":{' * 5000, b'{"format":' + b"9" * 5000 + b"}",
        b'{"type":"LineString","coordinates":[[1' + b"0" * 400 + b",2]]}", b'{"type":"LineString","coordinates":[[NaN,2],[1e400,3]]}',
        b'{"type":"LineString","coordinates":[[1e308,-1e308],[2,3]]}', b'{"type":"Polygon","coordinates":[[]]}', b'{"type":["x"]}',
        b"<gpx><trkpt lat='4" + b" " * 20_000 + b"4' lon='1'/></gpx>", b"<gpx>" + b"<a>" * 50_000, b"<gpx/>", b"[]", b"null", b'"x"',
    ],
    ids=lambda data: repr(data[:24]),
)  # fmt: skip
def test_files_that_once_broke_a_page_are_refused_with_their_place(data: bytes) -> None:
    for reader in (
        lambda: read_circuit(data, "Any", 10.0), lambda: read_laps(data), lambda: read_value(data, Car, "a car"),
        lambda: read_value(data, EventFile, "an event"), lambda: read_csv_laps(data, "k"),
    ):  # fmt: skip
        with pytest.raises((FileRejected, InputError)) as error:
            reader()
        assert "expected" in str(error.value) or "of this" in str(error.value)


def growth(work: Callable[[int], object], n: int) -> float:
    """How many times the processor's time four times as much takes; the best of five, since other work on the machine only adds."""

    def best(size: int) -> float:
        times = []
        for _ in range(5):
            begin = time.process_time()
            work(size)
            times.append(time.process_time() - begin)
        return min(times)

    return best(4 * n) / max(best(n), 1e-3)


def tried(work: Callable[[], object]) -> None:
    try:
        work()
    except (ApexError, ValueError):
        return


@pytest.mark.parametrize(
    "work",
    [
        lambda n: tried(lambda: read_number("4" + " " * n + "4", "", "x")),
        lambda n: has_other_unit("4" + " " * n + "4", "kPa"),
        lambda n: tried(lambda: parse_lap("1" + " " * n + ":", "x")),
        lambda n: guessed_columns(["(" * n, "[" * n, "_" * n]),
        lambda n: tried(lambda: read_pasted("1:13.4" + " " * n + ";" * n, 1)),
        lambda n: tried(lambda: parse_tags("a" + "=" * n)),
        lambda n: tried(lambda: parse_tags(" " * n + "=")),
        lambda n: tried(lambda: read_table(b"(" * n + b"\n1")),
        lambda n: tried(lambda: json_of("[" * n, "x")),
        lambda n: tried(lambda: json_of('{"a":"' + "\\ud800" * n + '"}', "x")),
        lambda n: tried(lambda: read_circuit(b"<gpx>" + b"<trkpt lat='1  2' lon='3'/>" * n + b"</gpx>", "Any", 10.0)),
        lambda n: encodable("\ud800" * n),
    ],
)
def test_no_pattern_backtracks(work: Callable[[int], object]) -> None:
    """Four times the text takes about four times as long; a pattern that backtracks takes sixteen."""
    assert growth(work, 20_000) < 13  # a square would be 16


def by_hand(xy: np.ndarray, closed: bool) -> tuple[int, int] | None:
    """The first two pieces that cross, every pair tried."""
    following, n = np.roll(xy, -1, axis=0), len(xy)

    def side(p: np.ndarray, q: np.ndarray, r: np.ndarray) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    for i in range(n - 2):
        for j in range(i + 2, n if i and closed else n - 1):
            a, b, c, d = xy[i], following[i], xy[j], following[j]
            if side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0:
                return i, j
    return None


@pytest.mark.parametrize("seed", range(40))
def test_a_crossing_is_found_as_by_trying_every_pair(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = int(rng.integers(8, 60))
    t = np.linspace(0, 2 * np.pi, n, endpoint=False)
    r = 100 * (1 + rng.uniform(0, 0.9) * np.cos(rng.integers(1, 6) * t + rng.uniform(0, 6)))
    xy = np.column_stack([r * np.cos(t), r * np.sin(t)]) + rng.normal(0, rng.choice([0, 0.5, 5, 30]), (n, 2))
    if seed % 4 == 0:
        xy[n // 2] *= 40.0  # one piece far longer than the others
    for closed in (True, False):
        assert _first_crossing(xy, closed, "x") == by_hand(xy, closed)


def test_twenty_thousand_points_are_checked_in_about_the_time_of_five_thousand_times_four() -> None:
    def ring(n: int) -> object:
        t = np.linspace(0, 2 * np.pi, n, endpoint=False)
        x, y = 3000 * np.cos(t), 2000 * np.sin(t) * (1 + 0.3 * np.cos(3 * t))
        return checked_points([(float(a), float(b), 0.0) for a, b in zip(x, y, strict=True)], "Ring")

    assert growth(ring, MOST_POINTS // 4) < 11  # 16 where each point is held against every other


def test_points_crowded_together_are_refused_before_they_fill_the_memory() -> None:
    crowd = [(float(k % 2) * 0.3, k * 1e-5, 0.0) for k in range(MOST_POINTS)]
    with pytest.raises(InputError, match="crowded together"):
        checked_points(crowd, "Crowd", closed=False)


def test_the_last_net_refuses_and_logs_without_a_value(caplog: pytest.LogCaptureFixture) -> None:
    @guarded("a car")
    def reader(secret: str) -> None:
        raise KeyError(secret)

    with pytest.raises(FileRejected, match="nothing of it was taken"):
        reader("my secret")
    assert "KeyError" in caplog.text and "test_hostile.py" in caplog.text and "my secret" not in caplog.text


def test_words_are_no_formula_and_half_characters_are_made_whole() -> None:
    assert [words_cell(text) for text in ("=1+1", "+x", "-x", "@x", "\tx", "S1", "")] == ["'=1+1", "'+x", "'-x", "'@x", "'\tx", "S1", ""]
    assert encodable("a\ud800b") == "a\ufffdb" and encodable("\U0001f3c1") == "\U0001f3c1"
    assert json_of('{"\\ud83c\\udfc1": ["\\udfc1"]}', "x") == {"\U0001f3c1": ["\ufffd"]}
