"""From a clone to a page that answers: `python3 -m apextrim.management.start demo`.

Runs on Python's own library alone. The port is bound first, and the doorman answers on it while packages are installed; then this process
becomes the server, on the same socket.
"""

from __future__ import annotations

import argparse
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

from .doorman import DONE, UNDER_WAY, Progress

ROOT = Path(__file__).parents[2]
#: Python that this runs on at least.
LEAST = (3, 11)
PACKAGES = "Packages"
#: Libraries for files of recordings: half of all that there is to download, and nothing else needs them.
RECORDINGS = "Recordings of a logger"


def stamp(group: str) -> Path:
    """The file that says that a group of packages is installed."""
    return ROOT / f".installed-{group}"


def is_installed(group: str) -> bool:
    """Whether a group of packages is installed as its file lists them now."""
    listed, done = ROOT / "requirements" / f"{group}.txt", stamp(group)
    return _python().exists() and done.exists() and done.stat().st_mtime >= listed.stat().st_mtime


def _python() -> Path:
    return ROOT / ".venv" / "bin" / "python"


def make_environment() -> None:
    """The virtual environment; without a pip of its own where this Python's is fit for it, which saves seconds.

    :raises SystemExit: if it cannot be made, with what to do
    """
    if _python().exists():
        return
    bare = _pip_outside()
    done = subprocess.run(
        [sys.executable, "-m", "venv", *(["--without-pip"] if bare else []), str(ROOT / ".venv")], capture_output=True, text=True
    )
    if done.returncode:
        shutil.rmtree(ROOT / ".venv", ignore_errors=True)
        sys.exit(
            f"The environment cannot be made: {(done.stdout + done.stderr).strip()[-400:]}\nOn Debian and Ubuntu: apt install python3-venv"
        )


def _outer() -> str:
    """The Python that the environment is made from, also from inside it."""
    return str(getattr(sys, "_base_executable", sys.executable))


def _pip_outside() -> bool:
    """Whether this Python has a pip that installs into another environment (22.3 and newer)."""
    asked = subprocess.run([_outer(), "-m", "pip", "--version"], capture_output=True, text=True)
    words = asked.stdout.split()
    return asked.returncode == 0 and len(words) > 1 and tuple(int(part) for part in words[1].split(".")[:2] if part.isdecimal()) >= (22, 3)


def pip(*words: str) -> list[str]:
    """pip for the environment: its own, or that of this Python."""
    own = ROOT / ".venv" / "bin" / "pip"
    return [str(_python()), "-m", "pip", *words] if own.exists() else [_outer(), "-m", "pip", "--python", str(_python()), *words]


def install(group: str) -> None:
    """Installs a group of packages, each checked against its hash. Compiling their Python files is left to their first use.

    :raises SystemExit: if that fails; pip has said why
    """
    listed = f"requirements/{group}.txt"
    words = pip("install", "--quiet", "--disable-pip-version-check", "--no-compile", "--require-hashes", "-r", listed)
    if subprocess.run(words, cwd=ROOT).returncode:
        sys.exit(f"The packages of {listed} cannot be installed. Is the network there? Start again: what is installed stays.")
    stamp(group).touch()


def listening_on(port: int) -> socket.socket:
    """The bound port of this machine.

    :raises SystemExit: if somebody else uses it
    """
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind(("127.0.0.1", port))
    except (OSError, OverflowError) as error:
        said = getattr(error, "strerror", None) or error
        sys.exit(f"Port {port} cannot be used ({said}). Stop what uses it, or choose another one with PORT=8010.")
    listening.listen(256)
    listening.set_inheritable(True)
    return listening


def main() -> None:
    """`make demo`, `make serve`, and one group of packages for every other command."""
    if sys.version_info < LEAST:
        here = sys.version.split()[0]
        sys.exit(f"Apex Trim needs Python {LEAST[0]}.{LEAST[1]} or newer; this is {here}. Name another: make demo PYTHON=python3.12")
    began = time.time()
    reader = argparse.ArgumentParser()
    reader.add_argument("kind", choices=("demo", "serve", "install"))
    reader.add_argument("group", nargs="?", help="what to install")
    reader.add_argument("--port", type=int, default=8000)
    told = reader.parse_args()
    if told.kind == "install":
        make_environment()
        install(told.group)
        return
    listening = listening_on(told.port)
    progress = Progress(Path(os.environ.get("APEX_VAR", "var")) / "getting-ready.json")
    progress.path.unlink(missing_ok=True)
    words = ["serve", "--port", str(told.port), "--socket", str(listening.fileno()), "--began", f"{began:.1f}"]
    if not is_installed("runtime"):
        command = [
            sys.executable,
            "-m",
            "apextrim.management.doorman",
            "--socket",
            str(listening.fileno()),
            "--progress",
            str(progress.path),
        ]
        progress.plan(PACKAGES)
        door = subprocess.Popen(command, cwd=ROOT, pass_fds=[listening.fileno()])
        words += ["--doorman", str(door.pid)]
        print(f"Getting ready; http://localhost:{told.port}/ says how far it is.", flush=True)
        try:
            progress.tell(PACKAGES, UNDER_WAY, "downloading and unpacking")
            make_environment()
            install("runtime")
            progress.tell(PACKAGES, DONE, f"{time.time() - began:.0f} s")
        except BaseException:
            door.send_signal(signal.SIGTERM)
            raise
    if told.kind == "demo":
        os.environ["APEX_DEMO"] = "1"
    os.execv(_python(), [str(_python()), str(ROOT / "manage.py"), *words])


if __name__ == "__main__":
    main()
