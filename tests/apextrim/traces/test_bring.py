"""Recordings of other loggers: asked about once, brought in as a whole, found again, and refused with a reason."""

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from apextrim.events.models import Event
from apextrim.runs.models import ColumnMatch, LapTrace, Run, Upload
from apextrim.runs.recorded import recorded_lap
from apextrim.sheets.models import Sheet
from apextrim.traces import uploads
from apextrim.work.models import Job

from .files import HEADER, drive, foreign_csv, foreign_parquet, solved


def words(response: object) -> str:
    return " ".join(re.sub(r"<[^>]+>", " ", response.content.decode()).split())  # type: ignore[attr-defined]


@pytest.fixture(autouse=True)
def _folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(uploads, "folder", lambda: tmp_path)


def send(client: Client, event: Event, sheet: Sheet, data: bytes, name: str = "box.csv", **more: object) -> object:
    form = {
        "file": SimpleUploadedFile(name, data), "sheet": sheet.pk, "session": event.session_id or "", "front": "marl", "rear": "marl",
        "tyre_age": 3, "fuel_l": 30, "note": "from the box", **more,
    }  # fmt: skip
    return client.post(reverse("choose_recording", args=[event.pk]), form, follow=True)


def choose(client: Client, event: Event, speed_unit: str = "mph") -> object:
    """The columns of `foreign_csv`, as a racer chooses them."""
    keys = ["time_s", "speed_kmh", "throttle_pct", "brake_bar", "latitude_deg", "longitude_deg", "own"]
    units = ["ms", speed_unit, "ratio", "bar", "", "", "bar"]
    form = {f"key-{k}": key for k, key in enumerate(keys)} | {f"unit-{k}": unit for k, unit in enumerate(units)}
    return client.post(reverse("match_recording", args=[event.pk, Upload.objects.get().pk]), form, follow=True)


def match_parquet(client: Client, event: Event) -> object:
    """The columns of `foreign_parquet`, as a racer chooses them."""
    form = {
        "key-0": "time_s", "key-1": "speed_kmh", "key-2": "throttle_pct", "unit-2": "ratio", "key-3": "brake_pct", "unit-3": "ratio",
        "key-4": "latitude_deg", "key-5": "longitude_deg",
    }  # fmt: skip
    return client.post(reverse("match_recording", args=[event.pk, Upload.objects.get().pk]), form, follow=True)


@pytest.fixture
def channels(event: Event, first: Sheet) -> dict[str, np.ndarray]:
    event.refresh_from_db()
    line, lap = solved(event, first)
    whole = drive(line, [lap] * 4)
    return {key: column[125:-125] for key, column in whole.items()}  # from behind the start line to before it


@pytest.mark.usefixtures("at_once")
def test_a_foreign_table_is_asked_about_once_and_becomes_laps(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    asked = send(client_in, event, first, foreign_csv(channels))
    page = words(asked)
    assert "Choose the channels" in page and all(name in page for name in HEADER) and "105000,0" in page
    lines = {line["name"]: line for line in asked.context["lines"]}  # type: ignore[attr-defined]
    assert lines[HEADER[1]]["key"] == "speed_kmh" and lines[HEADER[1]]["unit"] == "mph" and lines[HEADER[6]]["key"] == "own"
    assert lines[HEADER[2]]["key"] == "own"  # “Pedal” may be any: the racer says which
    done = choose(client_in, event)
    run = event.runs.get()
    true = solved(event, first)[1].time_s
    laps = list(run.laps.all())
    assert "laps added to R1" in words(done) and run.note == "from the box" and run.tyre_age == 3
    assert len(laps) == 2 and all(abs(lap.time_s - true) < 0.03 for lap in laps)  # the first and last crossing bound whole laps
    trace = LapTrace.objects.filter(lap=laps[0]).get()
    lap = recorded_lap(trace)
    assert {"speed_kmh", "throttle_pct", "brake_bar", "x_m", "y_m", "Öldruck", "distance_m"} == set(lap.columns) and trace.units[
        "Öldruck"
    ] == "bar"
    assert lap.columns["speed_kmh"].max() == pytest.approx(channels["speed"].max(), abs=1.0) and lap.columns["throttle_pct"].max() > 99
    assert lap.length_m == pytest.approx(solved(event, first)[0].length_m, rel=3e-3) and not Upload.objects.exists()


@pytest.mark.usefixtures("at_once")
def test_the_same_file_again_adds_nothing_and_is_not_asked_about(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    data = foreign_csv(channels)
    send(client_in, event, first, data)
    choose(client_in, event)
    before = list(LapTrace.objects.values_list("pk", flat=True))
    again = send(client_in, event, first, data)
    assert "0 laps added to R1; 2 were there already, unchanged" in words(again)
    assert list(LapTrace.objects.values_list("pk", flat=True)) == before and event.runs.count() == 1 and ColumnMatch.objects.count() == 1


@pytest.mark.usefixtures("at_once")
def test_mph_as_kmh_is_asked_about_and_can_be_put_right(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    send(client_in, event, first, foreign_csv(channels))
    refused = words(choose(client_in, event, speed_unit="km/h"))
    assert "It looks like mph: choose that as its unit" in refused
    assert not Run.objects.exists() and Upload.objects.count() == 1 and not ColumnMatch.objects.exists()
    job = Job.objects.get()
    assert job.state == "failed" and job.address == reverse("match_recording", args=[event.pk, Upload.objects.get().pk])
    assert "Correct this and try again" in refused
    assert "laps added to R1" in words(choose(client_in, event))


@pytest.mark.usefixtures("at_once")
def test_parquet_needs_no_questions_and_laps_that_are_there_get_their_channels(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    send(client_in, event, first, foreign_parquet(channels), "box.parquet")
    match_parquet(client_in, event)
    run = event.runs.get()
    assert run.laps.count() == 2
    run.laps.filter(number=2).delete()
    LapTrace.objects.all().delete()
    again = send(client_in, event, first, foreign_parquet(channels), "box.parquet", run=run.pk)
    assert "1 lap added to R1; 1 that were there now have their channels" in words(again)
    run.laps.filter(number=1).update(time_s=71.0)
    LapTrace.objects.all().delete()
    wrong = words(send(client_in, event, first, foreign_parquet(channels), "box.parquet", run=run.pk))
    assert "Lap 1:" in wrong and "1:11.000 in R1; expected the same" in wrong and not LapTrace.objects.exists()


@pytest.mark.usefixtures("at_once")
def test_another_circuit_and_the_other_way_round_are_refused(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    backwards = {key: (column if key == "t" else column[::-1]) for key, column in channels.items()}
    send(client_in, event, first, foreign_csv(backwards))
    assert "driven the other way round" in words(choose(client_in, event))
    Upload.objects.all().delete()
    ColumnMatch.objects.all().delete()
    short = {key: column[: len(column) // 9] for key, column in channels.items()}
    send(client_in, event, first, foreign_csv(short))
    told = words(choose(client_in, event))
    assert "lap marks" in told or "No lap is as long" in told
    assert not Run.objects.exists()


@pytest.mark.parametrize(
    ("name", "data", "told"),
    [
        ("a.csv", b"", "The file is empty"), ("a.csv", b"just words\nand more\n", "no line of numbers"), ("a.bin", b"\x00" * 900, "binary file"),
        ("a.mf4", b"MDF     4.10    ".ljust(64, b"\0") + b"##XX", "header block of MDF 4 is missing"), ("a.parquet", b"PAR1 nothing", "no readable Parquet"),
    ],
)  # fmt: skip
def test_what_is_no_recording_is_told_and_nothing_is_kept(
    client_in: Client, event: Event, first: Sheet, name: str, data: bytes, told: str
) -> None:
    event.refresh_from_db()
    response = send(client_in, event, first, data, name)
    assert response.status_code == 422 and told in words(response)  # type: ignore[attr-defined]
    assert not Upload.objects.exists() and not list(uploads.folder().iterdir()) and 'value="from the box"' in response.content.decode()  # type: ignore[attr-defined]


@pytest.mark.usefixtures("at_once")
def test_a_table_that_breaks_off_names_its_line(client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]) -> None:
    data = foreign_csv(channels)
    cut = data[: data.rindex(b";")]
    send(client_in, event, first, cut)
    told = words(choose(client_in, event))
    assert f"Line {data.count(chr(10).encode())}: 6 columns; expected 7" in told and not Run.objects.exists()


def test_wrong_units_and_no_time_are_told_beside_what_was_chosen(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    send(client_in, event, first, foreign_csv(channels))
    wrong = choose(client_in, event, speed_unit="furlongs")
    assert wrong.status_code == 422 and "Speed: “furlongs” is no unit for it" in words(wrong)  # type: ignore[attr-defined]
    assert 'value="furlongs"' in wrong.content.decode() and not Job.objects.exists()  # type: ignore[attr-defined]
    nothing = client_in.post(reverse("match_recording", args=[event.pk, Upload.objects.get().pk]), {}, follow=True)
    assert Job.objects.count() == 1 or "none is chosen for the time" in words(nothing)


def test_files_that_wait_can_be_discarded_and_are_swept_away(
    client_in: Client, event: Event, first: Sheet, channels: dict[str, np.ndarray]
) -> None:
    for _ in range(12):
        send(client_in, event, first, foreign_csv({key: column[:60] for key, column in channels.items()}))
    assert Upload.objects.count() <= 11 and len(list(uploads.folder().iterdir())) == Upload.objects.count()
    upload = Upload.objects.first()
    assert upload is not None
    page = words(client_in.post(reverse("forget_recording", args=[event.pk, upload.pk]), follow=True))
    assert "was not imported; nothing of it is kept" in page and not (uploads.folder() / upload.stored).exists()
    other = Upload.objects.first()
    assert other is not None
    (uploads.folder() / other.stored).unlink()
    assert "no longer here" in words(client_in.get(reverse("match_recording", args=[event.pk, other.pk]), follow=True))


def test_a_recording_goes_out_and_comes_back(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run], at_once: None
) -> None:
    run = drive(first, 1)
    whole = client_in.get(reverse("export_run_traces", args=[event.pk, run.pk, "csv"]))
    data = b"".join(whole.streaming_content)  # type: ignore[attr-defined]
    assert data.startswith(b"time_s,lap,distance_m,speed_kmh,throttle_pct")
    before = {trace.lap.number: recorded_lap(trace) for trace in LapTrace.objects.filter(lap__run=run).select_related("lap")}
    page = send(client_in, event, first, data, "own.csv")
    if Upload.objects.exists():
        page = client_in.post(
            reverse("match_recording", args=[event.pk, Upload.objects.get().pk]),
            {f"key-{line['place']}": line["key"] for line in page.context["lines"]}, follow=True,  # type: ignore[attr-defined]
        )  # fmt: skip
    new = event.runs.exclude(pk=run.pk).get()
    assert [lap.number for lap in new.laps.all()] == [lap.number for lap in run.laps.all()]
    for lap in new.laps.select_related("trace"):
        came = recorded_lap(lap.trace)
        assert lap.time_s == pytest.approx(before[lap.number].time_s, abs=0.002)
        was = before[lap.number]
        assert np.allclose(np.interp(was.t, came.t, came.columns["speed_kmh"])[1:-2], was.columns["speed_kmh"][1:-2], atol=0.6)
    parquet = client_in.get(reverse("export_lap_trace", args=[event.pk, run.pk, 2, "parquet"]))
    assert (
        parquet.content[:4] == b"PAR1" and client_in.get(reverse("export_lap_trace", args=[event.pk, run.pk, 99, "csv"])).status_code == 404
    )


@pytest.mark.usefixtures("at_once")
@pytest.mark.parametrize("count", [1, 2, 3])
def test_a_recording_cut_upon_the_start_line_keeps_all_of_its_laps(client_in: Client, event: Event, first: Sheet, count: int) -> None:
    event.refresh_from_db()
    line, lap = solved(event, first)
    send(client_in, event, first, foreign_parquet(drive(line, [lap] * count)), "box.parquet")
    done = match_parquet(client_in, event)
    assert f"{count} lap{'s' if count > 1 else ''} added to R1" in words(done)
    assert all(abs(row.time_s - lap.time_s) < 0.05 for row in event.runs.get().laps.all())
