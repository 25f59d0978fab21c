"""Drives the demo's story and keeps its events as files in `demo/events`, which a start reads. `make story` calls it.

Recordings are kept as coarse as a club racer's logger tells them, and of some laps of each run: they are nearly all of the files' size.
"""

import gzip
import os
import tempfile
from typing import TYPE_CHECKING

import numpy as np

from apexcore.formats.packed import pack, unpack

if TYPE_CHECKING:
    from apexcore.formats.event_file import EventFile, LapFile

#: Laps of a run whose recording is kept, behind its out-lap.
_KEPT = 5
#: What channels are rounded to, by the end of their name; a power of two, which packs best.
_FINE = {"_m": 1 / 32, "_kmh": 1 / 16, "_ms2": 1 / 32, "_deg": 1 / 8, "_bar": 1 / 16, "_l": 1 / 64, "rpm": 4.0}
_ELSE = 1 / 4


def _coarse(lap: "LapFile") -> "LapFile":
    from apexcore.formats.event_file import TraceFile

    if lap.trace is None:
        return lap
    data, packed = lap.trace.packed()
    told = unpack(data).told
    columns = {}
    for key, values in packed.columns.items():
        fine = next((fine for end, fine in _FINE.items() if key.endswith(end)), _ELSE)
        columns[key] = np.round(values / fine) * fine
    trace = TraceFile.of(pack(packed.t, columns, told, effort=9), lap.trace.units, lap.trace.origin, lap.trace.notes)
    return lap.model_copy(update={"trace": trace})


def shortened(event: "EventFile") -> "EventFile":
    """An event's file with coarse recordings of some laps."""
    runs = []
    for run in event.runs:
        timed = [lap.number for lap in run.laps if lap.kind == "timed"][:_KEPT]
        laps = [_coarse(lap) if lap.number in timed else lap.model_copy(update={"trace": None}) for lap in run.laps]
        runs.append(run.model_copy(update={"laps": tuple(laps)}))
    return event.model_copy(update={"runs": tuple(runs)})


def main() -> None:
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "apextrim.settings")
    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(APEX_VAR=folder, APEX_FIND_LINES="0")
        django.setup()
        from django.contrib.auth.models import User
        from django.core.management import call_command
        from django.utils.text import slugify

        from apexcore.formats.values_json import write_value
        from apextrim.archive.actions import event_file
        from demo.loader import EVENTS
        from demo.story import tell

        call_command("migrate", verbosity=0)
        user = User.objects.create(username="racer")
        tell(user)
        EVENTS.mkdir(exist_ok=True)
        for old in EVENTS.glob("*.json.gz"):
            old.unlink()
        size = 0
        for number, event in enumerate(user.events.order_by("pk"), start=1):
            packed = gzip.compress(write_value(shortened(event_file(event))).encode(), 9, mtime=0)
            (EVENTS / f"{number}-{slugify(event.name)}.json.gz").write_bytes(packed)
            size += len(packed)
    print(f"story: {number} events, {size / 1000:.0f} kB")


if __name__ == "__main__":
    main()
