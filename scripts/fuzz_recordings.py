"""Hostile recordings at the door of an event, as tables, Parquet and MDF 4. `make fuzz` calls it after the files.

Each goes the whole way: sent, its columns chosen as the page proposes them, its laps cut by a worker, and the pages that show them opened.
"""

import random
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from .fuzz import PATIENCE_S, Tally, carried, hostile_bytes, rows, undone, worked_off


def good_files(event: Any) -> tuple[bytes, ...]:
    """Two laps of an event's circuit in every kind of file."""
    from tests.apextrim.traces.files import drive, foreign_csv, foreign_parquet, solved

    line, lap = solved(event, event.sheets.first())
    channels = drive(line, [lap] * 2)
    return foreign_csv(channels), foreign_parquet(channels), _mdf(channels)


def _mdf(channels: dict[str, Any]) -> bytes:
    from asammdf import MDF, Signal

    file = MDF(version="4.10")
    units = {"speed": "km/h", "throttle": "1", "latitude": "deg", "longitude": "deg"}
    file.append([Signal(channels[key], channels["t"], name=key, unit=unit) for key, unit in units.items()])
    with tempfile.TemporaryDirectory() as folder:
        return Path(file.save(Path(folder) / "good.mf4", overwrite=True)).read_bytes()


def attacked(client: Any, event: Any, seeds: range, pages_of: Callable[[], list[str]]) -> Tally:
    """Sends hostile recordings, and goes the whole way with each.

    :param client: signed in, and not raising what a page raises
    :param pages_of: addresses of pages that show what came in
    """
    good, tally = good_files(event), Tally()
    about: dict[str, Any] = {
        "sheet": event.sheets.first().pk, "session": event.sessions.first().pk, "front": _compound(event), "rear": _compound(event),
        "tyre_age": "0", "fuel_l": "30",
    }  # fmt: skip
    address = f"/events/{event.pk}/traces/recording/"
    for seed in seeds:
        rng = random.Random(seed)
        data = hostile_bytes(rng.choice(good), rng, 4_000_000)
        with undone():
            before, begin = rows(), time.perf_counter()
            with carried() as keys:
                answer = client.post(address, {**about, "file": SimpleUploadedFile("file", data)})
                if answer.status_code == 302 and "/recording/" in answer["Location"]:
                    answer = _matched(client, answer["Location"])
            took = time.perf_counter() - begin
            begin = time.perf_counter()
            ends = [worked_off(key) for key in keys]
            worked = time.perf_counter() - begin
            tally.sent, tally.slowest_s = tally.sent + 1, max(tally.slowest_s, took)
            tally.taken += "done" in ends
            if answer.status_code >= 500 or took > PATIENCE_S:
                tally.faults.append((seed, f"status {answer.status_code} in {took:.1f} s"))
            if "broken" in ends or worked > 6 * PATIENCE_S:
                tally.faults.append((seed, f"a worker ended {ends} in {worked:.1f} s"))
            if "failed" in ends and rows() - before > 1:  # the file itself waits for its columns
                tally.faults.append((seed, f"refused, and {rows() - before} rows left"))
            newest = event.runs.order_by("-pk").first()
            more = [f"/events/{event.pk}/traces/", f"/events/{event.pk}/traces/run/{newest.pk}/"]
            _opened(client, [*pages_of(), *more] if "done" in ends else [], seed, tally)
    return tally


def _compound(event: Any) -> str:
    from apextrim.modelling import cases

    return cases.car_of(event).tyres.compounds[0].key


def _matched(client: Any, address: str) -> Any:
    """The columns as the page proposes them, sent."""
    page = client.get(address)
    if page.status_code != 200 or page.context is None:
        return page
    lines = page.context["lines"]
    sent = {f"key-{line['place']}": line["key"] for line in lines} | {f"unit-{line['place']}": line["unit"] for line in lines}
    return client.post(address, sent)


def _opened(client: Any, pages: Sequence[str], seed: int, tally: Tally) -> None:
    for address in pages:
        begin = time.perf_counter()
        page = client.get(address, follow=True)
        took = time.perf_counter() - begin
        if page.status_code >= 500 or took > PATIENCE_S:
            tally.faults.append((seed, f"then {address}: status {page.status_code} in {took:.1f} s"))
