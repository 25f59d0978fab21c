"""Loads the demo from its stored event files, as a racer would import them. What they tell was driven by `demo.story`; `make story`
writes them anew."""

import gzip
from pathlib import Path

from django.contrib.auth.models import User
from django.db import transaction

from apextrim.archive.actions import read_event
from apextrim.events.models import Event
from apextrim.library.starter import add_folder

HERE = Path(__file__).parent
EVENTS = HERE / "events"


def load_files(user: User) -> None:
    """The demo's cars and circuits into a garage."""
    add_folder(user, HERE)


@transaction.atomic
def load(user: User) -> Event:
    """The demo's garage and all of its events; returns the main one, in the middle of its weekend."""
    load_files(user)
    events = [read_event(user, gzip.decompress(path.read_bytes()))[0] for path in sorted(EVENTS.glob("*.json.gz"))]
    return events[0]
