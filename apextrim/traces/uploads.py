"""Files of recordings on their way in: kept in a folder beside the database until they are imported or forgotten."""

import hashlib
import json
import secrets
from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.cache import cache
from django.db import transaction
from django.utils import timezone

from apexcore.errors import FileRejected
from apexcore.formats.recording import MOST_BYTES, WHAT, Header
from apexcore.formats.text import encodable
from apexcore.judge.traces.channels import CHANNELS, MOST_NAME, Match, in_unit
from apextrim.accounts.owned import Person
from apextrim.events.models import Event
from apextrim.runs.models import ColumnMatch, Upload

from .apart import header_of_file

#: How long a file waits for its columns to be chosen, and how many of one owner do.
_WAITS = timedelta(hours=24)
_MOST_WAITING = 10


def folder() -> Path:
    """Where uploads lie."""
    found: Path = settings.VAR / "uploads"
    found.mkdir(parents=True, exist_ok=True)
    return found


def path_of(upload: Upload) -> Path:
    """The file of an upload.

    :raises FileRejected: if it is gone
    """
    path = folder() / upload.stored
    if not path.is_file():
        raise FileRejected([f"{upload.name}: the file is no longer here; choose it again."])
    return path


def header_of(upload: Upload) -> Header:
    """The columns of an upload.

    :raises FileRejected: if it is gone, or none that is read
    """
    path, name = path_of(upload), f"header:{upload.pk}:{upload.digest}"
    found: Header | None = cache.get(name)
    if found is None:
        found = header_of_file(path)
        cache.set(name, found, _WAITS.total_seconds())
    return found


def keep(event: Event, file: Any, target: dict[str, Any]) -> Upload:
    """Keeps an upload.

    :param target: the run that it is for, or what a new run of it is
    :raises FileRejected: if there is none, or it is too large
    """
    if file is None:
        raise FileRejected([f"No file chosen. Choose {WHAT}."])
    name = encodable(file.name or "recording")[:120]
    if (file.size or 0) > MOST_BYTES:
        raise FileRejected([f"{name}: the file has {(file.size or 0) / 1e6:.0f} MB; expected {WHAT} of at most {MOST_BYTES / 1e6:.0f} MB."])
    forget_old(event)
    stored, digest, size = f"{event.owner_id}-{secrets.token_hex(12)}.rec", hashlib.sha256(), 0
    with (folder() / stored).open("wb") as out:
        for chunk in file.chunks():
            out.write(chunk)
            digest.update(chunk)
            size += len(chunk)
    return Upload.objects.create(
        event=event, name=name, stored=stored, size=size, digest=digest.hexdigest(), target=target, made_at=timezone.now()
    )  # fmt: skip


def forget(upload: Upload) -> None:
    """Lets an upload go, the row first: a file without one is swept away, a row without its file could not be."""
    stored = upload.stored
    upload.delete()
    (folder() / stored).unlink(missing_ok=True)


def forget_old(event: Event) -> None:
    """Lets go what has waited too long, or is too much for one owner, and files that no row knows."""
    mine = Upload.objects.filter(event__owner=event.owner_id).order_by("-pk")
    for upload in [*mine.filter(made_at__lt=timezone.now() - _WAITS), *mine[_MOST_WAITING:]]:
        if upload.pk is not None:
            forget(upload)
    known = set(Upload.objects.values_list("stored", flat=True))
    old = (timezone.now() - _WAITS).timestamp()
    for path in folder().glob("*.rec"):
        if path.name not in known and path.stat().st_mtime < old:
            path.unlink(missing_ok=True)


def header_digest(header: Header) -> str:
    """What the columns of a recording's header are remembered by."""
    return hashlib.sha256(json.dumps(["recording", header.names, header.units]).encode()).hexdigest()


def remembered(event: Event, header: Header) -> list[Match | None] | None:
    """What each column was when a file with this header came in last; None where none did."""
    return remembered_by(event.owner, header)


def remembered_by(owner: Person, header: Header) -> list[Match | None] | None:
    """The same for an owner."""
    row = ColumnMatch.objects.filter(owner=owner.pk, header=header_digest(header)).first()
    if row is None or not isinstance(row.columns, list) or len(row.columns) != len(header.names):
        return None
    return [None if told is None else match_of(told[0], told[1]) for told in row.columns]


@transaction.atomic
def remember(event: Event, header: Header, matches: Sequence[Match | None]) -> None:
    """Remembers what each column is."""
    columns = [None if match is None else [match.key, match.unit] for match in matches]
    ColumnMatch.objects.update_or_create(owner=event.owner, header=header_digest(header), defaults={"columns": columns})


def match_of(key: str, unit: str) -> Match:
    """A column by its channel and the unit of its numbers.

    :raises FileRejected: if that is no unit for it
    """
    if key not in CHANNELS:
        return Match(key[:MOST_NAME], unit[:20])
    match = in_unit(key, unit)
    if match is None:
        own = CHANNELS[key].unit or "none"
        raise FileRejected([f"{CHANNELS[key].words}: “{unit[:20]}” is no unit for it; expected {own} or a unit like it."])
    return match
