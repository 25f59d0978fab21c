"""All that an account has, as one archive of open files; and its end."""

import json
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

from django.contrib.auth.models import User
from django.forms import model_to_dict
from pydantic import ValidationError

from apexcore.errors import ApexError
from apextrim.accounts import leaving
from apextrim.accounts.preferences import units_of
from apextrim.events.models import Event
from apextrim.library import shelf
from apextrim.library.models import Car, Circuit
from apextrim.runs.models import ColumnMatch
from apextrim.traces import uploads
from apextrim.work import made

from . import bin as waste
from .actions import write_event
from .rows import rows_as_json

READ_ME = """What Apex Trim keeps of the account {name}.

account.json   the account: its units, and which columns of files are what
cars           each car as a file that a garage takes in, with how its drivers sit beside it
circuits       each circuit likewise, with its notes by corner beside it
events         each event as a file that an installation takes in: sheets, runs, laps, verdicts, plans, races, book
rows           each event as it is stored, row by row: recorded laps of any length, deleted runs, lines, all else
bin            the same of what waits in the bin

The formats are described in docs/formats.md. What other accounts keep, and the password, are not in it.
"""


def _name(*parts: object) -> str:
    """A name of a file in the archive."""
    words = "-".join(str(part) for part in parts).lower()
    return "".join(letter if letter.isascii() and (letter.isalnum() or letter in "-_") else "-" for letter in words)[:80]


def _account(user: User) -> str:
    told = {
        "name": user.username, "made_at": user.date_joined.isoformat(), "units": dict(units_of(user).chosen),
        "columns": {row.header: row.columns for row in ColumnMatch.objects.filter(owner=user)},
    }  # fmt: skip
    return json.dumps(told, indent=2, ensure_ascii=False)


def write_everything(user: User, path: Path, told: Callable[[float], None] = lambda share: None) -> list[str]:
    """Writes the archive of an account; event by event, so that it needs no more room than the largest.

    :param told: is told how much of it is done
    :returns: sentences about what could not be written as a file of its own, and stands in it as rows alone
    """
    events = list(Event.objects.filter(owner=user).order_by("pk").values_list("pk", flat=True))
    left_out = list[str]()
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, strict_timestamps=False) as archive:
        archive.writestr("read-me.txt", READ_ME.format(name=user.username))
        archive.writestr("account.json", _account(user))
        for row in Car.everything.filter(owner=user):
            place = f"{'bin/' if row.deleted_at else ''}cars/{_name(row.key)}"
            archive.writestr(f"{place}.json", row.data)
            if drivers := [model_to_dict(one, exclude=["id", "car"]) for one in row.places.all()]:
                archive.writestr(f"{place}-drivers.json", json.dumps(drivers, indent=2, ensure_ascii=False))
        for circuit in Circuit.everything.filter(owner=user).prefetch_related("notes"):
            place = f"{'bin/' if circuit.deleted_at else ''}circuits/{_name(circuit.key)}"
            archive.writestr(f"{place}.json", circuit.data)
            if notes := [model_to_dict(note, exclude=["id", "circuit"]) for note in circuit.notes.all()]:
                archive.writestr(f"{place}-notes.json", json.dumps(notes, indent=2, ensure_ascii=False))
        for done, key in enumerate(events):
            told(done / len(events))
            event = Event.objects.select_related("car", "circuit").filter(pk=key).first()
            if event is None:  # went meanwhile
                continue
            before, name = "bin/" if event.deleted_at else "", _name(event.pk, event.name)
            try:
                archive.writestr(f"{before}events/{name}.json", write_event(event))
            except (ApexError, ValidationError):
                left_out.append(f"{event.name} does not fit a file of its own; it is in the archive as rows.")
            with archive.open(f"{before}rows/{name}.jsonl", "w", force_zip64=True) as out:
                for text in rows_as_json(event):
                    out.write(text.encode())
    return left_out


def end_accounts() -> Iterator[str]:
    """Removes the accounts whose thirty days are over, an event at a time; the name of each as it is gone."""
    for user in leaving.due():
        leaving.ends(user)
        for event in Event.objects.filter(owner=user):
            for upload in event.uploads.all():
                uploads.forget(upload)
            waste.let_go(event)
        name = user.username
        user.delete()
        made.remove_old()
        shelf.clear()
        yield name
