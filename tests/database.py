"""A database with all tables, made once a machine for these migrations and copied for every worker of the tests."""

import fcntl
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import django

ROOT = Path(__file__).parents[1]
#: Where it is kept between runs, beside the compiled kernels.
CACHE = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "apex-trim"
_DATABASES = CACHE / "databases"


def _key() -> str:
    mark = hashlib.sha256(django.get_version().encode())
    for path in sorted(
        [*(ROOT / "apextrim").rglob("migrations/*.py"), *(ROOT / "apextrim").rglob("models.py"), ROOT / "apextrim" / "settings.py"]
    ):
        mark.update(path.relative_to(ROOT).as_posix().encode() + path.read_bytes())
    return mark.hexdigest()[:24]


def migrated() -> Path:
    """The file of a database with all migrations applied and no rows of anybody."""
    _DATABASES.mkdir(parents=True, exist_ok=True)
    path = _DATABASES / f"{_key()}.sqlite3"
    with (_DATABASES / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not path.exists():
            with tempfile.TemporaryDirectory() as folder:
                env = {**os.environ, "APEX_VAR": folder}
                subprocess.run([sys.executable, "manage.py", "migrate", "-v0"], cwd=ROOT, env=env, check=True)
                for old in _DATABASES.glob("*.sqlite3"):
                    old.unlink()
                shutil.move(Path(folder) / "apextrim.sqlite3", path)
    return path
