"""Laps as people paste them: notations, headings, names, sectors, laps without a time, and what is told of it."""

import random

import pytest

from apexcore.errors import FileRejected, InputError
from apexcore.formats.pasted import read_pasted
from apexcore.judge.laps import DrivenLap
from apexcore.quantities.text import format_lap, parse_lap


@pytest.mark.parametrize(
    ("text", "seconds"),
    [
        ("1:13.405", 73.405), ("1.13.405", 73.405), ("1'13.405", 73.405), ("1'13\"405", 73.405), ("1’13.405", 73.405), ("1:13:405", 73.405),
        ("00:01:13.405", 73.405), ("0:01:13.405", 73.405), ("00:00:33.405", 33.405), ("33.405 s", 33.405), ("33.405s", 33.405), ("73,4", 73.4), ("1 : 13.4", 73.4),
        ("12:01.5", 721.5),
    ],
)  # fmt: skip
def test_notations(text: str, seconds: float) -> None:
    assert parse_lap(text, "x") == pytest.approx(seconds)
    assert read_pasted(f"{text.replace(' s', 's').replace(' : ', ':')}\n", 1).laps[0].time_s == pytest.approx(seconds)


@pytest.mark.parametrize("text", ["1:73.4", "1.13.40.5", "::", "1''13", "00:99:00", "1:13:4055", "13.405.", "1.2.3.4"])
def test_no_notation(text: str) -> None:
    with pytest.raises(InputError):
        parse_lap(text, "x")


def test_a_whole_paste() -> None:
    found = read_pasted(
        "Lap\tTime\tDriver\tNote\n1\t1:25.0\tOdwin\tout\n2\t1.13.405\tOdwin\tnice one\n3\t1'13.9\tOdwin\n4\tDNF\n5\t00:01:14.1\tpit\n", 1
    )
    times = [(lap.number, lap.time_s, lap.kind) for lap in found.laps]
    assert times == [(1, 85.0, "out"), (2, 73.405, "timed"), (3, 73.9, "timed"), (5, 74.1, "in")]
    told = " ".join(found.told)
    assert "taken for a heading" in told and "“Odwin nice one” beside the time" in told and "“4\tDNF” has no time" in told


def test_sectors_and_litres_are_told_apart() -> None:
    laps = read_pasted("1; 1:13.4; 24.1; 25.2; 24.1\n2; 73,4; 1,9\n3 73.4 2.1l spoiled", 1).laps
    assert laps[0].sectors_s == (24.1, 25.2, 24.1) and laps[1].fuel_l == 1.9 and laps[2] == DrivenLap(3, 73.4, "spoiled", 2.1)
    odd = read_pasted("1:13.4 24.1 25.2", 1)
    assert odd.laps[0].sectors_s == () and "24.1 25.2" in odd.told[0]


def test_numbers_go_on_or_are_counted() -> None:
    assert [lap.number for lap in read_pasted("7 1:13.4\n8 1:13.5\n10 1:13.6", 7).laps] == [7, 8, 10]
    again = read_pasted("1 1:13.4\n2 1:13.5", 7)
    assert [lap.number for lap in again.laps] == [7, 8] and "do not go on from lap 7" in again.told[0]
    assert [lap.number for lap in read_pasted("1:13.4\n5 1:13.5", 3).laps] == [3, 4]


@pytest.mark.parametrize(
    ("text", "told"),
    [("", "no lap was typed"), ("1:13.4\nhello", "Line 2"), ("Lap Time\n", "no lap was typed"), ("4.2", "Line 1"), ("1:13.4 900", "Line 1, fuel"), ("x" * 500, "Line 1"),
     ("1:13.4\nLap Time", "Line 2"), ("1:99.4", "Line 1")],
)  # fmt: skip
def test_what_is_no_lap_names_its_line(text: str, told: str) -> None:
    with pytest.raises(FileRejected) as error:
        read_pasted(text, 1)
    assert told in str(error.value)


def test_random_tables_come_back() -> None:
    rng = random.Random(2)
    for _ in range(200):
        laps = [round(rng.uniform(31, 170), 3) for _ in range(rng.randint(1, 12))]
        gap = rng.choice(("\t", ";", " ", " ; ", " | "))
        numbered, notes = rng.random() < 0.5, rng.choice(("", "", "Odwin", "a bit loose"))
        write = rng.choice(
            (
                format_lap,
                lambda s: f"{int(s // 60)}'{s % 60:06.3f}",
                lambda s: f"00:{int(s // 60):02d}:{s % 60:06.3f}",
                lambda s: f"{s:.3f}",
            )
        )
        lines = [gap.join(filter(None, [str(k) if numbered else "", write(s), notes])) for k, s in enumerate(laps, start=1)]
        found = read_pasted("\n".join((["Lap Time Note"] if rng.random() < 0.3 else []) + lines), 1)
        assert [lap.time_s for lap in found.laps] == pytest.approx(laps, abs=1e-3) and [lap.number for lap in found.laps] == list(
            range(1, len(laps) + 1)
        )
