"""What loggers send: lines that are good, cut off, or none."""

import json

import pytest

from apexcore.errors import FileRejected
from apexcore.formats.laps_csv import guessed_columns, laps_of, read_laps, read_table, write_laps
from apexcore.formats.logger import LapEvent, SampleEvent, WeatherEvent, json_lines, read_csv_laps, read_json_lines
from apexcore.formats.pasted import read_pasted
from apexcore.judge.laps import DrivenLap
from tests.apexcore.formats.test_formats import EXAMPLES

GOOD = (
    b'{"type":"run","run":"k1","fuel_l":30}\n'
    b'{"type":"lap","run":"k1","lap":1,"time_s":85.2,"kind":"out"}\n'
    b'{"type":"sample","run":"k1","t_s":0.1,"channels":{"speed_kmh":81.5,"throttle":null,"brake":NaN}}\n'
    b'{"type":"weather","air_c":21.5}\n'
    b'{"type":"pit","run":"k1"}\n'
)


def test_every_kind_of_line_is_read_and_gaps_are_gaps() -> None:
    sent = read_json_lines(GOOD)
    assert [event.type for event in sent.events] == ["run", "lap", "sample", "weather", "pit"] and sent.cut is None
    sample, weather = sent.events[2], sent.events[3]
    assert isinstance(sample, SampleEvent) and sample.present() == {"speed_kmh": 81.5}
    assert isinstance(weather, WeatherEvent) and weather.read() == {"air_c": 21.5}


def test_the_example_in_the_docs_is_read() -> None:
    sent = read_json_lines((EXAMPLES / "logger.jsonl").read_bytes())
    assert {event.type for event in sent.events} == {"run", "lap", "sample", "tyres", "weather", "pit"}


def test_what_was_read_is_written_back() -> None:
    sent = read_json_lines(GOOD.replace(b',"brake":NaN', b""))
    assert read_json_lines(json_lines(sent.events).encode()).events == sent.events


def test_a_sender_that_stops_in_a_line_is_told_which_to_send_again() -> None:
    sent = read_json_lines(GOOD + b'{"type":"lap","run":"k1","la')
    assert sent.cut == 6 and len(sent.events) == 5


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (b'{"type":"lap","run":"k1","la\n', "Line 6: this is not valid JSON"),
        (b'{"type":"song","run":"k1"}\n', "Line 6"),
        (b'{"type":"lap","run":"k1","lap":2,"time_s":-4}\n', "Line 6, time_s: “-4” is not valid"),
        (b'{"type":"lap","run":"k1","lap":2,"time_s":NaN}\n', "Line 6, time_s"),
        (b'{"type":"lap","run":"k1","lap":0,"time_s":74}\n', "Line 6, lap: “0” is not valid"),
        (b'{"type":"lap","run":"no blanks","lap":2,"time_s":74}\n', "Line 6, run"),
        (b'{"type":"weather","air_c":300}\n', "Line 6, air_c: “300” is not valid"),
        (b'{"type":"lap","run":"k1","lap":2,"time_s":74,"wings":3}\n', "Line 6, wings"),
        (b"[1, 2]\n", "Line 6"),
    ],
)
def test_a_line_that_is_none_refuses_all_and_is_named(line: bytes, words: str) -> None:
    with pytest.raises(FileRejected) as caught:
        read_json_lines(GOOD + line)
    assert words in str(caught.value)


def test_laps_come_as_csv_under_their_usual_names() -> None:
    sent = read_csv_laps(b"Lap No;Time;Fuel used;S1;S2\n1;1:13,405;1,9;30,1;43,2\n", "k1")
    lap = sent.events[0]
    assert isinstance(lap, LapEvent) and lap.time_s == pytest.approx(73.405) and lap.sectors_s == (30.1, 43.2) and lap.fuel_l == 1.9
    with pytest.raises(FileRejected, match="none is chosen for lap_time"):
        read_csv_laps(b"lap,mood\n1,good\n", "k1")


def test_columns_are_guessed_by_name_and_chosen_by_hand() -> None:
    table = read_table(b"driver,Lap time [s],nr,Top speed,comment\nAnn,73.4,7,231.5,\nAnn,73.6,8,,slid\n")
    assert guessed_columns(table.header) == {"lap": 2, "lap_time": 1, "top_kmh": 3}
    laps = laps_of(table, guessed_columns(table.header))
    assert [lap.number for lap in laps] == [7, 8] and laps[0].top_ms == pytest.approx(231.5 / 3.6) and laps[1].top_ms is None
    counted = laps_of(table, {"lap_time": 1})
    assert [lap.number for lap in counted] == [1, 2]
    with pytest.raises(FileRejected, match="the same column"):
        laps_of(table, {"lap_time": 1, "fuel_l": 1})


def test_sectors_and_top_speeds_go_out_and_come_back() -> None:
    laps = [DrivenLap(1, 73.4, "timed", 1.9, (30.0, 43.4), 64.25), DrivenLap(2, 73.5, "timed", None, (30.1,), None)]
    assert read_laps(write_laps(laps).encode()) == laps


@pytest.mark.parametrize(
    ("row", "words"),
    [("1,73.4,40,40", "no more than the lap"), ("1,73.4,,40", "without a gap"), ("1,73.4,fast,40", "“fast” is not valid")],
)
def test_sectors_that_cannot_be_are_named(row: str, words: str) -> None:
    with pytest.raises(FileRejected) as caught:
        read_laps(f"lap,lap_time,sector_1,sector_2\n{row}\n".encode())
    assert "Line 2" in str(caught.value) and words in str(caught.value)


def test_laps_pasted_from_a_spreadsheet_lose_their_numbers_only() -> None:
    laps = read_pasted("7\t1:13.405\t1,9\n8\t73.6\n74.1 spoiled", 1).laps
    assert [(lap.number, lap.time_s, lap.kind) for lap in laps] == [(1, 73.405, "timed"), (2, 73.6, "timed"), (3, 74.1, "spoiled")]
    assert laps[0].fuel_l == 1.9 and read_pasted("73 1.9", 1).laps[0].fuel_l == 1.9


@pytest.mark.parametrize(
    ("lines", "words"),
    [
        ([{"type": "run", "run": f"r{k}"} for k in range(5)], "5 runs; expected at most 4"),
        ([{"type": "lap", "run": "a", "lap": k % 900 + 1, "time_s": 80} for k in range(401)], "401 laps; expected at most 400"),
        (
            [{"type": "sample", "run": "a", "t_s": k, "channels": {f"c{k}_{j}": 1.0 for j in range(60)}} for k in range(3)],
            "180 channels of one run; expected at most 120",
        ),
        ([{"type": "samples", "run": "a", "t_s": list(range(2000)), "channels": {"v": [1.0] * 2000}}] * 101, "202,000 samples; expected"),
    ],
)
def test_a_message_that_would_hold_up_the_others_is_to_be_sent_in_parts(lines: list[dict[str, object]], words: str) -> None:
    data = "".join(json.dumps(line) + "\n" for line in lines).encode()
    with pytest.raises(FileRejected, match=words):
        read_json_lines(data)
    half = "".join(json.dumps(line) + "\n" for line in lines[: len(lines) // 2]).encode()
    assert read_json_lines(half).events


@pytest.mark.parametrize(
    "last", ['{"type": "lap", "run": "a", "la', '{"type": "lap", "run": "a', '{"type": "lap",', "{", '{"type": "lap", "run": "a"']
)
def test_a_last_line_that_broke_off_is_asked_for_again(last: str) -> None:
    assert read_json_lines(('{"type": "run", "run": "a"}\n' + last).encode()).cut == 2


@pytest.mark.parametrize("last", ["hello", '{"type": lap}', "]", '{"type": "run" "run": "a"}', '"text'])
def test_a_last_line_that_is_none_is_not_asked_for_for_ever(last: str) -> None:
    with pytest.raises(FileRejected, match="Line 2"):
        read_json_lines(('{"type": "run", "run": "a"}\n' + last).encode())
