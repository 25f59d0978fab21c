"""Copies of the database while it is in use, and back: SQLite's own backup, checked before it counts.

What is kept is rotated: the newest of them all, and the newest of each month; how many of each is set.
"""

import os
import sqlite3
import time
from collections.abc import Sequence
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from django.conf import settings

#: How long a restore waits for whoever writes at this moment [s].
_PATIENCE_S = 3.0
_NAME = "apextrim-%Y%m%d-%H%M%S-%f.sqlite3"


class BackupError(Exception):
    """A backup cannot be made or put back; the message says why, and that nothing has changed."""


def checked(path: Path, known: set[tuple[str, str]]) -> None:
    """Makes sure that a file is a whole database of this product, no newer than it.

    :param known: (app, name) of every migration of this version
    :raises BackupError: if it is not
    """
    if not path.is_file():
        raise BackupError(f"{path}: there is no such file; nothing was changed.")
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as database:
            answer = database.execute("PRAGMA integrity_check").fetchone()[0]
            broken = database.execute("PRAGMA foreign_key_check").fetchone()
            applied = database.execute("SELECT app, name FROM django_migrations ORDER BY id").fetchall()
    except sqlite3.Error as error:
        raise BackupError(f"{path.name}: this is no database of Apex Trim ({error}); nothing was changed.") from None
    if answer != "ok" or broken is not None:
        raise BackupError(f"{path.name}: the file is damaged ({str(answer)[:80]}); nothing was changed.")
    newer = [f"{app}.{name}" for app, name in _of_this_house(applied) if (app, name) not in known]
    if newer:
        raise BackupError(f"{path.name}: it was written by a newer version ({newer[0]} is not known here); nothing was changed.")


def _of_this_house(applied: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    """The migrations applied since an app took its tables over; those of version 0.1 had other names."""
    found, begun = [], set[str]()
    for app, name in applied:
        if name == "0001_house":
            begun.add(app)
        if app in begun:
            found.append((app, name))
    return found


def back_up(database: Path, folder: Path) -> Path:
    """Copies the database, also while it is written to; returns the file.

    :raises BackupError: if there is no database, or the copy is not whole
    """
    if not database.is_file():
        raise BackupError(f"{database}: there is no database yet; nothing to back up.")
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    path = folder / datetime.now(UTC).strftime(_NAME)
    part = path.with_suffix(".part")
    try:
        with closing(sqlite3.connect(database)) as source, closing(sqlite3.connect(part)) as copy:
            source.backup(copy)
            answer = copy.execute("PRAGMA integrity_check").fetchone()[0]
            copy.execute("PRAGMA journal_mode=DELETE")  # one file, that can be carried away alone
        if answer != "ok":
            raise BackupError(f"The copy is not whole ({str(answer)[:80]}); the database may be damaged. Nothing was changed.")
        part.chmod(0o600)
        with part.open("rb") as written:
            os.fsync(written.fileno())
        part.replace(path)
    except sqlite3.Error as error:
        raise BackupError(f"The database cannot be copied: {error}. Nothing was changed.") from None
    finally:
        part.unlink(missing_ok=True)
    rotate(folder)
    return path


def rotate(folder: Path) -> None:
    """Keeps the newest backups, and the newest of each month; removes the rest."""
    found = sorted(folder.glob("apextrim-*.sqlite3"), reverse=True)
    keep, months = set(found[: max(settings.BACKUPS_KEPT, 1)]), set[str]()  # the one that was just made always stays
    for path in found:
        month = path.name[9:15]
        if month not in months and len(months) < settings.BACKUP_MONTHS:
            months.add(month)
            keep.add(path)
    for path in found:
        if path not in keep:
            path.unlink()


def put_back(path: Path, database: Path, known: set[tuple[str, str]], folder: Path) -> Path | None:
    """Replaces the database by a backup, in one transaction; returns the backup that was made of what stood there before.

    :raises BackupError: if the file is not fit for it, or a server is writing
    """
    checked(path, known)
    before = back_up(database, folder) if database.is_file() else None
    database.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as source, closing(sqlite3.connect(database, timeout=2)) as live:
            deadline = time.monotonic() + _PATIENCE_S

            def waited(status: int, remaining: int, total: int) -> None:  # SQLite itself would try for ever
                if status in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED) and time.monotonic() > deadline:
                    raise sqlite3.OperationalError("somebody is writing to it")

            source.backup(live, progress=waited)
    except sqlite3.Error as error:
        raise BackupError(f"The database cannot be replaced: {error}. Stop the server first; nothing was changed.") from None
    database.chmod(0o600)
    return before
