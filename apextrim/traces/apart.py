"""Files of recordings are read in a process of their own, with bounds on its memory and time: whatever a file makes its reader do, it can
neither hold up the server nor fill the machine."""

import json
import resource
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings

from apexcore.errors import FileRejected
from apexcore.formats.recording import WHAT, Header, Recording, missing_libraries, read_header
from apexcore.judge.traces.channels import Match

#: Time of a header while somebody waits, of a few laps while somebody waits, and of either in a worker, which leaves the machine to others,
#: on the clock; time on the processor [s]; and memory [bytes].
HEADER_S, LAPS_S, WORKER_S, _CPU_S, MOST_BYTES = 20.0, 60.0, 900.0, 180, 900_000_000
#: Readers of one server at a time, so that threads are left for everybody else, and how long one waits for its turn [s].
_AT_ONCE, _TURN_S = threading.BoundedSemaphore(2), 5.0
#: How often its memory is looked at [s], and the size of a page of it.
_LOOK_S, _PAGE = 0.05, resource.getpagesize()


def header_of_file(path: Path, seconds: float | None = None) -> Header:
    """`recording.read_header` of a file.

    :param seconds: that it may take; as long as somebody waits for a page where not given [s]
    :raises FileRejected: as it does, and where reading takes too long or too much memory
    """
    with path.open("rb") as file:
        if file.read(8)[:4] not in (b"PAR1", b"MDF "):  # of a table the first lines alone are looked at
            return read_header(file)
    said = _asked(path, {"do": "header"}, HEADER_S if seconds is None else seconds)
    return Header(
        said["kind"], tuple(said["names"]), tuple(said["units"]), int(said["skipped"]), str(said["delimiter"]), bool(said["comma"])
    )  # fmt: skip


def recording_of_file(path: Path, header: Header, matches: Sequence[Match | None], seconds: float) -> Recording:
    """`recording.read_recording` of a file.

    :param seconds: that it may take [s]
    :raises FileRejected: as it does, and where reading takes too long or too much memory
    """
    with tempfile.TemporaryDirectory(dir=_folder(), prefix="read-") as folder:
        out = Path(folder) / "samples.npz"
        told = {
            "do": "samples", "header": header.__dict__, "out": str(out),
            "matches": [None if match is None else match.__dict__ for match in matches],
        }  # fmt: skip
        said = _asked(path, told, seconds)
        with np.load(out, allow_pickle=False) as arrays:
            columns = {key: arrays[f"c{place}"] for place, key in enumerate(said["keys"])}
            return Recording(arrays["t"], columns, dict(said["units"]))


@contextmanager
def kept_apart(file: Any) -> Iterator[Path]:
    """Where an upload lies while it is read, and no longer."""
    with tempfile.NamedTemporaryFile(dir=_folder(), prefix="read-", suffix=".tmp") as out:
        for chunk in file.chunks():
            out.write(chunk)
        out.flush()
        yield Path(out.name)


def _folder() -> Path:
    found: Path = settings.VAR / "uploads"
    found.mkdir(parents=True, exist_ok=True)
    return found


def _asked(path: Path, told: dict[str, Any], seconds: float) -> dict[str, Any]:
    """What the reader answers.

    :raises FileRejected: with its problems, or why it was ended
    """
    if (said := missing_libraries()) is not None:
        raise FileRejected([said])
    if not _AT_ONCE.acquire(timeout=_TURN_S):
        raise FileRejected(["Other files are being read just now; choose it again in a moment."])
    try:
        return _read(path, told, seconds)
    finally:
        _AT_ONCE.release()


def _read(path: Path, told: dict[str, Any], seconds: float) -> dict[str, Any]:
    # it bounds itself before it looks at the file: nothing may be run between fork and exec of a process with threads
    command = [sys.executable, "-m", "apextrim.traces.reader", str(path), str(_CPU_S)]
    with tempfile.TemporaryFile() as answer:
        process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=answer, stderr=subprocess.DEVNULL, cwd=settings.BASE_DIR,
            env={"PATH": "/usr/bin:/bin", "PYTHONPATH": str(settings.BASE_DIR), "OMP_NUM_THREADS": "1", "ARROW_NUM_THREADS": "2"},
        )  # fmt: skip
        assert process.stdin is not None
        with suppress(BrokenPipeError):  # it ended before it was told what to do
            process.stdin.write(json.dumps(told).encode())
            process.stdin.close()
        why = _watched(process, seconds)
        answer.seek(0)
        text = answer.read()
    if why:
        raise FileRejected([f"The file: {why}; expected {WHAT} that can be read. Nothing of it was taken."])
    try:
        found: dict[str, Any] = json.loads(text)
    except ValueError:
        raise FileRejected([f"The file: it holds something that cannot be {WHAT}; nothing of it was taken."]) from None
    if "problems" in found:
        raise FileRejected([str(problem) for problem in found["problems"]])
    return found


def _watched(process: subprocess.Popen[bytes], seconds: float) -> str:
    """Waits for a reader; ends one that takes too much, and says why. Empty where it ended by itself."""
    until, why = time.monotonic() + seconds, ""
    pause = 0.005
    while process.poll() is None:
        if time.monotonic() > until:
            why = f"reading it took longer than {seconds:.0f} s"
        elif _resident(process.pid) > MOST_BYTES:
            why = f"it unpacks to more than {MOST_BYTES / 1e6:.0f} MB"
        if why:
            process.kill()
            process.wait()
            return why
        time.sleep(pause)
        pause = min(2.0 * pause, _LOOK_S)
    return f"reading it took longer than {_CPU_S:.0f} s of the processor" if process.returncode in (-24, -9) else ""


def _resident(pid: int) -> int:
    """Memory that a process has [bytes]; 0 where it is gone."""
    try:
        return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * _PAGE
    except (OSError, IndexError, ValueError):
        return 0
