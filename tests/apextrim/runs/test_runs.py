"""The logbook: laps typed, imported and driven, all through one door."""

import re
from collections.abc import Callable
from types import SimpleNamespace

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse
from pytest_django import DjangoAssertNumQueries

from apexcore.lap.stint import colder
from apexcore.trim.reading.life import life_from_tread
from apexcore.vehicle.car import WHEELS
from apextrim.events.models import Event
from apextrim.runs import report
from apextrim.runs.models import Lap, Run
from apextrim.sheets.models import Sheet
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
    assert "Lap 3: 1:13.000 is not valid; this run has it already with 1:13.785" in response.content.decode()


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
    delete, restore = (reverse(name, args=["run", run.pk]) for name in ("delete", "restore"))
    assert b"Delete run R1 and its 7 laps?" in client_in.get(delete).content
    client_in.post(delete)
    frame = client_in.get(url("runs_bench", event)).context["frame"]
    assert "R1" not in [knot.label for knot in frame.knots]
    assert client_in.get(url("run", event, run.pk)).status_code == 404
    client_in.post(restore)
    assert "R1" in [knot.label for knot in client_in.get(url("runs_bench", event)).context["frame"].knots]


def test_the_list_of_runs_costs_few_queries(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run], django_assert_max_num_queries: DjangoAssertNumQueries
) -> None:
    for seed in range(5):
        drive(first, seed, laps=4)
    with django_assert_max_num_queries(27):
        client_in.get(url("runs_bench", event))


def test_a_run_is_kept_with_all_that_is_known_of_it_on_one_page(client_in: Client, event: Event, first: Sheet) -> None:
    more = {
        "fuel_end_l": "17", "tyre_set": "4", "tags": "Line=late; driver=Ann", "entry": "oversteer", "mid": "neutral", "exit": "",
        "laps": "1:25.3 out\n1\t1:13.8\n2\t1:13.6\n73,7\n73.9\n74\n1:13.5",
    }  # fmt: skip
    page = client_in.post(url("add_run", event), start(event, first, **more), follow=True).content.decode()
    assert "Marl" in page and "marl / marl" not in page  # called as people call it, not by its key
    run = event.runs.get()
    assert run.laps.count() == 7 and run.laps.all()[0].kind == "out"
    assert (run.tags, run.words, run.fuel_end_l, run.tyre_set) == (
        {"line": "late", "driver": "Ann"}, {"entry": "oversteer", "mid": "neutral"}, 17.0, "4",
    )  # fmt: skip
    assert "line: late" in page and "entry: oversteer" in page and "Most timed laps in a row" in page
    from apextrim.runs.queries import observed

    laps = observed(event, {first.pk: 0}, 99.0)[0].laps
    assert laps[0].fuel_kg - laps[1].fuel_kg == pytest.approx((30 - 17) / 7 * 0.745, rel=0.05)


def test_scrubbed_sets_and_pace_laps_are_a_runs_own(client_in: Client, event: Event, first: Sheet) -> None:
    """Said on its page; the cold of the first laps is half for a scrubbed set and less behind pace laps, which also burn fuel."""
    plain = {"laps": "1:25.3 out\n1:13.8\n1:13.6\n1:13.7", "fuel_l": "30"}
    client_in.post(url("add_run", event), start(event, first, **plain))
    page = client_in.post(url("add_run", event), start(event, first, **plain, scrubbed="on", pace_laps="2"), follow=True).content.decode()
    assert "scrubbed" in page and "2 pace laps" in page
    from apextrim.runs.queries import observed

    new, scrubbed = (one.laps[0] for one in observed(event, {first.pk: 0}, 2.0))
    assert (new.cold, scrubbed.cold) == (1.0, 0.5) and scrubbed.since_pit == new.since_pit + 2
    assert scrubbed.cold_share < 0.5 * new.cold_share and scrubbed.fuel_kg < new.fuel_kg - 1.0
    assert client_in.post(url("add_run", event), start(event, first, **plain, pace_laps="31")).status_code == 422


def test_tyres_behind_pace_laps_are_warmer_on_the_first_lap(client_in: Client, event: Event, first: Sheet) -> None:
    for more in ({}, {"pace_laps": "4"}):
        client_in.post(url("virtual_run", event), start(event, first, laps="4", **more))
    cold, warm = (run.laps.get(number=1).time_s for run in event.runs.all())
    assert warm < cold and colder(False, 0) == 1.0 and colder(True, 0) == colder(False, 1) == 0.5


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"laps": "1:13.5\nfast"}, "Line 2"),
        ({"tags": "line="}, "name=value pairs"),
        ({"fuel_end_l": "44"}, "at most the 30 l at the start"),
        ({"fuel_end_l": "lots"}, "“lots” is not valid"),
    ],
)
def test_a_run_with_a_mistake_keeps_what_was_typed_and_saves_nothing(
    client_in: Client, event: Event, first: Sheet, changes: dict[str, str], words: str
) -> None:
    response = client_in.post(url("add_run", event), start(event, first, note="keep me", **changes))
    page = response.content.decode()
    assert response.status_code == 422 and words in page and 'value="keep me"' in page and not event.runs.exists()
    assert 'data-came-back="1"' in page


def test_columns_of_another_header_are_asked_once_and_remembered(client_in: Client, run: Run, event: Event, first: Sheet) -> None:
    data = b"Zeit;Nummer;Liter\n1:25,3;1;2,0\n1:13,8;2;1,9\n1:13,7;3;1,9\n"
    page = upload(client_in, run, data).content.decode()
    assert "Match the columns" in page and run.laps.count() == 0
    columns = {"text": data.decode(), "col-lap": "1", "col-lap_time": "0", "col-fuel_l": "2"}
    wrong = client_in.post(url("match_laps", event, run.pk), {**columns, "col-lap_time": "1"})
    assert wrong.status_code == 422 and "the same column" in wrong.content.decode() and run.laps.count() == 0
    client_in.post(url("match_laps", event, run.pk), columns)
    assert [lap.number for lap in run.laps.all()] == [1, 2, 3] and run.laps.all()[1].fuel_l == 1.9
    client_in.post(url("add_run", event), start(event, first))
    again = event.runs.get(number=2)
    assert upload(client_in, again, data).status_code == 302 and again.laps.count() == 3
    assert upload(client_in, again, data).status_code == 302 and again.laps.count() == 3


def test_a_run_is_read_with_fuel_and_age_taken_out_and_its_limit_told(
    client_in: Client, event: Event, first: Sheet, drive: Callable[..., Run]
) -> None:
    run = drive(first, seed=5, laps=14, fuel_l=45)
    page = client_in.get(url("run", event, run.pk)).content.decode()
    assert (
        "Treads at the end: front left" in page
        and "The tyres fade by" in page
        and "wears out first" in page
        and "Best sectors combined" in page
        and "Sector 3" in page
    )
    clean = client_in.get(url("run", event, run.pk) + "?clean=1").content.decode()
    assert "Corrected for fuel, tyre age, cold tyres and track temperature" in clean
    aside = [lap for lap in run.laps.all() if lap.kind != "timed"]
    assert page.count(">Count this lap") == len(aside) and 'data-bench-key="a"' in page
    client_in.post(url("mark_lap", event, run.pk, aside[0].pk), {"kind": "timed"})
    aside[0].refresh_from_db()
    assert aside[0].kind == "timed" and aside[0].why == ""


def test_a_table_of_two_hundred_thousand_rows_is_refused_at_once(client_in: Client, run: Run) -> None:
    rows = b"lap,lap_time\n" + b"".join(b"%d,73.5\n" % n for n in range(1, 200_001))
    response = upload(client_in, run, rows)
    assert response.status_code == 422 and "the file has 200000 laps; expected at most 10000" in response.content.decode()


def test_a_list_of_five_hundred_runs_is_paged_with_few_queries(
    client_in: Client, event: Event, first: Sheet, django_assert_max_num_queries: DjangoAssertNumQueries
) -> None:
    runs = Run.objects.bulk_create(
        Run(
            event=event, sheet=first, session=event.session, number=n, front="marl", rear="marl", tyre_age=0, fuel_l=30,
            conditions=event.conditions, made_at=event.made_at,
        )
        for n in range(1, 501)
    )  # fmt: skip
    Lap.objects.bulk_create(Lap(run=run, number=k, time_s=73.0 + 0.1 * k) for run in runs for k in range(1, 9))
    with django_assert_max_num_queries(27):
        page = client_in.get(url("runs_bench", event)).content.decode()
    assert "page 9 of 9" in page and ">R500<" in page and ">R1<" not in page
    assert ">R60<" in client_in.get(url("runs_bench", event), {"page": "1"}).content.decode()
    assert client_in.get(url("runs_bench", event), {"page": "many"}).status_code == 200
    lines = client_in.get(url("export_all_laps", event)).getvalue().decode().splitlines()
    assert len(lines) == 4001 and lines[1].startswith("R1,S1,marl,marl,0,30,")


@pytest.mark.thorough_only
@pytest.mark.usefixtures("at_once")
def test_ten_thousand_laps_come_in_and_the_page_shows_the_first(client_in: Client, run: Run) -> None:
    rows = b"lap,lap_time\n" + b"".join(b"%d,73.%03d\n" % (n, n % 700) for n in range(1, 10_001))
    assert upload(client_in, run, rows).status_code == 302 and run.laps.count() == 10_000
    page = client_in.get(url("run", run.event, run.pk)).content.decode()
    assert "Show all 10000 laps" in page


def test_readings_are_kept_with_the_run_on_the_same_page(client_in: Client, event: Event, first: Sheet) -> None:
    read = {"cold_fl": "140", "hot_fl": "28,7psi", "left_fl": "92"}
    client_in.post(url("add_run", event), start(event, first, laps="1:13.9", **read))
    reading = event.runs.get().readings.get()
    assert reading.values["hot_fl"] == pytest.approx(197.9, abs=0.1) and reading.sheet == first
    wrong = client_in.post(url("add_run", event), start(event, first, hot_rl="200", laps="1:13.9"))
    page = wrong.content.decode()
    assert wrong.status_code == 422 and "A hot pressure needs its cold one" in page and 'name="hot_rl" value="200"' in page
    assert event.runs.count() == 1
    client_in.post(url("add_run", event), start(event, first, laps="1:13.9"))
    assert event.runs.count() == 2 and event.readings.count() == 1


def test_a_paste_with_more_than_laps_in_it_is_shown_before_it_is_kept(client_in: Client, run: Run) -> None:
    text = "Lap;Time;Driver\n1;1.25.0;Marit\n2;1'13.9;Marit\n3;DNF"
    shown = client_in.post(url("type_laps", run.event, run.pk), {"laps": text})
    page = shown.content.decode()
    assert shown.status_code == 200 and "2 laps understood; nothing is kept yet" in page and "Marit" in page and run.laps.count() == 0
    kept = client_in.post(url("type_laps", run.event, run.pk), {"laps": text, "sure": "1"}, follow=True)
    assert kept.status_code == 200 and [round(lap.time_s, 1) for lap in run.laps.all()] == [85.0, 73.9]


def test_the_tread_that_is_left_is_not_the_tread_that_is_worn() -> None:
    left = dict(zip((f"left_{wheel}" for wheel in WHEELS), (60.0, 90.0, 90.0, 90.0), strict=True))
    wheels = SimpleNamespace(
        run=SimpleNamespace(laps=SimpleNamespace(all=lambda: [None] * 10), tyre_age=0),
        lap_case=SimpleNamespace(compounds=[SimpleNamespace(cliff_wear=0.7)] * 2), reading=SimpleNamespace(values=left), stint=None,
    )  # fmt: skip
    found = report._limit(wheels)  # type: ignore[arg-type]
    known = life_from_tread((0.4, 0.1, 0.1, 0.1), 10, 10, (0.7, 0.7))
    assert found is not None and found.measured and found.left == pytest.approx(known.laps)


def test_runs_on_the_same_tyres_are_read_together(client_in: Client, event: Event, first: Sheet) -> None:
    """Two runs that go off at the same age: said on the page of each; alone, what may be the driver."""
    rng = np.random.default_rng(3)
    runs = []
    for _ in range(2):
        client_in.post(url("add_run", event), start(event, first))
        run = event.runs.latest("pk")
        times = [73.0 + 0.04 * k + (0.9 if k > 9 else 0.0) + float(rng.normal(0.0, 0.08)) for k in range(1, 19)]
        client_in.post(url("type_laps", event, run.pk), {"laps": "\n".join(f"{time:.3f}" for time in [80.0, *times])})
        runs.append(run)
        alone = client_in.get(url("run", event, run.pk)).content.decode()
        if len(runs) == 1:
            assert "in all runs" not in alone
    page = client_in.get(url("run", event, runs[0].pk)).content.decode()
    said = re.search(r"This run and 1 other on these tyres: the tyres fade by .*; they go off at (\d+) laps of age", page)
    assert said is not None and 9 <= int(said[1]) <= 12, page[page.find("tyres fade") - 200 :][:600]
    other = runs[1]
    for change in ({"left_out": "traffic"}, {"left_out": "", "conditions": {**other.conditions, "wet_pct": 60.0}}):
        Run.objects.filter(pk=other.pk).update(**change)
        assert "1 other on these tyres" not in client_in.get(url("run", event, runs[0].pk)).content.decode(), change
