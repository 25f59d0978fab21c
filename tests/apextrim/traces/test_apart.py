"""Files that are made to hold up or fill the machine that reads them: each is refused, soon, and nothing else waits for it."""

import io
import struct
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from apexcore.errors import FileRejected
from apexcore.formats.recording import MOST_COLUMNS, read_header, read_recording
from apexcore.judge.traces.channels import Match
from apextrim.events.models import Event
from apextrim.runs.models import Upload
from apextrim.sheets.models import Sheet
from apextrim.traces import apart
from tests.amounts import many
from tests.apextrim.traces.files import drive, foreign_csv, foreign_parquet, solved


def block(kind: bytes, links: list[int], data: bytes = b"") -> bytes:
    """A block of MDF 4."""
    head = struct.pack("<QQ", 24 + 8 * len(links) + len(data), len(links))
    return kind + bytes(4) + head + b"".join(struct.pack("<Q", link) for link in links) + data


HD = 64
DG = HD + 24 + 48 + 32


def mdf(following: int, channels: int = 0, more: bytes = b"") -> bytes:
    """An MDF 4 whose one group leads on to a place."""
    head = b"MDF     4.10    ".ljust(64, b"\0")
    return head + block(b"##HD", [DG, 0, 0, 0, 0, 0], bytes(32)) + block(b"##DG", [following, channels, 0, 0], bytes(8)) + more


LOOPS = {
    "itself": mdf(DG), "the head": mdf(HD), "beyond": mdf(10**12), "a group of a group": mdf(0, DG),
    "two that take turns": mdf(DG + 64, 0, block(b"##DG", [DG, 0, 0, 0], bytes(8))),
    "many links": mdf(0)[:DG] + b"##DG" + bytes(4) + struct.pack("<QQ", 40, 2**60),
    "a length of nothing": mdf(0)[:DG] + b"##DG" + bytes(4) + struct.pack("<QQ", 0, 4) + bytes(40),
}  # fmt: skip


@pytest.mark.parametrize("kind", LOOPS)
def test_links_that_go_round_or_nowhere_are_told_by_their_byte(kind: str) -> None:
    begin = time.monotonic()
    with pytest.raises(FileRejected, match="Byte"):
        read_header(io.BytesIO(LOOPS[kind]))
    assert time.monotonic() - begin < 5.0


def test_a_chain_of_a_hundred_thousand_blocks_ends() -> None:
    count, first = 100_000, DG + 64
    chain = b"".join(block(b"##DG", [first + 64 * (k + 1) if k + 1 < count else DG, 0, 0, 0], bytes(8)) for k in range(count))
    with pytest.raises(FileRejected, match="Byte"):
        read_header(io.BytesIO(mdf(first, 0, chain)))


def parquet(columns: dict[str, Any]) -> bytes:
    import pyarrow as pa
    from pyarrow import parquet as pq

    out = io.BytesIO()
    pq.write_table(pa.table(columns), out, compression="zstd")
    return out.getvalue()


def test_a_parquet_of_many_columns_is_refused_at_once() -> None:
    data = parquet({f"c{k}": np.zeros(1) for k in range(20_000)})
    begin = time.monotonic()
    with pytest.raises(FileRejected, match="columns"):
        read_header(io.BytesIO(data))
    assert time.monotonic() - begin < 8.0
    few = parquet({f"c{k}": np.zeros(1) for k in range(MOST_COLUMNS + 1)})
    with pytest.raises(FileRejected, match=f"{MOST_COLUMNS + 1} columns"):
        read_header(io.BytesIO(few))


def test_a_parquet_that_unpacks_to_more_than_is_read_is_refused_by_its_counts() -> None:
    data = parquet({name: np.zeros(18_000_000, dtype=np.float64) for name in ("t", "a", "b", "c")})
    assert len(data) < 1_000_000
    matches = [Match(name, "") for name in ("time_s", "x", "y", "z")]
    with pytest.raises(FileRejected, match="18,000,000 samples of 4 columns"):
        read_recording(io.BytesIO(data), read_header(io.BytesIO(data)), matches)


@pytest.mark.thorough
def test_what_is_read_apart_is_what_is_read(event: Event, first: Sheet, tmp_path: Path) -> None:
    line, lap = solved(event, first)
    channels = drive(line, [lap] * 2)
    for data in many((foreign_parquet(channels),), (foreign_parquet(channels), foreign_csv(channels))):
        path = tmp_path / "file.rec"
        path.write_bytes(data)
        here, there = read_header(io.BytesIO(data)), apart.header_of_file(path)
        assert here == there
        matches = here.guess()
        a, b = read_recording(io.BytesIO(data), here, matches), apart.recording_of_file(path, there, matches, apart.LAPS_S)
        assert np.array_equal(a.t, b.t) and list(a.columns) == list(b.columns) and a.units == b.units
        assert all(np.array_equal(a.columns[key], b.columns[key], equal_nan=True) for key in a.columns)
    path.write_bytes(b"PAR1 and nothing else")
    with pytest.raises(FileRejected, match="no readable Parquet"):
        apart.header_of_file(path)


def test_a_reader_that_takes_too_long_or_too_much_is_ended_and_said_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "file.rec"
    path.write_bytes(parquet({"t": np.zeros(10)}))
    monkeypatch.setattr(apart, "_folder", lambda: tmp_path)
    monkeypatch.setattr(apart, "HEADER_S", 0.0)
    with pytest.raises(FileRejected, match="took longer than 0 s"):
        apart.header_of_file(path)
    monkeypatch.setattr(apart, "HEADER_S", 20.0)
    monkeypatch.setattr(apart, "MOST_BYTES", 1_000_000)
    with pytest.raises(FileRejected, match="unpacks to more than 1 MB"):
        apart.header_of_file(path)
    assert [one.name for one in tmp_path.iterdir()] == ["file.rec"]


def test_such_a_file_at_the_door_of_an_event_is_refused_and_kept_nowhere(client_in: Client, event: Event, first: Sheet) -> None:
    session = event.sessions.first()
    assert session is not None
    about = {"sheet": first.pk, "session": session.pk, "front": "marl", "rear": "marl", "tyre_age": "0", "fuel_l": "30"}
    begin = time.monotonic()
    answer = client_in.post(
        reverse("choose_recording", args=[event.pk]), {**about, "file": SimpleUploadedFile("loop.mf4", LOOPS["itself"])}, follow=True
    )
    assert "leads back to" in answer.content.decode() and time.monotonic() - begin < 20.0
    assert not Upload.objects.exists()
