"""All that an account has as one archive: complete, readable again, and nobody else's."""

import io
import json
import zipfile
from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

import pytest
from django.apps import apps
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from apextrim.archive import actions
from apextrim.archive.actions import read_event
from apextrim.archive.everything import write_everything
from apextrim.archive.rows import rows_as_json
from apextrim.events.models import Event
from apextrim.library.models import CornerNote, DriversPlace
from apextrim.runs.models import Run
from apextrim.sheets.models import Sheet
from apextrim.work import made
from apextrim.work.models import Job
from tests.apextrim.conftest import owner_with_event
from tests.apextrim.test_access import addresses as addresses

#: What belongs to somebody and is in no archive: keys of doors and links, work that was asked for, what a form was before.
NOT_IN_IT = {"LoggerKey", "Invitation", "Job", "BookBefore", "Chunk", "TimedLine", "TyreReading", "AskedLine", "OwnLines", "DayLines"}


def test_it_holds_all_and_reads_in_again(event: Event, first: Sheet, drive: Callable[..., Run], tmp_path: Path) -> None:
    run = drive(first, 1)
    gone = drive(first, 2)
    gone.deleted_at = timezone.now()
    gone.save()
    DriversPlace.objects.create(car=event.car, driver="Wren", seat="two holes back")
    CornerNote.objects.create(circuit=event.circuit, number=1, qualifying="late")
    other, _ = owner_with_event("stranger")
    left_out = write_everything(event.owner, tmp_path / "all.zip")
    assert left_out == []
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        assert archive.testzip() is None
        names = archive.namelist()
        whole = b"".join(archive.read(name) for name in names)
        (told,) = (name for name in names if name.startswith("events/"))
        (rows,) = (name for name in names if name.startswith("rows/"))
        text = archive.read(told)
        assert json.loads(archive.read("account.json"))["name"] == "racer"
        kept = [json.loads(line) for line in archive.read(rows).splitlines()]
    assert b"stranger" not in whole and b"two holes back" in whole and b"late" in whole and b"withy" not in whole
    assert sum(row["model"] == "runs.run" for row in kept) == 2  # the one in the bin as well
    back, new = read_event(other, text)
    assert new and back.runs.count() == 1 and back.runs.get().laps.count() == run.laps.count()


def test_every_kind_of_row_is_in_it(addresses: dict[str, str], event: Event, tmp_path: Path) -> None:
    """A new kind of row has to be put into the archive, or named as left out on purpose."""
    here = {json.loads(line)["model"] for text in rows_as_json(event) for line in text.splitlines()}
    missing = []
    for model in apps.get_models():
        path = getattr(model, "OWNER", "")
        if path and "event" in path and model.__name__ not in NOT_IN_IT and model._meta.label_lower not in here:
            has = model._default_manager.filter(**{path: event.owner}).exists()
            missing += [model.__name__] if has else []
    assert not missing


def test_it_is_made_beside_the_requests_and_is_nobody_elses(client_in: Client, stranger: Client, event: Event, at_once: None) -> None:
    page = client_in.post("/account/data/", follow=True)
    assert "The archive of your data is ready" in page.content.decode() and page.redirect_chain[-1][0] == reverse("made_files")
    job = Job.objects.get(kind="everything")
    got = client_in.get(reverse("made_file", args=[job.pk]))
    data = got.getvalue()
    assert got["Content-Type"] == "application/zip" and "attachment" in got["Content-Disposition"]
    assert "account.json" in zipfile.ZipFile(io.BytesIO(data)).namelist()
    assert stranger.get(reverse("made_file", args=[job.pk])).status_code == 404
    assert "No file is ready" in stranger.get(reverse("made_files")).content.decode()
    path = made.file_of(job)
    assert path is not None and path.stat().st_mode & 0o077 == 0
    job.delete()
    assert made.remove_old() >= 1 and not path.exists()


def test_a_long_event_is_written_beside_the_requests(
    client_in: Client, event: Event, at_once: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    address = reverse("take_out_event", args=[event.pk])
    assert client_in.get(address)["Content-Type"] == "application/json"
    monkeypatch.setattr(actions, "is_long", lambda event: True)
    assert "takes a while" in client_in.get(address).content.decode()
    assert "is ready" in client_in.post(address, follow=True).content.decode()
    job = Job.objects.get(kind="event_file")
    text = client_in.get(reverse("made_file", args=[job.pk])).getvalue()
    assert json.loads(text)["name"] == event.name
    made.folder().joinpath(f"{job.pk}-racer-s-weekend.json").unlink()


def test_files_go_after_three_days_and_broken_ones_never_show(event: Event, monkeypatch: pytest.MonkeyPatch) -> None:
    job = Job.objects.create(owner=event.owner, kind="everything", lane="bench", words="?", state="done", made_at=event.made_at)
    with suppress(RuntimeError), made.making(job, "../Ünlike name.zip") as path:
        path.write_text("half")
        raise RuntimeError
    assert made.file_of(job) is None and not list(made.folder().glob(f"{job.pk}-*"))
    with made.making(job, "../Ünlike name.zip") as path:
        path.write_text("whole")
    file = made.file_of(job)
    assert file is not None and file.parent == made.folder() and file.name == f"{job.pk}-..--nlike-name.zip"
    monkeypatch.setattr(made, "KEPT", timedelta(seconds=-5))
    made.remove_old()
    assert made.file_of(job) is None
