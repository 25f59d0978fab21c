"""Commands as whoever runs the server gives them, on a folder of data of their own."""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def manage(var: Path, *words: str, **settings: str) -> subprocess.CompletedProcess[str]:
    """`manage.py` with these words on the data in `var`, under more settings of the environment."""
    env = {**os.environ, "APEX_VAR": str(var), **settings}
    return subprocess.run([sys.executable, "manage.py", *words], cwd=ROOT, env=env, capture_output=True, text=True, timeout=300)
