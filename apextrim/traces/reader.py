"""The process in which one file of a recording is read (`apart` starts and bounds it): told what to do on its input, it answers as JSON."""

import json
import os
import resource
import sys
from typing import Any

import numpy as np

from apexcore.errors import FileRejected
from apexcore.formats.recording import Header, read_header, read_recording
from apexcore.judge.traces.channels import Match


def answer(path: str, told: dict[str, Any]) -> dict[str, Any]:
    """What is asked of a file: its header, or its samples in another file."""
    try:
        with open(path, "rb") as file:
            if told["do"] == "header":
                found = read_header(file)
                return {**found.__dict__}
            given = told["header"]
            header = Header(**{**given, "names": tuple(given["names"]), "units": tuple(given["units"])})
            matches = [None if match is None else Match(**match) for match in told["matches"]]
            recording = read_recording(file, header, matches)
    except FileRejected as error:
        return {"problems": list(error.problems)}
    except MemoryError:
        return {"problems": ["The file: it unpacks to more than memory holds. Nothing of it was taken."]}
    arrays = {f"c{place}": column for place, column in enumerate(recording.columns.values())}
    np.savez(told["out"], allow_pickle=False, t=recording.t, **arrays)
    return {"keys": list(recording.columns), "units": recording.units}


def bounded(cpu_s: int) -> None:
    """Ends this process when it has used so much of the processor; it leaves no image of its memory."""
    resource.setrlimit(resource.RLIMIT_CPU, (cpu_s, cpu_s + 5))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


if __name__ == "__main__":
    bounded(int(sys.argv[2]))
    json.dump(answer(sys.argv[1], json.load(sys.stdin)), sys.stdout)
    sys.stdout.flush()
    os._exit(0)  # what libraries do on their way out may hang
