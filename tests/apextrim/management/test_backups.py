"""Backups made while the database is written to, put back, checked and rotated."""

import sqlite3
import threading
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from apextrim.management.backups import BackupError, back_up, put_back, rotate
from tests.apextrim.commands import manage
from tests.apextrim.test_take_over import old_database

KNOWN = {("library", "0001_house"), ("auth", "0001_initial")}


def database(path: Path, rows: int = 100, migrations: tuple[tuple[str, str], ...] = (("library", "0001_house"),)) -> Path:
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("CREATE TABLE django_migrations (id INTEGER PRIMARY KEY, app TEXT, name TEXT)")
        connection.executemany("INSERT INTO django_migrations (app, name) VALUES (?, ?)", migrations)
        connection.execute("CREATE TABLE lap (number INTEGER)")
        connection.executemany("INSERT INTO lap VALUES (?)", [(k,) for k in range(rows)])
    return path


def laps(path: Path) -> int:
    with closing(sqlite3.connect(path)) as connection:
        return int(connection.execute("SELECT count(*) FROM lap").fetchone()[0])


def test_a_backup_while_others_write_is_whole(tmp_path: Path) -> None:
    live = database(tmp_path / "live.sqlite3")
    stop = threading.Event()

    def write() -> None:
        with closing(sqlite3.connect(live, timeout=10)) as connection:
            while not stop.is_set():
                with connection:
                    connection.executemany("INSERT INTO lap VALUES (?)", [(1,)] * 10)  # always ten at once

    writer = threading.Thread(target=write)
    writer.start()
    try:
        found = [back_up(live, tmp_path / "backups") for _ in range(8)]
    finally:
        stop.set()
        writer.join()
    counts = [laps(path) for path in found]
    assert counts == sorted(counts) and counts[-1] > 100 and all(count % 10 == 0 for count in counts)
    assert all(path.stat().st_mode & 0o077 == 0 for path in found) and not list((tmp_path / "backups").glob("*.part"))


def test_what_was_there_comes_back_and_what_stood_there_is_kept(tmp_path: Path) -> None:
    live = database(tmp_path / "live.sqlite3")
    kept = back_up(live, tmp_path / "backups")
    with closing(sqlite3.connect(live)) as connection, connection:
        connection.execute("DELETE FROM lap")
    before = put_back(kept, live, KNOWN, tmp_path / "backups")
    assert laps(live) == 100 and before is not None and laps(before) == 0


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda path: path.unlink(), "no such file"),
        (lambda path: path.write_bytes(b"no database at all" * 500), "no database of Apex Trim"),
        (lambda path: path.write_bytes(path.read_bytes()[:9000]), "damaged|no database of Apex Trim"),
        (
            lambda path: path.write_bytes(path.read_bytes()[:8192] + b"\xff" * 4096 + path.read_bytes()[12288:]),
            "damaged|no database of Apex Trim",
        ),
        (lambda path: sqlite3.connect(path).executescript("DROP TABLE django_migrations"), "no database of Apex Trim"),
        (
            lambda path: sqlite3.connect(path).executescript("INSERT INTO django_migrations (app, name) VALUES ('library', '0099_later')"),
            "newer version .library.0099_later",
        ),
    ],
)
def test_a_file_that_is_not_fit_is_refused_and_changes_nothing(tmp_path: Path, spoil, words: str) -> None:  # type: ignore[no-untyped-def]
    live = database(tmp_path / "live.sqlite3", rows=7)
    file = database(tmp_path / "file.sqlite3", rows=500)
    with closing(sqlite3.connect(file)) as connection:
        connection.execute("PRAGMA journal_mode=DELETE")
    spoil(file)
    with pytest.raises(BackupError, match=words):
        put_back(file, live, KNOWN, tmp_path / "backups")
    assert laps(live) == 7


@pytest.mark.thorough_only
def test_a_server_that_writes_is_not_overrun(tmp_path: Path) -> None:
    live, file = database(tmp_path / "live.sqlite3", rows=7), database(tmp_path / "file.sqlite3")
    with closing(sqlite3.connect(live, isolation_level=None)) as connection:
        connection.execute("BEGIN IMMEDIATE")
        with pytest.raises(BackupError, match="Stop the server first"):
            put_back(file, live, KNOWN, tmp_path / "backups")
        connection.execute("ROLLBACK")
    assert laps(live) == 7


def test_the_newest_are_kept_and_one_of_each_month(tmp_path: Path) -> None:
    for month in range(1, 13):
        for day in range(1, 5):
            (tmp_path / f"apextrim-2027{month:02d}{day:02d}-120000-000000.sqlite3").touch()
    rotate(tmp_path)
    left = sorted(path.name[9:17] for path in tmp_path.iterdir())
    assert left[-10:] == [
        "20271003",
        "20271004",
        "20271101",
        "20271102",
        "20271103",
        "20271104",
        "20271201",
        "20271202",
        "20271203",
        "20271204",
    ]
    assert left[:-10] == [f"2027{month:02d}04" for month in range(1, 10)]


def test_how_many_are_kept_is_set(tmp_path: Path, settings: Any) -> None:
    settings.BACKUPS_KEPT, settings.BACKUP_MONTHS = 2, 0
    for day in range(1, 6):
        (tmp_path / f"apextrim-202706{day:02d}-120000-000000.sqlite3").touch()
    rotate(tmp_path)
    assert sorted(path.name[9:17] for path in tmp_path.iterdir()) == ["20270604", "20270605"]
    settings.BACKUPS_KEPT = 0
    rotate(tmp_path)
    assert [path.name[9:17] for path in tmp_path.iterdir()] == ["20270605"]  # the newest is never removed


@pytest.mark.thorough_only
def test_a_database_of_an_earlier_version_is_backed_up_migrated_and_restored(tmp_path: Path) -> None:
    """As docs/operations.md says: migrate, break, restore; from the database of 0.1."""
    file = old_database(tmp_path)
    done = manage(tmp_path, "migrate")
    assert done.returncode == 0 and "Before the migration" in done.stdout, done.stderr
    (old,) = (tmp_path / "backups").iterdir()
    again = manage(tmp_path, "migrate")
    assert "Before the migration" not in again.stdout and len(list((tmp_path / "backups").iterdir())) == 1  # nothing to migrate
    made = manage(tmp_path, "backup")
    assert made.returncode == 0 and "checked" in made.stdout, made.stderr
    file.write_bytes(b"broken")
    for path in tmp_path.glob("apextrim.sqlite3-*"):
        path.unlink()
    assert manage(tmp_path, "restore", str(tmp_path / "nothing")).returncode == 1
    file.unlink()
    for path in (old, max((tmp_path / "backups").iterdir())):
        done = manage(tmp_path, "restore", str(path))
        assert done.returncode == 0 and "is restored" in done.stdout, done.stderr
        with closing(sqlite3.connect(file)) as connection:
            assert connection.execute("SELECT count(*) FROM events_event").fetchone()[0] > 0
            assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
