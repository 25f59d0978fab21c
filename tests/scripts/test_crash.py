"""A short form of `make crash`."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
KILLS = "12"


@pytest.mark.thorough_only
def test_nothing_that_was_acknowledged_is_lost(tmp_path: Path) -> None:
    power = ["--power"] if shutil.which("cc") else []
    command = [sys.executable, "-m", "scripts.crash", "--kills", KILLS, "--first", "500", *power]
    done = subprocess.run(command, cwd=ROOT, env={**os.environ, "APEX_VAR": str(tmp_path)}, capture_output=True, text=True, timeout=240)
    assert done.returncode == 0, done.stdout + done.stderr
    said = re.search(rf"crash: {KILLS} (?:kills|power failures), (\d+) writes acknowledged, 0 lost", done.stdout)
    assert said and int(said.group(1)) > 1, done.stdout
    full = re.search(r"full disk: (\d+) acknowledged, (\d+) refused, then (\d+) acknowledged", done.stdout)
    assert full and int(full.group(2)) > 0 and int(full.group(3)) > 0, done.stdout
