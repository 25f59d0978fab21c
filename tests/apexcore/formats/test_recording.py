"""Recordings from files: what is written comes back from every format, and what is broken is told with its place."""

import io
import random
from pathlib import Path

import numpy as np
import pytest

from apexcore.errors import ApexError, FileRejected, InputError
from apexcore.formats.recording import Header, Recording, read_header, read_recording, write_csv, write_parquet
from apexcore.judge.traces.channels import Match
from apexcore.judge.traces.clean import cleaned
from apexcore.judge.traces.survey import parted_alone, surveyed
from tests.amounts import many

T = np.round(np.arange(0, 8, 0.05), 3)
COLUMNS = {
    "speed_kmh": np.round(120 + 40 * np.sin(T), 2), "brake_pct": np.round(50 + 50 * np.cos(T), 2), "gear": np.floor(3 + np.sin(T)),
    "oil": np.round(90 + T, 3),
}  # fmt: skip


def read(path: Path) -> tuple[Header, Recording]:
    with path.open("rb") as file:
        header = read_header(file)
        return header, read_recording(file, header, header.guess())


def same(found: Recording) -> None:
    assert np.allclose(found.t, T) and list(found.columns) == list(COLUMNS)
    assert all(np.allclose(found.columns[key], column, rtol=1e-6) for key, column in COLUMNS.items())


def file(tmp_path: Path, content: str | bytes, name: str = "a.csv") -> Path:
    path = tmp_path / name
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return path


def test_own_csv_and_parquet_come_back(tmp_path: Path) -> None:
    same(read(file(tmp_path, "".join(write_csv(T, COLUMNS))))[1])
    header, found = read(file(tmp_path, write_parquet(T, COLUMNS, {"oil": "°C"}), "a.parquet"))
    same(found)
    assert (
        header.kind == "parquet"
        and found.units == {"oil": "°C"}
        and dict(zip(header.names, header.units, strict=True))["speed_kmh"] == "km/h"
    )


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_foreign_tables_with_a_preamble_units_and_decimal_commas(tmp_path: Path, delimiter: str, end: str) -> None:
    rows = [["Zeit", "Speed", "Brake Pedal", "Gear", "Öl"], ["ms", "mph", "ratio", "", "°C"]]
    rows += [
        [f"{1000 * t:.1f}", f"{v / 1.609344:.5f}", f"{b / 100:.4f}", f"{g:.0f}", f"{o}"]
        for t, v, b, g, o in zip(T, *COLUMNS.values(), strict=True)
    ]
    if delimiter != ",":
        rows[2:] = [[cell.replace(".", ",") for cell in row] for row in rows[2:]]
    text = end.join(["A recording of something", "Driver: somebody", "", *[delimiter.join(row) for row in rows]]) + end
    header, found = read(file(tmp_path, ("\ufeff" + text).encode()))
    assert header.units[1] == "mph" and header.comma == (delimiter != ",") and header.names[4] == "Öl"
    assert np.allclose(found.t, T) and np.allclose(found.columns["speed_kmh"], COLUMNS["speed_kmh"], atol=1e-3)
    assert np.allclose(found.columns["brake_pct"], COLUMNS["brake_pct"], atol=0.02) and found.units == {"Öl": "°C"}


def test_mdf_on_several_clocks(tmp_path: Path) -> None:
    from asammdf import MDF, Signal

    with MDF(version="4.10") as mdf:
        mdf.append(
            [Signal(COLUMNS["speed_kmh"] / 3.6, T, name="Speed", unit="m/s"), Signal(COLUMNS["brake_pct"], T, name="Brake", unit="%")]
        )
        mdf.append([Signal(COLUMNS["gear"][::4].astype(np.uint8), T[::4], name="Gear")])
        mdf.append([Signal(np.array([b"one", b"two"]), np.array([0.0, 1.0]), name="Note", encoding="utf-8")])
        told = {"val_0": 0, "text_0": b"off", "val_1": 1, "text_1": b"on"}
        mdf.append([Signal((T > 4).astype(np.uint8), T, name="Light", conversion=told)])
        mdf.save(tmp_path / "a.mf4", overwrite=True)
    header, found = read(tmp_path / "a.mf4")
    assert header.kind == "mdf" and "Note" not in header.names
    assert np.allclose(found.t, T) and np.allclose(found.columns["speed_kmh"], COLUMNS["speed_kmh"], atol=1e-6)
    assert np.array_equal(found.columns["gear"][::4], COLUMNS["gear"][::4]) and np.allclose(
        found.columns["brake_pct"], COLUMNS["brake_pct"]
    )
    assert np.array_equal(found.columns["Light"], T > 4)


@pytest.mark.parametrize(
    ("content", "told"),
    [
        ("", "The file is empty"),
        ("a,b\n", "no line of numbers was found"),
        ("1,2\n3,4\n", "without a header"),
        (b"time_s,speed_kmh\n\x00\x01", "binary file"),
        ("time_s,speed_kmh\n0,1\n0.1,2,3\n", "Line 3: 3 columns; expected 2"),
        ("time_s,speed_kmh\n0,1\n0.1,abc\n", "“abc” is not valid: expected a number"),
        ("speed_kmh,brake_pct\n1,2\n", "none is chosen for the time"),
        (b"PAR1 and then nothing", "no readable Parquet"),
        (b"MDF     4.10    and then nothing", "the header block of MDF 4 is missing"),
        (b"MDF     4.10    ".ljust(64) + b"##HD" + bytes(200), "MDF 4"),
        (b"MDF     3.30    old", "this is MDF 3.30"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_told(tmp_path: Path, content: str | bytes, told: str) -> None:
    with pytest.raises(FileRejected, match=told):
        read(file(tmp_path, content))


def test_a_file_cut_in_the_middle_says_where(tmp_path: Path) -> None:
    text = "".join(write_csv(T, COLUMNS))
    cut = text[: text.rindex(",")]
    with pytest.raises(FileRejected, match=f"Line {len(T) + 1}: 4 columns; expected 5. The file may have been cut off there"):
        read(file(tmp_path, cut))
    whole = write_parquet(T, COLUMNS)
    for size in (40, len(whole) // 2, len(whole) - 4):
        with pytest.raises(FileRejected):
            read(file(tmp_path, whole[:size]))


def test_one_channel_twice_and_gaps(tmp_path: Path) -> None:
    path = file(tmp_path, "time_s,v,w\n0,1,nan\n1,,4\n2,3,N/A\n")
    header = read_header(path.open("rb"))
    with pytest.raises(FileRejected, match="speed_kmh is chosen for two columns"):
        read_recording(path.open("rb"), header, [Match("time_s", "s"), Match("speed_kmh", ""), Match("speed_kmh", "")])
    found = read_recording(path.open("rb"), header, [Match("time_s", "s"), Match("v", ""), Match("w", "")])
    assert np.array_equal(found.columns["v"], [1, np.nan, 3], equal_nan=True) and np.isnan(found.columns["w"][[0, 2]]).all()


def test_times_of_day_keep_their_milliseconds(tmp_path: Path) -> None:
    import pyarrow as pa
    from pyarrow import parquet

    stamps = pa.array([1_790_000_000_000 + 10 * k for k in range(40)], pa.timestamp("ms"))
    parquet.write_table(
        pa.table({"time": stamps, "speed": pa.array(range(40), pa.int32()), "name": pa.array(["x"] * 40)}), tmp_path / "a.parquet"
    )
    header = read_header((tmp_path / "a.parquet").open("rb"))
    found = read_recording((tmp_path / "a.parquet").open("rb"), header, [*header.guess()[:2], None])
    assert np.allclose(np.diff(found.t), 0.01)
    with pytest.raises(FileRejected, match="Column name: A column holds string"):
        read(tmp_path / "a.parquet")


def spoiled(good: bytes, rng: random.Random) -> bytes:
    """A file with some of its bytes lost, doubled, or turned into others."""
    data = bytearray(good)
    for _ in range(rng.choice((1, 1, 2, 6))):
        at = rng.randrange(min(len(data), 600)) if rng.random() < 0.4 else rng.randrange(len(data))
        kind = rng.randrange(6)
        if kind == 0:
            data[at] = rng.randrange(256)
        elif kind == 1:
            data[at : at + rng.randrange(1, 60)] = b""
        elif kind == 2:
            data[at:at] = rng.choice((b"1e308", b"-1e309", b"nan", b"\x00", b"\xff", b'"', b",,,", b"9" * 400, b"\r", b"\xe2\x80\xa8"))
        elif kind == 3:
            data = data[: max(at, 1)]
        elif kind == 4:
            data[at:at] = data[at : at + rng.randrange(1500)]
        else:
            data[at : at + 8] = rng.randbytes(8)
        data = data or bytearray(b"x")
    return bytes(data)


@pytest.mark.thorough
@pytest.mark.parametrize("kind", ["csv", "parquet"])
def test_no_spoiled_file_breaks_what_reads_it(kind: str, caplog: pytest.LogCaptureFixture) -> None:
    t = np.arange(0, 70, 0.1)
    columns = {
        "speed_kmh": 120 + 40 * np.sin(t / 5), "x_m": 300 * np.cos(t / 11), "y_m": 300 * np.sin(t / 11), "gear": np.floor(3 + np.sin(t)),
        "accel_lat_ms2": 10 * np.sin(t / 9), "lap": np.floor(t / 30),
    }  # fmt: skip
    good = "".join(write_csv(t, columns)).encode() if kind == "csv" else write_parquet(t, columns)
    taken = 0
    for seed in range(many(60 if kind == "csv" else 12, 300)):
        data = io.BytesIO(spoiled(good, random.Random(seed)))
        try:
            header = read_header(data)
            found = read_recording(data, header, header.guess())
            recording = cleaned(found.t, found.columns)
            taken += 1
            surveyed(parted_alone(recording).laps)
        except ApexError:
            continue
    assert taken >= many(1, 5) and not [record for record in caplog.records if "unforeseen" in record.getMessage()]


def test_times_in_another_unit_are_asked_about() -> None:
    for factor in (1000.0, 1e6, 1e-6):
        with pytest.raises(InputError, match="is it in milliseconds, or in another unit"):
            cleaned(factor * np.arange(0, 60, 0.05), {"speed_kmh": np.full(1200, 100.0)})
