"""Quickest lines that several tests look at: found once for these sources and inputs, and kept between workers and runs."""

import fcntl
import hashlib
import pickle
from functools import cache
from pathlib import Path

import apexcore
from apexcore.circuit.track import Circuit
from apexcore.lap.quickest import Quickest, quickest_line
from apexcore.lap.solver import LapCase
from apexcore.vehicle.sheet import Sheet
from tests.database import CACHE

#: What a quickest line depends on.
_FLOORS = ("lap", "vehicle", "circuit", "quantities")
_FOLDER = CACHE / "lines"


@cache
def _sources() -> str:
    mark, core = hashlib.sha256(), Path(apexcore.__path__[0])
    for path in sorted(path for floor in _FLOORS for path in (core / floor).rglob("*.py")):
        mark.update(path.relative_to(core).as_posix().encode() + path.read_bytes())
    return mark.hexdigest()[:16]


def quickest(circuit: Circuit, lap_case: LapCase, sheet: Sheet) -> Quickest:
    """`quickest_line` of these, by itself or as it was found before with the same sources."""
    asked = pickle.dumps((circuit.model_dump_json(), lap_case.car.model_dump_json(), lap_case.driver, lap_case.conditions, sheet.values))
    folder = _FOLDER / _sources()
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / hashlib.sha256(asked + lap_case.line.road.tobytes()).hexdigest()[:24]
    with path.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not path.exists():
            part = path.with_suffix(".part")
            part.write_bytes(pickle.dumps(quickest_line(circuit, lap_case, sheet)))
            part.rename(path)
    found: Quickest = pickle.loads(path.read_bytes())
    return found
