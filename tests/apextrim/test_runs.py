"""The logbook: laps typed, imported and driven, all through one door."""

from collections.abc import Callable

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from pytest_django import DjangoAssertNumQueries

from apextrim.events.models import Event
from apextrim.garage.models import Sheet
from apextrim.runs.models import Lap, Run
from tests.apexcore.formats.test_formats import EXAMPLES


def url(name: str, event: Event, *more: int) -> str:
    return reverse(name, args=[event.pk, *more])


def start(event: Event, first: Sheet, **changes: str) -> dict[str, str]:
    data = {"sheet": first.pk, "session": event.session_id, "front": "marl", "rear": "marl", "tyre_age": "0", "fuel_l": "30"}
    return {key: str(value) for key, value in data.items()} | changes


@pytest.fixture
def run(client_in: Client, event: Event, first: Sheet) -> Run:
    """A run of the racer's own, without laps."""
    client_in.post(url("add_run", event), start(event, first, note="first time out"))
    return event.runs.get()


def upload(client: Client, run: Run, data: bytes):  # type: ignore[no-untyped-def]
    return client.post(url("import_laps", run.event, run.pk), {"file": SimpleUploadedFile("laps.csv", data)})


def test_without_a_sheet_the_bench_says_what_to_do_first(client_in: Client, event: Event) -> None:
    assert b"First save a sheet" in client_in.get(url("runs_bench", event)).content


def test_laps_are_typed_and_the_first_is_an_out_lap(client_in: Client, run: Run) -> None:
    client_in.post(url("type_laps", run.event, run.pk), {"laps": "1:25.1\n1:13.9\n73,7\n73.65\n1:13.8\n1:13.75\n78.2"})
    laps = list(run.laps.all())
    assert [lap.kind for lap in laps] == ["out", "timed", "timed", "timed", "timed", "timed", "spoiled"]
    page = client_in.get(url("run", run.event, run.pk)).content.decode()
    assert "1:13.650" in page and "1:13.750" in page and "0.25 s" in page  # best, median, spread of the last five
    client_in.post(url("type_laps", run.event, run.pk), {"laps": "1:13.6 1.8"})
    assert run.laps.get(number=8).fuel_l == 1.8


def test_wrong_laps_keep_what_was_typed(client_in: Client, run: Run) -> None:
    response = client_in.post(url("type_laps", run.event, run.pk), {"laps": "1:13.9\nfast"})
    assert response.status_code == 422
    page = response.content.decode()
    assert "Line 2" in page and "1:13.9\nfast" in page and "Nothing was saved" in page
    assert run.laps.count() == 0


def test_a_file_comes_in_once(client_in: Client, run: Run) -> None:
    data = (EXAMPLES / "laps.csv").read_bytes()
    assert "8 laps imported" in upload_and_follow(client_in, run, data)
    assert "nothing was added" in upload_and_follow(client_in, run, data)
    assert run.laps.count() == 8
    assert client_in.get(url("export_laps", run.event, run.pk)).content == data
    changed = data.replace(b"1:13.785", b"1:13.000")
    response = upload(client_in, run, changed)
    assert response.status_code == 422
    assert "Lap 3: 1:13.000 is not usable; this run has it already with 1:13.785" in response.content.decode()


def upload_and_follow(client: Client, run: Run, data: bytes) -> str:
    return client.get(upload(client, run, data)["Location"]).content.decode()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "The file is empty"),
        (b"\x89PNG\x00", "binary"),
        (b"lap,time\n1,73\n", "“time” is no column"),
        (b"lap,lap_time\n1,73,4\n", "separate the columns by semicolons"),
        (b"lap,lap_time\n1,73.4\n1,73.5\n", "lap 1 stands on line 2 already"),
        (b"lap,lap_time\n1,73.4\n2,0\n", "Line 3, column lap_time"),
        ("lap,lap_time\n1,73.4\n".encode("utf-16"), "UTF-16"),
        (b"lap,lap_time\n" + b"1,73.4\n" * 100_000, "100000 laps"),
    ],
)
def test_unusable_files_are_refused_whole(client_in: Client, run: Run, data: bytes, words: str) -> None:
    response = upload(client_in, run, data)
    assert response.status_code == 422
    assert words in response.content.decode()
    assert run.laps.count() == 0


def test_the_virtual_driver_makes_a_run(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.post(url("virtual_run", event), start(event, first, laps="6"))
    run = event.runs.get()
    assert response["Location"] == url("run", event, run.pk)
    assert run.by_virtual_driver and run.laps.count() == 6
    assert all(lap.fuel_l for lap in run.laps.all())
    assert event.knots.filter(kind="run", target=run.pk).count() == 1


def test_the_virtual_driver_says_when_the_fuel_does_not_last(client_in: Client, event: Event, first: Sheet) -> None:
    response = client_in.post(url("virtual_run", event), start(event, first, laps="20", fuel_l="6"))
    assert response.status_code == 422
    assert "enough for 20 laps; it lasts" in response.content.decode()
    assert event.runs.count() == 0 and not event.knots.filter(kind="run").exists()


@pytest.mark.parametrize(("field", "typed"), [("fuel_l", "63"), ("fuel_l", "full"), ("tyre_age", "-1"), ("front", "flint"), ("sheet", "0")])
def test_a_run_off_its_bounds_is_refused(client_in: Client, event: Event, first: Sheet, field: str, typed: str) -> None:
    response = client_in.post(url("add_run", event), start(event, first, **{field: typed}, note="keep me"))
    assert response.status_code == 422
    assert "keep me" in response.content.decode()
    assert event.runs.count() == 0


def test_worn_tyres_are_slower(event: Event, first: Sheet, client_in: Client) -> None:
    for age in ("0", "18"):
        client_in.post(url("virtual_run", event), start(event, first, laps="6", tyre_age=age))
    new, worn = (min(Lap.objects.filter(run=run, kind="timed").values_list("time_s", flat=True)) for run in event.runs.all())
    assert worn > new + 0.3


def test_a_mark_is_set_and_taken_back(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 3)
    lap = run.laps.filter(kind="timed")[0]
    for kind in ("spoiled", "timed"):
        client_in.post(url("mark_lap", event, run.pk, lap.pk), {"kind": kind})
        lap.refresh_from_db()
        assert lap.kind == kind
    assert client_in.post(url("mark_lap", event, run.pk, lap.pk), {"kind": "wild"}).status_code == 422


def test_a_deleted_run_leaves_the_thread_and_comes_back(client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]) -> None:
    run = drive(first, 3)
    assert b"Delete R1 with its 7 laps?" in client_in.get(url("delete_run", event, run.pk)).content
    client_in.post(url("delete_run", event, run.pk))
    frame = client_in.get(url("runs_bench", event)).context["frame"]
    assert "R1" not in [knot.label for knot in frame.knots]
    assert client_in.get(url("run", event, run.pk)).status_code == 404
    client_in.post(url("restore_run", event, run.pk))
    assert "R1" in [knot.label for knot in client_in.get(url("runs_bench", event)).context["frame"].knots]


def test_the_list_of_runs_costs_few_queries(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run], django_assert_max_num_queries: DjangoAssertNumQueries
) -> None:
    for seed in range(5):
        drive(first, seed, laps=4)
    with django_assert_max_num_queries(22):
        client_in.get(url("runs_bench", event))
