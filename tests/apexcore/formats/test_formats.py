"""Files as people make them: the shipped examples, round trips, and everything that can be wrong."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from apexcore.errors import FileRejected
from apexcore.formats.book_file import BookFile
from apexcore.formats.laps_csv import read_laps, write_laps
from apexcore.formats.pasted import read_pasted
from apexcore.formats.values_json import read_sheet, read_value, write_sheet, write_value
from apexcore.judge.laps import KINDS, DrivenLap
from apexcore.vehicle.car import Car
from apexcore.vehicle.sheet import Sheet

EXAMPLES = Path(__file__).parents[3] / "docs" / "examples"


def test_the_example_laps_are_read() -> None:
    laps = read_laps((EXAMPLES / "laps.csv").read_bytes())
    assert [lap.kind for lap in laps][:2] == ["out", "timed"]
    assert read_laps((EXAMPLES / "laps_semicolon.csv").read_bytes()) == laps


def test_the_example_book_is_read() -> None:
    file = read_value((EXAMPLES / "book.json").read_bytes(), BookFile, "a book")
    assert {entry.variant for entry in file.entries} == {"qualifying", "race"} and file.circuit.key == "sallowmere_fen"


def test_the_example_sheet_is_read(car: Car) -> None:
    file, sheet = read_sheet((EXAMPLES / "sheet.json").read_bytes(), car)
    assert file.reason and len(sheet.values) == len(car.items)


laps_strategy = st.lists(
    st.tuples(st.integers(5_000, 900_000), st.sampled_from(KINDS), st.none() | st.integers(0, 9_000)), min_size=1, max_size=30
)


@given(laps_strategy)
def test_laps_survive_a_round_trip(raw: list[tuple[int, str, int | None]]) -> None:
    laps = [
        DrivenLap(n, ms / 1000, kind, None if fuel is None else fuel / 1000)  # type: ignore[arg-type]
        for n, (ms, kind, fuel) in enumerate(raw, start=1)
    ]
    assert read_laps(write_laps(laps).encode()) == laps


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "The file is empty"),
        (b"  \n \n", "The file is empty"),
        (b"\x89PNG\r\n\x00\x00", "binary file"),
        ("lap,lap_time\n1,1:13.4\n".encode("utf-16"), "binary file, or text in UTF-16"),
        ("lap,lap_time,kind\n1,1:13.4,t\xe9\n".encode("latin-1"), "Line 2, column 11: byte e9 is not UTF-8"),
        (b"runde,zeit\n1,73.4\n", "Line 1, column 1: \u201crunde\u201d is no column"),
        (b"lap\n1\n", "the column \u201clap_time\u201d is missing"),
        (b"lap,lap_time,lap\n1,73.4,1\n", "stands there twice"),
        (b"lap,lap_time\n", "there is no lap under the header"),
        (b"lap,lap_time\n1,73,4\n", "Line 2: 3 columns; expected 2. With a decimal comma, separate the columns by semicolons"),
        (b"lap,lap_time\n1,73.4\n1,73.5\n", "Line 3, column lap: lap 1 stands on line 2 already"),
        (b"lap,lap_time\n1,0\n", "Line 2, column lap_time: \u201c0\u201d is not valid"),
        (b"lap,lap_time\n1,fast\n", "Line 2, column lap_time: \u201cfast\u201d"),
        (b"lap,lap_time\n-1,73.4\n", "Line 2, column lap: \u201c-1\u201d"),
        (b"lap,lap_time,kind\n1,73.4,flying\n", "Line 2, column kind: \u201cflying\u201d is not valid; expected one of timed"),
        (b"lap,lap_time,fuel_l\n1,73.4,900\n", "Line 2, column fuel_l"),
        (b'lap,lap_time\n1,"73.4\n', "no readable CSV"),
        (
            b"lap,lap_time\n" + b"".join(b"%d,73.4\n" % n for n in range(1, 100_001)),
            "Line 10002: the file has 100000 laps; expected at most 10000",
        ),
        (b"x" * 4_000_001, "The file has 4.0 MB"),
    ],
)
def test_unusable_laps_name_place_and_expectation(data: bytes, words: str) -> None:
    with pytest.raises(FileRejected) as error:
        read_laps(data)
    assert words in str(error.value)


def test_many_problems_are_counted_not_listed() -> None:
    with pytest.raises(FileRejected) as error:
        read_laps(b"lap,lap_time\n" + b"".join(b"%d,x\n" % n for n in range(1, 101)))
    assert len(error.value.problems) == 13 and "88 more problems" in error.value.problems[-1]


def test_typed_laps_take_times_marks_and_fuel_in_any_order() -> None:
    laps = list(read_pasted("1:25.0 out 1.9\n\n73,4\n73.5 1.8 spoiled\n", 4).laps)
    assert laps == [DrivenLap(4, 85.0, "out", 1.9), DrivenLap(5, 73.4), DrivenLap(6, 73.5, "spoiled", 1.8)]


@pytest.mark.parametrize(("text", "words"), [("", "no lap was typed"), ("73.4\nx", "Line 2"), ("73.4 999", "Line 1, fuel")])
def test_unusable_typed_laps_name_their_line(text: str, words: str) -> None:
    with pytest.raises(FileRejected, match=words):
        read_pasted(text, 1)


def test_a_sheet_survives_a_round_trip(car: Car, sheet: Sheet) -> None:
    file, again = read_sheet(write_sheet(sheet, "S1", "the maker's").encode(), car)
    assert again == sheet and file.name == "S1"
    assert read_value(write_value(car).encode(), Car, "a car") == car


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda t: t.replace("brackendale_gt", "other_car"), "this sheet is for \u201cother_car\u201d"),
        (lambda t: t[:40], "this is not valid JSON"),
        (lambda t: "[1]", "does not say its format"),
        (lambda t: t.replace("sheet 1", "sheet 9"), "expected \u201capex-trim sheet 1\u201d"),
        (lambda t: t.replace('"wing": 6.0', '"wing": 99'), "Rear wing"),
        (lambda t: t.replace('"wing": 6.0', '"wing": "six"'), "values.wing"),
        (lambda t: t.replace('"wing": 6.0', '"wing": NaN'), "values.wing"),
        (lambda t: t.replace('"wing": 6.0,', ""), "Rear wing: the value is missing"),
        (lambda t: t.replace('"reason"', '"raison"'), "raison"),
        (lambda t: "[" * 100_000, "not valid JSON"),
    ],
)
def test_unusable_sheets_name_place_and_expectation(car: Car, sheet: Sheet, edit, words: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(FileRejected) as error:
        read_sheet(edit(write_sheet(sheet, "S1", "why")).encode(), car)
    assert words in str(error.value)
