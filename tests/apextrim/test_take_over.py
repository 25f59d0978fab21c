"""A database of the layout before this one, with a row of every kind, comes through the migrations whole."""

import gzip
import json
import sqlite3
from pathlib import Path

import pytest
from django.db import connection

from apexcore.formats.packed import unpack
from tests.apextrim.commands import manage

pytestmark = pytest.mark.slow  # each test has a whole database of its own

ROOT = Path(__file__).parents[2]
OLD = ROOT / "tests" / "data" / "database_of_0_1.sql.gz"
MOVED = {
    "garage_car": "library_car", "circuits_circuit": "library_circuit", "circuits_cornernote": "library_cornernote",
    "garage_sheet": "sheets_sheet", "garage_search": "workshop_search", "garage_tyrereading": "runs_tyrereading",
}  # fmt: skip
#: What the migrations may change: their own log, and the permissions of models that have moved.
CHANGES = {"django_migrations", "django_content_type", "auth_permission", "sqlite_sequence"}

Rows = dict[str, list[dict[str, object]]]


def old_database(var: Path) -> Path:
    file = var / "apextrim.sqlite3"
    with sqlite3.connect(file) as connection:
        connection.executescript(gzip.decompress(OLD.read_bytes()).decode())
    return file


def rows_of(file: Path) -> Rows:
    connection = sqlite3.connect(file)
    connection.row_factory = sqlite3.Row
    tables = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
    return {name: [dict(row) for row in connection.execute(f'SELECT * FROM "{name}" ORDER BY 1')] for name in tables}


def shape_of(file: Path) -> dict[str, object]:
    """Columns, references and indexes of every table, whatever their names."""
    connection = sqlite3.connect(file)
    shape: dict[str, object] = {}
    for table in rows_of(file):
        columns = sorted((row[1], row[2], row[3]) for row in connection.execute(f'PRAGMA table_info("{table}")'))
        references = sorted((row[2], row[3], row[4]) for row in connection.execute(f'PRAGMA foreign_key_list("{table}")'))
        indexes = sorted(
            (tuple(column[2] for column in connection.execute(f'PRAGMA index_info("{row[1]}")')), row[2], row[4])
            for row in connection.execute(f'PRAGMA index_list("{table}")')
        )
        shape[table] = (columns, references, indexes)
    return shape


def same_samples(before: list[dict[str, object]], after: list[dict[str, object]]) -> None:
    """Every value at every moment is in the chunks."""
    found: dict[tuple[object, int, str], float] = {}
    for chunk in after:
        packed = unpack(chunk["data"])  # type: ignore[arg-type]
        for name, column in packed.columns.items():
            found |= {(chunk["run_id"], round(1000 * t), name): value for t, value in zip(packed.t, column, strict=True) if value == value}
    told = {
        (row["run_id"], int(str(row["t_ms"])), name): value for row in before for name, value in json.loads(str(row["channels"])).items()
    }
    assert told and found.keys() == told.keys()
    assert all(found[key] == pytest.approx(value, rel=1e-6) for key, value in told.items())


@pytest.fixture(scope="module")
def taken_over(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of a database of before, migrated."""
    var = tmp_path_factory.mktemp("old")
    old_database(var)
    done = manage(var, "migrate", "-v0")
    assert done.returncode == 0, done.stderr
    return var


@pytest.mark.thorough_only
def test_every_row_of_before_is_there_with_every_value(taken_over: Path, tmp_path: Path) -> None:
    before, after = rows_of(old_database(tmp_path)), rows_of(taken_over / "apextrim.sqlite3")
    assert all(before[table] for table in before if table.split("_")[0] in ("garage", "circuits", "events", "runs", "verdicts", "race"))
    in_car = {row["sheet_in_car_id"] for row in before["events_event"]} - {None}
    for table, rows in before.items():
        if table in CHANGES:
            continue
        if table == "runs_sample":  # rows of JSON are columns of chunks now
            same_samples(rows, after["runs_chunk"])
            continue
        for old, new in zip(rows, after[MOVED.get(table, table)], strict=True):
            old.pop("sheet_in_car_id", None)
            if table == "runs_run":  # what the car did is said in the field's terms now
                old["words"] = (
                    str(old["words"]).replace("washes wide", "understeer").replace("even", "neutral").replace("steps out", "oversteer")
                )
            if table == "garage_search":  # how far it was stands in its job now
                job = next(row for row in after["work_job"] if row["id"] == new["job_id"])
                over = old["state"] != "running"
                assert job["state"] == (old["state"] if over else "failed") and str(old["error"]) in str(job["told"])
                old = {name: value for name, value in old.items() if name in new}
            assert {name: new[name] for name in old} == old, table
    assert {row["id"] for row in after["sheets_sheet"] if row["in_car"]} == in_car and in_car
    assert not [name for name in after if name.startswith(("garage_", "circuits_"))]
    assert sqlite3.connect(taken_over / "apextrim.sqlite3").execute("PRAGMA foreign_key_check").fetchall() == []


@pytest.mark.django_db
@pytest.mark.thorough_only
def test_a_database_taken_over_has_the_shape_of_a_new_one(taken_over: Path) -> None:
    new = Path(connection.settings_dict["NAME"])  # the tests' own database, made by the same migrations
    assert shape_of(taken_over / "apextrim.sqlite3") == shape_of(new)


@pytest.mark.thorough_only
def test_the_pages_of_a_database_taken_over_open(taken_over: Path) -> None:
    look = """
from django.contrib.auth.models import User
from django.test import Client

client = Client(HTTP_HOST="localhost")
client.force_login(User.objects.get(username="racer"))
for page in ("", "lap/", "sheet/", "sheet/?sheet=1", "sheet/1/readings/", "sheet/search/1/", "runs/", "runs/1/", "verdicts/", "race/", "race/1/", "file/"):
    print(client.get(f"/events/1/{page}").status_code, page)
print(client.get("/garage/").status_code, client.get("/events/1/circuit/")["Location"])
"""
    done = manage(taken_over, "shell", "-v0", "-c", look)
    assert done.returncode == 0, done.stderr
    lines = done.stdout.splitlines()
    assert [line for line in lines if not line.startswith("200")] == [] and "200 /events/1/lap/" in lines


@pytest.mark.parametrize("missing", ["0005_logbook", "0003_tests_and_calibrations"])
@pytest.mark.thorough_only
def test_an_older_database_is_refused_and_stays_as_it_is(tmp_path: Path, missing: str) -> None:
    file = old_database(tmp_path)
    with sqlite3.connect(file) as connection:
        connection.execute("DELETE FROM django_migrations WHERE name = ?", [missing])
    before = rows_of(file)
    done = manage(tmp_path, "migrate", "-v0")
    assert done.returncode != 0 and "older than version 0.1" in done.stderr
    assert rows_of(file) == before
